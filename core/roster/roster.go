// Package roster knows school classes and clubs: how lists of their members are sorted, and what becomes of a class when a
// school year ends.
package roster

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Kind says whether a roster is a class or a club: a pupil is in one class at a time, and in as many clubs as they like.
type Kind string

// The kinds.
const (
	Class Kind = "class"
	Club  Kind = "club"
)

// Entry is one line of a list: whom it names, by a number, and into which roster.
type Entry struct {
	List   string // its file; empty: it was pasted
	Line   int
	Text   string // as it stands there
	Roster string // empty: that for which the list was brought
}

// where tells where an entry stands, as seen from a list.
func (e Entry) where(list string) string {
	if e.List == list {
		return fmt.Sprintf("line %d", e.Line)
	}
	return fmt.Sprintf("line %d of %s", e.Line, cmp.Or(e.List, "the pasted list"))
}

// Sought is the number of an entry, with what is known of it. A card tells one person; only where it is nobody's card does it count as a
// school's number, which may be that of several.
type Sought struct {
	Card     []int64 // whose card it is, or was
	School   []int64 // whose number at school it is
	Inactive bool    // they are not active
	Problem  string  // why it can be nobody's, in a sentence; empty: it is well formed
}

func (s Sought) patrons() []int64 {
	if len(s.Card) > 0 {
		return s.Card
	}
	return s.School
}

// Odd is a line that names nobody who can be put on a roster.
type Odd struct {
	List string `json:"list" doc:"Its file; empty: it was pasted"`
	Line int    `json:"line"`
	Text string `json:"text"`
	Says string `json:"says"`
}

// Sort tells who is named for which roster, in the order of the lines, and which lines are odd: without a number or a roster, of
// nobody, of several, or of somebody whom an earlier line names. Of a class, one pupil is in one: a line that names them for another
// is odd too. A roster is called as the first line calls it, whatever capitals others use.
func Sort(entries []Entry, sought map[string]Sought, kind Kind) (map[string][]int64, []Odd) {
	placed := map[string][]int64{}
	odd := []Odd{}
	first := map[string]Entry{}
	called := map[string]string{}
	for _, e := range entries {
		e.Roster = strings.Join(strings.Fields(e.Roster), " ")
		roster := strings.ToLower(e.Roster)
		s := sought[e.Text]
		patrons := s.patrons()
		says := ""
		var key string
		switch {
		case e.Text == "":
			says = "This line has no number."
		case e.Roster == "":
			says = "No roster is given for this line."
		case s.Problem != "" && len(patrons) == 0:
			says = s.Problem
		case len(patrons) == 0:
			says = "Nobody here has this number."
		case len(patrons) > 1:
			says = fmt.Sprintf("%d patrons have this school number. Name the card.", len(patrons))
		case s.Inactive:
			says = "Their card is not in use."
		default:
			key = strconv.FormatInt(patrons[0], 10)
			if kind == Club {
				key += " " + roster
			}
			switch before, twice := first[key]; {
			case twice && strings.EqualFold(before.Roster, e.Roster):
				says = fmt.Sprintf("The same person is in %s.", before.where(e.List))
			case twice:
				says = fmt.Sprintf("A pupil can be in one class only; also added to %s in %s.",
					before.Roster, before.where(e.List))
			}
		}
		if says != "" {
			odd = append(odd, Odd{e.List, e.Line, e.Text, says})
			continue
		}
		first[key] = e
		if called[roster] == "" {
			called[roster] = e.Roster
		}
		placed[called[roster]] = append(placed[called[roster]], patrons[0])
	}
	return placed, odd
}

// Member is a patron's membership in a roster.
type Member struct{ Roster, Patron int64 }

// Filling is the effect of putting patrons into a roster.
type Filling struct {
	Enter []int64        // who comes in
	There int            // how many of those named are in it already
	Leave []Member       // who leaves: the class where they were, or this one
	From  map[int64]bool // who of those that come in leaves another class
}

// Fill tells what becomes of a roster when patrons, each named once, are put into it. In are its members, and for a class the
// classes of those patrons too; with only, whoever is in it and not named leaves.
func Fill(id int64, patrons []int64, in []Member, only bool) Filling {
	f := Filling{From: map[int64]bool{}}
	named, there := map[int64]bool{}, map[int64]bool{}
	for _, p := range patrons {
		named[p] = true
	}
	for _, m := range in {
		switch {
		case m.Roster != id && named[m.Patron]:
			f.Leave = append(f.Leave, m)
			f.From[m.Patron] = true
		case m.Roster != id:
		case named[m.Patron]:
			there[m.Patron] = true
		case only:
			f.Leave = append(f.Leave, m)
		}
	}
	for _, p := range patrons {
		if !there[p] {
			f.Enter = append(f.Enter, p)
		}
	}
	f.There = len(there)
	return f
}

