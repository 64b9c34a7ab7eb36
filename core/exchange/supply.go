package exchange

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"nevrin/core/calendar"
)

// Work is what is asked for, or a title that might be it. Empty fields are not known.
type Work struct {
	Title, Author, Year, Edition string
	Numbers                      []string // ISBN as thirteen digits (ISO 2108), ISSN as 0000-0000 (ISO 3297)
	Record                       string   // its number in the supplier's own catalogue
	AnyEdition                   bool     // of what is asked for: another edition will do
}

// Fit is how well a title fits what is asked for.
type Fit int

// The fits, from the worst on. Nobody is promised what fits badly before a person has looked.
const (
	Badly Fit = iota
	ByTitle
	ByTitleAndAuthor
	ByNumber
)

// Match compares a title with what is asked for: by numbers first, then by title, author, year and edition. Says tells how it fits, or what is
// different.
func Match(asked, has Work) (fit Fit, says string) {
	switch {
	case asked.Record != "" && asked.Record == has.Record:
		return ByNumber, "The record they found"
	case slices.ContainsFunc(asked.Numbers, func(n string) bool { return slices.Contains(has.Numbers, n) }):
		return ByNumber, "Same ISBN or ISSN"
	}
	fit = ByTitleAndAuthor
	var other []string
	if !sameTitle(asked.Title, has.Title) {
		other = append(other, "another title")
	}
	switch shared := sharesWord(asked.Author, has.Author); {
	case asked.Author == "" || has.Author == "":
		fit = ByTitle
	case !shared:
		other = append(other, "another author, "+has.Author)
	}
	if !asked.AnyEdition {
		if asked.Year != "" && has.Year != "" && year(asked.Year) != year(has.Year) {
			other = append(other, "another year, "+has.Year)
		}
		if asked.Edition != "" && has.Edition != "" && !strings.EqualFold(asked.Edition, has.Edition) {
			other = append(other, "another edition, "+has.Edition)
		}
	}
	switch {
	case other != nil:
		return Badly, "Fits badly: " + strings.Join(other, "; ")
	case fit == ByTitle:
		return fit, "Same title; there is no author to compare"
	}
	return fit, "Same title and author"
}

// words are the words of a text, small and without accents.
func words(text string) []string {
	plain := strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return unicode.ToLower(r)
	}, norm.NFD.String(text))
	return strings.FieldsFunc(plain, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsNumber(r) })
}

// Articles at the beginning of a title that catalogues leave out of their order.
var articles = []string{"a", "an", "the"}

// MainTitle is the part of a title before what explains it, as after a colon.
func MainTitle(title string) string {
	main, _, _ := strings.Cut(title, ":")
	main, _, _ = strings.Cut(main, " / ")
	return strings.TrimSpace(main)
}

// sameTitle compares titles without articles, accents and signs, and without what explains a title where only one of them has that.
func sameTitle(a, b string) bool {
	key := func(title string) string {
		w := words(title)
		if len(w) > 1 && slices.Contains(articles, w[0]) {
			w = w[1:]
		}
		return strings.Join(w, " ")
	}
	return key(a) == key(b) || key(MainTitle(a)) == key(b) || key(a) == key(MainTitle(b))
}

// sharesWord tells whether two names have a word of more than a letter in common.
func sharesWord(a, b string) bool {
	of := words(b)
	return slices.ContainsFunc(words(a), func(w string) bool { return len([]rune(w)) > 1 && slices.Contains(of, w) })
}

// year is the first four digits in a row of a date as catalogues write it: c1998, 1998 printing.
func year(text string) string {
	for k := range text {
		if part := text[k:min(k+4, len(text))]; len(part) == 4 && strings.Trim(part, "0123456789") == "" {
			return part
		}
	}
	return text
}

// OurCopy is one of our copies as a partner's request meets it.
type OurCopy struct {
	Fit     Fit
	Free    bool // on its shelf, meant for nobody
	Lent    bool
	May     bool   // rules let it leave
	New     bool   // they do, but not yet
	Why     string // why they do not
	Awaited int    // by so many of our own patrons
	There   *calendar.Date
}

// ISO 18626 reasons for not supplying, of those that we give (2021, from memory).
const (
	NotHeld        = "NotHeld"
	OnLoan         = "OnLoan"
	NotAvailable   = "NotAvailable"
	NonCirculating = "NonCirculating"
	PolicyProblem  = "PolicyProblem"
	OtherReason    = "Other"
)

// Proposal is what an answer to a partner could be. Nothing is proposed where a person has to look.
type Proposal struct {
	Yes    bool
	Copy   int    // which of the copies, for a yes
	Reason string // for a no
	Says   string
}

// Nothing tells whether neither yes nor no is proposed.
func (p Proposal) Nothing() bool { return !p.Yes && p.Reason == "" }

// Propose weighs our copies for a partner who needs one by a day; nil: at any time. What is wanted as a copy need not leave. A yes takes
// the copy that fits best, and of those the one that can be with them soonest.
func Propose(copies []OurCopy, needed *calendar.Date, wantsCopy bool) Proposal {
	left := func(keep func(c *OurCopy) bool, of []int) (out []int) {
		for _, k := range of {
			if keep(&copies[k]) {
				out = append(out, k)
			}
		}
		return out
	}
	all := make([]int, len(copies))
	for k := range all {
		all[k] = k
	}
	fit := left(func(c *OurCopy) bool { return c.Fit > Badly }, all)
	switch {
	case len(copies) == 0:
		return Proposal{Reason: NotHeld, Says: "We have nothing that fits."}
	case len(fit) == 0:
		return Proposal{Says: "What we have fits badly. Look at it before you answer."}
	}
	may := left(func(c *OurCopy) bool { return c.May || wantsCopy }, fit)
	if len(may) == 0 {
		p := Proposal{Reason: NonCirculating, Says: copies[fit[0]].Why}
		if copies[fit[0]].New {
			p.Reason = PolicyProblem
		}
		return p
	}
	free := left(func(c *OurCopy) bool { return c.Free }, may)
	if len(free) == 0 {
		if slices.ContainsFunc(may, func(k int) bool { return copies[k].Lent }) {
			return Proposal{Reason: OnLoan, Says: "It is on loan."}
		}
		return Proposal{Reason: NotAvailable, Says: "It is not on a shelf now."}
	}
	unawaited := left(func(c *OurCopy) bool { return c.Awaited == 0 || wantsCopy }, free)
	if len(unawaited) == 0 {
		return Proposal{Reason: NotAvailable, Says: "Filled first: " + calendar.Count(copies[free[0]].Awaited, "hold of our own patrons") + "."}
	}
	inTime := left(func(c *OurCopy) bool { return needed == nil || wantsCopy || c.There != nil && *c.There <= *needed }, unawaited)
	if len(inTime) == 0 {
		return Proposal{Reason: NotAvailable, Says: "It cannot be with them in time."}
	}
	best := slices.MinFunc(inTime, func(x, y int) int {
		if d := int(copies[y].Fit - copies[x].Fit); d != 0 {
			return d
		}
		return int(day(copies[x].There) - day(copies[y].There))
	})
	p := Proposal{Yes: true, Copy: best, Says: "It is on the shelf and may leave."}
	if wantsCopy {
		p.Says = "It is on the shelf."
	}
	return p
}

// day is a day to compare by; unknown ones come last.
func day(d *calendar.Date) calendar.Date {
	if d == nil {
		return 1 << 30
	}
	return *d
}
