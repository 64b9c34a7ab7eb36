package server_test

import (
	"bytes"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/night"
	"nevrin/core/calendar"
	"nevrin/server"
	"nevrin/testkit"
)

// Prometheus reads of each operation how long it took and how it ended, and how the installation stands; the text is read by
// Prometheus' own parser. The inside address is not that of the public.
func TestFiguresForPrometheus(t *testing.T) {
	h := testkit.House(t)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true})
	require.NoError(t, err)
	public, inside := httptest.NewServer(s), httptest.NewServer(s.Inside())
	defer public.Close()
	defer inside.Close()
	jory := at(t, public.URL, "jory")
	for range 3 {
		status, says := jory.send(http.MethodGet, "/api/today", "", nil)
		require.Equal(t, http.StatusOK, status, says)
	}
	for _, path := range []string{"/api/nothing", "/api/no/such/thing"} {
		status, _ := jory.send(http.MethodGet, path, "", nil)
		require.Equal(t, http.StatusNotFound, status)
	}
	_, _ = jory.send("INVENTED", "/api/today", "", nil)
	status, _ := jory.send(http.MethodGet, "/api/staff", "", nil)
	require.Equal(t, http.StatusForbidden, status)
	require.NoError(t, testkit.SQL(h).Exec(`INSERT INTO river_job (kind, queue, args, state, max_attempts, attempt, attempted_at, finalized_at, errors)
		VALUES ('rehearse', 'default', '{}', 'discarded', 9, 9, now(), now(), ARRAY['{"error": "x"}']::jsonb[])`).Error)

	today, err := act.Look(t.Context(), h, act.Machine, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
	require.NoError(t, err)
	require.NoError(t, night.Up(t.Context(), h, today+1))
	follow(t)
	require.Eventually(t, func() bool {
		return testkit.Text(t, h, "SELECT count(*)::text FROM pg_stat_replication WHERE application_name = 'a follower'") == "1"
	}, 20*time.Second, 50*time.Millisecond)
	answer, err := http.Get(inside.URL + "/metrics")
	require.NoError(t, err)
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	parser := expfmt.NewTextParser(model.UTF8Validation)
	families, err := parser.TextToMetricFamilies(bytes.NewReader(text))
	require.NoError(t, err)
	value := func(name string) float64 {
		require.Contains(t, families, name)
		return families[name].GetMetric()[0].GetGauge().GetValue()
	}
	counts := map[string]uint64{}
	for _, m := range families["nevrin_request_seconds"].GetMetric() {
		counts[m.GetLabel()[0].GetValue()+" "+m.GetLabel()[1].GetValue()] = m.GetHistogram().GetSampleCount()
	}
	assert.EqualValues(t, 3, counts["GET /api/today 200"])
	assert.EqualValues(t, 1, counts["GET /api/staff 403"])
	for operation := range counts {
		assert.NotContains(t, operation, "INVENTED", "names that anybody may invent are not kept")
		assert.NotContains(t, operation, "such")
	}
	assert.InDelta(t, 1, value("nevrin_database_reached"), 0)
	assert.Positive(t, value("nevrin_night_age_seconds"))
	assert.Contains(t, families, "nevrin_mail_waiting")
	assert.Contains(t, families, "go_sql_open_connections")
	by := func(name string) map[string]float64 {
		out := map[string]float64{}
		for _, m := range families[name].GetMetric() {
			labels := ""
			for _, l := range m.GetLabel() {
				labels += l.GetValue() + " "
			}
			out[strings.TrimSpace(labels)] = m.GetGauge().GetValue()
		}
		return out
	}
	assert.InDelta(t, 1, by("nevrin_jobs")["rehearse discarded"], 0, "a job that was given up")
	steps := by("nevrin_night_step_seconds")
	for _, step := range night.Steps() {
		assert.Contains(t, steps, step)
	}
	assert.Positive(t, steps["lapse"])
	assert.Contains(t, by("nevrin_replica_behind_bytes"), "a follower")
	answer, err = http.Get(public.URL + "/metrics")
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	assert.NotContains(t, answer.Header.Get("Content-Type"), "version=", "figures are not for the public")
}

// follow has somebody follow the database's log, as a replica does, until the test ends.
func follow(t *testing.T) {
	t.Helper()
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/pg_receivewal")
	require.NoError(t, err)
	require.NotEmpty(t, found)
	cmd := exec.Command(found[len(found)-1], "--no-loop", "--directory="+t.TempDir(),
		"--dbname="+os.Getenv("NEVRIN_TEST_DATABASE")+"&application_name=a%20follower")
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
}
