package circulation_test

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/core/rulebook"
	"nevrin/core/settings"
	"nevrin/core/why"
)

// worked is the rulebook of the handbook's examples, with some terms of its base rule set anew. Saltmere is open from Tuesday to Saturday,
// but for 13 and 14 October; books go out for 21 days, laptops for three hours; lateness costs 0.25 an open day, two days of grace lapse.
func worked(t *testing.T, base string) (*rulebook.Rulebook, *calendar.Branch) {
	t.Helper()
	data, err := os.ReadFile("../testdata/worked-rules.json")
	require.NoError(t, err)
	book, err := rulebook.Read(data)
	require.NoError(t, err)
	slm, ok := book.Branch("SLM")
	require.True(t, ok)
	if base == "" {
		return book, slm
	}
	settings, err := book.ParseSettings([]byte(base))
	require.NoError(t, err)
	var rules []*rulebook.Rule
	for _, r := range book.Rules {
		if r.ID == "base" {
			changed := *r
			changed.Settings = settings
			for _, s := range r.Settings {
				if _, again := changed.Sets(s.Term); !again {
					changed.Settings = append(changed.Settings, s)
				}
			}
			r = &changed
		}
		rules = append(rules, r)
	}
	return rulebook.New(book.Currency, book.Branches, book.Ranking, rules), slm
}

func day(month time.Month, d int) calendar.Date { return calendar.MakeDate(2026, month, d) }

func kinds(stops []loan.Stop) []loan.StopKind {
	var out []loan.StopKind
	for _, s := range stops {
		out = append(out, s.Kind)
	}
	return out
}

