package server_test

import (
	"net/http"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// A slip says who and what in any letters, and reads back as it was written (pdftotext, Debian).
func TestSlipReadsBack(t *testing.T) {
	h, base := serve(t)
	bea := at(t, base, "bea")
	hold := testkit.Text(t, h, "SELECT id::text FROM holds WHERE state = 'ready' AND pickup = 'HVH' ORDER BY id LIMIT 1")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET preferred_name = 'Łucja Đặng-Ødegård' WHERE id = (SELECT patron_id FROM holds WHERE id = ?)", hold).Error)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE titles SET name = 'Čas ve větru' WHERE id = (SELECT title_id FROM holds WHERE id = ?)", hold).Error)
	status, pdf := bea.send(http.MethodGet, "/api/slips/hold/"+hold+"/slip.pdf", "", nil)
	require.Equal(t, http.StatusOK, status)
	read := exec.Command("pdftotext", "-layout", "-", "-")
	read.Stdin = strings.NewReader(pdf)
	text, err := read.Output()
	require.NoError(t, err)
	for _, part := range []string{"Łucja", "Čas ve větru", "Hold shelf, Havenhead", "Until",
		testkit.Text(t, h, "SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?", hold)} {
		assert.Contains(t, string(text), part)
	}
	status, says := bea.send(http.MethodGet, "/api/slips/hold/1"+hold+"99/slip.pdf", "", nil)
	assert.Equal(t, http.StatusNotFound, status, says)
}
