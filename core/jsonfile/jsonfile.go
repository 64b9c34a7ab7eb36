// Package jsonfile reads the JSON files of Nevrin strictly and names the place of what is wrong.
//
// A Node is a value together with its JSON path, such as $.rules[3].scope.material_class[0].
// Reading goes on after an error, so that one run lists all that is wrong; the collected Errors
// say where, what stands there and what was expected. Keys given twice and unknown keys are
// errors, because a mistyped key would otherwise be a rule that silently does nothing.
//
// Files come from anybody. Reading takes time and memory in proportion to the file: its depth, the number of its values
// and the number of errors told are bounded, and a path is only written out where something is wrong.
package jsonfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"nevrin/core/expect"
)

// Error is one thing wrong in a file.
type Error struct {
	Path     string `json:"path"`
	Found    string `json:"found"`
	Expected string `json:"expected"`
}

func (e Error) Error() string {
	return fmt.Sprintf("%s: found %s; expected %s", e.Path, e.Found, e.Expected)
}

// Errors lists everything wrong in a file, in the order of the file.
type Errors []Error

func (e Errors) Error() string {
	lines := make([]string, len(e))
	for i, one := range e {
		lines[i] = one.Error()
	}
	return strings.Join(lines, "\n")
}

// Bounds of a file, far above what any real one has.
const (
	MaxDepth  = 32
	MaxValues = 200_000
	maxErrors = 200
)

type member struct {
	key   string
	value Node
}

// place is where a value stands: under a key of an object, or at an index of a list.
type place struct {
	in    *place
	key   string
	index int // -1: under a key
}

// Node is one value of a file: an object, a list, or a plain value.
type Node struct {
	at      *place // nil: the root
	value   any    // []member, []Node, string, json.Number, bool or nil
	errs    *Errors
	missing bool
}

