package ical

import (
	"strings"

	"nevrin/core/expect"
)

// Bounds of a file before it is parsed. The parser calls itself for each part within a part, and looks through a line again for
// each of its parameters, so that a small file could take it gigabytes and minutes.
const (
	maxDepth      = 4      // a calendar, its events, their alarms, and one more
	maxParts      = 10_000 // events, alarms, time zones
	maxLine       = 16_000 // bytes of a line, unfolded
	maxParameters = 50     // of a line
)

var unfold = strings.NewReplacer("\r\n ", "", "\r\n\t", "", "\n ", "", "\n\t", "")

// bounded refuses a file that is deeper, or has longer lines, than a calendar has.
func bounded(text string) error {
	depth, parts := 0, 0
	for line := range strings.SplitSeq(unfold.Replace(text), "\n") {
		if len(line) > maxLine {
			return expect.Errorf("lines of up to 16,000 bytes", "a line of %d bytes: %q", len(line), expect.Shown(line))
		}
		name := propertyName(line)
		switch {
		case strings.EqualFold(name, "BEGIN"):
			depth++
			parts++
		case name == "END":
			depth--
		}
		switch {
		case depth > maxDepth:
			return expect.Errorf("a calendar with its events", "more than %d parts within each other", maxDepth)
		case parts > maxParts:
			return expect.Errorf("a smaller calendar", "more than %d parts", maxParts)
		case strings.Count(beforeValue(line), ";") > maxParameters:
			return expect.Errorf("up to 50", "a line with more parameters: %q", expect.Shown(line))
		}
	}
	return nil
}

// propertyName is the name with which a line begins. Like the parser, it passes over signs that are no part of a name.
func propertyName(line string) string {
	start := strings.IndexFunc(line, inName)
	if start < 0 {
		return ""
	}
	line = line[start:]
	if end := strings.IndexFunc(line, func(r rune) bool { return !inName(r) }); end >= 0 {
		return line[:end]
	}
	return line
}

func inName(r rune) bool {
	return r == '-' || r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z'
}

// beforeValue is the part of a line with its name and its parameters. The value begins after the first colon outside of quotes.
func beforeValue(line string) string {
	quoted := false
	for k, r := range line {
		switch {
		case r == '"':
			quoted = !quoted
		case r == ':' && !quoted:
			return line[:k]
		}
	}
	return line
}
