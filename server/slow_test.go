package server_test

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// A statement that the database stops for taking too long has an answer of its own, which is final: it read as "the database cannot
// be reached", and was sent again for ever.
func TestWhatTakesTooLong(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, &strings.Builder{}, server.Options{Demo: true, Plain: true})
	jory := at(t, base, "jory")
	require.NoError(t, testkit.SQL(h).Exec(`CREATE FUNCTION slow() RETURNS trigger LANGUAGE plpgsql AS $$
		BEGIN PERFORM set_config('statement_timeout', '50', true); PERFORM pg_sleep(1); RETURN NEW; END $$;
		CREATE TRIGGER slow BEFORE UPDATE ON patrons FOR EACH ROW EXECUTE FUNCTION slow();`).Error)
	require.NoError(t, testkit.SQL(h).Exec(`CREATE OR REPLACE FUNCTION slow() RETURNS trigger LANGUAGE plpgsql AS $$
		BEGIN RAISE EXCEPTION 'canceling statement due to statement timeout' USING ERRCODE = '57014'; END $$`).Error)
	patron := testkit.Text(t, h, "SELECT id::text FROM patrons WHERE standing = 'active' AND class <> 'senior' LIMIT 1")
	status, says := jory.send(http.MethodPut, "/api/patrons/"+patron+"/class", "too-long-1", map[string]string{"class": "senior"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	var problem struct{ Type, Detail string }
	require.NoError(t, json.Unmarshal([]byte(says), &problem))
	assert.Equal(t, "urn:nevrin:too-long", problem.Type)
	assert.Contains(t, problem.Detail, "This took too long and was stopped. Nothing was changed. Narrow it down, or do it in parts.")
}

// A volunteer scans the cards of those who stand there, and not all cards one after another.
func TestAVolunteerDoesNotTryAllCards(t *testing.T) {
	h, base := serve(t)
	var cards []string
	require.NoError(t, testkit.SQL(h).Raw("SELECT card FROM patrons WHERE standing = 'active' ORDER BY card LIMIT 400").Scan(&cards).Error)
	scan := func(s *station, k int, card string) string {
		_, body := s.send(http.MethodPost, "/api/desk/scan", "guess-"+strconv.Itoa(k), map[string]string{"text": card})
		return body
	}
	wil, jory := at(t, base, "wil"), at(t, base, "jory")
	opened := 0
	for k, card := range cards {
		if strings.Contains(scan(wil, k, card), `"kind":"card"`) {
			opened++
		}
	}
	assert.Positive(t, opened)
	assert.LessOrEqual(t, opened, 60, "of 400 within seconds, which may fall into two minutes")
	assert.Contains(t, scan(wil, 1000, cards[0]), "many cards in a short time")
	_, body := wil.send(http.MethodGet, "/api/scanned?text="+cards[7], "", nil)
	assert.NotContains(t, body, `"patron"`, "nor are they told elsewhere whether a card is one")
	for k, card := range cards[:50] {
		require.Contains(t, scan(jory, 2000+k, card), `"kind":"card"`, "whose role opens records by search is not slowed down")
	}
}

// Whoever has sent too many forms is refused before what they send is read, and the empty form is not given without end.
func TestSignUpsAreBounded(t *testing.T) {
	_, base := serve(t)
	p := &passerBy{t, http.Client{}, base}
	for range 31 {
		p.ask(http.MethodPost, url.Values{"legal_name": {"x"}}, "same-origin")
	}
	status, page := p.ask(http.MethodPost, url.Values{"legal_name": {strings.Repeat("x", 2<<20)}}, "same-origin")
	assert.Equal(t, http.StatusTooManyRequests, status)
	assert.Contains(t, page, "Try again in an hour")
	refused := 0
	for range 300 {
		if status, _ := p.ask(http.MethodGet, nil, ""); status == http.StatusTooManyRequests {
			refused++
		}
	}
	assert.Positive(t, refused)
}
