package demo

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
	"nevrin/formats/iso18626"
	"nevrin/store"
)

// libraries outside: symbol, name.
var libraries = [][2]string{
	{"KELMOUTH", "Kelmouth College"}, {"PSABEL", "Port Sabel Public Library"}, {"ARDLANE", "Ardlane County Libraries"},
	{
		"TIDEINST",
		"Institute of Tidal Engineering",
	}, {"GLENFERR", "Glenferrin Regional"}, {"LORROW", "Abbey Seminary at Lorrow"},
}

// partners makes the libraries outside, each with an account on which we lend to it.
func (g *generator) partners() {
	for _, p := range libraries {
		id := g.next("patrons")
		g.patrons = append(g.patrons, patron{id: id, name: p[1], class: "partner", branch: "HVH"})
		g.add(
			"patrons",
			id,
			cardNumber(id*7+3000),
			p[1],
			"",
			p[0],
			nil,
			"partner",
			"HVH",
			nil,
			"active",
			nil,
			"",
			"",
			"",
			nil,
		)
		// The addresses are those of the stand-ins and set at each start.
		g.add("partners", g.next("partners"), p[0], p[1], "", "", store.Digest("training-secret-"+p[0]), id)
		g.partnerPatrons = append(g.partnerPatrons, len(g.patrons)-1)
	}
}

// request is what differs between requests.
type request struct {
	role     exchange.Role
	stage    exchange.Stage
	count    int
	daysAgo  int
	lastNote string
	flag     string // withdrawing, seen, or where a thing from outside is: shelf, loan
}

var requests = []request{
	{exchange.Requesting, exchange.Asked, 8, 1, "", ""}, {exchange.Requesting, exchange.Asked, 1, 2, "", "withdrawing"},
	{
		exchange.Requesting,
		exchange.Promised,
		3,
		3,
		"",
		"",
	}, {exchange.Requesting, exchange.Promised, 2, 9, "To be used in the library only.", ""},
	{exchange.Requesting, exchange.Shipped, 5, 4, "", ""},
	{
		exchange.Requesting,
		exchange.There,
		3,
		6,
		"",
		"shelf",
	}, {exchange.Requesting, exchange.There, 3, 11, "", "loan"}, {exchange.Requesting, exchange.There, 2, 30, "", ""},
	{exchange.Requesting, exchange.Back, 4, 3, "", ""}, {exchange.Requesting, exchange.Done, 8, 12, "", ""},
	{
		exchange.Requesting,
		exchange.Refused,
		2,
		1,
		"PolicyProblem",
		"",
	}, {exchange.Requesting, exchange.Refused, 2, 15, "NotAvailable", "seen"},
	{exchange.Requesting, exchange.Withdrawn, 2, 8, "", ""},
	{exchange.Supplying, exchange.Asked, 4, 0, "", ""}, {exchange.Supplying, exchange.Promised, 3, 1, "", ""},
	{
		exchange.Supplying,
		exchange.Shipped,
		2,
		2,
		"",
		"",
	}, {exchange.Supplying, exchange.There, 2, 10, "", ""}, {exchange.Supplying, exchange.Done, 2, 14, "", ""},
}

// exchanges makes sixty requests, in every stage and both directions.
func (g *generator) exchanges() error {
	n := 0
	for _, r := range requests {
		for range r.count {
			n++
			if r.role == exchange.Requesting {
				if err := g.weAsk(r, n); err != nil {
					return err
				}
				continue
			}
			at := g.moment("HVH", g.today.Add(-r.daysAgo-1))
			branch := calendar.Code("HVH")
			if r.stage == exchange.Promised && n%3 == 0 {
				branch = "SLM" // its copy is fetched elsewhere
			}
			item := g.free(branch, "book", at)
			var itemID, loanID, due any
			switch r.stage {
			case exchange.Promised:
				itemID = g.items[item].id
			case exchange.Shipped, exchange.There:
				id, until := g.lendNow(item, g.partnerPatrons[n%len(libraries)], "HVH", at)
				itemID, loanID, due = g.items[item].id, id, until.Date.UTC()
			}
			if err := g.theyAsk(r, n, &g.titles[g.items[item].title], itemID, loanID, due); err != nil {
				return err
			}
		}
	}
	return g.awkward(n)
}

// noReasons are what the standard's reasons for a no mean.
var noReasons = map[string]string{"PolicyProblem": "Their rules do not allow it.", "NotAvailable": "It is not available there now."}

