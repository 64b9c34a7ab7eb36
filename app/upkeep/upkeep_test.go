package upkeep_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/testkit"
)

// office is a small network with an administrator.
type office struct {
	*testkit.World
	t    *testing.T
	boss act.Actor
}

func newOffice(t *testing.T) *office {
	t.Helper()
	w := testkit.NewWorld(t)
	return &office{w, t, w.Staff(role.Administrator, "HVH")}
}

func (o *office) put(sort, key string, seen int64, is any) (*upkeep.Kept, error) {
	return testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, sort, key, seen, is) })
}

func (o *office) back(id int64) (*upkeep.Kept, error) {
	return testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.TakeBack(a, id) })
}

func (o *office) away(sort, key string, seen int64) error {
	_, err := testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.TakeAway(a, sort, key, seen) })
	return err
}

func (o *office) look() *upkeep.Whole {
	return testkit.Do(o.t, o.House, o.boss, upkeep.Look)
}

func (o *office) branch(code string) upkeep.Shown[upkeep.Branch] {
	for _, b := range o.look().Branches {
		if b.Key == code {
			return b
		}
	}
	o.t.Fatalf("no branch %s", code)
	panic("")
}

func ptr[T any](v T) *T { return &v }

// Each part of the network is added, changed and undone, and its history says who did what.
func TestPartsComeAndGo(t *testing.T) {
	o := newOffice(t)
	for _, c := range []struct {
		sort, key  string
		first, two any
	}{
		{"class", "patron:teen", upkeep.Class{Name: "Teens"}, upkeep.Class{Name: "Teens", FromAge: ptr(12), ToAge: ptr(18), Next: "adult"}},
		{"class", "collection:attic", upkeep.Class{Name: "Attic", StaffOnly: true}, upkeep.Class{Name: "Attic", Retired: true, Branches: []calendar.Code{"HVH"}}},
		{"choice", "charge:bag", upkeep.Choice{Name: "Bag", Amount: ptr(money.Amount(350))}, upkeep.Choice{Name: "Bag", Amount: ptr(money.Amount(400))}},
		{"choice", "note:loud", upkeep.Choice{Name: "Loud", Loud: true}, upkeep.Choice{Name: "Loud"}},
		{"station", "900001", upkeep.Station{Branch: "SLM", Name: "Counter", Paper: "80mm", Slips: true}, upkeep.Station{Branch: "SLM", Name: "Back room", Paper: "a4", Sounds: true}},
		{"branch", "NEW", upkeep.Branch{Name: "New Quay", Timezone: "America/Halifax", Phones: []string{"902 555 0199"}}, upkeep.Branch{Name: "Old Quay", Zone: "south", Timezone: "America/Halifax", Phones: []string{}}},
	} {
		added, err := o.put(c.sort, c.key, 0, c.first)
		require.NoError(t, err, c.key)
		same, err := o.put(c.sort, c.key, added.Seen, c.first)
		require.NoError(t, err)
		assert.Equal(t, added, same, "the same again is no change")
		changed, err := o.put(c.sort, c.key, added.Seen, c.two)
		require.NoError(t, err, c.key)
		_, err = o.put(c.sort, c.key, added.Seen, c.first)
		assert.ErrorContains(t, err, "after you opened it. Your changes were not saved. Check it and try again.", "who has not seen the last change")
		_, err = o.back(added.Seen)
		assert.ErrorContains(t, err, "after you opened it. Your changes were not saved. Check it and try again.", "only the last change is taken back")
		undone, err := o.back(changed.Seen)
		require.NoError(t, err)
		gone, err := o.back(added.Seen)
		assert.Error(t, err, "taking back the taking back comes first: %v", gone)
		require.NoError(t, o.away(c.sort, c.key, undone.Seen), c.key)
		list := testkit.Whole(t, o.House, o.boss, 3, func(a *act.Act, p store.Page) ([]upkeep.Changed, store.Page, error) {
			return upkeep.Changes(a, c.sort, c.key, p)
		})
		require.Len(t, list, 4)
		assert.Nil(t, list[0].Is)
		assert.True(t, list[0].MayGo)
		assert.True(t, list[1].Of)
		assert.True(t, list[2].Back)
		assert.JSONEq(t, string(list[1].Is), string(list[3].Is), "taken back, it is as it was")
		_, err = o.back(list[0].ID)
		require.NoError(t, err, "what was removed comes back")
	}
}

