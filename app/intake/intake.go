// Package intake takes files of other systems in: patrons, titles with their items, open loans, open holds, and what is owed.
//
// A file is sent in parts, so that it may be of any length and a line that breaks loses nothing. It is read through once, for what
// its columns are; it is tried, which says line by line what would be taken and what would not, and why; and it is taken in one transaction.
// What has come can be undone as one, as far as nothing has become of it here. Sent again on another day, a file brings what is
// other than before: everything is known by where it came from and its number there.
//
// The work is done by a job that says how far it is. One whose program was killed is followed by another (Resumer).
package intake

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/intake"
	"nevrin/formats/marc"
	"nevrin/store"
	"nevrin/store/intakedb"
)

// Seen is the result of reading a file through once.
type Seen struct {
	Form      string              `json:"form" enum:"csv,marc,marcxml"`
	Charset   string              `json:"charset" doc:"How its letters are written"`
	Separator string              `json:"separator" doc:"What stands between its cells"`
	Heads     []string            `json:"heads"`
	Lines     int                 `json:"lines" doc:"Records, without the heads"`
	Wrong     int                 `json:"wrong" doc:"Records that cannot be read"`
	First     [][]string          `json:"first" doc:"The first rows as they are"`
	Values    map[string][]string `json:"values" doc:"What stands in a column, where it is no more than fifty different texts; the commonest first"`
}

// Outcome counts the lines with one result.
type Outcome struct {
	Kind    string `json:"kind" enum:"patrons,titles,items,loans,holds,balances"`
	New     int    `json:"new"`
	Joined  int    `json:"joined" doc:"Titles that are here already: their copies go to them"`
	Changed int    `json:"changed" doc:"That came before and are other now"`
	Same    int    `json:"same" doc:"That came before and are the same"`
	Left    int    `json:"left"`
	Noted   int    `json:"noted" doc:"That are taken without something"`
	Stay    int    `json:"stay" doc:"When undone: how many stay, since something has become of them here"`
	Gone    int    `json:"gone" doc:"When undone: how many went or became what they were"`
}

// Counts are the lines by kind and outcome, and how many that came before are not in the file any more.
type Counts struct {
	By      []Outcome `json:"by"`
	Missing int       `json:"missing"`
}

// Intake is a file that is taken in.
type Intake struct {
	ID      int64           `json:"id"`
	Kind    intake.Kind     `json:"kind" enum:"patrons,stock,loans,holds,balances"`
	Source  string          `json:"source" doc:"Whence it comes, by a name of our own"`
	File    string          `json:"file"`
	Bytes   int64           `json:"bytes"`
	Come    int64           `json:"come" doc:"Bytes that have come; the next part begins there"`
	State   string          `json:"state" enum:"sending,reading,read,trying,tried,taking,taken,undoing,undone"`
	Problem string          `json:"problem"`
	Done    int64           `json:"done"`
	Total   int64           `json:"total" doc:"0: not known yet"`
	Seen    *Seen           `json:"seen,omitempty"`
	Mapping *intake.Mapping `json:"mapping,omitempty"`
	Fields  []intake.Field  `json:"fields" doc:"What such a file may say; of one intake"`
	Counts  *Counts         `json:"counts,omitempty"`
	Who     string          `json:"who"`
	BegunAt time.Time       `json:"begun_at"`
	TakenAt *time.Time      `json:"taken_at,omitempty"`
	Undone  *time.Time      `json:"undone_at,omitempty"`
	Seconds float64         `json:"seconds"`
	Trials  int             `json:"trials" doc:"How often it was tried; each trial has lines of its own"`
}

