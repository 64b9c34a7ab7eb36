package person

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWaysNeedTheirAddress(t *testing.T) {
	whole := Record{Email: "ida@mail.example", Phone: "555 0101", Address: "4 Mill Lane"}
	for _, c := range []struct {
		name  string
		ways  Ways
		take  func(*Record)
		wrong []Field
	}{
		{name: "nothing chosen", take: func(r *Record) { *r = Record{} }},
		{name: "all there", ways: Ways{HoldReady: ByPhone, Overdue: ByLetter}},
		{name: "no mail", ways: Ways{HoldReady: ByMail, Overdue: ByMail}, take: func(r *Record) { r.Email = "" }, wrong: []Field{"hold_ready", "overdue"}},
		{name: "no phone", ways: Ways{HoldReady: ByPhone}, take: func(r *Record) { r.Phone = "" }, wrong: []Field{"hold_ready"}},
		{name: "no address", ways: Ways{Overdue: ByLetter}, take: func(r *Record) { r.Address = "" }, wrong: []Field{"overdue"}},
		{name: "not told of holds", ways: Ways{HoldReady: NotTold}, take: func(r *Record) { *r = Record{} }},
		{name: "everybody is told what is overdue", ways: Ways{Overdue: NotTold}, wrong: []Field{"overdue"}},
		{name: "no such kind", ways: Ways{"weather": ByMail}, wrong: []Field{"weather"}},
		{name: "no such way", ways: Ways{HoldReady: "pigeon"}, wrong: []Field{"hold_ready"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := whole
			if c.take != nil {
				c.take(&r)
			}
			var fields []Field
			for _, w := range c.ways.Check(&r) {
				fields = append(fields, w.Field)
			}
			assert.Equal(t, c.wrong, fields)
		})
	}
}

func TestAnAddressInUseIsNotTakenAway(t *testing.T) {
	r := Record{Phone: "555 0101"}
	assert.Empty(t, Ways{HoldReady: ByPhone}.Unreached(&r))
	assert.Equal(t, Email, Ways{HoldReady: ByMail}.Unreached(&r)[0].Field)
}
