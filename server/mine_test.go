package server_test

import (
	"html"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/mail"
	"net/netip"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/mine"
	"nevrin/app/people"
	"nevrin/server"
	"nevrin/standin"
	"nevrin/testkit"
)

// phone is a browser without scripts in somebody's hand.
type phone struct {
	t    *testing.T
	base string
	http *http.Client
}

func newPhone(t *testing.T, base string) *phone {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &phone{t, base, &http.Client{Jar: jar}}
}

func (p *phone) read(r *http.Response, err error) (int, string) {
	p.t.Helper()
	require.NoError(p.t, err)
	defer func() { _ = r.Body.Close() }()
	data, err := io.ReadAll(r.Body)
	require.NoError(p.t, err)
	return r.StatusCode, string(data)
}

func (p *phone) get(path string) (int, string) {
	p.t.Helper()
	return p.read(p.http.Get(p.base + path))
}

func (p *phone) post(path string, fields ...string) (int, string) {
	p.t.Helper()
	form := url.Values{}
	for k := 0; k < len(fields); k += 2 {
		form.Set(fields[k], fields[k+1])
	}
	return p.read(p.http.PostForm(p.base+path, form))
}

var keys = regexp.MustCompile(`name="key" value="([^"]+)"`)

// Somebody signs in with card and PIN, renews, waits, pauses and picks up elsewhere, and chooses; somebody else's loans and holds do
// not answer to them, a doubled form counts once, and who has signed out sees nothing.
func TestPatronsLookAfterThemselves(t *testing.T) {
	h, base := serve(t)
	jory := testkit.Somebody(t, h, "jory")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	// Who has a loan that can be renewed, and somebody else with a hold.
	loan := text(`SELECT l.id::text FROM loans l JOIN patrons p ON p.id = l.patron_id JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL
		AND l.lost_at IS NULL AND l.renewals = 0 AND l.due_date >= '2026-10-07' AND p.standing = 'active' AND p.balance = 0 AND i.material = 'book' AND i.own_terms IS NULL
		AND p.card_until > '2027-01-01' AND NOT EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'waiting')
		AND NOT EXISTS (SELECT 1 FROM loans o WHERE o.patron_id = p.id AND o.returned_at IS NULL AND o.due_date < '2026-10-07') ORDER BY l.id LIMIT 1`)
	patron := text("SELECT patron_id::text FROM loans WHERE id = ?", loan)
	card := text("SELECT card FROM patrons WHERE id = ?", patron)
	other := text("SELECT id::text FROM loans WHERE returned_at IS NULL AND patron_id <> ? ORDER BY id LIMIT 1", patron)
	id := idOf(t, patron)
	testkit.Do(t, h, jory, func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, id, "4711") })
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET language = '' WHERE id = ?", patron).Error)

	p := newPhone(t, base)
	status, page := p.get("/mine")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "Card number")
	status, page = p.post("/mine/sign-in", "card", card, "pin", "4712")
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, page, "Card number and PIN do not match. Check both. If you have no PIN or have forgotten it, ask at any branch.")
	assert.Contains(t, page, `value="`+card+`"`)
	status, page = p.post("/mine/sign-in", "card", card[:4]+" "+card[4:], "pin", "4711")
	require.Equal(t, http.StatusOK, status, page)
	assert.Contains(t, page, "On loan")
	key := keys.FindStringSubmatch(page)[1]

	due := func() string { return text("SELECT due_date || ' ' || renewals FROM loans WHERE id = ?", loan) }
	was := due()
	_, page = p.post("/mine/renew", "key", key, "loan", loan)
	assert.Contains(t, page, "Renewed, due")
	is := due()
	assert.NotEqual(t, was, is)
	_, page = p.post("/mine/renew", "key", key, "loan", loan)
	assert.Contains(t, page, "Renewed, due")
	assert.Equal(t, is, due(), "the same form twice is once")
	_, page = p.post("/mine/renew", "key", "", "loan", other)
	assert.Contains(t, page, "There is no such loan")
	_, page = p.get("/mine")
	assert.NotContains(t, page, "There is no such loan", "it is said once")
	assert.Equal(t, "1", text("SELECT count(*)::text FROM events WHERE loan_id = ? AND kind = 'renewed' AND staff_id IS NULL", loan))

	// A term says that patrons do not renew by themselves.
	testkit.InForce(t, h, map[string][]string{}, "patron_renewals", false)
	_, page = p.post("/mine/renew", "key", "", "loan", loan)
	assert.Regexp(t, `can be renewed only by staff\. Ask at your branch\. The rule for it: .+\.`, page)

	// A title of which all copies are out is waited for.
	title := text(`SELECT t.id::text FROM titles t WHERE NOT EXISTS (SELECT 1 FROM holds w WHERE w.title_id = t.id AND w.closed_at IS NULL)
		AND EXISTS (SELECT 1 FROM items i JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL AND l.lost_at IS NULL WHERE i.title_id = t.id AND i.material = 'book' AND i.standing = 'in_use')
		AND NOT EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND (i.material <> 'book' OR NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)))
		ORDER BY t.id LIMIT 1`)
	_, page = p.post("/mine/hold", "key", "", "title", title, "branch", "SLM")
	assert.Contains(t, page, "Waiting for a copy, pickup at Saltmere")
	assert.Contains(t, page, "you are 1st")
	hold := text("SELECT id::text FROM holds WHERE patron_id = ? AND title_id = ? AND closed_at IS NULL", patron, title)
	_, page = p.post("/mine/hold", "key", "", "title", title, "branch", "SLM")
	assert.Contains(t, page, "has a hold on this title already")
	_, page = p.post("/mine/pause", "key", "", "hold", hold, "until", "2026-09-01")
	assert.Contains(t, page, "Choose a day after today")
	_, page = p.post("/mine/pause", "key", "", "hold", hold, "until", "2026-11-20")
	assert.Contains(t, page, "Paused until Fri 20 Nov")
	_, page = p.post("/mine/pickup", "key", "", "hold", hold, "branch", "THB")
	assert.Contains(t, page, "It will be held at Thistle Bay")
	_, page = p.post("/mine/pickup", "key", "", "hold", hold, "branch", "XXX")
	assert.Contains(t, page, `role="alert"`)

	theirs := text("SELECT id::text FROM holds WHERE patron_id <> ? AND state = 'waiting' ORDER BY id LIMIT 1", patron)
	for _, path := range []string{"cancel", "pause", "pickup"} {
		_, page = p.post("/mine/"+path, "key", "", "hold", theirs, "branch", "HVH")
		assert.Contains(t, page, "There is no such hold", path)
	}
	assert.Equal(t, "waiting", text("SELECT state FROM holds WHERE id = ?", theirs))
	_, page = p.post("/mine/cancel", "key", "", "hold", hold)
	assert.Contains(t, page, "The hold is cancelled.")

	_, page = p.post("/mine/history", "key", "", "months", "0")
	assert.Contains(t, page, "Your choice is saved. Older records are deleted tonight.")
	_, page = p.post("/mine/ways", "key", "", "hold_ready", "none", "overdue", "")
	assert.Contains(t, page, "Saved")
	status, data := p.get("/mine/everything.json")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, data, card)

	// Another PIN ends every other session of theirs.
	second := newPhone(t, base)
	_, page = second.post("/mine/sign-in", "card", card, "pin", "4711")
	assert.Contains(t, page, "On loan")
	_, page = p.post("/mine/pin", "was", "4712", "is", "815815", "again", "815815")
	assert.Contains(t, page, "This is not your current PIN. Nothing was changed.")
	_, page = p.post("/mine/pin", "was", "4711", "is", "815815", "again", "815816")
	assert.Contains(t, page, "The two PINs do not match. Nothing was changed.")
	_, page = p.post("/mine/pin", "was", "4711", "is", "815815", "again", "815815")
	assert.Contains(t, page, "Your PIN has been changed")
	_, page = second.get("/mine")
	assert.Contains(t, page, "You were signed out because you were inactive. Sign in again.")
	_, page = second.post("/mine/renew", "loan", loan)
	assert.Contains(t, page, "Card number")

	_, page = p.post("/mine/sign-out")
	assert.Contains(t, page, "Card number")
	_, page = p.get("/mine/everything.json")
	assert.NotContains(t, page, card)
	assert.Equal(t, "0", text("SELECT count(*)::text FROM readings WHERE patron_id = ? AND staff_id IS NULL", patron))
}

