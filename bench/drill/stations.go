package main

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

func freePort() int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	check(err)
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

// station lends and takes back, one thing after another, for as long as it is let. What has no answer it sends again with
// its key, to whichever copy is there.
type station struct {
	http   *http.Client
	bases  []string
	patron string
	items  []string
	run    string

	lent, back, again, wrong int
	said                     string // what was not as expected
	times                    []time.Duration
}

func newClient() *http.Client {
	jar, err := cookiejar.New(nil)
	check(err)
	return &http.Client{Jar: jar, Timeout: 20 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 2}}
}

// send sends one request to one copy.
func send(client *http.Client, method, address, key string, body any) (int, []byte, error) {
	data, err := json.Marshal(body)
	check(err)
	r, err := http.NewRequest(method, address, bytes.NewReader(data))
	check(err)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", key)
	answer, err := client.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	return answer.StatusCode, text, err
}

// surely asks until there is an answer that says yes or no.
func (s *station) surely(ctx context.Context, path string, body any) (int, []byte) {
	key := rand.Text()
	for try := 0; ; try++ {
		begun := time.Now()
		status, text, err := send(s.http, http.MethodPost, s.bases[try%len(s.bases)]+path, key, body)
		if err == nil && status != http.StatusServiceUnavailable && status != http.StatusTooManyRequests {
			s.times = append(s.times, time.Since(begun))
			return status, text
		}
		s.again++
		if ctx.Err() != nil && try > 200 {
			return 0, nil
		}
		time.Sleep(50 * time.Millisecond)
	}
}

func (s *station) work(ctx context.Context, counted *atomic.Int64) {
	for k := 0; ctx.Err() == nil; k++ {
		item := s.items[k%len(s.items)]
		status, text := s.surely(ctx, "/api/desk/scan", map[string]any{"text": item, "patron": json.Number(s.patron)})
		if status != http.StatusOK || !bytes.Contains(text, []byte(`"kind":"lent"`)) {
			s.mistake("lending", status, text)
			continue
		}
		s.lent++
		status, text = s.surely(ctx, "/api/returns/"+s.run+"/scan", map[string]string{"text": item})
		if status != http.StatusOK || !bytes.Contains(text, []byte(`"kind":"on_loan"`)) {
			s.mistake("taking back", status, text)
			continue
		}
		s.back++
		counted.Add(2)
	}
}

func (s *station) mistake(what string, status int, text []byte) {
	s.wrong++
	if s.said == "" {
		s.said = fmt.Sprintf("%s: %d %.160s", what, status, text)
	}
	time.Sleep(20 * time.Millisecond)
}

// stations begins so many stations; stop ends them and gives what they did.
func (d *drill) stations(number int) (counted *atomic.Int64, stop func() []*station) {
	ctx, cancel := context.WithCancel(context.Background())
	counted = &atomic.Int64{}
	var all []*station
	var working sync.WaitGroup
	for k := range number {
		s := &station{http: newClient(), bases: []string{d.copies[k%2].base, d.copies[(k+1)%2].base}}
		status, text, err := send(
			s.http,
			http.MethodPost,
			s.bases[0]+"/api/sign-in/demo",
			"x",
			map[string]string{"Login": fmt.Sprintf("drill%d", k)},
		)
		if err != nil || status != http.StatusNoContent {
			check(fmt.Errorf("signing in: %d %s %w", status, text, err))
		}
		s.patron = d.value(
			`SELECT id::text FROM patrons p WHERE class = 'adult' AND standing = 'active' AND balance = 0
			AND card_until > '2027-06-01' AND branch_code = 'HVH' AND id % 16 = $1 AND NOT EXISTS (SELECT 1
				FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL)
			AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.closed_at IS NULL) ORDER BY id LIMIT 1`,
			k,
		)
		rows, err := d.db.Query(
			`SELECT i.barcode FROM items i WHERE i.at_branch = 'HVH' AND i.branch_code = 'HVH' AND i.material = 'book'
			AND i.note = '' AND i.own_terms IS NULL AND i.id % 16 = $1 AND NOT EXISTS (SELECT 1 FROM whereabouts w
				WHERE w.item_id = i.id)
			AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id LIMIT 40`,
			k,
		)
		check(err)
		for rows.Next() {
			var code string
			check(rows.Scan(&code))
			s.items = append(s.items, code)
		}
		check(rows.Err())
		_, text = s.surely(ctx, "/api/returns", map[string]string{"mode": "bin"})
		var run struct{ ID int64 }
		check(json.Unmarshal(text, &run))
		s.run = fmt.Sprint(run.ID)
		all = append(all, s)
		working.Go(func() { s.work(ctx, counted) })
	}
	return counted, func() []*station {
		cancel()
		working.Wait()
		return all
	}
}

// sum adds up what stations did.
func sum(all []*station) (scans, again, wrong int, said string, median, late time.Duration) {
	var times []time.Duration
	for _, s := range all {
		scans, again, wrong, times = scans+s.lent+s.back, again+s.again, wrong+s.wrong, append(times, s.times...)
		if said == "" {
			said = s.said
		}
	}
	slices.Sort(times)
	if len(times) > 0 {
		median, late = times[len(times)/2], times[len(times)*99/100]
	}
	return scans, again, wrong, said, median, late
}
