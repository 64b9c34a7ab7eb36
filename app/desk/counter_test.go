package desk_test

import (
	"fmt"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/returns"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/role"
	"nevrin/testkit"
)

// deskOf is a small world with somebody at the desk of Havenhead.
type deskOf struct {
	*testkit.World
	t    *testing.T
	here act.Actor
}

func newDesk(t *testing.T) *deskOf {
	w := testkit.NewWorld(t)
	return &deskOf{w, t, w.Staff(role.Desk, "HVH")}
}

func (d *deskOf) scan(s desk.Scan) *desk.Result {
	d.t.Helper()
	return testkit.Do(d.t, d.House, d.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, s) })
}

func (d *deskOf) lend(patron int64, item string) *desk.Result {
	d.t.Helper()
	r := d.scan(desk.Scan{Text: item, Patron: patron})
	require.Equal(d.t, "lent", r.Kind, r.Text)
	return r
}

func (d *deskOf) rule(terms string) {
	d.t.Helper()
	d.Set(`INSERT INTO editions (number, state, starts_on, started_at, rules, ranking)
		SELECT number + 1, state, starts_on, started_at + interval '1 hour', jsonb_set(rules, '{0,terms}', rules->0->'terms' || ?::jsonb), ranking
		FROM editions ORDER BY number DESC LIMIT 1`, terms)
}

// ready lets a title of its own wait on the hold shelf for a patron.
func (d *deskOf) ready(patron int64) string {
	d.t.Helper()
	title, items := d.Title("HVH")
	testkit.Do(d.t, d.House, d.here, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "HVH"})
	})
	testkit.Do(d.t, d.House, d.here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	require.Equal(d.t, "ready", d.Ask("SELECT state FROM holds WHERE patron_id = ? ORDER BY id DESC LIMIT 1", patron))
	return items[0]
}

// What waits for somebody else may be fetched by whom they have named, by their household, or by nobody, as the network settles;
// it is lent to them, not to who comes.
func TestFetchedForSomebody(t *testing.T) {
	for settled, who := range map[string]map[string]bool{
		"nobody": {}, "named": {"named": true}, "household": {"named": true, "family": true},
	} {
		t.Run(settled, func(t *testing.T) {
			d := newDesk(t)
			d.Set("UPDATE network SET settings = settings || jsonb_build_object('counter', jsonb_build_object('collect', ?::text, 'receipt', 'none', "+
				"'slips', '[]'::jsonb, 'bin', '{\"lines\": 1, \"columns\": []}'::jsonb, 'patron', '{\"lines\": 1, \"columns\": []}'::jsonb))", settled)
			d.Set("INSERT INTO households (id, name) VALUES (77, 'Voss')")
			ida := d.Patron("HVH", map[string]any{"legal_name": "Ida Voss", "may_use": "{Sam  Voss}", "household_id": 77})
			others := map[string]int64{
				"named":    d.Patron("HVH", map[string]any{"legal_name": "Samuel Voss", "preferred_name": "Sam Voss"}),
				"family":   d.Patron("HVH", map[string]any{"legal_name": "Per Voss", "household_id": 77}),
				"stranger": d.Patron("HVH", map[string]any{"legal_name": "Tove Marrin"}),
			}
			for name, patron := range others {
				item := d.ready(ida)
				r := d.scan(desk.Scan{Text: item, Patron: patron})
				assert.NotEqual(t, "lent", r.Kind)
				may := len(r.Asks) > 0 && r.Asks[0].Answer == "fetch"
				assert.Equal(t, who[name], may, "%s: %s", name, r.Text)
				fetch := desk.Scan{Text: item, Patron: patron, Fetch: true}
				if !may {
					_, err := testkit.Try(d.House, d.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, fetch) })
					require.ErrorContains(t, err, "It is not on hold here for somebody this patron can collect for. Scan it again.")
					continue
				}
				assert.Contains(t, r.Text, "Ida Voss")
				lent := d.scan(fetch)
				assert.Equal(t, "lent", lent.Kind, lent.Text)
				assert.Equal(t, fmt.Sprint(ida, " filled"), d.Ask(
					"SELECT l.patron_id || ' ' || h.state FROM loans l JOIN holds h ON h.id = l.filled_hold WHERE l.id = ?", lent.Line.LoanID))
			}
		})
	}
}

