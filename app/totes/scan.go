package totes

import (
	"strconv"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/tote"
	"nevrin/store"
)

// Seen is what came of scanning the label of a tote.
type Seen struct {
	ID   int64
	OK   bool
	Says string
	Sign moving.Sign
}

// Scan takes the label of a tote that is scanned at the actor's branch: it leaves, comes, or goes on from here. What
// has happened already does not happen twice.
func Scan(a *act.Act, id int64) (*Seen, error) {
	b, err := a.Tx.LockTote(id)
	if err != nil || b == nil {
		return nil, err
	}
	shown, err := a.Tx.ToteByID(id)
	if err != nil {
		return nil, err
	}
	means, s := tote.Scanned(tote.Place{State: b.State, From: b.FromBranch, To: b.ToBranch, At: b.AtBranch}, a.Who.Branch)
	if s != "" {
		if err := step(a, b, s, nil); err != nil {
			return nil, err
		}
	}
	return say(a, shown, means), nil
}

// say makes the sign of a tote.
func say(a *act.Act, b *store.ToteShown, means tote.Meaning) *Seen {
	name, from, to := "Tote "+tote.Number(b.ID), a.Network.BranchName(b.FromBranch), a.Network.BranchName(b.ToBranch)
	when := calendar.SayInstant(b.SeenAt, a.Here().Location)
	out := &Seen{ID: b.ID, OK: true}
	on := func(heading, detail string) *Seen {
		out.Sign = moving.Sign{Kind: circulation.Tote, Heading: name + heading, Place: to, Code: b.ToBranch, Detail: detail}
		return out
	}
	here := func(heading, place, detail string) *Seen {
		out.Sign = moving.Sign{Kind: circulation.Shelf, Heading: name + heading, Place: place, Detail: detail}
		return out
	}
	aside := func(place, detail string) *Seen {
		out.OK, out.Says = false, detail
		out.Sign = moving.AsideFor(place, detail)
		return out
	}
	unpack := things(b.Inside) + ". Scan each, or say under Totes that all of it has come."
	switch means {
	case tote.Leaves:
		return on(" goes with the courier to", things(b.Inside)+". "+byRun(a, b))
	case tote.Passes:
		return on(" goes on to", byRun(a, b))
	case tote.SeenHere:
		return on(" goes on to", "It has been here since "+when+". "+byRun(a, b))
	case tote.LeftHere:
		return on(" has been taken already, to", "At "+when+". If it is still here, take that back under Totes.")
	case tote.Comes:
		return here(" has come from", from, unpack)
	case tote.CameHere:
		return here(" has come already, from", from, "At "+when+". "+unpack)
	case tote.Surfaces:
		if a.Who.Branch != b.ToBranch {
			return on(" was given up, and is here. It goes to", "Scan what is in it, which counts as missing; then it goes where it is needed.")
		}
		return here(" was given up, and has come from", from, "Scan each thing in it: it counted as missing, and goes where it is needed.")
	case tote.Unpacked:
		return aside("An empty tote", name+" was unpacked at "+calendar.SayInstant(*b.EndedAt, a.Here().Location)+
			". Take its label off. What is still in it is scanned thing by thing.")
	case tote.Filling:
		return aside("Not closed yet", name+" for "+to+" is still being filled. Close it under Totes before the courier takes it.")
	default: // it is being filled or unpacked elsewhere
		return aside("Not closed", name+" is being filled or unpacked at "+a.Network.BranchName(b.AtBranch)+
			", as far as is known. Scan what is in it, thing by thing.")
	}
}

func byRun(a *act.Act, b *store.ToteShown) string {
	j := nextFrom(a, a.Who.Branch, b.ToBranch)
	if j == nil || len(j.Legs) == 0 {
		return "No run gets there within four weeks; ask the courier."
	}
	leg := j.Legs[0]
	says := "By " + a.Network.Timetable.RunName(leg.Run) + ", " + leg.Depart.In(a.Here().Location).Format("Mon 2 Jan 15:04")
	if j.OnShelf != nil {
		says += "; on its shelf by " + j.OnShelf.In(a.Here().Location).Format("15:04 Mon 2 Jan")
	}
	return says + "."
}

func things(n int) string {
	if n == 1 {
		return "1 thing is in it"
	}
	return strconv.Itoa(n) + " things are in it"
}