// A PIN tried a hundred times is not found, and who has the card is told kindly when they may try again; from elsewhere nothing else
// is held up, and other sites' forms do not get in.
func TestPINsAreNotGuessed(t *testing.T) {
	h, base := serve(t)
	card := testkit.Text(t, h, "SELECT card FROM patrons WHERE standing = 'active' ORDER BY id LIMIT 1")
	id := idOf(t, testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card))
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, id, "0815") })
	p := newPhone(t, base)
	refused, page := 0, ""
	for n := range 100 {
		var status int
		status, page = p.post("/mine/sign-in", "card", card, "pin", strings.Repeat(string(rune('0'+n%10)), 4))
		if status == http.StatusTooManyRequests {
			refused++
		}
	}
	assert.Greater(t, refused, 90)
	assert.Regexp(t, `Too many failed attempts\. Try again in .+, or ask at any branch for a new PIN`, page)
	status, _ := p.post("/mine/sign-in", "card", card, "pin", "0815")
	assert.Equal(t, http.StatusTooManyRequests, status, "the right one too has to wait")

	// A new PIN from the desk lets them in at once, from where they have not tried so often.
	require.NoError(t, testkit.SQL(h).Exec("DELETE FROM wrong_tries WHERE of = 'address'").Error)
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, id, "2468") })
	status, _ = p.post("/mine/sign-in", "card", card, "pin", "2468")
	assert.Equal(t, http.StatusOK, status)

	r, err := http.NewRequest(http.MethodPost, base+"/mine/sign-in", strings.NewReader("card=1&pin=2"))
	require.NoError(t, err)
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	status, _ = p.read(p.http.Do(r))
	assert.Equal(t, http.StatusForbidden, status)
}

