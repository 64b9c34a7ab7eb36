package people

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/rulebook"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
)

// Form are the choices and rules that the form for patrons needs.
type Form struct {
	Needs      person.Needs  `json:"needs" doc:"Whether a field must, should or may be filled, or is hidden"`
	Classes    []ClassChoice `json:"classes" doc:"The patron classes that this branch offers"`
	Marks      []string      `json:"marks" doc:"Free classifications"`
	Notes      []NoteKind    `json:"note_kinds"`
	Prices     []Price       `json:"prices" doc:"The price list of charges by hand"`
	Branch     calendar.Code `json:"branch" doc:"Where one works, which is the home branch unless another is chosen"`
	OneAddress bool          `json:"one_address" doc:"A household has one address, unless somebody says otherwise"`
	Consents   bool          `json:"consents" doc:"May change a consent that has been given"`
}

// ClassChoice is a patron class to choose.
type ClassChoice struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// Price is an entry of the price list for manual charges.
type Price struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Amount string `json:"amount"`
}

// NoteKind is a kind of note.
type NoteKind struct {
	Code string `json:"code"`
	Name string `json:"name"`
	Loud bool   `json:"loud" doc:"Shows at every scan of the card"`
}

// LookAtForm gives what the form for patrons needs to know.
func LookAtForm(a *act.Act) (*Form, error) {
	f := &Form{
		Needs: a.Network.Settled.Fields.All(), Classes: []ClassChoice{}, Marks: []string{}, Notes: []NoteKind{},
		Prices:   []Price{},
		Branch:   a.Who.Branch,
		Consents: a.May().MayChangeConsents(), OneAddress: a.Network.Settled.OneAddress,
	}
	for _, c := range offered(a) {
		f.Classes = append(f.Classes, ClassChoice{c.Code, a.Network.ClassName("patron", c.Code)})
	}
	for _, c := range a.Network.Choices {
		switch {
		case c.Retired:
		case c.List == "mark":
			f.Marks = append(f.Marks, c.Name)
		case c.List == "charge":
			f.Prices = append(f.Prices, Price{c.Code, c.Name, a.Network.Money.Format(*c.Amount)})
		case c.List == "note":
			f.Notes = append(f.Notes, NoteKind{c.Code, c.Name, c.Loud})
		}
	}
	return f, nil
}

// classes are the patron classes as registering asks about them.
func classes(a *act.Act) []person.Class {
	var out []person.Class
	for _, c := range a.Network.Classes {
		if c.Kind == "patron" {
			out = append(out,
				person.Class{
					Code: c.Code, FromAge: c.FromAge, ToAge: c.ToAge, Next: c.Next, Branches: c.Branches,
					Retired: c.Retired,
				})
		}
	}
	return out
}

// offered are those that the branch where one works offers.
func offered(a *act.Act) []person.Class {
	return slices.DeleteFunc(classes(a), func(c person.Class) bool { return !c.Offered(a.Who.Branch) })
}

func isOffered(a *act.Act, code string) bool {
	return slices.ContainsFunc(offered(a), func(c person.Class) bool { return c.Code == code })
}

// Likely is somebody who may be the same person.
type Likely struct {
	Found
	Why  string `json:"why" doc:"What is alike, in words"`
	Same bool   `json:"same" doc:"Nearly surely the same person: look before registering"`
	Born string `json:"born" doc:"As people say it; empty: not known"`
}

// mostLikely is how many are shown.
const mostLikely = 8

// Known is what follows from the fields filled in so far, such as the class by age.
type Known struct {
	Likely []Likely `json:"likely" doc:"Who may be the same person, the likeliest first"`
	Age    *int     `json:"age,omitempty"`
	Minor  bool     `json:"minor" doc:"Somebody has to answer for them"`
	Class  string   `json:"class" doc:"The patron class that is proposed for their age; empty: none"`
	Misfit string   `json:"misfit" doc:"That the class that was chosen is not for their age, in a sentence; empty: it is"`
}

