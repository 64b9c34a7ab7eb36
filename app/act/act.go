// Package act is what all places of work share: an Act is one thing that somebody does.
//
// An Act is one database transaction with one reading of the clock, the person who does it, the
// network as it stands and the rulebook in force. What it changes it also tells: every change
// appends an event in the same transaction. An act with a key gives the same answer when asked
// for again with that key, also after a crash in between.
package act

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/formats/ical"
	"nevrin/store"
)

// Kind says what sort of problem stands in the way, so that the server can choose a status.
type Kind int

const (
	Invalid   Kind = iota // what was asked makes no sense
	Missing               // there is no such thing
	Refused               // it cannot be done as things stand
	Forbidden             // this person may not
)

// Problem is an error for a person to read: what is wrong and what would be right.
type Problem struct {
	Kind Kind
	Text string
}

func (p *Problem) Error() string { return p.Text }

// Problemf builds a problem from a sentence.
func Problemf(kind Kind, format string, args ...any) error {
	return &Problem{kind, fmt.Sprintf(format, args...)}
}

// Actor is who does it, and at which branch they are.
type Actor struct {
	ID     int64
	Name   string
	Role   string
	Branch string
}

// Machine is the actor of what happens by itself, such as nightly work.
var Machine = Actor{Name: "Nevrin", Role: "administrator"}

// Network is the network as it stands, shared by all acts until something in it changes.
type Network struct {
	store.Network
	Location  *time.Location
	Money     money.Currency
	Branches  []*calendar.Branch
	Public    map[string]bool // branches whose hold shelf the public can see
	Timetable *courier.Timetable
	Classes   []store.Class
}

// Branch finds a branch by its code.
func (n *Network) Branch(code string) (*calendar.Branch, error) {
	if b, ok := n.Timetable.Branches[code]; ok {
		return b.Branch, nil
	}
	return nil, Problemf(Missing, "There is no branch %q.", code)
}

// BranchName is the name of a branch that is known to exist.
func (n *Network) BranchName(code string) string { return n.Timetable.Branches[code].Name }

// ClassName is the name of a patron class, material class or collection.
func (n *Network) ClassName(kind, code string) string {
	for _, c := range n.Classes {
		if c.Kind == kind && c.Code == code {
			return c.Name
		}
	}
	return code
}

// Edition is a rulebook with the edition it is.
type Edition struct {
	*rulebook.Rulebook
	ID     int64
	Number int
}

// House is everything acts need. One serves all requests.
type House struct {
	DB   *gorm.DB
	Jobs *river.Client[*sql.Tx]

	mu      sync.Mutex
	network *Network
	books   map[int64]*Edition // of the present network
}

// Act is one thing being done.
type Act struct {
	*gorm.DB
	Context context.Context
	House   *House
	Who     Actor
	Now     time.Time
	Network *Network
	Book    *Edition // in force today
}

// Look runs a question that changes nothing.
func Look[T any](ctx context.Context, h *House, who Actor, ask func(*Act) (T, error)) (T, error) {
	var out T
	err := h.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		a, err := h.begin(ctx, tx, who)
		if err == nil {
			out, err = ask(a)
		}
		return err
	}, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	return out, err
}

// Do runs a change. With a key, the same key and request give the same answer again; the same key
// with another request is refused.
func Do[T any](ctx context.Context, h *House, who Actor, key string, request any, change func(*Act) (T, error)) (T, error) {
	var out T
	err := h.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		digest := ""
		if key != "" {
			var err error
			if digest, err = digestOf(who, request); err != nil {
				return err
			}
			if known, err := answered(tx, key, digest, &out); known || err != nil {
				return err
			}
		}
		a, err := h.begin(ctx, tx, who)
		if err != nil {
			return err
		}
		if out, err = change(a); err != nil || key == "" {
			return err
		}
		response, err := json.Marshal(out)
		if err != nil {
			return err
		}
		return tx.Exec("INSERT INTO answers (key, staff_id, request, response) VALUES (?, ?, ?, ?)", key, who.ID, digest, string(response)).Error
	})
	return out, err
}

func digestOf(who Actor, request any) (string, error) {
	data, err := json.Marshal(request)
	sum := sha256.Sum256(data)
	return fmt.Sprintf("%T %d %s %s", request, who.ID, who.Branch, hex.EncodeToString(sum[:8])), err
}

