package person

import (
	"fmt"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/role"
)

// MayChangeStatus tells why somebody with a role may not bring a patron from one standing to another, in a sentence, and whether that
// is for who is asking; empty: they may. Who supervises excludes, and takes it back; whatever is not active has a reason.
func MayChangeStatus(by role.Role, was, is loan.Status, reason string) (says string, forbidden bool) {
	if (was == loan.Excluded) != (is == loan.Excluded) && !by.Supervises() {
		return "Only supervisors can exclude somebody or lift that.", true
	}
	if is != loan.Active && reason == "" {
		return fmt.Sprintf("Enter why this patron is %s.", is), false
	}
	return "", false
}

// ToConfirm tells whether somebody is to be asked whether what is written of them is still right: once in so many months since
// they last said so, or joined; 0: never.
func ToConfirm(confirmed, joined *calendar.Date, today calendar.Date, months int) bool {
	since := confirmed
	if since == nil {
		since = joined
	}
	if months == 0 {
		return false
	}
	return since == nil || calendar.DateOf(since.UTC().AddDate(0, months, 0)) <= today
}
