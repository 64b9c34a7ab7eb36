package server_test

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/jpeg"
	"io"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// A photograph is a picture to who may open the record, and to nobody else; no cache keeps it.
func TestPhotographOverHTTP(t *testing.T) {
	h, base := serve(t)
	card := testkit.Text(t, h, "SELECT card FROM patrons WHERE branch_code = 'SKN' AND photo_at IS NULL AND class = 'adult' AND standing = 'active' AND photo IS NULL ORDER BY id LIMIT 1")
	patron := testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card)
	jory, wil, nobody := at(t, base, "jory"), at(t, base, "wil"), at(t, base, "")
	path := "/api/patrons/" + patron + "/photo"
	get := func(s *station) *http.Response {
		answer, err := s.client.Get(base + path)
		require.NoError(t, err)
		t.Cleanup(func() { _ = answer.Body.Close() })
		return answer
	}
	assert.Equal(t, http.StatusNotFound, get(jory).StatusCode, "there is none yet")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 27, 36)), nil))
	sent := map[string]string{"picture": base64.StdEncoding.EncodeToString(picture.Bytes())}
	status, says := wil.send(http.MethodPut, path, "a-key-of-wil", sent)
	assert.Equal(t, http.StatusForbidden, status, says)
	status, says = jory.send(http.MethodPut, path, "a-key-of-jory", map[string]string{"picture": "no base64!"})
	assert.Equal(t, http.StatusUnprocessableEntity, status, says)
	status, says = jory.send(http.MethodPut, path, "a-key-of-jory-2", sent)
	require.Equal(t, http.StatusOK, status, says)
	assert.Contains(t, says, path+"?of=")

	seen := get(jory)
	data, err := io.ReadAll(seen.Body)
	require.NoError(t, err)
	assert.Equal(t, picture.Bytes(), data)
	assert.Equal(t, "image/jpeg", seen.Header.Get("Content-Type"))
	assert.Equal(t, "no-store", seen.Header.Get("Cache-Control"))
	assert.Equal(t, "nosniff", seen.Header.Get("X-Content-Type-Options"))
	assert.Equal(t, http.StatusUnauthorized, get(nobody).StatusCode)
	assert.Equal(t, http.StatusForbidden, get(wil).StatusCode, "the card is not in hand")
	status, says = wil.send(http.MethodPost, "/api/desk/scan", "a-scan-of-wil", map[string]string{"text": card})
	require.Equal(t, http.StatusOK, status, says)
	assert.Contains(t, says, path+"?of=")
	assert.Contains(t, says, `"no_picture":""`, "why there may be none is not for who sees a reduced card")
	assert.Equal(t, http.StatusOK, get(wil).StatusCode)
}