// Two administrators at once: one wins, the other is told.
func TestTwoAdministratorsAtOnce(t *testing.T) {
	o := newOffice(t)
	var all sync.WaitGroup
	errs := make([]error, 8)
	for k := range errs {
		all.Go(func() {
			_, errs[k] = o.put("network", "", 0, upkeep.Own{Name: fmt.Sprintf("Name %d", k), Symbol: "ORRIN"})
		})
	}
	all.Wait()
	won := 0
	for _, err := range errs {
		if err == nil {
			won++
			continue
		}
		assert.ErrorContains(t, err, "after you opened it. Your changes were not saved. Check it and try again.")
	}
	assert.Equal(t, 1, won)
	assert.Equal(t, "1", o.Ask("SELECT count(*)::text FROM changes"))
}

func TestPartsThatCannotBe(t *testing.T) {
	o := newOffice(t)
	p := o.Patron("SLM")
	usual := ident.Usual("4321")
	other := ident.Usual("9876")
	quiet := settings.Usual()
	quiet.IdleMinutes = 2
	for _, c := range []struct {
		sort, key string
		is        any
		says      string
	}{
		{"branch", "new", upkeep.Branch{Name: "New", Timezone: "America/Halifax"}, "three capital letters"},
		{"branch", "NEW", upkeep.Branch{Name: "New", Timezone: "America/Nowhere"}, "Nowhere"},
		{"branch", "NEW", upkeep.Branch{Name: "havenhead", Timezone: "America/Halifax"}, "Branch HVH is already called Havenhead. Choose another name."},
		{"branch", "NEW", upkeep.Branch{Name: "New", Timezone: "America/Halifax", Follows: "HVH"}, "an open one has none"},
		{"class", "patron:Big One", upkeep.Class{Name: "Big"}, "is not a class code. Use 1 to 40 small letters, digits or underscores."},
		{"class", "patron:teen", upkeep.Class{Name: "Adult"}, "Another class"},
		{"class", "patron:teen", upkeep.Class{Name: "Teen", ToAge: ptr(18)}, "A class with an end age needs a next class, and vice versa."},
		{"class", "patron:teen", upkeep.Class{Name: "Teen", ToAge: ptr(18), Next: "wizard"}, ", must be another patron class."},
		{"class", "patron:teen", upkeep.Class{Name: "Teen", FromAge: ptr(18), ToAge: ptr(12), Next: "adult"}, ", before it starts at"},
		{"class", "material:scroll", upkeep.Class{Name: "Scroll", StaffOnly: true}, "Only collections"},
		{"class", "patron:teen", upkeep.Class{Name: " "}, "Enter a name for the class."},
		{"choice", "charge:bag", upkeep.Choice{Name: "Bag"}, "A charge needs a price; other entries have none."},
		{"choice", "waive:bag", upkeep.Choice{Name: "Bag", Amount: ptr(money.Amount(1))}, "A charge needs a price; other entries have none."},
		{"choice", "waive:bag", upkeep.Choice{Name: "Bag", Loud: true}, "Only notes"},
		{"station", "1", upkeep.Station{Branch: "XXX", Name: "Counter", Paper: "a4"}, `no branch "XXX"`},
		{"numbers", "", other, "Numbers in use would no longer be read: " + o.Ask("SELECT card FROM patrons WHERE id = ?", p)},
		{"numbers", "", ident.Numbers{Patterns: usual.Patterns[:1]}, "no pattern is given to a new item"},
		{"settings", "", quiet, "0 for never, or 5 and more"},
		{"network", "", upkeep.Own{Name: "Us", Symbol: "us"}, "capital letters"},
		{"staff", "1", upkeep.Person{Login: "a b", Name: "A", Role: "desk", Home: "HVH"}, "is not a sign-in name. Use letters and digits, with dots, hyphens, underscores or @ between them."},
		{"staff", "1", upkeep.Person{Login: "ab", Name: "A", Role: "king", Home: "HVH"}, `found role "king"`},
		{"staff", "1", upkeep.Person{Login: "ab", Name: "A", Role: "desk", Home: "HVH", Branches: []calendar.Code{"XXX"}}, `no branch "XXX"`},
		{"partner", "1", upkeep.Partner{Symbol: "KEL", Name: "Kel", Search: "kelmouth"}, "Enter an address that starts with https:// or http://, such as https://library.example/sru."},
		{"partner", "1", upkeep.Partner{Symbol: "K1", Name: "Kel"}, "is not a symbol. Enter 3 to 8 capital letters."},
		{"moon", "1", upkeep.Own{}, "no such part"},
	} {
		_, err := o.put(c.sort, c.key, 0, c.is)
		assert.ErrorContains(t, err, c.says, "%s %s", c.sort, c.key)
	}
	assert.Equal(t, "0", o.Ask("SELECT count(*)::text FROM changes"), "nothing was kept")
	digit := ident.Numbers{Patterns: append([]ident.Pattern{}, usual.Patterns...)}
	digit.Patterns[0].Check = ident.Mod10
	_, err := o.put("numbers", "", 0, digit)
	assert.ErrorContains(t, err, "would no longer be read", "of the same form, with another check digit")
	both := ident.Numbers{Patterns: append(append([]ident.Pattern{}, other.Patterns...), usual.Patterns[:2]...)}
	for k := range both.Patterns {
		both.Patterns[k].Name = fmt.Sprint("Pattern ", k)
	}
	both.Patterns[3].Use, both.Patterns[4].Use = ident.Older, ident.Older
	_, err = o.put("numbers", "", 0, both)
	require.NoError(t, err, "what is in use stays as older numbers")
}

