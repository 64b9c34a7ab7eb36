package courier

import (
	"fmt"
	"slices"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/jsonfile"
)

// Format is the name of the file format.
const Format = "nevrin-courier/1"

// Bounds of a file, far above what a network has.
const (
	maxRuns  = 1000
	maxStops = 200
	maxAsks  = 10_000
)

// File is a courier file: a timetable and questions asked of it.
type File struct {
	Timetable *Timetable
	Asks      []Question
}

// Question asks when an item ready at one branch gets to another, with the answer expected.
type Question struct {
	From, To calendar.Code
	Ready    time.Time
	Arrives  Expectation
	OnShelf  Expectation
}

// Expectation is an instant, or nothing at all; not looked at unless Given.
type Expectation struct {
	Given bool
	At    *time.Time
}

// Read reads a courier file. The error is of type jsonfile.Errors and lists all that is wrong.
func Read(data []byte) (*File, error) {
	root, err := jsonfile.Read(data)
	if err != nil {
		return nil, err
	}
	f := &File{Timetable: ReadTimetable(root)}
	if root.Err() == nil {
		for _, n := range root.Get("asks").ListUpTo(maxAsks) {
			f.Asks = append(f.Asks, readQuestion(n, f.Timetable))
		}
	}
	return f, root.Err()
}

// ReadTimetable reads all of a courier file but its asks; what is wrong collects in the node.
func ReadTimetable(root jsonfile.Node) *Timetable {
	t := &Timetable{Location: time.UTC, Branches: map[calendar.Code]Branch{}}
	if !root.Only("format", "timezone", "branches", "runs", "asks") {
		return t
	}
	root.Get("format").OneOf(Format)
	if loc := jsonfile.Parsed(root.Get("timezone"), calendar.ParseLocation); loc != nil {
		t.Location = loc
	}
	branches, nodes := calendar.ReadBranches(root.Get("branches"), "sort_minutes", "receive_minutes")
	for i, b := range branches {
		t.Branches[b.Code] = Branch{
			Branch:         b,
			SortMinutes:    nodes[i].Get("sort_minutes").WholeOr(0),
			ReceiveMinutes: nodes[i].Get("receive_minutes").WholeOr(0),
		}
	}
	if runs := root.Get("runs"); !runs.Given() {
		runs.Wrong("a list of runs")
	}
	seen := map[string]bool{}
	for _, n := range root.Get("runs").ListUpTo(maxRuns) {
		r := readRun(n, t)
		if seen[r.ID] && r.ID != "" {
			n.Get("id").Fail(fmt.Sprintf("the run %q a second time", r.ID), "each id once")
		}
		seen[r.ID] = true
		t.Runs = append(t.Runs, r)
	}
	return t
}

func readRun(n jsonfile.Node, t *Timetable) Run {
	r := Run{NotOn: map[calendar.Date]bool{}, Late: map[calendar.Date]int{}}
	if !n.Only("id", "name", "days", "not_on", "from", "until", "late", "stops") {
		return r
	}
	r.ID, r.Name = n.Get("id").Text(), n.Get("name").TextOr("")
	if days := n.Get("days"); !days.Given() {
		days.Wrong("a list of days")
	}
	for _, d := range n.Get("days").List() {
		if weekday := slices.Index(calendar.DayKeys[:], d.OneOf(calendar.DayKeys[:]...)); weekday >= 0 {
			r.Days[weekday] = true
		}
	}
	for _, d := range n.Get("not_on").List() {
		r.NotOn[jsonfile.Parsed(d, calendar.ParseDate)] = true
	}
	r.From, r.Until = readSeason(n)
	for _, key := range n.Get("late").Keys() {
		d, err := calendar.ParseDate(key)
		if !n.Get("late").Get(key).Check(err) {
			continue
		}
		if r.Late[d] = n.Get("late").Get(key).Whole(); r.Late[d] > mostLate {
			n.Get("late").Get(key).Wrong(fmt.Sprintf("up to %d minutes; a run that is later does not go", mostLate))
		}
	}
	if stops := n.Get("stops"); !stops.Given() {
		stops.Wrong("a list of stops")
	}
	var last calendar.Minute
	for _, item := range n.Get("stops").ListUpTo(maxStops) {
		r.Stops = append(r.Stops, readStop(item, t, &last))
	}
	return r
}

// mostLate is the most minutes that a run can be late.
const mostLate = 720

// readSeason reads the first and the last date on which a run goes.
func readSeason(n jsonfile.Node) (from, until *calendar.Date) {
	date := func(key string) *calendar.Date {
		if !n.Get(key).Given() {
			return nil
		}
		d := jsonfile.Parsed(n.Get(key), calendar.ParseDate)
		return &d
	}
	from, until = date("from"), date("until")
	if from != nil && until != nil && *until < *from {
		n.Get("until").Wrong("a date not before " + from.String())
	}
	return from, until
}

