package desk

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
)

// MailLent mails a patron what was lent to them here since an instant, or today.
func MailLent(a *act.Act, patron int64, since time.Time) error {
	if err := people.InHand(a, patron); err != nil {
		return err
	}
	row, err := people.Locked(a, patron)
	if err != nil {
		return err
	}
	p, err := people.InUse(row)
	if err != nil {
		return err
	}
	if p.Email == "" {
		return problem.Newf(problem.Refused, "%s has no email address. Add one, or print a slip.", p.Name())
	}
	if p.EmailReturned {
		return problem.Newf(problem.Refused, "Email to %s came back. Ask for the correct address, or print a slip.", p.Email)
	}
	if since.IsZero() {
		since = a.Here().At(a.Today(), 0)
	}
	rows, err := loansdb.LentSince(a.Tx, patron, a.Who.Branch, since)
	if err != nil {
		return err
	}
	if len(rows) == 0 {
		return problem.Newf(problem.Refused, "Nothing was lent to them here today, so there is nothing to email.")
	}
	return notices.Lent(a, p, rows)
}

// ChooseReceipt writes what a patron gets of what was lent to them: none, slip, mail, both; empty as the network has settled.
func ChooseReceipt(a *act.Act, patron int64, what string) (*people.Card, error) {
	row, err := people.Locked(a, patron)
	if err != nil {
		return nil, err
	}
	p, err := people.InUse(row)
	if err != nil {
		return nil, err
	}
	if (what == "mail" || what == "both") && p.Email == "" {
		return nil, problem.Newf(problem.Invalid, "%s has no email address. Add one first.", p.Name())
	}
	peopledb.ChooseReceipt(a.Tx, patron, what)
	a.Tell(event.Event{Kind: event.NoticesChosen, Patron: patron})
	return people.Open(a, patron)
}
