package desk

import (
	"encoding/json"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/app/stock"
	"nevrin/store"
)

// noteSign puts the item aside for its note; where it goes after that is kept beside it.
func noteSign(line *store.ReturnLine, note string, then moving.Sign) moving.Sign {
	line.Note, line.NoteAnswer, line.ThenSign = note, "open", act.JSON(&then)
	return moving.AsideFor("A note", "“"+note+"” Then: "+lower(then.Heading)+" "+then.Place+".")
}

// AnswerNote answers a note met at a return: it stays, it comes off, or the item goes to repair or out of the stock.
func AnswerNote(a *act.Act, lineID int64, answer string) (*Run, error) {
	line, run, err := lineByID(a, lineID)
	if err != nil {
		return nil, err
	}
	if line.NoteAnswer != "open" || line.Undone {
		return nil, act.Problemf(act.Refused, "This note has been answered already.")
	}
	sign := line.ThenSign
	switch answer {
	case "stays":
	case "off":
		if err := stock.Note(a, *line.ItemID, ""); err != nil {
			return nil, err
		}
	case "repair", "withdrawn":
		if answer == "withdrawn" && a.Who.Role == "volunteer" {
			return nil, act.Problemf(act.Forbidden, "A volunteer does not take things out of the stock. Choose repair, and leave the rest to staff.")
		}
		aside, err := setAside(a, *line.ItemID, answer)
		if err != nil {
			return nil, err
		}
		sign = act.JSON(&aside)
	default:
		return nil, act.Problemf(act.Invalid, "A note stays, comes off, or the item goes to repair or out of the stock.")
	}
	line.NoteAnswer, line.Sign = answer, sign
	if err := a.Model(line).Select("NoteAnswer", "Sign").Updates(line).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

// setAside takes an item that was just placed out of use again. Whoever it was meant for waits for another copy.
func setAside(a *act.Act, item int64, answer string) (moving.Sign, error) {
	f, err := store.FactsByID(a.DB, item)
	if err != nil {
		return moving.Sign{}, err
	}
	standing, sign, text := "aside", moving.AsideFor("Repair", "“"+f.Item.Note+"”"), "To repair: "+f.Item.Note
	if answer == "withdrawn" {
		standing, sign, text = "withdrawn", moving.AsideFor("Out of the stock", "“"+f.Item.Note+"”"), "Taken out of the stock: "+f.Item.Note
	}
	if err := unplace(a, f); err != nil {
		return sign, err
	}
	if err := a.Model(f.Item).Update("standing", standing).Error; err != nil {
		return sign, err
	}
	if err := a.Tell(act.Happened{Kind: "set_aside", Item: item, Text: text}); err != nil {
		return sign, err
	}
	return sign, moving.Route(a, f.Item.TitleID, 0)
}

// unplace ends what an item was meant for: its live transit, and the hold, which waits again in its old place.
func unplace(a *act.Act, f *store.Facts) error {
	if f.Transit != nil {
		if err := a.Model(f.Transit).Update("ended_at", a.Now).Error; err != nil {
			return err
		}
	}
	if f.Hold != nil {
		return putBack(a, f.Hold.ID)
	}
	return nil
}

// putBack lets a hold wait again in its old place.
func putBack(a *act.Act, hold int64) error {
	return a.Exec("UPDATE holds SET state = 'waiting', item_id = NULL, promised_at = NULL, ready_at = NULL, shelf_until = NULL WHERE id = ?", hold).Error
}

// undoNote takes back what the answer to a note did to the item.
func undoNote(a *act.Act, line *store.ReturnLine) error {
	switch line.NoteAnswer {
	case "off":
		return stock.Note(a, *line.ItemID, line.Note)
	case "repair", "withdrawn":
		return a.Exec("UPDATE items SET standing = 'in_use' WHERE id = ?", *line.ItemID).Error
	}
	return nil
}

// signOf reads the sign of a line.
func signOf(line *store.ReturnLine) moving.Sign {
	var sign moving.Sign
	if json.Unmarshal(line.Sign, &sign) != nil {
		return moving.AsideFor("Look", "This line's sign could not be read.")
	}
	return sign
}
