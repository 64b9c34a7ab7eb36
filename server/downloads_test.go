package server_test

import (
	"encoding/csv"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/rulebook"
	"nevrin/formats/ical"
	"nevrin/testkit"
)

// What is taken away as a file can be read again by what reads such files.
func TestDownloads(t *testing.T) {
	h, base := serve(t)
	maren, nobody := at(t, base, "maren"), at(t, base, "")
	get := func(path string) string {
		t.Helper()
		status, _ := nobody.send(http.MethodGet, path, "", nil)
		assert.Equal(t, http.StatusUnauthorized, status, path)
		status, text := maren.send(http.MethodGet, path, "", nil)
		require.Equal(t, http.StatusOK, status, text)
		return text
	}
	lines, err := csv.NewReader(strings.NewReader(get("/api/rulebook/editions/2/review.csv"))).ReadAll()
	require.NoError(t, err)
	assert.Len(t, lines, 1+9*9*12, "every branch, patron class and material class")
	assert.Len(t, lines[0], 3+len(rulebook.All))
	grid, err := csv.NewReader(strings.NewReader(get("/api/rulebook/editions/2/grid.csv?term=loan_period&rows=patron_class&columns=material_class&lending_branch=SLM"))).
		ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"Adult", "21 days"}, grid[1][:2])
	_, err = rulebook.Read([]byte(get("/api/rulebook/editions/2/file.json")))
	assert.NoError(t, err)
	days, err := ical.Read(get("/api/calendars/SLM/calendar.ics"), time.UTC)
	require.NoError(t, err)
	assert.Contains(t, days[len(days)-1].Name+days[0].Name+days[9].Name, "Public holiday")

	patron := testkit.Text(t, h, "SELECT id::text FROM patrons LIMIT 1")
	assert.Contains(t, get("/api/patrons/"+patron+"/kept.json"), `"opened_by"`)
	status, _ := at(t, base, "jory").send(http.MethodGet, "/api/patrons/"+patron+"/kept.json", "", nil)
	assert.Equal(t, http.StatusForbidden, status, "it holds what somebody has read")

	status, says := maren.send(http.MethodGet, "/api/rulebook/editions/99/file.json", "", nil)
	assert.Equal(t, http.StatusNotFound, status, says)
	status, says = maren.send(
		http.MethodGet,
		"/api/rulebook/editions/2/grid.csv?term=loan_period&rows=patron_class&columns=patron_class",
		"",
		nil,
	)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, says, "two different dimensions")
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("INSERT INTO rehearsals (id, edition_id, revision, since, until, staff_id, begun_at) VALUES (1, 3, 1, '2026-01-01', '2026-02-01', 1, now())").
			Error,
	)
	status, says = maren.send(http.MethodGet, "/api/rehearsals/1/table.csv", "", nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, says, "This rehearsal is not finished.")
}
