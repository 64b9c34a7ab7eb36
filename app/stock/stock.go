// Package stock changes what is on record about items: their notes, their classing, whether they are in use.
package stock

import (
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/store"
)

// locked loads an item for a change.
func locked(a *act.Act, id int64) (*store.Item, error) {
	f, err := store.FactsByID(a.DB, id)
	if err != nil {
		return nil, act.NotFound(err, "item")
	}
	return f.Item, nil
}

// Note writes the note that is shown whenever the item comes back; an empty one takes it off.
func Note(a *act.Act, id int64, text string) error {
	item, err := locked(a, id)
	if err != nil {
		return err
	}
	text = strings.TrimSpace(text)
	if text == item.Note {
		return nil
	}
	says := "Note taken off: " + item.Note
	if err := a.Model(item).Select("Note").Updates(&store.Item{ID: id, Note: text}).Error; err != nil {
		return err
	}
	if text != "" {
		says = "Note: " + text
	}
	return a.Tell(act.Happened{Kind: "note", Item: id, Text: says})
}

// BackInUse ends that an item is put aside or missing. Whoever waits for it gets it now.
func BackInUse(a *act.Act, id int64) error {
	item, err := locked(a, id)
	if err != nil {
		return err
	}
	if item.Standing != "aside" && item.Standing != "missing" {
		return act.Problemf(act.Refused, "This item is neither put aside nor missing.")
	}
	if err := a.Model(item).Update("standing", "in_use").Error; err != nil {
		return err
	}
	if err := a.Tell(act.Happened{Kind: "back_in_use", Item: id, Text: "Back in use at " + a.Network.BranchName(item.AtBranch)}); err != nil {
		return err
	}
	return moving.Route(a, item.TitleID, 0)
}

// Classing is how an item is classed for the rules.
type Classing struct {
	Material   string `json:"material"`
	Collection string `json:"collection"`
}

// Classify corrects how an item is classed. Loans already made keep their terms; the next one follows.
func Classify(a *act.Act, id int64, c Classing) error {
	for kind, code := range map[string]string{"material": c.Material, "collection": c.Collection} {
		known := slices.ContainsFunc(a.Network.Classes, func(x store.Class) bool { return x.Kind == kind && x.Code == code })
		if !known {
			return act.Problemf(act.Invalid, "There is no %s %q here.", map[string]string{"material": "material class", "collection": "collection"}[kind], code)
		}
	}
	item, err := locked(a, id)
	if err != nil {
		return err
	}
	was := a.Network.ClassName("material", item.Material) + ", " + a.Network.ClassName("collection", item.Collection)
	if err := a.Model(item).Select("Material", "Collection").Updates(&store.Item{ID: id, Material: c.Material, Collection: c.Collection}).Error; err != nil {
		return err
	}
	return a.Tell(act.Happened{Kind: "classified", Item: id, Text: "Classed as " + a.Network.ClassName("material", c.Material) + ", " + a.Network.ClassName("collection", c.Collection) + "; was " + was})
}
