package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/app/problem"
	"nevrin/core/expect"
	"nevrin/core/intake"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/eventsdb"
	"nevrin/store/intakedb"
)

// Args is the job of a file.
type Args struct {
	Intake int64 `json:"intake"`
}

// InsertOpts puts it with what takes long.
func (Args) InsertOpts() river.InsertOpts { return jobs.Long() }

// Kind names the job in the queue.
func (Args) Kind() string { return "intake" }

// Worker works on files.
type Worker struct {
	river.WorkerDefaults[Args]
	House *act.House
}

// Timeout lets a large file take its time.
func (*Worker) Timeout(*river.Job[Args]) time.Duration { return 4 * time.Hour }

// Work does what is to be done with a file.
func (w *Worker) Work(ctx context.Context, job *river.Job[Args]) error {
	return Run(ctx, w.House, job.Args.Intake)
}

// ResumeArgs is the job that looks for files nobody is at any more.
type ResumeArgs struct{}

// Kind names the job in the queue.
func (ResumeArgs) Kind() string { return "resume_intakes" }

// worker is one who is at a file.
type worker struct {
	ctx    context.Context
	house  *act.House
	row    *intakedb.Intake
	kind   intake.Kind
	holder string
	at     time.Time // when it was last said how far it is
}

// Run does what is to be done with a file, if nobody else is at it.
func Run(ctx context.Context, h *act.House, id int64) error {
	_, err := jobs.Claim(ctx, h.Store, store.IntakeWork(id), func(ctx context.Context, holder string) error {
		return workAt(ctx, h, id, holder)
	})
	if errors.Is(err, jobs.ErrStopped) {
		return nil
	}
	return err
}

func workAt(ctx context.Context, h *act.House, id int64, holder string) error {
	row, err := intakedb.BeginIntake(ctx, h.Store, id)
	if err != nil || row == nil {
		return err
	}
	w := &worker{ctx: ctx, house: h, row: row, kind: intake.Kind(row.Kind), holder: holder}
	start := time.Now()
	end := &intakedb.Intake{ID: id}
	switch row.State {
	case "reading":
		end.State, err = "read", w.read(end)
	case "trying":
		end.State, err = "tried", w.try(end)
	case "taking":
		end.State, err = "taken", w.take(end)
	case "undoing":
		end.State, err = "undone", w.undo()
	}
	end.Seconds = time.Since(start).Seconds()
	switch {
	case errors.Is(err, jobs.ErrStopped), err != nil && ctx.Err() != nil:
		return err // another goes on
	case err != nil:
		end.State, end.Problem = before[row.State], say(err)
		if row.State == "reading" {
			end.State = "read"
		}
	}
	return intakedb.EndIntake(ctx, h.Store, end, holder)
}

// say is what went wrong, for people.
func say(err error) string {
	var told *problem.Problem
	if errors.As(err, &told) {
		return told.Error()
	}
	var wrong *expect.Error
	switch {
	case errors.As(err, &wrong):
		return "This file cannot be read: " + expect.Shown(wrong.Found) + "; expected " + wrong.Expected + ". Nothing was changed."
	case store.TookTooLong(err):
		return "This took too long and was stopped. Nothing was changed. Split the file."
	case store.Unique(err), store.Referenced(err):
		return "One of these was registered, lent or put on hold meanwhile. Nothing was changed. Test the import again."
	case errors.Is(err, store.ErrBusy):
		return "Others are using these records. Nothing was changed. Try again."
	}
	return "It failed because of an error in Nevrin: " + store.Written(err) + ". Nothing was changed."
}

// every is the interval at which progress is reported.
const every = 700 * time.Millisecond

// tell says how far it is.
func (w *worker) tell(done, total int64) error {
	if time.Since(w.at) < every {
		return nil
	}
	w.at = time.Now()
	still, err := intakedb.IntakeAt(w.ctx, w.house.Store, w.row.ID, w.holder, done, total)
	if err == nil && !still {
		return jobs.ErrStopped
	}
	return err
}

// firstRows, mostValues and countedValues bound what is kept of a file that is read through.
const (
	firstRows     = 10
	mostValues    = 50
	longestValue  = 60
	ordersLooked  = 2000
	longestSample = 200
)

