// Package settings holds what a network has settled beside its rules and calendars: when a station asks who is there, who
// may go how far without asking somebody, and how long what is kept stays.
package settings

import (
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/core/role"
	"nevrin/core/speech"
)

// Settings are all of it. What a network has not settled is as in Usual.
type Settings struct {
	IdleMinutes int            `json:"idle_minutes" minimum:"0" maximum:"720" doc:"After so long without a hand on it, a shared station asks who is there; 0: never"`
	Second      []role.Role    `json:"second_factor" maxItems:"10" nullable:"false" doc:"Roles whose people need a second factor to sign in"`
	Limits      Limits         `json:"limits"`
	Keep        Keep           `json:"keep"`
	AskBefore   bool           `json:"ask_before" doc:"Lending asks first where a patron has had the title before, unless they chose otherwise"`
	SignUps     SignUps        `json:"sign_ups"`
	OneAddress  bool           `json:"one_address" doc:"A household has one address: written anew for one of them it holds for all who had the old one"`
	Confirm     int            `json:"confirm_months" minimum:"0" maximum:"120" doc:"After so many months a scan of the card asks whether the details are still right; 0: never"`
	Records     Records        `json:"records" doc:"The service that is asked for records of titles"`
	Mail        Mail           `json:"mail" doc:"From whom email to patrons comes"`
	Notices     Notices        `json:"notices" doc:"When messages to patrons leave, and what they name"`
	Counter     Counter        `json:"counter" doc:"How lending and taking back go"`
	Money       Money          `json:"money" doc:"How money is taken and booked"`
	Holds       Holds          `json:"holds" doc:"Who is next, and how holds are fetched and sent"`
	Outside     Outside        `json:"outside" doc:"Lending to and borrowing from libraries outside"`
	Guardians   bool           `json:"guardians" doc:"On their own page, those who answer for children see what these have on loan, wait for and owe"`
	Fields      person.Needs   `json:"fields" doc:"Whether fields of the form for patrons must, should or may be filled, or are hidden"`
	Style       calendar.Style `json:"style" doc:"How dates and times are written"`
}

// Records is the service that is asked for records of titles; without an address there is none.
type Records struct {
	Name    string `json:"name" maxLength:"100"`
	Address string `json:"address" maxLength:"300" doc:"Over SRU, such as https://records.example/sru"`
	Covers  string `json:"covers" maxLength:"300" doc:"Of pictures; {isbn} stands for the number"`
}

// check tells what is wrong with it.
func (r Records) check() error {
	for what, address := range map[string]string{"records": r.Address, "pictures": r.Covers} {
		if address == "" {
			continue
		}
		at, err := url.Parse(address)
		if err != nil || at.Host == "" || at.Scheme != "https" && at.Scheme != "http" {
			return expect.Errorf(
				"one that begins with https:// or http:// and names a host",
				"the address %q for %s",
				address,
				what,
			)
		}
	}
	switch {
	case r.Address != "" && r.Name == "":
		return expect.Errorf("what people call it", "a service for records without a name")
	case r.Covers != "" && !strings.Contains(r.Covers, "{isbn}"):
		return expect.Errorf("{isbn} where the number stands", "the address %q for pictures", r.Covers)
	}
	return nil
}

// Mail is from whom email to patrons comes; without a sender none goes.
type Mail struct {
	Sender string `json:"sender" maxLength:"200" doc:"The address that email comes from; empty: none is sent"`
	Reply  string `json:"reply" maxLength:"200" doc:"Where answers go; empty: to the sender"`
}

// check tells what is wrong with it.
func (m Mail) check() error {
	for what, address := range map[string]string{"email comes from": m.Sender, "answers go to": m.Reply} {
		if address != "" && !person.PlainMail(address) {
			return expect.Errorf("one such as notices@library.example", "the address %q that %s", address, what)
		}
	}
	if m.Reply != "" && m.Sender == "" {
		return expect.Errorf("one too", "an address for answers without a sender")
	}
	return nil
}