// answered looks for an earlier answer; a lock on the key keeps two equal requests apart.
func answered(tx *gorm.DB, key, digest string, out any) (bool, error) {
	if err := tx.Exec("SELECT pg_advisory_xact_lock(hashtextextended(?, 0))", key).Error; err != nil {
		return false, err
	}
	var earlier struct{ Request, Response string }
	found := tx.Raw("SELECT request, response FROM answers WHERE key = ?", key).Scan(&earlier)
	if found.Error != nil || found.RowsAffected == 0 {
		return false, found.Error
	}
	if earlier.Request != digest {
		return true, Problemf(Invalid, "This key has been used for another request. A new request needs a new key.")
	}
	return true, json.Unmarshal([]byte(earlier.Response), out)
}

// begin reads clock, network version and edition in one round trip.
func (h *House) begin(ctx context.Context, tx *gorm.DB, who Actor) (*Act, error) {
	var at struct {
		Version int64
		Now     time.Time
		Edition sql.NullInt64
	}
	err := tx.Raw(`
		WITH now AS (SELECT n.version, n.timezone, coalesce(c.shows + (clock_timestamp() - c.real_at), clock_timestamp()) AS now
		             FROM network n LEFT JOIN training_clock c ON true)
		SELECT now.version, now.now, (
			SELECT id FROM editions WHERE state = 'in_force' AND starts_on <= (now.now AT TIME ZONE now.timezone)::date
			ORDER BY starts_on DESC, started_at DESC LIMIT 1) AS edition
		FROM now`).Scan(&at).Error
	if err != nil {
		return nil, err
	}
	if at.Version == 0 || !at.Edition.Valid {
		return nil, Problemf(Refused, "This network has not been set up yet: there is no network or no rulebook in force. Set it up with 'nevrin setup' or 'nevrin demo'.")
	}
	a := &Act{DB: tx, Context: ctx, House: h, Who: who, Now: at.Now}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.network == nil || h.network.Version != at.Version {
		if h.network, err = loadNetwork(tx, calendar.DateOf(at.Now)); err != nil {
			return nil, err
		}
		h.books = map[int64]*Edition{}
	}
	a.Network = h.network
	a.Now = a.Now.In(a.Network.Location)
	a.Book, err = h.book(tx, at.Edition.Int64)
	return a, err
}

// Today is the date of the network's own zone.
func (a *Act) Today() calendar.Date { return calendar.DateOf(a.Now) }

// Here is the calendar of the branch where the actor is.
func (a *Act) Here() *calendar.Branch { return a.Network.Timetable.Branches[a.Who.Branch].Branch }

// Edition gives any edition, parsed once for the present network.
func (a *Act) Edition(id int64) (*Edition, error) {
	if a.Book != nil && a.Book.ID == id {
		return a.Book, nil
	}
	a.House.mu.Lock()
	defer a.House.mu.Unlock()
	return a.House.book(a.DB, id)
}

// book gives an edition in force from the cache; a draft changes and is read each time.
func (h *House) book(tx *gorm.DB, id int64) (*Edition, error) {
	if e, ok := h.books[id]; ok {
		return e, nil
	}
	var row store.Edition
	if err := tx.First(&row, id).Error; err != nil {
		return nil, NotFound(err, "edition")
	}
	book, err := ParseEdition(h.network, &row)
	if err != nil {
		return nil, fmt.Errorf("edition %d: %w", row.Number, err)
	}
	e := &Edition{book, row.ID, row.Number}
	if row.State == "in_force" {
		h.books[id] = e
	}
	return e, nil
}

// ParseEdition reads the rules of an edition against the network, without its examples.
func ParseEdition(n *Network, row *store.Edition) (*rulebook.Rulebook, error) {
	return rulebook.ReadParts(rulebook.Parts{Rules: row.Rules, Ranking: row.Ranking}, n.Money, n.Branches)
}