// What somebody may borrow: each stop by itself, several in their order, those gone past, and who may. The sums are those of the terms
// beside each case.
func TestLending(t *testing.T) {
	desk := settings.Usual().Limits.Of(role.Desk, settings.Rights{})
	boss := settings.Usual().Limits.Of(role.Supervisor, settings.Rights{})
	late := func(slm *calendar.Branch) circulation.OnLoan {
		return circulation.OnLoan{Material: "film", Branch: slm, Due: loan.OnDate(day(9, 30))}
	}
	fine := func(slm *calendar.Branch) circulation.OnLoan {
		return circulation.OnLoan{Material: "book", Branch: slm, Due: loan.OnDate(day(10, 20))}
	}
	ended := day(10, 5)
	for name, c := range map[string]struct {
		base     string
		material string
		borrower loan.Borrower
		onLoan   []func(*calendar.Branch) circulation.OnLoan
		change   func(*circulation.Lending)
		left     []loan.StopKind
		passed   []loan.StopKind
		due      string
		may      bool
		reason   bool
	}{
		"a book, three weeks":             {due: "2026-10-27", may: true},
		"a film, a week, to a closed day": {material: "film", due: "2026-10-15", may: true},
		"a card that has run out":         {borrower: loan.Borrower{CardUntil: &ended}, left: []loan.StopKind{loan.CardEnded}, may: false, reason: true},
		"owes just the limit":             {base: `{"owed_limit": "5.00"}`, borrower: loan.Borrower{Owes: 500}, due: "2026-10-27", may: true},
		"owes a cent more":                {base: `{"owed_limit": "5.00"}`, borrower: loan.Borrower{Owes: 501}, left: []loan.StopKind{loan.OwesTooMuch}, reason: true},
		"what is in dispute stops nobody": {base: `{"owed_limit": "5.00"}`, borrower: loan.Borrower{Owes: 900, Disputed: 400}, due: "2026-10-27", may: true},
		"two late, one allowed": {
			base: `{"late_items_limit": 1}`, onLoan: []func(*calendar.Branch) circulation.OnLoan{late, late, fine},
			left: []loan.StopKind{loan.TooManyLate}, reason: true,
		},
		"one late, one allowed": {base: `{"late_items_limit": 1}`, onLoan: []func(*calendar.Branch) circulation.OnLoan{late, fine}, due: "2026-10-27", may: true},
		"as many as allowed":    {base: `{"loans_at_once": 2}`, onLoan: []func(*calendar.Branch) circulation.OnLoan{fine, fine}, left: []loan.StopKind{loan.TooMany}, reason: true},
		"of this material": {
			base: `{"material_at_once": 1}`, onLoan: []func(*calendar.Branch) circulation.OnLoan{fine}, left: []loan.StopKind{loan.TooManyAlike}, reason: true,
		},
		"of another material": {base: `{"material_at_once": 1}`, material: "film", onLoan: []func(*calendar.Branch) circulation.OnLoan{fine}, due: "2026-10-15", may: true},
		"several stops, the patron's first": {
			base: `{"owed_limit": "5.00", "lending_allowed": false}`, borrower: loan.Borrower{Owes: 600},
			left: []loan.StopKind{loan.OwesTooMuch, loan.NotLent}, reason: true,
		},
		"one gone past, another left": {
			base: `{"owed_limit": "5.00", "lending_allowed": false}`, borrower: loan.Borrower{Owes: 600},
			change: func(l *circulation.Lending) { l.May, l.Past = boss, []loan.StopKind{loan.OwesTooMuch} },
			left:   []loan.StopKind{loan.NotLent}, passed: []loan.StopKind{loan.OwesTooMuch}, may: true, reason: true,
		},
		"gone past by who supervises": {
			base: `{"lending_allowed": false}`, change: func(l *circulation.Lending) { l.May, l.Past = boss, []loan.StopKind{loan.NotLent} },
			passed: []loan.StopKind{loan.NotLent}, due: "2026-10-27", may: true,
		},
		"not by who may not": {
			base: `{"lending_allowed": false}`, change: func(l *circulation.Lending) { l.Past = []loan.StopKind{loan.NotLent} },
			left: []loan.StopKind{loan.NotLent}, reason: true,
		},
		"on the hold shelf for somebody": {
			change: func(l *circulation.Lending) {
				l.Claim = &circulation.Claim{Ready: true, Until: day(10, 10), Pickup: "Saltmere"}
			},
			left: []loan.StopKind{loan.MeantForElse}, reason: true,
		},
		"a note asks, and needs no reason": {
			change: func(l *circulation.Lending) { l.Asks = []*loan.Stop{nil, loan.Note("Torn cover")} },
			left:   []loan.StopKind{loan.Noted}, may: true,
		},
		"a laptop twenty minutes before closing is asked about": {
			material: "laptop", change: func(l *circulation.Lending) { l.Now = l.Branch.At(day(10, 6), 17*60+40) },
			left: []loan.StopKind{loan.Soon}, may: true,
		},
		"others wait, and rules lend it for a week": {
			base: `{"awaited_period": "P7D"}`, change: func(l *circulation.Lending) { l.Awaited = 2 }, due: "2026-10-15", may: true,
		},
		"others wait, and rules say nothing": {change: func(l *circulation.Lending) { l.Awaited = 2 }, due: "2026-10-27", may: true},
		"others wait, and what rules say would be longer": {
			base: `{"awaited_period": "P40D"}`, change: func(l *circulation.Lending) { l.Awaited = 1 }, due: "2026-10-27", may: true,
		},
	} {
		t.Run(name, func(t *testing.T) {
			book, slm := worked(t, c.base)
			material := c.material
			if material == "" {
				material = "book"
			}
			if c.borrower.Standing == "" {
				c.borrower.Standing = loan.Active
			}
			l := circulation.Lending{
				Rules: book, At: rulebook.Situate("SLM", "SLM", "general", material, "adult"), Branch: slm,
				Now: slm.At(day(10, 6), 12*60), Borrower: c.borrower, May: desk, Reason: "Kind",
			}
			for _, o := range c.onLoan {
				l.OnLoan = append(l.OnLoan, o(slm))
			}
			if c.change != nil {
				c.change(&l)
			}
			v := circulation.Lend(l)
			assert.Equal(t, c.left, kinds(v.Left))
			assert.Equal(t, c.passed, kinds(v.Passed))
			if c.due != "" {
				assert.Equal(t, c.due, v.Due.Print(slm))
				assert.Contains(t, v.Why.Result, v.Due.Say(slm))
			} else {
				assert.Equal(t, v.Left[0].Text, v.Why.Result, "why not")
			}
			if len(c.left) > 0 {
				assert.Equal(t, c.may, v.May, "may be gone past")
				assert.Equal(t, c.reason, v.Reason, "needs a reason")
			}
		})
	}
}

func TestReasonsForGoingPast(t *testing.T) {
	v := circulation.Verdict{Passed: []loan.Stop{{Kind: loan.NotLent}}}
	assert.True(t, v.ReasonMissing("  "))
	assert.False(t, v.ReasonMissing("A teacher"))
	v.Passed = []loan.Stop{{Kind: loan.Noted}}
	assert.False(t, v.ReasonMissing(""), "what only asks needs none")
}