// Somebody elsewhere who tries wrong PINs on a card shuts nobody out of the browser in which they have signed in before, nor of its
// neighbourhood; the browser that is known gets no more tries for itself.
func TestNobodyShutsAPatronOut(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{Demo: true, Plain: true, Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}})
	card := testkit.Text(t, h, "SELECT card FROM patrons WHERE standing = 'active' ORDER BY id LIMIT 1")
	id := idOf(t, testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card))
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, id, "0815") })
	enter := func(p *phone, from, pin string) int {
		r, err := http.NewRequest(http.MethodPost, base+"/mine/sign-in", strings.NewReader(url.Values{"card": {card}, "pin": {pin}}.Encode()))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("X-Forwarded-For", from)
		status, _ := p.read(p.http.Do(r))
		return status
	}
	theirs, thief := newPhone(t, base), newPhone(t, base)
	require.Equal(t, http.StatusOK, enter(theirs, "192.0.2.10", "0815"))
	for n := range 60 { // from many lines, and from the very line of its person
		enter(thief, "203.0.113."+strconv.Itoa(n), "9999")
		enter(thief, "192.0.2.10", "9999")
	}
	require.Equal(t, http.StatusTooManyRequests, enter(thief, "203.0.113.200", "0815"), "elsewhere the card waits")
	assert.Equal(t, http.StatusOK, enter(theirs, "192.0.2.10", "0815"), "not in the browser that is known")
	assert.Equal(t, http.StatusOK, enter(theirs, "198.51.100.7", "0815"), "wherever it is")
	assert.Equal(t, http.StatusOK, enter(newPhone(t, base), "192.0.2.99", "0815"), "nor near where they were")

	// Somebody else of the family signs in with the same browser: it is known for both.
	sister := testkit.Text(t, h, "SELECT card FROM patrons WHERE standing = 'active' AND id <> ? ORDER BY id LIMIT 1", id)
	sisters := idOf(t, testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", sister))
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, sisters, "0816") })
	status, _ := theirs.post("/mine/sign-in", "card", sister, "pin", "0816")
	require.Equal(t, http.StatusOK, status)
	for n := range 30 {
		enter(thief, "203.0.113."+strconv.Itoa(n), "9999")
	}
	assert.Equal(t, http.StatusOK, enter(theirs, "198.51.100.8", "0815"))

	refused := 0
	for range 20 {
		if enter(theirs, "192.0.2.10", "9999") == http.StatusTooManyRequests {
			refused++
		}
	}
	assert.Greater(t, refused, 12, "the known browser may not guess either")

	// A lost card's sessions end, and no browser is known any more.
	require.NoError(t, testkit.SQL(h).Exec("DELETE FROM wrong_tries").Error)
	require.Equal(t, http.StatusOK, enter(theirs, "192.0.2.10", "0815"))
	_, page := theirs.get("/mine")
	require.Contains(t, page, "Sign out")
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.Card, error) {
		return people.Replace(a, id, people.Replacing{Why: "lost"})
	})
	_, page = theirs.get("/mine")
	assert.NotContains(t, page, "Sign out")
}

