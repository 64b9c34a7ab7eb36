package accounts

import (
	"strconv"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// Period is a stretch of days at a branch, or all over the network.
type Period struct {
	From, To calendar.Date
	Branch   calendar.Code // empty: all
}

// longest is how many days are looked at at once.
const longest = 370

// check refuses a period that makes no sense, and branches that the actor has nothing to do with.
func (p Period) check(a *act.Act) error {
	switch {
	case p.From > p.To:
		return problem.Newf(problem.Invalid, "The period ends before it starts. Choose a later end.")
	case p.To.DaysSince(p.From) > longest:
		return problem.Newf(problem.Invalid, "That is more than a year. Choose at most %d days.", longest)
	case !a.Who.Role.Supervises() && p.Branch != a.Who.Branch:
		return problem.Newf(problem.Forbidden, "You see what was taken where you work. A supervisor sees all branches.")
	}
	return nil
}

// Taken is income of a day, by branch, till, person, method of payment and what it was for.
type Taken struct {
	Day    calendar.Date `json:"day"`
	Branch string        `json:"branch"`
	Till   string        `json:"till"`
	Who    string        `json:"who"`
	Means  ledger.Means  `json:"means"`
	For    string        `json:"for"`
	Sum    string        `json:"sum"`
	Minor  int64         `json:"minor" doc:"The same in minor units, for adding up"`
	Count  int           `json:"count"`
}

// Takings gives what was taken in a period.
func Takings(a *act.Act, p Period) ([]Taken, error) {
	if err := p.check(a); err != nil {
		return nil, err
	}
	rows, err := accountsdb.Takings(a.Tx, p.From.UTC(), p.To.UTC(), a.Network.Timezone, p.Branch)
	out := []Taken{}
	for _, r := range rows {
		out = append(out, Taken{
			*store.DateOf(&r.Day), a.Network.BranchName(r.BranchCode), r.Till, r.Who, r.Means, forWhat(r.About),
			a.Network.Money.Format(r.Sum), int64(r.Sum), r.Count,
		})
	}
	return out, err
}

func forWhat(of ledger.About) string {
	switch of {
	case "":
		return "Refunded"
	case "rounding":
		return "Cash rounding"
	}
	return Say(of, "")
}

// WaivedBy is a sum that somebody waived.
type WaivedBy struct {
	ID     int64  `json:"id"`
	At     string `json:"at" format:"date-time"`
	Branch string `json:"branch"`
	Who    string `json:"who"`
	For    string `json:"for"`
	Reason string `json:"reason"`
	Sum    string `json:"sum"`
	Patron int64  `json:"patron"`
	Name   string `json:"name"`
}

// Waivers gives a page of what was waived in a period, newest first.
func Waivers(a *act.Act, p Period, page store.Page) ([]WaivedBy, store.Page, error) {
	if err := p.check(a); err != nil {
		return nil, page, err
	}
	rows, next, err := accountsdb.Waivers(a.Tx, p.From.UTC(), p.To.UTC(), a.Network.Timezone, p.Branch, page)
	out := []WaivedBy{}
	for _, r := range rows {
		out = append(out, WaivedBy{
			r.ID, r.At.Format("2006-01-02T15:04:05Z07:00"), a.Network.BranchName(r.BranchCode), r.Who,
			Say(r.About, ""), r.Reason,
			a.Network.Money.Format(r.Sum), r.PatronID, r.LegalName,
		})
	}
	return out, next, err
}

// TakingsTable is the same as a table to take away.
func TakingsTable(a *act.Act, p Period) ([][]string, error) {
	rows, err := Takings(a, p)
	out := [][]string{{"day", "branch", "till", "taken_by", "means", "for", "sum", "currency", "count"}}
	for _, r := range rows {
		out = append(out, []string{
			r.Day.String(), r.Branch, r.Till, r.Who, string(r.Means), r.For, r.Sum, a.Network.Currency,
			strconv.Itoa(r.Count),
		})
	}
	return out, err
}

// Booked is a line of the journal: what was booked on a day at a branch on two accounts.
type Booked struct {
	Day      calendar.Date
	Branch   calendar.Code
	Postings []ledger.Posting
}

// Journal gives what was booked in a period, day by day and branch by branch, in double entry.
func Journal(a *act.Act, p Period) ([]Booked, error) {
	if err := p.check(a); err != nil {
		return nil, err
	}
	rows, err := accountsdb.Books(a.Tx, p.From.UTC(), p.To.UTC(), a.Network.Timezone, p.Branch)
	var out []Booked
	for _, r := range rows {
		day := *store.DateOf(&r.Day)
		if len(out) == 0 || out[len(out)-1].Day != day || out[len(out)-1].Branch != r.BranchCode {
			out = append(out, Booked{Day: day, Branch: r.BranchCode})
		}
		last := &out[len(out)-1]
		last.Postings = append(last.Postings, postings(r)...)
	}
	for k := range out {
		out[k].Postings = ledger.Sums(out[k].Postings)
	}
	return out, err
}

func postings(r accountsdb.Booked) []ledger.Posting {
	sum := r.Sum
	switch r.What {
	case accountsdb.BookedRounding:
		return ledger.BookRounding(sum)
	case accountsdb.BookedPayout:
		return ledger.BookPayout(r.Means, sum)
	case accountsdb.BookedMove:
		return ledger.BookMove(sum)
	case accountsdb.BookedDifference:
		return ledger.BookDifference(r.Means, sum)
	}
	return ledger.Book(ledger.Moved{Kind: r.Kind, About: r.About, Means: r.Means, Sum: sum, Carried: r.Carried})
}

// JournalTable is the journal as a table to take away, with the network's own numbers of accounts; an account without one has
// its name.
func JournalTable(a *act.Act, p Period) ([][]string, error) {
	days, err := Journal(a, p)
	number := func(of ledger.Account) string {
		if n := a.Network.Settled.Money.Accounts[of]; n != "" {
			return n
		}
		return string(of)
	}
	out := [][]string{{"day", "branch", "debit", "credit", "sum", "currency", "text"}}
	for _, d := range days {
		for _, b := range d.Postings {
			out = append(out, []string{
				d.Day.String(), string(d.Branch), number(b.Debit), number(b.Credit), a.Network.Money.Format(b.Sum),
				a.Network.Currency, string(b.Debit) + " / " + string(b.Credit),
			})
		}
	}
	return out, err
}
