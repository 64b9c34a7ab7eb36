package upkeep

import (
	"fmt"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/plain"
	"nevrin/core/role"
	"nevrin/store/networkdb"
	"nevrin/store/staffdb"
)

// Administrator are the facts of an administrator, given on the command line.
type Administrator struct {
	Login    string
	Name     string        // empty: the login, or the name that they have
	Branch   calendar.Code // empty: the branch that they have; somebody new needs one
	Password string        // empty: the password that they have; somebody new needs one
}

// AddAdministrator adds an administrator, and says in sentences what was done. It is refused where the login is taken.
func AddAdministrator(a *act.Act, of Administrator) (string, error) {
	of.Login = plain.Line(of.Login)
	known, err := staffdb.StaffOf(a.Tx, of.Login)
	if err != nil {
		return "", err
	}
	if known != nil {
		return "", problem.Newf(
			problem.Refused,
			"%s signs in as %s already, with the role %s. Choose another login, or run 'nevrin administrator change %s'.",
			known.Name, known.Login, known.Role, known.Login,
		)
	}
	if of.Branch == "" {
		return "", problem.Newf(problem.Invalid, "--branch is missing. Give the code of their branch, one of %s.", codes(a))
	}
	id, err := a.Tx.NextID()
	if err != nil {
		return "", err
	}
	is := Person{
		Login: of.Login, Name: of.Name, Role: role.Administrator, Home: of.Branch, Branches: []calendar.Code{}, Active: true,
	}
	if is.Name == "" {
		is.Name = is.Login
	}
	hash, err := digest(a, of.Password, is)
	if err != nil {
		return "", err
	}
	if _, err := Put(a, "staff", fmt.Sprint(id), 0, is); err != nil {
		return "", err
	}
	staffdb.KeepPassword(a.Tx, id, hash)
	return fmt.Sprintf("%s signs in as %s, and is an administrator at %s.", is.Name, is.Login, a.Network.BranchName(is.Home)), nil
}

// ChangeAdministrator makes somebody who works here an administrator, with the name, branch and password that are given, and ends
// their sessions. It says in sentences what was done.
func ChangeAdministrator(a *act.Act, of Administrator) (string, error) {
	of.Login = plain.Line(of.Login)
	known, err := staffdb.StaffOf(a.Tx, of.Login)
	if err != nil {
		return "", err
	}
	if known == nil {
		return "", problem.Newf(
			problem.Missing, "Nobody signs in as %s. To add them, run 'nevrin administrator add %s'.", of.Login, of.Login,
		)
	}
	key := fmt.Sprint(known.ID)
	was, err := persons{}.Load(a, key)
	if err != nil {
		return "", err
	}
	is := *was
	is.Role, is.Active = role.Administrator, true
	if of.Name != "" {
		is.Name = plain.Line(of.Name)
	}
	if of.Branch != "" {
		is.Home = of.Branch
	}
	latest, err := networkdb.LatestChange(a.Tx, "staff", key)
	if err != nil {
		return "", err
	}
	seen := int64(0)
	if latest != nil {
		seen = latest.ID
	}
	if _, err := Put(a, "staff", key, seen, is); err != nil {
		return "", err
	}
	did := changes(a, was, &is)
	if of.Password != "" {
		hash, err := digest(a, of.Password, is)
		if err != nil {
			return "", err
		}
		staffdb.KeepPassword(a.Tx, known.ID, hash)
		a.Tell(event.Event{Kind: event.PasswordChanged, Detail: event.Detail{Staff: known.ID}})
		did = append(did, "The password is new.")
	}
	ended, err := staffdb.EndSessionsOf(a.Tx, known.ID)
	if err != nil {
		return "", err
	}
	if ended > 0 {
		a.Tell(event.Event{Kind: event.SessionsEnded, Detail: event.Detail{Staff: known.ID}})
		did = append(did, calendar.Count(ended, "session")+" ended.")
	}
	return strings.Join(did, " "), nil
}

// changes says what has changed, a sentence each.
func changes(a *act.Act, was, is *Person) []string {
	var out []string
	say := func(other bool, format string, args ...any) {
		if other {
			out = append(out, fmt.Sprintf(format, args...))
		}
	}
	say(was.Name != is.Name, "The name was %s, and is %s.", was.Name, is.Name)
	say(was.Role != is.Role, "The role was %s, and is %s.", was.Role, is.Role)
	say(was.Home != is.Home, "The branch was %s, and is %s.", a.Network.BranchName(was.Home), a.Network.BranchName(is.Home))
	say(!was.Active, "%s had been deactivated, and can sign in again.", is.Name)
	say(len(out) == 0, "%s was an administrator at %s already.", is.Name, a.Network.BranchName(is.Home))
	return out
}

// codes lists the codes of the branches that are open.
func codes(a *act.Act) string {
	var out []string
	for _, b := range a.Network.Open() {
		out = append(out, string(b.Code))
	}
	return strings.Join(out, ", ")
}

// digest takes a password as it stands in the environment, or says what is wrong with it.
func digest(a *act.Act, password string, of Person) (string, error) {
	if password == "" {
		return "", problem.Newf(problem.Invalid, "NEVRIN_PASSWORD is not set. Set it to a password for %s.", of.Name)
	}
	if wrong := door.Password(password, of.Login, of.Name); wrong != "" {
		return "", problem.Newf(problem.Invalid, "NEVRIN_PASSWORD: %s", wrong)
	}
	return staff.OfStaff.Digest(a.Context, password)
}
