package stock

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/numbers"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/money"
	"nevrin/core/plain"
	"nevrin/store"
	"nevrin/store/networkdb"
	"nevrin/store/rulesdb"
	"nevrin/store/stockdb"
)

// Writing is the record of an item as staff write it. Its own terms outweigh the rules.
type Writing struct {
	Branch     calendar.Code  `json:"branch" maxLength:"3" doc:"Home branch"`
	HomeUntil  *calendar.Date `json:"home_until,omitempty" doc:"If for a time: until when"`
	HomeAfter  calendar.Code  `json:"home_after,omitempty" maxLength:"3" doc:"And where it belongs then"`
	Collection string         `json:"collection" maxLength:"60"`
	Material   string         `json:"material" maxLength:"60"`
	Call       string         `json:"call_number" maxLength:"80"`
	Price      *money.Amount  `json:"price" doc:"In minor units"`
	Condition  string         `json:"condition" maxLength:"200"`
	Parts      int            `json:"parts" minimum:"1" maximum:"999"`
	PartsSay   string         `json:"parts_say" maxLength:"200" doc:"Which parts these are"`
	Edition    string         `json:"edition,omitempty" maxLength:"100" doc:"Of this copy, where it is not as its title says"`
	Volume     string         `json:"volume,omitempty" maxLength:"100" doc:"Such as v.2, or 2026 no.4"`
	OwnTerms   map[string]any `json:"own_terms" doc:"Terms that it carries itself, by their ids"`
}

// Copying is copies to be added to a title. One without a number is given the next.
type Copying struct {
	Writing
	Note    string   `json:"note" maxLength:"500"`
	Numbers []string `json:"numbers" minItems:"1" maxItems:"200" nullable:"false" doc:"The label of each; empty: the next number"`
}

// into writes a record into an item, after looking whether it can be one.
func (w *Writing) into(a *act.Act, i *stockdb.Item) error {
	if _, err := a.Network.OpenBranch(w.Branch); err != nil {
		return err
	}
	if err := offered(a, w.Material, w.Collection, i.Material, i.Collection); err != nil {
		return err
	}
	if w.Price != nil && *w.Price < 0 {
		return problem.Newf(problem.Invalid, "Enter a price of 0 or more.")
	}
	i.HomeUntil, i.HomeAfter = nil, nil
	if w.HomeUntil != nil {
		if _, err := a.Network.OpenBranch(w.HomeAfter); err != nil {
			return err
		}
		switch {
		case *w.HomeUntil < a.Today():
			return problem.Newf(problem.Invalid, "%s is in the past. Choose a later day.",
				a.SayDate(*w.HomeUntil))
		case w.HomeAfter == w.Branch:
			return problem.Newf(problem.Invalid, "Its home branch is %s before and after. Leave the date empty.",
				a.Network.BranchName(w.Branch))
		}
		i.HomeUntil, i.HomeAfter = store.Column(*w.HomeUntil), &w.HomeAfter
	}
	own, err := ownTerms(a, w.OwnTerms)
	if err != nil {
		return err
	}
	i.OwnTerms = own
	i.BranchCode, i.Collection, i.Material = w.Branch, w.Collection, w.Material
	i.CallNumber, i.Condition, i.PartsSay = plain.Line(w.Call), plain.Line(w.Condition), plain.Line(w.PartsSay)
	i.Edition, i.Volume = plain.Line(w.Edition), plain.Line(w.Volume)
	i.Parts, i.Price = w.Parts, w.Price
	return nil
}

// offered looks whether classes are here and still offered; what an item was before may stay.
func offered(a *act.Act, material, collection, wasMaterial, wasCollection string) error {
	for _, k := range []struct{ kind, code, was string }{{"material", material, wasMaterial}, {"collection",
		collection, wasCollection}} {
		if k.code == k.was && k.was != "" {
			continue
		}
		if err := isClass(a, k.kind, k.code); err != nil {
			return err
		}
	}
	return nil
}

// isClass looks whether there is a class, and it is still offered.
func isClass(a *act.Act, kind, code string) error {
	known := slices.ContainsFunc(a.Network.Classes,
		func(c networkdb.Class) bool { return c.Kind == kind && c.Code == code && !c.Retired })
	if !known {
		return problem.Newf(problem.Invalid, "There is no %s %q here.",
			map[string]string{"material": "material class", "collection": "collection"}[kind], code)
	}
	return nil
}

// ownTerms reads terms that an item carries; null where there are none.
func ownTerms(a *act.Act, terms map[string]any) (json.RawMessage, error) {
	if len(terms) == 0 {
		return nil, nil
	}
	data, err := json.Marshal(terms)
	if err != nil {
		return nil, err
	}
	if _, err := a.Book.ParseSettings(data); err != nil {
		return nil, problem.Newf(problem.Invalid, "Its own loan terms are not valid: %s", err)
	}
	return data, nil
}

