package server_test

import (
	"bytes"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
	gone := false
	for _, m := range families["nevrin_jobs_failed"].GetMetric() {
		if m.GetLabel()[0].GetValue() == "no" && m.GetGauge().GetValue() == 1 {
			gone = true
		}
	}
	assert.True(t, gone, "a job that was given up")
	answer, err = http.Get(public.URL + "/metrics")
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	assert.NotContains(t, answer.Header.Get("Content-Type"), "version=", "figures are not for the public")
}