func TestWhatIsSaidOfAClaim(t *testing.T) {
	book, slm := worked(t, "")
	says := func(c circulation.Claim) (string, circulation.Verdict) {
		v := circulation.Lend(circulation.Lending{
			Rules: book, At: rulebook.Situate("SLM", "SLM", "general", "book", "adult"), Branch: slm,
			Now: slm.At(day(10, 6), 720), Borrower: loan.Borrower{Standing: loan.Active}, Claim: &c,
		})
		return v.Left[0].Text, v
	}
	text, v := says(circulation.Claim{Ready: true, Until: day(10, 10), Pickup: "Saltmere", For: "Merryn Lomas"})
	assert.Contains(t, text, "Sat 10 Oct 2026")
	assert.Contains(t, text, "It is on hold for Merryn Lomas; this patron can collect for them.")
	assert.True(t, v.Fetch)
	text, _ = says(circulation.Claim{Ready: true, Until: day(10, 6), Pickup: "Saltmere"})
	assert.Contains(t, text, "until Tue 6 Oct 2026", "the last day is a day")
	text, _ = says(circulation.Claim{Ready: true, Until: day(10, 5), Pickup: "Saltmere"})
	assert.Contains(t, text, "Still on the hold shelf for somebody else; pickup date was Mon 5 Oct 2026")
	chosen := why.New("Why this copy")
	chosen.Result = "It stands where it is waited for"
	text, v = says(circulation.Claim{Pickup: "Wrenna", Why: &chosen})
	assert.Contains(t, text, "Wrenna")
	assert.False(t, v.Fetch)
	assert.Equal(t, "Why this copy", v.Why.Steps[0].Text)
	assert.Equal(t, []string{"", "Somebody else is waiting for this title.", "3 others are waiting for this title."},
		[]string{circulation.Waiting(0), circulation.Waiting(1), circulation.Waiting(3)})
}

func TestWhereAnItemGoes(t *testing.T) {
	floats, _ := worked(t, `{"floating": true}`)
	stays, _ := worked(t, "")
	until := day(12, 1)
	for name, c := range map[string]struct {
		i     circulation.InHand
		way   circulation.Way
		says  string
		float bool
	}{
		"at home":          {i: circulation.InHand{Home: "SLM"}, way: circulation.Way{Kind: circulation.Shelf, Reason: circulation.AtHome}, says: "Shelve here"},
		"another branch's": {i: circulation.InHand{Home: "WRN"}, way: circulation.Way{Kind: circulation.Tote, Reason: circulation.GoesHome, To: "WRN"}},
		"another branch's, and rules let it stay": {i: circulation.InHand{Home: "WRN"}, float: true, way: circulation.Way{Kind: circulation.Shelf, Reason: circulation.Floats}, says: "Shelve here"},
		"waited for here":                         {i: circulation.InHand{Home: "WRN", Pickup: "SLM"}, way: circulation.Way{Kind: circulation.HoldShelf, Reason: circulation.ForHold}, says: "Hold shelf"},
		"waited for elsewhere":                    {i: circulation.InHand{Home: "SLM", Pickup: "WRN"}, way: circulation.Way{Kind: circulation.Tote, Reason: circulation.ForHold, To: "WRN"}},
		"put aside for repair":                    {i: circulation.InHand{Home: "SLM", Aside: true}, way: circulation.Way{Kind: circulation.Aside, Reason: circulation.Mending}, says: "Set aside"},
		"for repair, and somebody waits":          {i: circulation.InHand{Home: "SLM", Aside: true, Pickup: "SLM"}, way: circulation.Way{Kind: circulation.HoldShelf, Reason: circulation.ForHold}, says: "Hold shelf"},
		"from outside, lodged here":               {i: circulation.InHand{Home: "SLM", Lender: "Kelmouth"}, way: circulation.Way{Kind: circulation.Outside, Reason: circulation.Returning}, says: "Home to Kelmouth"},
		"from outside, lodged elsewhere":          {i: circulation.InHand{Home: "WRN", Lender: "Kelmouth"}, way: circulation.Way{Kind: circulation.Tote, Reason: circulation.Returning, To: "WRN"}},
		"for a season":                            {i: circulation.InHand{Home: "SLM", Until: &until, After: "WRN"}, way: circulation.Way{Kind: circulation.Shelf, Reason: circulation.AtHome}, says: "Shelve here"},
	} {
		t.Run(name, func(t *testing.T) {
			c.i.Rules, c.i.Here, c.i.Collection, c.i.Material = stays, "SLM", "general", "book"
			if c.float {
				c.i.Rules = floats
			}
			way, trace := circulation.Destination(c.i, why.New("Where it goes"), func(code calendar.Code) string { return "branch " + string(code) })
			assert.Equal(t, c.way, way)
			assert.Equal(t, c.says, trace.Result)
			if c.i.Until != nil {
				assert.Contains(t, trace.Steps[1].Text, "until Tue 1 Dec 2026, then to branch WRN")
			}
		})
	}
}

