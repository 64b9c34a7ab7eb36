package people

import (
	"strings"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/notices"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
)

// Card is a patron as the desk sees them.
type Card struct {
	ID        int64             `json:"id"`
	Card      string            `json:"card"`
	Name      string            `json:"name"`
	LegalName string            `json:"legal_name"`
	Initials  string            `json:"initials"`
	Class     string            `json:"class"`
	Age       *int              `json:"age,omitempty"`
	Branch    string            `json:"branch"`
	Household string            `json:"household"`
	CardUntil string            `json:"card_until"`
	Standing  loan.Status       `json:"standing" enum:"active,inactive,excluded"`
	Notes     []Note            `json:"notes" doc:"On the card, those that show at every scan and quiet ones"`
	Missing   []person.Field    `json:"missing" doc:"Details that should be filled, and are not"`
	Stopped   string            `json:"stopped" doc:"Why they may look and not borrow; empty: they may"`
	Reason    string            `json:"standing_reason"`
	Pickup    calendar.Code     `json:"pickup" doc:"Where they fetch what they wait for, unless they say otherwise"`
	MayUse    []string          `json:"may_use" doc:"Who else may use the card or collect holds"`
	Internet  string            `json:"internet" enum:",none,filtered,full"`
	Photo     *bool             `json:"photo,omitempty" doc:"May be photographed; none: never asked"`
	Picture   string            `json:"picture" doc:"Where their photograph is; empty: there is none"`
	NoPicture string            `json:"no_picture" doc:"Why none is kept of them; empty: it may be"`
	Email     string            `json:"email"`
	Returned  bool              `json:"email_returned" doc:"Email to their address came back: none is sent there"`
	Phone     string            `json:"phone"`
	Language  string            `json:"language" doc:"Of messages; empty: the network's first"`
	Text      string            `json:"text" doc:"The number to which text messages go"`
	Address   string            `json:"address"`
	Owes      string            `json:"owes"`
	OwedLimit string            `json:"owed_limit" doc:"Empty: no limit"`
	Accrues   string            `json:"accrues" doc:"What is late would cost if it came back now, beside what is owed; empty: nothing"`
	Refunds   string            `json:"refunds" doc:"The refunds owed to them; empty: nothing"`
	Invoiced  bool              `json:"institution" doc:"Not a person: what it owes is invoiced"`
	Gives     string            `json:"gives" enum:"none,slip,mail,both,ask" doc:"What they get of what was lent to them"`
	Receipt   string            `json:"receipt" enum:",none,slip,mail,both" doc:"What they have chosen of that; empty: as the network has settled"`
	OnLoan    []Line            `json:"on_loan"`
	Loans     int               `json:"loans" doc:"How many are on loan; a role that sees a reduced card sees not all of them"`
	Reduced   bool              `json:"reduced" doc:"What the role does not need is left out"`
	Holds     []Held            `json:"holds"`
	Charges   []accounts.Charge `json:"charges"`
	Stops     []string          `json:"stops" doc:"Why nothing can be lent, one sentence each"`
	Tells     []Tell            `json:"tells" doc:"Good to tell the patron"`
	Older     *bool             `json:"older_reader,omitempty"`
	History   *int              `json:"history_months,omitempty" doc:"For how many months their history is kept; none: as the network has settled"`
	Shown     bool              `json:"history_seen" doc:"Staff may see their history"`
	Confirm   bool              `json:"confirm" doc:"To be asked whether the details are still right"`
	Confirmed string            `json:"confirmed" doc:"When they last said so; empty: never"`
	Ways      Ways              `json:"ways" doc:"By what way they are told of what"`
	AskBefore *bool             `json:"ask_before,omitempty" doc:"Lending asks first where they have had a title before; none: as the network has settled"`
	NoHistory string            `json:"no_history" doc:"Why that cannot work, in a sentence; empty: it works"`
	Asks      bool              `json:"asks" doc:"Whether lending asks so now"`
	Claims    Claims            `json:"claims" doc:"How often they have said so, counted from what was written down"`
	Elsewhere bool              `json:"elsewhere" doc:"Belongs to another branch than that where one works"`
	Merged    []string          `json:"merged" doc:"Other cards of theirs, whose records were merged into this one"`
	Extension string            `json:"extension" doc:"What extending the card would give and cost; empty: it has long to run"`
}

