package rules

import (
	"cmp"
	"strings"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/store"
	"nevrin/store/rulesdb"
)

// Putting is the effect of putting a draft in force from a day.
type Putting struct {
	Against   int64         `json:"against" doc:"The edition that would be in force then without it"`
	Number    int           `json:"number" doc:"Its number"`
	Rules     []RuleDiffers `json:"rules" doc:"Rules that differ from it"`
	Ranking   bool          `json:"ranking" doc:"The ranking differs from it, too"`
	Begun     int           `json:"begun" doc:"Number of the edition that the draft was begun from; 0: of none"`
	Dropped   []RuleDiffers `json:"dropped" doc:"Changes made since then that the draft does not have, and takes back"`
	Failing   []string      `json:"failing" doc:"Examples that do not come out as expected"`
	Conflicts []string      `json:"conflicts" doc:"Rules in conflict, in sentences; with one it cannot be put in force"`
	Rehearsal *Rehearsal    `json:"rehearsal,omitempty" doc:"The latest that ran to its end"`
}

// LookAtPutting tells what putting a draft in force from a day would mean.
func LookAtPutting(a *act.Act, draft int64, from calendar.Date) (*Putting, error) {
	row, err := editionRow(a, draft)
	if err != nil {
		return nil, err
	}
	if row.State != "draft" {
		return nil, problem.NoSuch("draft")
	}
	book, err := readWhole(a, row)
	if err != nil {
		return nil, problem.From(problem.Refused, err)
	}
	before, err := inForceOn(a, from)
	if err != nil {
		return nil, err
	}
	out := &Putting{
		Against: before.ID, Number: before.Number,
		Rules: differing(rulebook.CompareRules(before.Rulebook, book), before.Rulebook, book), Dropped: []RuleDiffers{},
		Ranking: before.Ranking != book.Ranking,
		Failing: failingExamples(book), Conflicts: []string{},
	}
	for _, c := range book.Conflicts() {
		out.Conflicts = append(out.Conflicts, sayConflict(book, c))
	}
	if row.FromID != nil {
		begun, err := a.Edition(*row.FromID)
		if err != nil {
			return nil, err
		}
		out.Begun = begun.Number
		out.Dropped = differing(rulebook.Dropped(begun.Rulebook, before.Rulebook, book), begun.Rulebook, before.Rulebook)
	}
	last, err := rulesdb.LatestRehearsal(a.Tx, draft)
	if last != nil {
		out.Rehearsal = new(showRehearsal(a.Network, last))
	}
	return out, err
}

// inForceOn gives the edition in force on a day, as it stands now.
func inForceOn(a *act.Act, day calendar.Date) (*network.Edition, error) {
	id, err := rulesdb.EditionOn(a.Tx, day.UTC())
	if err != nil {
		return nil, err
	}
	return a.Edition(cmp.Or(id, a.Book.ID))
}

// Start says from when a draft is put in force, and why.
type Start struct {
	Revision int           `json:"revision"`
	From     calendar.Date `json:"from" format:"date"`
	Reason   string        `json:"reason" maxLength:"500"`
	Against  int64         `json:"against" doc:"The edition that it was compared with: what is in force then without it"`
}

// PutInForce puts a draft in force from a date, today or later. Rules in conflict cannot be; examples that
// fail need a reason, and so do changes of others that it takes back.
func PutInForce(a *act.Act, draft int64, s Start) (*Edition, error) {
	row, _, err := openDraft(a, draft, s.Revision)
	if err != nil {
		return nil, err
	}
	if s.From < a.Today() {
		return nil, problem.Newf(
			problem.Invalid,
			"Rules cannot start in the past. Choose today, %s, or later.",
			a.Network.SayDate(a.Today()),
		)
	}
	is, err := LookAtPutting(a, draft, s.From)
	if err != nil {
		return nil, err
	}
	s.Reason = strings.TrimSpace(s.Reason)
	switch {
	case len(is.Conflicts) > 0:
		return nil, problem.Newf(problem.Refused, "%s Change one of them first.", is.Conflicts[0])
	case is.Against != s.Against:
		return nil, problem.Newf(
			problem.Refused,
			"Edition %d is in force on %s, and this draft was not compared with it. Check the differences again.",
			is.Number,
			a.Network.SayDate(s.From),
		)
	case len(is.Failing) > 0 && s.Reason == "":
		return nil, problem.Newf(
			problem.Refused,
			"%s does not give the expected result. Enter a reason to put the draft in force anyway, or correct it first.",
			strings.Join(is.Failing, ", "),
		)
	case len(is.Dropped) > 0 && s.Reason == "":
		return nil, problem.Newf(
			problem.Refused,
			"This draft was started from edition %d and undoes later changes, such as “%s”. Enter a reason, or make these changes in it first.",
			is.Begun,
			is.Dropped[0].Name,
		)
	}
	row.State, row.StartsOn, row.StartedAt, row.Reason = "in_force", store.Column(s.From), &a.Now, s.Reason
	if err := rulesdb.PutInForce(a.Tx, row); err != nil {
		return nil, err
	}
	e := show(a, row)
	if s.From == a.Today() {
		e.State = "in_force"
	}
	tell(a, "Edition %d in force from %s. %s", row.Number, a.Network.SayDate(s.From), s.Reason)
	return &e, nil
}

// Withdraw takes an edition back that has not begun. It stays in the list, and a draft can be begun from it.
func Withdraw(a *act.Act, edition int64) (*Edition, error) {
	row, err := rulesdb.EditionLocked(a.Tx, edition)
	if err != nil {
		return nil, err
	}
	switch from := (*calendar.Date)(nil); {
	case row == nil:
		return nil, problem.NoSuch("edition")
	case row.State == "withdrawn":
		return nil, problem.Newf(problem.Refused, "Edition %d is already withdrawn.", row.Number)
	default:
		if from = store.DateOf(row.StartsOn); row.State != "in_force" || *from <= a.Today() {
			return nil, problem.Newf(
				problem.Refused,
				"Only an edition that has not started can be withdrawn. Start a draft from an earlier edition and put that in force.",
			)
		}
	}
	row.State = "withdrawn"
	if err := rulesdb.Withdraw(a.Tx, edition); err != nil {
		return nil, err
	}
	e := show(a, row)
	tell(a, "Edition %d withdrawn; it would have been in force from %s", row.Number, a.Network.SayDate(*store.DateOf(row.StartsOn)))
	return &e, nil
}

func failingExamples(book *rulebook.Rulebook) []string {
	out := []string{}
	for _, e := range book.Check().Examples {
		if !e.OK {
			out = append(out, "“"+e.Name+"”")
		}
	}
	return out
}