// awkward are two requests of partners that need some thought: for a book that is four months old, and for
// something that Havenhead owns but cannot find.
func (g *generator) awkward(n int) error {
	asked := request{exchange.Supplying, exchange.Asked, 1, 0, "", ""}
	young := g.free("HVH", "new_book", g.now)
	g.rows["items"][g.items[young].id-1][itemAdded] = g.today.Add(-122).UTC()
	if err := g.theyAsk(asked, n+1, &g.titles[g.items[young].title], nil, nil, nil); err != nil {
		return err
	}
	for k := range g.titles {
		t := &g.titles[k]
		if len(t.items) == 1 && t.material == "book" && g.items[t.items[0]].home == "HVH" &&
			!g.items[t.items[0]].out {
			i := &g.items[t.items[0]]
			i.out = true
			g.rows["items"][i.id-1][itemStanding] = "missing"
			g.event(g.moment("HVH", g.today-3), event.Missing, "HVH", 0, i.id, 0, 0, event.Detail{Count: 2})
			return g.theyAsk(asked, n+2, t, nil, nil, nil)
		}
	}
	return nil
}

// free finds an item that has been at home since an instant, is not yet part of any story of today, and whose
// title's name no other title has.
func (g *generator) free(branch calendar.Code, material string, since time.Time) int {
	for k := range g.items {
		i := &g.items[k]
		if !i.out && i.home == branch && i.material == material && !g.told[k] && i.back.Before(since) {
			g.told[k] = true
			return k
		}
	}
	panic("demo: no free " + material + " at " + string(branch)) // the stock is large enough
}

func (g *generator) requestRow(r request, n int, number, title, author string, due, patron, pickup, item, loan any) error {
	moved := g.now.AddDate(0, 0, -r.daysAgo).Add(-time.Duration(n%50) * time.Minute)
	needed := any(nil)
	if n%3 == 0 {
		needed = g.today.Add(20 - r.daysAgo).UTC()
	}
	g.add(
		"requests",
		g.next("requests"),
		number,
		string(r.role),
		int64(n%len(libraries)+1),
		string(r.stage),
		r.flag == "withdrawing",
		r.flag == "seen",
		title,
		author,
		needed,
		due,
		patron,
		pickup,
		item,
		loan,
		cmp.Or(noReasons[r.lastNote], r.lastNote),
		moved.AddDate(0, 0, -2),
		moved,
	)
	return g.messages(r, n, number, title, author, due, moved)
}

// steps are the messages by which a request has come to its stage: ours begin with >, theirs with <, as seen from who asks.
var steps = map[exchange.Stage]string{
	exchange.Asked: ">Request", exchange.Promised: ">Request <WillSupply", exchange.Shipped: ">Request <WillSupply <Loaned",
	exchange.There: ">Request <WillSupply <Loaned >Received", exchange.Back: ">Request <WillSupply <Loaned >Received >ShippedReturn",
	exchange.Done:    ">Request <WillSupply <Loaned >Received >ShippedReturn <LoanCompleted",
	exchange.Refused: ">Request <Unfilled", exchange.Withdrawn: ">Request >Cancel <Cancelled",
}

// messages writes the messages of a request, from two days before it came to its stage on.
func (g *generator) messages(r request, n int, number, title, author string, due any, moved time.Time) error {
	said := strings.Fields(steps[r.stage])
	if r.flag == "withdrawing" {
		said = append(said, ">Cancel")
	}
	us, them := iso18626.Agency{Type: "ISIL", Value: "ORRIN"}, iso18626.Agency{Type: "ISIL", Value: libraries[n%len(libraries)][0]}
	for k, step := range said {
		at := moved.AddDate(0, 0, -2)
		if len(said) > 1 {
			at = at.Add(time.Duration(k) * moved.Sub(at) / time.Duration(len(said)-1))
		}
		h := iso18626.Header{Requesting: us, Supplying: them, Timestamp: at.Format(time.RFC3339), RequestingRequestID: number}
		outgoing := step[0] == '>'
		if r.role == exchange.Supplying {
			h.Requesting, h.Supplying, outgoing = them, us, !outgoing
		}
		kind := step[1:]
		m := iso18626.Message{}
		switch {
		case kind == "Request":
			m.Request = &iso18626.Request{
				Header: h, Bibliographic: iso18626.Bibliographic{Title: title, Author: author}, Service: iso18626.Service{Type: exchange.Loan, AnyEdition: "Y"},
			}
		case step[0] == '>':
			m.RequestingAgencyMessage = &iso18626.RequestingAgencyMessage{Header: h, Action: kind}
		default:
			s := &iso18626.SupplyingAgencyMessage{
				Header: h, Info: iso18626.MessageInfo{Reason: exchange.StatusChange},
				Status: iso18626.StatusInfo{Status: kind, LastChange: h.Timestamp},
			}
			if day, ok := due.(time.Time); ok && kind == exchange.Loaned {
				s.Status.DueDate = day.Format(time.RFC3339)
			}
			if kind == exchange.Unfilled {
				s.Info.ReasonUnfilled = r.lastNote
			}
			m.SupplyingAgencyMessage = s
		}
		body, err := iso18626.Write(m)
		if err != nil {
			return err
		}
		state := "received"
		if outgoing {
			state = "sent"
		}
		g.add("exchanges", g.next("exchanges"), g.ids["requests"], outgoing, kind, string(body), state, at)
	}
	return nil
}