// Claims counts how often a patron has claimed to have returned a loan, or never to have had it.
type Claims struct {
	Returned int `json:"returned"`
	NeverHad int `json:"never_had"`
}

// Line is one loan.
type Line struct {
	LoanID   int64     `json:"loan_id"`
	ItemID   int64     `json:"item_id"`
	Barcode  string    `json:"barcode"`
	Title    string    `json:"title"`
	Owner    string    `json:"owner"`
	Call     string    `json:"call_number"`
	Material string    `json:"material"`
	Price    string    `json:"price"`
	Due      string    `json:"due" doc:"As people say it"`
	DueExact string    `json:"due_exact" doc:"A date, or an instant for an hour loan"`
	Period   string    `json:"period" doc:"Loan period in words"`
	Late     bool      `json:"late"`
	Lost     string    `json:"lost" doc:"Since when it counts as lost; empty: it does not"`
	LentAt   time.Time `json:"lent_at"`
	Renewals int       `json:"renewals"`
	Claimed  string    `json:"claimed" enum:",returned,never_had" doc:"What the patron says of it; empty: nothing"`
	Since    string    `json:"claimed_since" doc:"Since when, as people say it"`
	Accrues  string    `json:"accrues" doc:"What its lateness would cost if it came back now; empty: nothing"`
}

// Held is one hold of a patron.
type Held struct {
	ID      int64       `json:"id"`
	TitleID int64       `json:"title_id"`
	Title   string      `json:"title"`
	Pickup  string      `json:"pickup"`
	State   queue.State `json:"state" enum:"waiting,fetching,moving,ready,filled,cancelled,lapsed"`
	Says    string      `json:"says"`
	Here    bool        `json:"here" doc:"Waits on this branch's hold shelf"`
	Waiting int         `json:"waiting" doc:"Place among those who wait for the title; 0: waits no longer"`
	Paused  bool        `json:"paused" doc:"Waits again from a day on"`
	At      string      `json:"at" doc:"The code of the pickup branch"`
}

// Tell is something good to tell the patron.
type Tell struct {
	Tone string `json:"tone" enum:"late,ready,coming,note"`
	Head string `json:"head"`
	Text string `json:"text"`
}

// Open gives the card of a patron by id, and keeps that it was opened.
func Open(a *act.Act, id int64) (*Card, error) {
	if err := InHand(a, id); err != nil {
		return nil, err
	}
	facts, err := deskdb.FactsOfCard(a.Tx, id, "")
	if err != nil {
		return nil, err
	}
	if facts == nil || facts.Patron.ForgottenAt != nil {
		return nil, problem.NoSuch("patron")
	}
	Seen(a, Opened, id, "")
	return show(a, facts), nil
}

// OpenByNumber gives the card of a patron by card number; nil where nobody has it.
func OpenByNumber(a *act.Act, number string) (*Card, error) {
	facts, err := deskdb.FactsOfCard(a.Tx, 0, number)
	if err != nil || facts == nil {
		return nil, err
	}
	Seen(a, Scanned, facts.Patron.ID, "")
	return show(a, facts), nil
}

