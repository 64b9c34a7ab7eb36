package people

import (
	"slices"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/person"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// Ways are a patron's chosen channels, by kind of notice.
type Ways struct {
	HoldReady person.Way `json:"hold_ready" enum:",mail,text,phone,letter,none" doc:"Empty: by email where there is an address"`
	Overdue   person.Way `json:"overdue" enum:",mail,text,phone,letter" doc:"Empty: by email where there is an address"`
}

func waysOf(p *peopledb.Patron) Ways {
	w := person.ReadWays(p.Notices)
	return Ways{HoldReady: w[person.HoldReady], Overdue: w[person.Overdue]}
}

// ChooseWays writes by what way a patron wants to be told. A way without its address is not kept.
func ChooseWays(a *act.Act, id int64, w Ways) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	ways := person.Ways{}
	for n, way := range map[person.Notice]person.Way{person.HoldReady: w.HoldReady, person.Overdue: w.Overdue} {
		if way != "" {
			ways[n] = way
		}
	}
	r := RecordOf(p)
	if wrong := ways.Check(&r); len(wrong) > 0 {
		return nil, wrongly(wrong)
	}
	peopledb.KeepNotices(a.Tx, id, store.JSON(&ways))
	a.Tell(event.Event{Kind: event.NoticesChosen, Patron: id})
	return Open(a, id)
}

// Confirm keeps that a patron has said today that what is written of them is right.
func Confirm(a *act.Act, id int64) (*Card, error) {
	if _, err := Locked(a, id); err != nil {
		return nil, err
	}
	peopledb.Confirmed(a.Tx, id, a.Today().UTC())
	a.Tell(event.Event{Kind: event.DetailsConfirmed, Patron: id})
	return Open(a, id)
}

// TakeOn makes the branch where one works the home branch of a patron of another.
func TakeOn(a *act.Act, id int64) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if p.BranchCode == a.Who.Branch {
		return nil, problem.Newf(problem.Refused, "%s belongs to this branch already.", p.Name())
	}
	if _, err := a.Network.OpenBranch(a.Who.Branch); err != nil {
		return nil, err
	}
	peopledb.MoveHome(a.Tx, id, a.Who.Branch)
	a.Tell(event.Event{Kind: event.RecordChanged, Patron: id, Detail: event.Detail{Is: "branches"}})
	return Open(a, id)
}

// ChooseLanguage writes in which language a patron wants to be written to.
func ChooseLanguage(a *act.Act, id int64, language string) error {
	if !slices.Contains(a.Network.Settled.Notices.Languages, language) {
		return problem.Newf(problem.Invalid, "Choose a language that the network has.")
	}
	p, err := Locked(a, id)
	if err != nil || p.Language == language {
		return err
	}
	peopledb.KeepLanguage(a.Tx, id, language)
	a.Tell(event.Event{Kind: event.NoticesChosen, Patron: id, Detail: event.Detail{Is: language, About: "language"}})
	return nil
}
