package roster

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSort(t *testing.T) {
	sought := map[string]Sought{
		"c1": {Card: []int64{1}}, "s1": {School: []int64{1}}, "c2": {Card: []int64{2}, School: []int64{8, 9}},
		"both": {School: []int64{3, 4}}, "gone": {School: []int64{5}, Inactive: true},
		"bad": {Problem: "A check digit that does not fit."}, "odd": {School: []int64{6}, Problem: "It is no card."},
	}
	entries := []Entry{
		{"", 1, "c1", "5b"}, {"", 2, "", "5b"}, {"", 3, "nobody", "5b"}, {"", 4, "s1", " 5B "}, {"", 5, "both", "5b"},
		{"", 6, "gone", "5b"}, {"", 7, "bad", "5b"}, {"", 8, "c2", "5B"}, {"x", 9, "c1", "6a"}, {"", 10, "odd", "5b"},
		{"", 11, "c2", " "},
	}
	placed, odd := Sort(entries, sought, Class)
	assert.Equal(t, map[string][]int64{"5b": {1, 2, 6}}, placed, "a card before a school's number; one roster, whatever its capitals")
	var said []string
	for _, o := range odd {
		said = append(said, fmt.Sprint(o.Line, " ", o.Says))
	}
	assert.Equal(t, []string{
		"2 This line has no number.", "3 Nobody here has this number.", "4 The same person is in line 1.",
		"5 2 patrons have this school number. Name the card.", "6 Their card is not in use.",
		"7 A check digit that does not fit.", "9 A pupil can be in one class only; also added to 5b in line 1 of the pasted list.",
		"11 No roster is given for this line.",
	}, said)
	placed, odd = Sort(entries, sought, Club)
	assert.Equal(t, []int64{1}, placed["6a"], "of clubs one is in many")
	assert.Len(t, odd, 7)
}

func TestFill(t *testing.T) {
	in := []Member{{7, 1}, {7, 2}, {8, 3}, {8, 9}}
	for _, c := range []struct {
		name    string
		patrons []int64
		only    bool
		enter   []int64
		there   int
		leave   []Member
	}{
		{"nobody", nil, false, nil, 0, nil},
		{"one who is there, one from another class, one from none", []int64{1, 3, 4}, false, []int64{3, 4}, 1, []Member{{8, 3}}},
		{"and nobody else", []int64{1, 3, 4}, true, []int64{3, 4}, 1, []Member{{7, 2}, {8, 3}}},
		{"nobody at all", nil, true, nil, 0, []Member{{7, 1}, {7, 2}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := Fill(7, c.patrons, in, c.only)
			assert.Equal(t, c.enter, f.Enter)
			assert.Equal(t, c.there, f.There)
			assert.Equal(t, c.leave, f.Leave)
			assert.Equal(t, slices.Contains(c.patrons, 3), f.From[3])
		})
	}
}

func TestNext(t *testing.T) {
	for _, c := range []struct {
		name, year, wantName, wantYear string
		ok                             bool
	}{
		{"5b", "5", "6b", "6", true},
		{"Class 9a", "Year 9", "Class 10a", "Year 10", true},
		{"Room 12, class 3", "3", "Room 12, class 4", "4", true},
		{"3 of house 3", "3", "4 of house 3", "4", true},
		{"09c", "09", "10c", "10", true},
		{"Otters", "2", "Otters", "3", false},
		{"5b", "", "5b", "", false},
		{"Chess", "first", "Chess", "first", false},
	} {
		name, year, ok := Next(c.name, c.year)
		assert.Equal(t, fmt.Sprint(c.wantName, c.wantYear, c.ok), fmt.Sprint(name, year, ok), c.name)
	}
}

func TestMoveUp(t *testing.T) {
	classes := []Current{{1, "4a", "4"}, {2, "5a", "5"}, {3, "6a", "6"}, {4, "Otters", "5"}, {5, "Play group", ""}}
	moved := MoveUp(classes, nil, "6")
	var said []string
	for _, m := range moved {
		said = append(said, fmt.Sprint(m.ID, m.Name, m.Ends, m.Says != ""))
	}
	assert.Equal(t, []string{
		"36atrue false", "26afalse false", "15afalse false", "4Ottersfalse true", "5Play groupfalse true",
	}, said)

	// One that stays where it is stands in the way of all below it.
	for _, m := range MoveUp([]Current{{1, "4a", "4"}, {2, "5a", "5"}}, []Current{{3, "6A", "6"}}, "") {
		assert.NotEmpty(t, m.Says)
		assert.Equal(t, m.Name, map[int64]string{1: "4a", 2: "5a"}[m.ID])
	}
}

// Whatever moves up, no two have one name, at no moment; and who is told that nothing becomes of it stays as it is.
func TestMoveUpNeverGivesOneNameTwice(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 1))
		var all []Current
		names := map[string]bool{}
		for k := range 12 {
			year := 1 + r.IntN(6)
			name := fmt.Sprintf("%d%c", year, 'a'+r.IntN(2))
			if r.IntN(6) == 0 {
				name = []string{"Otters", "Foxes", "9z"}[r.IntN(3)]
			}
			if !names[name] {
				names[name] = true
				all = append(all, Current{int64(k + 1), name, fmt.Sprint(year)})
			}
		}
		cut := r.IntN(len(all) + 1)
		move, stay := all[:cut], all[cut:]
		now := map[int64]string{}
		for _, s := range all {
			now[s.ID] = strings.ToLower(s.Name)
		}
		for _, m := range MoveUp(move, stay, []string{"", "6"}[r.IntN(2)]) {
			if m.Ends {
				delete(now, m.ID)
				continue
			}
			if m.Says != "" {
				assert.Equal(t, now[m.ID], strings.ToLower(m.Name), "seed %d", seed)
				continue
			}
			for id, name := range now {
				assert.False(t, id != m.ID && name == strings.ToLower(m.Name), "seed %d: %s twice", seed, m.Name)
			}
			now[m.ID] = strings.ToLower(m.Name)
		}
	}
}

func TestWhoStandsOutByTheirAge(t *testing.T) {
	class := []int{11, 12, 11, 10, 11}
	for age, odd := range map[int]bool{5: true, 6: false, 11: false, 16: false, 17: true, 51: true} {
		assert.Equal(t, odd, OddAge(class, age) != "", age)
	}
	assert.Equal(t, "is 51, and the others are about 11", OddAge(class, 51))
	assert.Empty(t, OddAge([]int{11, 12}, 51), "too few are known")
	assert.Empty(t, OddAge([]int{11, 51, 12, 10}, 11), "one who stands out moves the middle by little")
}
