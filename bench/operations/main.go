// Command operations times every question that a screen asks, over HTTP on the large world: median, 95th, bytes of the
// answer, and rows that PostgreSQL read for it. First it waits for the night that the start set to work, and says how
// long that took. It is started by scripts/large.sh with the server's address.
package main

import (
	"bytes"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver under database/sql
)

// times is how often each question is asked.
const times = 60

// question is asked by a path; where a body stands after it, apart by a space, that is sent.
type question struct {
	name string
	path func(r *rand.Rand) string
}

func questions(db *sql.DB) []question {
	// How a patron is called, as far as it is typed: all of it, its beginning, or with a letter wrong.
	named := func(format string, part func(string) string) func(*rand.Rand) string {
		return func(r *rand.Rand) string {
			var name string
			check(db.QueryRow("SELECT legal_name FROM patrons WHERE id = $1", 1+r.IntN(3000)).Scan(&name))
			return fmt.Sprintf(format, url.QueryEscape(part(name)))
		}
	}
	whole := func(name string) string { return name }
	begun := func(name string) string { return name[:len(name)-3] }
	wrong := func(name string) string { return name[:len(name)-4] + "x" + name[len(name)-3:] }
	fixed := func(path string) func(*rand.Rand) string { return func(*rand.Rand) string { return path } }
	id := func(format string, from, many int) func(*rand.Rand) string {
		return func(r *rand.Rand) string { return fmt.Sprintf(format, from+r.IntN(many)) }
	}
	return []question{
		{"who and where (me)", fixed("/api/me")},
		{"numbers of Today", fixed("/api/today")},
		{"a card", id("/api/patrons/%d", 1, 300_000)},
		{"patrons by name", named("/api/patrons?words=%s", whole)},
		{"patrons by card number", id("/api/patrons?words=21846%08d", 1, 300_000)},
		{"patrons by mail address", id("/api/patrons?words=p%d@post", 1, 300_000)},
		{"patrons by phone", id("/api/patrons?words=902001%04d", 0, 10_000)},
		{"who is alike: a name, while typing", named("/api/patrons-alike?name=%s", begun)},
		{"who is alike: name and birth date", named("/api/patrons-alike?name=%s&born=1984-03-09", wrong)},
		{"who is alike: phone and mail", id("/api/patrons-alike?phone=902+001+1234&email=p%d@post.invalid", 1, 300_000)},
		{"a record, with its household", id("/api/patrons/%d/record", 1, 300_000)},
		{"patrons by a school's number", id("/api/patrons?words=p%d5", 1000, 20_000)},
		{"rosters of all branches", fixed("/api/rosters")},
		{"who signed up and waits", fixed("/api/sign-ups")},
		{"the town of a postal code", id("/api/towns?code=B%dJ+2E1", 0, 10)},
		{"all that the network is made of", fixed("/api/network")},
		{"titles by two words", id("/api/titles?words=word%d+author7", 0, 1999)},
		{"titles by ISBN", id("/api/titles?words=97999%08d", 1, 400_000)},
		{"titles by a common word", fixed("/api/titles?words=word")},
		{"copies of a title", id("/api/items?title=%d", 1, 400_000)},
		{"one item", id("/api/items?item=%d", 1, 1_000_000)},
		{"history of a patron", id("/api/history?patron=%d", 1, 300_000)},
		{"history of an item", id("/api/history?item=%d", 1, 1_000_000)},
		{"holds at a branch", fixed("/api/holds")},
		{"queue of a title", id("/api/holds?title=%d", 1, 400_000)},
		{"queue of a title over time", id("/api/titles/%d/queue", 1, 400_000)},
		{"titles with too many waiting", fixed("/api/demand")},
		{"hold shelf", fixed("/api/hold-shelf")},
		{"what is to be cleared from it", fixed("/api/hold-shelf/to-clear")},
		{"fetch list", fixed("/api/fetch")},
		{"full fetch lists", fixed("/api/fetch/full")},
		{"a day of the courier", fixed("/api/courier/day")},
		{"a day of the courier that is over", id("/api/courier/day?date=2026-09-%02d", 10, 20)},
		{"flows of half a year", fixed("/api/courier/flows")},
		{"what has not come", fixed("/api/strays")},
		{"totes", fixed("/api/totes")},
		{"what if: a branch closed for a week", fixed(
			`/api/courier/shut/tried {"branch": "AAX", "from": "2026-09-14", "until": "2026-09-20"}`)},
		{"under way", fixed("/api/transits")},
		{"mailings", fixed("/api/mailings")},
		{"messages of a mailing", fixed("/api/mailings/MAILING/messages?most=1000")},
		{"interlibrary requests", fixed("/api/interlibrary")},
		{"rulebook", fixed("/api/rulebook")},
		{"grid", fixed("/api/rulebook/grid?edition=EDITION&term=loan_period")},
		{"rules of an edition, with last year's use", fixed("/api/rulebook/editions/EDITION/rules")},
		{"terms of a loan", id("/api/loans/%d/terms", 20_000_001, 400_000)},
		{"calendar", fixed("/api/calendars/AAX")},
		{"calendarChanges", fixed("/api/calendar-changes")},
		{"reports", fixed("/api/reports")},
	}
}

