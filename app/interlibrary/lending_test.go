package interlibrary_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/interlibrary"
	"nevrin/app/partners"
	"nevrin/app/returns"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/formats/iso18626"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
	"nevrin/testkit"
)

func scan(t *testing.T, h *act.House, who act.Actor, text string) *interlibrary.Scanned {
	t.Helper()
	return testkit.Do(t, h, who, func(a *act.Act) (*interlibrary.Scanned, error) { return interlibrary.Scan(a, text) })
}

// ship packs a promised copy by scan and hands it over.
func ship(t *testing.T, h *act.House, who act.Actor, barcode string) *interlibrary.Request {
	t.Helper()
	s := scan(t, h, who, barcode)
	require.Equal(t, "packed", s.Kind, s.Says)
	out := testkit.Do(t, h, who, func(a *act.Act) ([]interlibrary.Request, error) {
		return interlibrary.HandOver(a, []int64{s.Request.ID})
	})
	return &out[0]
}

// bringBack returns something.
func bringBack(t *testing.T, h *act.House, who act.Actor, barcode string) {
	t.Helper()
	testkit.Do(t, h, who, func(a *act.Act) (*returns.Change, error) {
		run, err := returns.Open(a, "patron", "")
		if err != nil {
			return nil, err
		}
		return returns.Scan(a, run.ID, barcode)
	})
}

func theyWant(t *testing.T, h *act.House, number string, b iso18626.Bibliographic, change ...func(*iso18626.Request)) int64 {
	t.Helper()
	m := theyAsk(number, b.Title, "Loan")
	m.Request.Bibliographic = b
	for _, f := range change {
		f(m.Request)
	}
	ok, says, err := incoming(h, m)
	require.NoError(t, err)
	require.True(t, ok, says)
	var id int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM requests WHERE number = ?", number).Scan(&id).Error)
	return id
}

func titleOf(t *testing.T, h *act.House, barcode string) iso18626.Bibliographic {
	t.Helper()
	var b struct{ Name, Author string }
	require.NoError(t, testkit.SQL(h).Raw("SELECT t.name, t.author FROM titles t JOIN items i ON i.title_id = t.id WHERE i.barcode = ?", barcode).Scan(&b).Error)
	return iso18626.Bibliographic{Title: b.Name, Author: b.Author}
}

func itemID(t *testing.T, h *act.House, barcode string) (id int64) {
	t.Helper()
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM items WHERE barcode = ?", barcode).Scan(&id).Error)
	return id
}

