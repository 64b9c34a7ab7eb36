package upkeep

import (
	"fmt"
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	core "nevrin/core/settings"
	"nevrin/store/interlibrarydb"
	"nevrin/store/networkdb"
)

// Shown is a part as it stands, with the change by which it does.
type Shown[T any] struct {
	Key  string `json:"key"`
	Seen int64  `json:"seen" doc:"Its last change; 0: it has never been changed"`
	Is   T      `json:"is"`
}

// Whole is all that the network is made of, but who works here.
type Whole struct {
	Own      Shown[Own]       `json:"own"`
	Settings Shown[Settled]   `json:"settings"`
	Usual    Settled          `json:"usual" doc:"The settings of a network that has changed none"`
	Numbers  Shown[Numbers]   `json:"numbers"`
	Branches []Shown[Branch]  `json:"branches"`
	Stations []Shown[Station] `json:"stations"`
	Classes  []Shown[Class]   `json:"classes"`
	Choices  []Shown[Choice]  `json:"choices"`
	Partners []Shown[Partner] `json:"partners"`
	Lacks    []Lack           `json:"lacks" doc:"What a branch that is open has not been given yet"`
}

// Lack is something that a branch has not been given yet, so that dates and transits there are not what people expect.
type Lack struct {
	Branch calendar.Code `json:"branch"`
	What   string        `json:"what" enum:"hours,courier"`
}

// lacks tells which branches have no hours, and where no run of the courier calls though there are runs.
func lacks(a *act.Act) []Lack {
	out := []Lack{}
	for _, b := range a.Network.Open() {
		if _, opens := b.NextOpenDay(a.Today() - 1); !opens {
			out = append(out, Lack{b.Code, "hours"})
		}
		calls := slices.ContainsFunc(a.Network.Timetable.Runs, func(r courier.Run) bool {
			return slices.ContainsFunc(r.Stops, func(s courier.Stop) bool { return s.Branch == b.Code })
		})
		if !calls && len(a.Network.Open()) > 1 {
			out = append(out, Lack{b.Code, "courier"})
		}
	}
	return out
}

// Look gives all that the network is made of.
func Look(a *act.Act) (*Whole, error) {
	seen, err := networkdb.LatestChanges(a.Tx)
	if err != nil {
		return nil, err
	}
	w := &Whole{
		Own:      Shown[Own]{"", seen[[2]string{"network", ""}], Own{a.Network.Name, a.Network.Symbol}},
		Lacks:    lacks(a),
		Settings: Shown[Settled]{"", seen[[2]string{"settings", ""}], a.Network.Settled},
		Usual:    core.Usual(),
		Numbers:  Shown[Numbers]{"", seen[[2]string{"numbers", ""}], a.Network.Numbers},
	}
	var keys []string
	for _, b := range a.Network.Rows {
		keys = append(keys, string(b.Code))
	}
	if w.Branches, err = shown[Branch](a, "branch", branches{}, keys, seen); err != nil {
		return nil, err
	}
	keys = nil
	for _, s := range a.Network.Stations {
		keys = append(keys, fmt.Sprint(s.ID))
	}
	if w.Stations, err = shown[Station](a, "station", stations{}, keys, seen); err != nil {
		return nil, err
	}
	keys = nil
	for _, c := range a.Network.Classes {
		keys = append(keys, c.Kind+":"+c.Code)
	}
	if w.Classes, err = shown[Class](a, "class", classes{}, keys, seen); err != nil {
		return nil, err
	}
	keys = nil
	for _, c := range a.Network.Choices {
		keys = append(keys, c.List+":"+c.Code)
	}
	if w.Choices, err = shown[Choice](a, "choice", choices{}, keys, seen); err != nil {
		return nil, err
	}
	partners, err := interlibrarydb.Partners(a.Tx)
	if err != nil {
		return nil, err
	}
	keys = nil
	for _, p := range partners {
		keys = append(keys, fmt.Sprint(p.ID))
	}
	w.Partners, err = shown[Partner](a, "partner", outside{}, keys, seen)
	return w, err
}

func shown[T any](a *act.Act, name string, s sort[T], keys []string, seen map[[2]string]int64) ([]Shown[T], error) {
	out := make([]Shown[T], 0, len(keys))
	for _, key := range keys {
		t, err := s.Load(a, key)
		if err != nil {
			return nil, err
		}
		if t != nil {
			out = append(out, Shown[T]{key, seen[[2]string{name, key}], *t})
		}
	}
	return out, nil
}
