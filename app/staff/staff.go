// Package staff knows who works here: signs them in and keeps how often that went wrong, lets them come back to a station,
// change their password and end their sessions, and lets an administrator say where each of them may work.
package staff

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/store/eventsdb"
	"nevrin/store/networkdb"
	"nevrin/store/staffdb"
)

// Entering is a sign-in: login and password.
type Entering struct {
	Login, Password string
	Code            string // of their second factor, where they have one
}

// SignIn finds the person with a login and password, who asks from an address. Unknown login and wrong password read the
// same. A try counts as wrong until it is known to be right, so that many at once are no way round the waits; one for which
// there is no room just now does not count.
func SignIn(ctx context.Context, h *act.House, address string, e Entering) (*staffdb.Staff, error) {
	s, try, err := prove(ctx, h, address, e.Login, e.Password)
	if err != nil {
		return nil, err
	}
	if s.Second != "" {
		if err := second(ctx, h, address, s, e.Code); err != nil {
			return nil, err
		}
	}
	return s, h.Store.Write(ctx, func(tx *store.Tx) error {
		staffdb.TriedWell(tx, s.ID, try)
		return tell(tx, s, event.SignedIn, event.Detail{From: address})
	})
}

// Prove lets somebody who is signed in show once more that it is them, before they change their own door: by their password, and
// by a code of their second factor where they have one and that is asked for. Wrong tries count as those to sign in do.
func Prove(ctx context.Context, h *act.House, address string, id int64, password, code string, withCode bool) error {
	var login string
	err := h.Store.Read(ctx, func(tx *store.Tx) error {
		s, err := staffdb.StaffByID(tx, id)
		if err == nil && s != nil {
			login = s.Login
		}
		if err == nil && s != nil && s.Demo {
			err = problem.Newf(problem.Refused, "Demo users have no password; they sign in with one click.")
		}
		return err
	})
	if err != nil {
		return err
	}
	s, try, err := prove(ctx, h, address, login, password)
	if errors.Is(err, errPair) {
		return problem.Newf(problem.Forbidden, "Your password is wrong. Nothing was changed.")
	}
	if err != nil {
		return err
	}
	if withCode && s.Second != "" {
		if err := second(ctx, h, address, s, code); err != nil {
			return err
		}
	}
	return h.Store.Write(ctx, func(tx *store.Tx) error { staffdb.TriedRight(tx, try); return nil })
}

// errPair says that a login and a password do not go together, whichever of them is wrong.
var errPair = problem.Newf(problem.Forbidden, "Name and password do not match. Check both and try again.")

// prove gives the person with a login and a password, and the try, which is still counted as wrong.
func prove(ctx context.Context, h *act.House, address, login, password string) (*staffdb.Staff, *staffdb.Try, error) {
	try := &staffdb.Try{Name: login, Address: address}
	// Who has to wait is told so before they take anybody's place.
	err := h.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if try.Known, err = staffdb.StaffKnownAt(tx, login, address); err != nil {
			return err
		}
		tries, err := staffdb.TriesOf(tx, try)
		return errors.Join(err, Refused(tries, askForLink))
	})
	if err != nil {
		return nil, nil, err
	}
	places := OfStrangers
	if try.Known {
		places = OfStaff
	}
	done, err := places.Take(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	if err := Count(ctx, h, try, askForLink); err != nil {
		return nil, nil, err
	}
	known, err := staffdb.StaffWithLogin(ctx, h.Store, login)
	if err != nil {
		return nil, nil, err
	}
	s, err := staffdb.StaffByLogin(ctx, h.Store, login)
	if err != nil {
		return nil, nil, err
	}
	hash := ""
	if s != nil {
		hash = s.PasswordHash
	}
	right, err := Has(password, hash)
	if err != nil {
		return nil, nil, err
	}
	if !right || s == nil {
		return nil, nil, failed(ctx, h, address, known)
	}
	return s, try, nil
}

const askForLink = "ask an administrator for a link to set a new password"

// Count counts a try as wrong, unless it has to wait: then it is refused, with what else there is to do.
func Count(ctx context.Context, h *act.House, try *staffdb.Try, instead string) error {
	return h.Store.Write(ctx, func(tx *store.Tx) error {
		tries, err := staffdb.TriesLocked(tx, try)
		if err == nil {
			err = Refused(tries, instead)
		}
		if err == nil {
			staffdb.Tried(tx, try)
		}
		return err
	})
}

