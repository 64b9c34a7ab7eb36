package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/person"
	"nevrin/core/plan"
)

// Codes are those of RFC 5321, 4.2.2 and 4.2.3, from memory.
func TestAttempts(t *testing.T) {
	for _, c := range []struct {
		name string
		a    plan.Attempt
		ends plan.After
	}{
		{"taken", plan.Attempt{Delivered: true, Tries: 1}, plan.Sent},
		{"taken, then the line was lost", plan.Attempt{Delivered: true, AllSent: true, Tries: 1}, plan.Sent},
		{"nobody listens", plan.Attempt{Tries: 1}, plan.Again},
		{"no such mailbox (550)", plan.Attempt{Code: 550, OfMessage: true, Tries: 1}, plan.Refused},
		{"mailbox full for now (452)", plan.Attempt{Code: 452, OfMessage: true, Tries: 1}, plan.Again},
		{"greylisted (451)", plan.Attempt{Code: 451, OfMessage: true, Tries: 1}, plan.Again},
		{"too long (552)", plan.Attempt{Code: 552, OfMessage: true, AllSent: true, Tries: 1}, plan.Refused},
		{"our sender is refused (550)", plan.Attempt{Code: 550, Tries: 1}, plan.Again},
		{"no service here (554)", plan.Attempt{Code: 554, Tries: 1}, plan.Again},
		{"no address", plan.Attempt{BadAddress: true, Tries: 1}, plan.Refused},
		{"the line was lost before all was sent", plan.Attempt{Tries: 1}, plan.Again},
		{"the line was lost after all was sent", plan.Attempt{AllSent: true, Tries: 1}, plan.Unclear},
		{"refused after all was sent, for now", plan.Attempt{AllSent: true, Code: 451, OfMessage: true, Tries: 1}, plan.Again},
		{"for four days", plan.Attempt{Code: 451, OfMessage: true, Tries: plan.MostTries}, plan.Refused},
		{"nobody listens for four days", plan.Attempt{Tries: plan.MostTries}, plan.Refused},
	} {
		assert.Equal(t, c.ends, c.a.Ends(), c.name)
	}
}

func TestFirst(t *testing.T) {
	for _, c := range []struct {
		way     person.Way
		address string
		want    plan.After
	}{
		{person.ByMail, "ada@post.invalid", plan.Again},
		{person.ByMail, "", plan.NoAddress},
		{person.ByPhone, "", plan.ByHand}, // whoever calls looks the number up
		{person.ByLetter, "1 Quay Road", plan.ByHand},
	} {
		assert.Equal(t, c.want, plan.First(c.way, c.address), "%s to %q", c.way, c.address)
	}
}