func readStop(n jsonfile.Node, t *Timetable, last *calendar.Minute) Stop {
	var s Stop
	if !n.Only("branch", "arrive", "depart") {
		return s
	}
	s.Branch = calendar.Code(n.Get("branch").Text())
	t.checkBranch(n.Get("branch"), s.Branch)
	clock := func(key string) *calendar.Minute {
		v := n.Get(key)
		if !v.Given() {
			return nil
		}
		m := jsonfile.Parsed(v, calendar.ParseMinute)
		if m < *last {
			v.Wrong("a time not before " + last.String())
		}
		*last = max(*last, m)
		return &m
	}
	s.Arrive, s.Depart = clock("arrive"), clock("depart")
	if s.Arrive == nil && s.Depart == nil {
		n.Fail("a stop without a time", "arrive, depart or both")
	}
	return s
}

func (t *Timetable) checkBranch(n jsonfile.Node, code calendar.Code) bool {
	if _, ok := t.Branches[code]; !ok && code != "" {
		n.Wrong("a branch of this file")
		return false
	}
	return code != ""
}

func readQuestion(n jsonfile.Node, t *Timetable) Question {
	var q Question
	if !n.Only("from", "to", "ready", "expect") {
		return q
	}
	q.From, q.To = calendar.Code(n.Get("from").Text()), calendar.Code(n.Get("to").Text())
	if !t.checkBranch(n.Get("from"), q.From) || !t.checkBranch(n.Get("to"), q.To) {
		return q
	}
	in := func(code calendar.Code) func(string) (time.Time, error) {
		return func(text string) (time.Time, error) { return calendar.ParseInstant(text, t.Branches[code].Location) }
	}
	q.Ready = jsonfile.Parsed(n.Get("ready"), in(q.From))
	expect := n.Get("expect")
	if !expect.Given() || !expect.Only("arrives", "on_shelf") {
		return q
	}
	read := func(v jsonfile.Node) Expectation {
		e := Expectation{Given: v.Given()}
		if e.Given && !v.Null() {
			at := jsonfile.Parsed(v, in(q.To))
			e.At = &at
		}
		return e
	}
	q.Arrives, q.OnShelf = read(expect.Get("arrives")), read(expect.Get("on_shelf"))
	return q
}

// LegReport, AskReport and Report are what the command line prints.
type LegReport struct {
	Run    string        `json:"run"`
	Date   calendar.Date `json:"date"`
	From   calendar.Code `json:"from"`
	Depart string        `json:"depart"`
	To     calendar.Code `json:"to"`
	Arrive string        `json:"arrive"`
}

// Difference is an expectation that did not come true.
type Difference struct {
	Expected *string `json:"expected"`
	Came     *string `json:"came"`
}

// AskReport answers one question; Arrives and OnShelf are null if nothing gets there.
type AskReport struct {
	From    calendar.Code         `json:"from"`
	To      calendar.Code         `json:"to"`
	Ready   string                `json:"ready"`
	Arrives *string               `json:"arrives"`
	OnShelf *string               `json:"on_shelf"`
	Legs    []LegReport           `json:"legs"`
	OK      bool                  `json:"ok"`
	Differs map[string]Difference `json:"differs"`
}

// Report answers all questions of a file, in the order asked.
type Report struct {
	OK   bool        `json:"ok"`
	Asks []AskReport `json:"asks"`
}

// Answer answers every question of the file.
func (f *File) Answer() Report {
	r := Report{OK: true, Asks: []AskReport{}}
	for _, q := range f.Asks {
		one := f.Timetable.answer(q)
		r.OK = r.OK && one.OK
		r.Asks = append(r.Asks, one)
	}
	return r
}

func (t *Timetable) answer(q Question) AskReport {
	said := func(at time.Time, code calendar.Code) string {
		return calendar.PrintInstant(at, t.Branches[code].Location)
	}
	a := AskReport{
		From:    q.From,
		To:      q.To,
		Ready:   said(q.Ready, q.From),
		Legs:    []LegReport{},
		Differs: map[string]Difference{},
	}
	if j := t.Ask(q.From, q.To, q.Ready); j != nil {
		arrives := said(j.Arrives, q.To)
		a.Arrives = &arrives
		if j.OnShelf != nil {
			shelf := said(*j.OnShelf, q.To)
			a.OnShelf = &shelf
		}
		for _, leg := range j.Legs {
			a.Legs = append(
				a.Legs,
				LegReport{leg.Run, leg.Date, leg.From, said(leg.Depart, leg.From), leg.To, said(leg.Arrive, leg.To)},
			)
		}
	}
	compare := func(key string, want Expectation, came *string) {
		if !want.Given {
			return
		}
		var expected *string
		if want.At != nil {
			text := said(*want.At, q.To)
			expected = &text
		}
		if (expected == nil) != (came == nil) || expected != nil && *expected != *came {
			a.Differs[key] = Difference{expected, came}
		}
	}
	compare("arrives", q.Arrives, a.Arrives)
	compare("on_shelf", q.OnShelf, a.OnShelf)
	a.OK = len(a.Differs) == 0
	return a
}
