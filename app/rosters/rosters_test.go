package rosters_test

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/rosters"
	"nevrin/core/person"
	"nevrin/core/role"
	"nevrin/core/roster"
	"nevrin/store"
	"nevrin/testkit"
)

// school is a small world with somebody at its desk and some pupils, known by school numbers from S1 on.
type school struct {
	*testkit.World
	t      *testing.T
	who    act.Actor
	pupils []int64
}

func newSchool(t *testing.T, pupils int) *school {
	t.Helper()
	w := testkit.NewWorld(t)
	s := &school{World: w, t: t, who: w.Staff(role.Desk, "HVH")}
	for k := range pupils {
		s.pupils = append(s.pupils, w.Patron("HVH", map[string]any{"school": fmt.Sprintf("S%d", k+1)}))
	}
	return s
}

func (s *school) writing(kind roster.Kind, name, year string) rosters.Writing {
	return rosters.Writing{Kind: kind, Name: name, Branch: "HVH", School: "Quay School", SchoolYear: year}
}

func (s *school) made(kind roster.Kind, name, year string) *rosters.Roster {
	s.t.Helper()
	return testkit.Do(s.t, s.House, s.who, func(a *act.Act) (*rosters.Roster, error) {
		return rosters.Make(a, s.writing(kind, name, year))
	})
}

func (s *school) scan(id int64, text string) *rosters.Scanned {
	s.t.Helper()
	return testkit.Do(s.t, s.House, s.who, func(a *act.Act) (*rosters.Scanned, error) { return rosters.Scan(a, id, text) })
}

func (s *school) fill(f rosters.Filling) (*rosters.Filled, error) {
	return testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Filled, error) { return rosters.Fill(a, f) })
}

func (s *school) undo(deed int64) (*rosters.Undone, error) {
	return testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Undone, error) { return rosters.Undo(a, deed) })
}

// who says which pupils are where, and in which school year they are.
func (s *school) says() string {
	return s.Ask(`SELECT string_agg(p.school || ':' || coalesce(r.names, '') || '/' || p.school_year, ' ' ORDER BY p.id) FROM patrons p
		LEFT JOIN LATERAL (SELECT string_agg(r.name, '+' ORDER BY r.name) AS names FROM roster_members m JOIN rosters r ON r.id = m.roster_id
			WHERE m.patron_id = p.id) r ON true WHERE p.school <> ''`)
}

// counts are what came of rosters, without the names.
func counts(rows []rosters.FilledOne) []rosters.FilledOne {
	out := slices.Clone(rows)
	for k := range out {
		out[k].Who = nil
	}
	return out
}

func sheets(texts ...string) []rosters.Sheet {
	var out []rosters.Sheet
	for k := 0; k < len(texts); k += 2 {
		out = append(out, rosters.Sheet{Name: texts[k], Content: []byte(texts[k+1])})
	}
	return out
}

// A pupil is scanned into a class, moves to another in the middle of the year, and it is undone.
func TestAPupilMovesInMidYear(t *testing.T) {
	s := newSchool(t, 2)
	a, b := s.made(roster.Class, "5a", "5"), s.made(roster.Class, "6b", "6")
	chess := s.made(roster.Club, "Chess", "5")
	card := s.Ask("SELECT card FROM patrons WHERE id = ?", s.pupils[0])
	assert.Equal(t, "in", s.scan(a.ID, card).Kind)
	assert.Equal(t, "there", s.scan(a.ID, "S1").Kind, "by the number of the school too")
	s.scan(chess.ID, card)
	moved := s.scan(b.ID, card)
	assert.Equal(t, "Moved from 5a to 6b.", moved.Says)
	assert.Equal(t, 1, moved.Members)
	assert.Equal(t, "S1:6b+Chess/6 S2:/", s.says())
	_, err := s.undo(moved.Deed)
	require.NoError(t, err)
	assert.Equal(t, "S1:5a+Chess/5 S2:/", s.says())
	_, err = s.undo(moved.Deed)
	require.ErrorContains(t, err, "already")
	for text, says := range map[string]string{
		"S99": "Nobody here", "": "no number", card[:13] + string('0'+(card[13]-'0'+1)%10): "check digit",
	} {
		got := s.scan(a.ID, text)
		assert.Equal(t, "wrong", got.Kind, text)
		assert.Contains(t, got.Says, says, text)
	}
	left := testkit.Do(t, s.House, s.who, func(x *act.Act) (*rosters.Roster, error) { return rosters.Leave(x, a.ID, s.pupils[0]) })
	assert.Zero(t, left.Members)
}

