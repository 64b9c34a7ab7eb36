package main

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"
)

// leastMoney is what a charge and its payment cannot do without.
const leastMoney = `\set patron random(1, 3000)
BEGIN;
SELECT id, balance FROM patrons WHERE id = :patron FOR UPDATE;
INSERT INTO ledger (patron_id, kind, amount, about, reason, at)
	VALUES (:patron, 'charge', 300, 'manual', 'bench', now())
	RETURNING id AS charge \gset
COMMIT;
BEGIN;
SELECT id, balance FROM patrons WHERE id = :patron FOR UPDATE;
INSERT INTO receipts (at, branch_code, means, amount)
	SELECT now(), branch_code, 'cash', 300 FROM patrons WHERE id = :patron RETURNING id AS receipt \gset
INSERT INTO ledger (patron_id, kind, amount, settles, receipt_id, about, at)
	VALUES (:patron, 'payment', -300, :charge, :receipt, 'manual', now());
INSERT INTO events (at, kind, patron_id) VALUES (now(), 'paid', :patron);
COMMIT;
`

// payments is how many people each station has in all.
const payments = 60

// times is how long a station took for each thing that it did.
type times struct{ card, charge, pay, open, close []time.Duration }

func (t *times) add(more times) {
	t.card, t.charge, t.pay = append(t.card, more.card...), append(t.charge, more.charge...), append(t.pay, more.pay...)
	t.open, t.close = append(t.open, more.open...), append(t.close, more.close...)
}

// counter lets so many stations open cards, charge, take payments and close their tills at once, in turns with pgbench with as many
// clients.
func counter(db *sql.DB, base string, stations int) {
	begin := things(db, stations)
	cards := people(db, stations)
	by := make([]times, stations)
	var rates, least, ratios []float64
	before := rateOf(leastMoney, stations)
	for n := range rounds {
		from, to := n*payments/rounds, (n+1)*payments/rounds
		var all sync.WaitGroup
		begun := time.Now()
		for k := range stations {
			all.Go(func() { by[k].add(till(base, begin[k].login, cards[k][from:to])) })
		}
		all.Wait()
		rate := float64(stations*(to-from)) / time.Since(begun).Seconds()
		after := rateOf(leastMoney, stations)
		rates, least, ratios = append(rates, rate), append(least, after), append(ratios, rate/((before+after)/2))
		before = after
	}
	for _, list := range [][]float64{rates, least, ratios} {
		slices.Sort(list)
	}
	fmt.Printf("%d stations, %d people who come and pay: %.0f a second; bare pgbench, least SQL of a charge and its payment, "+
		"%d clients: %.0f; ratio %.2f (%.2f to %.2f in %d turns)\n", stations, stations*payments, rates[rounds/2],
		stations, least[rounds/2], ratios[rounds/2], ratios[0], ratios[rounds-1], rounds)
	for _, of := range []struct {
		name string
		took func(times) []time.Duration
	}{
		{"  opening a card", func(t times) []time.Duration { return t.card }},
		{"  charging", func(t times) []time.Duration { return t.charge }},
		{"  paying", func(t times) []time.Duration { return t.pay }},
		{"  opening a till", func(t times) []time.Duration { return t.open }},
		{"  closing a till", func(t times) []time.Duration { return t.close }},
	} {
		var took [][]time.Duration
		for _, t := range by {
			took = append(took, of.took(t))
		}
		show(of.name, took)
	}
}

// person is who comes to a station.
type person struct{ id, card string }

// people finds for each station people of its own who owe nothing.
func people(db *sql.DB, stations int) [][]person {
	rows, err := db.Query(`SELECT id::text, card FROM patrons WHERE class = 'adult' AND standing = 'active' AND balance = 0
		ORDER BY id LIMIT $1`, stations*payments)
	check(err)
	var all []person
	for rows.Next() {
		var p person
		check(rows.Scan(&p.id, &p.card))
		all = append(all, p)
	}
	check(rows.Err())
	if len(all) < stations*payments {
		check(fmt.Errorf("found %d people who owe nothing; expected %d", len(all), stations*payments))
	}
	return slices.Collect(slices.Chunk(all, payments))
}

// till opens a till, takes a payment of each of these people, and closes it as it should be.
func till(base, login string, come []person) (t times) {
	send := signedIn(base, login)
	timed := func(into *[]time.Duration, path, body string) []byte {
		begun := time.Now()
		answer := send(path, body)
		*into = append(*into, time.Since(begun))
		return answer
	}
	var opened struct {
		ID  int64
		Due struct{ Cash string }
	}
	name := fmt.Sprintf("%s %d", login, time.Now().UnixNano())
	check(json.Unmarshal(timed(&t.open, "/api/tills", fmt.Sprintf(`{"name":%q,"laid_in":"50.00"}`, name)), &opened))
	for _, p := range come {
		timed(&t.card, "/api/desk/scan", fmt.Sprintf(`{"text":%q}`, p.card))
		timed(&t.charge, "/api/patrons/"+p.id+"/charges", `{"charge":"","amount":"3.00","note":"Bench"}`)
		timed(&t.pay, "/api/money", fmt.Sprintf(`{"patrons":[%s],"amount":"3.00","means":"cash","laid":"5.00","till":%d}`,
			p.id, opened.ID))
	}
	one := fmt.Sprintf("/api/tills/%d", opened.ID)
	check(json.Unmarshal(send(one, ""), &opened))
	timed(&t.close, one+"/close", fmt.Sprintf(`{"cash":%q,"card":"0.00","cheque":"0.00","says":""}`, opened.Due.Cash))
	return t
}
