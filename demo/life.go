package demo

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/lateness"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
)

// live makes people and stock, then lets a year go by, then sets the stories of today.
func (g *generator) live() error {
	g.classes()
	g.staff()
	g.residents()
	g.partners()
	g.stock()
	begin := g.today.AddYears(-1)
	for n := range g.titles {
		g.yearOf(n, begin)
	}
	g.stories()
	if err := g.exchanges(); err != nil {
		return err
	}
	g.waiting()
	g.strays()
	g.toteAstray()
	g.writtenTo()
	return nil
}

func (g *generator) classes() {
	for kind, list := range map[string][][2]string{"patron": g.file.PatronClasses,
		"material": g.file.MaterialClasses, "collection": g.file.Collections} {
		for k, c := range list {
			g.add("classes", kind, c[0], c[1], k)
		}
	}
}

func (g *generator) staff() {
	for _, s := range g.file.Staff {
		id := g.next("staff")
		g.add("staff", id, s[0], s[1], s[2], s[3], "", true, true)
		for _, branch := range g.file.Works[s[0]] {
			g.add("staff_branches", id, branch)
		}
	}
}

// sizes of households, over and over: twenty-four homes with thirty-five people.
var sizes = []int{4, 1, 1, 2, 1, 3, 1, 1, 2, 1, 1, 1, 2, 1, 1, 3, 1, 1, 2, 1, 1, 1, 1, 1}

func (g *generator) residents() {
	for home := range homes {
		surname := pick(g.rand, surnames)
		branch := g.branchByShare()
		if home == 0 {
			branch = "SLM" // the family with the late films
		}
		id := g.next("households")
		g.add("households", id, surname)
		street := fmt.Sprintf("%d %s, %s", 1+g.rand.IntN(90), pick(g.rand, streets), g.table.Branches[branch].Name)
		for member := range sizes[home%len(sizes)] {
			g.resident(id, surname, branch, street, member)
		}
	}
}

func (g *generator) resident(household int64, surname string, branch calendar.Code, street string, member int) {
	age := 22 + g.rand.IntN(60)
	switch {
	case member > 1:
		age = 4 + g.rand.IntN(14)
	case member == 1:
		age = 16 + g.rand.IntN(50)
	}
	family := household == 1
	if family {
		age = []int{41, 39, 13, 9}[member]
	}
	class := "adult"
	switch n := g.rand.IntN(100); {
	case age < 12:
		class = "child"
	case age < 18:
		class = "youth"
	case age >= 66 && (branch == "THB" && n < 25 || n < 6):
		class = "housebound"
	case age >= 66:
		class = "senior"
	case n < 4:
		class = "educator"
	case n < 7:
		class = "visitor"
	}
	given := pick(g.rand, givenNames)
	if family {
		class, given = []string{"adult", "adult", "youth", "child"}[member], []string{"Merryn", "Davin",
			"Linnet", "Kitto"}[member]
	}
	p := patron{id: g.next("patrons"), name: given + " " + surname, class: class, branch: branch}
	if g.chance(0.78) {
		p.email = strings.ToLower(given) + "." + number(int(p.id)) + "@post.invalid"
	}
	born := g.today.AddYears(-age).Add(-g.rand.IntN(365))
	until := g.today.Add(g.rand.IntN(700) - 25)
	standing := "active"
	if g.chance(0.02) {
		standing = "inactive"
	} else if g.chance(0.004) {
		standing = "excluded"
	}
	var older any
	if class == "child" || class == "youth" {
		older = g.chance(0.7)
	}
	if family {
		standing, until = "active", g.today.Add(400)
		if class == "child" {
			older = false
		}
	}
	g.patrons = append(g.patrons, p)
	if standing == "active" {
		g.byBranch[branch] = append(g.byBranch[branch], len(g.patrons)-1)
	}
	g.add(
		"patrons",
		p.id,
		cardNumber(p.id*7+3000),
		p.name,
		"",
		string([]rune(given)[:1])+". "+strings.ToUpper(surname[:3])+number(int(p.id)%90+10),
		born.UTC(),
		class,
		branch,
		household,
		standing,
		until.UTC(),
		p.email,
		fmt.Sprintf("902 555 %04d", p.id),
		street,
		older,
	)
}

