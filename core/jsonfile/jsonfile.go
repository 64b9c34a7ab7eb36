// Package jsonfile reads the JSON files of Nevrin strictly and names the place of what is wrong.
//
// A Node is a value together with its JSON path, such as $.rules[3].scope.material_class[0].
// Reading goes on after an error, so that one run lists all that is wrong; the collected Errors
// say where, what stands there and what was expected. Keys given twice and unknown keys are
// errors, because a mistyped key would otherwise be a rule that silently does nothing.
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

type member struct {
	key   string
	value Node
}

// Node is one value of a file: an object, a list, or a plain value.
type Node struct {
	path    string
	value   any // []member, []Node, string, json.Number, bool or nil
	errs    *Errors
	missing bool
}

// Read parses a whole file. The root's errors collect in Root.Errors.
func Read(data []byte) (Node, error) {
	errs := &Errors{}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.UseNumber()
	root, err := parse(dec, "$", errs)
	if err == nil {
		if _, more := dec.Token(); more != io.EOF {
			err = fmt.Errorf("something follows the end of the value")
		}
	}
	if err != nil {
		before := data[:min(int(dec.InputOffset()), len(data))]
		line := bytes.Count(before, []byte("\n")) + 1
		return Node{}, Errors{
			{"$", fmt.Sprintf("text that is not JSON near line %d (%v)", line, err), "one JSON value"},
		}
	}
	return root, nil
}

func parse(dec *json.Decoder, path string, errs *Errors) (Node, error) {
	token, err := dec.Token()
	if err != nil {
		return Node{}, err
	}
	n := Node{path: path, errs: errs}
	switch token {
	case json.Delim('{'):
		members := []member{}
		for dec.More() {
			key, err := dec.Token()
			if err != nil {
				return Node{}, err
			}
			name := key.(string)
			value, err := parse(dec, join(path, name), errs)
			if err != nil {
				return Node{}, err
			}
			if slices.ContainsFunc(members, func(m member) bool { return m.key == name }) {
				value.Fail("the key a second time", "each key once")
			}
			members = append(members, member{name, value})
		}
		n.value = members
		_, err = dec.Token()
	case json.Delim('['):
		list := []Node{}
		for dec.More() {
			value, err := parse(dec, fmt.Sprintf("%s[%d]", path, len(list)), errs)
			if err != nil {
				return Node{}, err
			}
			list = append(list, value)
		}
		n.value = list
		_, err = dec.Token()
	default:
		n.value = token
	}
	return n, err
}

var plainKey = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_-]*$`)

func join(path, key string) string {
	if plainKey.MatchString(key) {
		return path + "." + key
	}
	return path + "[" + strconv.Quote(key) + "]"
}

// Err is what is wrong in the file so far; nil if nothing.
func (n Node) Err() error {
	if len(*n.errs) == 0 {
		return nil
	}
	return *n.errs
}

// Fail notes that something else was expected here.
func (n Node) Fail(found, expected string) {
	*n.errs = append(*n.errs, Error{n.path, found, expected})
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
		n.Fail(e.Found, e.Expected)
	default:
		n.Fail(err.Error(), "another value")
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
		return strconv.Quote(v)
	case json.Number:
		return v.String()
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
			m.value.Fail(fmt.Sprintf("the unknown key %q", m.key), "one of "+strings.Join(known, ", "))
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
	return Node{path: join(n.path, key), errs: n.errs, missing: true}
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
func (n Node) List() []Node {
	if n.missing {
		return nil
	}
	list, ok := n.value.([]Node)
	if !ok {
		n.Wrong("a list")
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