func TestAlongAShelf(t *testing.T) {
	here := circulation.Shelved{Here: "SLM", Home: "SLM", Collection: "general", Standing: circulation.ItemInUse}
	for want, change := range map[circulation.OnAShelf][]func(*circulation.Shelved){
		circulation.ShelfInPlace: {
			func(*circulation.Shelved) {},
			func(s *circulation.Shelved) { s.Sought = "general" },
			func(s *circulation.Shelved) { s.Home, s.Floats = "WRN", true },
		},
		circulation.ShelfAgain:     {func(s *circulation.Shelved) { s.Again, s.Standing = true, circulation.ItemWithdrawn }},
		circulation.ShelfWithdrawn: {func(s *circulation.Shelved) { s.Standing, s.Place = circulation.ItemWithdrawn, circulation.PlaceLent }},
		circulation.ShelfOnLoan:    {func(s *circulation.Shelved) { s.Place, s.Standing = circulation.PlaceLent, circulation.ItemAside }},
		circulation.ShelfUnderWay:  {func(s *circulation.Shelved) { s.Place = circulation.PlaceUnderWay }},
		circulation.ShelfHeld: {
			func(s *circulation.Shelved) { s.Place = circulation.PlaceHoldShelf },
			func(s *circulation.Shelved) { s.Place = circulation.PlaceFetching },
		},
		circulation.ShelfOutOfUse: {
			func(s *circulation.Shelved) { s.Standing = circulation.ItemAside },
			func(s *circulation.Shelved) { s.Standing, s.Home = circulation.ItemLost, "WRN" },
		},
		circulation.ShelfElsewhere: {func(s *circulation.Shelved) { s.Home, s.Misplaced = "WRN", true }},
		circulation.ShelfFoundElsewhere: {
			func(s *circulation.Shelved) { s.Home, s.Standing = "WRN", circulation.ItemMissing },
			func(s *circulation.Shelved) { s.Sought, s.Standing = "local", circulation.ItemMissing },
		},
		circulation.ShelfOtherCollection: {func(s *circulation.Shelved) { s.Sought, s.Misplaced = "local", true }},
		circulation.ShelfWasMissing:      {func(s *circulation.Shelved) { s.Standing, s.Misplaced = circulation.ItemMissing, true }},
		circulation.ShelfOutOfOrder:      {func(s *circulation.Shelved) { s.Misplaced = true }},
	} {
		for _, by := range change {
			s := here
			by(&s)
			assert.Equal(t, want, circulation.AlongShelf(s), "%+v", s)
		}
	}
	for s, is := range map[circulation.OnAShelf][2]bool{ // on its shelf; nothing to be done
		circulation.ShelfInPlace: {true, true}, circulation.ShelfOutOfOrder: {true, false}, circulation.ShelfWasMissing: {true, true},
		circulation.ShelfAgain: {false, true}, circulation.ShelfElsewhere: {false, false}, circulation.ShelfUnknown: {false, false},
	} {
		assert.Equal(t, is, [2]bool{s.OnItsShelf(), s.Good()}, s)
	}
	assert.True(t, circulation.ShelfWasMissing.Found())
	assert.True(t, circulation.ShelfFoundElsewhere.Found())
	assert.False(t, circulation.ShelfElsewhere.Found())
	assert.False(t, circulation.ShelfFoundElsewhere.Good(), "it has to be taken to its place")
}

func TestHomeForASeason(t *testing.T) {
	until, later := day(12, 1), day(12, 24)
	season := circulation.Home{At: "WRN", Until: &until, After: "SLM"}
	for name, c := range map[string]struct {
		from  circulation.Home
		to    calendar.Code
		until *calendar.Date
		want  circulation.Home
	}{
		"for good":                            {circulation.Home{At: "SLM"}, "WRN", nil, circulation.Home{At: "WRN"}},
		"for a season":                        {circulation.Home{At: "SLM"}, "WRN", &until, season},
		"a season where it is at home":        {circulation.Home{At: "SLM"}, "SLM", &until, circulation.Home{At: "SLM"}},
		"a season within a season":            {season, "HVH", &later, circulation.Home{At: "HVH", Until: &later, After: "SLM"}},
		"a season that leads back":            {season, "SLM", &later, circulation.Home{At: "SLM"}},
		"for good, in the middle of a season": {season, "HVH", nil, circulation.Home{At: "HVH"}},
	} {
		assert.Equal(t, c.want, c.from.Moved(c.to, c.until), name)
	}
}