// A class that somebody has, that rules name or loans were made with stays; one that nothing needs goes.
func TestClassesInUseStay(t *testing.T) {
	o := newOffice(t)
	o.Patron("HVH")
	err := o.away("class", "patron:adult", 0)
	assert.ErrorContains(t, err, "there are 1 patron in it")
	assert.ErrorContains(t, err, "You can stop offering it instead.")
	o.Set("UPDATE patrons SET class = 'moved'")
	assert.ErrorContains(t, o.away("class", "patron:adult", 0), "rules or examples of edition 1 that name it")
	o.Set("INSERT INTO classes (kind, code, name, position) VALUES ('patron', 'ghost', 'Ghost', 99)")
	require.NoError(t, o.away("class", "patron:ghost", 0))
	assert.ErrorContains(t, o.away("class", "patron:ghost", 0), "after you opened it. Your changes were not saved. Check it and try again.")
}

// The last administrator stays; whoever no longer works here is signed out at once.
func TestTheLastAdministrator(t *testing.T) {
	o := newOffice(t)
	key := fmt.Sprint(o.boss.ID)
	me := upkeep.Person{Login: "boss", Name: "Boss", Role: role.Administrator, Home: "HVH", Branches: []calendar.Code{}, Active: true}
	first, err := o.put("staff", key, 0, me)
	require.NoError(t, err)
	for _, less := range []upkeep.Person{
		{Login: "boss", Name: "Boss", Role: role.Supervisor, Home: "HVH", Active: true},
		{Login: "boss", Name: "Boss", Role: role.Administrator, Home: "HVH"},
	} {
		_, err := o.put("staff", key, first.Seen, less)
		assert.ErrorContains(t, err, "is the last administrator. Make somebody else an administrator first.")
	}
	added := testkit.Do(t, o.House, o.boss, func(a *act.Act) (*upkeep.Added, error) {
		return upkeep.AddPerson(a, upkeep.Person{Login: "iris", Name: "Iris Lund", Role: role.Administrator, Home: "SLM", Branches: []calendar.Code{"TRN", "SLM", "TRN"}})
	})
	assert.Contains(t, added.Link.Path, "/enter#")
	_, err = testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Added, error) {
		return upkeep.AddPerson(a, upkeep.Person{Login: "IRIS", Name: "Another", Role: role.Desk, Home: "SLM"})
	})
	assert.ErrorContains(t, err, "Iris Lund already signs in as IRIS. Choose another name.")
	o.Set("INSERT INTO sessions (digest, data, staff_id, expiry) VALUES (sha256('x'), '', ?, now() + interval '1 hour')", o.boss.ID)
	_, err = o.put("staff", key, first.Seen, upkeep.Person{Login: "boss", Name: "Boss", Role: role.Administrator, Home: "HVH"})
	require.NoError(t, err, "there is another now")
	assert.Equal(t, "0", o.Ask("SELECT count(*)::text FROM sessions"))
	// Both at once would leave nobody: one is refused.
	_, err = o.put("staff", added.Key, added.Seen, upkeep.Person{Login: "iris", Name: "Iris Lund", Role: role.Desk, Home: "SLM"})
	assert.ErrorContains(t, err, "is the last administrator. Make somebody else an administrator first.")
	assert.Equal(t, "TRN", o.Ask("SELECT string_agg(branch_code, ' ') FROM staff_branches"))
}

