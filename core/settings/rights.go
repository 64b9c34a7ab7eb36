package settings

import (
	"encoding/json"
	"fmt"
	"slices"

	"nevrin/core/expect"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/role"
)

// Rights are where one person's rights differ from their role's. Nil means as the role has it.
type Rights struct {
	Waive    *Most           `json:"waive,omitempty" doc:"The most that they waive at once"`
	BackDays *int            `json:"back_days,omitempty" minimum:"0" maximum:"366" doc:"How many days before the last open day a return may count"`
	Past     []loan.StopKind `json:"past,omitempty" maxItems:"20" nullable:"false" doc:"What they may lend past beside what their role may"`
	Consents *bool           `json:"consents,omitempty" doc:"Whether they change a consent that has been given"`
	DueDates *bool           `json:"due_dates,omitempty" doc:"Whether they set due dates by hand"`
	History  *bool           `json:"history,omitempty" doc:"Whether they look at the histories that patrons show"`
}

// Most is a sum that is not gone beyond.
type Most struct {
	Sum *money.Amount `json:"sum" doc:"In minor units; null: without limit"`
}

// ReadRights reads the rights of a person as they are stored.
func ReadRights(data []byte) (Rights, error) {
	var r Rights
	if err := json.Unmarshal(data, &r); err != nil {
		return r, fmt.Errorf("rights: %w", err)
	}
	return r, r.Check()
}

// Check tells what is wrong with rights.
func (r Rights) Check() error {
	if r.Waive != nil && r.Waive.Sum != nil && *r.Waive.Sum < 0 {
		return expect.Errorf("a sum of 0 or more", "a limit for waiving of %d", *r.Waive.Sum)
	}
	for _, stop := range r.Past {
		if !slices.Contains(loan.StopKinds, stop) {
			return expect.Errorf(fmt.Sprintf("one of %v", loan.StopKinds), "the stop %q", stop)
		}
	}
	return nil
}

// Entitled are somebody's rights: their role's, as the network has settled them, overridden by their own.
type Entitled struct {
	role   role.Role
	limits Limits
	own    Rights
}

// Of gives what somebody with a role and rights of their own may.
func (l Limits) Of(r role.Role, own Rights) Entitled { return Entitled{r, l, own} }

// MayWaive tells whether a sum may be waived at once; otherwise the most that may. A role that is not named waives nothing.
func (e Entitled) MayWaive(sum money.Amount) (most money.Amount, may bool) {
	limit, named := e.limits.Waive[e.role]
	if e.own.Waive != nil {
		limit, named = e.own.Waive.Sum, true
	}
	switch {
	case !named:
		return 0, false
	case limit == nil:
		return 0, true
	}
	return *limit, sum <= *limit
}

// MayPass tells whether a stop may be lent past. Nobody lends to who is excluded; what only asks, everybody answers.
func (e Entitled) MayPass(kind loan.StopKind) bool {
	if slices.Contains(loan.Asks, kind) {
		return true
	}
	return kind != loan.CardExcluded && (e.role.Supervises() || slices.Contains(e.limits.Past[kind], e.role) ||
		slices.Contains(e.own.Past, kind))
}

// BackDays limits how many days before the last open day a return may be backdated to; nil: no limit.
func (e Entitled) BackDays() *int {
	switch {
	case e.own.BackDays != nil:
		return e.own.BackDays
	case e.role.Supervises():
		return nil
	}
	return &e.limits.BackDays
}

// MayLetOff tells whether so many days of lateness may be let off; otherwise how many may.
func (e Entitled) MayLetOff(days int) (most int, may bool) {
	if e.role.Supervises() {
		return days, true
	}
	return e.limits.LetOff, days <= e.limits.LetOff
}

// MayChangeConsents tells whether somebody changes a consent that has been given before.
func (e Entitled) MayChangeConsents() bool {
	if e.own.Consents != nil {
		return *e.own.Consents
	}
	return e.role.Supervises() || slices.Contains(e.limits.Consents, e.role)
}

// MayKeepClass tells whether somebody adds and changes classes of a kind. Collections are part of what the network is made of, and
// for administrators alone.
func (e Entitled) MayKeepClass(kind string) bool {
	if e.role == role.Administrator {
		return true
	}
	return e.role.Supervises() && e.limits.Classes && (kind == "patron" || kind == "material")
}

// MaySetDue tells whether somebody sets due dates by hand.
func (e Entitled) MaySetDue() bool {
	if e.own.DueDates != nil {
		return *e.own.DueDates
	}
	return e.role.Supervises()
}

// SeesHistories tells whether somebody looks at the histories that patrons show.
func (e Entitled) SeesHistories() bool {
	if e.own.History != nil {
		return *e.own.History
	}
	return slices.Contains(role.Employed, e.role)
}
