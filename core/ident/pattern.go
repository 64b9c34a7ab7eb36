package ident

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/expect"
)

// Use says whether a pattern is for cards or for items.
type Use string

// The uses.
const (
	Given Use = "given" // new cards and labels carry it
	Older Use = "older" // read, and no longer given
	Guest Use = "guest" // labels of ours that things lent to us from outside carry while they are here
)

// Numbers are a network's patterns of card and item numbers.
type Numbers struct {
	Patterns []Pattern `json:"patterns" maxItems:"200" nullable:"false"`
}

// Pattern describes one sort of numbers: what they begin with, how long they are, and their check digit.
type Pattern struct {
	Name    string        `json:"name" minLength:"1" maxLength:"60"`
	Of      Kind          `json:"of" enum:"card,item"`
	Use     Use           `json:"use" enum:"given,older,guest"`
	Branch  calendar.Code `json:"branch" maxLength:"3" doc:"Whose cards or labels they are; empty: those of all branches"`
	Library string        `json:"library" maxLength:"100" doc:"The library outside whose people keep such a card; empty: ours"`
	Begins  string        `json:"begins" maxLength:"20" doc:"What each begins with"`
	Length  int           `json:"length" minimum:"3" maximum:"30" doc:"Of the whole number, with its check digit"`
	Letters bool          `json:"letters" doc:"Letters may stand in it after its beginning"`
	Check   Check         `json:"check" enum:"none,luhn,mod10,mod11,mod11_2,mod11_10"`
	Groups  []int         `json:"groups" maxItems:"10" nullable:"false" doc:"In groups of how many signs it is shown; none: as one"`
}

// Usual are the numbers of a network that has four digits of its own: fourteen digits, of which the first is 2 on cards and
// 3 on labels, the network's four follow, and the last is a check digit after Luhn.
func Usual(network string) Numbers {
	groups := []int{1, 4, 5, 4}
	return Numbers{[]Pattern{
		{Name: "Cards", Of: Card, Use: Given, Begins: "2" + network, Length: 14, Check: Luhn, Groups: groups},
		{Name: "Labels", Of: Item, Use: Given, Begins: "3" + network, Length: 14, Check: Luhn, Groups: groups},
		{
			Name:   "Things from outside",
			Of:     Item,
			Use:    Guest,
			Begins: "3" + network + "9",
			Length: 14,
			Check:  Luhn,
			Groups: groups,
		},
	}}
}

// Fits tells whether a number is one of a pattern.
func (p Pattern) Fits(number string) bool {
	if len(number) != p.Length || !strings.HasPrefix(number, p.Begins) {
		return false
	}
	rest, last := number[len(p.Begins):], ""
	if p.Check != NoCheck {
		rest, last = rest[:len(rest)-1], rest[len(rest)-1:]
	}
	for _, r := range rest {
		digit, letter := r >= '0' && r <= '9', r >= 'A' && r <= 'Z'
		if !digit && (!letter || !p.Letters) {
			return false
		}
	}
	return last == p.Check.Sign(number[:len(number)-len(last)])
}

// room is how many signs of a number count on.
func (p Pattern) room() int {
	n := p.Length - len(p.Begins)
	if p.Check != NoCheck {
		n--
	}
	return n
}

// Last is the highest place in the row of a pattern's numbers.
func (p Pattern) Last() int64 {
	last := int64(1)
	for range min(p.room(), 18) {
		last *= 10
	}
	return last - 1
}

// Number is the nth number of a pattern.
func (p Pattern) Number(n int64) string {
	number := fmt.Sprintf("%s%0*d", p.Begins, p.room(), n)
	return number + p.Check.Sign(number)
}

// given are the patterns of ours that new cards or labels carry.
func (n Numbers) given(of Kind) []Pattern {
	var out []Pattern
	for _, p := range n.Patterns {
		if p.Of == of && p.Use == Given && p.Library == "" {
			out = append(out, p)
		}
	}
	return out
}

// For gives the pattern that new cards or labels of a branch carry: its own, or the one of all branches.
func (n Numbers) For(of Kind, branch calendar.Code) (Pattern, bool) {
	var ours Pattern
	found := false
	for _, p := range n.given(of) {
		if p.Branch == branch {
			return p, true
		}
		if p.Branch == "" && !found {
			ours, found = p, true
		}
	}
	return ours, found
}

// Guests gives the pattern of labels that things from outside carry while they are here.
func (n Numbers) Guests() (Pattern, bool) {
	for _, p := range n.Patterns {
		if p.Of == Item && p.Use == Guest {
			return p, true
		}
	}
	return Pattern{}, false
}

// ReadNumbers reads numbers as they are stored.
func ReadNumbers(data []byte) (Numbers, error) {
	var n Numbers
	if err := json.Unmarshal(data, &n); err != nil {
		return n, fmt.Errorf("numbers: %w", err)
	}
	return n, n.Validate()
}

var beginning = regexp.MustCompile(`^[0-9A-Z]*$`)