// read reads a file through once: what it is, its heads, its first rows, and the values of columns that have few.
func (w *worker) read(end *intakedb.Intake) error {
	file, err := w.open()
	if err != nil {
		return err
	}
	var counts []map[string]int
	var dates []string
	file.seen.First = [][]string{}
	for {
		rec, err := file.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		file.seen.Lines++
		if rec.wrong != "" {
			file.seen.Wrong++
			continue
		}
		if rec.marc != nil {
			file.seen.Heads = moreHeads(file.seen.Heads, rec.marc)
		}
		for len(counts) < len(file.seen.Heads) {
			counts = append(counts, map[string]int{})
		}
		for _, cells := range everyRow(&rec, file.seen.Heads) {
			if len(file.seen.First) < firstRows {
				file.seen.First = append(file.seen.First, cut(cells))
			}
			for column, cell := range cells {
				if file.seen.Lines < ordersLooked {
					dates = append(dates, cell)
				}
				if cell != "" && counts[column] != nil {
					if counts[column][cell]++; len(counts[column]) > mostValues || len(cell) > longestValue {
						counts[column] = nil
					}
				}
			}
		}
		if err := w.tell(file.count.n, w.row.Bytes); err != nil {
			return err
		}
	}
	if file.count.n != w.row.Bytes {
		return problem.Newf(problem.Invalid, "The file is not complete: %d of %d bytes. Upload it again.", file.count.n,
			w.row.Bytes)
	}
	if file.seen.Lines == 0 {
		return problem.Newf(problem.Invalid, "This file has only a header line.")
	}
	file.seen.Values = map[string][]string{}
	for column, by := range counts {
		if len(by) == 0 || len(by) > file.seen.Lines/2+5 {
			continue
		}
		values := []string{}
		for value := range by {
			values = append(values, value)
		}
		slices.SortFunc(values, func(one, other string) int { return cmp.Or(by[other]-by[one], strings.Compare(one, other)) })
		file.seen.Values[file.seen.Heads[column]] = values
	}
	end.Seen = store.JSON(&file.seen)
	mapping, err := w.propose(&file.seen, dates)
	end.Mapping = store.JSON(mapping)
	return err
}

func cut(cells []string) []string {
	out := make([]string, len(cells))
	for k := range cells {
		out[k] = cells[k]
		if letters := []rune(out[k]); len(letters) > longestSample {
			out[k] = string(letters[:longestSample]) + "…"
		}
	}
	return out
}

// propose proposes how a file is mapped: as the last one from there of this kind was, as far as it has the same columns, or else by
// the names of its heads.
func (w *worker) propose(seen *Seen, dates []string) (*intake.Mapping, error) {
	m := intake.Guess(w.kind, seen.Heads)
	if seen.Form != "csv" {
		m = marcMapping()
	}
	m.Order = intake.OrderOf(dates)
	last, err := act.Look(w.ctx, w.house, act.Machine, func(a *act.Act) (*intakedb.Intake, error) {
		return intakedb.LikeIntake(a.Tx, w.row.Kind, w.row.Source, w.row.ID)
	})
	if err != nil || last == nil {
		return &m, err
	}
	var kept intake.Mapping
	if err := json.Unmarshal(last.Mapping, &kept); err != nil {
		return nil, err
	}
	if !kept.Fits(w.kind, seen.Heads) {
		return &m, nil
	}
	// A column that was not there before is read by its name.
	before := Seen{}
	if len(last.Seen) > 0 {
		if err := json.Unmarshal(last.Seen, &before); err != nil {
			return nil, err
		}
	}
	for f, s := range m.From {
		_, known := kept.From[f]
		if !known && !slices.ContainsFunc(s.Columns, func(c string) bool { return slices.Contains(before.Heads, c) }) {
			kept.From[f] = s
		}
	}
	return &kept, nil
}

// atOnce is how many records are looked at together.
const atOnce = 2000

