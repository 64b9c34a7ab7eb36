package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// Whoever looks at a list that names persons leaves one reading, with what it was narrowed to, however often it is looked at anew.
func TestListsThatNamePersonsLeaveAReading(t *testing.T) {
	h, base := serve(t)
	maren := at(t, base, "maren")
	title := testkit.Text(t, h, "SELECT title_id::text FROM holds WHERE closed_at IS NULL ORDER BY id LIMIT 1")
	roster := testkit.Text(t, h, "SELECT id::text FROM rosters ORDER BY id LIMIT 1")
	mailing := "1" // of which there need not be one
	for path, says := range map[string]string{
		"/api/lent-now?branch=SLM&class=adult": "(branch SLM, class adult)",
		"/api/disputes":                        "",
		"/api/receipts":                        "",
		"/api/refunds":                         "",
		"/api/invoices":                        "",
		"/api/money/at-terminal":               "",
		"/api/rosters/" + roster + "/members":  "(id " + roster + ")",
		"/api/mailings/" + mailing + "/people": "(id " + mailing + ")",
		"/api/mailings":                        "",
		"/api/sign-ups":                        "",
		"/api/titles/" + title + "/queue":      "(id " + title + ")",
		"/api/holds/stuck":                     "",
		"/api/hold-shelf":                      "",
		"/api/hold-shelf/to-clear":             "",
		"POST /api/calendars/preview/loans":    "(branch SLM)",
		"POST /api/calendars/preview/holds":    "(branch SLM)",
	} {
		t.Run(path, func(t *testing.T) {
			require.NoError(t, testkit.SQL(h).Exec("DELETE FROM readings").Error)
			method, sent := http.MethodGet, any(nil)
			asked, posted := strings.CutPrefix(path, "POST ")
			if posted {
				method = http.MethodPost
				sent = map[string]any{"version": 1, "branches": []string{"SLM"}, "close": map[string]string{"from": "2026-09-08", "to": "2026-09-09", "name": "Boiler"}}
			}
			for range 3 {
				status, body := maren.send(method, asked, "", sent)
				require.Equal(t, http.StatusOK, status, body)
			}
			assert.Equal(t, "1", testkit.Text(t, h, "SELECT count(*)::text FROM readings"))
			assert.Contains(t, testkit.Text(t, h, "SELECT words FROM readings WHERE kind = 'listed' AND branch_code = 'HVH'"), says)
		})
	}
}

// A desk is told who has what of its own branch and of its own patrons. Of a loan elsewhere it sees the title; opening the loan's
// terms names its patron, and leaves a reading.
func TestNamesOfOtherBranches(t *testing.T) {
	h, base := serve(t)
	names := func(login string) (named, nameless, foreign int, loan string) {
		_, body := at(t, base, login).send(http.MethodGet, "/api/lent-now?most=1000", "", nil)
		var list struct {
			Rows []struct {
				Loan   json.Number `json:"loan_id"`
				Branch string
				Who    string
				Patron int64 `json:"patron_id"`
			}
		}
		require.NoError(t, json.Unmarshal([]byte(body), &list))
		require.NotEmpty(t, list.Rows)
		for _, l := range list.Rows {
			if l.Who == "" {
				nameless++
				loan = l.Loan.String()
				continue
			}
			named++
			home := testkit.Text(t, h, "SELECT branch_code FROM patrons WHERE id = ?", l.Patron)
			if l.Branch != "Havenhead" && home != "HVH" {
				foreign++
			}
		}
		return named, nameless, foreign, loan
	}
	named, nameless, foreign, loan := names("bea")
	assert.Positive(t, named)
	assert.Positive(t, nameless)
	assert.Zero(t, foreign)
	_, nameless, foreign, _ = names("maren")
	assert.Zero(t, nameless, "who supervises sees all")
	assert.Positive(t, foreign)

	require.NoError(t, testkit.SQL(h).Exec("DELETE FROM readings").Error)
	_, body := at(t, base, "bea").send(http.MethodGet, "/api/loans/"+loan+"/terms", "", nil)
	var terms struct{ Patron string }
	require.NoError(t, json.Unmarshal([]byte(body), &terms))
	assert.NotEmpty(t, terms.Patron)
	assert.Equal(t, "1", testkit.Text(t, h, `SELECT count(*)::text FROM readings r JOIN loans l ON l.patron_id = r.patron_id
		WHERE r.kind = 'opened' AND l.id = ?::bigint`, loan))
}