// Refused tells somebody who has to wait for how long, and what else there is to do; nil where nobody has to.
func Refused(tries *staffdb.Tries, instead string) error {
	if wait := waiting(tries); wait > 0 {
		return problem.Newf(problem.TooOften, "Too many failed attempts. Try again in %s, or %s.", sayWait(wait), instead)
	}
	return nil
}

// waiting is how long the next try has to wait.
func waiting(t *staffdb.Tries) time.Duration {
	most := time.Duration(0)
	for of, n := range t.Wrong {
		if t.Since[of] <= door.Forgotten {
			most = max(most, door.Wait(of, n)-t.Since[of])
		}
	}
	return most
}

func sayWait(d time.Duration) string {
	if d > 90*time.Second {
		return fmt.Sprintf("%d minutes", int(d.Round(time.Minute).Minutes()))
	}
	return calendar.Count(int(d/time.Second)+1, "second")
}

// failed keeps that somebody, if there is such a person, was tried in vain, and says so.
func failed(ctx context.Context, h *act.House, address string, known *staffdb.Staff) error {
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		return tell(tx, known, event.SignInFailed, event.Detail{From: address})
	})
	if err != nil {
		return err
	}
	return errPair
}

// tell keeps an event of somebody's door, outside of an act: nobody is signed in yet.
func tell(tx *store.Tx, s *staffdb.Staff, kind event.Kind, d event.Detail) error {
	at, _, err := tx.Begin(false, "")
	if err != nil || at.Version == 0 {
		return err
	}
	row := eventsdb.Event{At: at.Now, Kind: string(kind)}
	if s != nil {
		row.StaffID, d.Staff = &s.ID, s.ID
	}
	row.Detail = store.JSON(&d)
	return eventsdb.AddEvents(tx, []eventsdb.Event{row})
}

// Own shows somebody how they sign in: login, short code, second factor, and where they may work.
type Own struct {
	Login    string  `json:"login"`
	Demo     bool    `json:"demo" doc:"Signs in with one click, and has no password"`
	Short    bool    `json:"short" doc:"Has a short code for coming back to a station"`
	Second   bool    `json:"second" doc:"Has a second factor"`
	Must     bool    `json:"must" doc:"Has to have one by the network's settings"`
	Branches []Place `json:"branches" doc:"Where they may work"`
}

// Place is a branch.
type Place struct {
	Code calendar.Code `json:"code"`
	Name string        `json:"name"`
}

// Look gives somebody's own door.
func Look(a *act.Act) (*Own, error) {
	s, err := staffdb.StaffByID(a.Tx, a.Who.ID)
	if err != nil {
		return nil, err
	}
	out := &Own{Login: s.Login, Demo: s.Demo, Short: s.ShortHash != "", Branches: []Place{},
		Second: s.Second != "", Must: a.Network.Settled.NeedsSecond(s.Role)}
	for _, b := range a.Network.Open() {
		if a.Who.MayWorkAt(b.Code) {
			out.Branches = append(out.Branches, Place{b.Code, b.Name})
		}
	}
	return out, nil
}

// ChangePassword changes the password of somebody who has proven who they are; all their sessions end but the one of a token.
func ChangePassword(a *act.Act, password, token string) error {
	s, err := staffdb.StaffLocked(a.Tx, a.Who.ID)
	if err != nil {
		return err
	}
	hash, err := choose(a.Context, password, s)
	if err != nil {
		return err
	}
	staffdb.KeepPassword(a.Tx, s.ID, hash)
	staffdb.DropSessionsOf(a.Tx, s.ID, token)
	a.Tell(event.Event{Kind: event.PasswordChanged, Detail: event.Detail{Staff: s.ID}})
	return nil
}

// choose takes a new password, or says what is wrong with it.
func choose(ctx context.Context, password string, s *staffdb.Staff) (string, error) {
	if wrong := door.Password(password, s.Login, s.Name); wrong != "" {
		return "", problem.New(problem.Invalid, wrong)
	}
	return OfStaff.Digest(ctx, password)
}

