package calendars

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/store"
)

// MovedLoan is a loan whose due date moves along.
type MovedLoan struct {
	Loan    int64  `json:"loan"`
	Item    int64  `json:"item"`
	Title   string `json:"title"`
	Barcode string `json:"barcode"`
	Patron  string `json:"patron"`
	Branch  string `json:"branch"`
	Before  string `json:"before"`
	After   string `json:"after"`

	before, after loan.Due
}

// MovedHold is a hold that waits on the shelf for longer.
type MovedHold struct {
	Hold   int64  `json:"hold"`
	Title  string `json:"title"`
	Patron string `json:"patron"`
	Branch string `json:"branch"`
	Before string `json:"before"`
	After  string `json:"after"`

	before, after calendar.Date
}

// Touched is what a change touches.
type Touched struct {
	Text    string      `json:"text" doc:"The change, in a sentence"`
	Loans   []MovedLoan `json:"loans"`
	Holds   []MovedHold `json:"holds"`
	Runs    []string    `json:"runs" doc:"Courier runs that call at a branch that is then closed"`
	Sweep   int64       `json:"sweep,omitempty" doc:"Once applied"`
	Version int64       `json:"version"`
}

// plan works out a change: the calendars before and after, and what it touches.
type plan struct {
	rows          []store.Branch
	before, after map[string]plain
	was, is       map[string]*calendar.Branch
	touched       Touched
}

// Preview tells what a change would touch. Nothing is changed.
func Preview(a *act.Act, c Change) (*Touched, error) {
	p, err := work(a, &c, false)
	if err != nil {
		return nil, err
	}
	return &p.touched, nil
}

// Apply makes a change, and moves due dates and hold shelves along, but for the loans left out.
func Apply(a *act.Act, c Change) (*Touched, error) {
	p, err := work(a, &c, true)
	if err != nil {
		return nil, err
	}
	sweep := struct {
		ID       int64
		At       time.Time
		StaffID  int64
		Text     string
		Branches json.RawMessage
		Changed  json.RawMessage
	}{At: a.Now, StaffID: a.Who.ID, Text: p.touched.Text, Branches: act.JSON(&p.before), Changed: act.JSON(&p.after)}
	if err := a.Table("sweeps").Create(&sweep).Error; err != nil {
		return nil, err
	}
	for k := range p.rows {
		after := p.after[p.rows[k].Code]
		after.write(&p.rows[k])
		if err := a.Model(&p.rows[k]).Select("Hours", "Closures", "Openings", "Recurring").Updates(&p.rows[k]).Error; err != nil {
			return nil, err
		}
	}
	var lines []map[string]any
	for _, l := range p.touched.Loans {
		if slices.Contains(c.LeaveOut, l.Loan) {
			continue
		}
		line := map[string]any{"sweep_id": sweep.ID, "loan_id": l.Loan, "day_before": nil, "day_after": nil, "at_before": nil, "at_after": nil}
		if l.before.Hours {
			line["at_before"], line["at_after"] = l.before.At, l.after.At
		} else {
			line["day_before"], line["day_after"] = l.before.Date.UTC(), l.after.Date.UTC()
		}
		lines = append(lines, line)
	}
	holds := []map[string]any{}
	for _, h := range p.touched.Holds {
		holds = append(holds, map[string]any{"sweep_id": sweep.ID, "hold_id": h.Hold, "day_before": h.before.UTC(), "day_after": h.after.UTC()})
	}
	for _, list := range [][]map[string]any{lines, holds} {
		if len(list) > 0 {
			if err := a.Table("sweep_lines").CreateInBatches(list, 1000).Error; err != nil {
				return nil, err
			}
		}
	}
	if err := follow(a, sweep.ID, true); err != nil {
		return nil, err
	}
	p.touched.Sweep = sweep.ID
	return &p.touched, a.Tell(act.Happened{Kind: "calendar_changed", Text: p.touched.Text})
}

// follow moves loans and holds to what the lines of a sweep say: forward, or back where nothing else has
// happened to them since.
func follow(a *act.Act, sweep int64, forward bool) error {
	from, to, says := "before", "after", "Due date moved with the calendar"
	if !forward {
		from, to, says = "after", "before", "Due date moved back with the calendar"
	}
	moved := fmt.Sprintf(`WITH moved AS (UPDATE loans l SET due_date = s.day_%[2]s, due_at = s.at_%[2]s FROM sweep_lines s
			WHERE s.sweep_id = @sweep AND s.loan_id = l.id AND l.returned_at IS NULL AND l.due_date IS NOT DISTINCT FROM s.day_%[1]s AND l.due_at IS NOT DISTINCT FROM s.at_%[1]s
			RETURNING l.id, l.item_id, l.patron_id, coalesce(to_char(l.due_date, 'FMDD Mon YYYY'), to_char(l.due_at AT TIME ZONE @zone, 'FMDD Mon YYYY HH24:MI')) AS due)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, loan_id, text)
			SELECT @now, 'due_moved', @who, @branch, patron_id, item_id, id, @says || ', now due ' || due FROM moved`, from, to)
	with := map[string]any{"sweep": sweep, "now": a.Now, "who": a.Who.ID, "branch": a.Who.Branch, "says": says, "zone": a.Network.Timezone}
	if err := a.Exec(moved, with).Error; err != nil {
		return err
	}
	return a.Exec(fmt.Sprintf(`UPDATE holds h SET shelf_until = s.day_%[2]s FROM sweep_lines s
		WHERE s.sweep_id = ? AND s.hold_id = h.id AND h.state = 'ready' AND h.shelf_until = s.day_%[1]s`, from, to), sweep).Error
}

