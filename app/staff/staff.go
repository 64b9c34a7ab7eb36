// Package staff signs people in who work here.
package staff

import (
	"context"
	"slices"
	"strings"

	"github.com/alexedwards/argon2id"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store"
)

// SignIn finds the person with a login and password. Unknown login and wrong password read the same.
func SignIn(ctx context.Context, h *act.House, login, password string) (*store.Staff, error) {
	s, err := h.Store.StaffByLogin(ctx, login)
	if err != nil {
		return nil, err
	}
	hash := "$argon2id$v=19$m=65536,t=1,p=2$c29tZXNhbHRzb21lc2FsdA$MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE"
	if s != nil { // otherwise it takes as long as with a real one
		hash = s.PasswordHash
	}
	if ok, err := argon2id.ComparePasswordAndHash(password, hash); err != nil || !ok || s == nil {
		return nil, problem.Newf(
			problem.Forbidden,
			"This name and password do not go together. Check both and try again.",
		)
	}
	return s, nil
}

// Administrator makes or renews a person with the administrator's role, whose branch is given by its code.
func Administrator(ctx context.Context, s *store.Store, login, name, password string, branch calendar.Code) error {
	if len(password) < 10 {
		return problem.Newf(
			problem.Invalid,
			"The password is too short. Set NEVRIN_PASSWORD to one of at least 10 characters.",
		)
	}
	codes, err := s.BranchCodes(ctx)
	if err != nil {
		return err
	}
	if len(codes) == 0 {
		return problem.Newf(
			problem.Refused,
			"There is no network in this database yet. Make it with 'nevrin setup' first.",
		)
	}
	if !slices.Contains(codes, string(branch)) {
		return problem.Newf(
			problem.Invalid,
			"--branch: found %q; expected the code of a branch, one of %s.",
			branch,
			strings.Join(codes, ", "),
		)
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	return s.KeepAdministrator(ctx, login, name, branch, hash)
}
