package notices

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/core/speech"
	"nevrin/formats/sms"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Written is what a message says.
type Written struct{ Subject, Body string }

// compose writes one message from several notices in the recipient's language: a part for each kind and stage, in the plan's wording, within
// the frame. Stop is the address at which its recipient can opt out; empty: there is none.
func compose(a *act.Act, to *noticesdb.Recipient, by person.Way, told []noticesdb.Told, stop string) (Written, error) {
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
	speaks := speechOf(a, to)
	var subject string
	var texts []string
	for _, p := range parts {
		wording := wordingFor(a, p.plan, p.kind, p.stage)
		with := fieldsOf(a, speaks, to, of[p])
		one, err := write(wording.In(speaks.Language).Subject, with)
		if err != nil {
			return Written{}, fmt.Errorf("subject of %s: %w", p.plan, err)
		}
		says, err := write(bodyOf(wording, speaks.Language, by), with)
		if err != nil {
			return Written{}, fmt.Errorf("text of %s: %w", p.plan, err)
		}
		subject, texts = one, append(texts, strings.TrimRight(says, "\n")+ends(by))
	}
	frame := WordingOf(a, plan.Frame)
	with := fieldsOf(a, speaks, to, told)
	with["text"], with["stop"] = strings.TrimSuffix(strings.Join(texts, ends(by)), " "), stop
	if len(parts) != 1 {
		var err error
		if subject, err = write(frame.In(speaks.Language).Subject, with); err != nil {
			return Written{}, fmt.Errorf("subject around a message: %w", err)
		}
	}
	body, err := write(bodyOf(frame, speaks.Language, by), with)
	switch by {
	case person.ByText:
		body = sms.Plain(oneLine(body))
	case person.ByPhone:
		body = oneLine(body)
	}
	return Written{oneLine(subject), body}, err
}

// ends is what stands after each part of a message.
func ends(by person.Way) string {
	if by == person.ByText || by == person.ByPhone {
		return " "
	}
	return "\n"
}

// bodyOf gives the template of a wording for a channel. A wording without one for it has the usual one of its kind.
func bodyOf(w *plan.Wording, l speech.Language, by person.Way) string {
	text := w.In(l)
	comes := usual[cmp.Or(string(w.Kind), plan.Frame)].In(l)
	switch by {
	case person.ByText:
		return cmp.Or(text.Short, comes.Short)
	case person.ByPhone:
		return cmp.Or(text.Spoken, comes.Spoken)
	}
	return text.Body
}

// speechOf gives the language of somebody's messages: their own if the network has it, otherwise the network's first.
func speechOf(a *act.Act, to *noticesdb.Recipient) speech.Speech {
	return Speech(a, to.Language)
}

// Speech gives the first of some languages that the network has, otherwise the network's first.
func Speech(a *act.Act, wanted ...string) speech.Speech {
	of := a.Network.Settled.Notices
	return speech.New(speech.Choose(of.Languages, wanted...), of.Country, a.Style(), a.Network.Money)
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
func fieldsOf(a *act.Act, speaks speech.Speech, to *noticesdb.Recipient, told []noticesdb.Told) map[string]any {
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
		owed = speaks.Money(to.Balance)
	}
	with := map[string]any{
		"name": nameOf(to), "network": a.Network.Name, "branch": a.Network.BranchName(branch), "branch_phone": phone,
		"branch_address": row.Address, "owed": owed, "page": a.Network.Settled.Notices.Page, "count": countOf(speaks.Language, len(told)),
		"number": len(told), "title": "", "until": "", "card_until": "", "list": "", "stop": "",
	}
	items := make([]map[string]any, len(told))
	for k := range told {
		items[k] = itemOf(a, speaks, to, &told[k])
	}
	if len(told) > 0 {
		with["title"], with["until"], with["list"] = items[0]["title"], items[0]["until"], listOf(speaks.Language, told)
		if until := store.DateOf(told[0].CardUntil); until != nil {
			with["card_until"] = speaks.Date(*until)
		}
	}
	with["items"] = items
	return with
}

// countOf says a number of items.
func countOf(l speech.Language, n int) string {
	switch {
	case l == speech.French && n == 1:
		return "un document"
	case l == speech.French:
		return fmt.Sprintf("%d documents", n)
	case n == 1:
		return "an item"
	}
	return calendar.Count(n, "item")
}

// Titles in a text message are cut to so many characters, and after so many are only counted.
const (
	longestTitle = 30
	mostTitles   = 2
)

// listOf lists the first titles, shortened.
func listOf(l speech.Language, told []noticesdb.Told) string {
	var titles []string
	for _, n := range told[:min(len(told), mostTitles)] {
		title := []rune(n.Title)
		if len(title) > longestTitle {
			title = append([]rune(strings.TrimSpace(string(title[:longestTitle-2]))), []rune("..")...)
		}
		titles = append(titles, string(title))
	}
	says := strings.Join(titles, ", ")
	if more := len(told) - mostTitles; more > 0 {
		says += map[speech.Language]string{speech.English: " and ", speech.French: " et "}[l] + fmt.Sprint(more) +
			map[speech.Language]string{speech.English: " more", speech.French: " autres"}[l]
	}
	return says
}

func itemOf(a *act.Act, speaks speech.Speech, to *noticesdb.Recipient, n *noticesdb.Told) map[string]any {
	due, until, branch := "", "", n.BranchCode
	if b, err := a.Network.Branch(n.BranchCode); n.LoanID != nil && err == nil {
		due = speaks.Due(loansdb.DueOf(n.NowDate, n.NowAt), b)
	}
	if n.HoldID != nil {
		branch = calendar.Code(cmp.Or(string(n.Pickup), string(n.BranchCode)))
		if day := store.DateOf(n.ShelfUntil); day != nil {
			until = speaks.Date(*day)
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
func reach(a *act.Act, p *plan.Plan, to *noticesdb.Recipient) (person.Way, string) {
	way := p.Reach(person.ReadWays(to.Notices), record(a, to))
	return way, addressOf(to, way)
}

// record gives the contact fields of a recipient. Nobody is reached by text messages while none are sent.
func record(a *act.Act, to *noticesdb.Recipient) *person.Record {
	r := &person.Record{Email: strings.TrimSpace(to.Email), Phone: to.Phone, Address: to.Address, EmailReturned: to.EmailReturned}
	if _, off := texter(a); off == On {
		r.Text = to.TextNumber
	}
	return r
}

// addressOf gives the recipient's address for a channel.
func addressOf(to *noticesdb.Recipient, way person.Way) string {
	switch way {
	case person.ByMail:
		return strings.TrimSpace(to.Email)
	case person.ByText:
		return to.TextNumber
	case person.ByPhone:
		return to.Phone
	case person.ByLetter:
		return strings.Join(linesOf(to)[1:], ", ")
	}
	return ""
}