// kinds of stock with their share, collection and price range in cents.
var kinds = []struct {
	material, collection string
	share                int
	from, to             int
}{
	{"book", "fiction", 36, 1200, 3200},
	{"book", "nonfiction", 20, 1500, 4500},
	{"book", "young", 13, 800, 2200},
	{"new_book", "fiction", 5, 2200, 3800},
	{"large_print", "fiction", 5, 2500, 4200},
	{"audiobook", "media", 5, 2500, 5000},
	{"film", "media", 8, 1200, 3000},
	{"game", "media", 2, 3000, 7000},
	{"magazine", "newspapers", 1, 500, 1200},
	{"kit", "things", 1, 4000, 30000},
	{"reference", "nonfiction", 2, 4000, 15000},
	{"local_history", "county", 1, 2000, 8000},
	{"book", "school", 1, 900, 1800},
}

func (g *generator) stock() {
	for n := range titleSize {
		at := g.rand.IntN(100)
		k := 0
		for at -= kinds[k].share; at >= 0; at -= kinds[k].share {
			k++
		}
		kind := kinds[k]
		if n < 6 {
			kind.material, kind.collection, kind.from, kind.to = "laptop", "things", 90000, 90001
		}
		serial := kind.material == "magazine"
		t := title{id: g.next("titles"), material: kind.material}
		if serial {
			t.name = serialName(g.serials)
			g.serials++
		} else {
			t.name = g.another(func() string { return titleName(g.rand, kind.material, kind.collection, n+1) })
			g.names[t.name]++
		}
		if kind.material == "kit" && !g.telescope {
			t.name, g.telescope = "Telescope, beginner's (kit "+number(n+1)+")", true
		}
		author := personName(g.rand)
		if slices.Contains([]string{"film", "game", "magazine", "kit", "laptop"}, kind.material) {
			author = ""
		}
		if !serial {
			t.author = author
		}
		if kind.material == "film" {
			t.name += " (film)"
		}
		if serial {
			g.add("titles", t.id, t.name, "", "", nil, issn(g.serials))
		} else {
			g.add("titles", t.id, t.name, author, isbn(n), 1985+g.rand.IntN(41), "")
		}
		copies := 1 + g.rand.IntN(3)
		if n%7 == 0 {
			copies += g.rand.IntN(5)
		}
		if serial {
			copies = issues
		}
		if left := itemSize - len(g.items); titleSize-n <= left/2-1 { // keep up with the size of the stock
			copies = max(copies, 3)
		}
		price := money.Amount(kind.from + g.rand.IntN(kind.to-kind.from)/50*50)
		call := callNumber(g, kind.collection, author, t.name)
		for copied := range min(copies, itemSize-len(g.items)-(titleSize-1-n)) {
			g.item(&t, n, copied, kind.collection, call, price)
		}
		g.titles = append(g.titles, t)
	}
}

// isbn builds a number with a fitting check digit in a range that no publisher has.
func isbn(n int) string {
	body := fmt.Sprintf("97999%07d", n)
	return body + ident.Mod10.Sign(body)
}

func callNumber(g *generator, collection, author, name string) string {
	mark := author
	if mark == "" {
		mark = name
	}
	mark = strings.ToUpper(strings.ReplaceAll(mark[strings.LastIndex(mark, " ")+1:], "(", ""))
	mark = mark[:min(3, len(mark))]
	switch collection {
	case "nonfiction", "county":
		return fmt.Sprintf("%03d.%d %s", 100+g.rand.IntN(880), g.rand.IntN(100), mark)
	case "young":
		return "J " + mark
	case "media":
		return "M " + mark
	case "newspapers":
		return "P " + strings.ToUpper(name[:3])
	case "things":
		return "T " + mark
	}
	return "FIC " + mark
}

