package server_test

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// passerBy is a browser of somebody whom nobody knows.
type passerBy struct {
	t      *testing.T
	client http.Client
	base   string
}

func (p *passerBy) ask(method string, form url.Values, site string) (int, string) {
	p.t.Helper()
	r, err := http.NewRequest(method, p.base+"/sign-up", strings.NewReader(form.Encode()))
	require.NoError(p.t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if site != "" {
		r.Header.Set("Sec-Fetch-Site", site)
	}
	answer, err := p.client.Do(r)
	require.NoError(p.t, err)
	data, err := io.ReadAll(answer.Body)
	require.NoError(p.t, err)
	require.NoError(p.t, answer.Body.Close())
	return answer.StatusCode, string(data)
}

var keyOf = regexp.MustCompile(`name="key" value="([^"]+)"`)

func TestThePageOnWhichPeopleSignUp(t *testing.T) {
	h, base := serve(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	p := &passerBy{t, http.Client{Jar: jar}, base}
	count := func() string {
		return testkit.Text(t, h, "SELECT count(*)::text FROM sign_ups WHERE record->>'town' = 'Testwick'")
	}
	status, page := p.ask(http.MethodGet, nil, "")
	require.Equal(t, http.StatusOK, status)
	assert.NotContains(t, page, "<script")
	form := url.Values{
		"key": {keyOf.FindStringSubmatch(page)[1]}, "legal_name": {`"><script>alert(1)</script>`}, "town": {"Testwick"},
		"born": {"the 5th"}, "class": {"staff"},
	}
	status, page = p.ask(http.MethodPost, form, "same-origin")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.NotContains(t, page, "<script")
	assert.Contains(t, page, "Enter the date as year-month-day, such as 1984-03-09.")
	assert.Contains(t, page, "Testwick", "what was written is there still")

	form.Set("legal_name", "Perrin Vale")
	form.Set("born", "1991-04-05")
	form.Set("phone", "")
	form.Set("address", "5 Rope Walk")
	form.Set("branch", "HVH")
	status, _ = p.ask(http.MethodPost, form, "cross-site")
	assert.Equal(t, http.StatusForbidden, status, "no other page signs people up")
	// A network may want to reach who signs up; and a PIN is written twice, and is no birth year.
	settle := func(sets string) {
		require.NoError(t, testkit.SQL(h).Exec("UPDATE network SET settings = settings || ?, version = version + 1", sets).Error)
	}
	settle(`{"sign_ups": {"open": true, "card_days": 14, "contact": true}}`)
	status, page = p.ask(http.MethodPost, form, "same-origin")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, "Enter an email address or a phone number so that we can reach you.")
	form.Set("phone", "902 555 0131")
	form.Set("pin", "4711")
	form.Set("pin_again", "4712")
	status, page = p.ask(http.MethodPost, form, "same-origin")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, "The two entries do not match. Enter the same twice.")
	assert.NotContains(t, page, "4711", "a PIN is never shown again")
	form.Set("pin", "1991")
	form.Set("pin_again", "1991")
	status, page = p.ask(http.MethodPost, form, "same-origin")
	assert.Equal(t, http.StatusUnprocessableEntity, status, page)
	assert.Contains(t, page, `id="pin-wrong"`)
	form.Set("pin", "4711")
	form.Set("pin_again", "4711")
	assert.Equal(t, "0", count())
	for range 2 { // a double click
		status, page = p.ask(http.MethodPost, form, "same-origin")
		assert.Equal(t, http.StatusOK, status)
		assert.Contains(t, page, "Thank you")
	}
	assert.Equal(t, "1", count())
	// The page promises that the temporary card places holds: it does, with that PIN.
	assert.Contains(t, page, "the PIN that you chose")
	phone := newPhone(t, base)
	status, page = phone.post("/mine/sign-in", "card", testkit.Text(t, h, "SELECT card FROM patrons WHERE legal_name = 'Perrin Vale'"), "pin", "4711")
	require.Equal(t, http.StatusOK, status, page)
	title := testkit.Text(t, h, `SELECT i.title_id::text FROM items i JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL WHERE i.material = 'book' AND i.standing = 'in_use'
		AND NOT EXISTS (SELECT 1 FROM items o WHERE o.title_id = i.title_id AND o.id <> i.id) ORDER BY i.id LIMIT 1`)
	_, page = phone.post("/mine/hold", "key", "", "title", title, "branch", "HVH")
	assert.Contains(t, page, "Waiting for a copy, pickup at Havenhead")

	// The same form with other words is not taken under the same key; a new one is.
	form.Set("legal_name", "Perrin Vail")
	status, page = p.ask(http.MethodPost, form, "same-origin")
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, page, "This form was already sent with other details. The first version was saved. Tell the branch about changes, or reload the page for another person.")
	assert.Contains(t, page, "Perrin Vail", "what was written is there still")
	// Who sends form after form is asked to wait.
	refused := false
	for range 40 {
		status, page = p.ask(http.MethodPost, form, "same-origin")
		refused = refused || status == http.StatusTooManyRequests
	}
	assert.True(t, refused)
	assert.Contains(t, page, "Try again in an hour")
	assert.Contains(t, page, "Perrin Vail", "and there too")
	assert.Equal(t, "1", count())

	require.NoError(t, testkit.SQL(h).Exec(`UPDATE network SET settings = settings || '{"sign_ups": {"open": false}}', version = version + 1`).Error)
	_, page = p.ask(http.MethodGet, nil, "")
	assert.Contains(t, page, "Online sign-up is closed")
	assert.NotContains(t, page, "<form")
}
