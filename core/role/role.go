// Package role names what somebody may be here, and what each may do that not everybody may.
//
// Roles are few and stand in an order of trust, but no role includes another by itself: every right names the roles
// that have it.
package role

import (
	"fmt"
	"slices"

	"nevrin/core/calendar"
	"nevrin/core/expect"
)

// Role is the job of a member of staff, such as desk or supervisor.
type Role string

// The roles.
const (
	Administrator Role = "administrator"
	Supervisor    Role = "supervisor"
	Interlibrary  Role = "interlibrary"
	Desk          Role = "desk"
	Volunteer     Role = "volunteer"
)

// Groups of roles that may do an operation.
var (
	Everyone    = []Role{Administrator, Supervisor, Interlibrary, Desk, Volunteer}
	Employed    = []Role{Administrator, Supervisor, Interlibrary, Desk}
	Supervising = []Role{Administrator, Supervisor}
)

// Parse reads a role; the error says which there are.
func Parse(text string) (Role, error) {
	if r := Role(text); slices.Contains(Everyone, r) {
		return r, nil
	}
	return "", expect.Errorf(fmt.Sprintf("one of %v", Everyone), "found role %q", text)
}

// MayActOn tells whether a role at a branch may go on with, or undo, what belongs to a branch: its own does that, and who
// supervises.
func (r Role) MayActOn(of, at calendar.Code) bool { return of == at || r.Supervises() }

// MayWorkAt tells whether a role may work at a branch: at its person's own, where they are let, and everywhere if it
// supervises.
func (r Role) MayWorkAt(branch, own calendar.Code, let []calendar.Code) bool {
	return r.Supervises() || branch == own || slices.Contains(let, branch)
}

// Supervises tells whether a role answers for the rules: it sets them, and may go past them with a reason.
func (r Role) Supervises() bool { return slices.Contains(Supervising, r) }

// LeavesNobody tells whether an administrator who becomes something else, or no longer works here, would leave no administrator.
// Others is how many more there are.
func LeavesNobody(was, is Role, works bool, others int) bool {
	return was == Administrator && (is != Administrator || !works) && others == 0
}

// MayWithdraw tells whether a role may withdraw items.
func (r Role) MayWithdraw() bool { return slices.Contains(Employed, r) }
