// Package demo makes the made-up network of Orrin Sound with its year of history.
//
// Everything comes from one seed, so that it is the same each time. History is lived, not drawn:
// loans are lent in open hours under the edition of their day, due as the rules say, moved by the
// courier's timetable, and fined by the sums that the desk uses. All of it goes to the database in
// one transaction of COPY, so that there is a whole demo or none.
package demo

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/night"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/ident"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/store"
)

//go:embed network.json
var networkJSON []byte

const (
	digits    = "1846"
	timezone  = "America/Halifax"
	seedHigh  = 20261006
	seedLow   = 912
	titleSize = 6000
	itemSize  = 14000
	homes     = 2400
	people    = 3500
)

var numbers = ident.Usual(digits)

func cardNumber(n int64) string  { return numbers.Patterns[0].Number(n) }
func labelNumber(n int64) string { return numbers.Patterns[1].Number(n) }

type branchFile struct {
	Code          calendar.Code
	Name, Zone    string
	Address       string
	Phones        []string
	Sort, Receive int
	Share         int
	Public        bool
	Hours         map[string][]string
	Closures      []map[string]string
	Openings      []map[string]any
}

type networkFile struct {
	Holidays        []string
	Branches        []branchFile
	Runs            []map[string]any
	PatronClasses   [][2]string `json:"patron_classes"`
	MaterialClasses [][2]string `json:"material_classes"`
	Collections     [][2]string
	Choices         [][]any          // list, code, name; then the price of a charge, or whether a note is loud
	Stations        [][]any          // branch, name, paper, slips, sounds
	Ages            map[string][]any // of patron classes: from, to, the next one
	Staff           [][4]string
	Works           map[string][]string // where people may work beside their own branch, by login
	Rules           []rulebook.RuleFile
	Examples        []map[string]any
}

// Make makes the demo network unless a network is there already.
func Make(ctx context.Context, s *store.Store) (made bool, err error) {
	db := s.Gorm()
	var networks int64
	if err := db.WithContext(ctx).Table("network").Count(&networks).Error; err != nil || networks > 0 {
		return false, goOn(ctx, db, err)
	}
	// A year is a lot of small things that all stay; collecting garbage among them less often takes a third off.
	defer debug.SetGCPercent(debug.SetGCPercent(500))
	g, err := newGenerator()
	if err != nil {
		return false, err
	}
	if err := g.live(); err != nil {
		return false, err
	}
	conn, err := s.Pool().Conn(ctx)
	if err != nil {
		return false, err
	}
	defer func() { _ = conn.Close() }()
	if _, err := conn.ExecContext(ctx, "SET statement_timeout = 0"); err != nil {
		return false, err
	}
	err = conn.Raw(func(driver any) error {
		line := driver.(*stdlib.Conn).Conn()
		if err := pgx.BeginFunc(ctx, line, func(tx pgx.Tx) error { return g.write(ctx, tx) }); err != nil {
			return err
		}
		// As after anything that came in by the hundred thousand, so that plans are right from the first question on.
		_, err := line.Exec(ctx, "VACUUM (ANALYZE)")
		return err
	})
	if err != nil {
		return false, err
	}
	return true, thisMorning(ctx, s, g.today)
}

// notices begins the names of the steps of a night that work out what patrons are told.
const notices = "notices"

// thisMorning works out what patrons are to be told today, as the night would have done, and leaves it to be looked at.
func thisMorning(ctx context.Context, s *store.Store, day calendar.Date) error {
	for _, step := range night.Steps() {
		if !strings.HasPrefix(step, notices) {
			continue
		}
		if err := night.Step(ctx, &act.House{Store: s}, day, step); err != nil {
			return err
		}
	}
	return nil
}

// ErrReal says that a database holds a network that no demo has made.
var ErrReal = errors.New("this database holds a network without a training clock, which is not the demo's; " +
	"give the demo a database of its own, or start this one with 'nevrin serve'")

// goOn lets the training clock of a demo that stood still go on from the last thing that happened.
func goOn(ctx context.Context, db *gorm.DB, err error) error {
	if err != nil {
		return err
	}
	var training int64
	if err := db.WithContext(ctx).Table("training_clock").Count(&training).Error; err != nil {
		return err
	}
	if training == 0 {
		return ErrReal
	}
	return db.WithContext(ctx).Exec(`UPDATE training_clock SET real_at = clock_timestamp(),
		shows = greatest(shows, (SELECT max(at) FROM events WHERE staff_id IS NOT NULL))`).Error
}