// Alike gives those who may be one person with who is being written down, and the class that is proposed.
func Alike(a *act.Act, r person.Record, class string, but int64) (*Known, error) {
	r.Tidy()
	words := strings.TrimSpace(r.LegalName + " " + r.Email + " " + r.Phone)
	if words != "" {
		Seen(a, Searched, 0, words)
	}
	likely, err := alike(a, r, but)
	k := &Known{Likely: likely, Minor: r.Minor(a.Today())}
	if r.Born != nil && *r.Born <= a.Today() {
		k.Age = new(loan.AgeOn(*r.Born, a.Today()))
		k.Class = person.Propose(offered(a), *k.Age)
		k.Misfit = person.Misfit(offered(a), class, *k.Age)
	}
	return k, err
}

func alike(a *act.Act, r person.Record, but int64) ([]Likely, error) {
	s := peopledb.Sought{
		Name: strings.Join(
			person.Plain(r.LegalName),
			" ",
		), Email: strings.ToLower(r.Email), PhoneTail: person.PhoneTail(r.Phone),
		But: but,
	}
	if r.Born != nil {
		s.Born = store.Column(*r.Born)
	}
	if scan := a.Network.Numbers.Read(r.Card); scan.Kind == ident.Card {
		s.Card = scan.Number
	}
	rows, err := peopledb.LookAlike(a.Tx, s)
	if err != nil {
		return nil, err
	}
	type ranked struct {
		likeness person.Likeness
		Likely
	}
	var list []ranked
	for k := range rows {
		p := &rows[k]
		how, why := person.Compare(
			who(r.LegalName, r.Born, r.Email, r.Phone),
			who(p.LegalName, store.DateOf(p.Born), p.Email, p.Phone),
		)
		if s.Card != "" && p.Card == s.Card {
			how, why = person.Same, "has this card"
		}
		if how == person.Different {
			continue
		}
		l := Likely{Found: Show(a, p), Why: why, Same: how == person.Same}
		if born := store.DateOf(p.Born); born != nil {
			l.Born = a.SayDate(*born)
		}
		list = append(list, ranked{how, l})
	}
	slices.SortStableFunc(list, func(x, y ranked) int { return int(y.likeness - x.likeness) })
	out := []Likely{}
	for _, l := range list[:min(len(list), mostLikely)] {
		out = append(out, l.Likely)
	}
	return out, nil
}

func who(name string, born *calendar.Date, email, phone string) person.Who {
	return person.Who{Name: name, Born: born, Email: email, Phone: phone}
}

// Joining is somebody to be registered.
type Joining struct {
	person.Record
	With   int64    `json:"with,omitempty" doc:"A patron whose household they belong to"`
	Agreed []Agreed `json:"agreed,omitempty" maxItems:"3" nullable:"false" doc:"What they, or their guardian, have answered"`
	Anyway []int64  `json:"anyway,omitempty" maxItems:"50" nullable:"false" doc:"Those who look like the same person, and are not, as whoever asks has seen"`
}

// Written is a record as it stands, with the card.
type Written struct {
	Card     *Card         `json:"card"`
	Record   person.Record `json:"record"`
	Revision int           `json:"revision"`
	Members  []Member      `json:"members" doc:"The others of the household"`
	Guardian string        `json:"guardian" doc:"The name of the patron who answers for them"`
	Minor    bool          `json:"minor" doc:"Somebody has to answer for them"`
}

// Member is one of a household.
type Member struct {
	Found
	AnswersForAll bool `json:"answers_for_all"`
}

