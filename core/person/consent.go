package person

import (
	"fmt"
	"slices"
	"strings"
)

// Consent is something that a guardian or a grown-up agrees to or refuses.
type Consent string

// The consents.
const (
	OlderReader Consent = "older_reader"
	Internet    Consent = "internet" // by levels, which outside booking software reads
	Photo       Consent = "photo"
)

// answers are those that each can be given.
var answers = map[Consent][]string{
	OlderReader: {"yes", "no"}, Photo: {"yes", "no"}, Internet: {"none", "filtered", "full"},
}

// Answer is an answer to one of them.
type Answer struct {
	To     Consent
	Is     string
	Reason string
	Letter bool // a letter was seen
}

// Refused tells why an answer is not taken, in a sentence, and whether that is for who is asking; empty: it is taken. The first
// answer is taken by whoever registers somebody; a later one by who is entitled, on a letter, with a reason.
func (a Answer) Refused(given, entitled bool) (says string, forbidden bool) {
	known, ok := answers[a.To]
	switch {
	case !ok:
		return fmt.Sprintf("There is no consent %q.", a.To), false
	case !slices.Contains(known, a.Is):
		return fmt.Sprintf("The answer is %q; one of %s is right.", a.Is, strings.Join(known, ", ")), false
	case given && !entitled:
		return "This is already recorded. Ask somebody who can change consents.", true
	case given && (!a.Letter || strings.TrimSpace(a.Reason) == ""):
		return "This is already recorded. To change it you need a letter and a reason.", false
	}
	return "", false
}