// Several lists at once, each for the class that its file names, in whatever letters; odd lines are told with their numbers.
func TestFillingFromLists(t *testing.T) {
	s := newSchool(t, 6)
	s.Set("UPDATE patrons SET standing = 'inactive', standing_reason = 'x' WHERE id = ?", s.pupils[5])
	old, err := charmap.Windows1252.NewEncoder().String("Nom;School number\r\nÉva;S4\r\n")
	require.NoError(t, err)
	f := rosters.Filling{
		New:   s.writing(roster.Class, "", "5"),
		Lists: sheets("5a.csv", "S1\nS2\nS2\nS77\n\nS6\n", "5b.csv", old, "5c.txt", "number,class\nS3,5d\nS1,5d\n"),
		Try:   true,
	}
	before := s.says()
	looked, err := s.fill(f)
	require.NoError(t, err)
	assert.Equal(t, before, s.says(), "looking changes nothing")
	assert.Zero(t, looked.Deed)
	f.Try = false
	filled, err := s.fill(f)
	require.NoError(t, err)
	var said []string
	for _, o := range filled.Odd {
		said = append(said, fmt.Sprint(o.List, " ", o.Line, " ", o.Says))
	}
	assert.Equal(t, []string{
		"5a.csv 3 The same person is in line 2.", "5a.csv 4 Nobody here has this number.",
		"5a.csv 6 Their card is not in use.", "5c.txt 3 A pupil can be in one class only; also added to 5a in line 1 of 5a.csv.",
	}, said)
	assert.Contains(t, filled.Read[1], "Windows-1252, the first line is heads")
	for _, one := range filled.Rosters {
		assert.True(t, one.New)
	}
	for k := range looked.Rosters {
		looked.Rosters[k].ID = filled.Rosters[k].ID
	}
	assert.Equal(t, filled.Rosters, looked.Rosters, "what was looked at is what is done")
	assert.Equal(t, "S1:5a/5 S2:5a/5 S3:5d/5 S4:5b/5 S5:/ S6:/", s.says())

	// The same again adds nobody; with "only", who is not in the list leaves.
	again, err := s.fill(rosters.Filling{New: f.New, Lists: sheets("5a", "S5\nS1"), Only: true})
	require.NoError(t, err)
	assert.Equal(t, rosters.FilledOne{ID: filled.Rosters[0].ID, Name: "5a", Added: 1, There: 1, Leaves: 1}, counts(again.Rosters)[0])
	assert.Equal(t, "S1:5a/5 S2:/5 S3:5d/5 S4:5b/5 S5:5a/5 S6:/", s.says())
	_, err = s.undo(again.Deed)
	require.NoError(t, err)
	_, err = s.undo(filled.Deed)
	require.NoError(t, err)
	assert.Equal(t, before, s.says())
	assert.Equal(t, "0", s.Ask("SELECT count(*) FROM rosters WHERE ended_at IS NULL"))

	for text, says := range map[string]string{"": "The list is empty. Paste card or school numbers, one per line, or choose a file.", "a\n\"b\"c": "line 2"} {
		_, err = s.fill(rosters.Filling{New: f.New, Lists: sheets("x", text)})
		require.ErrorContains(t, err, says)
	}
}