func work(a *act.Act, c *Change, lock bool) (*plan, error) {
	if c.Now != "" && !slices.Equal(c.Branches, []string{a.Who.Branch}) && a.Who.Role != loan.Supervisor && a.Who.Role != loan.Administrator {
		return nil, act.Problemf(act.Forbidden, "Only the branch where you are can be closed from here.")
	}
	if c.Now == "" && a.Who.Role != loan.Supervisor && a.Who.Role != loan.Administrator {
		return nil, act.Problemf(act.Forbidden, "Only a supervisor changes calendars.")
	}
	if lock {
		var version int64
		if err := a.Raw("SELECT version FROM network FOR UPDATE").Scan(&version).Error; err != nil {
			return nil, err
		}
		if version != c.Version {
			return nil, act.Problemf(act.Refused, "Somebody else has changed a calendar meanwhile. Look at it again, then make your change.")
		}
	}
	p := &plan{before: map[string]plain{}, after: map[string]plain{}, was: map[string]*calendar.Branch{}, is: map[string]*calendar.Branch{},
		touched: Touched{Loans: []MovedLoan{}, Holds: []MovedHold{}, Runs: []string{}, Version: a.Network.Version}}
	var names []string
	says := ""
	for _, code := range c.Branches {
		b, row, before, err := load(a, code)
		if err != nil {
			return nil, err
		}
		after, err := read(&row)
		if err != nil {
			return nil, err
		}
		if says, err = c.apply(&after, b, a.Now); err != nil {
			return nil, err
		}
		after.write(&row)
		// What cannot be read as a calendar is refused here, with its place.
		changed, err := act.ReadCalendar(&row, a.Today())
		if err != nil {
			return nil, act.Problemf(act.Invalid, "%s", err)
		}
		p.rows, p.before[code], p.after[code], p.was[code], p.is[code] = append(p.rows, row), before, after, b, changed
		names = append(names, b.Name)
	}
	p.touched.Text = strings.Join(names, ", ") + ": " + says
	if err := p.loans(a); err != nil {
		return nil, err
	}
	if err := p.holds(a); err != nil {
		return nil, err
	}
	p.runs(a)
	return p, nil
}

// loans finds the loans that then fall due on closed time.
func (p *plan) loans(a *act.Act) error {
	var rows []struct {
		store.Loan
		Title, Barcode, Name string
		OwnTerms             json.RawMessage
	}
	codes := make([]string, 0, len(p.is))
	for code := range p.is {
		codes = append(codes, code)
	}
	err := a.Raw(`SELECT l.*, t.name AS title, i.barcode, i.own_terms, coalesce(nullif(p.preferred_name, ''), p.legal_name) AS name
		FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id JOIN patrons p ON p.id = l.patron_id
		WHERE l.returned_at IS NULL AND l.branch_code IN ? AND (l.due_date >= ?::date OR l.due_at > ?) ORDER BY coalesce(l.due_at, l.due_date), l.id`, codes, a.Today().String(), a.Now).Scan(&rows).Error
	if err != nil {
		return err
	}
	for _, r := range rows {
		due := loan.Due{Hours: r.DueAt != nil}
		if due.Hours {
			due.At = *r.DueAt
		} else {
			due.Date = *act.DateOf(r.DueDate)
		}
		was, is := p.was[r.BranchCode], p.is[r.BranchCode]
		if due.StillOpen(was, a.Now) == due.StillOpen(is, a.Now) {
			continue // only what this change closes moves
		}
		book, err := a.Edition(r.EditionID)
		if err != nil {
			return err
		}
		var own []rulebook.Setting
		if len(r.OwnTerms) > 0 {
			if own, err = book.ParseSettings(r.OwnTerms); err != nil {
				return err
			}
		}
		var at rulebook.Situation
		copy(at[:], r.Situation)
		terms := book.Decide(at, own)
		to := loan.Moved(is, terms.Loan(), due, a.Now)
		if to == due {
			continue
		}
		p.touched.Loans = append(p.touched.Loans, MovedLoan{Loan: r.ID, Item: r.ItemID, Title: r.Title, Barcode: r.Barcode, Patron: r.Name, Branch: is.Name,
			Before: due.Say(is), After: to.Say(is), before: due, after: to})
	}
	return nil
}