// A yes reaches the branch that has the copy: it is on its fetch list, travels to where it is packed, is lent to the partner in the scan that
// packs it, leaves with the message, and is closed on both sides in the scan that returns it anywhere.
func TestAYesIsFetchedPackedAndSent(t *testing.T) {
	h := testkit.House(t)
	caspar, jory := testkit.Somebody(t, h, "caspar"), testkit.Somebody(t, h, "jory") // at Havenhead, and at Salt Marsh
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	barcode := text(testkit.FreeItem, string(jory.Branch), "book")
	id := theyWant(t, h, "K-1", titleOf(t, h, barcode))

	proposal := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Proposal, error) { return interlibrary.ProposalFor(a, id) })
	require.Equal(t, "yes", proposal.Answer, proposal.Says)
	assert.True(t, slices.ContainsFunc(proposal.Copies, func(c interlibrary.Copy) bool { return c.ID == proposal.Item && c.May && c.There != "" }))
	r := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true, Item: itemID(t, h, barcode)})
	})
	assert.Equal(t, "On the fetch list of "+text("SELECT name FROM branches WHERE code = ?", jory.Branch), r.Says)
	assert.Equal(t, barcode, r.Barcode)
	assert.False(t, r.OurMove, "the branch fetches it")
	list := testkit.Do(t, h, jory, func(a *act.Act) ([]holds.Fetch, error) { return holds.FetchList(a, a.Who.Branch) })
	found := false
	for _, f := range list {
		found = found || f.Barcode == barcode
	}
	assert.True(t, found, "on the list of the branch that has it")
	_, err := testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Pack(a, id) })
	assert.ErrorContains(t, err, "Only what is here can be packed")

	fetched := testkit.Do(t, h, jory, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, barcode) })
	assert.Equal(t, calendar.Code("HVH"), fetched.Sign.Code)
	arrived := testkit.Do(t, h, caspar, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, barcode) })
	assert.Equal(t, []string{"To pack for", "Kelmouth College"}, []string{arrived.Sign.Heading, arrived.Sign.Place})
	assert.Equal(t, "0", text("SELECT count(*)::text FROM notices n JOIN holds o ON o.id = n.hold_id WHERE o.request_id IS NOT NULL"), "a partner is told by message alone")

	s := scan(t, h, caspar, barcode)
	assert.Equal(t, []string{"packed", "Pack for Kelmouth College"}, []string{s.Kind, s.Says})
	assert.Equal(t, "Packed already", scan(t, h, caspar, barcode).Says, "a doubled scan")
	assert.Equal(t, "promised", text("SELECT stage FROM requests WHERE id = ?", id), "it has not left")
	due := text("SELECT l.due_date::text FROM loans l JOIN requests r ON r.loan_id = l.id WHERE r.id = ?", id)
	back := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Unpack(a, id) })
	assert.Equal(t, interlibrary.StepPack, back.Next, back.Says)
	assert.Equal(t, "t", text("SELECT (NOT EXISTS (SELECT 1 FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND l.returned_at IS NULL))::text::char", barcode))
	assert.Equal(t, "In transit to them", ship(t, h, caspar, barcode).Says)
	said := lastSent(t, "K-1", text)
	assert.Equal(t, []string{exchange.Loaned, due}, []string{said.Status.Status, said.Status.DueDate[:10]}, "the same day on both sides")
	_, err = testkit.Try(h, caspar, func(a *act.Act) ([]interlibrary.Request, error) { return interlibrary.HandOver(a, []int64{id}) })
	assert.ErrorContains(t, err, "is not packed")

	bringBack(t, h, jory, barcode)
	assert.Equal(t, "done", text("SELECT stage FROM requests WHERE id = ?", id))
	assert.Equal(t, exchange.LoanCompleted, lastSent(t, "K-1", text).Status.Status)
}

// A copy that is not found goes back to who answered: another takes its place, or the promise is taken back.
func TestThePromisedCopyIsNotFound(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	var free []string
	require.NoError(t, testkit.SQL(h).Raw(testkit.FreeItems, "HVH", "book", 2).Scan(&free).Error)
	first, second := free[0], free[1]
	id := theyWant(t, h, "K-1", titleOf(t, h, first))
	reply := func(answer interlibrary.Answer) (*interlibrary.Request, error) {
		return testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Reply(a, id, answer) })
	}
	_, err := reply(interlibrary.Answer{Yes: true})
	require.ErrorContains(t, err, "Choose a copy.")
	_, err = reply(interlibrary.Answer{Yes: true, Item: itemID(t, h, first)})
	require.NoError(t, err)
	_, err = reply(interlibrary.Answer{Yes: true, Item: itemID(t, h, second)})
	require.ErrorContains(t, err, "answered already", "it is being fetched")
	hold := func() (n int64) {
		require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM holds WHERE request_id = ? AND closed_at IS NULL", id).Scan(&n).Error)
		return n
	}
	testkit.Do(t, h, caspar, func(a *act.Act) (*holds.NotHere, error) { return holds.Missed(a, hold()) })
	list, _ := testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Detail, error) { return interlibrary.One(a, id) })
	assert.Equal(t, "Promised; the copy was not found at Havenhead", list.Request.Says)
	assert.Equal(t, interlibrary.StepChoose, list.Request.Next)
	assert.True(t, list.Request.OurMove)
	assert.NotNil(t, list.Proposal)

	again, err := reply(interlibrary.Answer{Yes: true, Item: itemID(t, h, second)})
	require.NoError(t, err)
	assert.Equal(t, []string{second, "On the fetch list of Havenhead"}, []string{again.Barcode, again.Says})
	assert.Equal(t, "1", text("SELECT count(*)::text FROM exchanges WHERE request_id = ? AND kind = 'WillSupply'", id), "they are not told twice")
	testkit.Do(t, h, caspar, func(a *act.Act) (*holds.NotHere, error) { return holds.Missed(a, hold()) })
	no, err := reply(interlibrary.Answer{Reason: "NotAvailable"})
	require.NoError(t, err)
	assert.Equal(t, exchange.Refused, no.Stage)
	assert.Equal(t, "0", text("SELECT count(*)::text FROM holds WHERE request_id = ? AND closed_at IS NULL", id))
	assert.Equal(t, exchange.Unfilled, lastSent(t, "K-1", text).Status.Status)
}

