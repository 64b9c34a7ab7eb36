package notices

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Written is what a message says.
type Written struct{ Subject, Body string }

// compose writes one message from several notices: a section for each kind and stage, in the plan's wording, within the frame.
func compose(a *act.Act, to *noticesdb.Recipient, told []noticesdb.Told) (Written, error) {
	type part struct {
		kind  plan.Kind
		stage int
		plan  string
	}
	of := map[part][]noticesdb.Told{}
	var parts []part
	for _, n := range told {
		p := part{n.Kind, n.Stage, n.Plan}
		if of[p] == nil {
			parts = append(parts, p)
		}
		of[p] = append(of[p], n)
	}
	slices.SortStableFunc(parts, func(x, y part) int {
		return cmp.Or(plan.Order(x.kind)-plan.Order(y.kind), y.stage-x.stage)
	})
	var subject string
	var texts []string
	for _, p := range parts {
		text := wordingFor(a, p.plan, p.kind, p.stage).In(plan.Language)
		with := fieldsOf(a, to, of[p])
		one, err := write(text.Subject, with)
		if err != nil {
			return Written{}, fmt.Errorf("subject of %s: %w", p.plan, err)
		}
		says, err := write(text.Body, with)
		if err != nil {
			return Written{}, fmt.Errorf("text of %s: %w", p.plan, err)
		}
		subject, texts = one, append(texts, strings.TrimRight(says, "\n")+"\n")
	}
	frame := WordingOf(a, plan.Frame).In(plan.Language)
	with := fieldsOf(a, to, told)
	with["text"] = strings.Join(texts, "\n")
	if len(parts) != 1 {
		var err error
		if subject, err = write(frame.Subject, with); err != nil {
			return Written{}, fmt.Errorf("subject around a message: %w", err)
		}
	}
	body, err := write(frame.Body, with)
	return Written{oneLine(subject), body}, err
}

// oneLine joins the lines of a subject: a name in it may contain line breaks.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// wordingFor gives the wording of a stage of a plan, or the usual one of the kind if the plan or its wording was removed.
func wordingFor(a *act.Act, code string, kind plan.Kind, stage int) *plan.Wording {
	if p := a.Network.Plans[code]; p != nil && stage < len(p.Stages) {
		if w := WordingOf(a, p.Stages[stage].Wording); w != nil && w.Kind == kind {
			return w
		}
	}
	return usual[string(kind)]
}

// fieldsOf gives the values of a wording's fields.
func fieldsOf(a *act.Act, to *noticesdb.Recipient, told []noticesdb.Told) map[string]any {
	branch := to.BranchCode
	if len(told) > 0 {
		branch = told[0].BranchCode
	}
	row := a.Network.Row(branch)
	phone := ""
	if len(row.Phones) > 0 {
		phone = row.Phones[0]
	}
	owed := ""
	if to.Balance > 0 {
		owed = a.Network.Money.Say(to.Balance)
	}
	count := "an item"
	if len(told) != 1 {
		count = calendar.Count(len(told), "item")
	}
	with := map[string]any{
		"name": nameOf(to), "network": a.Network.Name, "branch": a.Network.BranchName(branch), "branch_phone": phone,
		"branch_address": row.Address, "owed": owed, "page": a.Network.Settled.Notices.Page, "count": count,
		"title": "", "until": "", "card_until": "",
	}
	items := make([]map[string]any, len(told))
	for k := range told {
		items[k] = itemOf(a, to, &told[k])
	}
	if len(told) > 0 {
		with["title"], with["until"] = items[0]["title"], items[0]["until"]
		if until := store.DateOf(told[0].CardUntil); until != nil {
			with["card_until"] = a.Network.SayDate(*until)
		}
	}
	with["items"] = items
	return with
}

func itemOf(a *act.Act, to *noticesdb.Recipient, n *noticesdb.Told) map[string]any {
	due, until, branch := "", "", n.BranchCode
	if b, err := a.Network.Branch(n.BranchCode); n.LoanID != nil && err == nil {
		due = loansdb.DueOf(n.NowDate, n.NowAt).Say(b)
	}
	if n.HoldID != nil {
		branch = calendar.Code(cmp.Or(string(n.Pickup), string(n.BranchCode)))
		if day := store.DateOf(n.ShelfUntil); day != nil {
			until = a.Network.SayDate(*day)
		}
	}
	concerned := ""
	if n.PatronID != to.ID {
		concerned = (&peopledb.Patron{LegalName: n.LegalName, PreferredName: n.PreferredName}).Name()
	}
	return map[string]any{
		"title": n.Title, "author": n.Author, "barcode": n.Barcode, "due": due, "until": until,
		"branch": a.Network.BranchName(branch), "for": concerned,
	}
}

func same(a, b *time.Time) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }

func nameOf(r *noticesdb.Recipient) string {
	return (&peopledb.Patron{LegalName: r.LegalName, PreferredName: r.PreferredName}).Name()
}

// overtaken gives the reason why a notice is no longer needed; empty if it is.
func overtaken(a *act.Act, n *noticesdb.Told) string {
	c := plan.Case{
		Kind: n.Kind, Returned: n.ReturnedAt != nil, Lost: n.LostAt != nil, Claimed: n.Claimed, Balance: n.Balance,
		Ready: n.HoldState == queue.Ready,
	}
	if n.LoanID != nil {
		c.SameDue = same(n.DueDate, n.NowDate) && same(n.DueAt, n.NowAt)
	}
	if n.HoldID != nil && n.DueDate != nil {
		c.SameShelf = same(n.DueDate, n.ShelfUntil)
	}
	if day, until := store.DateOf(n.DueDate), store.DateOf(n.CardUntil); n.LoanID == nil && n.HoldID == nil && day != nil && until != nil {
		c.Day, c.CardUntil = *day, *until
	}
	if confirmed := store.DateOf(n.ConfirmedOn); confirmed != nil {
		c.Confirmed = *confirmed >= calendar.DateOf(n.At.In(a.Network.Location))
	}
	return c.Overtaken(a.Network.Plans[n.Plan])
}

// reach gives the channel and the address for a plan's notices to a recipient.
func reach(p *plan.Plan, to *noticesdb.Recipient) (person.Way, string) {
	way := p.Reach(people.Notices(&peopledb.Patron{Notices: to.Notices}), record(to))
	return way, addressOf(to, way)
}

// record gives the contact fields of a recipient.
func record(to *noticesdb.Recipient) *person.Record {
	return &person.Record{Email: strings.TrimSpace(to.Email), Phone: to.Phone, Address: to.Address}
}

// addressOf gives the recipient's address for a channel.
func addressOf(to *noticesdb.Recipient, way person.Way) string {
	switch way {
	case person.ByMail:
		return strings.TrimSpace(to.Email)
	case person.ByPhone:
		return to.Phone
	case person.ByLetter:
		return strings.Trim(strings.Join([]string{to.Address, strings.TrimSpace(to.PostalCode + " " + to.Town)}, ", "), ", ")
	}
	return ""
}
