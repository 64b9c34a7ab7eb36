package upkeep

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/device"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/plain"
	"nevrin/store/networkdb"
)

// Station is a place with a screen and a scanner.
type Station struct {
	Branch calendar.Code `json:"branch" minLength:"3" maxLength:"3"`
	Name   string        `json:"name" minLength:"1" maxLength:"60"`
	Paper  string        `json:"paper" enum:"80mm,58mm,a4,letter" doc:"Of its slip printer"`
	Slips  bool          `json:"slips" doc:"Slips print by themselves"`
	Sounds bool          `json:"sounds"`
	Sorts  bool          `json:"sort_room" doc:"Bins are emptied here: taking back begins with them, and not with a patron"`

	Pad      string `json:"pad" maxLength:"200" doc:"Where its pad is reached, such as ws://127.0.0.1:7411/pad; empty: it has none"`
	Terminal string `json:"terminal" maxLength:"200" doc:"Where its card terminal is reached, such as 10.20.3.15:7500; empty: it has none"`
}

type stations struct{}

func (stations) Call(_ string, s *Station) string { return s.Name }

func (stations) Load(a *act.Act, key string) (*Station, error) {
	for _, s := range a.Network.Stations {
		if fmt.Sprint(s.ID) == key {
			return &Station{s.BranchCode, s.Name, s.Paper, s.Slips, s.Sounds, s.SortRoom, s.Pad, s.Terminal}, nil
		}
	}
	return nil, nil
}

func (stations) Keep(a *act.Act, key string, _, is *Station) (*Station, error) {
	id, err := number(key)
	if err != nil {
		return nil, err
	}
	if is == nil {
		networkdb.DropStation(a.Tx, id)
		return nil, nil
	}
	is.Name = plain.Line(is.Name)
	if is.Name == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a name for the station.")
	}
	if err := besides(is); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if _, err := a.Network.OpenBranch(is.Branch); err != nil {
		return nil, err
	}
	for _, s := range a.Network.Stations {
		if s.ID != id && s.BranchCode == is.Branch && strings.EqualFold(s.Name, is.Name) {
			return nil, problem.Newf(
				problem.Invalid,
				"%s already has a station %s.",
				a.Network.BranchName(is.Branch),
				s.Name,
			)
		}
	}
	networkdb.PutStation(a.Tx, &networkdb.Station{
		ID: id, BranchCode: is.Branch, Name: is.Name, Paper: is.Paper, Slips: is.Slips, Sounds: is.Sounds,
		SortRoom: is.Sorts, Pad: is.Pad, Terminal: is.Terminal,
	})
	return is, nil
}

// besides checks the addresses of what stands beside a station.
func besides(is *Station) error {
	is.Pad, is.Terminal = strings.TrimSpace(is.Pad), strings.TrimSpace(is.Terminal)
	if is.Pad != "" {
		if err := device.Pad(is.Pad); err != nil {
			return err
		}
	}
	if is.Terminal != "" {
		return device.Terminal(is.Terminal)
	}
	return nil
}

// Class is a patron class, a material class or a collection.
type Class struct {
	Name      string          `json:"name" minLength:"1" maxLength:"60"`
	Position  int             `json:"position" minimum:"0" maximum:"10000" doc:"Its place in lists"`
	FromAge   *int            `json:"from_age,omitempty" minimum:"0" maximum:"150" doc:"Of a patron class: proposed from this age on"`
	ToAge     *int            `json:"to_age,omitempty" minimum:"1" maximum:"150" doc:"It ends with the birthday of this age"`
	Next      string          `json:"next,omitempty" maxLength:"40" doc:"The class that then follows"`
	Branches  []calendar.Code `json:"branches,omitempty" maxItems:"500" nullable:"false" doc:"Which branches offer it; none: all"`
	StaffOnly bool            `json:"staff_only" doc:"Of a collection: lent as usual, but the public neither finds nor holds it"`
	Retired   bool            `json:"retired" doc:"Known, and no longer offered"`
}