// Join registers somebody.
func Join(a *act.Act, j Joining) (*Written, error) {
	r := j.Record
	r.Tidy()
	// Two stations that register one person at once come after each other: the second finds the first.
	if err := peopledb.LockNames(a.Tx, "join"); err != nil {
		return nil, err
	}
	card, err := newCard(a, r.Card, r.Branch, 0)
	if err != nil {
		return nil, err
	}
	id, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	p := &peopledb.Patron{ID: id, Card: card, Standing: loan.Active, JoinedOn: store.Column(a.Today()), Revision: 1}
	return admit(a, p, r, j)
}

// Complete registers somebody who signed up and has a temporary record: it becomes theirs permanently, and may borrow.
func Complete(a *act.Act, id int64, j Joining) (*Written, error) {
	r := j.Record
	r.Tidy()
	if err := peopledb.LockNames(a.Tx, "join"); err != nil {
		return nil, err
	}
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if r.Card != "" && r.Card != p.Card {
		card, err := newCard(a, r.Card, r.Branch, id)
		if err != nil {
			return nil, err
		}
		if card != p.Card {
			peopledb.ReplaceCard(a.Tx, id, p.Card, card, "temporary card", a.Now)
		}
	}
	peopledb.SetStatus(a.Tx, id, string(loan.Active), "", "")
	return admit(a, p, r, j)
}

// admit writes the record of somebody who is new, looks that they are not here already, and charges what belonging costs.
func admit(a *act.Act, p *peopledb.Patron, r person.Record, j Joining) (*Written, error) {
	id := p.ID
	likely, err := alike(a, r, id)
	if err != nil {
		return nil, err
	}
	for _, l := range likely {
		if l.Same && !slices.Contains(j.Anyway, l.ID) {
			return nil, problem.Newf(
				problem.Refused,
				"%s, card %s, is very likely the same person: %s. Check that record, or confirm that this is a different person.",
				l.Name,
				l.Card,
				l.Why,
			)
		}
	}
	if err := write(a, p, r); err != nil {
		return nil, err
	}
	terms := a.Book.Decide(rulebook.Situate(a.Who.Branch, "", "", "", p.Class), nil)
	if p.CardUntil == nil && !r.Institution {
		if n := terms.Value(rulebook.MembershipLength); !n.Null() {
			until := loan.Extended(nil, a.Today(), n.Number())
			p.CardUntil = store.Column(until)
		}
	}
	if j.With != 0 {
		if err := together(a, p, j.With); err != nil {
			return nil, err
		}
	}
	peopledb.PutPatron(a.Tx, p)
	a.Tell(event.Event{Kind: event.Joined, Patron: id})
	if err := agree(a, p, Consenting{Answers: j.Agreed}); err != nil {
		return nil, err
	}
	trace := a.Book.Why(rulebook.Situate(a.Who.Branch, "", "", "", p.Class), nil, rulebook.MembershipCharge)
	charge := accountsdb.Entry{
		PatronID: id, Amount: terms.Value(rulebook.MembershipCharge).Amount(), About: ledger.AboutMembership,
		Why: store.JSON(&trace),
	}
	if err := accounts.Put(a, &charge, 0); err != nil {
		return nil, err
	}
	return Record(a, id)
}

// together puts somebody new into the household of another, who gets one if they have none.
func together(a *act.Act, p *peopledb.Patron, with int64) error {
	other, err := peopledb.PatronLocked(a.Tx, with)
	if err != nil {
		return err
	}
	if other == nil || other.ForgottenAt != nil {
		return problem.NoSuch("patron whose household it would be")
	}
	if other.HouseholdID == nil {
		words := strings.Fields(other.LegalName)
		household, err := peopledb.AddHousehold(a.Tx, words[len(words)-1])
		if err != nil {
			return err
		}
		peopledb.JoinHousehold(a.Tx, other.ID, household)
		other.HouseholdID = &household
	}
	p.HouseholdID = other.HouseholdID
	return nil
}