// AddCopies adds copies to a title, each with its own number. If one number cannot be, none is added.
func AddCopies(a *act.Act, title int64, in Copying) ([]catalogue.Item, error) {
	t, err := stockdb.TitleLocked(a.Tx, title)
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, problem.NoSuch("title")
	}
	codes, given, err := labels(a, in.Branch, in.Numbers)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for k, number := range codes {
		i := stockdb.Item{
			TitleID: title, Barcode: number, AtBranch: a.Who.Branch, Note: strings.TrimSpace(in.Note),
			Standing: circulation.ItemInUse,
			AddedOn:  a.Today().UTC(), LabelWaits: given[k],
		}
		if err := in.into(a, &i); err != nil {
			return nil, err
		}
		if err := stockdb.AddItem(a.Tx, &i); err != nil {
			return nil, err
		}
		ids = append(ids, i.ID)
		a.Tell(event.Event{Kind: event.ItemAdded, Item: i.ID, Detail: event.Detail{Branch: i.BranchCode}})
	}
	// Whoever waits for the title may be served now.
	for range ids {
		if chosen, err := moving.Route(a, title, 0); err != nil || chosen == nil {
			if err != nil {
				return nil, err
			}
			break
		}
	}
	rows, err := stockdb.ItemsWith(a.Tx, ids)
	return catalogue.ShowItems(a, rows), err
}

// labels reads the numbers of new labels, and gives the next to those that have none; given tells which these are.
func labels(a *act.Act, branch calendar.Code, texts []string) (codes []string, given []bool, err error) {
	seen := map[string]bool{}
	for _, text := range texts {
		text = strings.TrimSpace(text)
		number := ""
		if text != "" {
			scan := a.Network.Numbers.Read(text)
			switch {
			case scan.Kind == ident.Wrong:
				return nil, nil, problem.New(problem.Invalid, scan.Problem)
			case scan.Kind != ident.Item:
				return nil, nil, problem.Newf(problem.Invalid, "%q is not a label number.", text)
			case scan.Pattern.Use == ident.Guest:
				return nil, nil, problem.Newf(problem.Invalid, "%s is a label for partner items.",
					a.Network.Numbers.Show(scan.Number))
			case seen[scan.Number]:
				return nil, nil, problem.Newf(
					problem.Invalid,
					"%s is entered twice. Each copy needs its own label.",
					a.Network.Numbers.Show(scan.Number),
				)
			}
			number = scan.Number
			seen[number] = true
		}
		codes, given = append(codes, number), append(given, number == "")
	}
	taken, err := stockdb.ItemsByNumbers(a.Tx, codes)
	if err != nil {
		return nil, nil, err
	}
	for _, number := range codes {
		if id, ok := taken[number]; ok {
			item, err := rulesdb.ItemWithTitle(a.Tx, id)
			if err != nil {
				return nil, nil, err
			}
			return nil, nil, problem.Newf(
				problem.Refused,
				"The label %s is already used, for %q. Nothing was added. Use another one.",
				a.Network.Numbers.Show(number),
				item.Title.Name,
			)
		}
	}
	for k := range codes {
		if codes[k] == "" {
			if codes[k], err = nextLabel(a, branch, seen); err != nil {
				return nil, nil, err
			}
		}
	}
	return codes, given, nil
}

// nextLabel gives the next free number for a label, which is none of those that are about to be taken.
func nextLabel(a *act.Act, branch calendar.Code, but map[string]bool) (string, error) {
	return numbers.Next(a, ident.Item, branch, func(number string) (bool, error) {
		if but[number] {
			return true, nil
		}
		taken, err := stockdb.ItemsByNumbers(a.Tx, []string{number})
		return len(taken) > 0, err
	})
}

// Changing is a change of an item's record.
type Changing struct {
	Writing
	Number   string `json:"number" maxLength:"40" doc:"Its label"`
	Revision int    `json:"revision" doc:"At which it was read"`
}