// Five thousand lines are one act of as many round trips as one line.
func TestALongListIsNotLookedUpLineByLine(t *testing.T) {
	trips := &testkit.Trips{}
	h := testkit.HouseTold(t, trips)
	bea := testkit.Somebody(t, h, "bea")
	require.NoError(t, testkit.SQL(h).Exec(`INSERT INTO patrons (card, legal_name, shelf_name, class, branch_code, school)
		SELECT 'LLL' || n, 'Pupil ' || n, 'P', 'adult', 'HVH', 'N' || n FROM generate_series(1, 5000) n`).Error)
	list := func(n int) string {
		var b strings.Builder
		for k := range n {
			fmt.Fprintf(&b, "N%d\n", k+1)
		}
		return b.String()
	}
	fill := func(name string, n int) (*rosters.Filled, int, int) {
		r := testkit.Do(t, h, bea, func(a *act.Act) (*rosters.Roster, error) {
			return rosters.Make(a, rosters.Writing{Kind: roster.Class, Name: name, Branch: "HVH", SchoolYear: "3"})
		})
		trips.Since()
		filled := testkit.Do(t, h, bea, func(a *act.Act) (*rosters.Filled, error) {
			return rosters.Fill(a, rosters.Filling{Roster: r.ID, Lists: sheets("", list(n))})
		})
		filling := len(trips.Since())
		undone := testkit.Do(t, h, bea, func(a *act.Act) (*rosters.Undone, error) { return rosters.Undo(a, filled.Deed) })
		assert.Zero(t, undone.Left)
		return filled, filling, len(trips.Since())
	}
	fill("Warm", 1) // what is prepared once does not count
	_, fillOne, undoOne := fill("One", 1)
	filled, fillAll, undoAll := fill("All", 5000)
	assert.Equal(t, 5000, filled.Rosters[0].Added)
	assert.LessOrEqual(t, fillAll, fillOne)
	assert.LessOrEqual(t, undoAll, undoOne)
}

// One roster however it is spelt in a list, and nobody leaves it because of that; a line that names none is odd.
func TestOneRosterHoweverItIsSpelt(t *testing.T) {
	s := newSchool(t, 4)
	f := rosters.Filling{
		New: s.writing(roster.Class, "5A", "5"), Only: true,
		Lists: sheets("", "number,class\nS1,5a\nS2,5A\nS3, 5a \n", "5A.csv", "S4"),
	}
	filled, err := s.fill(f)
	require.NoError(t, err)
	require.Len(t, filled.Rosters, 1)
	assert.Equal(t, 4, filled.Rosters[0].Added)
	assert.Equal(t, "S1:5a/5 S2:5a/5 S3:5a/5 S4:5a/5", s.says())
	again, err := s.fill(f)
	require.NoError(t, err)
	assert.Equal(t, rosters.FilledOne{ID: filled.Rosters[0].ID, Name: "5a", There: 4}, counts(again.Rosters)[0])
	f.New.Name = ""
	odd, err := s.fill(rosters.Filling{New: f.New, Lists: sheets("", "number,class\nS1,\n")})
	require.NoError(t, err)
	assert.Contains(t, odd.Odd[0].Says, "No roster is given for this line.")
}

// Who was merged into another record meanwhile is not put back into a roster; and who has moved on counts once.
func TestTakingBackPutsNobodyWhoIsNoLonger(t *testing.T) {
	s := newSchool(t, 2)
	a, b := s.made(roster.Class, "5a", "5"), s.made(roster.Class, "6b", "6")
	for _, text := range []string{"S1", "S2"} {
		s.scan(a.ID, text)
	}
	filled, err := s.fill(rosters.Filling{Roster: b.ID, Lists: sheets("", "S1\nS2")})
	require.NoError(t, err)
	s.Set("DELETE FROM roster_members WHERE patron_id = ?", s.pupils[0])
	s.Set("UPDATE patrons SET merged_into = ?, school_year = '' WHERE id = ?", s.pupils[1], s.pupils[0])
	undone, err := s.undo(filled.Deed)
	require.NoError(t, err)
	assert.Equal(t, 1, undone.Left)
	assert.Equal(t, "S1:/ S2:5a/5", s.says())
}