// ChooseShort sets a short code, typed or scanned from a badge, with which somebody comes back to a station within the same
// session; empty takes it away.
func ChooseShort(a *act.Act, code string) error {
	hash := ""
	if code != "" {
		if wrong := door.Short(code); wrong != "" {
			return problem.New(problem.Invalid, wrong)
		}
		if door.Scanned(code, a.Network.Numbers.Read(code).Kind) {
			return problem.Newf(problem.Invalid, "This is an item number. Choose another code, or scan your badge.")
		}
		var err error
		if hash, err = OfStaff.Digest(a.Context, code); err != nil {
			return err
		}
	}
	staffdb.KeepShort(a.Tx, a.Who.ID, hash)
	a.Tell(event.Event{Kind: event.ShortCodeChanged, Detail: event.Detail{Staff: a.Who.ID}})
	return nil
}

// ErrScanned says that what came as a short code is the number of an item: somebody has scanned on.
var ErrScanned = problem.Newf(problem.Forbidden, "That is an item. It is kept until you have signed in.")

// ScannedOn refuses what came as a short code and is an item that was scanned. It is no try: nobody can have chosen it.
func ScannedOn(ctx context.Context, h *act.House, code string) error {
	scanned, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (bool, error) {
		return door.Scanned(code, a.Network.Numbers.Read(code).Kind), nil
	})
	if scanned {
		return ErrScanned
	}
	return err
}

// ComeBack lets somebody whose station has rested go on, by their short code. After some wrong tries the session is to
// end: over.
func ComeBack(ctx context.Context, h *act.House, id int64, code string) (over bool, err error) {
	done, err := OfStaff.Take(ctx)
	if err != nil {
		return false, err
	}
	defer done()
	var s *staffdb.Staff
	if err := h.Store.Write(ctx, func(tx *store.Tx) error { // counted as wrong until it is known to be right
		var err error
		if s, err = staffdb.StaffLocked(tx, id); err != nil || s == nil {
			return err
		}
		staffdb.ShortTried(tx, id, s.ShortWrong+1)
		return nil
	}); err != nil {
		return false, err
	}
	if s == nil || s.ShortHash == "" {
		return false, problem.Newf(problem.Forbidden, "You have no short code yet. Sign in with your password.")
	}
	right := false
	if s.ShortWrong < door.MostShort {
		if right, err = Has(code, s.ShortHash); err != nil {
			return false, err
		}
	}
	wrong := s.ShortWrong + 1
	over = !right && wrong >= door.MostShort
	err = h.Store.Write(ctx, func(tx *store.Tx) error {
		if right || over {
			staffdb.ShortTried(tx, id, 0)
		}
		if right {
			return nil
		}
		return tell(tx, s, event.SignInFailed, event.Detail{Means: "short"})
	})
	switch {
	case err != nil || right:
		return over, err
	case over:
		return true, problem.Newf(
			problem.Forbidden,
			"Wrong short code again. The session has ended. Sign in with your password.",
		)
	}
	return false, problem.Newf(problem.Forbidden, "Wrong short code. Try again, or sign in with your password.")
}

// EndSessions ends all sessions of somebody but the one of a token, which may be empty.
func EndSessions(a *act.Act, id int64, but string) error {
	s, err := staffdb.StaffLocked(a.Tx, id)
	if err != nil {
		return err
	}
	if s == nil {
		return problem.NoSuch("person")
	}
	staffdb.DropSessionsOf(a.Tx, id, but)
	a.Tell(event.Event{Kind: event.SessionsEnded, Detail: event.Detail{Staff: id}})
	return nil
}

// Person is somebody who works here, as an administrator sees them.
type Person struct {
	ID         int64           `json:"id"`
	Login      string          `json:"login"`
	Name       string          `json:"name"`
	Role       role.Role       `json:"role" enum:"administrator,supervisor,interlibrary,desk,volunteer"`
	Home       calendar.Code   `json:"home"`
	Branches   []calendar.Code `json:"branches" doc:"Where they may work beside their own branch"`
	Everywhere bool            `json:"everywhere" doc:"May work everywhere by their role"`
	Active     bool            `json:"active"`
	Sessions   int             `json:"sessions"`
	Signed     *time.Time      `json:"signed,omitempty" doc:"Last signed in by password"`
	Password   bool            `json:"password" doc:"Has a password"`
	Demo       bool            `json:"demo" doc:"Of the demo: signs in with one click"`
	Waits      bool            `json:"waits" doc:"There were wrong tries under their name since they last signed in"`
	Second     bool            `json:"second" doc:"Has a second factor"`
	At         []SignedIn      `json:"at" doc:"Where they are signed in now"`
	Rights     settings.Rights `json:"rights"`
	Seen       int64           `json:"seen" doc:"The last change of who they are and what they may; 0: none"`
	LinkUntil  *time.Time      `json:"link_until,omitempty" doc:"Until when a link to set a password holds that is out"`
}