// They withdraw while it is fetched: it leaves the fetch list. Once it is packed it can no longer be withdrawn.
func TestTheyWithdrawWhatIsFetched(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	barcode := text(testkit.FreeItem, "HVH", "book")
	yes := func(number string) int64 {
		id := theyWant(t, h, number, titleOf(t, h, barcode))
		testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
			return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true, Item: itemID(t, h, barcode)})
		})
		return id
	}
	id := yes("K-1")
	ok, says, err := incoming(h, action("K-1", exchange.Cancel))
	require.NoError(t, err)
	require.True(t, ok, says)
	assert.Equal(t, "withdrawn cancelled", text("SELECT r.stage || ' ' || h.state FROM requests r JOIN holds h ON h.request_id = r.id WHERE r.id = ?", id))
	yes("K-2") // the copy is free again
	require.Equal(t, "packed", scan(t, h, caspar, barcode).Kind)
	ok, says, err = incoming(h, action("K-2", exchange.Cancel))
	require.NoError(t, err)
	require.True(t, ok, says)
	assert.Equal(t, "N", lastSent(t, "K-2", text).Info.Answer)
	// Returned before it has left: it is packed no more, and can be promised anew.
	bringBack(t, h, caspar, barcode)
	assert.Equal(t, "promised true", text("SELECT stage || ' ' || (packed_at IS NULL)::text FROM requests WHERE number = 'K-2'"))
}

// A partner may wait for two copies of one title.
func TestTwoCopiesForOnePartner(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	var pair []string
	require.NoError(t, testkit.SQL(h).Raw(`SELECT i.barcode FROM items i WHERE i.standing = 'in_use' AND i.material = 'book' AND i.at_branch = 'HVH' AND i.note = ''
		AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) ORDER BY i.title_id LIMIT 2`).Scan(&pair).Error)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET title_id = (SELECT title_id FROM items WHERE barcode = ?) WHERE barcode = ?", pair[0], pair[1]).Error)
	for k, barcode := range pair {
		id := theyWant(t, h, fmt.Sprint("K-", k), titleOf(t, h, pair[0]))
		testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
			return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true, Item: itemID(t, h, barcode)})
		})
	}
	for k, barcode := range pair {
		s := scan(t, h, caspar, barcode)
		require.Equal(t, "packed", s.Kind, s.Says)
		assert.Equal(t, fmt.Sprint("K-", k), s.Request.Number, "each copy serves the request for which it was promised")
	}
}

// What fits is found by number, by title up to the colon and by the record that they found here; another author's work of the same title fits badly.
func TestMatching(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	barcode := testkit.Text(t, h, testkit.FreeItem, "HVH", "book")
	require.NoError(t, testkit.SQL(h).Exec(`UPDATE titles SET name = 'Tidal Mills of Nowhere: a History', author = 'Roswen Quist', isbn = '9780306406157', numbers = '0317-8471', year = 1998
		WHERE id = (SELECT title_id FROM items WHERE barcode = ?)`, barcode).Error)
	title := testkit.Text(t, h, "SELECT title_id::text FROM items WHERE barcode = ?", barcode)
	number := func(value, code string) []iso18626.ItemID { return []iso18626.ItemID{{Value: value, Code: code}} }
	for name, c := range map[string]struct {
		b      iso18626.Bibliographic
		fits   string
		answer string
	}{
		"ISBN of ten digits":  {iso18626.Bibliographic{Title: "Quite another", Items: number("0-306-40615-2", "ISBN")}, "Same ISBN or ISSN", "yes"},
		"ISSN":                {iso18626.Bibliographic{Title: "Quite another", Items: number("03178471", "ISSN")}, "Same ISBN or ISSN", "yes"},
		"our record":          {iso18626.Bibliographic{Title: "Quite another", RecordID: title}, "The record they found", "yes"},
		"title and author":    {iso18626.Bibliographic{Title: "Tidal Mills of Nowhere", Author: "Quist, R."}, "Same title and author", "yes"},
		"another explanation": {iso18626.Bibliographic{Title: "Tidal mills of nowhere: a novel", Author: "Quist"}, "Fits badly: another title", "look"},
		"another author":      {iso18626.Bibliographic{Title: "Tidal Mills of Nowhere", Author: "Ivo Brannock"}, "Fits badly: another author, Roswen Quist", "look"},
		"nothing":             {iso18626.Bibliographic{Title: "A Book That Nobody Wrote"}, "", "no"},
		"hostile":             {iso18626.Bibliographic{Title: "Tidal%_\\'; DROP TABLE titles", RecordID: "99999999999999999999"}, "", "no"},
	} {
		id := theyWant(t, h, "K-"+name, c.b)
		p := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Proposal, error) { return interlibrary.ProposalFor(a, id) })
		assert.Equal(t, c.answer, p.Answer, name)
		if c.fits == "" {
			assert.Empty(t, p.Copies, name)
			continue
		}
		require.NotEmpty(t, p.Copies, name)
		assert.Equal(t, c.fits, p.Copies[0].Fits, name)
	}
}