func show(row *intakedb.Intake) (*Intake, error) {
	n := &Intake{
		ID:      row.ID,
		Kind:    intake.Kind(row.Kind),
		Source:  row.Source,
		File:    row.File,
		Bytes:   row.Bytes,
		Come:    row.Come,
		State:   row.State,
		Problem: row.Problem,
		Done:    row.Done,
		Total:   row.Total,
		Who:     row.Who,
		BegunAt: row.BegunAt,
		TakenAt: row.TakenAt,
		Undone:  row.UndoneAt,
		Seconds: row.Seconds,
		Trials:  row.Trials,
		Fields:  []intake.Field{},
	}
	for _, part := range []struct {
		from json.RawMessage
		into any
	}{{row.Seen, &n.Seen}, {row.Mapping, &n.Mapping}, {row.Counts, &n.Counts}} {
		if len(part.from) == 0 {
			continue
		}
		if err := json.Unmarshal(part.from, part.into); err != nil {
			return nil, fmt.Errorf("intake %d: %w", row.ID, err)
		}
	}
	return n, nil
}

// List gives a page of what has been taken in, the latest first, without what the files say.
func List(a *act.Act, page store.Page) ([]Intake, store.Page, error) {
	rows, next, err := intakedb.Intakes(a.Tx, page)
	out := []Intake{}
	for k := range rows {
		rows[k].Seen, rows[k].Mapping = nil, nil
		n, err := show(&rows[k])
		if err != nil {
			return nil, page, err
		}
		out = append(out, *n)
	}
	return out, next, err
}

// One gives an intake with what its file says.
func One(a *act.Act, id int64) (*Intake, error) {
	row, err := intakedb.IntakeByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("file")
	}
	n, err := show(row)
	if err == nil {
		n.Fields = intake.Fields(n.Kind)
	}
	return n, err
}

// mostBytes is the most bytes a file can have.
const mostBytes = 8 << 30

// Beginning is a file that is about to be sent.
type Beginning struct {
	Kind   intake.Kind `json:"kind" enum:"patrons,stock,loans,holds,balances"`
	Source string      `json:"source" minLength:"1" maxLength:"60" doc:"Whence it comes: the same name again brings what is other than before"`
	File   string      `json:"file" minLength:"1" maxLength:"200"`
	Bytes  int64       `json:"bytes" minimum:"1"`
}

// Begin begins to take a file in. Its parts are sent next.
func Begin(a *act.Act, b Beginning) (*Intake, error) {
	b.Source = strings.Join(strings.Fields(b.Source), " ")
	switch {
	case b.Source == "":
		return nil, problem.Newf(problem.Invalid, "Enter the source system, by a name you will recognise.")
	case b.Bytes > mostBytes:
		return nil, problem.Newf(problem.Invalid, "Files can have up to 8 GB. Split it.")
	}
	id, err := intakedb.AddIntake(a.Tx,
		&intakedb.Intake{Kind: string(b.Kind), Source: b.Source, File: b.File, Bytes: b.Bytes, StaffID: a.Who.ID,
			BegunAt: a.Now},
	)
	if err != nil {
		return nil, err
	}
	a.Tell(
		event.Event{
			Kind:   event.Intake,
			Detail: event.Detail{Says: "Uploaded for import: " + b.File + " from " + b.Source},
		},
	)
	return One(a, id)
}

// Part is a part of a file.
type Part struct {
	Begins  int64  `json:"begins" minimum:"0" doc:"The byte of the file at which it begins"`
	Content []byte `json:"content" maxLength:"960000" doc:"In base64"`
}

// Come is the progress of a file.
type Come struct {
	Come int64 `json:"come" doc:"The byte at which the next part begins"`
}

// Send takes a part of a file; with the last one it is read through.
func Send(a *act.Act, id int64, p Part) (*Come, error) {
	row, err := standing(a, id, "sending")
	if err != nil {
		return nil, err
	}
	switch {
	case len(p.Content) == 0 || p.Begins+int64(len(p.Content)) > row.Bytes:
		return nil, problem.Newf(problem.Invalid, "This part does not fit: the file has %d bytes.", row.Bytes)
	case p.Begins < row.Come:
		return &Come{row.Come}, nil // it has come before
	case p.Begins > row.Come:
		return nil, problem.Newf(problem.Invalid, "The previous part has not arrived. Continue at byte %d.", row.Come)
	}
	intakedb.AddIntakePart(a.Tx, id, p.Begins, p.Content)
	if p.Begins+int64(len(p.Content)) == row.Bytes {
		if err := work(a, id, "reading"); err != nil {
			return nil, err
		}
	}
	return &Come{p.Begins + int64(len(p.Content))}, nil
}

