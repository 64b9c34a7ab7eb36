package moving

import (
	"cmp"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/tote"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
	"nevrin/store/transitsdb"
)

// Moved is a promise that another timetable changes.
type Moved struct {
	TransitID int64         `json:"transit_id,omitempty"`
	HoldID    int64         `json:"hold_id,omitempty" doc:"None: it only goes home"`
	ItemID    int64         `json:"item_id"`
	Title     string        `json:"title"`
	Barcode   string        `json:"barcode"`
	From      string        `json:"from"`
	To        string        `json:"to"`
	ToBranch  calendar.Code `json:"to_branch"`
	For       string        `json:"for" doc:"Whose hold it is; empty: nobody's"`
	Was       *time.Time    `json:"was,omitempty"`
	Is        *time.Time    `json:"is,omitempty" doc:"None: nothing gets there any more"`
}

// Aboard is a tote that was taken by a run which would not go any more: somebody has to say where it is.
type Aboard struct {
	ID     int64  `json:"id"`
	Number string `json:"number"`
	From   string `json:"from"`
	To     string `json:"to"`
	Things int    `json:"things"`
	At     string `json:"at" doc:"Where it was seen last"`
}

// Retimed is the effect of another timetable on promises.
type Retimed struct {
	Later   int      `json:"later"`
	Sooner  int      `json:"sooner"`
	Never   int      `json:"never" doc:"Nothing gets there any more"`
	Patrons int      `json:"patrons" doc:"How many people who wait it concerns"`
	Moved   []Moved  `json:"moved" nullable:"false" doc:"The worst first, up to 500"`
	Aboard  []Aboard `json:"aboard" nullable:"false" doc:"Totes that a run has taken which would not go any more"`

	all []Moved
}

// retimedMost is how many of them are shown.
const retimedMost = 500

// retimeBack is the number of past days whose transits are included; what was sent earlier is missing in transit.
const retimeBack = 28

// Retime works out what another timetable would do to what has been promised: to what is in transit, and to what is being
// fetched. What has missed its promise already is left to be searched for.
func Retime(a *act.Act, was, is *courier.Timetable) (*Retimed, error) {
	rows, err := holdsdb.PromisedTransits(a.Tx, a.Now.AddDate(0, 0, -retimeBack))
	if err != nil {
		return nil, err
	}
	first := calendar.DateOf(a.Now).Add(-retimeBack)
	before, after := was.Prepare(first, 2*retimeBack), is.Prepare(first, 2*retimeBack)
	out := &Retimed{Moved: []Moved{}, Aboard: []Aboard{}}
	patrons := map[int64]bool{}
	for k := range rows {
		r := &rows[k]
		if r.PromisedAt == nil || r.PromisedAt.Before(a.Now) {
			continue
		}
		leaves := func(p *courier.Prepared) *time.Time {
			ready := r.SentAt
			if ready == nil {
				at, ok := p.Table().Branches[r.FromBranch].OpenTimeFrom(a.Now, a.Network.FetchMinutes)
				if !ok {
					return nil
				}
				ready = &at
			}
			_, shelf, ok := p.Arrival(r.FromBranch, r.ToBranch, *ready)
			if !ok {
				return nil
			}
			shelf = shelf.In(a.Network.Location)
			return &shelf
		}
		old, fresh := leaves(before), leaves(after)
		if same(old, fresh) {
			continue
		}
		out.count(old, fresh)
		if r.PatronID != 0 {
			patrons[r.PatronID] = true
		}
		out.all = append(out.all, moved(a, r, fresh))
	}
	out.Patrons = len(patrons)
	out.sort()
	return out, out.aboard(a, was, is)
}

// aboard finds the totes that a run has taken which goes by one timetable and not by another.
func (r *Retimed) aboard(a *act.Act, was, is *courier.Timetable) error {
	rows, err := transitsdb.TotesAway(a.Tx)
	for k := range rows {
		b := &rows[k]
		on := *store.DateOf(b.RunDate)
		if was.Goes(*b.RunID, on) && !is.Goes(*b.RunID, on) {
			r.Aboard = append(r.Aboard, Aboard{
				ID: b.ID, Number: tote.Number(b.ID), From: a.Network.BranchName(b.FromBranch),
				To:     a.Network.BranchName(b.ToBranch),
				Things: b.Inside, At: a.Network.BranchName(b.AtBranch),
			})
		}
	}
	return err
}

// sort puts the worst first: what never gets there, then what is latest against what was said.
func (r *Retimed) sort() {
	worse := func(m *Moved) time.Duration {
		if m.Is == nil {
			return 1 << 62
		}
		return m.Is.Sub(*m.Was)
	}
	slices.SortStableFunc(r.all, func(x, y Moved) int { return cmp.Compare(worse(&y), worse(&x)) })
	r.Moved = append(r.Moved, r.all[:min(len(r.all), retimedMost)]...)
}

func same(a, b *time.Time) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }

func (r *Retimed) count(was, is *time.Time) {
	switch {
	case is == nil:
		r.Never++
	case was == nil || is.Before(*was):
		r.Sooner++
	default:
		r.Later++
	}
}

func moved(a *act.Act, r *holdsdb.Promised, is *time.Time) Moved {
	m := Moved{
		TransitID: r.TransitID, HoldID: r.HoldID, ItemID: r.ItemID, Title: r.Title, Barcode: r.Barcode,
		From: a.Network.BranchName(r.FromBranch), To: a.Network.BranchName(r.ToBranch), ToBranch: r.ToBranch,
		Was: r.PromisedAt, Is: is,
	}
	if r.HoldID != 0 {
		m.For = ShelfName(a, r.ToBranch, &peopledb.Patron{
			LegalName: r.LegalName, PreferredName: r.PreferredName, ShelfName: r.ShelfName,
		})
	}
	return m
}

// Keep writes the promises that another timetable has moved.
func (r *Retimed) Keep(a *act.Act) {
	for _, m := range r.all {
		holdsdb.Promise(a.Tx, m.TransitID, m.HoldID, m.Is)
	}
}