// A year ends: classes move up with their pupils, the last is dissolved; undone, all is as it was but for who has moved on.
func TestAYearEnds(t *testing.T) {
	s := newSchool(t, 4)
	four, five, six := s.made(roster.Class, "4a", "4"), s.made(roster.Class, "5a", "5"), s.made(roster.Class, "6a", "6")
	otters := s.made(roster.Class, "Otters", "")
	for k, r := range []*rosters.Roster{four, five, six, otters} {
		s.scan(r.ID, fmt.Sprintf("S%d", k+1))
	}
	before := s.says()
	ending := rosters.Ending{Rosters: []int64{four.ID, five.ID, six.ID, otters.ID}, Last: "6"}
	move := func(e rosters.Ending) (*rosters.Ended, error) {
		return testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Ended, error) { return rosters.MoveUp(a, e) })
	}
	moved, err := move(ending)
	require.NoError(t, err)
	assert.Equal(t, "S1:5a/5 S2:6a/6 S3:/6 S4:Otters/", s.says())
	assert.Equal(t, 3, moved.Pupils)
	_, err = move(ending)
	require.ErrorContains(t, err, "6a has been dissolved")
	undone, err := s.undo(moved.Deed)
	require.NoError(t, err)
	assert.Zero(t, undone.Left)
	assert.Equal(t, before, s.says())

	// Again; then one pupil leaves what was moved up. Undone, they stay where they are.
	moved, err = move(ending)
	require.NoError(t, err)
	s.scan(otters.ID, "S3")
	undone, err = s.undo(moved.Deed)
	require.NoError(t, err)
	assert.Equal(t, 1, undone.Left)
	assert.Equal(t, "S1:4a/4 S2:5a/5 S3:Otters/6 S4:Otters/", s.says())

	// Without the class above, nothing takes its name.
	looked, err := move(rosters.Ending{Rosters: []int64{four.ID}, Try: true})
	require.NoError(t, err)
	assert.Contains(t, looked.Rosters[0].Says, "A 5a already exists that does not move up.")

	gone := testkit.Do(t, s.House, s.who, func(a *act.Act) (*rosters.Ended, error) { return rosters.Dissolve(a, []int64{four.ID}) })
	s.made(roster.Class, "4a", "4")
	_, err = s.undo(gone.Deed)
	require.ErrorContains(t, err, "another roster 4a")
}

func TestWritingARoster(t *testing.T) {
	s := newSchool(t, 2)
	r := s.made(roster.Class, "5a", "5")
	s.scan(r.ID, "S1")
	change := func(w rosters.Writing) (*rosters.Roster, error) {
		return testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Roster, error) { return rosters.Change(a, r.ID, w) })
	}
	w := s.writing(roster.Class, "5c", "6")
	w.Revision = 1
	changed, err := change(w)
	require.NoError(t, err)
	assert.Equal(t, "5c 6 1", fmt.Sprint(changed.Name, " ", changed.SchoolYear, " ", changed.Members))
	assert.Equal(t, "S1:5c/6 S2:/", s.says())
	_, err = change(w)
	require.ErrorContains(t, err, "Somebody else has changed")
	s.made(roster.Class, "5a", "5")
	_, err = testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Roster, error) { return rosters.Make(a, s.writing(roster.Club, "5A", "")) })
	require.ErrorContains(t, err, "A roster 5A of Quay School already")
	child := s.Patron("HVH", map[string]any{"born": "2020-01-01"})
	for _, bad := range []struct {
		by   func(*rosters.Writing)
		says string
	}{
		{func(w *rosters.Writing) { w.Name = " " }, "Enter a name for the roster, such as 5b."},
		{func(w *rosters.Writing) { w.Branch = "ZZZ" }, "open branch"},
		{func(w *rosters.Writing) { w.Kind = "gang" }, "class or a club"},
		{func(w *rosters.Writing) { w.Adult = child }, "is a minor and cannot be in charge of a roster."},
		{func(w *rosters.Writing) { w.Adult = 999 }, "adult in charge"},
	} {
		w := s.writing(roster.Class, "9z", "9")
		bad.by(&w)
		_, err := testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Roster, error) { return rosters.Make(a, w) })
		require.ErrorContains(t, err, bad.says)
	}
}

