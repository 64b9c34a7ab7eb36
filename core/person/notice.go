package person

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Notice is a kind of thing that patrons are told of.
type Notice string

// The kinds.
const (
	HoldReady Notice = "hold_ready"
	Overdue   Notice = "overdue"
)

// Way is a channel for notices: email, text message, phone or letter.
type Way string

// The ways. What is told by phone or letter waits in a list for who calls or prints.
const (
	ByMail   Way = "mail"
	ByText   Way = "text"
	ByPhone  Way = "phone"
	ByLetter Way = "letter"
	NotTold  Way = "none"
)

// SayWay names the ways for people.
var SayWay = map[Way]string{ByMail: "email", ByText: "text message", ByPhone: "phone", ByLetter: "letter"}

// Ways are the channels a patron has chosen, by kind of notice. What they have not chosen goes as the plan of the notice has it.
type Ways map[Notice]Way

// kinds are which ways a kind of notice can go: what is overdue is told to everybody.
var kinds = map[Notice][]Way{
	HoldReady: {ByMail, ByText, ByPhone, ByLetter, NotTold},
	Overdue:   {ByMail, ByText, ByPhone, ByLetter},
}

// addresses are what each way needs of a record.
var addresses = map[Way]struct {
	field Field
	name  string
	has   func(*Record) bool
}{
	ByMail:   {Email, "email address", func(r *Record) bool { return r.Email != "" }},
	ByText:   {Text, "number for text messages", func(r *Record) bool { return r.Text != "" }},
	ByPhone:  {Phone, "phone number", func(r *Record) bool { return r.Phone != "" }},
	ByLetter: {Address, "postal address", func(r *Record) bool { return r.Address != "" }},
}

// Check tells what is wrong with what somebody has chosen; none: nothing is.
func (w Ways) Check(r *Record) []Wrong {
	var out []Wrong
	for n, way := range w {
		ways, known := kinds[n]
		switch {
		case !known:
			out = append(out, Wrong{Field(n), fmt.Sprintf("There are no notices %q.", n)})
		case !slices.Contains(ways, way):
			out = append(out, Wrong{Field(n), fmt.Sprintf("%q is not a way to send these notices.", way)})
		case way != NotTold && !addresses[way].has(r):
			out = append(out, Wrong{Field(n), fmt.Sprintf("The record has no %s.", addresses[way].name)})
		}
	}
	slices.SortFunc(out, func(a, b Wrong) int { return strings.Compare(string(a.Field), string(b.Field)) })
	return out
}

// Unreached tells what a record would have to have, since notices go there, and has not: the field, in a sentence.
func (w Ways) Unreached(r *Record) []Wrong {
	var out []Wrong
	for _, way := range []Way{ByLetter, ByMail, ByText, ByPhone} {
		uses := slices.ContainsFunc([]Notice{HoldReady, Overdue}, func(n Notice) bool { return w[n] == way })
		if a := addresses[way]; uses && !a.has(r) {
			out = append(out, Wrong{a.field, "Notices are sent there. Choose another way first, or enter one."})
		}
	}
	return out
}

// ReadWays reads the channels that somebody has chosen, as they are stored.
func ReadWays(data []byte) Ways {
	ways := Ways{}
	if len(data) > 0 {
		_ = json.Unmarshal(data, &ways) // what is kept has been checked
	}
	return ways
}

// Replaces forgets about a record's email what holds no more when it replaces an earlier one: to a new address nothing has come back yet.
func (r *Record) Replaces(was Record) {
	if r.Email != was.Email {
		r.EmailReturned = false
	}
}

// Reaches tells whether somebody can be told by a way: their record has what it needs, and email to them has not come back.
func (w Way) Reaches(r *Record) bool {
	a, known := addresses[w]
	return known && a.has(r) && (w != ByMail || !r.EmailReturned)
}
