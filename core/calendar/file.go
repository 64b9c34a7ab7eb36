package calendar

import (
	"fmt"
	"time"

	"nevrin/core/jsonfile"
)

// DayKeys name the days of a week in files, by time.Weekday.
var DayKeys = [7]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// Bounds of a file, far above what a network has.
const (
	maxBranches = 500
	maxEntries  = 10_000 // closures or openings of a branch, recurring ones written out
)

var branchKeys = []string{"code", "name", "zone", "timezone", "hours", "closures", "openings"}

// ReadBranches reads a list of branches; more names further keys that the caller reads itself.
// The branches come with the nodes they were read from, in the same order.
func ReadBranches(list jsonfile.Node, more ...string) ([]*Branch, []jsonfile.Node) {
	if !list.Given() {
		list.Wrong("a list of branches")
	}
	nodes := list.ListUpTo(maxBranches)
	branches := make([]*Branch, len(nodes))
	seen := map[Code]bool{}
	for i, n := range nodes {
		branches[i] = readBranch(n, more)
		if code := branches[i].Code; seen[code] && code != "" {
			n.Get("code").Fail(fmt.Sprintf("the branch %q a second time", code), "each code once")
		}
		seen[branches[i].Code] = true
	}
	return branches, nodes
}

func readBranch(n jsonfile.Node, more []string) *Branch {
	b := &Branch{Location: time.UTC, Openings: map[Date]Opening{}}
	if !n.Only(append(branchKeys, more...)...) {
		return b
	}
	b.Code = jsonfile.Parsed(n.Get("code"), ParseCode)
	b.Name = n.Get("name").TextOr(string(b.Code))
	b.Zone = n.Get("zone").TextOr("")
	if loc := jsonfile.Parsed(n.Get("timezone"), ParseLocation); loc != nil {
		b.Location = loc
	}
	if hours := n.Get("hours"); hours.Given() && hours.Only(DayKeys[:]...) {
		for weekday, key := range DayKeys {
			b.Weekly[weekday] = readDay(hours.Get(key))
		}
	}
	for _, c := range n.Get("closures").ListUpTo(maxEntries) {
		b.Closures = append(b.Closures, readClosure(c))
	}
	for _, o := range n.Get("openings").ListUpTo(maxEntries) {
		if !o.Only("date", "hours", "name") {
			continue
		}
		date := jsonfile.Parsed(o.Get("date"), ParseDate)
		if _, twice := b.Openings[date]; twice {
			o.Get("date").Fail("a second opening for "+date.String(), "one opening for each date")
		}
		if hours := o.Get("hours"); !hours.Given() {
			hours.Wrong("a list of spans")
		}
		b.Openings[date] = Opening{Hours: readDay(o.Get("hours")), Name: o.Get("name").TextOr("special opening")}
	}
	return b
}

func readClosure(n jsonfile.Node) Closure {
	n.Only("from", "to", "name")
	c := Closure{From: jsonfile.Parsed(n.Get("from"), ParseDate), Name: n.Get("name").TextOr("closed")}
	c.To = c.From
	if to := n.Get("to"); to.Given() {
		if c.To = jsonfile.Parsed(to, ParseDate); c.To < c.From {
			to.Wrong("a date not before " + c.From.String())
		}
	}
	return c
}

func readDay(n jsonfile.Node) Day {
	var spans []Span
	for _, item := range n.List() {
		if s := jsonfile.Parsed(item, ParseSpan); s != (Span{}) {
			spans = append(spans, s)
		}
	}
	day, err := MakeDay(spans...)
	n.Check(err)
	return day
}
