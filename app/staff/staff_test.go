package staff_test

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/app/upkeep"
	"nevrin/core/door"
	"nevrin/testkit"
)

const (
	phrase = "ferry lantern quarrel tide"
	other  = "marble otter seldom winter"
)

func anna(t *testing.T, w *testkit.World) act.Actor {
	t.Helper()
	testkit.Do(t, w.House, act.Machine, func(a *act.Act) (string, error) {
		return upkeep.AddAdministrator(a, upkeep.Administrator{Login: "anna", Name: "Anna", Branch: "HVH", Password: phrase})
	})
	return testkit.Somebody(t, w.House, "anna")
}

func kind(err error) problem.Kind {
	if p := problem.Of(err); p != nil {
		return p.Kind
	}
	return -1
}

// Guessing at a name is slowed down, from one address and from many, and shuts nobody out from where they have been before:
// it was one bucket for all, which one program could keep full.
func TestGuessing(t *testing.T) {
	w := testkit.NewWorld(t)
	anna(t, w)
	try := func(address, login, password string) error {
		_, err := staff.SignIn(t.Context(), w.House, address, staff.Entering{Login: login, Password: password})
		return err
	}
	require.NoError(t, try("192.0.2.1", "anna", phrase), "Anna has been at her desk before")
	for range 5 {
		assert.Equal(t, problem.Forbidden, kind(try("203.0.113.9", "anna", "guess")))
	}
	err := try("203.0.113.9", "Anna", phrase)
	assert.Equal(t, problem.TooOften, kind(err), "after some wrong tries even the right one waits, whatever the capitals")
	assert.Regexp(t, "Try again in [12] seconds?,", err.Error()) // one has gone by on a slow machine
	require.NoError(t, try("192.0.2.1", "anna", phrase), "elsewhere nobody waits")

	// From many addresses: the name waits, but not where its person has been before.
	w.Set("INSERT INTO wrong_tries VALUES ('name', " + named("anna") + ", 30, clock_timestamp())")
	assert.Equal(t, problem.TooOften, kind(try("198.51.100.7", "anna", phrase)))
	require.NoError(t, try("192.0.2.1", "anna", phrase))
	require.NoError(t, try("198.51.100.7", "anna", phrase), "being right begins anew")

	// One address that tries many names.
	for k := range 41 {
		assert.Equal(t, problem.Forbidden, kind(try("203.0.113.77", "nobody"+strings.Repeat("x", k), "guess")), k)
	}
	assert.Equal(t, problem.TooOften, kind(try("203.0.113.77", "anna", phrase)))

	w.Set("UPDATE wrong_tries SET last_at = last_at - interval '25 hours'")
	require.NoError(t, try("203.0.113.77", "anna", phrase), "a day later all is forgotten")
	assert.Equal(t, "5", testkit.Text(t, w.House,
		"SELECT count(*)::text FROM events WHERE kind = 'sign_in_failed' AND staff_id IS NOT NULL AND detail->>'from' = '203.0.113.9'"))
	assert.Equal(t, "5", testkit.Text(t, w.House, "SELECT count(*)::text FROM events WHERE kind = 'signed_in'"))
}

// Of eighty sign-ins at once few are worked out at once; who would wait for long is told to come again; and none
// of them gets more tries than one after another would.
func TestEightyAtOnce(t *testing.T) {
	w := testkit.NewWorld(t)
	anna(t, w)
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var all sync.WaitGroup
	kinds := make([]problem.Kind, 80)
	most, stop := watch()
	for k := range kinds {
		all.Go(func() {
			_, err := staff.SignIn(context.Background(), w.House, "203.0.113.9", staff.Entering{Login: "anna", Password: "guess"})
			kinds[k] = kind(err)
		})
	}
	all.Wait()
	stop()
	runtime.ReadMemStats(&after)
	tried := 0
	for _, k := range kinds {
		switch k {
		case problem.Forbidden:
			tried++
		case problem.Crowded: // for whom there was no room: it is not known whether their password is right
		default:
			assert.Equal(t, problem.TooOften, k)
		}
	}
	assert.LessOrEqual(t, tried, 5)
	assert.Less(t, *most-min(before.HeapAlloc, *most), uint64(700<<20), "bytes held at once")
}

