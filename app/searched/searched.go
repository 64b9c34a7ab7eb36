// Package searched answers libraries outside that search our titles over SRU: with what the public may see, and no copy, patron or hold.
package searched

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/formats/cql"
	"nevrin/formats/sru"
	"nevrin/store/stockdb"
)

var columns = map[sru.Field]stockdb.Column{
	sru.Any: stockdb.InAll, sru.Title: stockdb.InName, sru.Author: stockdb.InAuthor, sru.Subject: stockdb.InSubjects, sru.Publisher: stockdb.InPublisher,
	sru.Number: stockdb.InNumbers, sru.Language: stockdb.InLanguage, sru.Date: stockdb.InYear, sru.ID: stockdb.InID, sru.All: stockdb.EveryTitle,
}

// Catalogue is our titles as libraries outside search them.
func Catalogue(h *act.House, name string) *sru.Catalogue {
	return &sru.Catalogue{Title: name, Description: "Titles with copies for the public", Find: func(
		ctx context.Context, q *cql.Query, from, most int,
	) (int, []sru.Found, error) {
		wanted, wrong := Wanted(q)
		if wrong != nil {
			return 0, nil, wrong
		}
		type answer struct {
			total int
			found []sru.Found
		}
		out, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (answer, error) {
			total, titles, err := stockdb.AskTitles(a.Tx, wanted, from, most)
			out := answer{total: total}
			for k := range titles {
				f, err := found(&titles[k])
				if err != nil {
					return out, err
				}
				out.found = append(out.found, f)
			}
			return out, err
		})
		return out.total, out.found, err
	}}
}

func found(t *stockdb.Title) (sru.Found, error) {
	id := strconv.FormatInt(t.ID, 10)
	f := sru.Found{Record: sru.Record{ID: id, Title: t.Name, Author: t.Author, ISBN: t.ISBN, Format: t.Extent}}
	if t.Year != nil {
		f.Date = strconv.Itoa(*t.Year)
	}
	r := catalogue.RecordOf(t)
	m, err := r.ToMARC(t.Record, id)
	f.MARC = m
	return f, err
}

// sized are the relations that compare by size.
var sized = []string{"<", ">", "<=", ">="}

// Wanted makes a search of our titles of a query that was checked.
func Wanted(q *cql.Query) (*stockdb.Wanted, *sru.Wrong) {
	if q.Bool != "" {
		left, wrong := Wanted(q.Left)
		if wrong != nil {
			return nil, wrong
		}
		right, wrong := Wanted(q.Right)
		return &stockdb.Wanted{Bool: q.Bool, Left: left, Right: right}, wrong
	}
	field, _ := sru.FieldOf(q)
	w := &stockdb.Wanted{Column: columns[field], Relation: q.Relation}
	switch q.Relation {
	case "=", "scr":
		w.Relation = "all"
	case "exact":
		w.Relation = "=="
	}
	switch field {
	case sru.Date, sru.ID:
		n, err := strconv.Atoi(strings.TrimSpace(q.Term))
		if err != nil {
			w.Column, w.Relation = stockdb.InAll, "all" // no year is written like that, and no number of ours: nothing is found
			return w, nil
		}
		w.Number = n
		return w, nil
	}
	if slices.Contains(sized, q.Relation) {
		return nil, &sru.Wrong{Code: sru.UnsupportedRelation, Details: q.Relation}
	}
	term := q.Term
	if field == sru.Number {
		term = strings.ReplaceAll(term, "-", "")
	}
	for _, m := range cql.Masks(term) {
		word := stockdb.Word{First: m.First, Last: m.Last}
		for _, p := range m.Parts {
			word.Parts = append(word.Parts, stockdb.Letters(p))
		}
		w.Words = append(w.Words, word)
	}
	return w, nil
}