// What somebody may beyond their role is theirs from their next act on.
func TestRightsAreKept(t *testing.T) {
	o := newOffice(t)
	desk := o.Staff(role.Desk, "HVH")
	_, err := o.put("staff", fmt.Sprint(desk.ID), 0, upkeep.Person{
		Login: "d", Name: "D", Role: role.Desk, Home: "HVH", Branches: []calendar.Code{}, Active: true,
		Rights: settings.Rights{Waive: &settings.Most{Sum: ptr(money.Amount(900))}},
	})
	require.NoError(t, err)
	rights, err := settings.ReadRights([]byte(o.Ask("SELECT rights FROM staff WHERE id = ?", desk.ID)))
	require.NoError(t, err)
	assert.Equal(t, money.Amount(900), *rights.Waive.Sum)
}

// A branch is closed permanently once nothing stands in the way; what belonged there belongs elsewhere, the courier calls no
// more, and taking it back brings all of it back but what has gone elsewhere since.
func TestClosingABranch(t *testing.T) {
	o := newOffice(t)
	patron, other := o.Patron("SLM"), o.Patron("SLM")
	title, labels := o.Title("SLM", "SLM")
	require.Len(t, labels, 2)
	o.Set("INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) VALUES (?, ?, 'SLM', '2026-10-05', 1)", title, patron)
	o.Set("INSERT INTO return_runs (branch_code, mode, day, staff_id, opened_at) VALUES ('SLM', 'bin', '2026-10-06', ?, '2026-10-06')", o.boss.ID)
	runs := o.Ask("SELECT string_agg(plan::text, '|' ORDER BY id) FROM runs")
	look := func() *upkeep.Closing {
		return testkit.Do(t, o.House, o.boss, func(a *act.Act) (*upkeep.Closing, error) { return upkeep.LookAtClosing(a, "SLM") })
	}
	shut := func(to calendar.Code, seen int64) (*upkeep.Kept, error) {
		return testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Close(a, "SLM", to, seen) })
	}
	o.Set("INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in) VALUES ('SLM', 'Desk', '2026-10-06', ?, 0)", o.boss.ID)
	o.Set(`INSERT INTO terminal_payments (at, branch_code, staff_id, terminal, amount, settling, state)
		VALUES ('2026-10-06', 'SLM', ?, 'desk:1', 100, '{}', 'asked')`, o.boss.ID)
	assert.Equal(t, []string{
		"1 return batch open there: finish it.", "1 card payment at a terminal there: wait for it or cancel it.",
		"1 till open there: count it and close it.",
	}, look().InTheWay)
	o.Set("UPDATE terminal_payments SET state = 'refused', ended_at = '2026-10-06', settling = NULL")
	o.Set("UPDATE tills SET closed_at = '2026-10-06', closed_by = opened_by, due_cash = 0, due_card = 0, due_cheque = 0, counted_cash = 0, counted_card = 0, counted_cheque = 0")
	seen := look()
	assert.Equal(t, []string{"1 return batch open there: finish it."}, seen.InTheWay)
	assert.Contains(t, seen.Moves, "Items with this home branch: 2.")
	assert.Contains(t, seen.Moves, "Patrons with this home branch: 2.")
	assert.NotEmpty(t, seen.Runs)
	_, err := shut("HVH", 0)
	assert.ErrorContains(t, err, "cannot be closed yet. 1 return batch open there")
	o.Set("UPDATE return_runs SET finished_at = '2026-10-06'")
	_, err = shut("SLM", 0)
	assert.ErrorContains(t, err, "Choose the branch that takes over.")
	_, err = shut("XXX", 0)
	assert.ErrorContains(t, err, `no branch "XXX"`)
	closed, err := shut("HVH", 0)
	require.NoError(t, err)
	_, err = shut("HVH", closed.Seen)
	assert.ErrorContains(t, err, "is already permanently closed.")

	state := func() string {
		return o.Ask(`SELECT (SELECT string_agg(branch_code || ' ' || at_branch, ', ' ORDER BY id) FROM items) || '; ' ||
			(SELECT string_agg(branch_code, ' ' ORDER BY id) FROM patrons) || '; ' || (SELECT pickup FROM holds)`)
	}
	assert.Equal(t, "HVH HVH, HVH HVH; HVH HVH; HVH", state())
	assert.NotContains(t, o.Ask("SELECT string_agg(plan::text, '|') FROM runs"), "SLM")
	assert.Equal(t, calendar.Code("HVH"), o.branch("SLM").Is.Follows)
	_, err = testkit.Try(o.House, o.boss, func(a *act.Act) (*calendar.Branch, error) { return a.Network.OpenBranch("SLM") })
	assert.ErrorContains(t, err, "is permanently closed. Choose another branch.")

	there := o.Staff(role.Desk, "HVH")
	there.Branch = "SLM"
	_, err = testkit.Try(o.House, there, func(a *act.Act) (*people.Card, error) { return people.Open(a, patron) })
	assert.ErrorContains(t, err, "is permanently closed. Choose another branch.", "whoever still worked there is told")

	o.Set("UPDATE patrons SET branch_code = 'THB' WHERE id = ?", other)
	_, err = o.back(closed.Seen)
	require.NoError(t, err)
	assert.Equal(t, "SLM SLM, SLM SLM; SLM THB; SLM", state(), "who has gone elsewhere since stays there")
	assert.JSONEq(t, listed(runs), listed(o.Ask("SELECT string_agg(plan::text, '|' ORDER BY id) FROM runs")))
	assert.Equal(t, "0", o.Ask("SELECT count(*)::text FROM closing_moves"))
}

