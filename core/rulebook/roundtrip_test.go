package rulebook_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"pgregory.net/rapid"

	"nevrin/core/money"
	"nevrin/core/rulebook"
)

// anyValue draws a value of a term in the form of the file.
func anyValue(t *rapid.T, info *rulebook.TermInfo) any {
	if info.Nullable && rapid.IntRange(0, 4).Draw(t, "null") == 0 {
		return nil
	}
	switch info.Kind {
	case rulebook.KindDuration:
		return fmt.Sprintf(
			rapid.SampledFrom([]string{"P%dD", "P%dW", "PT%dH", "PT%dM"}).Draw(t, "form"),
			rapid.IntRange(1, 400).Draw(t, "length"),
		)
	case rulebook.KindChoice:
		return rapid.SampledFrom(info.Choices).Draw(t, "choice")
	case rulebook.KindDates:
		return rapid.SliceOfN(rapid.SampledFrom([]string{"2026-12-18", "2027-06-25", "2026-06-26"}), 0, 3).
			Draw(t, "dates")
	case rulebook.KindMoney:
		return fmt.Sprintf("%d.%02d", rapid.IntRange(0, 900).Draw(t, "whole"), rapid.IntRange(0, 99).Draw(t, "cents"))
	case rulebook.KindYesNo:
		return rapid.Bool().Draw(t, "yes")
	}
	return rapid.IntRange(0, 1000).Draw(t, "number")
}

// Rules written to a file and read again say the same, for every term and every value it takes.
func TestRulesThereAndBack(t *testing.T) {
	currency := money.Currency{Code: "CAD", Digits: 2}
	rapid.Check(t, func(t *rapid.T) {
		list := []rulebook.RuleFile{}
		for k := range rapid.IntRange(1, 5).Draw(t, "rules") {
			r := rulebook.RuleFile{
				ID:    fmt.Sprint("r", k),
				Name:  rapid.SampledFrom([]string{"", "“A name”, with marks"}).Draw(t, "name"),
				Scope: map[string][]string{},
				Terms: map[string]any{},
			}
			if k > 0 {
				r.Scope["material_class"] = []string{fmt.Sprint("m", k)}
				r.Scope["lending_branch"] = rapid.SliceOfN(rapid.SampledFrom(worldScopes[0]), 0, 3).Draw(t, "branches")
			}
			for _, n := range rapid.SliceOfNDistinct(rapid.IntRange(0, len(rulebook.All)-1), 1, 6, rapid.ID[int]).Draw(t, "terms") {
				info := &rulebook.All[n]
				r.Terms[info.ID] = anyValue(t, info)
			}
			list = append(list, r)
		}
		data, err := json.Marshal(list)
		if err != nil {
			t.Fatal(err)
		}
		first, err := rulebook.ReadParts(rulebook.Parts{Rules: data}, currency, worldBranches)
		if err != nil {
			t.Fatalf("%s: %v", data, err)
		}
		plain, err := first.PlainRules()
		if err != nil {
			t.Fatal(err)
		}
		second, err := rulebook.ReadParts(rulebook.Parts{Rules: plain}, currency, worldBranches)
		if err != nil {
			t.Fatalf("%s: %v", plain, err)
		}
		if differ := rulebook.CompareRules(first, second); len(differ) > 0 {
			t.Fatalf("%s came back as %s", data, plain)
		}
		for _, r := range first.Rules { // and every value can be said
			for _, s := range r.Settings {
				if first.Say(s.Term, s.Value) == "" {
					t.Fatalf("%s of %s says nothing", s.Term, r.ID)
				}
			}
		}
	})
}