// try says of each line what would become of it.
func (w *worker) try(end *intakedb.Intake) error {
	var m intake.Mapping
	if err := json.Unmarshal(w.row.Mapping, &m); err != nil {
		return err
	}
	if err := intakedb.EmptyLines(w.ctx, w.house.Store, w.row.ID); err != nil {
		return err
	}
	n, err := show(w.row)
	if err != nil {
		return err
	}
	if n.Seen == nil {
		return problem.Newf(problem.Refused, "This file has been deleted. Upload it again.")
	}
	r, err := w.open()
	if err != nil {
		return err
	}
	seen := map[string]int{}
	for more := true; more; {
		var batch []record
		for len(batch) < atOnce && more {
			rec, err := r.next()
			if more = !errors.Is(err, io.EOF); !more {
				break
			}
			if err != nil {
				return err
			}
			batch = append(batch, rec)
		}
		// Its lines are written in a transaction of their own, so that a long file holds up nobody.
		_, err := act.Do(w.ctx, w.house, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			again := clone(seen)
			lines, err := w.lines(a, &m, n.Seen.Heads, batch, again)
			if err == nil {
				err = intakedb.AddLines(a.Tx, w.row.ID, lines)
			}
			if err == nil {
				seen = again
			}
			return true, err
		})
		if err == nil {
			err = w.tell(r.count.n, w.row.Bytes)
		}
		if err != nil {
			return err
		}
	}
	counts, err := act.Do(w.ctx, w.house, act.Machine, "", nil, func(a *act.Act) (*Counts, error) {
		if err := intakedb.Unhurried(a.Tx); err != nil {
			return nil, err
		}
		if err := intakedb.Recount(a.Tx, "intake_lines"); err != nil {
			return nil, err
		}
		if err := intakedb.SettleLines(a.Tx, w.row.ID, w.row.Source); err != nil {
			return nil, err
		}
		if err := w.keepLeft(a); err != nil {
			return nil, err
		}
		return w.count(a)
	})
	end.Counts = store.JSON(counts)
	return err
}

// keepLeft reads the file once more for lines that are left and would have lost what stood in them: whoever mends them needs it all.
func (w *worker) keepLeft(a *act.Act) error {
	bare, err := intakedb.LinesLeftBare(a.Tx, w.row.ID, mostLeft)
	if err != nil || len(bare) == 0 {
		return err
	}
	r, err := w.open()
	if err != nil {
		return err
	}
	var lines []int
	var texts []string
	for len(bare) > 0 {
		rec, err := r.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		for len(bare) > 0 && bare[0] < rec.line {
			bare = bare[1:]
		}
		if len(bare) == 0 || bare[0] != rec.line {
			continue
		}
		switch {
		case rec.marc != nil:
			lines, texts = append(lines, rec.line), append(texts, string(store.JSON(rec.marc)))
		case rec.cells != nil:
			lines, texts = append(lines, rec.line), append(texts, string(store.JSON(&rec.cells)))
		}
		if len(lines) == linesAtOnce {
			if err := intakedb.KeepLeft(a.Tx, w.row.ID, lines, texts); err != nil {
				return err
			}
			lines, texts = nil, nil
		}
	}
	return intakedb.KeepLeft(a.Tx, w.row.ID, lines, texts)
}

// clone copies how often charges stood alike. It is small: only charges are counted.
func clone(seen map[string]int) map[string]int {
	out := make(map[string]int, len(seen))
	for k, n := range seen {
		out[k] = n
	}
	return out
}

func (w *worker) count(a *act.Act) (*Counts, error) {
	rows, err := intakedb.CountLines(a.Tx, w.row.ID)
	if err != nil {
		return nil, err
	}
	out := &Counts{By: []Outcome{}}
	for _, r := range rows {
		k := slices.IndexFunc(out.By, func(o Outcome) bool { return o.Kind == r.Kind })
		if k < 0 {
			k, out.By = len(out.By), append(out.By, Outcome{Kind: r.Kind})
		}
		o := &out.By[k]
		*map[string]*int{"new": &o.New, "joined": &o.Joined, "changed": &o.Changed, "same": &o.Same,
			"left": &o.Left}[r.Outcome] = r.N
		o.Noted += r.Noted
	}
	slices.SortFunc(out.By, func(x, y Outcome) int { return slices.Index(kinds, x.Kind) - slices.Index(kinds, y.Kind) })
	out.Missing, err = intakedb.MissingBefore(a.Tx, w.row.ID, w.row.Source, kindsOf[w.kind])
	return out, err
}

// kinds are what lines are, in the order in which they are taken.
var kinds = []string{"patrons", "titles", "items", "loans", "holds", "balances"}

var kindsOf = map[intake.Kind][]string{
	intake.Patrons: {"patrons"}, intake.Stock: {"titles", "items"}, intake.Loans: {"loans"}, intake.Holds: {"holds"},
	intake.Balances: {"balances"},
}

// actor is who has asked for what is done with a file: it is they who do it.
func (w *worker) actor() act.Actor {
	return act.Actor{ID: w.row.AskedBy, Role: role.Administrator}
}

// linesAtOnce is how many lines are taken with one statement.
const linesAtOnce = 5000

