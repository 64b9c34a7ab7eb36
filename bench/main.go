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

const (
	stations = 4
	pairs    = 300 // lendings and returns of each station
)

// people of the demo at Havenhead, one a station.
var people = [stations]string{"bea", "maren", "caspar", "ada"}

// least is what a loan and a return cannot do without.
const least = `\set item random(1, 14000)
BEGIN;
SELECT id, balance FROM patrons WHERE id = :client_id + 1 FOR UPDATE;
SELECT id FROM items WHERE id = :item FOR UPDATE;
INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) SELECT :item, :client_id + 1, 'HVH', 2, '{}', now(), '2026-12-01' WHERE NOT EXISTS (SELECT 1 FROM loans WHERE item_id = :item AND returned_at IS NULL);
INSERT INTO events (at, kind, item_id, text) VALUES (now(), 'lent', :item, 'bench');
COMMIT;
`

func main() {
	base := strings.TrimSuffix(os.Args[1], "/")
	rest := memory(os.Args[2])
	items, cards := things()
	lend, back := make([][]time.Duration, stations), make([][]time.Duration, stations)
	var all sync.WaitGroup
	begun := time.Now()
	for k := range stations {
		all.Go(func() { lend[k], back[k] = station(base, people[k], cards[k], items[k*pairs:(k+1)*pairs]) })
	}
	all.Wait()
	took := time.Since(begun)
	load := memory(os.Args[2])
	perSecond := float64(2*stations*pairs) / took.Seconds()
	bare := pgbench()
	fmt.Printf("%d stations, %d scans in %.1f s: %.0f scans a second\n", stations, 2*stations*pairs, took.Seconds(), perSecond)
	show("lending", lend)
	show("taking back", back)
	fmt.Printf("bare pgbench, least SQL of a loan, %d clients: %.0f a second\n", stations, bare)
	fmt.Printf("ratio Nevrin to bare: %.2f\n", perSecond/bare)
	fmt.Printf("memory of the server: %d MB at rest, %d MB after the load\n", rest, load)
}

// things are items on Havenhead's shelves that nobody waits for, and cards that may borrow.
func things() (items []string, cards [][2]string) {
	db, err := sql.Open("pgx", os.Getenv("DATABASE_URL"))
	check(err)
	rows, err := db.Query(`SELECT i.barcode FROM items i WHERE i.at_branch = 'HVH' AND i.branch_code = 'HVH' AND i.material = 'book' AND i.note = ''
		AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL) AND NOT EXISTS (SELECT 1 FROM transits t WHERE t.item_id = i.id AND t.ended_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) LIMIT $1`, stations*pairs)
	check(err)
	for rows.Next() {
		var code string
		check(rows.Scan(&code))
		items = append(items, code)
	}
	if len(items) < stations*pairs {
		check(fmt.Errorf("only %d items to lend", len(items)))
	}
	rows, err = db.Query(`SELECT id::text, card FROM patrons WHERE class = 'adult' AND standing = 'active' AND balance = 0 AND card_until > '2027-01-01'
		AND NOT EXISTS (SELECT 1 FROM loans WHERE patron_id = patrons.id AND returned_at IS NULL) LIMIT $1`, stations)
	check(err)
	for rows.Next() {
		var id, card string
		check(rows.Scan(&id, &card))
		cards = append(cards, [2]string{id, card})
	}
	return items, cards
}

// station lends each item and takes it back, as one station at a desk does.
func station(base, login string, card [2]string, items []string) (lend, back []time.Duration) {
	jar, err := cookiejar.New(nil)
	check(err)
	client := &http.Client{Jar: jar, Timeout: 30 * time.Second}
	send := func(path, body string) []byte {
		request, err := http.NewRequest(http.MethodPost, base+path, bytes.NewBufferString(body))
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
	var run struct{ ID int64 }
	for _, item := range items {
		begun := time.Now()
		answer := send("/api/desk/scan", fmt.Sprintf(`{"text":%q,"patron":%s}`, item, card[0]))
		lend = append(lend, time.Since(begun))
		if !bytes.Contains(answer, []byte(`"kind":"lent"`)) {
			check(fmt.Errorf("not lent: %.300s", answer))
		}
		if len(back)%50 == 0 { // a run of fifty, then it is finished
			if run.ID != 0 {
				send(fmt.Sprintf("/api/returns/%d/finish", run.ID), "")
			}
			check(json.Unmarshal(send("/api/returns", `{"mode":"bin"}`), &run))
		}
		begun = time.Now()
		send(fmt.Sprintf("/api/returns/%d/scan", run.ID), fmt.Sprintf(`{"text":%q}`, item))
		back = append(back, time.Since(begun))
	}
	return lend, back
}

func show(name string, by [][]time.Duration) {
	all := slices.Concat(by...)
	slices.Sort(all)
	fmt.Printf("%s: median %.1f ms, 95th %.1f ms\n", name, all[len(all)/2].Seconds()*1000, all[len(all)*95/100].Seconds()*1000)
}

var tps = regexp.MustCompile(`tps = ([0-9.]+)`)

func pgbench() float64 {
	script, err := os.CreateTemp("", "least-*.sql")
	check(err)
	defer func() { _ = os.Remove(script.Name()) }()
	_, err = script.WriteString(least)
	check(err)
	check(script.Close())
	out, err := exec.Command("sh", "-c", "$(ls -d /usr/lib/postgresql/*/bin | tail -1)/pgbench -n -c "+strconv.Itoa(stations)+" -j 2 -T 6 -f "+script.Name()+" \"$DATABASE_URL\"").CombinedOutput()
	if err != nil {
		check(fmt.Errorf("%w: %s", err, out))
	}
	found := tps.FindSubmatch(out)
	value, err := strconv.ParseFloat(string(found[1]), 64)
	check(err)
	return value
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
