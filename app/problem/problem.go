// Package problem holds errors for a person to read: what is wrong, and what would be right.
package problem

import (
	"errors"
	"fmt"
	"strings"
)

// Kind says what sort of problem stands in the way, so that the server can choose a status.
type Kind int

// The sorts of problems.
const (
	Invalid   Kind = iota // what was asked makes no sense
	Missing               // there is no such thing
	Refused               // it cannot be done as things stand
	Forbidden             // this person may not
	Repeated              // its key was used for another request, which has been done
	Crowded               // too many ask for this at once
	TooOften              // this person or address has asked too often
)

// Problem is an error in a sentence.
type Problem struct {
	Kind Kind
	Text string
}

func (p *Problem) Error() string { return p.Text }

// Newf builds a problem from a sentence.
func Newf(kind Kind, format string, args ...any) error {
	return &Problem{kind, fmt.Sprintf(format, args...)}
}

// New builds a problem of a whole sentence.
func New(kind Kind, sentence string) error { return &Problem{kind, sentence} }

// From builds a problem of what the core or a format says is wrong, as a sentence with its full stop.
func From(kind Kind, err error) error {
	text := err.Error()
	if !strings.ContainsAny(text[max(0, len(text)-1):], ".!?") {
		text += "."
	}
	return &Problem{kind, text}
}

// NoSuch is the problem that there is no such thing.
func NoSuch(what string) error { return Newf(Missing, "There is no such %s.", what) }

// Of gives the problem that an error is; nil where it is none for a person to read.
func Of(err error) *Problem {
	var p *Problem
	if errors.As(err, &p) {
		return p
	}
	return nil
}