// SignedIn is one session of somebody.
type SignedIn struct {
	Begun   time.Time `json:"begun"`
	Last    time.Time `json:"last" doc:"When a hand was last on that station"`
	Address string    `json:"address" doc:"From where they signed in"`
	Own     bool      `json:"own" doc:"At a station that nobody else uses"`
}

// List lists everybody who works here.
func List(a *act.Act) ([]Person, error) {
	rows, err := staffdb.StaffList(a.Tx)
	if err != nil {
		return nil, err
	}
	seen, err := networkdb.LatestChanges(a.Tx)
	if err != nil {
		return nil, err
	}
	out := make([]Person, len(rows))
	for k, r := range rows {
		rights, err := settings.ReadRights(r.Rights)
		if err != nil {
			return nil, err
		}
		out[k] = Person{
			ID: r.ID, Login: r.Login, Name: r.Name, Role: r.Role, Home: r.BranchCode, Branches: r.Branches,
			Everywhere: r.Role.Supervises(), Active: r.Active, Sessions: r.Sessions, Signed: r.LastSignIn,
			Password: r.HasPassword, Demo: r.Demo, Waits: r.Waits, LinkUntil: r.LinkUntil,
			Second: r.Second, At: []SignedIn{}, Rights: rights, Seen: seen[[2]string{"staff", fmt.Sprint(r.ID)}],
		}
		for _, s := range r.At {
			out[k].At = append(out[k].At, SignedIn{s.Begun, s.Last, s.Address, s.Own})
		}
	}
	return out, err
}

// linkStays is the time for which a link to set a password is valid.
const linkStays = 24 * time.Hour

// Link is a link to set a password, shown once to who made it.
type Link struct {
	Path  string    `json:"path" doc:"The address within Nevrin; it works once"`
	Until time.Time `json:"until"`
}

// MakeLink makes a link with which somebody sets a new password, and may try to sign in again at once.
func MakeLink(a *act.Act, id int64) (*Link, error) {
	s, err := staffdb.StaffLocked(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case s == nil || !s.Active:
		return nil, problem.NoSuch("person")
	case s.Demo:
		return nil, problem.Newf(problem.Refused, "Demo users have no password; they sign in with one click.")
	}
	token := rand.Text()
	until, err := staffdb.KeepLink(a.Tx, token, id, a.Who.ID, linkStays)
	if err != nil {
		return nil, err
	}
	staffdb.FreeTries(a.Tx, s.Login)
	a.Tell(event.Event{Kind: event.LinkMade, Detail: event.Detail{Staff: id}})
	return &Link{"/enter#" + token, until}, nil
}

// OfLink gives whose link it is.
func OfLink(ctx context.Context, h *act.House, token string) (login, name string, err error) {
	err = h.Store.Read(ctx, func(tx *store.Tx) error {
		s, err := staffdb.LinkOf(tx, token)
		if err == nil && s == nil {
			return noLink()
		}
		if err == nil {
			login, name = s.Login, s.Name
		}
		return err
	})
	return login, name, err
}

func noLink() error {
	return problem.Newf(problem.Missing, "This link is used, replaced or expired. Ask for a new one.")
}

// UseLink sets a password by a link, once; all sessions of its person end.
func UseLink(ctx context.Context, h *act.House, token, password string) error {
	return h.Store.Write(ctx, func(tx *store.Tx) error {
		s, err := staffdb.UseLink(tx, token)
		if err != nil {
			return err
		}
		if s == nil {
			return noLink()
		}
		hash, err := choose(ctx, password, s)
		if err != nil {
			return err
		}
		staffdb.KeepPassword(tx, s.ID, hash)
		staffdb.FreeTries(tx, s.Login)
		staffdb.DropSessionsOf(tx, s.ID, "")
		return tell(tx, s, event.PasswordChanged, event.Detail{Means: "link"})
	})
}

// LinkFor makes a link from the command line, for who can administrate the machine but not sign in.
func LinkFor(ctx context.Context, h *act.House, login string) (*Link, error) {
	s, err := staffdb.StaffWithLogin(ctx, h.Store, login)
	if err != nil {
		return nil, err
	}
	if s == nil {
		return nil, problem.Newf(problem.Missing, "Nobody has the sign-in name %q.", login)
	}
	return act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (*Link, error) { return MakeLink(a, s.ID) })
}