func (g *generator) item(t *title, n, copied int, collection, call string, price money.Amount) {
	home, volume := g.branchByShare(), ""
	if t.material == "magazine" { // a branch that subscribes keeps all issues
		home, volume = []calendar.Code{"HVH", "SLM", "QRW"}[n%3], issue(copied)
	}
	if collection == "school" {
		home = "LNF"
	}
	if t.material == "laptop" {
		home = []calendar.Code{"HVH", "SLM"}[n%2]
	}
	i := item{
		id:         g.next("items"),
		title:      len(g.titles),
		home:       home,
		collection: collection,
		material:   t.material,
		price:      price,
	}
	t.items = append(t.items, len(g.items))
	added := g.today.Add(-200 - g.rand.IntN(3000))
	if t.material == "new_book" {
		added = g.today.Add(-20 - g.rand.IntN(150))
	}
	note, own := "", any(nil)
	if strings.HasPrefix(t.name, "Telescope") && !g.noted {
		note, g.noted = "Eyepiece cap missing since May.", true
	}
	if (t.material == "film" || t.material == "game") && n%12 == 0 {
		own = text(map[string]any{"consent_needed": true}) // for older readers
	}
	g.items = append(g.items, i)
	g.add(
		"items",
		i.id,
		labelNumber(i.id*13+10000),
		t.id,
		home,
		home,
		collection,
		t.material,
		call,
		int64(price),
		note,
		"in_use",
		added.UTC(),
		own,
		volume,
	)
}

// event keeps one event; staff is that of a branch.
func (g *generator) event(
	at time.Time,
	kind event.Kind,
	branch calendar.Code,
	patron, item, loan, hold int64,
	detail event.Detail,
) {
	g.asked(at, kind, branch, patron, item, loan, hold, 0, detail)
}

// asked keeps one event that may be of an interlibrary request.
func (g *generator) asked(
	at time.Time,
	kind event.Kind,
	branch calendar.Code,
	patron, item, loan, hold, request int64,
	detail event.Detail,
) {
	orNil := func(id int64) any {
		if id == 0 {
			return nil
		}
		return id
	}
	staff := int64(3)
	if branch == "SLM" {
		staff = 2
	}
	g.add(
		"events",
		g.next("events"),
		at,
		kind,
		staff,
		branch,
		orNil(patron),
		orNil(item),
		orNil(loan),
		orNil(hold),
		orNil(request),
		text(detail),
	)
}

func (g *generator) sendHome(i *item, from calendar.Code, at time.Time) (time.Time, bool) {
	j := g.journey(from, i.home, at)
	if j == nil || j.OnShelf == nil {
		return at, false
	}
	ended := any(j.Arrives)
	if j.Arrives.After(g.now) {
		ended = nil
	}
	g.add("transits", g.next("transits"), i.id, from, i.home, nil, at, *j.OnShelf, ended)
	g.event(at, event.Sent, from, 0, i.id, 0, 0, event.Detail{Branch: i.home, At: j.OnShelf})
	if ended != nil {
		g.event(j.Arrives, event.Received, i.home, 0, i.id, 0, 0, event.Detail{Branch: from})
	}
	return j.Arrives, ended != nil
}

// borrow lends the item and takes it back; not ok if it is still on loan today.
func (g *generator) borrow(
	copy *item,
	branch calendar.Code,
	at time.Time,
	hold *held,
	asks map[int64]int,
) (time.Time, bool) {
	who := g.byBranch[branch][g.rand.IntN(len(g.byBranch[branch]))]
	for asks != nil && asks[g.patrons[who].id] > 0 { // who waits for the title gets it by their hold
		who = g.byBranch[branch][g.rand.IntN(len(g.byBranch[branch]))]
	}
	var holdID int64
	if hold != nil {
		who, holdID = hold.patron, hold.id
	}
	copy.lastPatron = who
	patron := g.patrons[who]
	lender := g.table.Branches[branch].Branch
	edition := g.editionAt(calendar.DateOf(at.In(g.loc)))
	situation := rulebook.Situate(branch, copy.home, copy.collection, copy.material, patron.class)
	terms := g.decide(edition, situation)
	if !terms.Value(rulebook.LendingAllowed).YesNo() {
		return at, true
	}
	due, _ := loan.Lend(lender, terms.Loan(), at)
	back := g.comesBack(branch, at, due)
	id := g.next("loans")
	g.event(at, event.Lent, branch, patron.id, copy.id, id, holdID, event.Due(due))
	renewals, renewedAt := 0, any(nil)
	var renewed *time.Time
	if day := lender.Date(back) - 6; !due.Hours && day > lender.Date(at) && terms.Value(rulebook.Renewals).Number() > 0 &&
		g.chance(0.10) {
		if t := g.moment(branch, day); t.Before(g.now) && !due.Late(lender, t) && t.After(at) {
			due, _ = loan.Renew(lender, terms.Loan(), due, t)
			renewals, renewedAt, renewed = 1, t, &t
			back = g.moment(branch, max(due.Date-calendar.Date(g.rand.IntN(8)), lender.Date(t)+1))
			g.event(t, event.Renewed, branch, patron.id, copy.id, id, 0, event.Due(due))
		}
	}
	returned := any(back)
	if back.After(g.now) {
		returned = nil
	}
	dueDate, dueAt := any(due.Date.UTC()), any(nil)
	if due.Hours {
		dueDate, dueAt = nil, due.At
	}
	lost := g.lost(copy, id, patron, lender, terms, due, returned == nil)
	g.add(
		"loans",
		id,
		copy.id,
		patron.id,
		branch,
		edition.id,
		situation[:],
		at,
		dueDate,
		dueAt,
		renewals,
		renewedAt,
		returned,
		false,
		lost,
	)
	if returned == nil {
		return back, false
	}
	result, trace := lateness.AtReturn(lender, terms.Lateness(), &copy.price, due, renewed, lateness.Return{At: back})
	g.event(back, event.Returned, branch, patron.id, copy.id, id, 0, event.Detail{})
	if result.Fine > 0 {
		g.charge(patron.id, id, int64(result.Fine), branch, back, text(trace))
	}
	return back, true
}