// Notices are when messages to patrons leave, and what they name.
type Notices struct {
	Hours  plan.Hours `json:"hours" doc:"Messages leave between these times alone"`
	Gather int        `json:"gather_minutes" minimum:"0" maximum:"240" doc:"What somebody is told as it happens waits so long for more, so that it is one message"`
	Page   string     `json:"page" maxLength:"300" doc:"The address of the patrons' own page, as messages name it; empty: they name none"`

	PerMinute  int      `json:"per_minute" minimum:"0" maximum:"100000" doc:"Each copy of the program sends at most so many emails and text messages a minute; 0: without limit"`
	TextSender string   `json:"text_sender" maxLength:"20" doc:"The number or name that text messages come from; empty: none are sent"`
	Country    string   `json:"country" maxLength:"2" doc:"Of telephone numbers that name none, a code of ISO 3166-1; empty: numbers for text messages must begin with + and the country"`
	Languages  []string `json:"languages" minItems:"1" maxItems:"10" nullable:"false" doc:"In which patrons are written to and see their own pages, codes of ISO 639-1; the first is used where a patron has chosen none"`
}

// check tells what is wrong with it.
func (n Notices) check() error {
	if n.Gather < 0 || n.Gather > 240 {
		return expect.Errorf("from 0 to 240", "%d minutes in which messages are put together", n.Gather)
	}
	if at, err := url.Parse(n.Page); n.Page != "" && (err != nil || at.Host == "" || at.Scheme != "https" && at.Scheme != "http") {
		return expect.Errorf("one that begins with https:// or http:// and names a host", "the address %q for the patrons' page", n.Page)
	}
	if n.PerMinute < 0 {
		return expect.Errorf("0 or more", "%d messages a minute", n.PerMinute)
	}
	if n.Country != "" && !isCountry.MatchString(n.Country) {
		return expect.Errorf("a code of ISO 3166-1 such as CA", "the country %q", n.Country)
	}
	for k, l := range n.Languages {
		if !speech.Known(l) {
			return expect.Errorf("en or fr", "the language %q", l)
		}
		if slices.Contains(n.Languages[:k], l) {
			return expect.Errorf("each once", "the language %q twice", l)
		}
	}
	if len(n.Languages) == 0 {
		return expect.Errorf("at least one", "a network without a language")
	}
	return n.Hours.Check()
}

var isCountry = regexp.MustCompile(`^[A-Z]{2}$`)

// Limits are what staff can do without asking a supervisor.
type Limits struct {
	Waive    map[role.Role]*money.Amount   `json:"waive" doc:"The most that a role waives at once, in minor units; null: without limit"`
	BackDays int                           `json:"back_days" minimum:"0" maximum:"60" doc:"How many days before the last open day a return may count by who does not supervise"`
	LetOff   int                           `json:"let_off" minimum:"0" maximum:"60" doc:"How many days of lateness are let off at the desk by who does not supervise"`
	Past     map[loan.StopKind][]role.Role `json:"past" doc:"Who beside those who supervise may lend past a stop"`
	Classes  bool                          `json:"classes" doc:"Supervisors add and change patron and material classes too"`
	Consents []role.Role                   `json:"consents" maxItems:"10" nullable:"false" doc:"Who beside those who supervise changes a consent that has been given"`
}

// Counter are the settings of the desk and of returns.
type Counter struct {
	Staged    bool      `json:"staged" doc:"Loans are reviewed before they are made; otherwise each scan lends at once"`
	Receipt   string    `json:"receipt" enum:"none,slip,mail,both,ask" doc:"What somebody gets of what was lent to them, where they have chosen nothing"`
	Collect   string    `json:"collect" enum:"nobody,named,household" doc:"Who may fetch what waits for somebody else: those whom they have named, or their household too"`
	DueOthers bool      `json:"due_others" doc:"Due dates are set by hand of items and patrons of other branches too"`
	Photos    bool      `json:"photos" doc:"Photographs of patrons are kept, so that a borrowed card is noticed"`
	LastLook  bool      `json:"last_look" doc:"Finishing a returns run shows its piles to be ticked off"`
	Slips     []string  `json:"slips" maxItems:"5" nullable:"false" doc:"Where what came back goes, for the slips that print by themselves: hold_shelf, tote, outside, aside"`
	Bin       Situation `json:"bin" doc:"What is shown while a bin is emptied"`
	Patron    Situation `json:"patron" doc:"What is shown while a patron is there"`
}

// Situation says what staff are told and what is listed in one of the two ways of taking back: from a bin, or with the patron.
type Situation struct {
	Lines   int      `json:"lines" minimum:"1" maximum:"100" doc:"How many lines are shown at once"`
	Columns []string `json:"columns" maxItems:"10" nullable:"false" doc:"Beside time, item and where it goes: owner, call, found, account, who"`
	Waits   bool     `json:"waits" doc:"What waits for the patron of a line is told"`
	Rest    bool     `json:"rest" doc:"What the patron of a line still has is told"`
}

