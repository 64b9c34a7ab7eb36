package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/store"
)

// The slow mail server: how many messages wait for it, how long it is watched, and how many it takes a second.
const (
	waiting = 20_000
	watched = 60 * time.Second
	aSecond = 10
)

// weather is what the slow mail server does from a second on.
var weather = []struct {
	from time.Duration
	says string
	name string
}{
	{0, "", "takes"},
	{15 * time.Second, dead, "is dead"},
	{25 * time.Second, "451 4.3.0 later", "refuses for now"},
	{35 * time.Second, "550 5.1.1 nobody", "refuses for good"},
	{36 * time.Second, "", "takes"},
}

// slow lets many messages wait for a mail server that takes few a second, dies, and refuses. What failed goes to the end of the queue, as
// its job does.
func (b *bench) slow(ctx context.Context) error {
	db := b.house.Store.Gorm()
	var ids []int64
	if err := db.Raw("SELECT id FROM messages WHERE state = 'queued' ORDER BY id LIMIT ?", waiting).Scan(&ids).Error; err != nil {
		return err
	}
	s, err := newSink()
	if err != nil {
		return err
	}
	defer func() { _ = s.Close() }()
	begun := time.Now()
	s.every = time.Second / aSecond
	s.says = func() (says string) {
		for _, w := range weather {
			if time.Since(begun) >= w.from {
				says = w.says
			}
		}
		return says
	}
	go func() {
		time.Sleep(weather[1].from)
		s.drop()
	}()
	b.house.Mail = outside.MailServer{Host: "127.0.0.1", Port: s.port()}
	queue := make(chan int64, len(ids))
	for _, id := range ids {
		queue <- id
	}
	sender := &notices.Sender{House: b.house}
	slowest := time.Duration(0)
	if _, err := b.timed(fmt.Sprintf("%d messages and a mail server that takes %d a second, watched", len(ids), aSecond), func() error {
		bounded, cancel := context.WithTimeout(ctx, watched)
		defer cancel()
		go func() { // who looks at the place meanwhile
			for bounded.Err() == nil {
				asked := time.Now()
				_, _ = act.Look(ctx, b.house, b.boss, func(a *act.Act) (notices.Overview, error) { return notices.Look(a, store.Page{Most: 30}) })
				slowest = max(slowest, time.Since(asked))
				time.Sleep(time.Second)
			}
		}()
		return atOnce(copies, func(int) error {
			for bounded.Err() == nil {
				id := <-queue
				if err := sender.Work(ctx, &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: id}}); err != nil {
					queue <- id
					time.Sleep(10 * time.Millisecond)
				}
			}
			return nil
		})
	}); err != nil {
		return err
	}
	s.mu.Lock()
	twice, taken := 0, 0
	for _, n := range s.taken {
		taken += n
		if n > 1 {
			twice++
		}
	}
	s.mu.Unlock()
	var states []string
	if err := db.Raw("SELECT state || ' ' || count(*) FROM messages WHERE id IN ? GROUP BY state ORDER BY state", ids).Scan(&states).Error; err != nil {
		return err
	}
	fmt.Printf("  taken %d, to somebody twice %d; now %s; the place was shown within %.2f s\n", taken, twice, strings.Join(states, ", "), slowest.Seconds())
	return nil
}
