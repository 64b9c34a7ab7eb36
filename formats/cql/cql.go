// Package cql reads queries in the Contextual Query Language, CQL 1.2 (the grammar of the Library of Congress's SRU pages and of OASIS
// searchRetrieve part 5, from memory).
//
// A query is a tree: clauses of an index, a relation and a term, joined by booleans from left to right, all of the same rank; brackets change
// that. Read the tree with Fold, or hold records against it with Matches.
package cql

import (
	"fmt"
	"slices"
	"strings"

	"nevrin/core/expect"
)

// Modifier is a modifier of a relation, a boolean or a sort key.
type Modifier struct{ Name, Relation, Value string }

// Query is a node of the tree: joined by a boolean, or a clause.
type Query struct {
	Bool        string // and, or, not, prox; empty: a clause
	Left, Right *Query

	Index     string // as written, with its prefix; empty: the server chooses
	Relation  string // =, ==, <>, <, >, <=, >=, or a name such as all
	Term      string // as written, without its quotes; masks and escapes stand in it
	Modifiers []Modifier
	Prefixes  map[string]string // the URIs of prefixes that the query assigns itself
	Sort      []SortKey
}

// SortKey is an index by which answers are wanted in order.
type SortKey struct {
	Index     string
	Modifiers []Modifier
}

// String writes a query in brackets, so that its tree can be seen.
func (q *Query) String() string {
	mods := ""
	for _, m := range q.Modifiers {
		mods += " /" + m.Name + m.Relation + m.Value
	}
	if q.Bool != "" {
		return "(" + q.Left.String() + " " + q.Bool + mods + " " + q.Right.String() + ")"
	}
	if q.Index == "" {
		return fmt.Sprintf("%q", q.Term)
	}
	return fmt.Sprintf("%s %s%s %q", q.Index, q.Relation, mods, q.Term)
}

// Bounds of a query: longer or deeper ones are no questions of people.
const (
	mostLetters = 4000
	mostDepth   = 50
)

// Read reads a query. The error says what was found and what was expected.
func Read(text string) (*Query, error) {
	if len(text) > mostLetters {
		return nil, expect.Errorf(fmt.Sprintf("at most %d", mostLetters), "a query of %d letters", len(text))
	}
	tokens, err := split(text)
	if err != nil {
		return nil, err
	}
	r := &reader{tokens: tokens}
	q, err := r.query(0)
	if err != nil {
		return nil, err
	}
	if t := r.peek(); t.kind != end {
		return nil, expect.Errorf("a boolean (and, or, not, prox) or the end", "%q", t.text)
	}
	return q, nil
}

type kind int

const (
	end    kind = iota
	word        // may be a keyword
	quoted      // is a term and nothing else
	symbol
)

type token struct {
	kind kind
	text string
}

// split cuts a query into words, quoted strings and symbols.
func split(text string) ([]token, error) {
	var out []token
	for k := 0; k < len(text); {
		switch c := text[k]; {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			k++
		case c == '"':
			var term strings.Builder
			k++
			for ; k < len(text) && text[k] != '"'; k++ {
				if text[k] == '\\' && k+1 < len(text) {
					if text[k+1] != '"' { // an escaped quote is a quote; other escapes are of masks
						term.WriteByte('\\')
					}
					k++
				}
				term.WriteByte(text[k])
			}
			if k >= len(text) {
				return nil, expect.Errorf(`a closing "`, "the end of the query")
			}
			k++
			out = append(out, token{quoted, term.String()})
		case strings.IndexByte("()/", c) >= 0:
			out = append(out, token{symbol, string(c)})
			k++
		case strings.IndexByte("<>=", c) >= 0:
			n := 1
			if two := text[k:min(k+2, len(text))]; slices.Contains([]string{"==", "<=", ">=", "<>"}, two) {
				n = 2
			}
			out = append(out, token{symbol, text[k : k+n]})
			k += n
		default:
			from := k
			for k < len(text) && strings.IndexByte(" \t\r\n()/<>=\"", text[k]) < 0 {
				if text[k] == '\\' {
					k++
				}
				k++
			}
			k = min(k, len(text))
			out = append(out, token{word, text[from:k]})
		}
	}
	return out, nil
}

type reader struct {
	tokens   []token
	at       int
	prefixes map[string]string
}

func (r *reader) peek() token { return r.ahead(0) }

func (r *reader) ahead(n int) token {
	if r.at+n >= len(r.tokens) {
		return token{end, "the end of the query"}
	}
	return r.tokens[r.at+n]
}

func (r *reader) next() token {
	t := r.peek()
	r.at++
	return t
}

