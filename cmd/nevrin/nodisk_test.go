package main

import (
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// The server keeps nothing on its own disk but what it says: with no room for that it goes on. /dev/full is a disk without any.
func TestADiskOfTheServerWithoutRoom(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = full.Close() })
	_, err = full.WriteString("x")
	require.Error(t, err, "nothing can be written there")
	w := testkit.NewWorld(t)
	r := serving(t, w, "serve")
	r.kill()
	r.said = full
	r.env = append(r.env, "NEVRIN_TLS=0")
	r.start()
	for range 50 {
		answer, err := http.Post(r.base+"/api/sign-in", "application/json", strings.NewReader(`{"Login": "nobody", "Password": "x"`))
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Equal(t, http.StatusBadRequest, answer.StatusCode)
		answer, err = http.Get(r.base + "/api/me")
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Equal(t, http.StatusOK, answer.StatusCode)
	}
}