type classes struct{}

func (classes) Call(_ string, c *Class) string { return c.Name }

var (
	kinds     = []string{"patron", "material", "collection"}
	classCode = regexp.MustCompile(`^[a-z0-9_]{1,40}$`)
)

func (classes) Load(a *act.Act, key string) (*Class, error) {
	kind, code, _ := strings.Cut(key, ":")
	for _, c := range a.Network.Classes {
		if c.Kind == kind && c.Code == code {
			out := &Class{
				Name: c.Name, Position: c.Position, FromAge: c.FromAge, ToAge: c.ToAge, Next: c.Next,
				StaffOnly: c.StaffOnly, Retired: c.Retired,
			}
			for _, b := range c.Branches {
				out.Branches = append(out.Branches, calendar.Code(b))
			}
			return out, nil
		}
	}
	return nil, nil
}

// PutClass keeps a class, for those who may: administrators, and supervisors for patron and material classes where the network lets
// them.
func PutClass(a *act.Act, key string, seen int64, is Class) (*Kept, error) {
	kind, _, _ := strings.Cut(key, ":")
	if !a.May().MayKeepClass(kind) {
		return nil, problem.Newf(problem.Forbidden,
			"Administrators keep this list. Where the network settings say so, supervisors add patron and material classes too.")
	}
	return Put(a, "class", key, seen, is)
}

func (classes) Keep(a *act.Act, key string, _, is *Class) (*Class, error) {
	kind, code, _ := strings.Cut(key, ":")
	if !slices.Contains(kinds, kind) || !classCode.MatchString(code) {
		return nil, problem.Newf(
			problem.Invalid,
			"%q is not a class code. Use 1 to 40 small letters, digits or underscores.",
			code,
		)
	}
	if is == nil {
		return nil, dropClass(a, kind, code)
	}
	if err := is.check(a, kind, code); err != nil {
		return nil, err
	}
	row := networkdb.Class{
		Kind: kind, Code: code, Name: plain.Line(is.Name), Position: is.Position, FromAge: is.FromAge,
		ToAge: is.ToAge,
		Next:  is.Next, StaffOnly: is.StaffOnly, Retired: is.Retired,
	}
	for _, b := range is.Branches {
		row.Branches = append(row.Branches, string(b))
	}
	networkdb.PutClass(a.Tx, &row)
	return is, nil
}

func (c *Class) check(a *act.Act, kind, code string) error {
	if plain.Line(c.Name) == "" {
		return problem.Newf(problem.Invalid, "Enter a name for the class.")
	}
	if kind != "patron" && (c.FromAge != nil || c.ToAge != nil || c.Next != "") {
		return problem.Newf(problem.Invalid, "Only patron classes have ages.")
	}
	if kind != "collection" && c.StaffOnly {
		return problem.Newf(problem.Invalid, "Only collections can be staff only.")
	}
	ages := person.Class{Code: code, FromAge: c.FromAge, ToAge: c.ToAge, Next: c.Next}
	if wrong := ages.Wrong(); wrong != "" {
		return problem.New(problem.Invalid, wrong)
	}
	if c.Next != "" && !classIn(a, kind, c.Next) {
		return problem.Newf(problem.Invalid, "The next class, %q, must be another patron class.", c.Next)
	}
	for _, b := range c.Branches {
		if _, err := a.Network.Branch(b); err != nil {
			return err
		}
	}
	for _, o := range a.Network.Classes {
		if o.Kind == kind && o.Code != code && strings.EqualFold(o.Name, plain.Line(c.Name)) {
			return problem.Newf(problem.Invalid, "Another class is already called %s. Choose another name.", o.Name)
		}
	}
	return nil
}

func classIn(a *act.Act, kind, code string) bool {
	return slices.ContainsFunc(a.Network.Classes, func(c networkdb.Class) bool { return c.Kind == kind && c.Code == code })
}

