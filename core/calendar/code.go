package calendar

import (
	"regexp"

	"nevrin/core/expect"
)

// Code names a branch of a network, such as HVH, wherever it is written down. Empty is no branch.
type Code string

var codePattern = regexp.MustCompile(`^[^\s\pC]{1,40}$`)

// ParseCode reads a code: any letters, digits and signs, without spaces, at most forty.
func ParseCode(text string) (Code, error) {
	if !codePattern.MatchString(text) {
		return "", expect.Errorf("one without spaces, such as HVH", "%q is not a code of a branch", text)
	}
	return Code(text), nil
}

var onLabels = regexp.MustCompile(`^[A-Z]{3}$`)

// OnLabels tells whether a code is written as networks have them on labels, slips and totes: three capital letters.
func (c Code) OnLabels() bool { return onLabels.MatchString(string(c)) }