// standing locks an intake that has to be in one of some states.
func standing(a *act.Act, id int64, states ...string) (*intakedb.Intake, error) {
	row, err := intakedb.IntakeLocked(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("file")
	}
	if !slices.Contains(states, row.State) {
		return nil, problem.Newf(problem.Refused, "This file %s. Check it again.", sayState[row.State])
	}
	return row, nil
}

var sayState = map[string]string{
	"sending": "is not fully uploaded yet", "reading": "is being read", "read": "has not been tested yet",
	"trying": "is being tested",
	"tried":  "has been tested and not imported", "taking": "is being imported", "taken": "has been imported",
	"undoing": "is being undone",
	"undone":  "has been undone",
}

// work sets an intake to work.
func work(a *act.Act, id int64, state string) error {
	intakedb.IntakeStands(a.Tx, id, state)
	return a.Enqueue(Args{Intake: id})
}

// Try tries a file with a mapping: nothing is taken, and each line gets the result it would have.
func Try(a *act.Act, id int64, m intake.Mapping) (*Intake, error) {
	row, err := standing(a, id, "read", "tried")
	if err != nil {
		return nil, err
	}
	n, err := show(row)
	if err != nil {
		return nil, err
	}
	if n.Seen == nil {
		return nil, problem.Newf(problem.Refused, "This file has been deleted. Upload it again.")
	}
	if err := m.Check(n.Kind, n.Seen.Heads); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	intakedb.MapIntake(a.Tx, id, store.JSON(&m))
	if err := work(a, id, "trying"); err != nil {
		return nil, err
	}
	return One(a, id)
}

// Take takes a file that has been tried.
func Take(a *act.Act, id int64) (*Intake, error) {
	row, err := standing(a, id, "tried")
	if err != nil {
		return nil, err
	}
	n, err := show(row)
	if err != nil {
		return nil, err
	}
	if n.Counts == nil ||
		!slices.ContainsFunc(n.Counts.By, func(o Outcome) bool { return o.New+o.Joined+o.Changed > 0 }) {
		return nil, problem.Newf(problem.Refused, "Nothing in this file would be imported.")
	}
	intakedb.IntakeAskedBy(a.Tx, id, a.Who.ID)
	if err := work(a, id, "taking"); err != nil {
		return nil, err
	}
	return One(a, id)
}

// Undo takes back what came with a file, as far as nothing has become of it here.
func Undo(a *act.Act, id int64) (*Intake, error) {
	row, err := standing(a, id, "taken", "undone")
	if err != nil {
		return nil, err
	}
	switch {
	case row.State == "undone":
		return nil, problem.Newf(problem.Refused, "This has already been undone.")
	case len(row.Seen) == 0:
		return nil, problem.Newf(problem.Refused,
			"This was imported more than %d days ago. The earlier data has been deleted, since it is personal.", keptDays)
	}
	intakedb.IntakeAskedBy(a.Tx, id, a.Who.ID)
	if err := work(a, id, "undoing"); err != nil {
		return nil, err
	}
	return One(a, id)
}

// Stop stops what is being done with a file. What is done in one go has then not been done at all. Reading through takes seconds, and
// nothing can be done before it.
func Stop(a *act.Act, id int64) (*Intake, error) {
	row, err := standing(a, id, "trying", "taking", "undoing")
	if err != nil {
		return nil, err
	}
	intakedb.IntakeStands(a.Tx, id, before[row.State])
	return One(a, id)
}

// before is how a file stood before something was done with it.
var before = map[string]string{"reading": "sending", "trying": "read", "taking": "tried", "undoing": "taken"}

// Drop lets a file go that has not been taken.
func Drop(a *act.Act, id int64) (*Intake, error) {
	row, err := standing(a, id, "sending", "read", "tried")
	if err != nil {
		return nil, err
	}
	intakedb.DropIntake(a.Tx, id)
	a.Tell(event.Event{Kind: event.Intake, Detail: event.Detail{Says: "Deleted: " + row.File + " from " + row.Source}})
	return show(row)
}

