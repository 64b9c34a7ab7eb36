package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"nevrin/core/calendar"
	"nevrin/core/role"
)

// StaffByLogin gives somebody who signs in by password; nil where there is nobody.
func (s *Store) StaffByLogin(ctx context.Context, login string) (*Staff, error) {
	return s.staff(ctx, "login = ? AND active AND password_hash <> ''", login)
}

// DemoStaffByLogin gives somebody of the demo; nil where there is nobody.
func (s *Store) DemoStaffByLogin(ctx context.Context, login string) (*Staff, error) {
	return s.staff(ctx, "login = ? AND demo AND active", login)
}

func (s *Store) staff(ctx context.Context, where string, arg any) (*Staff, error) {
	var row Staff
	found := s.db.WithContext(ctx).Where(where, arg).Limit(1).Find(&row)
	if found.Error != nil || found.RowsAffected == 0 {
		return nil, found.Error
	}
	return &row, nil
}

// DemoStaff lists the people of the demo.
func (t *Tx) DemoStaff() ([]Staff, error) {
	var staff []Staff
	return staff, t.orm().Where("demo AND active").Order("id").Find(&staff).Error
}

// KeepAdministrator makes or renews a person with the administrator's role.
func (s *Store) KeepAdministrator(ctx context.Context, login, name string, branch calendar.Code, hash string) error {
	return s.db.WithContext(ctx).
		Exec(`INSERT INTO staff (login, name, role, branch_code, password_hash) VALUES (?, ?, 'administrator', ?, ?)
		ON CONFLICT (login) DO UPDATE SET password_hash = excluded.password_hash, role = 'administrator',
			active = true`, login, name, branch, hash).
		Error
}

// BranchCodes lists the codes of all branches in their order.
func (s *Store) BranchCodes(ctx context.Context) ([]string, error) {
	var codes []string
	return codes, s.db.WithContext(ctx).Raw("SELECT code FROM branches ORDER BY position").Scan(&codes).Error
}

// NoRow tells whether an error says that there is no such row.
func NoRow(err error) bool { return errors.Is(err, gorm.ErrRecordNotFound) }

// Session gives what is kept of a session that has not expired, and whose it is, in one question; nil data where there
// is no such session, and nobody where nobody is signed in or may sign in any more.
func (s *Store) Session(ctx context.Context, token string) ([]byte, *Staff, error) {
	var row struct {
		Data       []byte
		ID         *int64
		Login      string
		Name       string
		Role       role.Role
		BranchCode calendar.Code
	}
	found := s.db.WithContext(ctx).
		Raw(`SELECT s.data, f.id, coalesce(f.login, '') AS login, coalesce(f.name, '') AS name, coalesce(f.role,
				'') AS role,
			coalesce(f.branch_code, '') AS branch_code
		FROM sessions s LEFT JOIN staff f ON f.id = s.staff_id AND f.active WHERE s.token = ?
			AND s.expiry > current_timestamp`, token).
		Scan(&row)
	if found.Error != nil || found.RowsAffected == 0 || row.ID == nil {
		return row.Data, nil, found.Error
	}
	return row.Data, &Staff{
		ID:         *row.ID,
		Login:      row.Login,
		Name:       row.Name,
		Role:       row.Role,
		BranchCode: row.BranchCode,
		Active:     true,
	}, nil
}

// KeepSession keeps a session; 0 where nobody is signed in.
func (s *Store) KeepSession(ctx context.Context, token string, data []byte, staff int64, expiry time.Time) error {
	return s.db.WithContext(ctx).
		Exec(`INSERT INTO sessions (token, data, staff_id, expiry) VALUES (?, ?, nullif(?, 0), ?)
		ON CONFLICT (token) DO UPDATE SET data = excluded.data, staff_id = excluded.staff_id,
			expiry = excluded.expiry`, token, data, staff, expiry).
		Error
}

// DropSession ends a session.
func (s *Store) DropSession(ctx context.Context, token string) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE token = ?", token).Error
}

// DropSessions drops the sessions that have expired, and gives how many.
func (t *Tx) DropSessions() (int64, error) {
	return t.exec("DELETE FROM sessions WHERE expiry < current_timestamp")
}