func show(a *act.Act, facts *deskdb.CardFacts) *Card {
	p := facts.Patron
	c := &Card{
		ID: p.ID, Card: p.Card, Name: p.Name(), LegalName: p.LegalName, Initials: initials(p.Name()),
		Class: a.Network.ClassName("patron", p.Class), Branch: a.Network.BranchName(p.BranchCode), Standing: p.Standing,
		Notes: []Note{}, Email: p.Email, Text: p.TextNumber, Language: p.Language, Returned: p.EmailReturned, Stopped: p.Stopped, Reason: p.StandingReason, MayUse: listed(p.MayUse),
		Pickup: PickupOf(p), Internet: p.Internet, Photo: p.Photo, Picture: pictureOf(a, p), NoPicture: noPhoto(a, p),
		Missing: []person.Field{}, Phone: p.Phone, Address: p.Address,
		Household: facts.Household,
		Owes:      a.Network.Money.Format(p.Balance), Older: p.OlderReader, Age: Borrower(a, p).Age,
		OnLoan: []Line{}, Holds: []Held{}, Charges: accounts.Show(a, facts.Charges), Stops: []string{}, Tells: []Tell{},
	}
	if until := store.DateOf(p.CardUntil); until != nil {
		c.CardUntil = a.SayDate(*until)
	}
	c.History, c.Shown, c.AskBefore = p.HistoryMonths, p.HistorySeen, p.AskBefore
	c.NoHistory, c.Asks = a.Network.Settled.NoHistory(p.HistoryMonths), a.Network.Settled.Asks(p.AskBefore, p.HistorySeen)
	c.Claims = Claims(facts.Claims)
	c.Ways, c.Elsewhere, c.Merged = waysOf(p), p.BranchCode != a.Who.Branch, listed(facts.Merged)
	c.Confirm = !p.Institution && person.ToConfirm(store.DateOf(p.ConfirmedOn), store.DateOf(p.JoinedOn), a.Today(),
		a.Network.Settled.Confirm)
	if on := store.DateOf(p.ConfirmedOn); on != nil {
		c.Confirmed = a.SayDate(*on)
	}
	c.Gives, c.Invoiced = a.Network.Settled.Counter.Gives(p.Receipt, p.Email != ""), p.Institution
	if p.Receipt != nil {
		c.Receipt = *p.Receipt
	}
	if facts.Refunds > 0 {
		c.Refunds = a.Network.Money.Format(facts.Refunds)
	}
	c.Loans, c.Reduced = len(facts.Loans), sight.OfPatron(a.Who.Role) == sight.Reduced
	c.loans(a, facts.Loans)
	c.holds(a, facts.Holds)
	c.rules(a, facts)
	c.notes(a, facts)
	c.reduce(a, facts)
	return c
}

// Note is a note on a card.
type Note struct {
	ID   int64     `json:"id"`
	Kind string    `json:"kind" doc:"Its name"`
	Text string    `json:"text"`
	Loud bool      `json:"loud" doc:"Shows at every scan of the card"`
	At   time.Time `json:"at"`
	Who  string    `json:"who"`
}

// notes adds what is noted on the card, and which details are due.
func (c *Card) notes(a *act.Act, facts *deskdb.CardFacts) {
	for _, n := range facts.Notes {
		note := Note{ID: n.ID, Kind: n.Kind, Text: n.Text, At: n.At, Loud: true}
		for _, choice := range a.Network.Choices {
			if choice.List == "note" && choice.Code == n.Kind {
				note.Kind, note.Loud = choice.Name, choice.Loud
			}
		}
		if n.Who != nil {
			note.Who = *n.Who
		}
		c.Notes = append(c.Notes, note)
		if note.Loud {
			c.Tells = append(c.Tells, Tell{"note", note.Kind, n.Text})
		}
	}
	r := RecordOf(facts.Patron)
	if missing := r.Missing(a.Network.Settled.Fields, a.Today()); missing != nil {
		c.Missing = missing
	}
	if facts.Patron.EmailReturned {
		c.Tells = append(c.Tells, Tell{"note", "Email returned", "Email to this address came back. Ask for the correct one."})
	}
	if facts.Patron.MailReturned {
		c.Tells = append(
			c.Tells,
			Tell{"note", "Letters returned", "Letters to this address were returned. Ask for the correct one."},
		)
	}
}

