// Package act is what all places of work share: an Act is one thing that somebody does.
//
// An Act is one database transaction with one reading of the clock, the person who does it, the network as it stands
// and the rulebook in force. What it changes it also tells: every change appends an event in the same transaction. An
// act with a key gives the same answer when asked for again with that key, also after a crash in between. An act that
// met another one half-way is tried again from its beginning, so it keeps nothing outside itself.
package act

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/clock"
	"nevrin/app/event"
	"nevrin/app/live"
	"nevrin/app/network"
	"nevrin/app/outside"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/core/sight"
	"nevrin/core/why"
	"nevrin/formats/sms"
	"nevrin/store"
	"nevrin/store/eventsdb"
	"nevrin/store/keepingdb"
)

// Actor is the person who acts, and the branch where they are.
type Actor struct {
	ID     int64
	Name   string
	Role   role.Role
	Branch calendar.Code

	Branches []calendar.Code // where they may work beside their own branch
	Rights   settings.Rights // what they may otherwise than their role says
	Home     calendar.Code   // their own

	Request string // the request in which they do it; empty for what happens by itself
}

// MayWorkAt tells whether the actor may work at a branch.
func (w Actor) MayWorkAt(branch calendar.Code) bool {
	return w.Role.MayWorkAt(branch, w.Home, w.Branches)
}

// MayActOn tells whether the actor, where they are, may go on with or undo what belongs to a branch.
func (w Actor) MayActOn(branch calendar.Code) bool { return w.Role.MayActOn(branch, w.Branch) }

// Machine is the actor of what happens by itself, such as nightly work.
var Machine = Actor{Name: "Nevrin", Role: role.Administrator}

// House is everything acts need. One serves all requests.
type House struct {
	Store *store.Store
	Jobs  *river.Client[*sql.Tx]
	Live  *live.Feed // told of what acts have changed; nil where nobody listens
	Keys  door.Keys  // by which the secrets of second factors are sealed

	Outside outside.Reach      // what can be reached of services of others
	Mail    outside.MailServer // which takes email
	Texts   sms.Gateway        // which takes text messages

	networks network.Cache
	clock    clock.Watch
}

// Faults are parts of what is stored that cannot be read, and what is wrong with the clock: for an administrator.
func (a *Act) Faults() []network.Fault {
	out := a.Network.Faults()
	if says := a.House.clock.Says(); says != "" {
		out = append(out, network.Fault{Part: "The clock", Says: says})
	}
	return out
}

// Act is one thing being done.
type Act struct {
	Tx      *store.Tx
	Context context.Context
	House   *House
	Who     Actor
	Now     time.Time // in the network's zone; once something is locked, not before others have let go of it
	Network *network.Network
	Book    *network.Edition // in force today

	events  []eventsdb.Event
	touched []event.Area
}

// Look runs a question that changes nothing.
func Look[T any](ctx context.Context, h *House, who Actor, ask func(*Act) (T, error)) (T, error) {
	var out T
	err := h.Store.Read(ctx, func(tx *store.Tx) error {
		moment, _, err := tx.Begin(false, "")
		if err != nil {
			return err
		}
		a, err := h.begin(ctx, tx, who, moment)
		if err == nil {
			out, err = ask(a)
		}
		return err
	})
	return out, err
}

// Do runs a change. With a key, the same key and request give the same answer again; the same key with another request
// is refused. An act that changed nothing keeps no answer: asked again, it looks again.
func Do[T any](
	ctx context.Context,
	h *House,
	who Actor,
	key string,
	request any,
	change func(*Act) (T, error),
) (T, error) {
	var out T
	digest := ""
	if key != "" {
		var err error
		if digest, err = digestOf(who, request); err != nil {
			return out, err
		}
	}
	var touched []event.Area
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		var none T
		out, touched = none, nil
		moment, earlier, err := tx.Begin(true, key)
		if err != nil {
			return err
		}
		if earlier != nil {
			return repeat(earlier, digest, &out)
		}
		if err := h.clock.GoesForward(moment.Now); err != nil {
			return err
		}
		a, err := h.begin(ctx, tx, who, moment)
		if err != nil {
			return err
		}
		if err := a.stillOpen(); err != nil {
			return err
		}
		if out, err = change(a); err != nil {
			return err
		}
		touched = a.touched
		changed := len(a.events) > 0 || tx.Wrote()
		if err := eventsdb.AddEvents(tx, a.events); err != nil {
			return err
		}
		if key == "" || !changed {
			return nil
		}
		response, err := json.Marshal(out)
		if err != nil {
			return err
		}
		tx.KeepAnswer(key, who.ID, digest, response)
		return nil
	})
	if err == nil {
		h.Live.Changed(who.Branch, touched...)
	}
	return out, err
}

// stillOpen refuses to do anything at a branch that has been closed permanently while somebody worked there.
func (a *Act) stillOpen() error {
	if a.Who.Branch == "" {
		return nil
	}
	_, err := a.Network.OpenBranch(a.Who.Branch)
	return err
}

func digestOf(who Actor, request any) (string, error) {
	data, err := json.Marshal(request)
	sum := sha256.Sum256(data)
	return fmt.Sprintf("%T %d %s %s", request, who.ID, who.Branch, hex.EncodeToString(sum[:8])), err
}

func repeat(earlier *store.Answered, digest string, out any) error {
	if earlier.Request != digest {
		return problem.Newf(problem.Repeated, "This key has been used for another request. A new request needs a new key.")
	}
	return json.Unmarshal([]byte(earlier.Response), out)
}