// watch keeps the most that was held at once until it is stopped.
func watch() (most *uint64, stop func()) {
	most = new(uint64)
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		var m runtime.MemStats
		for {
			select {
			case <-done:
				return
			default:
			}
			runtime.ReadMemStats(&m)
			*most = max(*most, m.HeapAlloc)
			runtime.Gosched()
		}
	}()
	return most, func() { close(done); <-ended }
}

// Different people who sign in at once are few at a time, and the rest are told to come again.
func TestManyPeopleAtOnce(t *testing.T) {
	w := testkit.NewWorld(t)
	anna(t, w)
	for k := range 60 {
		w.Set("INSERT INTO staff (login, name, role, branch_code, password_hash) SELECT ?, 'P', 'desk', 'HVH', password_hash FROM staff WHERE login = 'anna'",
			"person"+string(rune('A'+k)))
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	ended := map[problem.Kind]int{}
	most, stop := watch()
	for k := range 60 {
		all.Go(func() {
			_, err := staff.SignIn(context.Background(), w.House, "192.0.2."+string(rune('0'+k%10)),
				staff.Entering{Login: "person" + string(rune('A'+k)), Password: phrase})
			mu.Lock()
			defer mu.Unlock()
			ended[kind(err)]++
			if kind(err) == -1 {
				assert.NoError(t, err)
			}
		})
	}
	all.Wait()
	stop()
	assert.Equal(t, 60, ended[-1]+ended[problem.Crowded], "%v", ended)
	assert.Positive(t, ended[-1])
	assert.Less(t, *most, uint64(1<<30))
	assert.Equal(t, "0", testkit.Text(t, w.House, "SELECT count(*)::text FROM wrong_tries"), "for whom there was no room, it does not count")
}

// Who has forgotten their password gets a link that works once, from an administrator or from the command line.
func TestLink(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := anna(t, w)
	w.Set("INSERT INTO staff (login, name, role, branch_code) VALUES ('tom', 'Tom', 'desk', 'HVH')")
	tom := testkit.Somebody(t, w.House, "tom")
	w.Set("INSERT INTO wrong_tries VALUES ('name', " + named("tom") + ", 90, clock_timestamp()), ('pair', " + named("tom") + " || ' 192.0.2.1', 90, clock_timestamp())")
	link := testkit.Do(t, w.House, boss, func(a *act.Act) (*staff.Link, error) { return staff.MakeLink(a, tom.ID) })
	token, ok := strings.CutPrefix(link.Path, "/enter#")
	require.True(t, ok, link.Path)
	assert.Equal(t, "0", testkit.Text(t, w.House, "SELECT count(*)::text FROM once_links WHERE digest = convert_to(?, 'UTF8')", token),
		"what is in the link is kept nowhere")
	login, name, err := staff.OfLink(t.Context(), w.House, token)
	require.NoError(t, err)
	assert.Equal(t, "tom Tom", login+" "+name)
	assert.ErrorContains(t, staff.UseLink(t.Context(), w.House, token, "password12"), "too common")
	require.NoError(t, staff.UseLink(t.Context(), w.House, token, phrase), "a password that was refused does not use the link up")
	assert.ErrorContains(t, staff.UseLink(t.Context(), w.House, token, other), "This link is used, replaced or expired")
	_, err = staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "tom", Password: phrase})
	require.NoError(t, err, "the waits have ended too")

	second, err := staff.LinkFor(t.Context(), w.House, "tom")
	require.NoError(t, err)
	third, err := staff.LinkFor(t.Context(), w.House, "tom")
	require.NoError(t, err)
	assert.ErrorContains(t, staff.UseLink(t.Context(), w.House, second.Path[len("/enter#"):], other), "This link is used, replaced or expired")
	w.Set("UPDATE once_links SET until = clock_timestamp()")
	assert.ErrorContains(t, staff.UseLink(t.Context(), w.House, third.Path[len("/enter#"):], other), "This link is used, replaced or expired")
	_, err = staff.LinkFor(t.Context(), w.House, "nobody")
	assert.EqualError(t, err, `Nobody has the sign-in name "nobody".`)
}