func (r *reader) is(kind kind, text string) bool {
	t := r.peek()
	return t.kind == kind && strings.EqualFold(t.text, text)
}

var booleans = []string{"and", "or", "not", "prox"}

func (r *reader) query(depth int) (*Query, error) {
	if depth > mostDepth {
		return nil, expect.Errorf(fmt.Sprintf("at most %d", mostDepth), "brackets %d deep", depth)
	}
	for r.is(symbol, ">") {
		if err := r.prefix(); err != nil {
			return nil, err
		}
	}
	q, err := r.clause(depth)
	for err == nil {
		t := r.peek()
		name := strings.ToLower(t.text)
		if t.kind == word && name == "sortby" {
			return q, r.sort(q)
		}
		if t.kind != word || !slices.Contains(booleans, name) {
			return q, nil
		}
		r.next()
		joined := &Query{Bool: name, Left: q, Prefixes: r.prefixes}
		if joined.Modifiers, err = r.modifiers(); err != nil {
			return nil, err
		}
		if joined.Right, err = r.clause(depth); err != nil {
			return nil, err
		}
		q = joined
	}
	return nil, err
}

// prefix reads an assignment: > dc = "info:srw/..." or > "info:srw/...".
func (r *reader) prefix() error {
	r.next()
	name := ""
	first := r.next()
	if first.kind != word && first.kind != quoted {
		return expect.Errorf("a prefix or a URI after >", "%q", first.text)
	}
	uri := first
	if r.is(symbol, "=") {
		r.next()
		name, uri = first.text, r.next()
		if uri.kind != word && uri.kind != quoted {
			return expect.Errorf("a URI", "%q", uri.text)
		}
	}
	if r.prefixes == nil {
		r.prefixes = map[string]string{}
	}
	r.prefixes[name] = uri.text
	return nil
}

var comparisons = []string{"=", "==", "<>", "<", ">", "<=", ">="}

func (r *reader) clause(depth int) (*Query, error) {
	if r.is(symbol, "(") {
		r.next()
		q, err := r.query(depth + 1)
		if err != nil {
			return nil, err
		}
		if !r.is(symbol, ")") {
			return nil, expect.Errorf("a closing )", "%q", r.peek().text)
		}
		r.next()
		return q, nil
	}
	first := r.next()
	if first.kind != word && first.kind != quoted {
		return nil, expect.Errorf("an index or a term", "%q", first.text)
	}
	q := &Query{Relation: "=", Term: first.text, Prefixes: r.prefixes}
	relation := r.peek()
	named := relation.kind == word && !slices.Contains(append([]string{"sortby"}, booleans...), strings.ToLower(relation.text))
	if !named && (relation.kind != symbol || !slices.Contains(comparisons, relation.text)) {
		return q, nil // a term alone
	}
	r.next()
	q.Index, q.Relation = first.text, strings.ToLower(relation.text)
	var err error
	if q.Modifiers, err = r.modifiers(); err != nil {
		return nil, err
	}
	term := r.next()
	if term.kind != word && term.kind != quoted {
		return nil, expect.Errorf("a term after "+q.Relation, "%q", term.text)
	}
	q.Term = term.text
	return q, nil
}

// modifiers reads what follows slashes: /relevant, /distance<=5.
func (r *reader) modifiers() ([]Modifier, error) {
	var out []Modifier
	for r.is(symbol, "/") {
		r.next()
		name := r.next()
		if name.kind != word {
			return nil, expect.Errorf("the name of a modifier after /", "%q", name.text)
		}
		m := Modifier{Name: strings.ToLower(name.text)}
		if t := r.peek(); t.kind == symbol && slices.Contains(comparisons, t.text) {
			m.Relation = r.next().text
			value := r.next()
			if value.kind != word && value.kind != quoted {
				return nil, expect.Errorf("a value of the modifier "+m.Name, "%q", value.text)
			}
			m.Value = value.text
		}
		out = append(out, m)
	}
	return out, nil
}

func (r *reader) sort(q *Query) error {
	r.next()
	for r.peek().kind == word || r.peek().kind == quoted {
		key := SortKey{Index: r.next().text}
		var err error
		if key.Modifiers, err = r.modifiers(); err != nil {
			return err
		}
		q.Sort = append(q.Sort, key)
	}
	if q.Sort == nil {
		return expect.Errorf("an index after sortby", "%q", r.peek().text)
	}
	return nil
}

// Quoted writes a term so that it is read as it is: in quotes, its signs escaped.
func Quoted(term string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "*", `\*`, "?", `\?`, "^", `\^`).Replace(term) + `"`
}
