package desk_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/returns"
	"nevrin/app/stock"
	"nevrin/core/circulation"
	"nevrin/testkit"
)

// bring takes an item back in the actor's run of a mode.
func bring(t *testing.T, h *act.House, who act.Actor, mode, item string) *returns.Change {
	t.Helper()
	return testkit.Do(t, h, who, func(a *act.Act) (*returns.Change, error) {
		run, err := returns.Open(a, mode, "")
		if err != nil {
			return nil, err
		}
		return returns.Scan(a, run.ID, item)
	})
}

func answerNote(h *act.House, who act.Actor, line int64, answer string) (*returns.Change, error) {
	return act.Do(
		context.Background(),
		h,
		who,
		"",
		nil,
		func(a *act.Act) (*returns.Change, error) { return returns.AnswerNote(a, line, answer) },
	)
}

// A note met at a return leads on; undoing the line takes back what the answer did.
func TestNoteAtReturn(t *testing.T) {
	h := testkit.House(t)
	jory, wil := testkit.Somebody(t, h, "jory"), testkit.Somebody(t, h, "wil")
	for _, c := range []struct{ answer, sign, standing, note string }{
		{"stays", "shelf", "in_use", "Map is loose."},
		{"off", "shelf", "in_use", ""},
		{"repair", "aside", "aside", "Map is loose."},
		{"withdrawn", "aside", "withdrawn", "Map is loose."},
	} {
		t.Run(c.answer, func(t *testing.T) {
			item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
			require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET note = 'Map is loose.' WHERE barcode = ?", item).Error)
			state := func() (standing, note string) {
				row := testkit.SQL(h).Raw("SELECT standing, note FROM items WHERE barcode = ?", item).Row()
				require.NoError(t, row.Scan(&standing, &note))
				return standing, note
			}
			line := bring(t, h, jory, "bin", item).Lines[0]
			assert.Equal(t, "open", line.Noted)
			assert.EqualValues(t, "aside", line.Sign.Kind)
			assert.Contains(t, line.Sign.Detail, "Map is loose.")
			_, err := answerNote(h, jory, line.ID, "perhaps")
			assert.ErrorContains(t, err, "Choose one: keep the note, remove it, repair, withdraw or replace the item.")
			if c.answer == "withdrawn" {
				wil.Branch = "SLM"
				_, err = answerNote(h, wil, line.ID, c.answer)
				assert.ErrorContains(t, err, "Volunteers cannot withdraw items. Choose repair and leave the rest to staff.")
			}
			run, err := answerNote(h, jory, line.ID, c.answer)
			require.NoError(t, err)
			assert.EqualValues(t, c.sign, run.Lines[0].Sign.Kind)
			standing, note := state()
			assert.Equal(t, []string{c.standing, c.note}, []string{standing, note})
			if c.answer == "off" {
				assert.Equal(
					t,
					"Map is loose.",
					testkit.Text(
						t,
						h,
						"SELECT e.detail->>'was' FROM events e JOIN items i ON i.id = e.item_id WHERE i.barcode = ? AND e.kind = 'note_off'",
						item,
					),
					"what it said stays in the history",
				)
			}
			_, err = answerNote(h, jory, line.ID, "stays")
			assert.ErrorContains(t, err, "This note is already answered.")
			testkit.Do(t, h, jory, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, line.ID) })
			standing, note = state()
			assert.Equal(t, []string{"in_use", "Map is loose."}, []string{standing, note})
			require.NoError(
				t,
				testkit.SQL(h).Exec("UPDATE items SET at_branch = 'HVH' WHERE barcode = ?", item).Error,
			) // the next case takes another
		})
	}
}

// Whoever the item was meant for waits again when it goes to repair, and gets it when it is back in use.
func TestRepairPassesTheHoldOn(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	item := testkit.Text(
		t,
		h,
		`SELECT i.barcode FROM items i WHERE i.at_branch = 'HVH' AND i.branch_code = 'HVH' AND i.material = 'book' AND i.standing = 'in_use'
		AND (SELECT count(*) FROM items o WHERE o.title_id = i.title_id) = 1 AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM transits m WHERE m.item_id = i.id AND m.ended_at IS NULL) AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id LIMIT 1`,
	)
	title := number(t, testkit.Text(t, h, "SELECT title_id::text FROM items WHERE barcode = ?", item))
	patron := number(
		t,
		testkit.Text(
			t,
			h,
			"SELECT id::text FROM patrons WHERE card = ?",
			testkit.Text(t, h, testkit.GoodCard, "HVH", "adult"),
		),
	)
	placed := testkit.Do(t, h, bea, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "HVH"})
	})
	require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET note = 'Spine broken.' WHERE barcode = ?", item).Error)
	line := bring(t, h, bea, "bin", item).Lines[0]
	state := func() string { return testkit.Text(t, h, "SELECT state FROM holds WHERE id = ?", placed.ID) }
	require.Equal(t, "ready", state())
	_, err := answerNote(h, bea, line.ID, "repair")
	require.NoError(t, err)
	assert.Equal(t, "waiting", state())
	id := line.ItemID
	testkit.Do(t, h, bea, func(a *act.Act) (struct{}, error) {
		return struct{}{}, stock.SetStatus(a, id, stock.NewStatus{Standing: circulation.ItemInUse})
	})
	assert.Equal(t, "fetching", state(), "back in use, it stands on the fetch list")
}

// Correcting a class changes the next loan, and not the one that was made.
func TestTheNextLoanFollowsTheCorrectedClass(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	first := lend(t, h, jory, card, item)
	id := first.Line.ItemID
	testkit.Do(t, h, jory, func(a *act.Act) (struct{}, error) {
		return struct{}{}, stock.Classify(a, id, stock.Classing{Material: "film", Collection: "media"})
	})
	assert.Equal(t, "2026-10-27", testkit.Text(t, h, "SELECT due_date::text FROM loans WHERE id = ?", first.Line.LoanID))
	bring(t, h, jory, "patron", item)
	assert.Equal(t, "2026-10-15", lend(t, h, jory, card, item).Line.DueExact)
	_, err := act.Do(context.Background(), h, jory, "", nil, func(a *act.Act) (struct{}, error) {
		return struct{}{}, stock.Classify(a, id, stock.Classing{Material: "scroll", Collection: "media"})
	})
	assert.ErrorContains(t, err, `no material class "scroll"`)
}
