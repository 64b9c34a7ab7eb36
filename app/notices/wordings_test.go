package notices_test

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/plan"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
	"nevrin/testkit"
)

// Every wording that comes with Nevrin can be written, of every kind and stage of the usual plans.
func TestUsualWordings(t *testing.T) {
	for code, p := range plan.Usual() {
		for _, stage := range p.Stages {
			w := notices.Usual(stage.Wording)
			require.NotNil(t, w, "%s of %s", stage.Wording, code)
			assert.Equal(t, p.Kind, w.Kind)
			assert.NoError(t, notices.CheckWording(w), stage.Wording)
		}
	}
	assert.NoError(t, notices.CheckWording(notices.Usual(plan.Frame)))
}

// What is wrong with a wording is told by its line, and nothing of it runs without end.
func TestWordingsThatCannotBe(t *testing.T) {
	for _, c := range []struct{ name, subject, body, says string }{
		{"no subject", "", "Text", "a subject and a text"},
		{"a field that is none", "S", "Dear {{ name }},\n{{ nmae }}", `line 2: there is no field "nmae"`},
		{"a field that is none, in a condition", "S", "{% if late %}x{% endif %}", `line 1: there is no field "late"`},
		{"a field of an item that is none", "S", "{% for i in items %}\n{{ i.isbn }}\n{% endfor %}", `line 2: an item has no field "isbn"`},
		{"in the subject", "{{ titel }}", "Text", `English: The subject: line 1: there is no field "titel"`},
		{"a loop that is not ended", "S", "a\n{% for i in items %}b", "line 2"},
		{"a tag that is none", "S", "{% repeat %}", `line 1: "repeat" is not possible`},
		{"braces that are not closed", "S", "{{ name", ""},
		{"an endless loop", "S", "a\n{% for k in (1..9999999999) %}x{% endfor %}", "line 2: loops over numbers"},
		{"loops in loops in loops", "S", "{% for a in items %}{% for b in items %}\n{% for c in items %}{% endfor %}{% endfor %}{% endfor %}", "line 2: not more than 2 loops"},
		{"a text that doubles", "S", "{% assign x = name %}" + strings.Repeat("{% assign x = x | append: x %}", 100), `line 1: "assign" is not possible`},
		{"a filter that multiplies", "S", "a\n{{ name" + strings.Repeat(" | replace: 'a', 'aaaaaaaaaa'", 100) + " }}", `line 2: there is no filter "replace"`},
		{"and beside or, which are read in two ways", "S", "a\n{% if owed == name and page == name or name == page %}x{% endif %}", `line 2: one condition can use "and" or "or", not both`},
		{"and beside a text with or", "S", "{% if owed != \"\" and name != 'one or two' %}x{% endif %}", ""},
		{"a field that may be empty", "S", "a\n{% if owed %}You owe {{ owed }}{% endif %}", `line 2: this is always true, because even an empty field counts; write {% if owed != "" %}`},
		{"the same in a loop", "S", "{% for i in items %}{% if number == 1 and i.author %}x{% endif %}{% endfor %}", `write {% if i.author != "" %}`},
		{"what a loop is at", "S", "{% for i in items %}{% unless forloop.last %}, {% endunless %}{% endfor %}", ""},
		{"a word that means nothing here", "S", "{% if owed == blank %}x{% endif %}", `line 1: there is no field "blank"`},
		{"a subject of two lines", "a\nb", "Text", "more than one line"},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := &plan.Wording{Name: "Trial", Kind: plan.Overdue, Texts: map[string]plan.Text{"en": {Subject: c.subject, Body: c.body}}}
			begun := time.Now()
			err := notices.CheckWording(w)
			assert.Less(t, time.Since(begun), 5*time.Second)
			if c.says == "" { // it is text
				assert.NoError(t, err)
				return
			}
			assert.ErrorContains(t, err, c.says)
		})
	}
}

// A wording that was changed is what the next message says; taken back, the usual one. A name with a line break stays in its line.
func TestChangedWording(t *testing.T) {
	w := newTelling(t)
	p := w.reader("ada@post.invalid")
	w.Set("UPDATE patrons SET legal_name = E'Ada\\nBcc: all@post.invalid' WHERE id = ?", p)
	w.lend(p)
	kept := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) {
		is := plan.Wording{Name: "Overdue", Kind: plan.Overdue, Texts: map[string]plan.Text{"en": {Subject: "{{ name }}: bring {{ count }}", Body: "Bring {{ title }}."}}}
		return upkeep.Put(a, "wording", "overdue", 0, is)
	})
	w.night(24)
	w.send(w.trial("overdue"))
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "Ada Bcc: all@post.invalid: bring an item", letters[0].Subject)
	assert.Contains(t, letters[0].Body, "Bring Title")
	testkit.Do(t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.TakeBack(a, kept.Seen) })
	tried := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*notices.Tried, error) {
		return notices.Try(a, notices.Trying{Kind: plan.Overdue, Language: "en", Text: notices.WordingOf(a, "overdue").In("en")})
	})
	assert.Equal(t, "Please return an item", tried.Subject)
	assert.Contains(t, tried.About, "Ada", "with the last one who was told")
}

// Holds that become ready within minutes are one message, also where one of them is picked up before it leaves.
func TestHoldsAreGathered(t *testing.T) {
	w := newTelling(t)
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"gather_minutes": 10}}'`)
	p := w.reader("ada@post.invalid")
	ready := func(name string) int64 {
		title, items := w.Title("HVH")
		w.Set("UPDATE titles SET name = ? WHERE id = ?", name, title)
		item, err := strconv.ParseInt(w.Ask("SELECT id FROM items WHERE barcode = ?", items[0]), 10, 64)
		require.NoError(t, err)
		id := w.Row("holds", map[string]any{
			"title_id": title, "patron_id": p, "pickup": "HVH", "placed_at": "2026-10-01", "place": 1, "state": "ready",
			"item_id": item, "ready_at": "2026-10-06 12:00-03", "shelf_until": "2026-10-13",
		})
		testkit.Done(t, w.House, w.boss, func(a *act.Act) error {
			h := &holdsdb.Hold{ID: id, PatronID: p, Pickup: "HVH", Patron: &peopledb.Patron{ID: p, LegalName: "Ada", Email: "ada@post.invalid", Class: "adult"}}
			return notices.HoldReady(a, h, &stockdb.Item{Material: "book", Collection: "general", BranchCode: calendar.Code("HVH")})
		})
		return id
	}
	ready("Tides")
	ready("Harbours")
	gone := ready("Ferries")
	assert.Equal(t, "gathering 3", w.Ask("SELECT state || ' ' || items FROM messages"))
	w.Set("UPDATE holds SET state = 'filled', closed_at = now() WHERE id = ?", gone)
	require.NoError(t, (&notices.Gatherer{House: w.House}).Work(t.Context(), &river.Job[notices.GatherArgs]{Args: notices.GatherArgs{Patron: p, Channel: "mail"}}))
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "Ready for you: 2 items", letters[0].Subject)
	assert.Contains(t, letters[0].Body, "Tides")
	assert.NotContains(t, letters[0].Body, "Ferries")
}
