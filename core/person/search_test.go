package person_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/person"
)

func TestSearchAsPeopleTypeIt(t *testing.T) {
	born := calendar.MakeDate(1984, 3, 9)
	for text, want := range map[string]person.Sought{
		"Merryn Lomas":              {Words: []string{"Merryn", "Lomas"}},
		"Lomas Merryn":              {Words: []string{"Lomas", "Merryn"}},
		"Lomas, Merryn":             {Words: []string{"Lomas", "Merryn"}, Family: []string{"Lomas"}, Given: []string{"Merryn"}},
		"Lomas,Merryn":              {Words: []string{"Lomas", "Merryn"}, Family: []string{"Lomas"}, Given: []string{"Merryn"}},
		"Lomas, M":                  {Words: []string{"Lomas", "M"}, Family: []string{"Lomas"}, Given: []string{"M"}},
		"Lomas,":                    {Words: []string{"Lomas"}, Family: []string{"Lomas"}},
		"van der Lomas, Merryn":     {Words: []string{"van", "der", "Lomas", "Merryn"}, Family: []string{"van", "der", "Lomas"}, Given: []string{"Merryn"}},
		", Merryn":                  {Words: []string{"Merryn"}},
		"Lomas, Merryn 1984-03-09":  {Words: []string{"Lomas", "Merryn"}, Family: []string{"Lomas"}, Given: []string{"Merryn"}, Born: &born},
		"902-555-0001":              {Words: []string{"9025550001"}},
		"(902) 555.0001":            {Words: []string{"902", "5550001"}},
		"O'Shea":                    {Words: []string{"O'Shea"}},
		"merryn.lomas@post.invalid": {Words: []string{"merryn.lomas@post.invalid"}},
		"1984-02-31":                {Words: []string{"19840231"}}, // no such day, so a number
		"  ":                        {},
	} {
		assert.Equal(t, want, person.Search(text), text)
	}
}