func listed(texts []string) []string {
	if texts == nil {
		return []string{}
	}
	return texts
}

// rules adds what rules say of the patron, whatever is lent.
func (c *Card) rules(a *act.Act, facts *deskdb.CardFacts) {
	p := facts.Patron
	at := rulebook.Situate(a.Who.Branch, "", "", "", p.Class)
	terms := a.Book.Decide(at, nil)
	if limit := terms.Value(rulebook.OwedLimit); !limit.Null() {
		c.OwedLimit = a.Network.Money.Format(limit.Amount())
	}
	var open []circulation.OnLoan
	for k := range facts.Loans {
		open = append(
			open,
			circulation.OnLoan{
				Branch: a.Network.Timetable.Branches[facts.Loans[k].BranchCode].Branch,
				Due:    facts.Loans[k].Due(),
			},
		)
	}
	b := circulation.Count(Borrower(a, p), open, "", a.Now)
	for _, stop := range circulation.StopsOfPatron(a.Book.Rulebook, at, b, a.Today(), a.Style()) {
		c.Stops = append(c.Stops, stop.Text)
	}
	if until := store.DateOf(p.CardUntil); loan.MayExtend(until, a.Today()) {
		c.Extension = "until " + a.SayDate(loan.Extended(until, a.Today(), terms.Value(rulebook.MembershipLength).Number()))
		if charge := terms.Value(rulebook.MembershipCharge).Amount(); charge > 0 {
			c.Extension += ", for " + a.Network.Money.Say(charge)
		}
	}
}

func (c *Card) loans(a *act.Act, rows []loansdb.LoanShown) {
	var accrued money.Amount
	defer func() {
		if accrued > 0 {
			c.Accrues = a.Network.Money.Format(accrued)
		}
	}()
	for k := range rows {
		line := ShowLoan(a, &rows[k])
		if sum, err := lent.Accrued(a, &rows[k]); err == nil && sum > 0 {
			line.Accrues = a.Network.Money.Format(sum)
			accrued += sum
		}
		c.OnLoan = append(c.OnLoan, line)
		switch {
		case line.Late && line.Lost != "":
			c.Tells = append(
				c.Tells,
				Tell{"late", "Marked lost: " + line.Title, "Was due " + line.Due + ", lost since " + line.Lost + "."},
			)
		case line.Late:
			c.Tells = append(c.Tells, Tell{"late", "Late: " + line.Title, "Was due " + line.Due + "."})
		}
	}
}

// ShowLoan writes an open loan for people.
func ShowLoan(a *act.Act, l *loansdb.LoanShown) Line {
	b := a.Network.Timetable.Branches[l.BranchCode].Branch
	due := l.Due()
	line := Line{
		LoanID: l.ID, ItemID: l.ItemID, Barcode: l.Barcode, Title: l.TitleName,
		Owner: a.Network.BranchName(l.HomeBranch),
		Call:  l.CallNumber, Material: a.Network.ClassName("material", l.Material), LentAt: l.LentAt,
		Renewals: l.Renewals,
		Due:      due.Near(b, a.Today()), DueExact: due.Print(b), Late: due.Late(b, a.Now),
	}
	if l.LostAt != nil {
		line.Lost = a.SayDate(b.Date(*l.LostAt))
	}
	if l.Claimed != nil && l.ClaimedAt != nil {
		line.Claimed, line.Since = *l.Claimed, a.SayDate(b.Date(*l.ClaimedAt))
	}
	if l.Price != nil {
		line.Price = a.Network.Money.Format(*l.Price)
	}
	return line
}

