package rules

import (
	"errors"
	"fmt"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/expect"
	"nevrin/core/rulebook"
)

// RuleDiffers is a rule that is new, gone or different.
type RuleDiffers struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Old  string `json:"old" doc:"In a sentence; empty: it is new"`
	New  string `json:"new" doc:"In a sentence; empty: it is gone"`
}

// TermDiffers is a term settled differently somewhere.
type TermDiffers struct {
	Term    string `json:"term"`
	Name    string `json:"name"`
	Where   string `json:"where"`
	Old     string `json:"old"`
	New     string `json:"new"`
	OldRule string `json:"old_rule" doc:"Title of the rule that decides"`
	NewRule string `json:"new_rule"`
}

// Comparison lists the differences between two editions.
type Comparison struct {
	Rules []RuleDiffers `json:"rules"`
	Terms []TermDiffers `json:"terms"`
	More  int           `json:"more" doc:"Differing terms beyond those listed"`
}

// mostTerms is how many differing terms a comparison lists.
const mostTerms = 400

// Compare tells how one edition differs from another.
func Compare(a *act.Act, from, to int64) (*Comparison, error) {
	old, err := a.Edition(from)
	if err != nil {
		return nil, err
	}
	revised, err := a.Edition(to)
	if err != nil {
		return nil, err
	}
	return compare(a, old.Rulebook, revised.Rulebook)
}

// differing puts changes of rules in words.
func differing(changes []rulebook.Change, old, revised *rulebook.Rulebook) []RuleDiffers {
	out := make([]RuleDiffers, len(changes))
	for k, c := range changes {
		d := &out[k]
		if c.Old != nil {
			d.ID, d.Name, d.Old = c.Old.ID, c.Old.Title(), old.Sentence(c.Old)
		}
		if c.New != nil {
			d.ID, d.Name, d.New = c.New.ID, c.New.Title(), revised.Sentence(c.New)
		}
	}
	return out
}

func compare(a *act.Act, old, revised *rulebook.Rulebook) (*Comparison, error) {
	out := &Comparison{Rules: differing(rulebook.CompareRules(old, revised), old, revised), Terms: []TermDiffers{}}
	title := func(s rulebook.Settled) string {
		if s.Rule == nil {
			return "The default"
		}
		return s.Rule.Title()
	}
	shifts, err := rulebook.CompareTerms(a.Context, old, revised)
	if tooMany := (*expect.Error)(nil); errors.As(err, &tooMany) {
		return nil, problem.From(problem.Refused, err)
	}
	if err != nil {
		return nil, err
	}
	for _, s := range shifts[:min(len(shifts), mostTerms)] {
		out.Terms = append(
			out.Terms,
			TermDiffers{Term: s.Term.String(), Name: s.Term.Info().Name, Where: revised.SayShift(s),
				Old: old.Say(s.Term, s.Old.Value), New: revised.Say(s.Term, s.New.Value), OldRule: title(s.Old), NewRule: title(s.New)},
		)
	}
	out.More = len(shifts) - len(out.Terms)
	return out, nil
}

// CompareRanking tells what another ranking would change in an edition, before it counts.
func CompareRanking(a *act.Act, edition int64, ranking []string) (*Comparison, error) {
	book, err := a.Edition(edition)
	if err != nil {
		return nil, err
	}
	order, err := rulebook.ParseRanking(ranking)
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	return compare(a, book.Rulebook, rulebook.New(book.Currency, book.Branches, order, book.Rules))
}

// sayConflict says that two rules conflict, in words.
func sayConflict(book *rulebook.Rulebook, c rulebook.Conflict) string {
	return fmt.Sprintf(
		"“%s” and “%s” settle %s differently and neither is narrower, for example: %s.",
		c.Rules[0].Title(),
		c.Rules[1].Title(),
		c.Term.Info().Name,
		book.SaySituation(c.Situation),
	)
}