// lost lets what has been out for too long count as lost, billed and not yet paid; nil where it does not.
func (g *generator) lost(
	i *item,
	loanID int64,
	p patron,
	b *calendar.Branch,
	terms *rulebook.Terms,
	due loan.Due,
	out bool,
) any {
	day, ok := terms.Lost().LostOn(due.Day(b))
	if !ok || !out || day > g.today {
		return nil
	}
	at := calendar.Local(day, 5*60, g.loc)
	bill, trace := terms.Lost().Cost(&i.price, lateness.Result{}, why.Trace{})
	g.rows["items"][i.id-1][itemStanding] = "lost"
	g.event(at, event.Lost, b.Code, p.id, i.id, loanID, 0, event.Detail{})
	g.add(
		"ledger",
		g.next("ledger"),
		p.id,
		"charge",
		int64(bill.Price),
		nil,
		loanID,
		nil,
		"",
		text(trace),
		at,
		int64(3),
		b.Code,
		"lost",
	)
	if bill.Processing > 0 {
		g.add(
			"ledger",
			g.next("ledger"),
			p.id,
			"charge",
			int64(bill.Processing),
			nil,
			loanID,
			nil,
			"",
			text(trace),
			at,
			int64(3),
			b.Code,
			"processing",
		)
	}
	return at
}

// comesBack draws when a patron brings something back: mostly in time, sometimes late, seldom very late.
func (g *generator) comesBack(branch calendar.Code, at time.Time, due loan.Due) time.Time {
	b := g.table.Branches[branch].Branch
	if due.Hours {
		length := due.At.Sub(at)
		back := at.Add(time.Duration(float64(length) * (0.3 + 0.75*g.rand.Float64())))
		return back.Truncate(time.Second)
	}
	first := b.Date(at) + 1
	day := first + calendar.Date(float64(due.Date-first)*(0.25+0.8*g.rand.Float64()))
	switch n := g.rand.Float64(); {
	case n < 0.0015:
		day = due.Date + 500
	case n < 0.06:
		day = due.Date + 1 + calendar.Date(g.rand.ExpFloat64()*6)
	case n < 0.30:
		day = due.Date - calendar.Date(g.rand.IntN(2))
	}
	return g.moment(branch, max(day, first))
}