func ask(client *http.Client, asked string) (*http.Response, error) {
	path, body, sends := strings.Cut(asked, " ")
	if !sends {
		return client.Get(path)
	}
	return client.Post(path, "application/json", strings.NewReader(body))
}

func main() {
	base := strings.TrimSuffix(os.Args[1], "/")
	db, err := sql.Open("pgx", os.Getenv("DATABASE_URL"))
	check(err)
	night(db)
	jar, err := cookiejar.New(nil)
	check(err)
	client := &http.Client{Jar: jar, Timeout: 60 * time.Second}
	signed, err := client.Post(base+"/api/sign-in/demo", "application/json", bytes.NewBufferString(`{"Login":"super"}`))
	check(err)
	check(signed.Body.Close())
	var edition, mailing string
	check(db.QueryRow("SELECT min(id)::text FROM editions").Scan(&edition))
	check(db.QueryRow("SELECT coalesce(max(id), 0)::text FROM mailings").Scan(&mailing))
	r := rand.New(rand.NewPCG(1, 2))
	fmt.Printf("%-44s %9s %9s %9s %9s\n", "question", "median ms", "95th ms", "kB", "rows read")
	asked := questions(db)
	if len(os.Args) > 2 { // only the acts
		asked = nil
	}
	for _, q := range asked {
		var took []time.Duration
		size, before := 0, read(db)
		for range times {
			path := strings.NewReplacer("EDITION", edition, "MAILING", mailing).Replace(q.path(r))
			begun := time.Now()
			answer, err := ask(client, base+path)
			check(err)
			data, err := io.ReadAll(answer.Body)
			check(err)
			check(answer.Body.Close())
			took = append(took, time.Since(begun))
			size += len(data)
			if answer.StatusCode != http.StatusOK {
				check(fmt.Errorf("%s: %s %.200s", path, answer.Status, data))
			}
		}
		slices.Sort(took)
		fmt.Printf(
			"%-44s %9.1f %9.1f %9.1f %9d\n",
			q.name,
			ms(took[times/2]),
			ms(took[times*95/100]),
			float64(size)/times/1000,
			(read(db)-before)/times,
		)
	}
	if asked != nil {
		rosters(client, base)
	}
	acts(client, base, db)
}

// lines is how long the list is that fills a roster.
const lines = 5000

// rosters times what is done with a list of many lines: looking at it, filling a roster with it, taking that back.
func rosters(client *http.Client, base string) {
	send := sender(client, base)
	var list strings.Builder
	for k := range lines {
		if k%10 == 9 {
			fmt.Fprintf(&list, "nobody %d\n", k) // one in ten is odd
			continue
		}
		fmt.Fprintf(&list, "P%d\n", 5*(k+1))
	}
	var made struct{ ID int64 }
	send("/api/rosters", map[string]any{
		"kind": "class", "name": fmt.Sprint("All ", time.Now().UnixNano()), "branch": "AAX", "school": "",
		"school_year": "4", "adult": 0, "revision": 0,
	}, &made)
	var looked, filled, undone []time.Duration
	for range 9 {
		body := map[string]any{
			"roster": made.ID,
			"new": map[string]any{
				"kind": "class", "name": "", "branch": "AAX", "school": "", "school_year": "", "adult": 0,
				"revision": 0,
			},
			"lists": []any{map[string]any{"name": "", "content": []byte(list.String())}}, "only": false, "try": true,
		}
		var got struct {
			Deed   int64
			OddAll int `json:"odd_all"`
		}
		looked = append(looked, send("/api/rosters-filled", body, &got))
		body["try"] = false
		filled = append(filled, send("/api/rosters-filled", body, &got))
		if got.OddAll != lines/10 {
			check(fmt.Errorf("%d odd lines of %d", got.OddAll, lines))
		}
		var back struct{ Left int }
		undone = append(undone, send(fmt.Sprintf("/api/deeds/%d/undo", got.Deed), map[string]any{}, &back))
	}
	for _, t := range []struct {
		name string
		took []time.Duration
	}{{"a roster's list of 5,000 lines, looked at", looked}, {"filled", filled}, {"taken back", undone}} {
		slices.Sort(t.took)
		fmt.Printf("%-44s %9.1f %9.1f\n", t.name, ms(t.took[len(t.took)/2]), ms(t.took[len(t.took)-1]))
	}
}

func ms(d time.Duration) float64 { return d.Seconds() * 1000 }

// night waits for the night that the start set to work.
func night(db *sql.DB) {
	begun := time.Now()
	for {
		var ended, told int
		check(
			db.QueryRow(`SELECT count(*) FILTER (WHERE step = 'sessions' AND ended_at IS NOT NULL),
				(SELECT count(*) FROM told WHERE loan_id IS NOT NULL) FROM nights`).
				Scan(&ended, &told),
		)
		if ended > 0 {
			fmt.Printf(
				"the night told of %d loans; it was done %.1f s after this began to wait\n",
				told,
				time.Since(begun).Seconds(),
			)
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// read is how many rows PostgreSQL has read so far. Its counts come a little late.
func read(db *sql.DB) int {
	time.Sleep(1200 * time.Millisecond)
	var n int
	check(
		db.QueryRow(`SELECT sum(coalesce(seq_tup_read, 0) + coalesce(idx_tup_fetch, 0))::bigint
		FROM pg_stat_user_tables`).
			Scan(&n),
	)
	return n
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "operations:", err)
		os.Exit(1)
	}
}
