package person

import (
	"fmt"

	"nevrin/core/loan"
	"nevrin/core/role"
)

// Restand tells why somebody with a role may not bring a patron from one standing to another, in a sentence, and whether that
// is for who is asking; empty: they may. Who supervises excludes, and takes it back; whatever is not active has a reason.
func Restand(by role.Role, was, is loan.Standing, reason string) (says string, forbidden bool) {
	if (was == loan.Excluded) != (is == loan.Excluded) && !by.Supervises() {
		return "Who supervises excludes somebody, and takes it back.", true
	}
	if is != loan.Active && reason == "" {
		return fmt.Sprintf("Say why this patron is %s.", is), false
	}
	return "", false
}