// Cards that cannot be read count each by itself: those of one library's misprinted slips shut nobody else out.
func TestUnreadableCardsCountApart(t *testing.T) {
	h := testkit.House(t)
	enter := func(from, card string) error {
		_, err := mine.SignIn(t.Context(), h, mine.Entering{Address: from, Card: card, PIN: "0815"})
		return err
	}
	for n := range 30 {
		_ = enter("203.0.113."+strconv.Itoa(n), "2184600")
	}
	assert.ErrorContains(t, enter("203.0.113.200", "2184600"), "Too many failed attempts. Try again in")
	assert.ErrorContains(t, enter("203.0.113.201", "2184699"), "Card number and PIN do not match. Check both. If you have no PIN or have forgotten it, ask at any branch.")
}

// The public finds what it may see, with where it is; misspelt words lead to better ones, and what is for staff alone stays hidden.
func TestThePublicFinds(t *testing.T) {
	h, base := serve(t)
	p := newPhone(t, base)
	_, page := p.get("/find")
	assert.NotContains(t, page, "Results")
	name := testkit.Text(t, h, `SELECT t.name FROM titles t JOIN items i ON i.title_id = t.id WHERE i.material = 'book' AND i.standing = 'in_use'
		AND t.name ~ '^[A-Za-z ]+$' ORDER BY t.id LIMIT 1`)
	_, page = p.get("/find?words=" + url.QueryEscape(name))
	assert.Contains(t, page, ">"+name+"<")
	assert.Contains(t, page, "to place holds")
	_, page = p.get("/find?words=" + url.QueryEscape("zzqqxxy"))
	assert.Contains(t, page, "Nothing has these words")
	_, page = p.get("/find?words=" + url.QueryEscape(`<script>alert(1)</script>`))
	assert.NotContains(t, page, "<script>alert")
	// It says what it is, at which branch and under which number it stands; its page tells of each copy.
	row := strings.Split(testkit.Text(t, h, `SELECT t.id || '|' || b.name || '|' || i.call_number || '|' || k.name FROM titles t JOIN items i ON i.title_id = t.id JOIN branches b ON b.code = i.at_branch
		JOIN classes k ON k.kind = 'material' AND k.code = i.material WHERE t.name = ? AND i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) LIMIT 1`, name), "|")
	_, page = p.get("/find?words=" + url.QueryEscape(name))
	assert.Contains(t, page, `href="/find/`+row[0]+`"`)
	assert.Contains(t, page, html.EscapeString(row[1]+", "+row[2]))
	assert.Contains(t, page, "("+row[3]+")")
	status, page := p.get("/find/" + row[0])
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, html.EscapeString(row[1]+", "+row[2]))
	assert.Contains(t, page, "on the shelf")
	lent := strings.Split(testkit.Text(t, h, `SELECT i.title_id || '|' || to_char(l.due_date, 'FMDD Mon') FROM items i JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL AND l.lost_at IS NULL
		WHERE i.material = 'book' AND i.standing = 'in_use' AND l.due_date > '2026-10-06' ORDER BY i.id LIMIT 1`), "|")
	_, page = p.get("/find/" + lent[0])
	assert.Regexp(t, "out, due back \\w{3} "+lent[1], page)
	for _, none := range []string{"999999999", "x", "-1"} {
		status, page = p.get("/find/" + none)
		assert.Equal(t, http.StatusNotFound, status)
		assert.Contains(t, page, "There is no such title")
	}
	require.NoError(t, testkit.SQL(h).Exec("UPDATE classes SET staff_only = true WHERE kind = 'collection' AND code IN (SELECT i.collection FROM items i JOIN titles t ON t.id = i.title_id WHERE t.name = ?)", name).Error)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE network SET version = version + 1").Error)
	_, page = p.get("/find?words=" + url.QueryEscape(name))
	assert.NotContains(t, page, ">"+name+"<")
	status, _ = p.get("/find/" + row[0])
	assert.Equal(t, http.StatusNotFound, status, "nor by its address")
	status, page = p.get("/find?words=a&after=zzz")
	assert.Equal(t, http.StatusUnprocessableEntity, status, page)
}