// dropClass takes a class away that nobody has and no rule names.
func dropClass(a *act.Act, kind, code string) error {
	use, err := networkdb.UseOfClass(a.Tx, kind, code)
	if err != nil {
		return err
	}
	var in []string
	if use.Patrons > 0 {
		in = append(in, calendar.Count(use.Patrons, "patron")+" in it")
	}
	if use.Items > 0 {
		in = append(in, calendar.Count(use.Items, "item")+" in it")
	}
	if len(use.Editions) > 0 {
		in = append(in, fmt.Sprintf("rules or examples of edition %s that name it", join(use.Editions)))
	}
	if use.Lent {
		in = append(in, "loans made with it")
	}
	for _, c := range a.Network.Classes {
		if c.Kind == kind && c.Next == code {
			in = append(in, c.Name+", which it follows")
		}
	}
	if len(in) > 0 {
		return problem.Newf(
			problem.Refused,
			"%s cannot be removed: there are %s. You can stop offering it instead.",
			a.Network.ClassName(kind, code),
			strings.Join(in, ", "),
		)
	}
	networkdb.DropClass(a.Tx, kind, code)
	return nil
}

func join(numbers []int) string {
	var out []string
	for _, n := range numbers {
		out = append(out, fmt.Sprint(n))
	}
	return strings.Join(out, ", ")
}

// Choice is one of a list to choose from.
type Choice struct {
	Name     string        `json:"name" minLength:"1" maxLength:"100"`
	Position int           `json:"position" minimum:"0" maximum:"10000" doc:"Its place in the list"`
	Amount   *money.Amount `json:"amount,omitempty" minimum:"1" maximum:"100000000" doc:"What a manual charge costs, in minor units"`
	Loud     bool          `json:"loud" doc:"Of a kind of note: it shows at every scan of the card"`
	Retired  bool          `json:"retired" doc:"Known, and no longer offered"`
}

type choices struct{}

func (choices) Call(_ string, c *Choice) string { return c.Name }

// Lists are the lists to choose from.
var Lists = []string{"waive", "cancel", "refuse", "charge", "note", "mark"}

func (choices) Load(a *act.Act, key string) (*Choice, error) {
	list, code, _ := strings.Cut(key, ":")
	for _, c := range a.Network.Choices {
		if c.List == list && c.Code == code {
			return &Choice{c.Name, c.Position, c.Amount, c.Loud, c.Retired}, nil
		}
	}
	return nil, nil
}

func (choices) Keep(a *act.Act, key string, _, is *Choice) (*Choice, error) {
	list, code, _ := strings.Cut(key, ":")
	if !slices.Contains(Lists, list) || !classCode.MatchString(code) {
		return nil, problem.Newf(
			problem.Invalid,
			"%q is not a list code. Use 1 to 40 small letters, digits or underscores.",
			code,
		)
	}
	if is == nil {
		networkdb.DropChoice(a.Tx, list, code)
		return nil, nil
	}
	is.Name = plain.Line(is.Name)
	switch {
	case is.Name == "":
		return nil, problem.Newf(problem.Invalid, "Enter a name.")
	case (list == "charge") != (is.Amount != nil):
		return nil, problem.Newf(problem.Invalid, "A charge needs a price; other entries have none.")
	case is.Amount != nil && *is.Amount <= 0:
		return nil, problem.Newf(problem.Invalid, "The price is %d. Enter a price above zero.", *is.Amount)
	case is.Loud && list != "note":
		return nil, problem.Newf(problem.Invalid, "Only notes can show at every scan.")
	}
	for _, c := range a.Network.Choices {
		if c.List == list && c.Code != code && strings.EqualFold(c.Name, is.Name) {
			return nil, problem.Newf(problem.Invalid, "The list already has %s.", c.Name)
		}
	}
	networkdb.PutChoice(a.Tx, &networkdb.Choice{
		List: list, Code: code, Name: is.Name, Position: is.Position, Amount: is.Amount, Loud: is.Loud,
		Retired: is.Retired,
	})
	return is, nil
}