// Read parses a whole file. The root's errors collect in Root.Errors.
func Read(data []byte) (Node, error) {
	data = Plain(data)
	if !utf8.Valid(data) {
		return Node{}, Errors{{"$", foreign(data), "text in UTF-8"}}
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.UseNumber()
	p := parser{dec: dec, errs: &Errors{}}
	root, err := p.value(nil, 0)
	if err == nil {
		if _, more := dec.Token(); more != io.EOF {
			err = fmt.Errorf("something follows the end of the value")
		}
	}
	var bound *Error
	if errors.As(err, &bound) {
		return Node{}, Errors{*bound}
	}
	if err != nil {
		before := data[:min(int(dec.InputOffset()), len(data))]
		line := bytes.Count(before, []byte("\n")) + 1
		return Node{}, Errors{
			{"$", fmt.Sprintf("text that is not JSON near line %d (%v)", line, expect.Shown(err.Error())), "one JSON value"},
		}
	}
	return root, nil
}

// Plain is a file without the mark that some programs put before text in UTF-8.
func Plain(data []byte) []byte { return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")) }

// foreign says where text in another encoding than UTF-8 is met.
func foreign(data []byte) string {
	if bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff")) {
		return "text in UTF-16"
	}
	line, rest := 1, data
	for len(rest) > 0 {
		r, size := utf8.DecodeRune(rest)
		if r == utf8.RuneError && size == 1 {
			break
		}
		if r == '\n' {
			line++
		}
		rest = rest[size:]
	}
	return fmt.Sprintf("text in another encoding near line %d", line)
}

type parser struct {
	dec    *json.Decoder
	errs   *Errors
	values int
}

// value reads the next value, which stands at a place, so many levels below the root.
func (p *parser) value(at *place, depth int) (Node, error) {
	n := Node{at: at, errs: p.errs}
	if depth > MaxDepth {
		return n, &Error{"$", fmt.Sprintf("more than %d levels within each other", MaxDepth), "a file as it is described"}
	}
	if p.values++; p.values > MaxValues {
		return n, &Error{"$", fmt.Sprintf("more than %d values", MaxValues), "a smaller file"}
	}
	token, err := p.dec.Token()
	if err != nil {
		return n, err
	}
	switch token {
	case json.Delim('{'):
		n.value, err = p.members(at, depth)
	case json.Delim('['):
		n.value, err = p.list(at, depth)
	default:
		n.value = token
	}
	return n, err
}

func (p *parser) members(at *place, depth int) ([]member, error) {
	members, seen := []member{}, map[string]bool{}
	for p.dec.More() {
		key, err := p.dec.Token()
		if err != nil {
			return nil, err
		}
		name := key.(string)
		value, err := p.value(&place{at, name, -1}, depth+1)
		if err != nil {
			return nil, err
		}
		if seen[name] {
			value.Fail("the key a second time", "each key once")
		}
		seen[name] = true
		members = append(members, member{name, value})
	}
	_, err := p.dec.Token()
	return members, err
}

func (p *parser) list(at *place, depth int) ([]Node, error) {
	list := []Node{}
	for p.dec.More() {
		value, err := p.value(&place{at, "", len(list)}, depth+1)
		if err != nil {
			return nil, err
		}
		list = append(list, value)
	}
	_, err := p.dec.Token()
	return list, err
}

var plainKey = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_-]*$`)

// String is the place as a JSON path.
func (p *place) String() string {
	switch {
	case p == nil:
		return "$"
	case p.index >= 0:
		return fmt.Sprintf("%s[%d]", p.in, p.index)
	case plainKey.MatchString(p.key):
		return p.in.String() + "." + expect.Shown(p.key)
	}
	return p.in.String() + "[" + strconv.Quote(expect.Shown(p.key)) + "]"
}

// Err gives the faults found in the file so far; nil for none.
func (n Node) Err() error {
	if len(*n.errs) == 0 {
		return nil
	}
	return *n.errs
}

// Fail notes that something else was expected here. Of very many errors the first are told.
func (n Node) Fail(found, expected string) {
	switch len(*n.errs) {
	case maxErrors:
		*n.errs = append(*n.errs, Error{"$", "more errors than these", "what the first of them say"})
	case maxErrors + 1:
	default:
		*n.errs = append(*n.errs, Error{n.at.String(), found, expected})
	}
}

// Wrong notes that the value as it stands is not what was expected.
func (n Node) Wrong(expected string) { n.Fail(n.describe(), expected) }

// Check notes an error of something that reads a value.
func (n Node) Check(err error) bool {
	var e *expect.Error
	switch {
	case err == nil:
		return true
	case errors.As(err, &e):
		n.Fail(expect.Shown(e.Found), e.Expected)
	default:
		n.Fail(expect.Shown(err.Error()), "another value")
	}
	return false
}

func (n Node) describe() string {
	switch v := n.value.(type) {
	case []member:
		return "an object"
	case []Node:
		return "a list"
	case string:
		return strconv.Quote(expect.Shown(v))
	case json.Number:
		return expect.Shown(v.String())
	case bool:
		return strconv.FormatBool(v)
	}
	if n.missing {
		return "nothing"
	}
	return "null"
}

// Given tells whether the value is there at all. A null is there.
func (n Node) Given() bool { return !n.missing }

// Null tells whether the value is there and null.
func (n Node) Null() bool { return n.value == nil && !n.missing }

// Only notes every key of an object that is not among the known ones, and a value that is no object.
func (n Node) Only(known ...string) bool {
	members, ok := n.value.([]member)
	if !ok {
		n.Wrong("an object")
		return false
	}
	for _, m := range members {
		if !slices.Contains(known, m.key) {
			m.value.Fail(fmt.Sprintf("the unknown key %q", expect.Shown(m.key)), "one of "+strings.Join(known, ", "))
		}
	}
	return true
}

// Get is the value under a key; a missing Node if there is none.
func (n Node) Get(key string) Node {
	members, _ := n.value.([]member)
	for _, m := range members {
		if m.key == key {
			return m.value
		}
	}
	return Node{at: &place{n.at, key, -1}, errs: n.errs, missing: true}
}

// Keys lists an object's keys in order; it notes a value that is no object.
func (n Node) Keys() []string {
	if n.missing {
		return nil
	}
	members, ok := n.value.([]member)
	if !ok {
		n.Wrong("an object")
	}
	keys := make([]string, len(members))
	for i, m := range members {
		keys[i] = m.key
	}
	return keys
}

// List is the values of a list; a missing one is empty, anything else is noted.
func (n Node) List() []Node { return n.ListUpTo(MaxValues) }

// ListUpTo is List; one that is longer is noted and cut.
func (n Node) ListUpTo(most int) []Node {
	if n.missing {
		return nil
	}
	list, ok := n.value.([]Node)
	switch {
	case !ok:
		n.Wrong("a list")
	case len(list) > most:
		n.Fail(fmt.Sprintf("a list of %d", len(list)), fmt.Sprintf("at most %d", most))
		return list[:most]
	}
	return list
}

// Text is a text that is not empty.
func (n Node) Text() string {
	s, ok := n.value.(string)
	if !ok || s == "" {
		n.Wrong("a text")
		return ""
	}
	return s
}

// TextOr is Text, or the other one where nothing is given.
func (n Node) TextOr(other string) string {
	if n.missing {
		return other
	}
	if s, ok := n.value.(string); ok {
		return s
	}
	n.Wrong("a text")
	return other
}

// Whole is a whole number from 0 to a million.
func (n Node) Whole() int {
	if number, ok := n.value.(json.Number); ok {
		if i, err := strconv.Atoi(number.String()); err == nil && i >= 0 && i <= 1_000_000 {
			return i
		}
	}
	n.Wrong("a whole number from 0 to 1000000")
	return 0
}

// WholeOr is Whole, or the other one where nothing is given.
func (n Node) WholeOr(other int) int {
	if n.missing {
		return other
	}
	return n.Whole()
}

// Bool is true or false.
func (n Node) Bool() bool {
	b, ok := n.value.(bool)
	if !ok {
		n.Wrong("true or false")
	}
	return b
}

// Parsed reads a text with a parser whose errors say what was found and expected.
func Parsed[T any](n Node, parser func(string) (T, error)) T {
	var none T
	s, ok := n.value.(string)
	if !ok {
		n.Wrong("a text")
		return none
	}
	v, err := parser(s)
	if !n.Check(err) {
		return none
	}
	return v
}

// OneOf is one of the texts listed.
func (n Node) OneOf(choices ...string) string {
	s, ok := n.value.(string)
	if !ok || !slices.Contains(choices, s) {
		n.Wrong("one of " + strings.Join(choices, ", "))
		return ""
	}
	return s
}

// Minutes is a whole number of minutes that may be written with a decimal point, as 183.0.
func (n Node) Minutes() int {
	if number, ok := n.value.(json.Number); ok {
		if f, err := number.Float64(); err == nil && f == float64(int(f)) && f >= 0 {
			return int(f)
		}
	}
	n.Wrong("a whole number of minutes")
	return 0
}
