package notices_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// caller gives a reader who is told by telephone, with an overdue loan.
func (w *telling) caller(phone string) (patron int64, item string) {
	p := w.reader("")
	w.Set("UPDATE patrons SET phone = ?, address = '1 Quay Street' WHERE id = ?", phone, p)
	return p, w.lend(p)
}

func (w *telling) callsOf(who act.Actor, page store.Page) ([]notices.Call, store.Page) {
	var next store.Page
	rows := testkit.Do(w.t, w.House, who, func(a *act.Act) ([]notices.Call, error) {
		rows, n, err := notices.Calls(a, "HVH", page)
		next = n
		return rows, err
	})
	return rows, next
}

func (w *telling) called(who act.Actor, id int64, c notices.Called) error {
	_, err := testkit.Try(w.House, who, func(a *act.Act) (bool, error) { return true, notices.SetCalled(a, id, c) })
	return err
}

func names(calls []notices.Call) (out []int64) {
	for _, c := range calls {
		out = append(out, c.Patron)
	}
	return out
}

// Somebody for whom two holds become ready is called once.
func TestOneCallForTwoHolds(t *testing.T) {
	w := newTelling(t)
	p := w.reader("")
	w.Set(`UPDATE patrons SET phone = '902 555 0101', notices = '{"hold_ready": "phone"}' WHERE id = ?`, p)
	for range 2 {
		title, items := w.Title("HVH")
		w.awaits(p, title)
		w.bring(items[0])
	}
	calls, _ := w.callsOf(w.boss, store.Page{})
	require.Len(t, calls, 1)
	assert.Equal(t, 2, strings.Count(calls[0].Titles, ";")+1)
	for title := range strings.SplitSeq(calls[0].Titles, "; ") {
		assert.Contains(t, calls[0].Says, title)
	}
	require.ErrorContains(t, w.called(w.boss, calls[0].Message, notices.Called{Outcome: plan.Reached, Items: 1}), "There is more to tell them since you looked",
		"who looked when there was one hold has not told of the second")
	require.NoError(t, w.called(w.boss, calls[0].Message, notices.Called{Outcome: plan.Reached, Items: calls[0].Items}))
	title, items := w.Title("HVH")
	w.awaits(p, title)
	w.bring(items[0])
	calls, _ = w.callsOf(w.boss, store.Page{})
	require.Len(t, calls, 1, "what comes after the call is another")
	assert.NotContains(t, calls[0].Titles, ";")
}

// A list of calls that two people share: who is at one is seen by the other, and each outcome does what it says.
func TestCalls(t *testing.T) {
	w := newTelling(t)
	w.keep("overdue", func(p *plan.Plan) { p.Ways = []person.Way{person.ByPhone, person.ByLetter} })
	first, item := w.caller("902 555 0101")
	second, _ := w.caller("902 555 0102")
	third, _ := w.caller("902 555 0103")
	w.night(30)
	w.send(w.trial("overdue"))
	other := w.Staff(role.Desk, "HVH")

	calls, _ := w.callsOf(w.boss, store.Page{})
	require.Equal(t, []int64{first, second, third}, names(calls))
	assert.Equal(t, "902 555 0101", calls[0].Phone)
	assert.Contains(t, calls[0].Says, calls[0].Titles, "the words to say name what it is about")
	page, next := w.callsOf(w.boss, store.Page{Most: 2})
	require.Len(t, page, 2)
	page, _ = w.callsOf(w.boss, store.Page{Most: 2, After: next.After})
	assert.Equal(t, []int64{third}, names(page))

	calling := func(who act.Actor, id int64, now bool) error {
		_, err := testkit.Try(w.House, who, func(a *act.Act) (bool, error) { return true, notices.SetCalling(a, id, notices.Calling{Now: now}) })
		return err
	}
	require.NoError(t, calling(w.boss, calls[0].Message, true))
	require.ErrorContains(t, calling(other, calls[0].Message, true), "Somebody else is calling them now.")
	seen, _ := w.callsOf(other, store.Page{})
	assert.NotEmpty(t, seen[0].Caller)
	seen, _ = w.callsOf(w.boss, store.Page{})
	assert.Empty(t, seen[0].Caller, "not to who calls")
	require.NoError(t, calling(other, calls[0].Message, false), "others cannot give up a call")
	require.ErrorContains(t, calling(other, calls[0].Message, true), "Somebody else")
	w.Later(11 * time.Minute)
	require.NoError(t, calling(other, calls[0].Message, true), "nobody calls for so long")

	at := func(d time.Duration) string {
		return testkit.Do(t, w.House, w.boss, func(a *act.Act) (string, error) {
			return a.Now.Add(d).In(a.Here().Location).Format("2006-01-02T15:04"), nil
		})
	}
	require.ErrorContains(t, w.called(other, calls[0].Message, notices.Called{Outcome: plan.Later}), "Enter the date and the time")
	require.ErrorContains(t, w.called(other, calls[0].Message, notices.Called{Outcome: plan.Later, Again: at(-time.Hour)}), "is over")
	require.ErrorContains(t, w.called(other, calls[0].Message, notices.Called{Outcome: plan.Later, Again: at(400 * time.Hour)}), "within 14 days")
	require.NoError(t, w.called(other, calls[0].Message, notices.Called{Outcome: plan.Later, Again: at(2 * time.Hour), Note: "at work"}))
	seen, _ = w.callsOf(w.boss, store.Page{})
	require.Equal(t, []int64{second, third, first}, names(seen), "who is called later comes last")
	assert.True(t, seen[2].Later)
	assert.Equal(t, "To call again: at work", seen[2].Last)
	w.Later(3 * time.Hour)
	seen, _ = w.callsOf(w.boss, store.Page{})
	assert.False(t, seen[2].Later)
	w.bring(item)
	seen, _ = w.callsOf(w.boss, store.Page{})
	require.Equal(t, []int64{second, third}, names(seen), "what came back is not called about")

	require.NoError(t, w.called(w.boss, calls[1].Message, notices.Called{Outcome: plan.MessageLeft}))
	require.NoError(t, w.called(w.boss, calls[1].Message, notices.Called{Outcome: plan.Reached, Items: 1}))
	require.ErrorContains(t, w.called(other, calls[1].Message, notices.Called{Outcome: plan.Reached, Items: 1}), "no longer waiting")
	assert.Contains(t, w.Ask("SELECT body FROM messages WHERE id = ?", calls[1].Message), calls[1].Titles, "what was said is kept")
	undo := func() error {
		_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (bool, error) { return true, notices.UndoCalled(a, calls[1].Message) })
		return err
	}
	require.NoError(t, undo())
	require.ErrorContains(t, undo(), "Only today’s calls can be undone.")
	seen, _ = w.callsOf(w.boss, store.Page{})
	assert.Equal(t, 1, seen[0].Calls, "the message left is not forgotten")

	require.NoError(t, w.called(w.boss, calls[2].Message, notices.Called{Outcome: plan.WrongNumber}))
	assert.Equal(t, "letter by_hand Wrong number", w.Ask("SELECT concat_ws(' ', channel, state, problem) FROM messages WHERE id = ?", calls[2].Message))
	w.Set("UPDATE patrons SET address = '' WHERE id = ?", second)
	require.NoError(t, w.called(w.boss, calls[1].Message, notices.Called{Outcome: plan.WrongNumber}))
	assert.Equal(t, "phone refused", w.Ask("SELECT concat_ws(' ', channel, state) FROM messages WHERE id = ?", calls[1].Message), "who has no other way is listed")
	w.Later(24 * time.Hour)
	require.ErrorContains(t, undo(), "Only today’s calls")
}