// The list by group, partner, words and branch agrees with what each request says of itself.
func TestTheListIsNarrowed(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	list := func(w interlibrarydb.Filter) []interlibrary.Request {
		return testkit.Do(t, h, caspar, func(a *act.Act) ([]interlibrary.Request, error) {
			rows, next, err := interlibrary.List(a, w, store.Page{Most: 1000})
			require.False(t, next.More)
			return rows, err
		})
	}
	all := list(interlibrarydb.Filter{Group: interlibrarydb.All})
	require.Greater(t, len(all), 50)
	counts := testkit.Do(t, h, caspar, interlibrary.Count)
	for _, c := range []struct {
		w    interlibrarydb.Filter
		is   func(r *interlibrary.Request) bool
		many int // as counted; below nothing: not counted
	}{
		{interlibrarydb.Filter{Group: interlibrarydb.Ours}, func(r *interlibrary.Request) bool { return r.OurMove }, counts.Ours},
		{interlibrarydb.Filter{Group: interlibrarydb.Theirs}, func(r *interlibrary.Request) bool { return !r.OurMove && !r.Stage.Ended() }, counts.Theirs},
		{interlibrarydb.Filter{Group: interlibrarydb.Late}, func(r *interlibrary.Request) bool { return r.Late != "" }, counts.Late},
		{interlibrarydb.Filter{Group: interlibrarydb.Ended}, func(r *interlibrary.Request) bool { return r.Stage.Ended() }, -1},
		{interlibrarydb.Filter{Group: interlibrarydb.All, Role: exchange.Supplying}, func(r *interlibrary.Request) bool { return r.Role == exchange.Supplying }, -1},
		{interlibrarydb.Filter{Group: interlibrarydb.All, Partner: all[0].PartnerID}, func(r *interlibrary.Request) bool { return r.PartnerID == all[0].PartnerID }, -1},
		{interlibrarydb.Filter{Group: interlibrarydb.All, Stage: exchange.There}, func(r *interlibrary.Request) bool { return r.Stage == exchange.There }, -1},
		{interlibrarydb.Filter{Group: interlibrarydb.All, Words: all[3].Number}, func(r *interlibrary.Request) bool { return r.Number == all[3].Number }, -1},
	} {
		var want, got []int64
		for k := range all {
			if c.is(&all[k]) {
				want = append(want, all[k].ID)
			}
		}
		for _, r := range list(c.w) {
			got = append(got, r.ID)
		}
		assert.ElementsMatch(t, want, got, "%+v", c.w)
		assert.NotEmpty(t, got, "%+v", c.w)
		if c.many >= 0 {
			assert.Equal(t, len(got), c.many, "%+v", c.w)
		}
	}
}

// lentTo lends a copy to Kelmouth under a number, and gives its request and barcode.
func lentTo(t *testing.T, h *act.House, who act.Actor, number string) (int64, string) {
	t.Helper()
	barcode := testkit.Text(t, h, testkit.FreeItem, "HVH", "book")
	id := theyWant(t, h, number, titleOf(t, h, barcode))
	testkit.Do(t, h, who, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true, Item: itemID(t, h, barcode)})
	})
	ship(t, h, who, barcode)
	return id, barcode
}