type generator struct {
	rand     *rand.Rand
	file     networkFile
	loc      *time.Location
	now      time.Time
	today    calendar.Date
	table    *courier.Timetable
	trips    map[calendar.Date]*courier.Trips
	editions []edition
	terms    map[string]*rulebook.Terms
	money    money.Currency

	patrons  []patron
	byBranch map[calendar.Code][]int
	titles   []title
	items    []item
	names    map[string]int     // how many titles have a name
	told     map[int]bool       // items that a story of today has taken
	holders  map[[2]int64]bool  // title and patron of the holds of today
	astray   *box               // a tote that left and has not arrived
	rows     map[string][][]any // what goes to each table, in its columns' order
	ids      map[string]int64

	partnerPatrons   []int
	telescope, noted bool
	serials          int // how many there are so far
}

// Columns of the items' rows that stories change.
const (
	itemStanding = 10
	itemAdded    = 11
)

// holdState is the column of the holds' rows that says how far one has come.
const holdState = 6

// edition is an edition of the rulebook with the date it holds from.
type edition struct {
	id    int64
	from  calendar.Date
	rules []rulebook.RuleFile
	book  *rulebook.Rulebook
}

type patron struct {
	id          int64
	name, class string
	branch      calendar.Code
	email       string
}

type title struct {
	id             int64
	name, material string
	author         string
	items          []int
}

type item struct {
	id         int64
	title      int
	home       calendar.Code
	collection string
	material   string
	price      money.Amount
	out        bool // on loan or in transit now
	lastPatron int
	back       time.Time // when it was last at home again
}

func number(n int) string { return strconv.Itoa(n) }

func newGenerator() (*generator, error) {
	g := &generator{
		rand:     rand.New(rand.NewPCG(seedHigh, seedLow)),
		byBranch: map[calendar.Code][]int{},
		rows:     map[string][][]any{},
		ids:      map[string]int64{},
		told:     map[int]bool{},
		names:    map[string]int{},
		holders:  map[[2]int64]bool{},
		terms:    map[string]*rulebook.Terms{},
		trips:    map[calendar.Date]*courier.Trips{},
	}
	if err := json.Unmarshal(networkJSON, &g.file); err != nil {
		return nil, fmt.Errorf("network.json: %w", err)
	}
	var err error
	if g.loc, err = calendar.ParseLocation(timezone); err != nil {
		return nil, err
	}
	if g.money, err = money.ParseCurrency("CAD"); err != nil {
		return nil, err
	}
	g.today = calendar.MakeDate(2026, 10, 6)
	g.now = calendar.Local(g.today, 9*60+12, g.loc)
	if err := g.network(); err != nil {
		return nil, err
	}
	return g, g.rules()
}

// network reads branches and runs as one courier file, with the holidays added, and keeps their rows.
func (g *generator) network() error {
	closures := func(b branchFile) []map[string]string {
		out := append([]map[string]string{}, b.Closures...)
		for _, day := range g.file.Holidays {
			out = append(out, map[string]string{"from": day, "name": "Public holiday"})
		}
		return out
	}
	var branches []map[string]any
	for k, b := range g.file.Branches {
		openings := b.Openings
		if openings == nil {
			openings = []map[string]any{}
		}
		branches = append(
			branches,
			map[string]any{"code": b.Code, "name": b.Name, "zone": b.Zone, "timezone": timezone, "hours": b.Hours,
				"closures": closures(b), "openings": openings, "sort_minutes": b.Sort, "receive_minutes": b.Receive},
		)
		g.add(
			"branches",
			b.Code,
			b.Name,
			b.Zone,
			timezone,
			k,
			text(b.Hours),
			text(closures(b)),
			text(openings),
			b.Sort,
			b.Receive,
			b.Public,
		)
	}
	for k, r := range g.file.Runs {
		off, _ := r["not_on"].([]any)
		for _, day := range g.file.Holidays {
			off = append(off, day)
		}
		r["not_on"] = off
		g.add("runs", r["id"], k, text(r))
	}
	data, err := json.Marshal(
		map[string]any{"format": courier.Format, "timezone": timezone, "branches": branches, "runs": g.file.Runs},
	)
	if err != nil {
		return err
	}
	f, err := courier.Read(data)
	if err != nil {
		return fmt.Errorf("network.json: %w", err)
	}
	g.table = f.Timetable
	return nil
}

