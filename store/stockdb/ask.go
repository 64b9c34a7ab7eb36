package stockdb

import (
	"fmt"
	"regexp"
	"strings"

	"nevrin/store"
)

// Wanted is a search of titles as a tree: joined by and, or, not, or a condition on a column.
type Wanted struct {
	Bool        string
	Left, Right *Wanted

	Column   Column
	Relation string // all, any, adj, ==, <>, <, >, <=, >=
	Words    []Word
	Number   int // of what is compared by size
}

// Word is a word with masks, as parts: texts in small letters, and what stands for other letters.
type Word struct {
	Parts       []Letters
	First, Last bool // it begins or ends the text
}

// Letters are letters as they are, or stand for any number of others, or for one.
type Letters struct {
	Text     string
	Any, One bool
}

// Column is what a condition is on.
type Column string

// The columns. EveryTitle is a condition that all titles meet.
const (
	InAll       Column = "t.words"
	InName      Column = "lower(t.name)"
	InAuthor    Column = "lower(t.author)"
	InSubjects  Column = "lower(t.subjects)"
	InPublisher Column = "lower(t.publisher)"
	InNumbers   Column = "replace(t.isbn || ' ' || t.numbers, '-', '')"
	InLanguage  Column = "t.language"
	InYear      Column = "t.year"
	InID        Column = "t.id"
	EveryTitle  Column = ""
)

// pattern is a word as a regular expression of PostgreSQL, between borders of words.
func (w Word) pattern() string {
	var out strings.Builder
	out.WriteString(`\m`)
	for _, p := range w.Parts {
		switch {
		case p.Any:
			out.WriteString(`\w*`)
		case p.One:
			out.WriteString(`\w`)
		default:
			out.WriteString(regexp.QuoteMeta(p.Text))
		}
	}
	out.WriteString(`\M`)
	text := out.String()
	if w.First {
		text = `^\W*` + text
	}
	if w.Last {
		text += `\W*$`
	}
	return text
}

// indexed are the columns whose words stand in the words of a title too, which have an index.
var indexed = map[Column]bool{InName: true, InAuthor: true, InSubjects: true}

func (w *Wanted) where(args *[]any) string {
	arg := func(value any) int {
		*args = append(*args, value)
		return len(*args)
	}
	switch w.Bool {
	case "and", "or":
		return "(" + w.Left.where(args) + " " + strings.ToUpper(w.Bool) + " " + w.Right.where(args) + ")"
	case "not":
		return "(" + w.Left.where(args) + " AND NOT " + w.Right.where(args) + ")"
	}
	matches := func(pattern string) string {
		n := arg(pattern)
		out := fmt.Sprintf("%s ~ $%d", w.Column, n)
		if indexed[w.Column] && !strings.ContainsAny(pattern, "^$") {
			out = fmt.Sprintf("t.words ~ $%d AND %s", n, out)
		}
		return "(" + out + ")"
	}
	switch {
	case w.Column == EveryTitle:
		return "true"
	case w.Column == InYear || w.Column == InID:
		sign := map[string]string{"==": "=", "all": "=", "any": "=", "adj": "="}[w.Relation]
		if sign == "" {
			sign = w.Relation
		}
		return fmt.Sprintf("coalesce(%s %s $%d::bigint, false)", w.Column, sign, arg(w.Number))
	case len(w.Words) == 0:
		return "false"
	}
	var each []string
	switch w.Relation {
	case "any":
		for _, word := range w.Words {
			each = append(each, matches(word.pattern()))
		}
		return "(" + strings.Join(each, " OR ") + ")"
	case "adj", "==", "<>":
		for _, word := range w.Words {
			each = append(each, word.pattern())
		}
		row := strings.Join(each, `\W+`)
		switch w.Relation {
		case "==":
			return matches(`^\W*` + row + `\W*$`)
		case "<>":
			return "NOT " + matches(`^\W*`+row+`\W*$`)
		}
		return matches(row)
	}
	for _, word := range w.Words {
		each = append(each, matches(word.pattern()))
	}
	return "(" + strings.Join(each, " AND ") + ")"
}

// mostCounted is up to how many titles a search counts.
const mostCounted = 10000

// AskTitles gives how many titles with copies for the public meet a search, up to a bound, and those from a place on.
func AskTitles(tx *store.Tx, w *Wanted, from, most int) (total int, found []Title, err error) {
	var args []any
	where := w.where(&args) + " AND EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND i.standing <> 'withdrawn' AND " + publicItem + ")"
	q := &store.Questions{}
	var counts []int
	store.AskEach(q, &counts, fmt.Sprintf("SELECT count(*)::int FROM (SELECT 1 FROM titles t WHERE %s LIMIT %d) n", where, mostCounted), args...)
	n := len(args)
	store.Ask(q, &found, fmt.Sprintf("SELECT "+TitleColumns+" FROM titles t WHERE %s ORDER BY t.id OFFSET $%d LIMIT $%d", where, n+1, n+2), append(args, from, most)...)
	if err := tx.Send(q); err != nil {
		return 0, nil, err
	}
	return counts[0], found, nil
}