// Who answers for a child sees what it has on their own page, and renews it, if the network has settled so; nobody else's child, and
// nobody who is grown up.
func TestGuardiansSeeTheirChildren(t *testing.T) {
	h, base := serve(t)
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	loan := text(`SELECT l.id::text FROM loans l JOIN patrons p ON p.id = l.patron_id JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL
		AND l.lost_at IS NULL AND l.renewals = 0 AND l.due_date >= '2026-10-07' AND p.standing = 'active' AND p.balance = 0 AND i.material = 'book' AND i.own_terms IS NULL
		AND p.class = 'child' AND p.card_until > '2027-01-01' AND NOT EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'waiting')
		AND NOT EXISTS (SELECT 1 FROM loans o WHERE o.patron_id = p.id AND o.returned_at IS NULL AND o.due_date < '2026-10-07') ORDER BY l.id LIMIT 1`)
	child := text("SELECT patron_id::text FROM loans WHERE id = ?", loan)
	adult := text("SELECT id::text FROM patrons WHERE class = 'adult' AND standing = 'active' AND balance = 0 AND card_until > '2027-01-01' ORDER BY id DESC LIMIT 1")
	set := func(query string, args ...any) { require.NoError(t, testkit.SQL(h).Exec(query, args...).Error) }
	set("UPDATE patrons SET guardian_id = ?, guardian_name = '' WHERE id = ?", adult, child)
	other := text("SELECT l.id::text FROM loans l JOIN patrons p ON p.id = l.patron_id WHERE l.returned_at IS NULL AND p.class = 'child' AND p.id <> ? AND p.guardian_id IS DISTINCT FROM ? ORDER BY l.id LIMIT 1", child, adult)
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, idOf(t, adult), "4711") })
	title := html.EscapeString(text("SELECT t.name FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id WHERE l.id = ?", loan))
	p := newPhone(t, base)
	_, page := p.post("/mine/sign-in", "card", text("SELECT card FROM patrons WHERE id = ?", adult), "pin", "4711")
	renew := func(loan, of string) string {
		_, page := p.post("/mine/renew-for", "key", "", "loan", loan, "child", of)
		return page
	}
	assert.NotContains(t, page, "in your care", "as it is settled")
	assert.Contains(t, renew(loan, child), "There is no such loan")
	set(`UPDATE network SET settings = settings || '{"guardians": true}', version = version + 1`)
	_, page = p.get("/mine")
	assert.Contains(t, page, "in your care")
	assert.Contains(t, page, title)
	assert.Contains(t, renew(other, child), "There is no such loan", "of somebody else's child")
	assert.Contains(t, renew(other, text("SELECT patron_id::text FROM loans WHERE id = ?", other)), "There is no such loan")
	assert.Contains(t, renew(loan, child), "Renewed, due")
	assert.Equal(t, "1", text("SELECT renewals::text FROM loans WHERE id = ?", loan))
	set("UPDATE patrons SET born = '2008-10-06' WHERE id = ?", child) // eighteen today
	_, page = p.get("/mine")
	assert.NotContains(t, page, "in your care")
}

func idOf(t *testing.T, text string) int64 {
	t.Helper()
	n, err := strconv.ParseInt(text, 10, 64)
	require.NoError(t, err)
	return n
}

