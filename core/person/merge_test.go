package person

import (
	"fmt"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/loan"
)

func TestMayMerge(t *testing.T) {
	plain := Side{Name: "Ida Voss", Standing: loan.Active}
	for _, c := range []struct {
		name       string
		gone, kept func(*Side)
		says       string
	}{
		{name: "alike"},
		{name: "partner", gone: func(s *Side) { s.Partner = true }, says: "One of these is a partner library’s account, so it cannot be merged."},
		{name: "institution", kept: func(s *Side) { s.Institution = true }, says: "institution"},
		{name: "excluded", gone: func(s *Side) { s.Standing = loan.Excluded }, says: "active here and excluded there"},
		{name: "stopped, lost by merging", gone: func(s *Side) { s.Stopped = "Kites not back" }, says: "is blocked in the record to be merged. Block the other too, or lift the block first."},
		{name: "stopped in the one that stays", kept: func(s *Side) { s.Stopped = "Kites not back" }},
		{name: "signed up, and known", gone: func(s *Side) { s.Stopped = Unseen }},
		{name: "asked about", kept: func(s *Side) { s.Asks = 1 }, says: "A return of theirs still has an open question. Answer that in its return batch first."},
	} {
		t.Run(c.name, func(t *testing.T) {
			gone, kept := plain, plain
			if c.gone != nil {
				c.gone(&gone)
			}
			if c.kept != nil {
				c.kept(&kept)
			}
			says := MayMerge(gone, kept)
			if c.says == "" {
				assert.Empty(t, says)
				return
			}
			assert.Contains(t, says, c.says)
		})
	}
}

func TestFillNeverOverwritesAndIsTakenOutAgain(t *testing.T) {
	born := calendar.MakeDate(1990, 5, 17)
	full := Record{
		LegalName: "Ida Voss", PreferredName: "Ida", Born: &born, Email: "ida@mail.example", Phone: "555 0101",
		Text: "555 0102", Address: "4 Mill Lane", PostalCode: "A1", Town: "Norvale", HomeAddress: "Cottage",
		Guardian: 7, Identity: "passport", IdentityTwo: "bill", IdentityNumber: "X1", School: "S12",
		SchoolYear: "5", Household: 9, MayUse: []string{"Sam Voss"}, Marks: []string{"volunteer"},
	}
	// From every subset of two fields that is there already, the rest is filled, and taken out again.
	for a := range fillings {
		for b := range fillings {
			t.Run(fmt.Sprint(fillings[a].name, fillings[b].name), func(t *testing.T) {
				kept := Record{LegalName: "Ida Voss", MayUse: []string{}, Marks: []string{}}
				fillings[a].copy(&kept, &full)
				fillings[b].copy(&kept, &full)
				before := kept
				filled := kept.Fill(&full)
				assert.NotContains(t, filled, fillings[a].name)
				assert.NotContains(t, filled, fillings[b].name)
				assert.Empty(t, kept.Differ(&full))
				assert.Equal(t, full.Email, kept.Email)
				assert.ElementsMatch(t, filled, kept.Unfill(&full, filled))
				assert.Equal(t, before, kept)
			})
		}
	}

	kept := Record{Email: "other@mail.example", Town: "Sundby"}
	assert.Equal(t, []Field{Email, Address}, kept.Differ(&full))
	filled := kept.Fill(&full)
	assert.Equal(t, "other@mail.example", kept.Email, "what is there stays")
	assert.Empty(t, kept.Address, "a street is not put beside another's town")
	kept.Phone = "555 0999"
	assert.NotContains(t, kept.Unfill(&full, filled), Phone)
	assert.Equal(t, "555 0999", kept.Phone, "what was written since stays")
}

// Every field that people write is either filled by a merge or left with a reason.
func TestFillKnowsEveryField(t *testing.T) {
	left := map[string]bool{
		"LegalName": true, "ShelfName": true, "Institution": true, "Class": true, "Branch": true, "Card": true,
		"CardUntil": true, "OtherPhones": true, "MailReturned": true, "EmailReturned": true, "InArea": true, "OfGuardian": true, "AnswersForAll": true,
		"Pickup": true, // settled, or never empty, in the record that stays
	}
	born := calendar.MakeDate(1990, 5, 17)
	all := reflect.TypeFor[Record]()
	for k := range all.NumField() {
		name := all.Field(k).Name
		if left[name] {
			continue
		}
		var gone, kept Record
		switch f := reflect.ValueOf(&gone).Elem().Field(k); f.Kind() {
		case reflect.String:
			f.SetString("x")
		case reflect.Int64:
			f.SetInt(1)
		case reflect.Slice:
			f.Set(reflect.ValueOf([]string{"x"}))
		default:
			require.Equal(t, "Born", name)
			gone.Born = &born
		}
		assert.Len(t, kept.Fill(&gone), 1, name)
	}
}