// What is overdue with a partner is told to them by the night, and again after a week; what they lose is billed to their account and ends
// the request, and comes back without a message.
func TestOverdueRecalledAndLostByThem(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	id, barcode := lentTo(t, h, caspar, "K-1")
	due := text("SELECT due::text FROM requests WHERE id = ?", id)
	day, err := calendar.ParseDate(due)
	require.NoError(t, err)
	told := func(kind string) string {
		return text("SELECT count(*)::text FROM exchanges WHERE request_id = ? AND kind = ?", id, kind)
	}
	for _, c := range []struct {
		after int
		times string
	}{{0, "0"}, {1, "1"}, {1, "1"}, {7, "1"}, {8, "2"}} {
		testkit.Do(t, h, act.Machine, func(a *act.Act) (int64, error) {
			_, ended, err := interlibrary.Remind(a, day.Add(c.after), 0)
			assert.True(t, ended)
			return 0, err
		})
		assert.Equal(t, c.times, told(exchange.Overdue), "%d days after", c.after)
	}
	r := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Recall(a, id, "A class needs it.")
	})
	assert.Equal(t, "Recalled by us, with them", r.Says)
	_, err = testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Recall(a, id, "") })
	assert.ErrorContains(t, err, "recalled already")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET price = 2000 WHERE barcode = ?", barcode).Error)
	lost := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.LostByThem(a, id, "They say so.") })
	assert.Equal(t, "Ended without return", lost.Says)
	said := lastSent(t, "K-1", text)
	assert.Equal(t, exchange.CompletedWithoutReturn, said.Status.Status)
	assert.Contains(t, said.Info.Note, "They say so. To be paid: ")
	assert.Equal(t, "lost true", text(`SELECT i.standing || ' ' || (p.balance >= 2000)::text FROM items i, patrons p JOIN partners n ON n.patron_id = p.id
		WHERE i.barcode = ? AND n.symbol = 'KELMOUTH'`, barcode))
	bringBack(t, h, caspar, barcode)
	assert.Equal(t, exchange.CompletedWithoutReturn, lastSent(t, "K-1", text).Status.Status, "they are not told that it came after all")
	_, err = testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.LostByThem(a, id, "") })
	assert.Error(t, err)
}

// Something of a lender's is packed and then gone; before that it can be unpacked. What happened to it is told without the patron's name.
func TestHomeInTwoSteps(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	row := struct {
		ID                   int64
		Barcode, Number, Who string
	}{}
	require.NoError(t, testkit.SQL(h).Raw(`SELECT r.id, i.barcode, r.number, p.legal_name AS who FROM requests r JOIN items i ON i.id = r.item_id JOIN patrons p ON p.id = r.patron_id
		WHERE r.role = 'requesting' AND r.stage = 'there' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) LIMIT 1`).Scan(&row).Error)
	require.NotZero(t, row.ID)
	report := func(note string) error {
		_, err := testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
			return interlibrary.ReportTrouble(a, row.ID, interlibrary.Trouble{What: "damaged", Note: note})
		})
		return err
	}
	require.ErrorContains(t, report("Coffee on page 3, by "+row.Who+"."), "The note names the patron")
	require.NoError(t, report("Coffee on page 3."))
	assert.Equal(t, "true", text("SELECT (body LIKE '%Damaged: Coffee on page 3.%')::text FROM exchanges WHERE request_id = ? ORDER BY id DESC LIMIT 1", row.ID))

	require.Equal(t, "packed", scan(t, h, caspar, row.Barcode).Kind)
	assert.Equal(t, "there", text("SELECT stage FROM requests WHERE id = ?", row.ID))
	back := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Unpack(a, row.ID) })
	assert.Equal(t, interlibrary.StepPack, back.Next)
	gone := ship(t, h, caspar, row.Barcode)
	assert.Equal(t, "In transit home", gone.Says)
	assert.Equal(t, "withdrawn", text("SELECT standing FROM items WHERE barcode = ?", row.Barcode))
	assert.Equal(t, "Nothing is packed here, so there is no paper to print.", func() string {
		_, err := testkit.Try(h, caspar, func(a *act.Act) (int, error) {
			p, err := interlibrary.Papers(a, nil)
			return len(p), err
		})
		return err.Error()
	}())
}

