package upkeep

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/problem"
	"nevrin/core/plain"
	"nevrin/core/plan"
	"nevrin/store"
	"nevrin/store/networkdb"
	"nevrin/store/noticesdb"
)

// Plan is a plan of notices.
type Plan = plan.Plan

type plans struct{}

func (plans) Call(_ string, p *Plan) string { return p.Name }

func (plans) Load(a *act.Act, key string) (*Plan, error) { return a.Network.Plans[key], nil }

func (plans) Keep(a *act.Act, key string, _, is *Plan) (*Plan, error) {
	if is == nil {
		used, err := noticesdb.InUse(a.Tx, key)
		if err != nil {
			return nil, err
		}
		if used || plan.Usual()[key] != nil {
			return nil, problem.Newf(problem.Refused, "%s cannot be removed: it comes with Nevrin, or has been used. Switch it off.",
				a.Network.Plans[key].Name)
		}
		networkdb.KeepCoded(a.Tx, networkdb.Plans, key, nil)
		return nil, nil
	}
	if is.Name = plain.Line(is.Name); is.Name == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a name.")
	}
	for code, other := range a.Network.Plans {
		if code != key && strings.EqualFold(other.Name, is.Name) {
			return nil, problem.Newf(problem.Invalid, "There is a plan %q already. Choose another name.", other.Name)
		}
	}
	if err := is.Check(); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	for _, stage := range is.Stages {
		if w := notices.WordingOf(a, stage.Wording); w == nil || w.Kind != is.Kind {
			return nil, problem.Newf(problem.Invalid, "There is no wording %q for %s.", stage.Wording, notices.KindName(is.Kind))
		}
	}
	if err := known(a, is); err != nil {
		return nil, err
	}
	networkdb.KeepCoded(a.Tx, networkdb.Plans, key, store.JSON(is))
	return is, nil
}

// known refuses classes and branches in a plan that the network does not have.
func known(a *act.Act, is *Plan) error {
	for kind, codes := range map[string][]string{"patron": is.For.Classes, "material": is.For.Materials, "collection": is.For.Collections} {
		for _, code := range codes {
			if !classIn(a, kind, code) {
				return problem.Newf(problem.Invalid, "There is no %s class %q.", kind, code)
			}
		}
	}
	for _, code := range slices.Concat(is.For.Homes, is.For.Branches, is.For.Owners) {
		if !slices.ContainsFunc(a.Network.Rows, func(b networkdb.Branch) bool { return string(b.Code) == code }) {
			return problem.Newf(problem.Invalid, "There is no branch %q.", code)
		}
	}
	return nil
}

// Wording is what a kind of notice says.
type Wording = plan.Wording

type wordings struct{}

func (wordings) Call(_ string, w *Wording) string { return w.Name }

func (wordings) Load(a *act.Act, key string) (*Wording, error) { return notices.WordingOf(a, key), nil }

func (wordings) Keep(a *act.Act, key string, was, is *Wording) (*Wording, error) {
	if is == nil {
		for _, p := range a.Network.Plans {
			if slices.ContainsFunc(p.Stages, func(s plan.Stage) bool { return s.Wording == key }) {
				return nil, problem.Newf(problem.Refused, "The plan %q uses this wording. Choose another one there first.", p.Name)
			}
		}
		if notices.Usual(key) != nil {
			return nil, problem.Newf(problem.Refused, "%s comes with Nevrin and cannot be removed.", was.Name)
		}
		networkdb.KeepCoded(a.Tx, networkdb.Wordings, key, nil)
		return nil, nil
	}
	if is.Name = plain.Line(is.Name); is.Name == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a name.")
	}
	if was != nil && was.Kind != is.Kind {
		return nil, problem.Newf(problem.Invalid, "A wording stays for %s. Add another one.", notices.KindName(was.Kind))
	}
	if err := notices.CheckWording(is); err != nil {
		return nil, err
	}
	networkdb.KeepCoded(a.Tx, networkdb.Wordings, key, store.JSON(is))
	return is, nil
}

// Telling holds a network's notice plans and wordings, with the kinds and fields to choose from.
type Telling struct {
	Sorts    []plan.Sort                   `json:"sorts" nullable:"false" doc:"The kinds of notices, in their order within a message"`
	Plans    []Shown[Plan]                 `json:"plans" nullable:"false"`
	Wordings []Shown[Wording]              `json:"wordings" nullable:"false"`
	Fields   map[plan.Kind][]notices.Field `json:"fields" doc:"Fields that wordings of a kind can use; the empty kind is the frame"`
	Own      []string                      `json:"own" nullable:"false" doc:"Codes of plans and wordings that do not come with Nevrin"`
}

// Tellings gives them.
func Tellings(a *act.Act) (*Telling, error) {
	seen, err := networkdb.LatestChanges(a.Tx)
	if err != nil {
		return nil, err
	}
	out := &Telling{Sorts: plan.Sorts, Fields: map[plan.Kind][]notices.Field{"": notices.Fields("")}, Own: []string{}}
	var codes []string
	for _, sort := range plan.Sorts {
		out.Fields[sort.Kind] = notices.Fields(sort.Kind)
		codes = append(codes, a.Network.Plans.All(sort.Kind)...)
	}
	if out.Plans, err = shown[Plan](a, "plan", plans{}, codes, seen); err != nil {
		return nil, err
	}
	comes := plan.Usual()
	for _, code := range codes {
		if comes[code] == nil {
			out.Own = append(out.Own, code)
		}
	}
	if out.Wordings, err = shown[Wording](a, "wording", wordings{}, notices.Codes(a), seen); err != nil {
		return nil, err
	}
	for _, w := range out.Wordings {
		if notices.Usual(w.Key) == nil {
			out.Own = append(out.Own, w.Key)
		}
	}
	return out, nil
}

var notCode = regexp.MustCompile(`[^a-z0-9]+`)

// newCode makes an unused code from a name.
func newCode(name string, taken func(string) bool) string {
	code := strings.Trim(notCode.ReplaceAllString(strings.ToLower(name), "_"), "_")
	code = strings.Trim(code[:min(len(code), 30)], "_")
	if code == "" {
		code = "own"
	}
	base := code
	for k := 2; taken(code); k++ {
		code = fmt.Sprintf("%s_%d", base, k)
	}
	return code
}

// AddPlan adds a plan under a code made from its name.
func AddPlan(a *act.Act, is Plan) (*Kept, error) {
	return Put(a, "plan", newCode(is.Name, func(code string) bool { return a.Network.Plans[code] != nil }), 0, is)
}

// AddWording adds a wording under a code made from its name.
func AddWording(a *act.Act, is Wording) (*Kept, error) {
	return Put(a, "wording", newCode(is.Name, func(code string) bool { return notices.WordingOf(a, code) != nil }), 0, is)
}