// Odd is a line that is left, or taken without something.
type Odd struct {
	Line   int    `json:"line" doc:"In the file; of MARC, which record"`
	Kind   string `json:"kind"`
	Number string `json:"number" doc:"By which it is known there"`
	Left   bool   `json:"left" doc:"It is not taken"`
	Says   string `json:"says"`
}

// OddLines gives a page of the lines that are left or taken without something, in the order of the file.
func OddLines(a *act.Act, id int64, page store.Page) ([]Odd, store.Page, error) {
	rows, next, err := intakedb.OddLines(a.Tx, id, page)
	out := []Odd{}
	for _, r := range rows {
		out = append(out, Odd{Line: r.Line, Kind: r.Kind, Number: r.Number, Left: r.Outcome == "left", Says: r.Says})
	}
	return out, next, err
}

// mostLeft is the most left lines that can be exported as a file.
const mostLeft = 50_000

// Left gives the lines that are left as a table: with the heads of their file, so that they can be mended and sent again, and why
// each is left. Cells for which there is no head come last.
func Left(a *act.Act, id int64) ([][]string, error) {
	n, err := One(a, id)
	if err != nil {
		return nil, err
	}
	heads := []string{}
	if n.Seen != nil && n.Seen.Form == "csv" {
		heads = n.Seen.Heads
	}
	out := [][]string{append(slices.Clone(heads), "Line", "Reason")}
	return out, eachLeft(a, id, func(r *intakedb.IntakeLine) error {
		var kept []string
		if len(r.Ready) > 0 && len(heads) > 0 {
			if err := json.Unmarshal(r.Ready, &kept); err != nil {
				return err
			}
		}
		cells := make([]string, len(heads))
		more := kept[min(copy(cells, kept), len(kept)):]
		out = append(out, append(append(cells, strconv.Itoa(r.Line), r.Says), more...))
		return nil
	})
}

// LeftRecords gives the records of a file of MARC of which something is left, as MARCXML, each once.
func LeftRecords(a *act.Act, id int64) ([]byte, error) {
	n, err := One(a, id)
	switch {
	case err != nil:
		return nil, err
	case n.Seen == nil || n.Seen.Form == "csv":
		return nil, problem.Newf(problem.Refused, "This is not a MARC file. Export its lines as CSV.")
	}
	var out bytes.Buffer
	w, err := marc.NewXMLWriter(&out)
	if err != nil {
		return nil, err
	}
	last := 0
	err = eachLeft(a, id, func(r *intakedb.IntakeLine) error {
		if len(r.Ready) == 0 || r.Line == last {
			return nil
		}
		last = r.Line
		var m marc.Record
		if err := json.Unmarshal(r.Ready, &m); err != nil {
			return err
		}
		return w.Write(&m)
	})
	if err != nil {
		return nil, err
	}
	err = w.Close()
	return out.Bytes(), err
}

// eachLeft walks through the lines that are left.
func eachLeft(a *act.Act, id int64, with func(*intakedb.IntakeLine) error) error {
	page := store.Page{Most: 1000}
	for taken := 0; ; {
		rows, next, err := intakedb.OddLines(a.Tx, id, page)
		if err != nil {
			return err
		}
		for k := range rows {
			if rows[k].Outcome != "left" {
				continue
			}
			if err := with(&rows[k]); err != nil {
				return err
			}
			taken++
		}
		if !next.More || taken > mostLeft {
			return nil
		}
		page = next
	}
}

// keptDays is the number of days that a file's content is kept beside its results, since it is personal data.
const keptDays = 30

// Empty deletes the content of files that were sent long ago.
func Empty(a *act.Act, day calendar.Date, _ int64) (int64, bool, error) {
	return 0, true, intakedb.EmptyIntakes(a.Tx, calendar.Local(day.Add(-keptDays), 0, a.Network.Location))
}