// What may be listed of a line that came back, and what may be given at the end.
var (
	columns  = []string{"owner", "call", "found", "account", "who"}
	receipts = []string{"none", "slip", "mail", "both", "ask"}
	collects = []string{"nobody", "named", "household"}
	goesTo   = []string{"hold_shelf", "tote", "outside", "aside"}
)

// check tells what is wrong with it.
func (c Counter) check() error {
	for _, one := range []struct {
		what, is string
		of       []string
	}{{"what is given at the end", c.Receipt, receipts}, {"who may fetch", c.Collect, collects}} {
		if !slices.Contains(one.of, one.is) {
			return expect.Errorf(fmt.Sprintf("one of %v", one.of), "%q for %s", one.is, one.what)
		}
	}
	for _, s := range c.Slips {
		if !slices.Contains(goesTo, s) {
			return expect.Errorf(fmt.Sprintf("one of %v", goesTo), "slips for %q", s)
		}
	}
	for _, s := range []Situation{c.Bin, c.Patron} {
		if s.Lines < 1 || s.Lines > 100 {
			return expect.Errorf("from 1 to 100", "%d lines at once", s.Lines)
		}
		for _, column := range s.Columns {
			if !slices.Contains(columns, column) {
				return expect.Errorf(fmt.Sprintf("one of %v", columns), "the column %q", column)
			}
		}
	}
	return nil
}

// Gives says what receipt somebody gets for their loans: as they have chosen, nil for nothing, or as the network has settled. Who has
// no email address gets a slip instead of mail.
func (c Counter) Gives(chosen *string, mail bool) string {
	what := c.Receipt
	if chosen != nil {
		what = *chosen
	}
	if !mail && (what == "mail" || what == "both") {
		return "slip"
	}
	return what
}

// Money are the settings of payments and tills.
type Money struct {
	Till     bool                      `json:"till" doc:"Money is taken only into a till that has been opened"`
	AskDaily bool                      `json:"ask_daily" doc:"A station that takes money asks once a day which till it goes into"`
	Blind    bool                      `json:"blind" doc:"Tills are counted before it is shown what should lie in them; supervisors see it"`
	Days     int                       `json:"invoice_days" minimum:"0" maximum:"365" doc:"How many days after its date an invoice is due"`
	Sender   string                    `json:"invoice_sender" maxLength:"500" doc:"Who sends invoices: name, address, registration, a line each"`
	Foot     string                    `json:"invoice_foot" maxLength:"500" doc:"How to pay, at the foot of invoices"`
	Accounts map[ledger.Account]string `json:"accounts" doc:"The network's own numbers of the accounts of the books"`
}

// check tells what is wrong with it.
func (m Money) check() error {
	if m.Days < 0 || m.Days > 365 {
		return expect.Errorf("from 0 to 365", "%d days for an invoice", m.Days)
	}
	for a, number := range m.Accounts {
		switch {
		case !slices.Contains(ledger.Accounts, a):
			return expect.Errorf(fmt.Sprintf("one of %v", ledger.Accounts), "the account %q", a)
		case len(number) > 40:
			return expect.Errorf("up to 40 signs", "a number of the account %q with %d signs", a, len(number))
		}
	}
	return nil
}

// SignUps is whether people sign up by themselves, and what they may until somebody has looked at them.
type SignUps struct {
	Open     bool `json:"open" doc:"There is a page on which people sign up by themselves"`
	Contact  bool `json:"contact" doc:"Who signs up writes down a phone number or an email address"`
	CardDays int  `json:"card_days" minimum:"0" maximum:"90" doc:"For how many days a temporary card holds, which may look and place holds, and not borrow; 0: there is none"`
}

// Asks tells whether lending asks where a patron has had a title before, by what the network has settled and the patron chosen. Who lets
// no staff see their history, and has not asked for it, is not asked: the question tells of it.
func (s *Settings) Asks(chosen *bool, seen bool) bool {
	if chosen != nil {
		return *chosen
	}
	return s.AskBefore && seen
}

// NoHistory says why asking for what somebody has had before does not work for them; empty: it does. Months is what the patron has
// chosen of how long their history is kept; nil: as the network has settled.
func (s *Settings) NoHistory(months *int) string {
	kept := months
	if kept == nil {
		kept = s.Keep.History
	}
	switch {
	case kept == nil || *kept > 0:
		return ""
	case months != nil:
		return "It cannot work: they have chosen that no history of theirs is kept."
	}
	return "It cannot work: the network keeps no history unless a patron chooses that theirs is kept."
}