func (c *Card) holds(a *act.Act, rows []holdsdb.HoldShown) {
	for k := range rows {
		h := &rows[k]
		held := Held{
			ID:      h.ID,
			TitleID: h.TitleID,
			Title:   h.TitleName,
			Pickup:  a.Network.BranchName(h.Pickup),
			State:   h.State,
			Says:    SayHold(a, &h.Hold),
			Waiting: h.Waiting,
			Paused:  h.PausedUntil != nil,
			At:      string(h.Pickup),
		}
		held.Here = h.State == queue.Ready && h.Pickup == a.Who.Branch
		c.Holds = append(c.Holds, held)
		switch {
		case h.State == queue.Ready:
			c.Tells = append(c.Tells, Tell{"ready", "Ready: " + held.Title, held.Says + "."})
		case h.PromisedAt != nil:
			c.Tells = append(c.Tells, Tell{"coming", "Coming: " + held.Title, held.Says + "."})
		}
	}
}

// SayHold says how a hold stands.
func SayHold(a *act.Act, h *holdsdb.Hold) string {
	place := a.Network.BranchName(h.Pickup)
	text := ""
	switch h.State {
	case queue.Ready:
		last := *store.DateOf(h.ShelfUntil)
		if last < a.Today() {
			return "Still on the hold shelf at " + place + "; it was kept until " + a.SayDate(last)
		}
		return "On the hold shelf at " + place + " until " + a.SayDate(last)
	case queue.Moving:
		text = "In transit to " + place
	case queue.Fetching:
		text = "Being fetched for " + place
	default:
		if h.PausedUntil != nil {
			return "Paused until " + a.SayDate(*store.DateOf(h.PausedUntil)) + ", pickup at " + place
		}
		return "Waiting for a copy, pickup at " + place
	}
	if h.PromisedAt != nil {
		text += ", on the shelf by " + a.Network.SayInstant(*h.PromisedAt)
	}
	return text
}

// Borrower gives the facts of a patron that decide whether they can borrow; the caller adds what they have on loan.
func Borrower(a *act.Act, p *peopledb.Patron) loan.Borrower {
	b := loan.Borrower{
		Standing: p.Standing, CardUntil: store.DateOf(p.CardUntil), Owes: p.Balance,
		Disputed: p.Disputed, Invoiced: p.Institution, Year: loan.YearOf(p.SchoolYear),
		Consent: p.OlderReader, Stopped: p.Stopped, Reason: p.StandingReason,
	}
	if born := store.DateOf(p.Born); born != nil {
		age := loan.AgeOn(*born, a.Today())
		b.Age = &age
	}
	return b
}

// Extend extends a patron's card by the length of a membership, and charges for it where rules say so.
func Extend(a *act.Act, id int64) (*Card, error) {
	row, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	p, err := InUse(row)
	if err != nil {
		return nil, err
	}
	until := store.DateOf(p.CardUntil)
	if !loan.MayExtend(until, a.Today()) {
		return nil, problem.Newf(problem.Refused, "This card is valid for a long time yet. Renew it when it is about to expire.")
	}
	at := rulebook.Situate(a.Who.Branch, "", "", "", p.Class)
	terms := a.Book.Decide(at, nil)
	to := loan.Extended(until, a.Today(), terms.Value(rulebook.MembershipLength).Number())
	peopledb.CardUntil(a.Tx, id, to.UTC())
	a.Tell(event.Event{Kind: event.CardExtended, Patron: id, Detail: event.Detail{Day: &to}})
	trace := a.Book.Why(at, nil, rulebook.MembershipCharge)
	charge := accountsdb.Entry{
		PatronID: id,
		Amount:   terms.Value(rulebook.MembershipCharge).Amount(),
		About:    ledger.AboutMembership,
		Why:      store.JSON(&trace),
	}
	if err := accounts.Put(a, &charge, 0); err != nil {
		return nil, err
	}
	if err := notices.CardExtended(a, p); err != nil {
		return nil, err
	}
	return Open(a, id)
}

func initials(name string) string {
	out := ""
	for _, word := range strings.Fields(name) {
		out += string([]rune(word)[:1])
	}
	if r := []rune(out); len(r) > 2 {
		return string(r[0]) + string(r[len(r)-1])
	}
	return out
}