func listed(text string) string {
	var out []json.RawMessage
	for part := range strings.SplitSeq(text, "|") {
		out = append(out, json.RawMessage(part))
	}
	data, _ := json.Marshal(out)
	return string(data)
}

// A new partner has an account on the next free card, and a secret that is shown once and opens their door.
func TestPartners(t *testing.T) {
	o := newOffice(t)
	join := func(symbol string) (*upkeep.Joined, error) {
		return testkit.Try(o.House, o.boss, func(a *act.Act) (*upkeep.Joined, error) {
			return upkeep.AddPartner(a, upkeep.Joining{Partner: upkeep.Partner{Symbol: symbol, Name: "Lorrow"}, Class: "adult", Branch: "HVH"})
		})
	}
	first, err := join("LORROW")
	require.NoError(t, err)
	assert.Equal(t, ident.Usual("4321").Patterns[0].Number(1), first.Card)
	_, err = join("LORROW")
	assert.ErrorContains(t, err, "is already used by")
	knows := func(secret string) string {
		return o.Ask("SELECT count(*)::text FROM partners WHERE secret_digest = sha256(?::bytea)", secret)
	}
	assert.Equal(t, "1", knows(first.Secret))
	second := testkit.Do(t, o.House, o.boss, func(a *act.Act) (*upkeep.Secret, error) {
		var id int64
		_, err := fmt.Sscan(first.Key, &id)
		require.NoError(t, err)
		return upkeep.RenewSecret(a, id)
	})
	assert.Equal(t, "0", knows(first.Secret), "the one before opens nothing any more")
	assert.Equal(t, "1", knows(second.Secret))
	require.NoError(t, o.away("partner", first.Key, first.Seen))
}