// holds finds the holds on the shelf that wait for so many open days, and now need longer for them.
func (p *plan) holds(a *act.Act) error {
	for code, is := range p.is {
		var rows []store.Hold
		if err := a.Joins("Title").Joins("Patron").Where("pickup = ? AND state = 'ready'", code).Order("shelf_until, holds.id").Find(&rows).Error; err != nil {
			return err
		}
		for _, h := range rows {
			until := *act.DateOf(h.ShelfUntil)
			to := queue.Waits(p.was[code], is, is.Date(*h.ReadyAt), until, a.Now)
			if to == until {
				continue
			}
			p.touched.Holds = append(p.touched.Holds, MovedHold{Hold: h.ID, Title: h.Title.Name, Patron: h.Patron.Name(), Branch: is.Name, Before: until.Say(), After: to.Say(), before: until, after: to})
		}
	}
	return nil
}

// runs finds courier runs of the next four weeks that call at a branch on a day that is newly closed.
func (p *plan) runs(a *act.Act) {
	for code, is := range p.is {
		for k := range a.Network.Timetable.Runs {
			r := &a.Network.Timetable.Runs[k]
			if !slices.ContainsFunc(r.Stops, func(s courier.Stop) bool { return s.Branch == code }) {
				continue
			}
			var days []string
			for d := a.Today(); d < a.Today()+28; d++ {
				if r.On(d) && p.was[code].OpenOn(d) && !is.OpenOn(d) {
					days = append(days, d.UTC().Format("Mon 2 Jan"))
				}
			}
			if days != nil {
				p.touched.Runs = append(p.touched.Runs, fmt.Sprintf("%s to %s on %s", cmp.Or(r.Name, r.ID), is.Name, strings.Join(days, ", ")))
			}
		}
	}
	slices.Sort(p.touched.Runs)
}

// Sweep is a change that was made.
type Sweep struct {
	ID     int64      `json:"id"`
	At     time.Time  `json:"at"`
	Who    string     `json:"who"`
	Text   string     `json:"text"`
	Loans  int        `json:"loans"`
	Holds  int        `json:"holds"`
	Undone *time.Time `json:"undone_at,omitempty"`
}

// Sweeps lists the latest changes to calendars.
func Sweeps(a *act.Act) ([]Sweep, error) {
	out := []Sweep{}
	err := a.Raw(`SELECT s.id, s.at, t.name AS who, s.text, s.undone_at AS undone, count(l.loan_id) AS loans, count(l.hold_id) AS holds
		FROM sweeps s JOIN staff t ON t.id = s.staff_id LEFT JOIN sweep_lines l ON l.sweep_id = s.id GROUP BY s.id, t.name ORDER BY s.id DESC LIMIT 30`).Scan(&out).Error
	return out, err
}

// Undo takes a change back: calendars as they were, due dates and hold shelves too, where nothing has happened to
// them since. A calendar that was changed again since must be undone first.
func Undo(a *act.Act, id int64) ([]Sweep, error) {
	var s struct {
		ID                int64
		Text              string
		Branches, Changed json.RawMessage
		UndoneAt          *time.Time
	}
	if err := a.Raw("SELECT id, text, branches, changed, undone_at FROM sweeps WHERE id = ? FOR UPDATE", id).Scan(&s).Error; err != nil {
		return nil, err
	}
	switch {
	case s.ID == 0:
		return nil, act.Problemf(act.Missing, "There is no such change.")
	case s.UndoneAt != nil:
		return nil, act.Problemf(act.Refused, "This change has been undone already.")
	}
	var before, after map[string]plain
	if err := json.Unmarshal(s.Branches, &before); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(s.Changed, &after); err != nil {
		return nil, err
	}
	for code, p := range before {
		row := store.Branch{}
		if err := a.Raw("SELECT * FROM branches WHERE code = ? FOR UPDATE", code).Scan(&row).Error; err != nil {
			return nil, err
		}
		now, err := read(&row)
		if err != nil {
			return nil, err
		}
		then := after[code]
		if string(act.JSON(&now)) != string(act.JSON(&then)) {
			return nil, act.Problemf(act.Refused, "The calendar of %s has been changed again since. Undo that first.", a.Network.BranchName(code))
		}
		p.write(&row)
		if err := a.Model(&row).Select("Hours", "Closures", "Openings", "Recurring").Updates(&row).Error; err != nil {
			return nil, err
		}
	}
	if err := follow(a, id, false); err != nil {
		return nil, err
	}
	if err := a.Exec("UPDATE sweeps SET undone_at = ?, undone_by = ? WHERE id = ?", a.Now, a.Who.ID, id).Error; err != nil {
		return nil, err
	}
	if err := a.Tell(act.Happened{Kind: "calendar_undone", Text: "Undone: " + s.Text}); err != nil {
		return nil, err
	}
	return Sweeps(a)
}
