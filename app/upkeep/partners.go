package upkeep

import (
	"cmp"
	"crypto/rand"
	"fmt"
	"net/url"
	"regexp"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plain"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
	"nevrin/store/peopledb"
)

// Partner is a library outside with which things are exchanged.
type Partner struct {
	Symbol  string `json:"symbol" minLength:"2" maxLength:"16" doc:"By which they are known in messages"`
	Name    string `json:"name" minLength:"1" maxLength:"100"`
	Search  string `json:"search" maxLength:"500" doc:"The address at which their catalogue is searched, over SRU; empty: none"`
	Message string `json:"message" maxLength:"500" doc:"The address at which they take ISO 18626 messages; empty: none"`
	Margin  int    `json:"margin" minimum:"0" maximum:"30" doc:"Days before their date by which something of theirs is due here, to send it home in time"`
	Days    int    `json:"days" minimum:"0" maximum:"60" doc:"A parcel is on the way to them"`
	Way     string `json:"way" enum:"post,courier" doc:"How parcels go"`
	Address string `json:"address" maxLength:"400" doc:"For parcels, a line each"`
	Email   string `json:"email" maxLength:"200" doc:"Where requests go if their system takes no messages; empty: nowhere"`
	Account int64  `json:"account" doc:"The patron on whose card they borrow"`
}

type outside struct{}

var partnerSymbol = regexp.MustCompile(`^[A-Z]{3,8}$`)

func (outside) Call(_ string, p *Partner) string { return p.Name }

func (outside) Load(a *act.Act, key string) (*Partner, error) {
	id, err := number(key)
	if err != nil {
		return nil, err
	}
	p, err := interlibrarydb.PartnerByID(a.Tx, id)
	if err != nil || p == nil {
		return nil, err
	}
	return &Partner{p.Symbol, p.Name, p.SRUURL, p.MessageURL, p.Margin, p.Days, p.Way, p.Address, p.Email, p.PatronID}, nil
}

func (outside) Keep(a *act.Act, key string, was, is *Partner) (*Partner, error) {
	id, err := number(key)
	if err != nil {
		return nil, err
	}
	if is == nil {
		interlibrarydb.DropPartner(a.Tx, id)
		err := a.Tx.Flush()
		if store.Referenced(err) {
			return nil, problem.Newf(problem.Refused, "%s has requests, so it cannot be removed.", was.Name)
		}
		return nil, err
	}
	if err := is.check(); err != nil {
		return nil, err
	}
	other, err := interlibrarydb.PartnerWithSymbolBut(a.Tx, is.Symbol, id)
	if err != nil {
		return nil, err
	}
	if other != "" {
		return nil, problem.Newf(problem.Invalid, "%s is already used by %s.", is.Symbol, other)
	}
	interlibrarydb.PutPartner(a.Tx, &interlibrarydb.Partner{
		ID: id, Symbol: is.Symbol, Name: is.Name, SRUURL: is.Search, MessageURL: is.Message, Margin: is.Margin, PatronID: is.Account,
		Days: is.Days, Way: is.Way, Address: is.Address, Email: is.Email,
	})
	return is, nil
}

func (p *Partner) check() error {
	p.Name = plain.Line(p.Name)
	p.Address, p.Way = plain.Text(p.Address), cmp.Or(p.Way, "post")
	if p.Email != "" && !person.PlainMail(p.Email) {
		return problem.Newf(problem.Invalid, "%q is not an email address. Enter one such as loans@library.example.", p.Email)
	}
	if p.Name == "" {
		return problem.Newf(problem.Invalid, "Enter a name for the partner.")
	}
	if !partnerSymbol.MatchString(p.Symbol) {
		return problem.Newf(problem.Invalid, "%q is not a symbol. Enter 3 to 8 capital letters.", p.Symbol)
	}
	for _, address := range []string{p.Search, p.Message} {
		if address == "" {
			continue
		}
		u, err := url.Parse(address)
		if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
			return problem.Newf(
				problem.Invalid,
				"Enter an address that starts with https:// or http://, such as https://library.example/sru.",
			)
		}
	}
	return nil
}

// Joining is a partner to be added: beside what is theirs, how their account is classed.
type Joining struct {
	Partner
	Class  string        `json:"class" minLength:"1" maxLength:"40" doc:"The patron class of their account"`
	Branch calendar.Code `json:"branch" minLength:"3" maxLength:"3" doc:"Its home branch"`
}

// Joined is a new partner, with the secret with which their messages come, shown once.
type Joined struct {
	Kept
	Secret string `json:"secret"`
	Card   string `json:"card" doc:"Of their account"`
}

// AddPartner adds a partner with an account of their own on the next free card.
func AddPartner(a *act.Act, j Joining) (*Joined, error) {
	if !classIn(a, "patron", j.Class) {
		return nil, problem.Newf(problem.Invalid, "There is no patron class %q here.", j.Class)
	}
	if _, err := a.Network.OpenBranch(j.Branch); err != nil {
		return nil, err
	}
	if err := j.check(); err != nil {
		return nil, err
	}
	card, err := people.NextCard(a, j.Branch)
	if err != nil {
		return nil, err
	}
	account, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	id, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	peopledb.PutPatron(a.Tx, &peopledb.Patron{
		ID: account, Card: card, LegalName: j.Name, ShelfName: j.Symbol, Class: j.Class, BranchCode: j.Branch,
		Standing: "active", Institution: true,
	})
	j.Account = account
	kept, err := Put(a, "partner", fmt.Sprint(id), 0, j.Partner)
	if err != nil {
		return nil, err
	}
	return &Joined{*kept, newSecret(a, id), card}, nil
}

// Secret is a secret with which a partner's messages come, shown once.
type Secret struct {
	Secret string `json:"secret"`
}

// RenewSecret gives a partner another secret; the one before opens nothing any more.
func RenewSecret(a *act.Act, id int64) (*Secret, error) {
	p, err := interlibrarydb.PartnerByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, problem.NoSuch("partner")
	}
	return &Secret{newSecret(a, id)}, nil
}

func newSecret(a *act.Act, id int64) string {
	secret := rand.Text()
	interlibrarydb.KeepPartnerSecret(a.Tx, id, secret)
	a.Tell(event.Event{Kind: event.SecretRenewed, Detail: event.Detail{Is: fmt.Sprint(id)}})
	return secret
}