func TestOwnPassword(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := anna(t, w)
	w.Set("INSERT INTO sessions (digest, data, staff_id, expiry) SELECT sha256(convert_to(v, 'UTF8')), '', ?, clock_timestamp() + interval '1 hour' FROM unnest(ARRAY['here', 'there']) v", boss.ID)
	change := func(was, is string) error {
		if err := staff.Prove(t.Context(), w.House, "192.0.2.1", boss.ID, was, "", false); err != nil {
			return err
		}
		_, err := testkit.Try(w.House, boss, func(a *act.Act) (struct{}, error) {
			return struct{}{}, staff.ChangePassword(a, is, "here")
		})
		return err
	}
	assert.ErrorContains(t, change("wrong", other), "Your password is wrong. Nothing was changed.")
	assert.ErrorContains(t, change(phrase, "annaanna12"), "too common")
	require.NoError(t, change(phrase, other))
	assert.Equal(t, "1", testkit.Text(t, w.House, "SELECT count(*)::text FROM sessions"), "sessions elsewhere have ended")
	_, err := staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "anna", Password: phrase})
	assert.Error(t, err)
	_, err = staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "anna", Password: other})
	assert.NoError(t, err)
}

// A short code lets its person come back; after five wrong ones the session is over.
func TestComingBack(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := anna(t, w)
	back := func(code string) (bool, error) { return staff.ComeBack(t.Context(), w.House, boss.ID, code) }
	_, err := back("7283")
	assert.ErrorContains(t, err, "no short code")
	choose := func(code string) error {
		_, err := testkit.Try(w.House, boss, func(a *act.Act) (struct{}, error) { return struct{}{}, staff.ChooseShort(a, code) })
		return err
	}
	assert.ErrorContains(t, choose("1234"), "too easy to guess")
	_, items := w.Title("HVH")
	assert.ErrorContains(t, choose(items[0]), "This is an item number")
	require.NoError(t, choose("7283"))
	over, err := back("7283")
	require.NoError(t, err)
	assert.False(t, over)
	for k := range 4 {
		over, err = back("0000")
		assert.Error(t, err, k)
		assert.False(t, over)
	}
	over, err = back("0000")
	assert.Error(t, err)
	assert.True(t, over)
}

// named is under what SQL finds the tries of a name.
func named(login string) string { return "left(encode(sha256('" + login + "'), 'hex'), 32)" }

// factor is Anna setting up a second factor in a session.
type factor struct {
	t       *testing.T
	w       *testkit.World
	boss    act.Actor
	session string
	secret  string
	begun   time.Time
}

func (f *factor) begin() {
	f.t.Helper()
	f.w.Set("INSERT INTO sessions (digest, data, staff_id, expiry) VALUES (sha256(convert_to(?, 'UTF8')), '', ?, clock_timestamp() + interval '1 hour') ON CONFLICT DO NOTHING",
		f.session, f.boss.ID)
	setting := testkit.Do(f.t, f.w.House, f.boss, func(a *act.Act) (*staff.Setting, error) { return staff.BeginSecond(a, f.session) })
	assert.Contains(f.t, setting.Address, "otpauth://totp/A%20small%20world:anna?")
	f.secret = setting.Secret
	f.begun = time.Now() // a step may end meanwhile: codes are those of steps counted from here
}

func (f *factor) code(steps int) string {
	f.t.Helper()
	text, err := totp.GenerateCode(f.secret, f.begun.Add(time.Duration(steps)*30*time.Second))
	require.NoError(f.t, err)
	return text
}

