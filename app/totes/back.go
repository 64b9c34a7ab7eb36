package totes

import (
	"encoding/json"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/circulation"
	"nevrin/core/tote"
	"nevrin/store/deskdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// whatItSet gives what a step has set going, with what is needed to take that back locked.
func whatItSet(a *act.Act, s *transitsdb.ToteStep) (*did, error) {
	set := &did{}
	if s.Did == nil {
		return set, nil
	}
	if err := json.Unmarshal(s.Did, set); err != nil {
		return nil, err
	}
	in, err := transitsdb.ItemsInTote(a.Tx, s.ToteID)
	if err != nil {
		return nil, err
	}
	return set, lockAll(a, in)
}

// restore puts a tote back as it was before a step, with what the step has set going.
func restore(a *act.Act, b *transitsdb.Tote, s *transitsdb.ToteStep, set *did) (*Detail, error) {
	var was transitsdb.Tote
	if err := json.Unmarshal(s.Was, &was); err != nil {
		return nil, err
	}
	if was.State == tote.Open {
		other, err := transitsdb.OpenTote(a.Tx, was.FromBranch, was.ToBranch)
		if err != nil {
			return nil, err
		}
		if other != 0 {
			return nil, problem.Newf(problem.Refused, "Tote %s is now open for %s. Close that one first.",
				tote.Number(other), a.Network.BranchName(was.ToBranch))
		}
	}
	transitsdb.KeepTote(a.Tx, &was)
	back := 0
	for _, p := range set.Placed {
		ok, err := unplace(a, p)
		if err != nil {
			return nil, err
		}
		if ok {
			back++
		}
	}
	for _, p := range set.Lost {
		ok, err := unlose(a, p.Item, p.Did.EndedTransit)
		if err != nil {
			return nil, err
		}
		if ok {
			back++
		}
	}
	if n := len(set.Placed) + len(set.Lost); n > 0 && back == 0 {
		return nil, problem.Newf(problem.Refused, "Everything in tote %s has been handled since.",
			tote.Number(b.ID))
	}
	if s.Step == tote.Leave {
		if j := a.Network.Timetable.Ask(was.FromBranch, was.ToBranch, a.Now); j != nil {
			transitsdb.PromiseTote(a.Tx, b.ID, j.OnShelf)
		}
	}
	return Of(a, b.ID)
}

// unplace puts a thing back into its tote, if nobody has gone on with it since.
func unplace(a *act.Act, p placed) (bool, error) {
	facts, err := deskdb.ItemFactsByID(a.Tx, p.Item)
	if err != nil || facts == nil || facts.Loan != nil || moving.GoneOn(a, facts, &p.Did) != "" {
		return false, err
	}
	if err := moving.Unplace(a, facts, &p.Did, false); err != nil {
		return false, err
	}
	a.Tell(event.Event{Kind: event.UnderWayAgain, Item: p.Item})
	_, err = moving.Route(a, facts.Item.TitleID, 0)
	return true, err
}

// unlose lets a thing be in transit again that counted as missing, if it has not turned up since.
func unlose(a *act.Act, item, transit int64) (bool, error) {
	facts, err := deskdb.ItemFactsByID(a.Tx, item)
	if err != nil || facts == nil || facts.Item.Standing != circulation.ItemMissing || facts.Transit != nil {
		return false, err
	}
	stockdb.SetStatus(a.Tx, item, circulation.ItemInUse, "")
	transitsdb.ResumeTransit(a.Tx, transit)
	a.Tell(event.Event{Kind: event.UnderWayAgain, Item: item})
	return true, nil
}
