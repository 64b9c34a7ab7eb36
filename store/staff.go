package store

import (
	"context"

	"gorm.io/gorm"
)

// StaffByID gives somebody who works here and may; nil where there is nobody.
func (s *Store) StaffByID(ctx context.Context, id int64) (*Staff, error) {
	return s.staff(ctx, "id = ? AND active", id)
}

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
func (s *Store) KeepAdministrator(ctx context.Context, login, name, branch, hash string) error {
	return s.db.WithContext(ctx).Exec(`INSERT INTO staff (login, name, role, branch_code, password_hash) VALUES (?, ?, 'administrator', ?, ?)
		ON CONFLICT (login) DO UPDATE SET password_hash = excluded.password_hash, role = 'administrator', active = true`, login, name, branch, hash).Error
}

// BranchCodes lists the codes of all branches in their order.
func (s *Store) BranchCodes(ctx context.Context) ([]string, error) {
	var codes []string
	return codes, s.db.WithContext(ctx).Raw("SELECT code FROM branches ORDER BY position").Scan(&codes).Error
}

// NoRow tells whether an error says that there is no such row.
func NoRow(err error) bool { return err == gorm.ErrRecordNotFound }
