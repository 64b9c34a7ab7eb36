// Command bench measures scans at the desk and at returns over HTTP, next to pgbench doing the least
// SQL for the same effect. It is started by scripts/bench.sh with the address and process of a demo.
package main

import (
	"bytes"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver under database/sql
)

// pairs is how many lendings and returns each station does.
const pairs = 250

// least is what a loan and a return cannot do without.
const least = `\set item random(1, 14000)
BEGIN;
SELECT id, balance FROM patrons WHERE id = :client_id + 1 FOR UPDATE;
SELECT id FROM items WHERE id = :item FOR UPDATE;
INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) SELECT :item,
	:client_id + 1, (SELECT at_branch FROM items WHERE id = :item), 2, '{}', now(), '2026-12-01'
	WHERE NOT EXISTS (SELECT 1 FROM whereabouts WHERE item_id = :item);
INSERT INTO events (at, kind, item_id) VALUES (now(), 'lent', :item);
COMMIT;
`

func main() {
	base := strings.TrimSuffix(os.Args[1], "/")
	db, err := sql.Open("pgx", os.Getenv("DATABASE_URL"))
	check(err)
	rest := memory(os.Args[2])
	for _, arg := range os.Args[3:] {
		stations, err := strconv.Atoi(arg)
		check(err)
		round(db, base, stations)
		counter(db, base, stations)
	}
	fmt.Printf("memory of the server: %d MB at rest, %d MB after the load\n", rest, memory(os.Args[2]))
}

// rounds is how often pgbench and the stations take turns, since a machine's speed drifts.
const rounds = 5

// round lets so many stations lend and take back at once, in turns with pgbench with as many clients.
func round(db *sql.DB, base string, stations int) {
	begin := things(db, stations)
	lend, back := make([][]time.Duration, stations), make([][]time.Duration, stations)
	var rates, bare, ratios []float64
	before := pgbench(db, stations)
	for n := range rounds {
		from, to := n*pairs/rounds, (n+1)*pairs/rounds
		var all sync.WaitGroup
		begun := time.Now()
		for k := range stations {
			all.Go(func() {
				l, b := station(base, begin[k], begin[k].items[from:to])
				lend[k], back[k] = append(lend[k], l...), append(back[k], b...)
			})
		}
		all.Wait()
		rate := float64(2*stations*(to-from)) / time.Since(begun).Seconds()
		after := pgbench(db, stations)
		rates, bare = append(rates, rate), append(bare, after)
		ratios = append(ratios, rate/((before+after)/2))
		before = after
	}
	for _, list := range [][]float64{rates, bare, ratios} {
		slices.Sort(list)
	}
	fmt.Printf("%d stations, %d scans: %.0f scans a second; bare pgbench, least SQL of a loan, %d clients: %.0f; "+
		"ratio %.2f (%.2f to %.2f in %d turns)\n", stations, 2*stations*pairs, rates[rounds/2], stations,
		bare[rounds/2], ratios[rounds/2], ratios[0], ratios[rounds-1], rounds)
	show("  lending", lend)
	show("  taking back", back)
}

// start is what a station works with: somebody who signs in, a branch, a card and things that are on its shelves.
type start struct {
	login, branch, card string
	items               []string
}

// things finds for each station a person of its own, a branch, a card that may borrow, and free items that nobody
// waits for. Branches take turns.
func things(db *sql.DB, stations int) []start {
	var branches []string
	rows, err := db.Query(
		`SELECT i.at_branch FROM items i WHERE i.at_branch = i.branch_code AND i.material = 'book' GROUP BY 1
				HAVING count(*) > $1 ORDER BY count(*) DESC, 1`,
		1000,
	)
	check(err)
	for rows.Next() {
		var code string
		check(rows.Scan(&code))
		branches = append(branches, code)
	}
	out := make([]start, stations)
	for k := range out {
		s := start{login: fmt.Sprintf("bench%d", k), branch: branches[k%len(branches)]}
		_, err := db.Exec(
			`INSERT INTO staff (login, name, role, branch_code, demo) VALUES ($1, $1, 'desk', $2, true)
					ON CONFLICT (login) DO UPDATE SET branch_code = excluded.branch_code`,
			s.login,
			s.branch,
		)
		check(err)
		check(
			db.QueryRow(`SELECT id::text FROM patrons WHERE class = 'adult' AND standing = 'active' AND balance = 0
					AND card_until > '2027-01-01'
			AND NOT EXISTS (SELECT 1 FROM loans WHERE patron_id = patrons.id AND returned_at IS NULL
				AND (due_date < '2026-10-07' OR due_at IS NOT NULL))
			ORDER BY id OFFSET $1 LIMIT 1`, k).
				Scan(&s.card),
		)
		nth := k / len(branches)
		rows, err := db.Query(
			`SELECT i.barcode FROM items i WHERE i.at_branch = $1 AND i.branch_code = $1 AND i.material = 'book'
					AND i.note = '' AND i.own_terms IS NULL
			AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
			AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL)
				ORDER BY i.id OFFSET $2 LIMIT $3`,
			s.branch,
			nth*pairs%1000,
			pairs,
		)
		check(err)
		for rows.Next() {
			var code string
			check(rows.Scan(&code))
			s.items = append(s.items, code)
		}
		if len(s.items) == 0 {
			check(fmt.Errorf("nothing to lend at %s", s.branch))
		}
		for n := 0; len(s.items) < pairs; n++ { // a small stock is lent several times over
			s.items = append(s.items, s.items[n])
		}
		out[k] = s
	}
	return out
}