func (g *generator) charge(patron, loan, fine int64, branch calendar.Code, at time.Time, trace string) {
	id := g.next("ledger")
	g.add("ledger", id, patron, "charge", fine, nil, loan, nil, "", trace, at, int64(3), branch, "late")
	switch n := g.rand.Float64(); {
	case n < 0.82:
		receipt, later := g.next("receipts"), at.Add(2*time.Minute)
		means := []ledger.Means{ledger.Cash, ledger.Card, ledger.Card, ledger.Cheque}[g.rand.IntN(4)]
		taken := money.Amount(fine)
		if means == ledger.Cash {
			taken, _ = g.money.InCash(taken)
		}
		g.add("receipts", receipt, later, branch, int64(3), means, int64(taken), int64(taken)-fine)
		g.add(
			"ledger",
			g.next("ledger"),
			patron,
			"payment",
			-fine,
			id,
			loan,
			receipt,
			"",
			nil,
			later,
			int64(3),
			branch,
			"late",
		)
	case n < 0.90:
		g.add(
			"ledger",
			g.next("ledger"),
			patron,
			"waiver",
			-fine,
			id,
			loan,
			nil,
			"Ferry did not run",
			nil,
			at.Add(2*time.Minute),
			int64(3),
			branch,
			"late",
		)
	}
}

// waiting makes the holds of today: waiting in queues, to be fetched, in transit and on hold shelves.
func (g *generator) waiting() {
	open := map[string]int{}
	for _, h := range g.rows["holds"] {
		open[h[holdState].(string)]++
	}
	for n, queued := 0, open["waiting"]; n < len(g.titles) && queued < 700; n++ {
		t := &g.titles[n]
		if len(t.items) > 0 && !slices.ContainsFunc(t.items, func(k int) bool { return !g.items[k].out }) &&
			g.holdable(t.items[0]) {
			for range 1 + g.rand.IntN(3) {
				queued++
				g.hold(t, nil, "waiting")
			}
		}
	}
	g.longQueue()
	states := []struct {
		state string
		count int
	}{{"fetching", 150}, {"ready", 230}, {"moving", 120}}
	k := 0
	for _, s := range states {
		for left := s.count - open[s.state]; left > 0 && k < len(g.items); k += 1 + g.rand.IntN(7) {
			i := &g.items[k]
			if i.out || !g.holdable(k) {
				continue
			}
			if g.hold(&g.titles[i.title], i, s.state) {
				i.out = true
				left--
			}
		}
	}
}

func (g *generator) holdable(k int) bool {
	return !slices.Contains([]string{"reference", "local_history", "laptop", "kit", "interlibrary"}, g.items[k].material)
}

// longQueue gives one book of two copies nineteen holds.
func (g *generator) longQueue() {
	for n := range g.titles {
		t := &g.titles[n]
		if len(t.items) == 2 && t.material == "book" && g.items[t.items[0]].out && g.items[t.items[1]].out {
			for range 19 {
				g.hold(t, nil, "waiting")
			}
			return
		}
	}
}

// hold makes a hold of today in a state, with what that state needs; not where it makes no sense.
func (g *generator) hold(t *title, i *item, state string) bool {
	pickup := g.branchByShare()
	if state == "moving" && pickup == i.home {
		pickup = "HVH"
		if i.home == "HVH" {
			pickup = "SLM"
		}
	}
	p := g.patrons[g.byBranch[pickup][g.rand.IntN(len(g.byBranch[pickup]))]]
	if g.holders[[2]int64{t.id, p.id}] || i == nil && g.borrows(t, p.id) {
		return false
	}
	id := g.next("holds")
	placed := g.now.Add(-time.Duration(20+g.rand.IntN(900)) * time.Hour).Truncate(time.Second)
	var itemID, promised, readyAt, until, fetchAt any
	switch state {
	case "fetching":
		itemID, fetchAt = i.id, g.rows["items"][i.id-1][4]
		placed = g.now.Add(-time.Duration(1+g.rand.IntN(20)) * time.Hour)
		if ready, ok := g.table.Branches[i.home].OpenTimeFrom(g.now, 60); ok {
			if j := g.journey(i.home, pickup, ready); j != nil && j.OnShelf != nil {
				promised = *j.OnShelf
			}
		}
	case "moving":
		itemID = i.id
		// Sent on the last day from which it cannot have come yet.
		var sent time.Time
		var shelf *time.Time
		for day := g.today - 1; day > g.today-9; day-- {
			at := g.moment(i.home, day)
			j := g.journey(i.home, pickup, at)
			if at.Before(g.now) && at.After(i.back) && j != nil && j.OnShelf != nil && j.OnShelf.After(g.now) {
				sent, promised, shelf = at, *j.OnShelf, j.OnShelf
				break
			}
		}
		if shelf == nil {
			return false
		}
		g.add("transits", g.next("transits"), i.id, i.home, pickup, id, sent, *shelf, nil)
		g.event(sent, event.Sent, i.home, p.id, i.id, 0, id, event.Detail{Branch: pickup, At: shelf})
	case "ready":
		itemID = i.id
		at := g.moment(pickup, g.today.Add(-1-g.rand.IntN(8)))
		if at.After(g.now) {
			at = g.now.Add(-70 * time.Hour)
		}
		if at.Before(i.back) {
			return false
		}
		b := g.table.Branches[pickup].Branch
		day := b.Date(at)
		for range g.decide(&g.editions[1], rulebook.Situate(pickup, i.home, i.collection, i.material,
			p.class)).Value(rulebook.HoldShelfDays).Number() {
			if next, ok := b.NextOpenDay(day); ok {
				day = next
			}
		}
		if day < g.today { // it would have lapsed
			return false
		}
		readyAt, until = at, day.UTC()
		placed = at.Add(-80 * time.Hour)
		g.atBranch(i, pickup)
		g.event(at, event.HoldReady, pickup, p.id, i.id, 0, id, event.Detail{Day: &day})
	}
	g.holders[[2]int64{t.id, p.id}] = true
	g.add("holds", id, t.id, p.id, pickup, placed, int(id), state, itemID, promised, readyAt, until, nil, fetchAt, false)
	g.event(placed, event.HoldPlaced, pickup, p.id, 0, 0, id, event.Detail{Branch: pickup})
	return true
}

