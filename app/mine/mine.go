// Package mine is what patrons do by themselves: sign in with card and PIN, look at what they have and owe, renew, place and change
// holds, and choose how they are told and what is kept of them.
//
// The same acts serve them as serve the desk; here it is looked first whether what they name is theirs.
package mine

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/holds"
	"nevrin/app/keeping"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
	"nevrin/store/staffdb"
	"nevrin/store/stockdb"
)

// themself is who does it: no staff. What they may is looked at here.
func themself(branch calendar.Code) act.Actor {
	return act.Actor{Name: "Nevrin", Role: role.Administrator, Branch: branch}
}

// Visitor is the actor for what everybody may see.
var Visitor = act.Actor{Name: "Nevrin", Role: role.Administrator}

var errPair = problem.Newf(
	problem.Forbidden,
	"Card number and PIN do not match. Check both. If you have no PIN or have forgotten it, ask at any branch.",
)

// Entering is a patron's sign-in: card and PIN.
type Entering struct {
	Address   string
	Card, PIN string
	Device    string // what their browser was given when they signed in with it before; empty: nothing
}

// Entered is a patron's session, by its token, and what their browser keeps to be known by.
type Entered struct{ Token, Device string }

const askAtBranch = "ask at any branch for a new PIN"

// SignIn signs a patron in. Wrong tries are counted as those of staff are. In a browser with which they have signed in before only
// their own tries count, so that nobody shuts them out from elsewhere.
func SignIn(ctx context.Context, h *act.House, e Entering) (*Entered, error) {
	id, try, err := prove(ctx, h, e)
	if err != nil {
		return nil, err
	}
	out := &Entered{Token: rand.Text(), Device: e.Device}
	if len(e.Device) != len(out.Token) { // otherwise it stays what it is: a family may share one browser
		out.Device = rand.Text()
	}
	return out, h.Store.Write(ctx, func(tx *store.Tx) error {
		staffdb.TriedRight(tx, try)
		staffdb.PatronWasAt(tx, id, out.Device, e.Address)
		peopledb.BeginPatronSession(tx, out.Token, id)
		return nil
	})
}

// prove gives whose card and PIN they are, and the try, which is still counted as wrong.
func prove(ctx context.Context, h *act.House, e Entering) (int64, *staffdb.Try, error) {
	scan, err := act.Look(ctx, h, Visitor, func(a *act.Act) (ident.Scan, error) { return a.Network.Numbers.Read(e.Card), nil })
	if err != nil {
		return 0, nil, err
	}
	// What is no card counts by itself, and not for everybody who mistypes theirs.
	try := &staffdb.Try{Name: people.TriesOf(strings.TrimSpace(e.Card)), Address: e.Address}
	var id int64
	hash := ""
	err = h.Store.Read(ctx, func(tx *store.Tx) error {
		if scan.Kind == ident.Card {
			try.Name = people.TriesOf(scan.Number)
			p, err := peopledb.PINOf(tx, scan.Number)
			if err != nil {
				return err
			}
			if p != nil {
				id, hash = p.ID, p.PINHash
			}
		}
		byDevice, near, err := staffdb.PatronKnownAt(tx, id, e.Device, e.Address)
		if err != nil {
			return err
		}
		if try.Known = near; byDevice {
			try.Device = e.Device
		}
		tries, err := staffdb.TriesOf(tx, try)
		return errors.Join(err, staff.Refused(tries, askAtBranch))
	})
	if err != nil {
		return 0, nil, err
	}
	done, err := staff.OfPatrons.Take(ctx)
	if err != nil {
		return 0, nil, err
	}
	defer done()
	if err := staff.Count(ctx, h, try, askAtBranch); err != nil {
		return 0, nil, err
	}
	right, err := staff.Has(e.PIN, hash)
	if err == nil && (!right || id == 0) {
		err = errPair
	}
	return id, try, err
}

// look looks at something without giving anything but what is wrong with it.
func look(ctx context.Context, h *act.House, who act.Actor, at func(*act.Act) error) error {
	_, err := act.Look(ctx, h, who, func(a *act.Act) (struct{}, error) { return struct{}{}, at(a) })
	return err
}

// SignOut ends a session.
func SignOut(ctx context.Context, h *act.House, token string) error {
	return h.Store.Write(ctx, func(tx *store.Tx) error { peopledb.EndPatronSession(tx, token); return nil })
}

