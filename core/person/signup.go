package person

import (
	"slices"

	"nevrin/core/calendar"
)

// own are the fields, beside their name, that people write of themselves when they sign up.
var own = []Field{PreferredName, Born, Guardian, Email, Phone, Address, PostalCode, Town}

// Unseen is the reason shown while somebody who signed up online cannot borrow yet.
const Unseen = "Signed up online; ID not checked yet"

// Own are the fields that people write of themselves, as far as a network does not hide them, in the order of the form.
func (n Needs) Own() []Field {
	return slices.DeleteFunc(slices.Clone(own), func(f Field) bool { return n.Of(f) == Hidden })
}

// Own are the fields that people may fill in themselves when they sign up.
func (r *Record) Own(needs Needs) Record {
	out := Record{LegalName: r.LegalName, Branch: r.Branch, Language: r.Language}
	for _, f := range needs.Own() {
		switch f {
		case PreferredName:
			out.PreferredName = r.PreferredName
		case Born:
			out.Born = r.Born
		case Email:
			out.Email = r.Email
		case Phone:
			out.Phone = r.Phone
		case Address:
			out.Address = r.Address
		case PostalCode:
			out.PostalCode = r.PostalCode
		case Town:
			out.Town = r.Town
		case Guardian:
			out.GuardianName = r.GuardianName
		}
	}
	out.Tidy()
	return out
}

// CheckOwn tells what is wrong with what somebody wrote of themselves. What only staff can fill is not asked of them.
func (r *Record) CheckOwn(needs Needs, today calendar.Date) []Wrong {
	shown := needs.Own()
	return slices.DeleteFunc(r.Check(needs, nil, today), func(w Wrong) bool {
		return w.Field != "legal_name" && !slices.Contains(shown, w.Field)
	})
}

// Unreachable tells what is wrong where somebody has to be reached: a phone number or an email address.
func (r *Record) Unreachable() []Wrong {
	if r.Phone != "" || r.Email != "" {
		return nil
	}
	return []Wrong{{Email, "Enter an email address or a phone number so that we can reach you."}}
}

// ClassFor gives the class that a branch offers to somebody of an age, or else the first that it offers; empty where it offers
// none.
func ClassFor(classes []Class, branch calendar.Code, age *int) string {
	here := slices.DeleteFunc(slices.Clone(classes), func(c Class) bool { return !c.Offered(branch) })
	if age != nil {
		if code := Propose(here, *age); code != "" {
			return code
		}
	}
	if len(here) == 0 {
		return ""
	}
	return here[0].Code
}