func loadNetwork(tx *gorm.DB, today calendar.Date) (*Network, error) {
	n := &Network{Public: map[string]bool{}}
	if err := tx.Take(&n.Network).Error; err != nil {
		return nil, err
	}
	var branches []store.Branch
	var runs []store.Run
	if err := errors.Join(
		tx.Order("position").Find(&branches).Error,
		tx.Order("position").Find(&runs).Error,
		tx.Order("kind, position").Find(&n.Classes).Error,
	); err != nil {
		return nil, err
	}
	var err error
	if n.Money, err = money.ParseCurrency(n.Currency); err != nil {
		return nil, err
	}
	if n.Location, err = calendar.ParseLocation(n.Timezone); err != nil {
		return nil, err
	}
	// Branches and runs are kept in the form of the courier file, and read as one.
	file := map[string]any{"format": courier.Format, "timezone": n.Timezone}
	list, plans := []map[string]any{}, []json.RawMessage{}
	for _, b := range branches {
		one, err := BranchFile(&b, today)
		if err != nil {
			return nil, err
		}
		list = append(list, one)
		n.Public[b.Code] = b.PublicShelf
	}
	for _, r := range runs {
		plans = append(plans, r.Plan)
	}
	file["branches"], file["runs"] = list, plans
	data, err := json.Marshal(file)
	if err != nil {
		return nil, err
	}
	f, err := courier.Read(data)
	if err != nil {
		return nil, fmt.Errorf("branches and courier as stored: %w", err)
	}
	n.Timetable = f.Timetable
	for _, b := range branches {
		n.Branches = append(n.Branches, f.Timetable.Branches[b.Code].Branch)
	}
	return n, nil
}

// recurringYears is for how many years to come recurring closures are worked out: beyond the two years that
// sums look ahead, by as long as a program may run.
const recurringYears = 7

// BranchFile is a branch in the form of the courier file, its recurring closures as single ones.
func BranchFile(b *store.Branch, today calendar.Date) (map[string]any, error) {
	closures := []map[string]any{}
	if err := json.Unmarshal(b.Closures, &closures); err != nil {
		return nil, fmt.Errorf("closures of %s: %w", b.Code, err)
	}
	var recurring []struct {
		From calendar.Date
		Days int
		Rule string
		Name string
	}
	if len(b.Recurring) > 0 {
		if err := json.Unmarshal(b.Recurring, &recurring); err != nil {
			return nil, fmt.Errorf("recurring closures of %s: %w", b.Code, err)
		}
	}
	for _, r := range recurring {
		starts, err := ical.Occurrences(r.Rule, r.From, today.AddYears(recurringYears))
		if err != nil {
			return nil, err
		}
		for _, d := range starts {
			closures = append(closures, map[string]any{"from": d, "to": d.Add(r.Days - 1), "name": r.Name})
		}
	}
	return map[string]any{"code": b.Code, "name": b.Name, "zone": b.Zone, "timezone": b.Timezone, "hours": b.Hours, "closures": closures, "openings": b.Openings,
		"sort_minutes": b.SortMinutes, "receive_minutes": b.ReceiveMinutes}, nil
}

// ReadCalendar reads a branch as it is stored; the error says what is wrong and where.
func ReadCalendar(b *store.Branch, today calendar.Date) (*calendar.Branch, error) {
	one, err := BranchFile(b, today)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(map[string]any{"format": courier.Format, "timezone": b.Timezone, "branches": []any{one}, "runs": []any{}})
	if err != nil {
		return nil, err
	}
	f, err := courier.Read(data)
	if err != nil {
		return nil, err
	}
	return f.Timetable.Branches[b.Code].Branch, nil
}

// Happened is an event about to be told; who, where and when are added.
type Happened struct {
	Kind                     string
	Patron, Item, Loan, Hold int64
	Text                     string
	Why                      *why.Trace
}

// Tell appends an event.
func (a *Act) Tell(h Happened) error {
	e := store.Event{At: a.Now, Kind: h.Kind, StaffID: orNil(a.Who.ID), PatronID: orNil(h.Patron), ItemID: orNil(h.Item),
		LoanID: orNil(h.Loan), HoldID: orNil(h.Hold), Text: h.Text, Why: JSON(h.Why)}
	if a.Who.Branch != "" {
		e.BranchCode = &a.Who.Branch
	}
	return a.Create(&e).Error
}

func orNil(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// JSON writes a value for a jsonb column; nil gives null.
func JSON[T any](v *T) json.RawMessage {
	if v == nil {
		return nil
	}
	data, err := json.Marshal(v)
	if err != nil {
		panic("act: plain data did not marshal: " + err.Error())
	}
	return data
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

// NotFound turns a missing row into a problem that names what is missing.
func NotFound(err error, what string) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return Problemf(Missing, "There is no such %s.", what)
	}
	return err
}

// DateOf reads a date column; nil stays nil.
func DateOf(t *time.Time) *calendar.Date {
	if t == nil {
		return nil
	}
	d := calendar.DateOf(t.UTC())
	return &d
}

// Column gives a date for a date column.
func Column(d calendar.Date) *time.Time {
	t := d.UTC()
	return &t
}