// set sets it up as the server does: whoever does it shows first that it is them.
func (f *factor) set(password, old, code string) error {
	if err := staff.Prove(f.t.Context(), f.w.House, "192.0.2.1", f.boss.ID, password, old, true); err != nil {
		return err
	}
	_, err := testkit.Try(f.w.House, f.boss, func(a *act.Act) (struct{}, error) {
		return struct{}{}, staff.SetSecond(a, code, f.session)
	})
	return err
}

// A second factor is set up with a code of it, asked for after the password, counts once, and can be taken away by who
// administrates.
func TestSecondFactorAtSignIn(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := anna(t, w)
	enter := func(code string) error {
		_, err := staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "anna", Password: phrase, Code: code})
		return err
	}
	f := &factor{t: t, w: w, boss: boss, session: "here"}
	f.begin()
	assert.ErrorContains(t, f.set(phrase, "", "000000"), "This code is wrong.")
	require.NoError(t, enter(""), "until it is set up, the password alone is right")
	require.NoError(t, f.set(phrase, "", f.code(0)))

	assert.ErrorIs(t, enter(""), staff.ErrSecond)
	assert.ErrorContains(t, enter("000000"), "This code is wrong or already used.")
	assert.ErrorContains(t, enter(f.code(0)), "already used", "the code it was set up with counts once too")
	require.NoError(t, enter(f.code(1)))
	w.Set("DELETE FROM wrong_tries")
	assert.ErrorContains(t, enter(f.code(1)), "already used")
	w.Set("DELETE FROM wrong_tries")

	testkit.Done(t, w.House, boss, func(a *act.Act) error { return staff.DropSecond(a, boss.ID) })
	require.NoError(t, enter(""))
	assert.Equal(t, "set, removed", w.Ask("SELECT string_agg(detail->>'is', ', ' ORDER BY id) FROM events WHERE kind = 'second_factor'"))
}

// Whoever has found a session open cannot put a second factor of their own in the place of its person's: it takes the password, a
// code of the old one, and the secret that this session was offered.
func TestNobodyElseSetsASecondFactor(t *testing.T) {
	w := testkit.NewWorld(t)
	f := &factor{t: t, w: w, boss: anna(t, w), session: "here"}
	f.begin()
	assert.ErrorContains(t, f.set("a guess of a password", "", f.code(0)), "Your password is wrong. Nothing was changed.")
	require.NoError(t, f.set(phrase, "", f.code(0)))
	w.Set("DELETE FROM wrong_tries")
	old := *f

	f.begin()
	assert.ErrorIs(t, f.set(phrase, "", f.code(0)), staff.ErrSecond)
	assert.ErrorContains(t, f.set(phrase, "000000", f.code(0)), "This code is wrong")
	elsewhere := *f
	elsewhere.session = "another session"
	assert.ErrorContains(t, elsewhere.set(phrase, old.code(1), f.code(0)), "The setup has expired. Start again.")
	w.Set("DELETE FROM wrong_tries")
	w.Set("UPDATE staff SET second_step = 0")
	require.NoError(t, f.set(phrase, old.code(1), f.code(0)))
	w.Set("UPDATE second_offers SET until = clock_timestamp()")
	w.Set("UPDATE staff SET second_step = 0")
	assert.ErrorContains(t, f.set(phrase, f.code(1), f.code(1)), "The setup has expired. Start again.", "an offer is taken once")

	// Wrong passwords are counted as at the door.
	for range 5 {
		_ = f.set("a guess of a password", "", "")
	}
	assert.Equal(t, problem.TooOften, kind(f.set(phrase, "", "")))
}