// rules makes three editions: an older one, the one in force, and a draft that lengthens film loans on the islands.
func (g *generator) rules() error {
	var calendars []*calendar.Branch
	for _, b := range g.file.Branches {
		calendars = append(calendars, g.table.Branches[b.Code].Branch)
	}
	older := make([]rulebook.RuleFile, 0, len(g.file.Rules))
	for _, r := range g.file.Rules {
		if r.ID != "seniors" && r.ID != "island-shelf" { // both came with edition 7
			older = append(older, r)
		}
	}
	draft := append(
		append([]rulebook.RuleFile{}, g.file.Rules...),
		rulebook.RuleFile{ID: "island-films", Name: "Island branches keep films 14 days",
			Scope: map[string][]string{
				"lending_branch": {"zone:islands"},
				"material_class": {"film"},
			}, Terms: map[string]any{"loan_period": "P14D"}},
	)
	for k, rules := range [][]rulebook.RuleFile{older, g.file.Rules, draft} {
		id, from := int64(k+1), []calendar.Date{calendar.MakeDate(2025, 9, 1), calendar.MakeDate(2026, 2, 2), 0}[k]
		book, err := rulebook.ReadParts(
			rulebook.Parts{Rules: []byte(text(rules)), Examples: []byte(text(g.file.Examples))},
			g.money,
			calendars,
		)
		if err != nil {
			return fmt.Errorf("edition %d: %w", k+6, err)
		}
		if c := book.Conflicts(); len(c) > 0 {
			return fmt.Errorf("edition %d: %s and %s conflict in %s", k+6, c[0].Rules[0].ID, c[0].Rules[1].ID, c[0].Term)
		}
		if k == 2 {
			g.add(
				"editions",
				id,
				8,
				"draft",
				nil,
				nil,
				"Films on the islands",
				text(rules),
				int64(2),
				1,
				"",
				text(g.file.Examples),
			)
			continue
		}
		g.editions = append(g.editions, edition{id, from, rules, book})
		g.add(
			"editions",
			id,
			k+6,
			"in_force",
			from.UTC(),
			calendar.Local(from, 8*60, g.loc),
			[]string{"Rules of 2025", "After the winter review"}[k],
			text(rules),
			nil,
			1,
			"",
			text(g.file.Examples),
		)
	}
	return nil
}

func text(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic("demo: " + err.Error()) // plain data
	}
	return string(data)
}

// add keeps a row for a table; next gives the next id of one.
func (g *generator) add(table string, row ...any) { g.rows[table] = append(g.rows[table], row) }

func (g *generator) next(table string) int64 {
	g.ids[table]++
	return g.ids[table]
}

func (g *generator) chance(p float64) bool { return g.rand.Float64() < p }

// branchByShare draws a branch by its share of the network.
func (g *generator) branchByShare() calendar.Code {
	n := g.rand.IntN(100)
	for _, b := range g.file.Branches {
		if n -= b.Share; n < 0 {
			return b.Code
		}
	}
	return g.file.Branches[0].Code
}

// moment draws an instant in the open hours of a branch, on the first open day at or after a date.
func (g *generator) moment(branch calendar.Code, day calendar.Date) time.Time {
	b := g.table.Branches[branch].Branch
	for !b.OpenOn(day) {
		day++
	}
	spans := b.Day(day)
	s := spans[g.rand.IntN(len(spans))]
	return b.At(day, s.From+calendar.Minute(g.rand.IntN(int(s.To-s.From)))).
		Add(time.Duration(g.rand.IntN(60)) * time.Second)
}

func (g *generator) editionAt(day calendar.Date) *edition {
	e := &g.editions[0]
	for k := range g.editions {
		if g.editions[k].from <= day {
			e = &g.editions[k]
		}
	}
	return e
}

// decide settles the terms of a situation, remembered, since few situations recur often.
func (g *generator) decide(e *edition, at rulebook.Situation) *rulebook.Terms {
	key := fmt.Sprint(e.id, at)
	if t, ok := g.terms[key]; ok {
		return t
	}
	t := e.book.Decide(at, nil)
	g.terms[key] = &t
	return &t
}

// journey is the courier's way for something ready at an instant.
func (g *generator) journey(from, to calendar.Code, ready time.Time) *courier.Journey {
	day := calendar.DateOf(ready.In(g.loc))
	trips, ok := g.trips[day]
	if !ok {
		trips = g.table.Ahead(ready)
		g.trips[day] = trips
	}
	return trips.Ask(from, to, ready)
}