// newCard looks whether a number may become a card of a branch; empty gives the next free one.
func newCard(a *act.Act, number string, branch calendar.Code, patron int64) (string, error) {
	if number == "" {
		return NextCard(a, branch)
	}
	card, wrong := a.Network.Numbers.NewCard(number, branch)
	if wrong != "" {
		return "", problem.New(problem.Invalid, wrong)
	}
	taken, err := peopledb.PatronByCard(a.Tx, card)
	if err != nil {
		return "", err
	}
	if taken != nil && taken.ID != patron {
		return "", problem.Newf(problem.Refused, "%s is already the card of %s.", card, taken.LegalName)
	}
	former, err := peopledb.FormerCard(a.Tx, card)
	if err != nil {
		return "", err
	}
	if former != 0 && former != patron {
		return "", problem.Newf(problem.Refused, "%s was somebody else’s card before. Use another.", card)
	}
	return card, nil
}

// write checks a record and puts it into a patron's row.
func write(a *act.Act, p *peopledb.Patron, r person.Record) error {
	guarding, err := guardingOf(a, p.ID, r.Guardian)
	if err != nil {
		return err
	}
	wrong := append(r.Check(a.Network.Settled.Fields, guarding, a.Today()), person.ReadWays(p.Notices).Unreached(&r)...)
	if r.Class != p.Class && !isOffered(a, r.Class) {
		wrong = append(wrong, person.Wrong{Field: "class", Says: "Choose a patron class that is offered here."})
	}
	if r.Language != p.Language && r.Language != "" && !slices.Contains(a.Network.Settled.Notices.Languages, r.Language) {
		wrong = append(wrong, person.Wrong{Field: "language", Says: "Choose a language that the network has."})
	}
	if _, err := a.Network.OpenBranch(r.Branch); err != nil && (r.Branch != p.BranchCode || r.Branch == "") {
		wrong = append(wrong, person.Wrong{Field: "branch", Says: fmt.Sprintf("Choose an open branch; found %q.", r.Branch)})
	}
	if _, err := a.Network.OpenBranch(r.Pickup); err != nil && r.Pickup != "" {
		wrong = append(wrong, person.Wrong{Field: person.Pickup, Says: err.Error()})
	}
	for _, mark := range r.Marks {
		if !slices.Contains(p.Marks, mark) && !offersMark(a, mark) {
			wrong = append(wrong, person.Wrong{Field: person.Marks, Says: fmt.Sprintf("There is no tag %q.", mark)})
		}
	}
	if r.Household != 0 && (p.HouseholdID == nil || *p.HouseholdID != r.Household) {
		wrong = append(wrong, person.Wrong{
			Field: "household", Says: "Add a household member from the record of somebody in it.",
		})
	}
	if len(wrong) > 0 {
		return wrongly(wrong)
	}
	Put(p, r)
	return nil
}

// Put puts a record into a patron's row.
func Put(p *peopledb.Patron, r person.Record) {
	p.LegalName, p.PreferredName, p.ShelfName, p.Institution = r.LegalName, r.PreferredName, r.ShelfName, r.Institution
	if p.ShelfName == "" {
		p.ShelfName = person.Shelf(p.Name(), p.ID)
	}
	p.Born, p.CardUntil = column(r.Born), column(r.CardUntil)
	p.Class, p.BranchCode, p.Email, p.Phone, p.OtherPhones, p.TextNumber = r.Class, r.Branch, r.Email, r.Phone,
		r.OtherPhones, r.Text
	p.Address, p.PostalCode, p.Town, p.HomeAddress = r.Address, r.PostalCode, r.Town, r.HomeAddress
	p.MailReturned, p.InArea, p.EmailReturned, p.Language = r.MailReturned, r.InArea, r.EmailReturned, r.Language
	p.GuardianID, p.GuardianName, p.AnswersForAll = act.OrNil(r.Guardian), r.GuardianName, r.AnswersForAll
	p.HouseholdID = act.OrNil(r.Household)
	p.Identity, p.IdentityTwo, p.IdentityNumber, p.IdentityGuardian = r.Identity, r.IdentityTwo, r.IdentityNumber,
		r.OfGuardian
	p.School, p.SchoolYear, p.MayUse, p.Marks, p.Pickup = r.School, r.SchoolYear, r.MayUse, r.Marks, nil
	if r.Pickup != "" {
		p.Pickup = &r.Pickup
	}
}

