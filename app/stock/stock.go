// Package stock changes what is on record about items: their notes, their classing, whether they are in use.
package stock

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/store/deskdb"
	"nevrin/store/stockdb"
)

// locked loads an item for a change.
func locked(a *act.Act, id int64) (*deskdb.Facts, error) {
	facts, err := deskdb.ItemFactsByID(a.Tx, id)
	if err == nil && facts == nil {
		err = problem.NoSuch("item")
	}
	return facts, err
}

// Note writes the note that is shown whenever the item comes back; an empty one takes it off.
func Note(a *act.Act, id int64, text string) error {
	facts, err := locked(a, id)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	switch text {
	case facts.Item.Note:
		return nil
	case "":
		a.Tell(event.Event{Kind: event.NoteOff, Item: id, Detail: event.Detail{Was: facts.Item.Note}})
	default:
		a.Tell(event.Event{Kind: event.Noted, Item: id, Detail: event.Detail{Is: text}})
	}
	stockdb.NoteItem(a.Tx, id, text)
	return nil
}

// Classing are the classes of an item, by which rules decide.
type Classing struct {
	Material   string `json:"material"`
	Collection string `json:"collection"`
}

// Classify corrects how an item is classed. Loans already made keep their terms; the next one follows.
func Classify(a *act.Act, id int64, c Classing) error {
	facts, err := locked(a, id)
	if err != nil {
		return err
	}
	if err := offered(a, c.Material, c.Collection, facts.Item.Material, facts.Item.Collection); err != nil {
		return err
	}
	stockdb.ClassifyItem(a.Tx, id, c.Material, c.Collection)
	a.Tell(
		event.Event{
			Kind:   event.ItemClassed,
			Item:   id,
			Detail: event.Detail{Was: facts.Item.Material + " " + facts.Item.Collection, Is: c.Material + " " + c.Collection},
		},
	)
	return nil
}
