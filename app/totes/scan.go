package totes

import (
	"strconv"
	"time"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/core/circulation"
	"nevrin/core/tote"
	"nevrin/store"
	"nevrin/store/transitsdb"
)

// Seen is the result of scanning the label of a tote.
type Seen struct {
	ID   int64
	OK   bool
	Says string
	Sign moving.Sign
}

// Scan takes the label of a tote that is scanned at the actor's branch: it leaves, comes, or goes on from here. What
// has happened already does not happen twice. With a lost tote what is still missing of it is in it again.
func Scan(a *act.Act, id int64) (*Seen, error) {
	shown, err := transitsdb.ToteByID(a.Tx, id)
	if err != nil || shown == nil {
		return nil, err
	}
	var in []transitsdb.InTote
	if shown.State == tote.Lost {
		if in, err = transitsdb.ItemsInTote(a.Tx, id); err == nil {
			err = lockAll(a, in)
		}
		if err != nil {
			return nil, err
		}
	}
	b, err := transitsdb.LockTote(a.Tx, id)
	switch {
	case err != nil || b == nil:
		return nil, err
	case (b.State == tote.Lost) != (shown.State == tote.Lost):
		return nil, store.ErrMoved // in between; with what that needs it is tried again
	}
	if shown, err = transitsdb.ToteByID(a.Tx, id); err != nil {
		return nil, err
	}
	means, s := tote.Scanned(tote.Place{State: b.State, From: b.FromBranch, To: b.ToBranch, At: b.AtBranch},
		a.Who.Branch)
	if s != "" {
		if err := step(a, b, s, nil); err != nil {
			return nil, err
		}
	}
	for _, t := range in {
		if !t.Last {
			continue
		}
		found, err := unlose(a, t.ItemID, t.TransitID)
		if err != nil {
			return nil, err
		}
		if found {
			shown.Inside++
		}
	}
	if means == tote.Surfaces && shown.Inside == 0 { // all of it has turned up one by one
		next, _ := tote.Next(tote.Here, tote.Finish)
		b.State, b.EndedAt = next, &a.Now
		transitsdb.KeepTote(a.Tx, b)
	}
	return say(a, shown, means), nil
}

// say makes the sign of a tote.
func say(a *act.Act, b *transitsdb.ToteShown, means tote.Meaning) *Seen {
	name, from, to := "Tote "+tote.Number(b.ID), a.Network.BranchName(b.FromBranch), a.Network.BranchName(b.ToBranch)
	when := a.Here().SayInstant(b.SeenAt)
	out := &Seen{ID: b.ID, OK: true}
	on := func(heading, detail string) *Seen {
		out.Sign = moving.Sign{Kind: circulation.Tote, Heading: name + heading, Place: to, Code: b.ToBranch,
			Detail: detail}
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
	unpack := things(b.Inside) + ". Scan each item, or mark all as arrived under Totes."
	switch means {
	case tote.Leaves:
		return on(" goes with the courier to", things(b.Inside)+". "+byRun(a, b))
	case tote.Passes:
		return on(" goes on to", byRun(a, b))
	case tote.SeenHere:
		return on(" goes on to", "Here since "+when+". "+byRun(a, b))
	case tote.LeftHere:
		return on(" was already taken, to", "At "+when+". If it is still here, undo that under Totes.")
	case tote.Comes:
		return here(" arrived from", from, unpack)
	case tote.CameHere:
		return here(" has already arrived, from", from, "At "+when+". "+unpack)
	case tote.Surfaces:
		switch {
		case b.Inside == 0:
			return aside("An empty tote", name+" was declared lost, and all its items have turned up. Remove its label.")
		case a.Who.Branch != b.ToBranch:
			return on(" was declared lost and is here. It goes to", things(b.Inside)+". "+byRun(a, b))
		}
		return here(" was declared lost and has arrived from", from, unpack)
	case tote.Unpacked:
		return aside("An empty tote", name+" was unpacked at "+a.Here().SayInstant(*b.EndedAt)+
			". Remove its label. Scan anything still in it item by item.")
	case tote.Filling:
		return aside("Not closed yet", name+" for "+to+" is still open. Close it under Totes before the courier takes it.")
	default:
		return aside("Not closed",
			name+" is open at "+from+". Scan its items one by one.")
	}
}

func byRun(a *act.Act, b *transitsdb.ToteShown) string {
	j := nextFrom(a, a.Who.Branch, b.ToBranch)
	if j == nil || len(j.Legs) == 0 {
		return "No run there within four weeks. Ask the courier."
	}
	leg := j.Legs[0]
	day := func(t time.Time) string { return a.SayDate(a.Here().Date(t)) }
	leaves := day(leg.Depart) + " " + a.Here().SayClock(leg.Depart)
	says := "By " + a.Network.Timetable.RunName(leg.Run) + ", " + leaves
	if j.OnShelf != nil {
		says += "; on its shelf by " + a.Here().SayClock(*j.OnShelf) + " " + day(*j.OnShelf)
	}
	return says + "."
}

func things(n int) string {
	if n == 1 {
		return "1 item in it"
	}
	return strconv.Itoa(n) + " items in it"
}
