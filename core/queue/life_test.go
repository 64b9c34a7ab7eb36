package queue_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/role"
)

func TestLifeOfAHold(t *testing.T) {
	cases := []struct {
		name string
		from queue.State
		move queue.Move
		to   queue.State
		says string
	}{
		{"an item is chosen", queue.Waiting, queue.Choose, queue.Fetching, ""},
		{"fetched here for pickup here", queue.Fetching, queue.Shelve, queue.Ready, ""},
		{"fetched for another branch", queue.Fetching, queue.Send, queue.Moving, ""},
		{"came to the wrong branch and is sent on", queue.Moving, queue.Send, queue.Moving, ""},
		{"taken by the patron from the hold shelf", queue.Ready, queue.Fill, queue.Filled, ""},
		{"taken by the patron from another shelf", queue.Waiting, queue.Fill, queue.Filled, ""},
		{"not found on the shelf", queue.Fetching, queue.PutBack, queue.Waiting, ""},
		{"the loan that filled it is undone", queue.Filled, queue.Reopen, queue.Ready, ""},
		{"lapses only on the hold shelf", queue.Moving, queue.Lapse, "", "a hold that is moving cannot lapse"},
		{"cancelled twice", queue.Cancelled, queue.Cancel, "", "a hold that is cancelled cannot be cancelled"},
		{"ready without an item", queue.Waiting, queue.Shelve, "", "a hold that is waiting cannot go onto the hold shelf"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			to, err := queue.Next(c.from, c.move)
			if c.says != "" {
				assert.EqualError(t, err, c.says)
				return
			}
			assert.NoError(t, err)
			assert.Equal(t, c.to, to)
		})
	}
	assert.False(t, queue.Cancel.MayMake(role.Volunteer))
	assert.True(t, queue.Shelve.MayMake(role.Volunteer))
}

// Whatever happens to a hold, in whatever order, it never stands in a state that has no name, and what has ended
// only comes back by undoing.
func TestHoldsEndOnce(t *testing.T) {
	all := []queue.Move{
		queue.Choose,
		queue.Send,
		queue.Shelve,
		queue.Fill,
		queue.Cancel,
		queue.Lapse,
		queue.PutBack,
		queue.Reopen,
	}
	rapid.Check(t, func(t *rapid.T) {
		state := queue.Waiting
		for range 20 {
			move := rapid.SampledFrom(all).Draw(t, "move")
			to, err := queue.Next(state, move)
			if err != nil {
				assert.Equal(t, state, to, "a refused move changes nothing")
				continue
			}
			if state.Ended() {
				assert.Contains(t, []queue.Move{queue.Reopen, queue.PutBack}, move)
				assert.Equal(t, queue.Filled, state)
			}
			assert.NotEqual(t, to.Ended(), to.HasItem() || to == queue.Waiting)
			state = to
		}
	})
}

func TestChangingAndPausing(t *testing.T) {
	for s, says := range map[queue.State]string{
		queue.Waiting: "", queue.Fetching: "A copy is already in transit for this hold. You can cancel it, but not edit it.", queue.Moving: "A copy is already in transit for this hold. You can cancel it, but not edit it.", queue.Ready: "A copy is already in transit for this hold. You can cancel it, but not edit it.", queue.Filled: "has ended",
		queue.Cancelled: "has ended", queue.Lapsed: "has ended",
	} {
		if says == "" {
			assert.Empty(t, s.MayChange())
		} else {
			assert.Contains(t, s.MayChange(), says, s)
		}
	}
	today := calendar.MakeDate(2026, 10, 6)
	for days, may := range map[int]bool{-1: false, 0: false, 1: true, 366: true, 367: false} {
		assert.Equal(t, may, queue.MayPause(today, today.Add(days)) == "", days)
	}
}

// Of two holds of one person on one title, as they come together when two records are one, exactly one stays.
func TestWhichOfTwoStays(t *testing.T) {
	for _, c := range []struct {
		name string
		a, b queue.Claim
		a1st bool
	}{
		{"the better place", queue.Claim{State: queue.Waiting, Place: 3}, queue.Claim{State: queue.Waiting, Place: 4}, true},
		{"ready before under way", queue.Claim{State: queue.Ready, Place: 9}, queue.Claim{State: queue.Moving, Place: 1}, true},
		{"under way before fetched", queue.Claim{State: queue.Fetching, Place: 1}, queue.Claim{State: queue.Moving, Place: 9}, false},
		{"fetched before waiting", queue.Claim{State: queue.Fetching, Place: 9}, queue.Claim{State: queue.Waiting, Place: 1}, true},
		{"both ready: the better place", queue.Claim{State: queue.Ready, Place: 2}, queue.Claim{State: queue.Ready, Place: 1}, false},
	} {
		assert.Equal(t, c.a1st, queue.Stays(c.a, c.b), c.name)
		assert.Equal(t, !c.a1st, queue.Stays(c.b, c.a), c.name)
	}
	same := queue.Claim{State: queue.Waiting, Place: 1}
	assert.True(t, queue.Stays(same, same), "the first, where nothing tells them apart")
}