// Session is a patron who is signed in, and what their page says first.
type Session struct {
	peopledb.PatronSession
	Who act.Actor
}

// Enter gives who is signed in under a token; nil where nobody is any more.
func Enter(ctx context.Context, h *act.House, token string) (*Session, error) {
	if token == "" {
		return nil, nil
	}
	var out *Session
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		out = nil
		s, err := peopledb.PatronSessionOf(tx, token)
		if err != nil || s == nil {
			return err
		}
		p, err := peopledb.PatronByID(tx, s.PatronID)
		if err != nil {
			return err
		}
		out = &Session{*s, themself(p.BranchCode)}
		return nil
	})
	return out, err
}

// Say lets the page of a session say next what came of something.
func Say(ctx context.Context, h *act.House, token, says string, bad bool) error {
	return h.Store.Write(ctx, func(tx *store.Tx) error { peopledb.SayInSession(tx, token, says, bad); return nil })
}

// Mine is all that a patron's page shows.
type Mine struct {
	*people.Card
	Branches []*calendar.Branch // at which holds are picked up
	Home     calendar.Code
	Currency string
	Children []Child // for whom they answer, where the network lets them see these
}

// Child is somebody young for whom a patron answers.
type Child struct{ *people.Card }

// Look gives what a patron's page shows.
func Look(a *act.Act, patron int64) (*Mine, error) {
	m, err := Fetches(a, patron)
	if err != nil {
		return nil, err
	}
	if m.Card, err = people.Open(a, patron); err != nil {
		return nil, err
	}
	ids, err := childrenOf(a, patron)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		card, err := people.Open(a, id)
		if err != nil {
			return nil, err
		}
		m.Children = append(m.Children, Child{card})
	}
	return m, nil
}

// Fetches gives of that where a patron fetches what they wait for: no more is shown where titles are found.
func Fetches(a *act.Act, patron int64) (*Mine, error) {
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, problem.NoSuch("patron")
	}
	return &Mine{Branches: a.Network.Open(), Home: people.PickupOf(p), Currency: a.Network.Money.Code}, nil
}

// childrenOf gives those for whom a patron answers and whose card they see: while they are not grown up, and if the network has settled
// so.
func childrenOf(a *act.Act, patron int64) ([]int64, error) {
	if !a.Network.Settled.Guardians {
		return nil, nil
	}
	return peopledb.Children(a.Tx, patron, a.Today().AddYears(-loan.AdultFrom))
}

// RenewFor renews a loan of somebody for whom a patron answers.
func RenewFor(a *act.Act, patron, child, id int64) (string, error) {
	ids, err := childrenOf(a, patron)
	if err != nil {
		return "", err
	}
	if !slices.Contains(ids, child) {
		return "", problem.NoSuch("loan")
	}
	return Renew(a, child, id)
}

// Renew renews a loan of theirs, if patrons may renew it by themselves.
func Renew(a *act.Act, patron, id int64) (string, error) {
	r, err := desk.RenewOwn(a, patron, id)
	if err != nil {
		return "", err
	}
	if !r.OK {
		return "", problem.New(problem.Refused, r.Text)
	}
	return r.Line.Title + ": " + r.Text + ".", nil
}

// theirs gives an open hold of theirs, with its title locked.
func theirs(a *act.Act, patron, id int64) (*holdsdb.Hold, error) {
	h, err := holdsdb.HoldByID(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case h == nil || h.PatronID != patron:
		return nil, problem.NoSuch("hold")
	case h.State.Ended():
		return nil, problem.Newf(problem.Refused, "This hold has ended already.")
	}
	return h, nil
}

// Cancel takes a hold of theirs off.
func Cancel(a *act.Act, patron, id int64) (string, error) {
	h, err := theirs(a, patron, id)
	if err != nil {
		return "", err
	}
	return "The hold is cancelled.", holds.End(a, h, "By themselves")
}

// waits gives a hold of theirs for which nothing is under way yet.
func waits(a *act.Act, patron, id int64) (*holdsdb.Hold, error) {
	h, err := theirs(a, patron, id)
	if err != nil {
		return nil, err
	}
	if says := h.State.MayChange(); says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	return h, nil
}