// ClassFor gives the patron class that a branch offers to somebody of an age, or else the first; empty where it offers none.
func ClassFor(a *act.Act, branch calendar.Code, age *int) string {
	return person.ClassFor(classes(a), branch, age)
}

func offersMark(a *act.Act, name string) bool {
	return slices.ContainsFunc(a.Network.Choices, func(c networkdb.Choice) bool {
		return c.List == "mark" && c.Name == name && !c.Retired
	})
}

// wrongly is all that is wrong with a record, in sentences, each with the name of its field before it.
func wrongly(wrong []person.Wrong) error {
	var out []string
	for _, w := range wrong {
		out = append(out, fmt.Sprintf("%s: %s", strings.ReplaceAll(string(w.Field), "_", " "), w.Says))
	}
	return problem.New(problem.Invalid, strings.Join(out, " "))
}

func column(d *calendar.Date) *time.Time {
	if d == nil {
		return nil
	}
	return store.Column(*d)
}

func guardingOf(a *act.Act, patron, guardian int64) (*person.Guarding, error) {
	if guardian == 0 {
		return nil, nil
	}
	g, err := peopledb.PatronByID(a.Tx, guardian)
	if err != nil {
		return nil, err
	}
	if g == nil || g.ForgottenAt != nil {
		return &person.Guarding{Gone: true}, nil
	}
	return &person.Guarding{Self: guardian == patron, Age: Borrower(a, g).Age}, nil
}

// Record gives a record as it is written, and keeps that it was opened.
func Record(a *act.Act, id int64) (*Written, error) {
	card, err := Open(a, id)
	if err != nil {
		return nil, err
	}
	p, err := peopledb.PatronByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	w := &Written{Card: card, Record: RecordOf(p), Revision: p.Revision, Members: []Member{}}
	w.Minor = w.Record.Minor(a.Today())
	if p.GuardianID != nil {
		g, err := peopledb.PatronByID(a.Tx, *p.GuardianID)
		if err != nil {
			return nil, err
		}
		w.Guardian = g.LegalName
	}
	if p.HouseholdID == nil {
		return w, nil
	}
	rows, err := peopledb.Household(a.Tx, *p.HouseholdID)
	for k := range rows {
		if rows[k].ID != id {
			w.Members = append(w.Members, Member{Show(a, &rows[k]), rows[k].AnswersForAll})
		}
	}
	return w, err
}

// RecordOf is a patron's row as a record.
func RecordOf(p *peopledb.Patron) person.Record {
	r := person.Record{
		LegalName: p.LegalName, PreferredName: p.PreferredName, ShelfName: p.ShelfName, Institution: p.Institution,
		Born: store.DateOf(p.Born), Class: p.Class, Branch: p.BranchCode, Card: p.Card, CardUntil: store.DateOf(p.CardUntil),
		Email: p.Email, Phone: p.Phone, OtherPhones: p.OtherPhones, Text: p.TextNumber, Address: p.Address,
		PostalCode: p.PostalCode, Town: p.Town, HomeAddress: p.HomeAddress, MailReturned: p.MailReturned, EmailReturned: p.EmailReturned,
		Language:     p.Language,
		InArea:       p.InArea,
		GuardianName: p.GuardianName, AnswersForAll: p.AnswersForAll, Identity: p.Identity, IdentityTwo: p.IdentityTwo,
		IdentityNumber: p.IdentityNumber, OfGuardian: p.IdentityGuardian, School: p.School, SchoolYear: p.SchoolYear,
		MayUse: p.MayUse, Marks: p.Marks,
	}
	if p.GuardianID != nil {
		r.Guardian = *p.GuardianID
	}
	if p.HouseholdID != nil {
		r.Household = *p.HouseholdID
	}
	if p.Pickup != nil {
		r.Pickup = *p.Pickup
	}
	r.Tidy() // lists are never null
	return r
}

