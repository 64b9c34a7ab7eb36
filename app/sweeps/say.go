package sweeps

import (
	"fmt"
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/sweep"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/rostersdb"
	"nevrin/store/sweepsdb"
)

// sayDates says how dates are moved.
func sayDates(a *act.Act, d sweep.Dates, open bool) string {
	says := "to the next open day"
	switch {
	case d.To != nil:
		says = "to " + a.Network.SayDate(*d.To)
	case d.Days > 0:
		says = calendar.Count(d.Days, "day") + " later"
	case d.Days < 0:
		says = calendar.Count(-d.Days, "day") + " earlier"
	}
	if open && (d.To != nil || d.Days != 0) {
		says += " (on closed days, the next open day)"
	}
	return says
}

// say says which records are meant; empty: all of them.
func (w *Which) say(a *act.Act) (string, error) {
	var parts []string
	branches := func(what string, codes []calendar.Code) error {
		var names []string
		for _, code := range codes {
			if _, err := a.Network.Branch(code); err != nil {
				return problem.Newf(problem.Invalid, "There is no branch %q.", code)
			}
			names = append(names, a.Network.BranchName(code))
		}
		if names != nil {
			parts = append(parts, what+strings.Join(names, ", "))
		}
		return nil
	}
	classes := func(kind string, codes []string) {
		var names []string
		for _, code := range codes {
			names = append(names, a.Network.ClassName(kind, code))
		}
		if names != nil {
			parts = append(parts, strings.Join(names, ", "))
		}
	}
	for _, one := range []struct {
		what  string
		codes []calendar.Code
	}{{"at ", w.Branches}, {"items of ", w.Owners}, {"patrons of ", w.Homes}} {
		if err := branches(one.what, one.codes); err != nil {
			return "", err
		}
	}
	classes("patron", w.Classes)
	classes("material", w.Materials)
	if w.Roster != 0 {
		r, err := rostersdb.RosterByID(a.Tx, w.Roster)
		if err != nil {
			return "", err
		}
		if r == nil {
			return "", problem.NoSuch("roster")
		}
		parts = append(parts, r.Name)
	}
	switch {
	case w.From != nil && w.To != nil && *w.From == *w.To:
		parts = append(parts, a.Network.SayDate(*w.From))
	case w.From != nil && w.To != nil:
		parts = append(parts, a.Network.SayDate(*w.From)+" to "+a.Network.SayDate(*w.To))
	case w.From != nil:
		parts = append(parts, "from "+a.Network.SayDate(*w.From))
	case w.To != nil:
		parts = append(parts, "until "+a.Network.SayDate(*w.To))
	}
	switch {
	case w.FromAge != nil && w.ToAge != nil:
		parts = append(parts, fmt.Sprintf("%d to %d years old", *w.FromAge, *w.ToAge))
	case w.FromAge != nil:
		parts = append(parts, fmt.Sprintf("%d years or older", *w.FromAge))
	case w.ToAge != nil:
		parts = append(parts, fmt.Sprintf("up to %d years old", *w.ToAge))
	}
	return strings.Join(parts, "; "), nil
}

// Record is one record of a change.
type Record struct {
	ID      int64    `json:"id" doc:"Of the loan, charge, patron or hold"`
	Patron  int64    `json:"patron"`
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	Barcode string   `json:"barcode"`
	Branch  string   `json:"branch"`
	Before  string   `json:"before"`
	After   string   `json:"after"`
	Notes   []string `json:"notes" nullable:"false" doc:"What to look at"`
	State   string   `json:"state" enum:",waiting,done,kept,undone,stays" doc:"Once applied. Kept: not changed; stays: not undone"`
	Reason  string   `json:"reason" doc:"Why it was not changed, or not undone"`
}

func showLine(a *act.Act, kind sweepsdb.Kind, c *sweepsdb.Candidate) Record {
	out := Record{
		Patron: c.Whose, Name: (&peopledb.Patron{LegalName: c.LegalName, PreferredName: c.PreferredName}).Name(), Title: c.Title, Barcode: c.Barcode,
		Branch: a.Network.BranchName(c.BranchCode), Notes: []string{}, State: c.State, Reason: sayReason(c.Reason),
	}
	for _, id := range []*int64{c.LoanID, c.HoldID, c.PatronID, c.EntryID} {
		if id != nil {
			out.ID = *id
		}
	}
	switch kind {
	case sweepsdb.Due, sweepsdb.Renewals:
		branch, err := a.Network.Branch(c.BranchCode)
		if err != nil {
			break
		}
		if c.DayBefore != nil || c.AtBefore != nil {
			out.Before = loansdb.DueOf(c.DayBefore, c.AtBefore).Near(branch, a.Today())
		}
		if c.DayAfter != nil || c.AtAfter != nil {
			out.After = loansdb.DueOf(c.DayAfter, c.AtAfter).Near(branch, a.Today())
		}
	case sweepsdb.Charges:
		out.Before, out.After = sayMinor(a, c.TextBefore), sayMinor(a, c.TextAfter)
	case sweepsdb.Cards:
		out.Before, out.After = a.SayDate(*store.DateOf(c.DayBefore)), a.SayDate(*store.DateOf(c.DayAfter))
	case sweepsdb.Classes:
		out.Before, out.After = a.Network.ClassName("patron", c.TextBefore), a.Network.ClassName("patron", c.TextAfter)
	case sweepsdb.Pickups:
		out.Before, out.After = a.Network.BranchName(calendar.Code(c.TextBefore)), a.Network.BranchName(calendar.Code(c.TextAfter))
	}
	for _, note := range []struct {
		has  bool
		says string
	}{
		{c.Told, "A notice was sent"}, {c.Awaited, "Others wait for it"}, {c.Beyond, "After the card expires"},
	} {
		if note.has {
			out.Notes = append(out.Notes, note.says)
		}
	}
	return out
}

func sayMinor(a *act.Act, minor string) string {
	var sum int64
	if _, err := fmt.Sscan(minor, &sum); err != nil {
		return minor
	}
	return a.Network.Money.Say(money.Amount(sum))
}

// sayReason says why a line stayed as it was.
func sayReason(reason string) string {
	switch reason {
	case sweepsdb.Ended:
		return "Returned, picked up or closed in the meantime"
	case sweepsdb.Changed:
		return "Changed in the meantime"
	}
	return reason
}