// Two desks put one pupil into two classes at once: they are in one of them.
func TestOneClassAtATime(t *testing.T) {
	s := newSchool(t, 1)
	var rs []int64
	for k := range 6 {
		rs = append(rs, s.made(roster.Class, fmt.Sprintf("5%c", 'a'+k), "5").ID)
	}
	var all sync.WaitGroup
	for _, r := range rs {
		all.Go(func() {
			_, err := testkit.Try(s.House, s.who, func(a *act.Act) (*rosters.Scanned, error) { return rosters.Scan(a, r, "S1") })
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Equal(t, "1", s.Ask("SELECT count(*) FROM roster_members"))
	err := testkit.SQL(s.House).Exec("INSERT INTO roster_members (roster_id, kind, patron_id, since) SELECT id, 'class', ?, now() FROM rosters", s.pupils[0]).Error
	require.Error(t, err, "the database says so too")
}

// The answers of a whole year come from a file: first ones by whoever is at the desk, others by who may change them.
func TestConsentsOfAYear(t *testing.T) {
	s := newSchool(t, 4)
	consent := func(who act.Actor, c rosters.Consenting) (*rosters.Consented, error) {
		return testkit.Try(s.House, who, func(a *act.Act) (*rosters.Consented, error) { return rosters.Consent(a, c) })
	}
	answers := func() string {
		return s.Ask("SELECT string_agg(school || coalesce(internet, '') || coalesce(older_reader::text, ''), ' ' ORDER BY id) FROM patrons WHERE school <> ''")
	}
	c := rosters.Consenting{What: person.OlderReader, Lists: sheets("year5.csv", "number;answer\nS1;yes\nS2;n\nS9;yes\n"), Try: true}
	looked, err := consent(s.who, c)
	require.NoError(t, err)
	assert.Equal(t, "2 0 0 1", fmt.Sprint(looked.First, looked.Other, looked.Same, looked.OddAll))
	c.Try = false
	_, err = consent(s.who, c)
	require.ErrorContains(t, err, "where these answers come from")
	c.Reason = "letters of autumn"
	done, err := consent(s.who, c)
	require.NoError(t, err)
	assert.Equal(t, "S1true S2false S3 S4", answers())
	assert.Equal(t, "2", s.Ask("SELECT count(*) FROM consents WHERE reason = 'letters of autumn' AND letter"))

	c.Lists = sheets("", "S1,no\nS3,no\n")
	_, err = consent(s.who, c)
	require.ErrorContains(t, err, "1 answer that was given before")
	boss := s.Staff(role.Supervisor, "HVH")
	other, err := consent(boss, c)
	require.NoError(t, err)
	assert.Equal(t, "S1false S2false S3false S4", answers())
	_, err = s.undo(done.Deed)
	require.ErrorContains(t, err, "Only staff who can change consents can undo this.")
	undone, err := testkit.Try(s.House, boss, func(a *act.Act) (*rosters.Undone, error) { return rosters.Undo(a, done.Deed) })
	require.NoError(t, err)
	assert.Equal(t, 1, undone.Left, "an answer that has changed since stays")
	assert.Equal(t, "S1false S2 S3false S4", answers())
	_, err = testkit.Try(s.House, boss, func(a *act.Act) (*rosters.Undone, error) { return rosters.Undo(a, other.Deed) })
	require.NoError(t, err)
	assert.Equal(t, "S1true S2 S3 S4", answers())

	_, err = consent(boss, rosters.Consenting{What: person.Internet, Lists: sheets("", "S1,full\nS2,perhaps\n"), Reason: "x"})
	require.ErrorContains(t, err, "line 2")
	_, err = consent(boss, rosters.Consenting{What: person.Internet, Answer: "filtered", Lists: sheets("", "S1\nS4\n"), Reason: "x"})
	require.NoError(t, err)
	assert.Equal(t, "S1filteredtrue S2 S3 S4filtered", answers())
}

func TestListsAndDeedsAreSaid(t *testing.T) {
	s := newSchool(t, 3)
	s.made(roster.Class, "5a", "5")
	r := s.made(roster.Club, "Chess", "")
	_, err := s.fill(rosters.Filling{Roster: r.ID, Lists: sheets("", "S1\nS2\nS3")})
	require.NoError(t, err)
	all := testkit.Whole(t, s.House, s.who, 1, func(a *act.Act, p store.Page) ([]rosters.Roster, store.Page, error) {
		return rosters.List(a, "HVH", "quay", p)
	})
	assert.Equal(t, "5a Chess", all[0].Name+" "+all[1].Name)
	assert.Len(t, testkit.Whole(t, s.House, s.who, 2, func(a *act.Act, p store.Page) ([]people.Found, store.Page, error) {
		return rosters.Members(a, r.ID, p)
	}), 3)
	deeds := testkit.Whole(t, s.House, s.who, 2, rosters.Deeds)
	var said []string
	for _, d := range deeds {
		said = append(said, d.Says)
	}
	assert.Equal(t, []string{"3 patrons added", "Chess made", "5a made"}, said)
	of := testkit.Do(t, s.House, s.who, func(a *act.Act) ([]rosters.Roster, error) { return rosters.Of(a, s.pupils[0]) })
	assert.Equal(t, "Chess", of[0].Name)
}

// Those who come in are named beforehand, and who stands out among the pupils of a class by their age is told: on the preview of a list,
// and as they are scanned.
func TestWhoComesInIsNamed(t *testing.T) {
	s := newSchool(t, 6)
	for k, born := range []string{"2015-02-01", "2015-08-30", "2014-11-11", "2015-05-05", "1975-03-03", "1975-04-04"} {
		s.Set("UPDATE patrons SET born = ?, legal_name = ? WHERE id = ?", born, fmt.Sprintf("Pupil %d", k+1), s.pupils[k])
	}
	class := s.made(roster.Class, "5a", "2026/27")
	filling := rosters.Filling{Roster: class.ID, Lists: sheets("", "S1\nS2\nS3\nS4\nS5"), Try: true}
	would, err := s.fill(filling)
	require.NoError(t, err)
	require.Len(t, would.Rosters, 1)
	odd := map[string]string{}
	for _, w := range would.Rosters[0].Who {
		odd[w.Name] = w.Odd
	}
	// On 6 October 2026, the day of the world: born in 2015 they are 11 (10 before 8 October), born on 3 March 1975 they are 51.
	assert.Equal(t, map[string]string{"Pupil 1": "", "Pupil 2": "", "Pupil 3": "", "Pupil 4": "", "Pupil 5": "is 51, and the others are about 11"}, odd)
	filling.Try = false
	_, err = s.fill(filling)
	require.NoError(t, err)
	assert.Contains(t, s.scan(class.ID, "S6").Says, "is 51, and the others are about 11")
	club := s.made(roster.Club, "Chess", "")
	assert.NotContains(t, s.scan(club.ID, "S6").Says, "51", "a club is for any age")
}