// Where others wait, it says so; and it is lent for a shorter time where rules say that.
func TestShorterWhileOthersWait(t *testing.T) {
	d := newDesk(t)
	title, items := d.Title("HVH", "HVH")
	d.lend(d.Patron("HVH"), items[1])
	place := func() {
		testkit.Do(t, d.House, d.here, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: d.Patron("HVH"), Pickup: "TRN"})
		})
	}
	place() // to be fetched for the first
	place()
	d.Set("UPDATE holds SET state = 'waiting', item_id = NULL, fetch_at = NULL, why = NULL")
	p := d.Patron("HVH")
	r := d.scan(desk.Scan{Text: items[0], Patron: p, Try: true})
	assert.Equal(t, []string{"staged", "2 others are waiting for this title."}, []string{r.Kind, r.Waiting})
	assert.Equal(t, "2026-10-27", r.Line.DueExact)
	d.rule(`{"awaited_period": "P7D"}`)
	r = d.lend(p, items[0])
	assert.Equal(t, "2026-10-13", r.Line.DueExact)
	d.rule(`{"awaited_period": "P60D"}`)
	_, more := d.Title("HVH")
	assert.Equal(t, "2026-10-27", d.lend(p, more[0]).Line.DueExact, "nobody waits, and a longer time shortens nothing")
}

// What is only tried changes nothing; said so, it counts.
func TestStaged(t *testing.T) {
	d := newDesk(t)
	_, items := d.Title("HVH")
	p := d.Patron("HVH")
	r := d.scan(desk.Scan{Text: items[0], Patron: p, Try: true})
	assert.Equal(t, "staged", r.Kind)
	assert.Equal(t, "0 0", d.Ask("SELECT (SELECT count(*) FROM loans) || ' ' || (SELECT count(*) FROM events WHERE kind = 'lent')"))
	d.lend(p, items[0])
	assert.Equal(t, "ask", d.scan(desk.Scan{Text: items[0], Patron: d.Patron("HVH"), Try: true}).Kind, "somebody else has it by now")
}

// Parts are counted at lending: all there, or lent with what is missing noted for who takes it back, so that nobody is charged.
func TestPartsAreCounted(t *testing.T) {
	d := newDesk(t)
	title, _ := d.Title()
	game := d.Item(title, "HVH", map[string]any{"parts": 3, "parts_say": "Board, dice, cards"})
	p := d.Patron("HVH")
	r := d.scan(desk.Scan{Text: game, Patron: p})
	assert.Equal(t, "It has 3 parts to count: Board, dice, cards. Are they all there?", r.Text)
	var answers []string
	for _, c := range r.Asks {
		answers = append(answers, c.Answer)
	}
	assert.Equal(t, []string{"lend", "missing", "leave"}, answers)
	r = d.scan(desk.Scan{Text: game, Patron: p, Past: r.Stops, Missing: "one die"})
	require.Equal(t, "lent", r.Kind, r.Text)
	run := testkit.Do(t, d.House, d.here, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	c := testkit.Do(t, d.House, d.here, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, game) })
	assert.Equal(t, "Missing when lent: one die", c.Lines[0].Note)
	// The note is asked about at the next lending, and needs no reason.
	d.Set("UPDATE items SET parts = 1, standing = 'in_use'")
	r = d.scan(desk.Scan{Text: game, Patron: p})
	assert.Equal(t, []loan.StopKind{loan.Noted}, r.Stops)
	assert.Equal(t, "lent", d.scan(desk.Scan{Text: game, Patron: p, Past: r.Stops}).Kind)
}

// Pupils borrow from a school year on; who is no pupil is not asked.
func TestSchoolYear(t *testing.T) {
	d := newDesk(t)
	d.rule(`{"least_school_year": 5}`)
	_, items := d.Title("HVH", "HVH")
	young, older := d.Patron("HVH", map[string]any{"school_year": "4b"}), d.Patron("HVH", map[string]any{"school_year": "5"})
	r := d.scan(desk.Scan{Text: items[0], Patron: young})
	assert.Equal(t, "For school year 5 and up; this pupil is in year 4.", r.Text)
	d.lend(older, items[0])
	d.lend(d.Patron("HVH"), items[1])
}