// Change writes the record of an item anew. Loans already made keep their terms; the next one follows.
func Change(a *act.Act, id int64, in Changing) (*catalogue.Item, error) {
	facts, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	now, err := rulesdb.ItemWithTitle(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if now.Revision != in.Revision {
		return nil, problem.Newf(
			problem.Refused,
			"Somebody has changed this item meanwhile. Check it again; your changes are still here.",
		)
	}
	if facts.Lender != "" {
		return nil, problem.Newf(problem.Refused, "This item belongs to %s. Its record follows their request.", facts.Lender)
	}
	was := *now
	if err := in.into(a, now); err != nil {
		return nil, err
	}
	if in.Number != was.Barcode {
		codes, given, err := labels(a, in.Branch, []string{in.Number})
		if err != nil {
			return nil, err
		}
		now.Barcode = codes[0]
		if given[0] {
			return nil, problem.Newf(problem.Invalid, "Enter a label. Scan it or type its number.")
		}
	}
	parts := different(&was, now)
	if len(parts) > 0 {
		stockdb.ChangeItem(a.Tx, now)
		a.Tell(event.Event{Kind: event.ItemChanged, Item: id, Detail: event.Detail{Is: strings.Join(parts, ", ")}})
	}
	rows, err := stockdb.ItemsWith(a.Tx, []int64{id})
	if err != nil {
		return nil, err
	}
	return &catalogue.ShowItems(a, rows)[0], nil
}

// different names what of a record is another than before.
func different(was, is *stockdb.Item) []string {
	var out []string
	for _, p := range []struct {
		name     string
		was, now any
	}{
		{"label", was.Barcode, is.Barcode}, {"where it belongs", home(was), home(is)}, {"collection", was.Collection,
			is.Collection},
		{"material class", was.Material, is.Material}, {"call number", was.CallNumber, is.CallNumber},
		{"price", price(was), price(is)}, {"condition", was.Condition, is.Condition},
		{"parts", fmt.Sprint(was.Parts, was.PartsSay), fmt.Sprint(is.Parts, is.PartsSay)},
		{"edition", was.Edition, is.Edition}, {"volume", was.Volume, is.Volume},
		{"own terms", terms(was.OwnTerms), terms(is.OwnTerms)},
	} {
		if p.was != p.now {
			out = append(out, p.name)
		}
	}
	return out
}

func home(i *stockdb.Item) string {
	if i.HomeUntil == nil {
		return string(i.BranchCode)
	}
	return string(i.BranchCode) + i.HomeUntil.Format("2006-01-02") + string(*i.HomeAfter)
}

func price(i *stockdb.Item) money.Amount {
	if i.Price == nil {
		return -1
	}
	return *i.Price
}

// terms writes terms in one way, whatever blanks and order they came in.
func terms(data json.RawMessage) string {
	var m map[string]any
	_ = json.Unmarshal(data, &m)
	out, _ := json.Marshal(m)
	return string(out)
}

// NewStatus is a new status for an item, with the reason.
type NewStatus struct {
	Standing circulation.ItemStatus `json:"standing" enum:"in_use,missing,aside,withdrawn"`
	AsideFor circulation.AsideFor   `json:"aside_for,omitempty" enum:",damaged,repair,rebuy"`
	Reason   string                 `json:"reason" maxLength:"300"`
}

// SetStatus writes how an item stands. What comes back into use serves whoever waits for it.
func SetStatus(a *act.Act, id int64, s NewStatus) error {
	facts, err := locked(a, id)
	if err != nil {
		return err
	}
	if facts.Lender != "" {
		return problem.Newf(problem.Refused, "This item belongs to %s. Its status follows their request.", facts.Lender)
	}
	if says := circulation.MayStand(facts.Place()); says != "" {
		return problem.New(problem.Refused, says)
	}
	if s.Standing != circulation.ItemAside {
		s.AsideFor = ""
	}
	was := facts.Item.Standing
	if was == s.Standing && facts.Item.AsideFor == s.AsideFor {
		return nil
	}
	s.Reason = strings.TrimSpace(s.Reason)
	if s.Standing.NeedsReason() && s.Reason == "" {
		return problem.Newf(problem.Invalid, "Enter a reason to withdraw it.")
	}
	stockdb.SetStatus(a.Tx, id, s.Standing, s.AsideFor)
	if s.Standing != circulation.ItemMissing && facts.Missed {
		stockdb.Seen(a.Tx, id, a.Now)
	}
	told := map[circulation.ItemStatus]event.Kind{
		circulation.ItemInUse: event.BackInUse, circulation.ItemMissing: event.Missing,
		circulation.ItemAside:     event.SetAside,
		circulation.ItemWithdrawn: event.Withdrawn,
	}
	a.Tell(event.Event{Kind: told[s.Standing], Item: id, Detail: event.Detail{
		Branch: facts.Item.AtBranch, Was: string(was), Is: string(s.AsideFor), Reason: s.Reason,
	}})
	_, err = moving.Route(a, facts.Item.TitleID, 0)
	return err
}

// Printed says that the labels of items have been printed.
func Printed(a *act.Act, items []int64) error {
	stockdb.LabelsPrinted(a.Tx, items)
	a.Touch(event.Counter)
	return nil
}