// take takes a file that has been tried, in one transaction.
func (w *worker) take(end *intakedb.Intake) error {
	_, err := act.Do(w.ctx, w.house, w.actor(), "", nil, func(a *act.Act) (bool, error) {
		err := intakedb.Unhurried(a.Tx)
		if err != nil {
			return false, err
		}
		patrons, titles, err := intakedb.Spoken(a.Tx, w.row.ID)
		if err == nil {
			err = a.Tx.Lock(store.Lock{Patrons: patrons, Titles: titles})
		}
		if err != nil {
			return false, err
		}
		last, err := intakedb.LastLine(a.Tx, w.row.ID)
		if err != nil {
			return false, err
		}
		if err := intakedb.LeaveTouched(a.Tx, w.row.ID, w.row.Source, kindsOf[w.kind]); err != nil {
			return false, err
		}
		if err := w.keepLeft(a); err != nil {
			return false, err
		}
		counts, err := w.count(a)
		if err != nil {
			return false, err
		}
		end.Counts = store.JSON(counts)
		t := intakedb.Taking{Intake: w.row.ID, Source: w.row.Source, Note: noteKind(a), Edition: a.Book.ID,
			Event: eventsdb.Event{At: a.Now,
				Kind: string(event.CameIn), StaffID: act.OrNil(a.Who.ID), Detail: store.JSON(&event.Detail{
					Says: fmt.Sprintf("Imported from %s: %s", w.row.Source, w.row.File)})}}
		if w.kind == intake.Patrons {
			if err := intakedb.TakeHouseholds(a.Tx, t); err != nil {
				return false, err
			}
		}
		of := kindsOf[w.kind]
		for k, kind := range of {
			for t.After = 0; t.After < last; t.After = t.Upto {
				t.Upto = min(t.After+linesAtOnce, last)
				if err := intakedb.TakeLines(a.Tx, kind, t); err != nil {
					return false, err
				}
				if err := w.tell(int64(k*last+t.Upto), int64(len(of)*last)); err != nil {
					return false, err
				}
			}
			if err := intakedb.Recount(a.Tx, intakedb.Filled[kind]...); err != nil {
				return false, err
			}
		}
		if w.kind == intake.Patrons {
			if err := intakedb.TakeGuardians(a.Tx, t); err != nil {
				return false, err
			}
		}
		w.note(a, "Imported: ")
		still, err := intakedb.IntakeTaken(a.Tx, w.row.ID, w.holder, a.Now)
		if err == nil && !still {
			err = jobs.ErrStopped
		}
		return true, err
	})
	return err
}

// note writes down that something was done with the file.
func (w *worker) note(a *act.Act, what string) {
	says := what + w.row.File + " from " + w.row.Source
	a.Tell(event.Event{Kind: event.Intake, Detail: event.Detail{Says: says}})
}

func noteKind(a *act.Act) string {
	for _, c := range a.Network.Choices {
		if c.List == "note" && !c.Retired {
			return c.Code
		}
	}
	return "note"
}

// undo takes back what came with a file, in one transaction: the last first, since what is first may be spoken of by it.
func (w *worker) undo() error {
	_, err := act.Do(w.ctx, w.house, w.actor(), "", nil, func(a *act.Act) (bool, error) {
		n, err := show(w.row)
		if err == nil {
			err = intakedb.Unhurried(a.Tx)
		}
		if err != nil {
			return false, err
		}
		out, gone := n.Counts, 0
		u := intakedb.Undoing{Intake: w.row.ID, TakenAt: *w.row.TakenAt, Now: a.Now, Staff: a.Who.ID,
			Reason: "Undone: imported from " + w.row.Source}
		for _, kind := range slices.Backward(kindsOf[w.kind]) {
			back, err := intakedb.UndoIntake(a.Tx, kind, u, func(n int) error { return w.tell(int64(gone+n), 0) })
			if err != nil {
				return false, err
			}
			gone += back.Gone
			for k := range out.By {
				if out.By[k].Kind == kind {
					out.By[k].Gone, out.By[k].Stay = back.Gone+back.Restored, back.Stay
				}
			}
		}
		w.note(a, "Undone: ")
		still, err := intakedb.IntakeUndone(a.Tx, w.row.ID, w.holder, store.JSON(out), a.Now)
		if err == nil && !still {
			err = jobs.ErrStopped
		}
		return true, err
	})
	return err
}
