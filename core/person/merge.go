package person

import (
	"fmt"
	"slices"

	"nevrin/core/loan"
)

// Side is one of two records that are to become one, as far as it decides whether they may.
type Side struct {
	Name        string
	Institution bool
	Partner     bool // a library outside borrows on it
	Standing    loan.Status
	Stopped     string // why they may look and not borrow
	Asks        int    // things that came back and are still being asked about
}

// MayMerge tells why one record is not merged into another, in a sentence; empty: it may be.
func MayMerge(gone, kept Side) string {
	switch {
	case gone.Partner || kept.Partner:
		return "One of these is a partner library’s account, so it cannot be merged."
	case gone.Institution != kept.Institution:
		return "One is an institution and the other a person."
	case gone.Standing != kept.Standing:
		return fmt.Sprintf("%s is %s here and %s there. Give both records the same status first.",
			kept.Name, kept.Standing, gone.Standing)
	case gone.Stopped != "" && gone.Stopped != Unseen && kept.Stopped == "": // who is known has been seen
		return fmt.Sprintf("%s is blocked in the record to be merged. Block the other too, or lift the block first.", kept.Name)
	case gone.Asks > 0 || kept.Asks > 0:
		return "A return of theirs still has an open question. Answer that in its return batch first."
	}
	return ""
}

// filling is what is known of a field that a merge fills: whether one record lacks it where the other has it, how it is
// taken over, and how it is taken out again.
type filling struct {
	name  Field
	lacks func(*Record) bool
	copy  func(to, from *Record)
	same  func(a, b *Record) bool
	clear func(*Record)
}

func text(name Field, of func(*Record) *string) filling {
	return filling{
		name:  name,
		lacks: func(r *Record) bool { return *of(r) == "" },
		copy:  func(to, from *Record) { *of(to) = *of(from) },
		same:  func(a, b *Record) bool { return *of(a) == *of(b) },
		clear: func(r *Record) { *of(r) = "" },
	}
}

// fillings are the fields that a merge fills, in the order in which they are told.
var fillings = []filling{
	text(PreferredName, func(r *Record) *string { return &r.PreferredName }),
	{
		Born, func(r *Record) bool { return r.Born == nil }, func(to, from *Record) { to.Born = from.Born },
		func(a, b *Record) bool { return a.Born != nil && b.Born != nil && *a.Born == *b.Born },
		func(r *Record) { r.Born = nil },
	},
	text(Email, func(r *Record) *string { return &r.Email }),
	text(Phone, func(r *Record) *string { return &r.Phone }),
	text(Text, func(r *Record) *string { return &r.Text }),
	{ // an address is one thing: a street is not put beside another's town
		Address, func(r *Record) bool { return r.Address == "" && r.PostalCode == "" && r.Town == "" },
		func(to, from *Record) { to.Address, to.PostalCode, to.Town = from.Address, from.PostalCode, from.Town },
		func(a, b *Record) bool {
			return a.Address == b.Address && a.PostalCode == b.PostalCode && a.Town == b.Town
		},
		func(r *Record) { r.Address, r.PostalCode, r.Town = "", "", "" },
	},
	text("language", func(r *Record) *string { return &r.Language }),
	text("home_address", func(r *Record) *string { return &r.HomeAddress }),
	{
		Guardian, func(r *Record) bool { return r.Guardian == 0 && r.GuardianName == "" },
		func(to, from *Record) { to.Guardian, to.GuardianName = from.Guardian, from.GuardianName },
		func(a, b *Record) bool { return a.Guardian == b.Guardian && a.GuardianName == b.GuardianName },
		func(r *Record) { r.Guardian, r.GuardianName = 0, "" },
	},
	{
		Identity, func(r *Record) bool { return r.Identity == "" },
		func(to, from *Record) { to.Identity, to.OfGuardian = from.Identity, from.OfGuardian },
		func(a, b *Record) bool { return a.Identity == b.Identity && a.OfGuardian == b.OfGuardian },
		func(r *Record) { r.Identity, r.OfGuardian = "", false },
	},
	text(IdentityTwo, func(r *Record) *string { return &r.IdentityTwo }),
	text(IdentityNumber, func(r *Record) *string { return &r.IdentityNumber }),
	text(School, func(r *Record) *string { return &r.School }),
	text(SchoolYear, func(r *Record) *string { return &r.SchoolYear }),
	{
		"household", func(r *Record) bool { return r.Household == 0 },
		func(to, from *Record) { to.Household = from.Household },
		func(a, b *Record) bool { return a.Household == b.Household }, func(r *Record) { r.Household = 0 },
	},
	{
		MayUse, func(r *Record) bool { return len(r.MayUse) == 0 },
		func(to, from *Record) { to.MayUse = slices.Clone(from.MayUse) },
		func(a, b *Record) bool { return slices.Equal(a.MayUse, b.MayUse) }, func(r *Record) { r.MayUse = []string{} },
	},
	{
		Marks, func(r *Record) bool { return len(r.Marks) == 0 },
		func(to, from *Record) { to.Marks = slices.Clone(from.Marks) },
		func(a, b *Record) bool { return slices.Equal(a.Marks, b.Marks) }, func(r *Record) { r.Marks = []string{} },
	},
}

// Fill fills what a record that stays lacks from one that goes, and names what it filled. What both have stays as it is in
// the one that stays.
func (r *Record) Fill(gone *Record) []Field {
	var out []Field
	for _, f := range fillings {
		if f.lacks(r) && !f.lacks(gone) {
			f.copy(r, gone)
			out = append(out, f.name)
		}
	}
	return out
}

// Unfill takes out again what was filled from a record, except what has been written otherwise since; it names what it took
// out.
func (r *Record) Unfill(gone *Record, filled []Field) []Field {
	var out []Field
	for _, f := range fillings {
		if slices.Contains(filled, f.name) && f.same(r, gone) {
			f.clear(r)
			out = append(out, f.name)
		}
	}
	return out
}

// Differ names the fields in which both records say something, and not the same: to be looked at before they become one.
func (r *Record) Differ(gone *Record) []Field {
	var out []Field
	for _, f := range fillings {
		if !f.lacks(r) && !f.lacks(gone) && !f.same(r, gone) {
			out = append(out, f.name)
		}
	}
	return out
}