// Secrets are sealed where they are kept, and sealed anew when the key changes; one that cannot be opened is said at the start.
func TestSecretsAreSealed(t *testing.T) {
	w := testkit.NewWorld(t)
	f := &factor{t: t, w: w, boss: anna(t, w), session: "here"}
	f.begin()
	require.NoError(t, f.set(phrase, "", f.code(0)))
	kept := func() string { return w.Ask("SELECT second FROM staff WHERE login = 'anna'") }
	assert.NotContains(t, kept(), f.secret)
	assert.NotContains(t, w.Ask("SELECT coalesce(string_agg(sealed, ' '), '-') FROM second_offers"), f.secret)

	old, fresh := door.NewKey(), door.NewKey()
	w.Set("UPDATE staff SET second = ? WHERE login = 'anna'", f.secret) // as they stood before they were sealed
	use := func(keys ...string) (int, error) {
		var err error
		w.Keys, err = door.ParseKeys(strings.Join(keys, ","))
		require.NoError(t, err)
		return staff.Reseal(t.Context(), w.House)
	}
	_, err := use()
	assert.ErrorIs(t, err, door.ErrNoKey, "a secret in clear, and no key to seal it with")
	for _, keys := range [][]string{{old}, {fresh, old}, {fresh}} {
		n, err := use(keys...)
		require.NoError(t, err)
		w.Set("DELETE FROM wrong_tries")
		w.Set("UPDATE staff SET second_step = 0")
		_, err = staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "anna", Password: phrase, Code: f.code(1)})
		require.NoError(t, err, "%d sealed", n)
	}
	n, err := use(fresh)
	require.NoError(t, err)
	assert.Zero(t, n, "what is sealed with the newest key stays as it is")
	_, err = use(old)
	assert.ErrorContains(t, err, "NEVRIN_KEYS")
}

// Of an address of IPv6 everybody has billions: tries count by what one line is given, and by site when they are many.
func TestGuessingFromManyAddressesOfOneLine(t *testing.T) {
	w := testkit.NewWorld(t)
	anna(t, w)
	try := func(address, login string) error {
		_, err := staff.SignIn(t.Context(), w.House, address, staff.Entering{Login: login, Password: "guess"})
		return err
	}
	for k := range 5 {
		assert.Equal(t, problem.Forbidden, kind(try(fmt.Sprintf("2001:db8:1:2::%x", k+1), "anna")))
	}
	assert.Equal(t, problem.TooOften, kind(try("2001:db8:1:2:3:4:5:6", "anna")), "another address of the same line")
	assert.Equal(t, problem.Forbidden, kind(try("2001:db8:1:3::1", "anna")), "another line")
	w.Set("UPDATE wrong_tries SET number = 450 WHERE of = 'range'")
	assert.Equal(t, problem.TooOften, kind(try("2001:db8:1:ffff::1", "tom")), "yet another line of the same site, after very many")
	assert.Equal(t, problem.Forbidden, kind(try("2001:db8:2::1", "tom")))
}

// What somebody has typed as a login may be their password: it is kept nowhere.
func TestWhatIsTypedAsALoginIsKeptNowhere(t *testing.T) {
	w := testkit.NewWorld(t)
	_, err := staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: phrase, Password: "x"})
	require.Error(t, err)
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM wrong_tries WHERE key LIKE '%' || ? || '%'", phrase))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM events WHERE detail::text LIKE '%' || ? || '%'", phrase))
	assert.NotEqual(t, "0", w.Ask("SELECT count(*)::text FROM wrong_tries"))
}

// Two hundred patrons who sign in at once take the places of patrons; who works here gets in meanwhile.
func TestStaffSignInUnderAFlood(t *testing.T) {
	w := testkit.NewWorld(t)
	anna(t, w)
	ctx, stop := context.WithCancel(t.Context())
	var flood sync.WaitGroup
	for range 200 {
		flood.Go(func() {
			for ctx.Err() == nil {
				done, err := staff.OfPatrons.Take(ctx)
				if err != nil {
					continue
				}
				_, _ = staff.Has("guess", "")
				done()
			}
		})
	}
	var times []time.Duration
	for range 10 {
		begun := time.Now()
		_, err := staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: "anna", Password: phrase})
		require.NoError(t, err)
		times = append(times, time.Since(begun))
	}
	stop()
	flood.Wait()
	slices.Sort(times)
	t.Logf("staff signed in under a flood of 200: median %s, longest %s", times[5].Round(time.Millisecond), times[9].Round(time.Millisecond))
}