// Keep says how long personal data are kept, in months, and the answers to repeated requests, in days.
type Keep struct {
	History  *int `json:"history" minimum:"0" maximum:"1200" doc:"Who had which item, after its return and the end of what it cost, where the patron has chosen nothing; null: without limit"`
	Holds    int  `json:"holds" minimum:"1" maximum:"120" doc:"Holds that have ended"`
	Messages int  `json:"messages" minimum:"1" maximum:"120" doc:"What patrons were told"`
	Readings int  `json:"readings" minimum:"1" maximum:"120" doc:"Who opened whose record"`
	Answers  int  `json:"answers" minimum:"1" maximum:"60" doc:"Answers that a repeated request is given again, in days"`
}

// Usual are the defaults.
func Usual() Settings {
	five, twenty := money.Amount(500), money.Amount(2000)
	month := 1
	return Settings{
		IdleMinutes: 30, Second: []role.Role{}, OneAddress: true,
		Limits: Limits{
			Waive: map[role.Role]*money.Amount{
				role.Desk: &five, role.Interlibrary: &five, role.Supervisor: &twenty, role.Administrator: nil,
			},
			BackDays: 3, LetOff: 3, Consents: []role.Role{},
			Past: map[loan.StopKind][]role.Role{},
		},
		Counter: Counter{
			Receipt: "ask", Collect: "named", LastLook: true, Slips: []string{"hold_shelf"},
			Bin:    Situation{Lines: 20, Columns: []string{"found", "account"}},
			Patron: Situation{Lines: 20, Columns: []string{"found", "account"}, Waits: true, Rest: true},
		},
		Money:   Money{Days: 30, Accounts: map[ledger.Account]string{}},
		Outside: Outside{Statement: usualStatement},
		Holds: Holds{
			Order: queue.Order{First: []string{}, Last: []string{}}, FetchMost: map[string]int{}, RoundMinutes: 180,
			PerCopy: 5, Remind: 2, Missing: 15,
		},
		Fields: person.Needs{}, Style: calendar.UsualStyle, Notices: Notices{Languages: []string{string(speech.English)}},
		Keep: Keep{History: &month, Holds: 6, Messages: 6, Readings: 12, Answers: 2},
	}
}

// Read reads what a network has settled; what it has not settled is as usual.
func Read(data []byte) (Settings, error) {
	s := Usual()
	if err := json.Unmarshal(data, &s); err != nil {
		return s, fmt.Errorf("settings: %w", err)
	}
	return s, s.Check()
}

// Check tells what is wrong with settings.
func (s *Settings) Check() error {
	if s.IdleMinutes != 0 && s.IdleMinutes < shortestIdle {
		right := fmt.Sprintf("0 for never, or %d and more", shortestIdle)
		return expect.Errorf(right, "a rest of %d minutes for stations", s.IdleMinutes)
	}
	if err := s.Fields.Check(); err != nil {
		return err
	}
	if err := s.Style.Check(); err != nil {
		return err
	}
	if err := s.Records.check(); err != nil {
		return err
	}
	if err := s.Notices.check(); err != nil {
		return err
	}
	if err := s.Mail.check(); err != nil {
		return err
	}
	if err := s.Counter.check(); err != nil {
		return err
	}
	if err := s.Money.check(); err != nil {
		return err
	}
	if err := s.Holds.check(); err != nil {
		return err
	}
	for _, r := range slices.Concat(s.Second, s.Limits.Consents) {
		if _, err := role.Parse(string(r)); err != nil {
			return err
		}
	}
	for r, most := range s.Limits.Waive {
		if _, err := role.Parse(string(r)); err != nil {
			return err
		}
		if most != nil && *most < 0 {
			return expect.Errorf("a sum of 0 or more", "a limit for waiving of %d", *most)
		}
	}
	for stop, roles := range s.Limits.Past {
		if !slices.Contains(loan.StopKinds, stop) {
			return expect.Errorf(fmt.Sprintf("one of %v", loan.StopKinds), "the stop %q", stop)
		}
		for _, r := range roles {
			if _, err := role.Parse(string(r)); err != nil {
				return err
			}
		}
	}
	return nil
}

// NeedsSecond tells whether people of a role need a second factor.
func (s *Settings) NeedsSecond(r role.Role) bool { return slices.Contains(s.Second, r) }

// shortestIdle is the shortest rest, in minutes, after which a station may ask who is there: it hears of hands on it less
// often than that.
const shortestIdle = 5