// Codes in one line are told apart, words find copies here where a card is open.
func TestOtherScans(t *testing.T) {
	d := newDesk(t)
	title, items := d.Title("HVH", "SLM")
	_, more := d.Title("HVH")
	r := d.scan(desk.Scan{Text: items[0] + " " + more[0]})
	assert.Equal(t, []string{items[0], more[0]}, r.Several)
	assert.Equal(t, []string{items[0], more[0]}, d.scan(desk.Scan{Text: items[0] + more[0]}).Several)
	d.Set("UPDATE titles SET name = 'Čas ve větru' WHERE id = ?", title)
	r = d.scan(desk.Scan{Text: "větru", Patron: d.Patron("HVH")})
	require.Len(t, r.Copies, 1, "the one at Saltmere is not here")
	assert.Equal(t, items[0], r.Copies[0].Barcode)
}

// Several are renewed at once, each by itself, and all of it is said in one line.
func TestRenewingSeveral(t *testing.T) {
	d := newDesk(t)
	p := d.Patron("HVH")
	var loans []int64
	for range 4 {
		_, items := d.Title("HVH")
		loans = append(loans, d.lend(p, items[0]).Line.LoanID)
	}
	d.Set("UPDATE loans SET renewals = 2 WHERE id = ?", loans[0])
	d.Set("UPDATE loans SET renewals = 2 WHERE id = ?", loans[1])
	d.Later(10 * 24 * time.Hour)
	renew := func(of ...int64) *desk.RenewedMany {
		return testkit.Do(t, d.House, d.here, func(a *act.Act) (*desk.RenewedMany, error) {
			return desk.RenewMany(a, p, desk.Many{Loans: of})
		})
	}
	assert.Equal(t, "1 renewed.", renew(loans[2]).Text)
	all := renew()
	assert.Equal(t, "2 renewed; 2 not: renewed as often as allowed.", all.Text)
	assert.Len(t, all.Card.OnLoan, 4)
	assert.Empty(t, all.Charged)
	for _, one := range all.Each[2:] {
		assert.Regexp(t, `^Renewed, due `, one.Text)
	}
	_, err := testkit.Try(d.House, d.here, func(a *act.Act) (*desk.RenewedMany, error) { return desk.RenewMany(a, d.Patron("HVH"), desk.Many{}) })
	require.ErrorContains(t, err, "There is nothing to renew. The items may have been returned just now.")
}

// Still on loan to somebody else, an item is asked about: who has it is named to those who may know, with what taking it back charges.
func TestStillOnLoanToSomebodyElse(t *testing.T) {
	d := newDesk(t)
	has, wants := d.Patron("HVH"), d.Patron("HVH")
	_, items := d.Title("HVH")
	loan := d.lend(has, items[0]).Line.LoanID
	d.Later(25 * 24 * time.Hour)
	r := d.scan(desk.Scan{Text: items[0], Patron: wants})
	require.Equal(t, "ask", r.Kind)
	assert.Equal(t, []desk.Choice{{Answer: "back", Label: "Return it and lend it"}, {Answer: "leave", Label: "Not now"}}, r.Asks)
	name := d.Ask("SELECT legal_name FROM patrons WHERE id = ?", has)
	require.Contains(t, r.Text, "Still on loan to "+name+", due ")
	said := regexp.MustCompile(`charges (\S+) to their account`).FindStringSubmatch(r.Text)
	require.Len(t, said, 2, r.Text)

	volunteer := d.Staff(role.Volunteer, "HVH")
	card := d.Ask("SELECT card FROM patrons WHERE id = ?", wants)
	testkit.Do(t, d.House, volunteer, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	theirs := testkit.Do(t, d.House, volunteer, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: items[0], Patron: wants})
	})
	assert.Contains(t, theirs.Text, "Still on loan to somebody else")
	assert.NotContains(t, theirs.Text, name)

	// What it said is what taking it back charges.
	testkit.Do(t, d.House, d.here, func(a *act.Act) (*returns.Change, error) {
		run, err := returns.Open(a, "patron", "")
		require.NoError(t, err)
		return returns.Scan(a, run.ID, items[0])
	})
	assert.Equal(t, said[1], d.Ask("SELECT (amount / 100.0)::numeric(9,2)::text FROM ledger WHERE loan_id = ? AND kind = 'charge'", loan))
	assert.Equal(t, "lent", d.scan(desk.Scan{Text: items[0], Patron: wants}).Kind)
}