// Changing is a record as it is to be from now on.
type Changing struct {
	person.Record
	Revision     int  `json:"revision" doc:"Of the record that was seen"`
	ForHousehold bool `json:"for_household" doc:"A new address holds for all of the household who had the old one"`
}

// Change writes a record anew. The card, how somebody stands, what they have agreed to and notes are changed by acts of their
// own.
func Change(a *act.Act, id int64, c Changing) (*Written, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if p.Revision != c.Revision {
		return nil, problem.Newf(
			problem.Refused,
			"Somebody else has changed this record since you opened it. Your changes were not saved. Check the record and try again.",
		)
	}
	was := *p
	r := c.Record
	r.Tidy()
	r.Replaces(RecordOf(&was))
	if err := write(a, p, r); err != nil {
		return nil, err
	}
	peopledb.PutPatron(a.Tx, p)
	if c.ForHousehold && p.HouseholdID != nil && p.Address != was.Address {
		peopledb.MoveHousehold(a.Tx, *p.HouseholdID, &was, p)
	}
	a.Tell(
		event.Event{
			Kind:   event.RecordChanged,
			Patron: id,
			Detail: event.Detail{Is: strings.Join(changed(RecordOf(&was), RecordOf(p)), ", ")},
		},
	)
	if was.Class != p.Class {
		a.Tell(event.Event{Kind: event.PatronClassed, Patron: id, Detail: event.Detail{Was: was.Class, Is: p.Class}})
	}
	return Record(a, id)
}

// changed names the fields that are otherwise; what stood in them stands nowhere else.
func changed(was, is person.Record) []string {
	var out []string
	for name, differs := range map[string]bool{
		"names": was.LegalName != is.LegalName || was.PreferredName != is.PreferredName ||
			was.ShelfName != is.ShelfName,
		"birth":    fmt.Sprint(was.Born) != fmt.Sprint(is.Born),
		"class":    was.Class != is.Class,
		"branches": was.Branch != is.Branch || was.Pickup != is.Pickup,
		"card":     fmt.Sprint(was.CardUntil) != fmt.Sprint(is.CardUntil),
		"mail":     was.Email != is.Email || was.EmailReturned != is.EmailReturned,
		"phones":   was.Phone != is.Phone || was.Text != is.Text || !slices.Equal(was.OtherPhones, is.OtherPhones),
		"address": was.Address != is.Address || was.PostalCode != is.PostalCode || was.Town != is.Town ||
			was.HomeAddress != is.HomeAddress || was.MailReturned != is.MailReturned,
		"guardian":  was.Guardian != is.Guardian || was.GuardianName != is.GuardianName,
		"household": was.Household != is.Household || was.AnswersForAll != is.AnswersForAll,
		"identity": was.Identity != is.Identity || was.IdentityTwo != is.IdentityTwo ||
			was.IdentityNumber != is.IdentityNumber || was.OfGuardian != is.OfGuardian,
		"school": was.School != is.School || was.SchoolYear != is.SchoolYear,
		"others": !slices.Equal(was.MayUse, is.MayUse) || !slices.Equal(was.Marks, is.Marks) || was.Language != is.Language,
	} {
		if differs {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Town gives the town that a postal code fills in.
type Town struct {
	Town string `json:"town" doc:"Empty: nobody here lives under this postal code yet"`
}

// TownOf gives the town that most people here have under a postal code.
func TownOf(a *act.Act, postal string) (*Town, error) {
	town, err := peopledb.TownOf(a.Tx, strings.ToUpper(strings.Join(strings.Fields(postal), " ")))
	return &Town{town}, err
}
