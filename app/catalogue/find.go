package catalogue

import (
	"strings"

	"nevrin/app/act"
	"nevrin/core/ident"
	"nevrin/core/spelling"
	"nevrin/store"
	"nevrin/store/stockdb"
)

// Title is a title found, with how its copies stand.
type Title struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	Author  string `json:"author"`
	Edition string `json:"edition"`
	Year    int    `json:"year,omitempty"`
	Copies  int64  `json:"copies"`
	Here    int64  `json:"here" doc:"Copies on the shelf at this branch"`
	In      int64  `json:"in" doc:"Copies on the shelf anywhere"`
	Waiting int64  `json:"waiting" doc:"Holds that wait"`
	Cover   bool   `json:"cover" doc:"There is a picture of it"`
}

// Found is a part of the titles found, the best first. Where there are none, Better is what may have been meant.
type Found struct {
	Rows   []Title `json:"rows"`
	Next   string  `json:"next" doc:"Ask with this as after for what comes then; empty: that was all"`
	Better string  `json:"better" doc:"Words that may have been meant, where none has these; they find something"`
}

// FindTitles finds titles in which all words stand, in any order, as a part of a word too. An ISBN may have hyphens or ten digits.
func FindTitles(a *act.Act, s stockdb.TitleSearch, page store.Page) (*Found, error) {
	first := page.After == store.Cursor{}
	if isbn, says := ident.ISBN(s.Words); says == "" {
		s.Words = isbn
	}
	out, err := find(a, s, page)
	if err != nil || !first || len(out.Rows) > 0 {
		return out, err
	}
	if out.Better, err = better(a, s.Words); err != nil || out.Better == "" {
		return out, err
	}
	s.Words = out.Better
	meant, err := find(a, s, store.Page{Most: 1})
	if err == nil && len(meant.Rows) == 0 {
		out.Better = ""
	}
	return out, err
}

func find(a *act.Act, s stockdb.TitleSearch, page store.Page) (*Found, error) {
	s.Here = a.Who.Branch
	rows, next, err := stockdb.FindTitles(a.Tx, s, page)
	out := &Found{Rows: make([]Title, len(rows)), Next: next.Next()}
	for k, t := range rows {
		out.Rows[k] = Title{t.ID, t.Name, t.Author, t.Edition, t.Year, t.Copies, t.Here, t.In, t.Waiting, t.Cover}
	}
	return out, err
}

// looksAlike is how many words that look like one are compared with it.
const looksAlike = 40

// short is the length up to which a word may share too few letters with the one written to look like it.
const short = 7

// better puts words that stand in titles in the place of those that do not; empty where none is near enough.
func better(a *act.Act, text string) (string, error) {
	words := spelling.Words(text)
	known, err := stockdb.KnownWords(a.Tx, words)
	if err != nil {
		return "", err
	}
	is := map[string]bool{}
	for _, w := range known {
		is[w] = true
	}
	changed := false
	for k, w := range words {
		if is[w] || len(w) < 3 {
			continue
		}
		alike, err := stockdb.WordsLike(a.Tx, w, looksAlike)
		if err != nil {
			return "", err
		}
		if len(w) <= short {
			near, err := stockdb.KnownWords(a.Tx, spelling.One(w))
			if err != nil {
				return "", err
			}
			alike = append(alike, near...)
		}
		if meant := spelling.Meant(w, alike); len(meant) > 0 {
			words[k], changed = meant[0], true
		}
	}
	if !changed {
		return "", nil
	}
	return strings.Join(words, " "), nil
}
