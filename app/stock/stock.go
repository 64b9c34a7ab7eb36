// Package stock changes what is on record about items: their notes, their classing, whether they are in use.
package stock

import (
	"slices"
	"strings"

	"nevrin/core/circulation"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/store"
)

// locked loads an item for a change.
func locked(a *act.Act, id int64) (*store.Facts, error) {
	f, err := a.Tx.ItemFactsByID(id)
	if err == nil && f == nil {
		err = problem.NoSuch("item")
	}
	return f, err
}

// Note writes the note that is shown whenever the item comes back; an empty one takes it off.
func Note(a *act.Act, id int64, text string) error {
	f, err := locked(a, id)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	switch text {
	case f.Item.Note:
		return nil
	case "":
		a.Tell(event.Event{Kind: event.NoteOff, Item: id, Detail: event.Detail{Was: f.Item.Note}})
	default:
		a.Tell(event.Event{Kind: event.Noted, Item: id, Detail: event.Detail{Is: text}})
	}
	a.Tx.NoteItem(id, text)
	return nil
}

// BackInUse ends that an item is put aside or missing. Whoever waits for it gets it now.
func BackInUse(a *act.Act, id int64) error {
	f, err := locked(a, id)
	if err != nil {
		return err
	}
	if f.Item.Standing != circulation.ItemAside && f.Item.Standing != circulation.ItemMissing {
		return problem.Newf(problem.Refused, "This item is neither put aside nor missing.")
	}
	a.Tx.Stand(id, circulation.ItemInUse)
	if f.Missed {
		a.Tx.Seen(id, a.Now)
	}
	a.Tell(
		event.Event{
			Kind:   event.BackInUse,
			Item:   id,
			Detail: event.Detail{Branch: f.Item.AtBranch, Was: string(f.Item.Standing)},
		},
	)
	_, err = moving.Route(a, f.Item.TitleID, 0)
	return err
}

// Classing is how an item is classed for the rules.
type Classing struct {
	Material   string `json:"material"`
	Collection string `json:"collection"`
}

// Classify corrects how an item is classed. Loans already made keep their terms; the next one follows.
func Classify(a *act.Act, id int64, c Classing) error {
	for _, k := range []struct{ kind, name, code string }{{"material", "material class", c.Material},
		{"collection", "collection", c.Collection}} {
		known := slices.ContainsFunc(
			a.Network.Classes,
			func(x store.Class) bool { return x.Kind == k.kind && x.Code == k.code && !x.Retired },
		)
		if !known {
			return problem.Newf(problem.Invalid, "There is no %s %q here.", k.name, k.code)
		}
	}
	f, err := locked(a, id)
	if err != nil {
		return err
	}
	a.Tx.ClassifyItem(id, c.Material, c.Collection)
	a.Tell(
		event.Event{
			Kind:   event.ItemClassed,
			Item:   id,
			Detail: event.Detail{Was: f.Item.Material + " " + f.Item.Collection, Is: c.Material + " " + c.Collection},
		},
	)
	return nil
}