// A partner without a system is asked by email, and what they say is entered by hand: the request goes on as any other.
func TestAPartnerWithoutASystem(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE partners SET message_url = '', email = 'loans@kelmouth.example' WHERE symbol = 'KELMOUTH'").Error)
	r := ask(t, h)
	hear := func(id int64, heard partners.Heard) (*interlibrary.Request, error) {
		return testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Hear(a, id, heard) })
	}
	_, err := hear(r.ID, partners.Heard{Says: "LoanCompleted"})
	require.ErrorContains(t, err, "LoanCompleted cannot come while the request is asked")
	due := calendar.MakeDate(2026, 11, 20)
	got, err := hear(r.ID, partners.Heard{Says: "Loaned", Due: &due, Note: "By post today."})
	require.NoError(t, err)
	assert.Equal(t, []string{"In transit to us", "Fri 20 Nov", "By post today."}, []string{got.Says, got.Due, got.LastNote})
	received := scan(t, h, caspar, r.Number) // the number on the parcel
	assert.Equal(t, "received", received.Kind, received.Says)
	assert.Equal(t, calendar.Code("SLM"), received.Sign.Code)

	var kelmouth int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM partners WHERE symbol = 'KELMOUTH'").Scan(&kelmouth).Error)
	theirs := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Enter(a, partners.Theirs{Partner: kelmouth, Title: "Whatever", Numbers: "0-306-40615-2", Year: "1999"})
	})
	assert.Equal(t, []string{"New request", "9780306406157", "1999"}, []string{theirs.Says, theirs.Numbers, theirs.Year})
	assert.Regexp(t, `^KELMOUTH-\d{6}$`, theirs.Number)
	_, err = testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Enter(a, partners.Theirs{Partner: kelmouth, Title: "Whatever", Numbers: "978-0-306-40615-8"})
	})
	assert.ErrorContains(t, err, "the check digit is wrong", "a number is not left out in silence")
	gone, err := hear(theirs.ID, partners.Heard{Says: "Cancel"})
	require.NoError(t, err)
	assert.Equal(t, exchange.Withdrawn, gone.Stage)
}

// What happens to something while it is packed: the lender ends the request, or the loan is undone at a desk.
func TestPackedAndThen(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	barcode := text(testkit.FreeItem, "HVH", "book")
	id := theyWant(t, h, "K-1", titleOf(t, h, barcode))
	testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true, Item: itemID(t, h, barcode)})
	})
	require.Equal(t, "packed", scan(t, h, caspar, barcode).Kind)
	var loan int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT loan_id FROM requests WHERE id = ?", id).Scan(&loan).Error)
	testkit.Do(t, h, caspar, func(a *act.Act) (*desk.Undone, error) { return desk.Undo(a, loan) })
	_, err := testkit.Try(h, caspar, func(a *act.Act) ([]interlibrary.Request, error) { return interlibrary.HandOver(a, []int64{id}) })
	require.ErrorContains(t, err, "is no longer on loan to them")
	testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Unpack(a, id) })
	assert.Equal(t, "In transit to them", ship(t, h, caspar, barcode).Says)

	home := struct{ Barcode, Number string }{}
	require.NoError(t, testkit.SQL(h).Raw(`SELECT i.barcode, r.number FROM requests r JOIN items i ON i.id = r.item_id JOIN partners p ON p.id = r.partner_id
		WHERE r.role = 'requesting' AND r.stage = 'there' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id) LIMIT 1`).Scan(&home).Error)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE requests SET partner_id = (SELECT id FROM partners WHERE symbol = 'KELMOUTH') WHERE number = ?", home.Number).Error)
	require.Equal(t, "packed", scan(t, h, caspar, home.Barcode).Kind)
	ok, says, err := incoming(h, status(home.Number, exchange.LoanCompleted, ""))
	require.NoError(t, err)
	require.True(t, ok, says)
	assert.Equal(t, "done true", text("SELECT stage || ' ' || (packed_at IS NULL)::text FROM requests WHERE number = ?", home.Number))
}
