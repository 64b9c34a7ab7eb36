package flows_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/flows"
)

func TestWhoGivesAndTakesTooMuch(t *testing.T) {
	pairs := []flows.Pair{
		{From: "HVH", To: "SLM", Holds: 60, Others: 500}, {From: "SLM", To: "HVH", Holds: 40, Others: 3},
		{From: "QRW", To: "HVH", Holds: 55}, {From: "HVH", To: "QRW", Holds: 50},
		{From: "SKN", To: "HVH", Holds: 9},
	}
	assert.Equal(t, []flows.Branch{
		{"SKN", 9, 0, flows.Even}, // all of it, but a handful
		{"HVH", 110, 104, flows.Even},
		{"QRW", 55, 50, flows.Even}, // less than a tenth
		{"SLM", 40, 60, flows.Takes},
	}, flows.Balance(pairs))
	assert.Equal(t, flows.Gives, flows.Balance([]flows.Pair{{From: "HVH", To: "SLM", Holds: 10}})[0].Share)
	assert.Empty(t, flows.Balance(nil))
	for _, c := range []struct { // of a handful on, and of a tenth on, it stands out
		there, back int
		standing    flows.Share
	}{{9, 0, flows.Even}, {10, 0, flows.Gives}, {54, 45, flows.Even}, {55, 45, flows.Gives}, {110, 91, flows.Even}, {0, 10, flows.Takes}} {
		got := flows.Balance([]flows.Pair{{From: "HVH", To: "SLM", Holds: c.there}, {From: "SLM", To: "HVH", Holds: c.back}})
		for _, b := range got {
			if b.Code == "HVH" {
				assert.Equal(t, c.standing, b.Share, "%d there, %d back", c.there, c.back)
			}
		}
	}
}

// What one gives another takes: over all branches there is as much of each, and not all can give too much.
func TestGivingIsTaking(t *testing.T) {
	branches := []calendar.Code{"HVH", "SLM", "QRW", "THB", "SKN"}
	rapid.Check(t, func(t *rapid.T) {
		var pairs []flows.Pair
		for _, from := range branches {
			for _, to := range branches {
				if from != to {
					pairs = append(pairs, flows.Pair{From: from, To: to, Holds: rapid.IntRange(0, 300).Draw(t, "holds")})
				}
			}
		}
		gives, takes, over := 0, 0, 0
		for _, b := range flows.Balance(pairs) {
			gives, takes = gives+b.Gives, takes+b.Takes
			if b.Share == flows.Gives {
				over++
			}
		}
		assert.Equal(t, gives, takes)
		assert.Less(t, over, len(branches))
	})
}

func TestWhatHadBetterBelongElsewhere(t *testing.T) {
	for _, c := range []struct {
		name   string
		use    flows.Use
		saves  int
		better bool
	}{
		{"only ever read there", flows.Use{Journeys: 5, LentHome: 0, LentThere: 5}, 5, true},
		{"more there than at home", flows.Use{Journeys: 4, LentHome: 1, LentThere: 4}, 3, true},
		{"as much at home", flows.Use{Journeys: 4, LentHome: 4, LentThere: 4}, 0, false},
		{"as often read at home as there", flows.Use{Journeys: 4, LentHome: 3, LentThere: 3}, 1, false},
		{"three times is none", flows.Use{Journeys: 3, LentHome: 0, LentThere: 1}, 3, true},
		{"twice is chance", flows.Use{Journeys: 2, LentHome: 0, LentThere: 2}, 2, false},
		{"fetched for holds that nobody collected", flows.Use{Journeys: 3, LentHome: 0, LentThere: 0}, 3, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			saves, better := flows.Better(c.use)
			assert.Equal(t, c.saves, saves)
			assert.Equal(t, c.better, better)
		})
	}
}