func (h *House) begin(ctx context.Context, tx *store.Tx, who Actor, at store.Moment) (*Act, error) {
	if at.Version == 0 || !at.Edition.Valid {
		return nil, problem.Newf(
			problem.Refused,
			"This network has not been set up yet: there is no network or no rulebook in force. Set it up with 'nevrin setup' or 'nevrin demo'.",
		)
	}
	a := &Act{Tx: tx, Context: ctx, House: h, Who: who, Now: at.Now}
	var err error
	if a.Network, err = h.networks.At(tx, at.Version, calendar.DateOf(at.Now)); err != nil {
		return nil, err
	}
	a.Now = a.Now.In(a.Network.Location)
	tx.KeepTime(func(now time.Time) error {
		a.Now = now.In(a.Network.Location)
		return h.clock.GoesForward(now) // it may have been set back while locks were waited for
	})
	a.Book, err = a.Network.InForce(tx, at.Edition.Int64)
	return a, err
}

// May gives the actor's rights, by their role and their own.
func (a *Act) May() settings.Entitled { return a.Network.Settled.Limits.Of(a.Who.Role, a.Who.Rights) }

// Style gives the network's way to write dates and times.
func (a *Act) Style() calendar.Style { return a.Network.Settled.Style }

// SayDate writes a date for an answer that is read now: with its year only if that is not this year. What is stored or sent has
// Network.SayDate.
func (a *Act) SayDate(d calendar.Date) string { return a.Style().Near(d, a.Today()) }

// SayInstant does the same for an instant, by the clock of the branch.
func (a *Act) SayInstant(t time.Time) string {
	b := a.Here()
	return a.SayDate(b.Date(t)) + ", " + b.SayClock(t)
}

// Today is the date at the actor's branch; of the network's own zone for what happens by itself.
func (a *Act) Today() calendar.Date {
	if a.Who.Branch == "" {
		return calendar.DateOf(a.Now)
	}
	return a.Here().Date(a.Now)
}

// HasScanned tells whether the actor has scanned a patron's card at this branch lately; HasOpened whether they have opened
// the record, by whatever way.
func (a *Act) HasScanned(patron int64) (bool, error) { return a.hasRead(patron, "scanned") }

// HasOpened tells whether the actor has opened a patron's record at this branch lately.
func (a *Act) HasOpened(patron int64) (bool, error) { return a.hasRead(patron, "scanned", "opened") }

func (a *Act) hasRead(patron int64, kinds ...string) (bool, error) {
	return keepingdb.HasRead(a.Tx, a.Who.ID, patron, a.Who.Branch, a.Now.Add(-sight.InHand), kinds)
}

// Here is the calendar of the branch where the actor is.
func (a *Act) Here() *calendar.Branch { return a.Network.Timetable.Branches[a.Who.Branch].Branch }

// Edition gives any edition.
func (a *Act) Edition(id int64) (*network.Edition, error) { return a.Network.Edition(a.Tx, id) }

// Tell appends an event. It is written with what else the act has to write.
func (a *Act) Tell(e event.Event) {
	row := eventsdb.Event{
		At: a.Now, Kind: string(e.Kind), StaffID: OrNil(a.Who.ID), PatronID: OrNil(e.Patron), ItemID: OrNil(e.Item),
		LoanID: OrNil(e.Loan), HoldID: OrNil(e.Hold), RequestID: OrNil(e.Request), MessageID: OrNil(e.Message),
		Why: store.JSON(e.Why),
	}
	if e.Detail != (event.Detail{}) {
		row.Detail = store.JSON(&e.Detail)
	}
	if a.Who.Branch != "" {
		row.BranchCode = &a.Who.Branch
	}
	if a.Who.Request != "" {
		row.Request = &a.Who.Request
	}
	a.events = append(a.events, row)
	a.Touch(e.Kind.Areas()...)
	if e.Patron != 0 {
		a.Touch(event.OfPatron(e.Patron))
	}
}

// Touch says that something in an area of the work is other than before, where no event of that area tells it.
func (a *Act) Touch(areas ...event.Area) { a.touched = append(a.touched, areas...) }

// Enqueue sets a job to work once the act is done. Without a job queue, as in tests, nothing is set.
func (a *Act) Enqueue(job river.JobArgs) error { return a.EnqueueIn(0, job) }

// EnqueueIn sets a job to work a while after the act is done.
func (a *Act) EnqueueIn(after time.Duration, job river.JobArgs) error {
	if a.House.Jobs == nil {
		return nil
	}
	if err := a.Tx.Flush(); err != nil {
		return err
	}
	options := &river.InsertOpts{}
	if after > 0 {
		options.ScheduledAt = time.Now().Add(after)
	}
	_, err := a.House.Jobs.InsertTx(a.Context, a.Tx.SQLTx(), job, options)
	return err
}

// EnqueueMany sets several jobs to work once the act is done.
func (a *Act) EnqueueMany(jobs []river.InsertManyParams) error {
	if a.House.Jobs == nil || len(jobs) == 0 {
		return nil
	}
	if err := a.Tx.Flush(); err != nil {
		return err
	}
	_, err := a.House.Jobs.InsertManyTx(a.Context, a.Tx.SQLTx(), jobs)
	return err
}

// OrNil gives an id for a column; null for 0.
func OrNil(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// Trace reads a trace back from a jsonb column.
func Trace(data json.RawMessage) *why.Trace {
	if len(data) == 0 {
		return nil
	}
	var t why.Trace
	if json.Unmarshal(data, &t) != nil {
		return nil
	}
	return &t
}
