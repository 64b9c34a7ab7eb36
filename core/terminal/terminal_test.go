package terminal_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/terminal"
)

func TestHeard(t *testing.T) {
	soon, long := 5*time.Second, 5*time.Minute
	for name, c := range map[string]struct {
		state terminal.State
		said  terminal.Outcome
		age   time.Duration
		move  terminal.Move
		step  terminal.Step
	}{
		"approved":                               {terminal.Asked, terminal.Approved, soon, terminal.Approve, ""},
		"approved, told late":                    {terminal.Asked, terminal.Approved, long, terminal.Approve, ""},
		"the card is refused":                    {terminal.Asked, terminal.Declined, soon, terminal.Refuse, ""},
		"at another payment":                     {terminal.Asked, terminal.Busy, soon, terminal.Refuse, ""},
		"still waits for the card":               {terminal.Asked, terminal.Waiting, soon, "", terminal.Ask},
		"nothing comes: nothing is concluded":    {terminal.Asked, terminal.Silent, long, "", terminal.Ask},
		"a new word":                             {terminal.Asked, "cancelled", soon, "", terminal.Ask},
		"never arrived, the person is there":     {terminal.Asked, terminal.Unknown, soon, "", terminal.Pay},
		"never arrived, and that was long ago":   {terminal.Asked, terminal.Unknown, long, terminal.Refuse, ""},
		"called off in time":                     {terminal.Stopping, terminal.Reversed, soon, terminal.Back, terminal.Reverse},
		"called off, and refused before":         {terminal.Stopping, terminal.Declined, soon, terminal.Refuse, terminal.Reverse},
		"called off before it arrived":           {terminal.Stopping, terminal.Unknown, soon, terminal.Refuse, terminal.Reverse},
		"called off, and nothing comes":          {terminal.Stopping, terminal.Silent, long, "", terminal.Reverse},
		"called off, and it says approved":       {terminal.Stopping, terminal.Approved, soon, "", terminal.Reverse},
		"given back":                             {terminal.Returning, terminal.Reversed, soon, terminal.Back, terminal.Reverse},
		"to be given back, and is unknown there": {terminal.Returning, terminal.Unknown, long, "", terminal.Reverse},
	} {
		move, step := c.state.Heard(c.said, c.age)
		assert.Equal(t, c.move, move, name)
		assert.Equal(t, c.step, step, name)
		if move != "" {
			_, err := c.state.Next(move)
			assert.NoError(t, err, name)
		}
	}
}

// Where a terminal does not say how a payment ended, whatever else it says, somebody may.
func TestLeads(t *testing.T) {
	for _, c := range []struct {
		state terminal.State
		said  terminal.Outcome
		leads bool
	}{
		{terminal.Asked, terminal.Waiting, true},
		{terminal.Asked, terminal.Unknown, true},
		{terminal.Asked, terminal.Silent, false},
		{terminal.Stopping, terminal.Waiting, true}, // the card is still searched for, and it is being told
		{terminal.Stopping, terminal.Reversed, true},
		{terminal.Stopping, terminal.Approved, false}, // it does not take it back
		{terminal.Returning, terminal.Reversed, true},
		{terminal.Returning, terminal.Unknown, false}, // another device stands there by now
		{terminal.Returning, terminal.Silent, false},
	} {
		assert.Equal(t, c.leads, c.state.Leads(c.said), "%s %q", c.state, c.said)
	}
}

// Whatever is called off or reversed is never asked for again; whoever goes on with a payment asks about it first.
func TestFirst(t *testing.T) {
	assert.Equal(t, terminal.Pay, terminal.Asked.First(false))
	assert.Equal(t, terminal.Ask, terminal.Asked.First(true))
	for _, s := range []terminal.State{terminal.Stopping, terminal.Returning} {
		assert.Equal(t, terminal.Reverse, s.First(false))
		assert.Equal(t, terminal.Reverse, s.First(true))
	}
}

// What has ended stays as it ended.
func TestEnded(t *testing.T) {
	for _, s := range []terminal.State{terminal.Taken, terminal.Refused, terminal.Returned} {
		assert.True(t, s.Ended())
		for _, m := range []terminal.Move{terminal.Approve, terminal.Refuse, terminal.Stop, terminal.Return, terminal.Back,
			terminal.Settle, terminal.Write} {
			_, err := s.Next(m)
			assert.ErrorContains(t, err, "cannot go on", "%s %s", s, m)
		}
	}
	_, err := terminal.Returning.Next(terminal.Stop)
	assert.Error(t, err)
}