func TestWhatHindersAnotherStanding(t *testing.T) {
	for place, hinders := range map[circulation.Place]bool{
		circulation.PlaceShelf: false, circulation.PlaceOutOfUse: false, circulation.PlaceLent: true, circulation.PlaceUnderWay: true,
		circulation.PlaceHoldShelf: true, circulation.PlaceFetching: true,
	} {
		assert.Equal(t, hinders, circulation.MayStand(place) != "", place)
	}
	for _, s := range circulation.ItemStandings {
		assert.Equal(t, s == circulation.ItemWithdrawn, s.NeedsReason(), s)
	}
}

// What a return means. A book due on Tuesday 27 October comes back on Friday the 30th: three open days late, the two days of grace lapse
// with the third, so 0.75.
func TestTakingBack(t *testing.T) {
	price := money.Amount(2400)
	lostOn, claimed := day(11, 20), day(10, 28)
	for name, c := range map[string]struct {
		base    string
		back    calendar.Date
		lost    *calendar.Date
		claimed *calendar.Date
		count   func(*circulation.Counting, *calendar.Branch)
		late    bool
		fine    money.Amount
		credit  money.Amount
		says    string
	}{
		"in time":                          {back: day(10, 27)},
		"within the grace":                 {back: day(10, 29), late: true},
		"three open days late":             {back: day(10, 30), late: true, fine: 75},
		"counted as a day in time":         {back: day(10, 30), count: func(c *circulation.Counting, _ *calendar.Branch) { c.As = new(day(10, 27)) }},
		"counted as an instant":            {back: day(10, 30), count: func(c *circulation.Counting, b *calendar.Branch) { c.At = new(b.At(day(10, 28), 600)) }, late: true},
		"a day let off":                    {back: day(10, 30), count: func(c *circulation.Counting, _ *calendar.Branch) { c.LetOff = 1 }, late: true},
		"the library was at fault":         {back: day(10, 30), count: func(c *circulation.Counting, _ *calendar.Branch) { c.Excused = "The bin was full" }, late: true, says: "not charged"},
		"they said they brought it back":   {back: day(11, 6), claimed: &claimed, late: true},
		"at most ten":                      {back: calendar.MakeDate(2027, 3, 2), late: true, fine: 1000},
		"lost, found within the time":      {base: `{"lost_after": 23, "refund_within": 30}`, back: day(12, 1), lost: &lostOn, late: true, fine: 450, credit: 2400, says: "24.00 credited"},
		"lost, lateness charged then":      {base: `{"lost_after": 23, "refund_within": 30, "lateness_when_lost": "kept"}`, back: day(12, 1), lost: &lostOn, late: true, credit: 2400, says: "24.00 credited"},
		"lost, found on the last day":      {base: `{"lost_after": 23, "refund_within": 11}`, back: day(12, 1), lost: &lostOn, late: true, fine: 450, credit: 2400},
		"lost, found a day after the time": {base: `{"lost_after": 23, "refund_within": 10}`, back: day(12, 1), lost: &lostOn, late: true, says: "too late for a credit"},
	} {
		t.Run(name, func(t *testing.T) {
			book, slm := worked(t, c.base)
			l := circulation.Lent{
				Rules: book, At: rulebook.Situate("SLM", "SLM", "general", "book", "adult"), Branch: slm, Due: loan.OnDate(day(10, 27)), Price: &price,
			}
			if c.lost != nil {
				l.LostAt = new(slm.At(*c.lost, 600))
			}
			if c.claimed != nil {
				l.Claimed = new(slm.At(*c.claimed, 600))
			}
			counting := circulation.Counting{Now: slm.At(c.back, 660)}
			if c.count != nil {
				c.count(&counting, slm)
			}
			e := circulation.TakeBack(l, counting, []ledger.Billed{{Charge: 1, Amount: price}})
			assert.Equal(t, c.late, e.Late)
			assert.Equal(t, c.fine, e.Fine, e.Why)
			assert.Equal(t, c.credit, e.Credit)
			assert.Contains(t, e.Why.Result, c.says)
		})
	}
}

