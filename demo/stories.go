package demo

import (
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
)

// stories are what somebody who tries the demo may come upon.
func (g *generator) stories() {
	g.sameNovelAgain()
	g.lateFilms()
	g.laptopAcrossClosing()
	g.reports()
}

// reports are what branches think is wrong, waiting for the supervisor.
func (g *generator) reports() {
	film := g.rows["loans"][len(g.rows["loans"])-2] // of the family
	g.add(
		"reports",
		g.next("reports"),
		g.now.Add(-26*time.Hour),
		int64(2),
		"SLM",
		film[2],
		film[1],
		film[0],
		"This film got a week and is late already.",
		"Two weeks, as on the islands.",
	)
	g.add(
		"reports",
		g.next("reports"),
		g.now.Add(-3*time.Hour),
		int64(5),
		"SKN",
		nil,
		nil,
		nil,
		"Thursday's returns were fined for the day of the storm.",
		"No lateness for a day on which the ferry did not run.",
	)
}

// lateFilms: a family of four with one late film each. The youngest is a boy whose guardian refused
// older-reader material.
func (g *generator) lateFilms() {
	for member := range 4 {
		at := g.moment("SLM", g.today.Add(-17+member/2))
		g.lendNow(g.free("SLM", "film", at), member, "SLM", at)
	}
}

// sameNovelAgain: a reader who has had the same novel three times, which is on the shelf again.
func (g *generator) sameNovelAgain() {
	reader := g.byBranch["SLM"][9]
	p := g.patrons[reader]
	t := title{id: g.next("titles"), name: "The Patient Ferryman", material: "book"}
	g.add("titles", t.id, t.name, "Roswen Tideman", isbn(titleSize), 2011, "")
	i := item{id: g.next("items"), title: len(g.titles), home: "SLM", collection: "fiction", material: "book"}
	g.add(
		"items",
		i.id,
		labelNumber(i.id*13+10000),
		t.id,
		"SLM",
		"SLM",
		"fiction",
		"book",
		"FIC TID",
		int64(1850),
		"",
		"in_use",
		g.today.Add(-2400).UTC(),
		nil,
		"",
	)
	t.items = []int{len(g.items)}
	g.titles, g.items = append(g.titles, t), append(g.items, i)
	b := g.table.Branches["SLM"].Branch
	for _, ago := range []int{310, 190, 70} {
		at := g.moment("SLM", g.today.Add(-ago))
		e := g.editionAt(calendar.DateOf(at.In(g.loc)))
		situation := rulebook.Situate("SLM", "SLM", "fiction", "book", p.class)
		due, _ := loan.Lend(b, g.decide(e, situation).Loan(), at)
		back := g.moment("SLM", calendar.DateOf(at.In(g.loc))+8)
		id := g.next("loans")
		g.add("loans", id, i.id, p.id, "SLM", e.id, situation[:], at, due.Date.UTC(), nil, 0, nil, back, false, nil)
		g.event(at, event.Lent, "SLM", p.id, i.id, id, 0, event.Due(due))
		g.event(back, event.Returned, "SLM", p.id, i.id, id, 0, event.Detail{})
	}
}

// laptopAcrossClosing: lent for three hours an hour and a half before closing, and still out this morning.
func (g *generator) laptopAcrossClosing() {
	who := g.byBranch["HVH"][4]
	at := calendar.Local(g.today-1, 18*60+30, g.loc).Add(20 * time.Second)
	g.lendNow(g.free("HVH", "laptop", at), who, "HVH", at)
}