// signedIn signs somebody in, and gives what sends a request of theirs and reads its answer: a GET where there is no body.
func signedIn(base, login string) func(path, body string) []byte {
	jar, err := cookiejar.New(nil)
	check(err)
	client := &http.Client{Jar: jar, Timeout: 30 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 2}}
	send := func(path, body string) []byte {
		method := http.MethodPost
		if body == "" {
			method = http.MethodGet
		}
		request, err := http.NewRequest(method, base+path, bytes.NewBufferString(body))
		check(err)
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Idempotency-Key", rand.Text())
		response, err := client.Do(request)
		check(err)
		data, err := io.ReadAll(response.Body)
		check(err)
		check(response.Body.Close())
		if response.StatusCode >= 300 {
			check(fmt.Errorf("%s: %s", path, data))
		}
		return data
	}
	send("/api/sign-in/demo", fmt.Sprintf(`{"Login":%q}`, login))
	return send
}

// station lends each item and takes it back in a run of its own, as one station at a desk does; a bin's is shared by its branch.
func station(base string, from start, items []string) (lend, back []time.Duration) {
	send := signedIn(base, from.login)
	var run struct{ ID int64 }
	check(json.Unmarshal(send("/api/returns", `{"mode":"patron"}`), &run))
	for _, item := range items {
		begun := time.Now()
		answer := send("/api/desk/scan", fmt.Sprintf(`{"text":%q,"patron":%s}`, item, from.card))
		lend = append(lend, time.Since(begun))
		if !bytes.Contains(answer, []byte(`"kind":"lent"`)) {
			check(fmt.Errorf("not lent: %.300s", answer))
		}
		begun = time.Now()
		send(fmt.Sprintf("/api/returns/%d/scan", run.ID), fmt.Sprintf(`{"text":%q}`, item))
		back = append(back, time.Since(begun))
	}
	send(fmt.Sprintf("/api/returns/%d/finish", run.ID), "{}")
	return lend, back
}

func show(name string, by [][]time.Duration) {
	all := slices.Concat(by...)
	slices.Sort(all)
	fmt.Printf(
		"%s: median %.1f ms, 95th %.1f ms\n",
		name,
		all[len(all)/2].Seconds()*1000,
		all[len(all)*95/100].Seconds()*1000,
	)
}

var tps = regexp.MustCompile(`tps = ([0-9.]+)`)

// pgbench gives how many loans a second the least SQL makes, and ends them.
func pgbench(db *sql.DB, stations int) float64 {
	value := rateOf(least, stations)
	_, err := db.Exec("UPDATE loans SET returned_at = lent_at WHERE situation = '{}' AND returned_at IS NULL")
	check(err)
	return value
}

// rateOf gives how often a second pgbench runs a script with so many clients.
func rateOf(sql string, stations int) float64 {
	script, err := os.CreateTemp("", "least-*.sql")
	check(err)
	defer func() { _ = os.Remove(script.Name()) }()
	_, err = script.WriteString(sql)
	check(err)
	check(script.Close())
	out, err := exec.Command("sh", "-c",
		"$(ls -d /usr/lib/postgresql/*/bin | tail -1)/pgbench -n -c "+
			strconv.Itoa(stations)+" -j 2 -T 2 -f "+script.Name()+" \"$DATABASE_URL\"").
		CombinedOutput()
	if err != nil {
		check(fmt.Errorf("%w: %s", err, out))
	}
	rate, err := rateIn(out)
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		return math.NaN() // what is compared with it has no figure; the rest goes on
	}
	return rate
}

// rateIn reads the rate that pgbench has printed. It prints none where no transaction has ended in time.
func rateIn(out []byte) (float64, error) {
	found := tps.FindSubmatch(out)
	if found == nil {
		return 0, fmt.Errorf("pgbench printed no rate: %.300s", out)
	}
	return strconv.ParseFloat(string(found[1]), 64)
}

// memory is the resident memory of a process in MB.
func memory(process string) int {
	status, err := os.ReadFile("/proc/" + process + "/status")
	check(err)
	found := regexp.MustCompile(`VmRSS:\s+(\d+)`).FindSubmatch(status)
	kb, err := strconv.Atoi(string(found[1]))
	check(err)
	return kb / 1024
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}