// A loan due on 27 October is marked lost on the day after it has been late for so many: 23 days are over with 19 November.
func TestLosing(t *testing.T) {
	price := money.Amount(2400)
	for name, c := range map[string]struct {
		base  string
		price *money.Amount
		day   calendar.Date
		bill  money.Amount // -1: not lost
	}{
		"never by these rules": {"", &price, day(12, 24), -1},
		"not yet":              {`{"lost_after": 23}`, &price, day(11, 19), -1},
		"from the day after":   {`{"lost_after": 23}`, &price, day(11, 20), 2400},
		"with processing":      {`{"lost_after": 23, "processing_charge": "5.00"}`, &price, day(11, 20), 2900},
		"its price not known":  {`{"lost_after": 23, "processing_charge": "5.00"}`, nil, day(11, 20), 500},
		"with lateness":        {`{"lost_after": 23, "lateness_when_lost": "kept"}`, &price, day(11, 20), 2400 + 450},
	} {
		book, slm := worked(t, c.base)
		l := circulation.Lent{
			Rules: book, At: rulebook.Situate("SLM", "SLM", "general", "book", "adult"), Branch: slm, Due: loan.OnDate(day(10, 27)), Price: c.price,
		}
		lost := circulation.Lose(l, c.day, slm.At(c.day, 600))
		if c.bill < 0 {
			assert.Nil(t, lost, name)
			continue
		}
		require.NotNil(t, lost, name)
		assert.Equal(t, c.bill, lost.Bill.Price+lost.Bill.Processing+lost.Bill.Lateness, name)
	}
}

// Renewing a book that is due on 27 October, on Friday 30 October: 21 days from then end on 20 November; what lateness has cost is settled.
func TestRenewing(t *testing.T) {
	for name, c := range map[string]struct {
		base    string
		change  func(*circulation.Renewing)
		by      circulation.Refusal
		due     string
		fine    money.Amount
		free    bool
		refused string
	}{
		"late, and settled":     {due: "2026-11-20", fine: 75},
		"as often as allowed":   {change: func(r *circulation.Renewing) { r.Renewals = 2 }, by: circulation.TooOften, refused: "renewals so far 2, allowed 2"},
		"once more":             {change: func(r *circulation.Renewing) { r.Renewals = 1 }, due: "2026-11-20", fine: 75},
		"marked lost":           {change: func(r *circulation.Renewing) { r.Lent.LostAt = &r.Now }, by: circulation.CountsAsLost, refused: "Not renewed: it is marked lost. If it is here, return it first."},
		"the patron is stopped": {base: `{"owed_limit": "5.00"}`, change: func(r *circulation.Renewing) { r.Borrower.Owes = 600 }, by: circulation.Stopped, refused: "Owes $6.00"},
		"Not renewed: somebody is waiting for it.": {change: func(r *circulation.Renewing) { r.Awaited = true }, by: circulation.Awaited, refused: "Not renewed: somebody is waiting for it."},
		"in time, from today":                      {change: func(r *circulation.Renewing) { r.Now = r.Lent.Branch.At(day(10, 20), 720) }, due: "2026-11-10"},
		"from when it was due":                     {base: `{"renew_from": "due"}`, change: func(r *circulation.Renewing) { r.Now = r.Lent.Branch.At(day(10, 20), 720) }, due: "2026-11-17"},
		"on the day it was lent":                   {change: func(r *circulation.Renewing) { r.Now = r.Lent.Branch.At(day(10, 6), 720) }, due: "2026-10-27", free: true},
	} {
		t.Run(name, func(t *testing.T) {
			book, slm := worked(t, c.base)
			r := circulation.Renewing{
				Lent:  circulation.Lent{Rules: book, At: rulebook.Situate("SLM", "SLM", "general", "book", "adult"), Branch: slm, Due: loan.OnDate(day(10, 27))},
				Rules: book, Borrower: loan.Borrower{Standing: loan.Active}, Now: slm.At(day(10, 30), 720),
			}
			if c.change != nil {
				c.change(&r)
			}
			out := circulation.Renew(r)
			assert.Equal(t, c.by, out.By)
			assert.Contains(t, out.Refused, c.refused)
			if c.by == "" {
				assert.Equal(t, c.due, out.Due.Print(slm))
				assert.Equal(t, c.fine, out.Fine)
				assert.Equal(t, c.free, out.Free)
				require.NotNil(t, out.Why)
			}
		})
	}
}