// Pause lets a hold of theirs keep its place and wait for nothing until a day; without a day it waits again from now on.
func Pause(a *act.Act, patron, id int64, until *calendar.Date) (string, error) {
	h, err := waits(a, patron, id)
	if err != nil {
		return "", err
	}
	if err := holds.Pause(a, h, until); err != nil || until == nil {
		return "The hold is active again.", err
	}
	return "The hold is paused until " + a.SayDate(*until) + " and keeps its place.", nil
}

// EndPauses lets holds wait again whose pause is over, and looks which copies serve them.
func EndPauses(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	const part = 200
	over, err := holdsdb.PausesOver(a.Tx, day.UTC(), part)
	if err != nil || len(over) == 0 {
		return done, true, err
	}
	var lock store.Lock
	for _, h := range over {
		lock.Titles = append(lock.Titles, h.TitleID)
	}
	if err := a.Tx.Lock(lock); err != nil {
		return done, false, err
	}
	for _, h := range over {
		holdsdb.EndPause(a.Tx, h.ID, day.UTC())
		a.Tell(event.Event{
			Kind: event.HoldPaused, Patron: h.PatronID, Hold: h.ID, Detail: event.Detail{Says: "waits again"},
		})
	}
	slices.Sort(lock.Titles)
	for _, title := range slices.Compact(lock.Titles) {
		if _, err := moving.Route(a, title, 0); err != nil {
			return done, false, err
		}
	}
	return done + int64(len(over)), len(over) < part, nil
}

// Pickup lets a hold of theirs be picked up elsewhere.
func Pickup(a *act.Act, patron, id int64, branch calendar.Code) (string, error) {
	h, err := waits(a, patron, id)
	if err != nil {
		return "", err
	}
	return "It will be held at " + a.Network.BranchName(branch) + ".", holds.Pickup(a, h, branch)
}

// Hold places a hold on a title.
func Hold(a *act.Act, patron, title int64, pickup calendar.Code) (string, error) {
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return "", err
	}
	if p == nil || !p.Standing.MayWait() {
		return "", problem.Newf(problem.Refused, "No holds can be placed with this card. Ask at your branch.")
	}
	public, err := stockdb.IsPublic(a.Tx, title)
	if err == nil && !public {
		err = problem.NoSuch("title")
	}
	if err != nil {
		return "", err
	}
	h, err := holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: pickup})
	if err != nil {
		return "", err
	}
	return h.Title + ": " + h.Says + ".", nil
}

// History chooses for how long what they had is kept, nil: as is usual, and whether staff may see it. That lending asks for what they
// had before stays as they chose it, as far as it still can.
func History(a *act.Act, patron int64, months *int, seen bool) (string, error) {
	p, err := people.Locked(a, patron)
	if err != nil {
		return "", err
	}
	ask := p.AskBefore
	if a.Network.Settled.NoHistory(months) != "" {
		ask = nil
	}
	_, err = keeping.Choose(a, patron, keeping.Choice{Months: months, Seen: seen, Ask: ask})
	return "Your choice is saved. Older records are deleted tonight.", err
}

// ChoosePIN gives them another PIN, once they have given the one they have. Their other sessions end; this one goes on under a new
// token.
func ChoosePIN(ctx context.Context, h *act.House, s *Session, e Entering, is string) (token string, err error) {
	err = look(ctx, h, s.Who, func(a *act.Act) error {
		p, err := peopledb.PatronByID(a.Tx, s.PatronID)
		if err != nil || p == nil {
			return err
		}
		e.Card = p.Card
		if wrong := people.PINWrong(is, p); wrong != "" {
			return problem.New(problem.Invalid, wrong)
		}
		return nil
	})
	if err != nil {
		return "", err
	}
	// The old one is asked for as at the door, tries counted: a phone left lying gives nobody the card.
	_, try, err := prove(ctx, h, e)
	if errors.Is(err, errPair) {
		err = problem.Newf(problem.Forbidden, "This is not your current PIN. Nothing was changed.")
	}
	if err != nil {
		return "", err
	}
	err = h.Store.Write(ctx, func(tx *store.Tx) error { staffdb.TriedRight(tx, try); return nil })
	if err != nil {
		return "", err
	}
	_, err = act.Do(
		ctx,
		h,
		s.Who,
		"",
		nil,
		func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, s.PatronID, is) },
	)
	if err != nil {
		return "", err
	}
	token = rand.Text()
	return token, h.Store.Write(ctx, func(tx *store.Tx) error { peopledb.BeginPatronSession(tx, token, s.PatronID); return nil })
}
