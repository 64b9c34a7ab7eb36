package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/testkit"
)

// TestMain lets the test be the program itself, so that what it starts has the race detector too.
func TestMain(m *testing.M) {
	if os.Getenv("NEVRIN_IS_THE_PROGRAM") == "" {
		os.Exit(m.Run())
	}
	main()
}

// running is a Nevrin of its own over the test's database.
type running struct {
	t    *testing.T
	args []string
	cmd  *exec.Cmd
	base string
	env  []string
	http *http.Client
	said *os.File // where it writes what it has to say; nil: as the test does
}

// serving starts the program over the database of a test. It ends with the test.
func serving(t *testing.T, w *testkit.World, args ...string) *running {
	t.Helper()
	return started(t, w.Ask("SELECT current_database()"), args...)
}

func started(t *testing.T, database string, args ...string) *running {
	t.Helper()
	port, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := port.Addr().String()
	require.NoError(t, port.Close())
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	r := &running{t: t, args: args, base: "http://" + address, http: &http.Client{Jar: jar, Timeout: 10 * time.Second},
		env: append(
			os.Environ(),
			"NEVRIN_IS_THE_PROGRAM=1",
			"NEVRIN_LISTEN="+address,
			"DATABASE_URL="+strings.Replace(os.Getenv("NEVRIN_TEST_DATABASE"), "/nevrin?", "/"+database+"?", 1),
		)}
	r.start()
	t.Cleanup(r.kill)
	return r
}

func (r *running) start() {
	r.cmd = exec.Command(os.Args[0], r.args...)
	r.cmd.Env = r.env
	r.cmd.Stderr = os.Stderr
	if r.said != nil {
		r.cmd.Stdout, r.cmd.Stderr = r.said, r.said
	}
	if !assert.NoError(r.t, r.cmd.Start()) {
		return
	}
	assert.Eventually(r.t, func() bool {
		answer, err := http.Get(r.base + "/health")
		if err == nil {
			_ = answer.Body.Close()
		}
		return err == nil && answer.StatusCode == http.StatusOK
	}, 60*time.Second, 20*time.Millisecond)
}

// kill ends it at once, as the machine would.
func (r *running) kill() {
	_ = r.cmd.Process.Kill()
	_ = r.cmd.Wait()
}

// scan sends one scan with its key; not ok if the server went away before it answered.
func (r *running) scan(item string, patron int64) (kind string, ok bool) {
	request, err := http.NewRequest(
		http.MethodPost,
		r.base+"/api/desk/scan",
		bytes.NewBufferString(fmt.Sprintf(`{"text":%q,"patron":%d}`, item, patron)),
	)
	require.NoError(r.t, err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Idempotency-Key", "scan of "+item)
	answer, err := r.http.Do(request)
	if err != nil {
		return "", false
	}
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	var got struct{ Kind string }
	if err != nil || answer.StatusCode != http.StatusOK || json.Unmarshal(data, &got) != nil {
		return string(data), false
	}
	return got.Kind, true
}

// The program is killed in the middle of scans and started again, several times. Scans without an
// answer are sent again with their keys: each item is lent once, and nothing is half done.
func TestKilledInTheMiddleOfScans(t *testing.T) {
	h := testkit.House(t)
	var name string
	require.NoError(t, testkit.SQL(h).Raw("SELECT current_database()").Scan(&name).Error)
	r := started(t, name, "demo", "--folder", t.TempDir())
	answer, err := r.http.Post(r.base+"/api/sign-in/demo", "application/json", strings.NewReader(`{"Login":"bea"}`))
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())

	items := freeItems(t, testkit.SQL(h))
	var patron int64
	require.NoError(
		t,
		testkit.SQL(h).Raw(strings.Replace(testkit.GoodCard, "p.card", "p.id", 1), "HVH", "staff").Scan(&patron).Error,
	)
	if patron == 0 {
		require.NoError(
			t,
			testkit.SQL(h).
				Raw(strings.Replace(testkit.GoodCard, "p.card", "p.id", 1), "HVH", "adult").
				Scan(&patron).
				Error,
		)
	}
	for k, item := range items {
		if k%5 == 2 {
			process := r.cmd.Process // this one, not one that has been started since
			go func() {
				time.Sleep(time.Duration(k) * time.Millisecond)
				_ = process.Kill()
			}()
		}
		kind, ok := r.scan(item, patron)
		for try := 0; !ok && try < 5; try++ {
			r.kill()
			r.start()
			kind, ok = r.scan(item, patron)
		}
		require.True(t, ok, kind)
		assert.Equal(t, "lent", kind, item)
	}
	var lent, events int64
	testkit.SQL(h).Raw("SELECT count(*) FROM loans WHERE patron_id = ? AND returned_at IS NULL", patron).Scan(&lent)
	testkit.SQL(h).
		Raw("SELECT count(*) FROM events WHERE patron_id = ? AND kind = 'lent' AND loan_id IN (SELECT id FROM loans WHERE returned_at IS NULL)", patron).
		Scan(&events)
	assert.EqualValues(t, len(items), lent)
	assert.Equal(t, lent, events, "one event for each loan")
}

func freeItems(t *testing.T, db *gorm.DB) []string {
	var items []string
	require.NoError(t, db.Raw(strings.Replace(testkit.FreeItem, "LIMIT 1", "LIMIT 18", 1), "HVH", "book").Scan(&items).Error)
	require.Len(t, items, 18)
	return items
}