var number = regexp.MustCompile(`[0-9]+`)

// Next gives the name and the school year of a class a year later: the number in its year one higher, and the same number in
// its name. It is false where the year has no number, or its name does not have the same one.
func Next(name, year string) (string, string, bool) {
	at := number.FindStringIndex(year)
	if at == nil {
		return name, year, false
	}
	was := year[at[0]:at[1]]
	n, err := strconv.Atoi(was)
	if err != nil {
		return name, year, false
	}
	is := strconv.Itoa(n + 1)
	if len(was) > 1 && was[0] == '0' {
		is = fmt.Sprintf("%0*d", len(was), n+1)
	}
	for _, in := range number.FindAllStringIndex(name, -1) {
		if same(name[in[0]:in[1]], n) {
			return name[:in[0]] + is + name[in[1]:], year[:at[0]] + is + year[at[1]:], true
		}
	}
	return name, year[:at[0]] + is + year[at[1]:], false
}

func same(digits string, n int) bool {
	v, err := strconv.Atoi(digits)
	return err == nil && v == n
}

// Current is a class as it stands, with its key among others.
type Current struct {
	ID         int64
	Name, Year string
}

// Moved is a class after the end of a school year: moved up, dissolved, or left as it is.
type Moved struct {
	Current
	Ends bool   // it is dissolved
	Says string // why nothing becomes of it, in a sentence; empty: something does
}

// MoveUp moves classes up by a year; those of the last one are dissolved. A class whose next name somebody has who stays is
// left, and says so. They are given in an order in which each may take its new name.
func MoveUp(classes, stay []Current, last string) []Moved {
	taken := map[string]bool{}
	for _, s := range stay {
		taken[strings.ToLower(s.Name)] = true
	}
	var out []Moved
	for _, c := range classes {
		m := Moved{Current: c}
		name, year, ok := Next(c.Name, c.Year)
		switch {
		case last != "" && strings.EqualFold(c.Year, last):
			m.Ends = true
		case year == c.Year:
			m.Says = fmt.Sprintf("%s has no numeric school year. Enter one first.", c.Name)
		case !ok:
			m.Says = fmt.Sprintf("The name %s does not contain its school year %s. Rename it by hand.",
				c.Name, number.FindString(c.Year))
		default:
			m.Name, m.Year = name, year
		}
		out = append(out, m)
	}
	// What stays where it is holds its name; who would take that stays too, and so on.
	for again := true; again; {
		again = false
		for k := range out {
			m := &out[k]
			if m.Ends {
				continue
			}
			if m.Says != "" {
				was := strings.ToLower(classes[k].Name)
				again = again || !taken[was]
				taken[was] = true
				continue
			}
			if taken[strings.ToLower(m.Name)] {
				m.Says = fmt.Sprintf("A %s already exists that does not move up.", m.Name)
				m.Name, m.Year = classes[k].Name, classes[k].Year
				taken[strings.ToLower(m.Name)] = true
				again = true
			}
		}
	}
	// The highest first: the name that the next takes is free by then.
	slices.SortStableFunc(out, func(a, b Moved) int {
		if a.Ends != b.Ends {
			if a.Ends {
				return -1
			}
			return 1
		}
		return yearOf(b.Year) - yearOf(a.Year)
	})
	return out
}

func yearOf(year string) int {
	n, _ := strconv.Atoi(number.FindString(year))
	return n
}

// Of a class, pupils are of nearly one age: so many years apart from the middle of the others somebody stands out, where at least so
// many others are known (common practice, no source).
const (
	yearsApart = 5
	fewOthers  = 3
)

// OddAge says that somebody stands out among the others of a class by their age; empty: they do not, or too few are known.
func OddAge(others []int, age int) string {
	if len(others) < fewOthers {
		return ""
	}
	sorted := slices.Sorted(slices.Values(others))
	middle := sorted[len(sorted)/2]
	if apart := age - middle; apart <= yearsApart && apart >= -yearsApart {
		return ""
	}
	return fmt.Sprintf("is %d, and the others are about %d", age, middle)
}