// The language of a page is the one just chosen, then what the browser chose before, then what it asks for, if the network has it; and, signed in,
// the patron's own.
func TestLanguageOfPatronsPages(t *testing.T) {
	h, base := serve(t)
	spoken := func(p *phone, path, accepts string) string {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, base+path, nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Language", accepts)
		_, page := p.read(p.http.Do(r))
		return regexp.MustCompile(`<html lang="(..)">`).FindStringSubmatch(page)[1]
	}
	p := newPhone(t, base)
	for _, path := range []string{"/mine", "/find", "/find?words=tide", "/sign-up", "/mine/stop/x"} {
		assert.Equal(t, "en", spoken(p, path, ""), path)
		assert.Equal(t, "fr", spoken(p, path, "de, fr-CA;q=0.8, en;q=0.5"), path)
	}
	assert.Equal(t, "fr", spoken(p, "/mine?language=fr", "en"))
	assert.Equal(t, "fr", spoken(p, "/find", "en"), "it is kept")
	assert.Equal(t, "fr", spoken(p, "/mine?language=xx", "en"))

	id := testkit.Text(t, h, "SELECT min(id)::text FROM patrons WHERE class = 'adult' AND standing = 'active' AND language = '' AND balance > 0")
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, idOf(t, id), "4711") })
	p = newPhone(t, base)
	_, page := p.post("/mine/sign-in", "card", testkit.Text(t, h, "SELECT card FROM patrons WHERE id = ?", id), "pin", "4711")
	assert.Contains(t, page, "Charges")
	_, page = p.post("/mine/ways", "key", keys.FindStringSubmatch(page)[1], "hold_ready", "", "overdue", "", "language", "fr")
	assert.Contains(t, page, "Enregistré.")
	assert.Contains(t, page, "Frais")
	assert.Regexp(t, `\d,\d\d\x{00a0}\$`, page, "sums in its manner")
	assert.Equal(t, "fr", testkit.Text(t, h, "SELECT language FROM patrons WHERE id = ?", id))
	_, page = p.post("/mine/ways", "key", "", "hold_ready", "", "overdue", "", "language", "de")
	assert.NotContains(t, page, "Enregistré")
}

// The link in an email opts out with one click of a mail program, without a sign-in; looking at the page changes nothing.
func TestOptOut(t *testing.T) {
	h, base := serve(t)
	id := testkit.Text(t, h, "SELECT min(id)::text FROM patrons WHERE email <> '' AND notices = '{}'")
	require.NoError(t, testkit.SQL(h).Exec(`INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, channel, stop)
		VALUES ('hold_ready', ?, 'a@post.invalid', 'x', 'y', 1, 'sent', now(), 'mail', 'THELINK')`, id).Error)
	ways := func() string { return testkit.Text(t, h, "SELECT notices::text FROM patrons WHERE id = ?", id) }
	p := newPhone(t, base)
	status, page := p.get("/mine/stop/THELINK")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "Stop these notices")
	assert.Equal(t, "{}", ways())
	status, page = p.post("/mine/stop/THELINK", "List-Unsubscribe", "One-Click")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "You get no more notices about holds")
	assert.JSONEq(t, `{"hold_ready": "none"}`, ways())
	status, page = p.post("/mine/stop/ANOTHER")
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, page, "This link is not valid any more")
}

// Mail servers report with the secret of the program alone, and are told what was wrong with a report.
func TestMailReports(t *testing.T) {
	h := testkit.House(t)
	for name, c := range map[string]struct {
		secret, sent, body string
		status             int
	}{
		"no secret was set":  {"", "", "x", http.StatusForbidden},
		"an empty one":       {"", "Bearer ", "x", http.StatusForbidden},
		"another secret":     {"long", "Bearer short", "x", http.StatusForbidden},
		"no report":          {"long", "Bearer long", "Subject: Away\r\n\r\nUntil Monday.\r\n", http.StatusUnprocessableEntity},
		"about nothing here": {"long", "Bearer long", standin.Returned(mail.Header{"To": {"<nobody@post.invalid>"}}), http.StatusOK},
	} {
		t.Run(name, func(t *testing.T) {
			base := listen(t, h, server.Options{Reports: c.secret, Plain: true})
			r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, base+"/mail-reports", strings.NewReader(c.body))
			require.NoError(t, err)
			r.Header.Set("Authorization", c.sent)
			answer, err := http.DefaultClient.Do(r)
			require.NoError(t, err)
			defer func() { _ = answer.Body.Close() }()
			assert.Equal(t, c.status, answer.StatusCode)
		})
	}
}
