package main

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"
)

// sender sends changes, each with a key of its own, and gives how long the answer took.
func sender(client *http.Client, base string) func(path string, body, into any) time.Duration {
	keys := 0
	return func(path string, body, into any) time.Duration {
		data, err := json.Marshal(body)
		check(err)
		keys++
		ask, err := http.NewRequest(http.MethodPost, base+path, bytes.NewReader(data))
		check(err)
		ask.Header.Set("Content-Type", "application/json")
		ask.Header.Set("Idempotency-Key", fmt.Sprintf("operations %d %d", time.Now().UnixNano(), keys))
		begun := time.Now()
		answer, err := client.Do(ask)
		check(err)
		said, err := io.ReadAll(answer.Body)
		check(err)
		check(answer.Body.Close())
		took := time.Since(begun)
		if answer.StatusCode != http.StatusOK { // it is said, and the next is tried
			fmt.Printf("%s: after %.1f s %s %.200s\n", path, took.Seconds(), answer.Status, said)
			return took
		}
		check(json.Unmarshal(said, into))
		return took
	}
}

// acts times, once each, what changes the most at once, and its way back. A single statement may take 20 s; what comes near that has
// to be cut into parts.
func acts(client *http.Client, base string, db *sql.DB) {
	send := sender(client, base)
	fmt.Printf("%-64s %9s\n", "act over many", "s")
	show := func(name string, took time.Duration) { fmt.Printf("%-64s %9.1f\n", name, took.Seconds()) }

	var every []string
	rows, err := db.Query("SELECT code FROM branches ORDER BY code")
	check(err)
	for rows.Next() {
		var code string
		check(rows.Scan(&code))
		every = append(every, code)
	}
	check(rows.Err())
	var calendar struct{ Version int64 }
	answer, err := client.Get(base + "/api/calendars/AAX")
	check(err)
	check(json.NewDecoder(answer.Body).Decode(&calendar))
	check(answer.Body.Close())
	var from, to string // three weeks from the day on which the most is due
	check(db.QueryRow(`SELECT due_date::text, (due_date + 20)::text FROM loans WHERE returned_at IS NULL
		AND due_date > (SELECT (shows + (clock_timestamp() - real_at))::date FROM training_clock)
		GROUP BY due_date ORDER BY count(*) DESC LIMIT 1`).Scan(&from, &to))
	closing := map[string]any{
		"branches": every, "version": calendar.Version,
		"close": map[string]string{"from": from, "to": to, "name": "Every branch shut"},
	}
	var touched struct {
		Loans, Holds int
		Sweep        int64
	}
	show("50 branches shut for three weeks: looked at", send("/api/calendars/preview", closing, &touched))
	took := send("/api/calendars/apply", closing, &touched)
	show(fmt.Sprintf("  done: %d loans and %d holds moved", touched.Loans, touched.Holds), took)
	// In parts, it is done some time after the answer; how long a scan takes meanwhile is what counts.
	followed := func() time.Duration {
		begun := time.Now()
		for {
			var list struct{ Rows []struct{ Parts bool } }
			answer, err := client.Get(base + "/api/calendar-changes?most=1")
			check(err)
			check(json.NewDecoder(answer.Body).Decode(&list))
			check(answer.Body.Close())
			if len(list.Rows) == 0 || !list.Rows[0].Parts {
				return time.Since(begun)
			}
			time.Sleep(200 * time.Millisecond)
		}
	}
	show("  until all of them have moved", followed())
	var done any
	show("  taken back", send(fmt.Sprintf("/api/calendar-changes/%d/undo", touched.Sweep), map[string]any{}, &done))
	show("  until all of them have moved back", followed())

	var many []int64
	rows, err = db.Query(`SELECT i.id FROM items i WHERE i.branch_code IN ('AAX', 'ABX', 'ACX')
		AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY i.id LIMIT 50000`)
	check(err)
	for rows.Next() {
		var id int64
		check(rows.Scan(&id))
		many = append(many, id)
	}
	check(rows.Err())
	for name, change := range map[string]map[string]any{
		"moved to another branch": {"branch": "ADX"}, "missing": {"standing": "missing"}, "at another price": {"price": 1234},
	} {
		changing := map[string]any{"which": map[string]any{"items": many}, "change": change, "reason": "Many at once", "try": true}
		var changed struct {
			Changed int
			Deed    int64
		}
		show(fmt.Sprintf("%d items %s: looked at", len(many), name), send("/api/items-changed", changing, &changed))
		changing["try"] = false
		took = send("/api/items-changed", changing, &changed)
		show(fmt.Sprintf("  done: %d", changed.Changed), took)
		show("  taken back", send(fmt.Sprintf("/api/stock-deeds/%d/undo", changed.Deed), map[string]any{}, &done))
	}

	var shelf struct{ ID int64 }
	send("/api/inventories", map[string]any{"name": "Everything", "collection": ""}, &shelf)
	took = send(fmt.Sprintf("/api/inventories/%d/finish", shelf.ID), map[string]any{"missing": many[:min(len(many), 20_000)]}, &done)
	show("an inventory ended with 20,000 missing", took)

	var mailing, letters int64
	err = db.QueryRow(`SELECT m.id, (SELECT count(DISTINCT (recipient_id, channel)) FROM notices g WHERE g.mailing_id = m.id) FROM mailings m
		WHERE state = 'trial' ORDER BY 2 DESC LIMIT 1`).Scan(&mailing, &letters)
	if errors.Is(err, sql.ErrNoRows) {
		fmt.Println("no trial run of a mailing waits")
		return
	}
	check(err)
	took = send("/api/mailings/send", map[string]any{"runs": []int64{mailing}}, &done)
	show(fmt.Sprintf("a trial run of %d messages sent", letters), took)
}
