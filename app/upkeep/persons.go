package upkeep

import (
	"fmt"
	"regexp"
	"slices"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/core/calendar"
	"nevrin/core/plain"
	"nevrin/core/role"
	core "nevrin/core/settings"
	"nevrin/store"
	"nevrin/store/staffdb"
)

// Person is somebody who works here.
type Person struct {
	Login    string          `json:"login" minLength:"1" maxLength:"60" doc:"The name they sign in with"`
	Name     string          `json:"name" minLength:"1" maxLength:"100"`
	Role     role.Role       `json:"role" enum:"administrator,supervisor,interlibrary,desk,volunteer"`
	Home     calendar.Code   `json:"home" minLength:"3" maxLength:"3" doc:"Their own branch"`
	Branches []calendar.Code `json:"branches" maxItems:"500" nullable:"false" doc:"Where they may work beside their own branch"`
	Active   bool            `json:"active" doc:"Works here; who does not cannot sign in"`
	Rights   core.Rights     `json:"rights" doc:"What they may otherwise than their role says"`
}

type persons struct{}

var login = regexp.MustCompile(`^[\p{L}\p{N}][\p{L}\p{N}._@-]*$`)

func (persons) Call(_ string, p *Person) string { return p.Name }

func (persons) Load(a *act.Act, key string) (*Person, error) {
	id, err := number(key)
	if err != nil {
		return nil, err
	}
	s, err := staffdb.StaffLocked(a.Tx, id)
	if err != nil || s == nil {
		return nil, err
	}
	branches, err := staffdb.BranchesOfStaff(a.Tx, id)
	if err != nil {
		return nil, err
	}
	rights, err := core.ReadRights(s.Rights)
	return &Person{s.Login, s.Name, s.Role, s.BranchCode, branches, s.Active, rights}, err
}

func (persons) Keep(a *act.Act, key string, was, is *Person) (*Person, error) {
	id, err := number(key)
	if err != nil {
		return nil, err
	}
	if is == nil {
		// What they did stays theirs: somebody who has been added by mistake is no longer here.
		is = new(*was)
		is.Active = false
	}
	if err := is.check(a, id); err != nil {
		return nil, err
	}
	others, err := staffdb.Administrators(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if was != nil && was.Active && role.LeavesNobody(was.Role, is.Role, is.Active, others) {
		return nil, problem.Newf(
			problem.Refused,
			"%s is the last administrator. Make somebody else an administrator first.",
			was.Name,
		)
	}
	staffdb.PutStaff(a.Tx, &staffdb.Staff{
		ID: id, Login: is.Login, Name: is.Name, Role: is.Role, BranchCode: is.Home, Active: is.Active,
		Rights: store.JSON(&is.Rights),
	}, is.Branches)
	if was != nil && was.Active && !is.Active {
		staffdb.DropSessionsOf(a.Tx, id, "")
		a.Tell(event.Event{Kind: event.SessionsEnded, Detail: event.Detail{Staff: id}})
	}
	return is, nil
}

func (p *Person) check(a *act.Act, id int64) error {
	p.Name, p.Login = plain.Line(p.Name), plain.Line(p.Login)
	switch {
	case p.Name == "":
		return problem.Newf(problem.Invalid, "Enter a name.")
	case !login.MatchString(p.Login):
		return problem.Newf(
			problem.Invalid,
			"%q is not a sign-in name. Use letters and digits, with dots, hyphens, underscores or @ between them.",
			p.Login,
		)
	}
	if _, err := role.Parse(string(p.Role)); err != nil {
		return problem.From(problem.Invalid, err)
	}
	if err := p.Rights.Check(); err != nil {
		return problem.From(problem.Invalid, err)
	}
	// Who works here no more may have been at a branch that has been closed since.
	home := a.Network.Branch
	if p.Active {
		home = a.Network.OpenBranch
	}
	if _, err := home(p.Home); err != nil {
		return err
	}
	wanted := []calendar.Code{}
	for _, b := range p.Branches {
		if _, err := a.Network.OpenBranch(b); err != nil {
			return err
		}
		if b != p.Home && !slices.Contains(wanted, b) {
			wanted = append(wanted, b)
		}
	}
	slices.Sort(wanted)
	p.Branches = wanted
	other, err := staffdb.StaffWithLoginBut(a.Tx, p.Login, id)
	if err != nil {
		return err
	}
	if other != "" {
		return problem.Newf(problem.Invalid, "%s already signs in as %s. Choose another name.", other, p.Login)
	}
	return nil
}

// Added is somebody new, with the link with which they set their password.
type Added struct {
	Kept
	Link staff.Link `json:"link"`
}

// AddPerson adds somebody who works here.
func AddPerson(a *act.Act, p Person) (*Added, error) {
	id, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	p.Active = true
	kept, err := Put(a, "staff", fmt.Sprint(id), 0, p)
	if err != nil {
		return nil, err
	}
	if err := a.Tx.Flush(); err != nil {
		return nil, err
	}
	link, err := staff.MakeLink(a, id)
	if err != nil {
		return nil, err
	}
	return &Added{*kept, *link}, nil
}