func (g *generator) borrows(t *title, patron int64) bool {
	return slices.ContainsFunc(
		t.items,
		func(k int) bool { return g.items[k].out && g.patrons[g.items[k].lastPatron].id == patron },
	)
}

func (g *generator) atBranch(i *item, branch calendar.Code) { g.rows["items"][i.id-1][4] = branch }

// strays are items that were sent and have not come, one of them long ago and meant for Quarrow.
func (g *generator) strays() {
	left := 9
	for k := len(g.items) - 1; k >= 0 && left > 0; k-- {
		i := &g.items[k]
		if i.out || i.home == "HVH" || !g.holdable(k) || left == 9 && i.home != "QRW" {
			continue
		}
		sent := g.moment("HVH", g.today.Add(-6-left))
		if sent.Before(i.back) {
			continue
		}
		i.out = true
		j := g.journey("HVH", i.home, sent)
		if j == nil || j.OnShelf == nil || j.OnShelf.After(g.now) {
			continue
		}
		g.atBranch(i, "HVH")
		g.add("transits", g.next("transits"), i.id, "HVH", i.home, nil, sent, *j.OnShelf, nil)
		g.event(sent, event.Sent, "HVH", 0, i.id, 0, 0, event.Detail{Branch: i.home, At: j.OnShelf})
		left--
	}
}

// toteAstray is a whole tote that left Havenhead for Lanternfield last week, and has not been seen since.
func (g *generator) toteAstray() {
	const from, to = "HVH", "LNF"
	sent := g.moment(from, g.today.Add(-5))
	j := g.journey(from, to, sent)
	if j == nil || j.OnShelf == nil || !j.OnShelf.Before(g.now) {
		panic("demo: the tote that goes astray has no way to go")
	}
	leg := j.Legs[0]
	b := &box{from: from, to: to, run: leg.Run, on: leg.Date, at: from, left: &leg.Depart, begun: sent}
	for k := len(g.items) - 1; k >= 0 && len(b.inside) < 7; k-- {
		i := &g.items[k]
		if i.out || i.home != to || !g.holdable(k) || sent.Before(i.back) {
			continue
		}
		i.out = true
		g.atBranch(i, from)
		id := g.next("transits")
		g.add("transits", id, i.id, from, to, nil, sent, *j.OnShelf, nil)
		g.event(sent, event.Sent, from, 0, i.id, 0, 0, event.Detail{Branch: to, At: j.OnShelf})
		b.inside = append(b.inside, id)
	}
	g.astray = b
}

// stages of what is overdue, by the plans of the demo.
var stages = []struct {
	stage, days int
	subject     string
}{{0, 3, "Please return an item"}, {1, 14, "Overdue: please return an item"}}