// Validate tells what is wrong with numbers.
func (n Numbers) Validate() error {
	for k, p := range n.Patterns {
		if err := p.validate(); err != nil {
			return fmt.Errorf("numbers, %q: %w", p.Name, err)
		}
		for _, o := range n.Patterns[:k] {
			if o.Name == p.Name {
				return expect.Errorf("a name for each", "numbers: two are called %q", p.Name)
			}
			if o.Of != p.Of && o.overlaps(p) {
				return expect.Errorf("cards and labels that nobody can mix up: another beginning, or another length",
					"numbers: %q and %q begin alike and are as long", o.Name, p.Name)
			}
		}
	}
	for _, of := range []Kind{Card, Item} {
		if len(n.given(of)) == 0 {
			return expect.Errorf("one at least", "numbers: no pattern is given to a new %s", of)
		}
	}
	if _, ok := n.Guests(); !ok {
		return expect.Errorf("one", "numbers: no pattern is for things from outside")
	}
	return nil
}

func (p Pattern) validate() error {
	switch {
	case strings.TrimSpace(p.Name) == "":
		return expect.Errorf("a name", "it has none")
	case p.Of != Card && p.Of != Item:
		return expect.Errorf("card or item", "found %q", p.Of)
	case !slices.Contains([]Use{Given, Older, Guest}, p.Use):
		return expect.Errorf("given, older or guest", "found %q", p.Use)
	case p.Use == Guest && p.Of != Item:
		return expect.Errorf("labels", "cards are not for things from outside")
	case p.Library != "" && (p.Of != Card || p.Branch != ""):
		return expect.Errorf("cards, of no branch of ours", "those of %s", p.Library)
	case !slices.Contains(Checks, p.Check):
		return expect.Errorf(fmt.Sprintf("one of %v", Checks), "found the check %q", p.Check)
	case !beginning.MatchString(p.Begins):
		return expect.Errorf("digits and capital letters", "it begins with %q", p.Begins)
	case p.Length < 3 || p.Length > 30:
		return expect.Errorf("from 3 to 30", "its length is %d", p.Length)
	case p.room() < 1:
		return expect.Errorf("a longer number, or a shorter beginning", "nothing is left to count on after %q", p.Begins)
	case p.Begins == "" && p.Use != Older:
		return expect.Errorf("what each begins with", "only older numbers may begin with anything")
	case p.Letters && p.Begins == "":
		return expect.Errorf("what each begins with", "with letters in it, any word with a digit would be a number")
	}
	sum := 0
	for _, g := range p.Groups {
		if g < 1 {
			return expect.Errorf("1 or more", "a group of %d", g)
		}
		sum += g
	}
	if sum != 0 && sum != p.Length {
		return expect.Errorf(fmt.Sprintf("%d", p.Length), "its groups are %d signs together", sum)
	}
	return nil
}

// overlaps tells whether a number could be one of both.
func (p Pattern) overlaps(o Pattern) bool {
	return p.Length == o.Length && (strings.HasPrefix(p.Begins, o.Begins) || strings.HasPrefix(o.Begins, p.Begins))
}

// Show writes a number as people read it from a label.
func (n Numbers) Show(number string) string {
	p, ok := n.find(number)
	if !ok || len(p.Groups) == 0 {
		return number
	}
	var parts []string
	for _, g := range p.Groups {
		parts = append(parts, number[:g])
		number = number[g:]
	}
	return strings.Join(parts, " ")
}

// Covers tells whether all that other numbers read is read by these as the same without being looked at: each of their
// patterns is among these as it was, whatever it is for.
func (n Numbers) Covers(other Numbers) bool {
	for _, o := range other.Patterns {
		if !slices.ContainsFunc(n.Patterns, func(p Pattern) bool {
			return p.Of == o.Of && p.Begins == o.Begins && p.Length == o.Length && p.Check == o.Check &&
				(p.Letters || !o.Letters)
		}) {
			return false
		}
	}
	return true
}

// Reads tells whether a number is read as one of a kind.
func (n Numbers) Reads(of Kind, number string) bool {
	p, ok := n.find(number)
	return ok && p.Of == of
}

// NewCard reads a number that is to become somebody's card whose home is a branch. The problem is a sentence; empty: it may.
func (n Numbers) NewCard(text string, branch calendar.Code) (number, problem string) {
	scan := n.Read(text)
	switch {
	case scan.Kind == Words:
		return "", fmt.Sprintf("%q is not a card number here.", text)
	case scan.Kind == Wrong:
		return "", scan.Problem
	case scan.Kind == Item:
		return "", scan.Number + " is the label of an item, not a card."
	case scan.Pattern.Branch != "" && scan.Pattern.Branch != branch:
		return "", fmt.Sprintf("%s is a card of another branch, %s. Use a card of this branch, or change the home branch.",
			scan.Number, scan.Pattern.Branch)
	case scan.Pattern.Use == Older && scan.Pattern.Library == "":
		return "", scan.Number + " is an older number that is no longer issued."
	}
	return scan.Number, ""
}
