package outside_test

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/outside"
)

func get(t *testing.T, r outside.Reach, address string) (string, error) {
	t.Helper()
	answer, err := r.HTTP().Get(address)
	if err != nil {
		return "", outside.Because(err)
	}
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	return string(data), outside.Because(err)
}

// A service that answers, sends on, or answers without end.
func service(t *testing.T, answer http.HandlerFunc) string {
	t.Helper()
	s := httptest.NewServer(answer)
	t.Cleanup(s.Close)
	return s.URL
}

func TestServicesLeadNowhereElse(t *testing.T) {
	inside := service(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("a secret of the inside")) })
	demo := outside.Reach{Loopback: true}
	said, err := get(t, demo, inside)
	require.NoError(t, err)
	assert.Equal(t, "a secret of the inside", said)

	_, err = get(t, outside.Reach{}, inside)
	assert.EqualError(t, err, "the address leads into the inside of this machine or its network")
	for _, address := range []string{
		"http://169.254.169.254/latest/meta-data/", "http://[fe80::1]/", "http://[fd00:ec2::254]/", "http://0.0.0.0/",
		"http://[::]/", "http://localhost:1/", "http://[::ffff:127.0.0.1]:1/", "http://224.0.0.1/", "http://100.100.100.200/",
	} {
		_, err := get(t, outside.Reach{}, address)
		assert.EqualError(t, err, "the address leads into the inside of this machine or its network", address)
	}

	elsewhere := service(t, func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, inside, http.StatusFound) })
	_, err = get(t, demo, elsewhere)
	assert.EqualError(t, err, "the service sends questions on to another host")

	within := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/" {
			http.Redirect(w, r, "/there", http.StatusFound)
			return
		}
		_, _ = w.Write([]byte("there"))
	})
	said, err = get(t, demo, within)
	require.NoError(t, err)
	assert.Equal(t, "there", said)
	_, err = demo.HTTP().Post(within, "text/plain", strings.NewReader("a message"))
	assert.ErrorContains(t, err, "sends on what was sent", "a message is not sent a second time elsewhere")

	round := service(t, func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, r.URL.Path+"x", http.StatusFound) })
	_, err = get(t, demo, round)
	assert.ErrorContains(t, err, "again and again")
}

func TestAnswersAreBounded(t *testing.T) {
	demo := outside.Reach{Loopback: true}
	endless := service(t, func(w http.ResponseWriter, _ *http.Request) {
		for line := []byte(strings.Repeat("x", 1<<16)); ; {
			if _, err := w.Write(line); err != nil {
				return
			}
		}
	})
	_, err := get(t, demo, endless)
	assert.EqualError(t, err, "the answer has more than 4194304 bytes")
	bomb := service(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "gzip")
		z := gzip.NewWriter(w)
		for line := []byte(strings.Repeat("x", 1<<20)); ; {
			if _, err := z.Write(line); err != nil {
				return
			}
		}
	})
	begun := time.Now()
	_, err = get(t, demo, bomb)
	assert.EqualError(t, err, "the answer has more than 4194304 bytes", "what is packed counts as it is unpacked")
	assert.Less(t, time.Since(begun), 10*time.Second)
}

// What is said of an error holds no address, since some hold keys of ours.
func TestErrorsSayNoAddress(t *testing.T) {
	cut := service(t, func(w http.ResponseWriter, _ *http.Request) {
		line, _, err := http.NewResponseController(w).Hijack()
		require.NoError(t, err)
		_ = line.Close()
	})
	for _, address := range []string{cut, "http://127.0.0.1:1", "http://no-such-host.invalid"} {
		_, err := get(t, outside.Reach{Loopback: true}, address+"/iso18626/KEY-OF-OURS")
		require.Error(t, err)
		assert.NotContains(t, err.Error(), "KEY-OF-OURS")
		assert.NotContains(t, err.Error(), "127.0.0.1")
	}
}