// instant gives the instant of a cell; false where there is none.
func instant(cell any) (time.Time, bool) {
	switch at := cell.(type) {
	case time.Time:
		return at, true
	case *time.Time:
		if at != nil {
			return *at, true
		}
	}
	return time.Time{}, false
}

// planOf gives the plan by which somebody is told of what is overdue.
func planOf(class string) string {
	switch class {
	case "staff":
		return "overdue_staff"
	case "child", "youth":
		return "overdue_children"
	}
	return "overdue"
}

// writtenTo lets those who are late have been written to, as the nights before today would have done: one message to each for a day. This
// morning's are left to be looked at.
func (g *generator) writtenTo() {
	type letter struct {
		patron int64
		day    calendar.Date
	}
	messages, people := map[letter]int64{}, map[string]map[calendar.Date]int{}
	runs := map[string]map[calendar.Date]int64{}
	for _, s := range stages {
		for _, l := range g.rows["loans"] {
			due, ok := l[7].(time.Time)
			if !ok || l[11] != nil || calendar.DateOf(due) >= g.today.Add(-s.days) {
				continue
			}
			p := g.patrons[l[2].(int64)-1]
			plan, day := planOf(p.class), calendar.DateOf(due).Add(s.days)
			if plan == "overdue_staff" && s.stage > 0 {
				continue
			}
			if people[plan] == nil {
				people[plan], runs[plan] = map[calendar.Date]int{}, map[calendar.Date]int64{}
			}
			if runs[plan][day] == 0 {
				runs[plan][day] = g.next("mailings")
			}
			at := calendar.Local(day, 5*60, g.loc)
			id := messages[letter{p.id, day}]
			if id == 0 {
				id = g.next("messages")
				messages[letter{p.id, day}] = id
				people[plan][day]++
				state := "sent"
				if p.email == "" {
					state = "no_address"
				}
				g.add("messages", id, runs[plan][day], "overdue", p.id, p.email, s.subject, "Dear "+p.name+", please bring it back.", state, at, at)
			}
			channel := "mail"
			if p.email == "" {
				channel = ""
			}
			g.add("notices", "overdue", s.stage, plan, runs[plan][day], p.id, p.id, channel, l[3], l[0], due, id, "told", at)
		}
	}
	// Bills of what was marked lost went out too, but at Havenhead, where prices were looked through first.
	for _, l := range g.rows["loans"] {
		lost, isLost := instant(l[13])
		due, ok := l[7].(time.Time)
		if !isLost || !ok || l[11] != nil || l[3] == calendar.Code("HVH") {
			continue
		}
		p, day := g.patrons[l[2].(int64)-1], calendar.DateOf(lost.In(g.loc))
		if people["lost"] == nil {
			people["lost"], runs["lost"] = map[calendar.Date]int{}, map[calendar.Date]int64{}
		}
		if runs["lost"][day] == 0 {
			runs["lost"][day] = g.next("mailings")
		}
		id := g.next("messages")
		people["lost"][day]++
		g.add("messages", id, runs["lost"][day], "lost", p.id, p.email, "Lost: an item", "Dear "+p.name+", this has been marked lost.", "sent", lost, lost)
		g.add("notices", "lost", 0, "lost", runs["lost"][day], p.id, p.id, "mail", l[3], l[0], due, id, "told", lost)
	}
	for plan, days := range people {
		for day, n := range days {
			g.add("mailings", runs[plan][day], plan, day.UTC(), "sent", calendar.Local(day, 8*60, g.loc), n)
		}
	}
	// How many were reminded before: of what was out two days before it was due.
	reminded := map[calendar.Date]map[int64]bool{}
	for _, l := range g.rows["loans"] {
		due, ok := l[7].(time.Time)
		if !ok {
			continue
		}
		day := calendar.DateOf(due).Add(-2)
		at := calendar.Local(day, 5*60, g.loc)
		back, isBack := l[11].(time.Time)
		if day < g.today.Add(-10) || day >= g.today || l[6].(time.Time).After(at) || isBack && back.Before(at) {
			continue
		}
		if reminded[day] == nil {
			reminded[day] = map[int64]bool{}
		}
		reminded[day][l[2].(int64)] = true
	}
	for day, them := range reminded {
		g.add("mailings", g.next("mailings"), "before_due", day.UTC(), "sent", calendar.Local(day, 8*60, g.loc), len(them))
	}
}