func (g *generator) theyAsk(r request, n int, t *title, item, loan, due any) error {
	number := fmt.Sprintf("%s-%04d", libraries[n%len(libraries)][0], 4100+n*7)
	return g.requestRow(r, n, number, t.name, t.author, due, nil, nil, item, loan)
}

func (g *generator) weAsk(r request, n int) error {
	pickup := g.branchByShare()
	who := g.byBranch[pickup][g.rand.IntN(len(g.byBranch[pickup]))]
	p := g.patrons[who]
	name := g.another(func() string { return titleName(g.rand, "book", "nonfiction", n) })
	due := g.today.Add(38 - r.daysAgo)
	var dueColumn, item any
	switch r.stage {
	case exchange.Shipped, exchange.There, exchange.Back, exchange.Done:
		dueColumn = due.UTC()
	}
	if r.stage == exchange.There {
		id, err := g.lodged(r, name, pickup, who, due)
		if err != nil {
			return err
		}
		item = id
	}
	number := fmt.Sprintf("ORRIN-%06d", n)
	if err := g.requestRow(r, n, number, name, personName(g.rand), dueColumn, p.id, pickup, item, nil); err != nil {
		return err
	}
	asked := g.now.AddDate(0, 0, -r.daysAgo-2)
	g.asked(asked, event.AskedOutside, "HVH", p.id, 0, 0, 0, g.ids["requests"], event.Detail{})
	return nil
}

// lodged is something of a partner's that is here: on the hold shelf, on loan, or back and to be sent home.
func (g *generator) lodged(r request, name string, pickup calendar.Code, who int, due calendar.Date) (int64, error) {
	t := title{id: g.next("titles"), name: name, material: "interlibrary"}
	g.add("titles", t.id, name, "", "", nil, "")
	own := exchange.OwnTerms(&due, g.today)
	i := item{
		id:         g.next("items"),
		title:      len(g.titles),
		home:       "HVH",
		collection: "interlibrary",
		material:   "interlibrary",
		out:        true,
	}
	at := calendar.Code("HVH")
	if r.flag != "" {
		at = pickup
	}
	g.add(
		"items",
		i.id,
		labelNumber(90_000_000+i.id),
		t.id,
		"HVH",
		at,
		"interlibrary",
		"interlibrary",
		"",
		nil,
		"",
		"in_use",
		g.today.Add(-r.daysAgo).UTC(),
		text(own),
		"",
	)
	t.items = []int{len(g.items)}
	g.titles, g.items = append(g.titles, t), append(g.items, i)
	p := g.patrons[who]
	b := g.table.Branches[pickup].Branch
	moment := g.moment(pickup, g.today.Add(-r.daysAgo))
	switch r.flag {
	case "shelf":
		until, _ := b.NextOpenDay(g.today + 2)
		id := g.next("holds")
		g.add("holds", id, t.id, p.id, pickup, moment, 1, "ready", i.id, nil, moment, until.UTC(), nil, nil, false)
		g.event(moment, event.HoldReady, pickup, p.id, i.id, 0, id, event.Detail{Day: &until})
	case "loan":
		e := &g.editions[1]
		settings, err := e.book.ParseSettings([]byte(text(own)))
		if err != nil {
			return 0, err
		}
		situation := rulebook.Situate(pickup, "HVH", "interlibrary", "interlibrary", p.class)
		terms := e.book.Decide(situation, settings)
		until, _ := loan.Lend(b, terms.Loan(), moment)
		g.add(
			"loans",
			g.next("loans"),
			i.id,
			p.id,
			pickup,
			e.id,
			situation[:],
			moment,
			until.Date.UTC(),
			nil,
			0,
			nil,
			nil,
			false,
			nil,
		)
		g.event(moment, event.Lent, pickup, p.id, i.id, g.ids["loans"], 0, event.Due(until))
	}
	return i.id, nil
}

// lendNow lends an item that is still on loan today.
func (g *generator) lendNow(k, who int, branch calendar.Code, at time.Time) (int64, loan.Due) {
	i, p := &g.items[k], g.patrons[who]
	i.out, i.lastPatron = true, who
	e := g.editionAt(calendar.DateOf(at.In(g.loc)))
	situation := rulebook.Situate(branch, i.home, i.collection, i.material, p.class)
	terms := g.decide(e, situation)
	b := g.table.Branches[branch].Branch
	due, _ := loan.Lend(b, terms.Loan(), at)
	id := g.next("loans")
	date, instant := any(due.Date.UTC()), any(nil)
	if due.Hours {
		date, instant = nil, due.At
	}
	g.add("loans", id, i.id, p.id, branch, e.id, situation[:], at, date, instant, 0, nil, nil, false, nil)
	g.event(at, event.Lent, branch, p.id, i.id, id, 0, event.Due(due))
	return id, due
}
