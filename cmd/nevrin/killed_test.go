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
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/testkit"
)

// running is a Nevrin of its own over the test's database.
type running struct {
	t    *testing.T
	cmd  *exec.Cmd
	base string
	env  []string
	http *http.Client
}

func (r *running) start() {
	r.cmd = exec.Command(filepath.Join("..", "..", "build", "nevrin"), "demo", "--folder", r.t.TempDir())
	r.cmd.Env = r.env
	require.NoError(r.t, r.cmd.Start())
	require.Eventually(r.t, func() bool {
		answer, err := http.Get(r.base + "/health")
		if err == nil {
			_ = answer.Body.Close()
		}
		return err == nil && answer.StatusCode == http.StatusOK
	}, 60*time.Second, 50*time.Millisecond)
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
	port, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := port.Addr().String()
	require.NoError(t, port.Close())
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	r := &running{t: t, base: "http://" + address, http: &http.Client{Jar: jar, Timeout: 10 * time.Second},
		env: append(
			os.Environ(),
			"NEVRIN_LISTEN="+address,
			"DATABASE_URL="+strings.Replace(os.Getenv("NEVRIN_TEST_DATABASE"), "/nevrin?", "/"+name+"?", 1),
		)}
	r.start()
	defer func() { _ = r.cmd.Process.Kill() }()
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
			go func() {
				time.Sleep(time.Duration(k) * time.Millisecond)
				_ = r.cmd.Process.Kill()
			}()
		}
		kind, ok := r.scan(item, patron)
		for try := 0; !ok && try < 5; try++ {
			_ = r.cmd.Wait()
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
	require.NoError(
		t,
		db.Raw(strings.Replace(testkit.FreeItem, "LIMIT 1", "LIMIT 18", 1), "HVH", "book").Scan(&items).Error,
	)
	require.Len(t, items, 18)
	return items
}