// What renewing costs is said with the new date, by loan and in all: the sums are what is on the account afterwards.
func TestRenewingLateLoansSaysWhatIsCharged(t *testing.T) {
	d := newDesk(t)
	p := d.Patron("HVH")
	_, one := d.Title("HVH")
	_, two := d.Title("HVH")
	loans := []int64{d.lend(p, one[0]).Line.LoanID, d.lend(p, two[0]).Line.LoanID}
	d.Later(25 * 24 * time.Hour)
	all := testkit.Do(t, d.House, d.here, func(a *act.Act) (*desk.RenewedMany, error) {
		return desk.RenewMany(a, p, desk.Many{Loans: loans})
	})
	require.NotEmpty(t, all.Charged)
	assert.Equal(t, all.Card.Owes, all.Charged)
	assert.Contains(t, all.Text, all.Charged+" is charged in late fines so far.")
	for k, each := range all.Each {
		fine := d.Ask("SELECT (amount / 100.0)::numeric(9,2)::text FROM ledger WHERE loan_id = ? AND kind = 'charge'", loans[k])
		assert.Regexp(t, `^Renewed, due .*\. `+regexp.QuoteMeta(fine)+` is charged in late fines so far$`, each.Text)
	}
}

// The due dates of several are set by hand together, or none is; of others' items and patrons only where the network lets that be.
func TestSettingSeveralDueDates(t *testing.T) {
	d := newDesk(t)
	yes := true
	d.here.Rights.DueDates = &yes
	p := d.Patron("HVH")
	_, own := d.Title("HVH", "HVH")
	title, _ := d.Title()
	other := d.Item(title, "SLM", map[string]any{"at_branch": "HVH"})
	first, second, third := d.lend(p, own[0]).Line.LoanID, int64(0), int64(0)
	_, more := d.Title("HVH")
	second, third = d.lend(p, more[0]).Line.LoanID, d.lend(p, other).Line.LoanID
	set := func(who act.Actor, of ...int64) error {
		_, err := testkit.Try(d.House, who, func(a *act.Act) (*people.Card, error) {
			return desk.SetDueOfMany(a, p, desk.SettingMany{Loans: of, Due: calendar.MakeDate(2026, 11, 2), Reason: "A holiday"})
		})
		return err
	}
	require.ErrorContains(t, set(d.here, first, second, third), "belongs to Saltmere")
	assert.Equal(t, "3", d.Ask("SELECT count(*)::text FROM loans WHERE due_date = '2026-10-27'"), "none was set")
	_, theirs := d.Title("HVH")
	stranger := d.lend(d.Patron("HVH"), theirs[0]).Line.LoanID
	require.ErrorContains(t, set(d.here, first, stranger), "loan of theirs", "somebody else's is refused before it is locked out of order")
	require.NoError(t, set(d.here, first, second))
	require.NoError(t, set(d.Staff(role.Supervisor, "HVH"), first, third), "a supervisor may; what is due then already stays")
	assert.Equal(t, "3", d.Ask("SELECT count(*)::text FROM loans WHERE due_date = '2026-11-02'"))
}

// What is late shows what it would cost now; what was lent is mailed, once it is asked for.
func TestAccruedAndMailed(t *testing.T) {
	d := newDesk(t)
	p := d.Patron("HVH")
	_, items := d.Title("HVH")
	d.lend(p, items[0])
	testkit.Done(t, d.House, d.here, func(a *act.Act) error { return desk.MailLent(a, p, time.Time{}) })
	told := testkit.Do(t, d.House, d.here, func(a *act.Act) ([]notices.Message, error) { return notices.OfPatron(a, p) })
	require.Len(t, told, 1)
	assert.Contains(t, told[0].Body, "due Tue 27 Oct")
	d.Later(24 * 24 * time.Hour) // Friday 30 October, three open days late
	card := testkit.Do(t, d.House, d.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) })
	assert.Equal(t, []string{"0.75", "0.75", "0.00"}, []string{card.OnLoan[0].Accrues, card.Accrues, card.Owes})
	_, err := testkit.Try(d.House, d.here, func(a *act.Act) (struct{}, error) { return struct{}{}, desk.MailLent(a, p, time.Time{}) })
	require.ErrorContains(t, err, "Nothing was lent to them here today, so there is nothing to email.")
	none := d.Patron("HVH", map[string]any{"email": ""})
	_, err = testkit.Try(d.House, d.here, func(a *act.Act) (*people.Card, error) { return desk.ChooseReceipt(a, none, "mail") })
	require.ErrorContains(t, err, "has no email address. Add one first.")
}
