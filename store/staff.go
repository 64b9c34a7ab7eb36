package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"gorm.io/gorm"

	"nevrin/core/calendar"
	"nevrin/core/role"
)

// StaffByLogin gives somebody who signs in by password; nil where there is nobody.
func (s *Store) StaffByLogin(ctx context.Context, login string) (*Staff, error) {
	return s.staff(ctx, "login = ? AND active AND NOT demo AND password_hash <> ''", login)
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

// StaffByID gives somebody who works here; nil where there is none.
func (t *Tx) StaffByID(id int64) (*Staff, error) {
	return one[Staff](t, "SELECT * FROM staff WHERE id = $1", id)
}

// StaffLocked locks somebody who works here and gives them; nil where there is none.
func (t *Tx) StaffLocked(id int64) (*Staff, error) {
	return one[Staff](t, "SELECT * FROM staff WHERE id = $1 FOR NO KEY UPDATE", id)
}

// StaffShown is somebody who works here, as who keeps the staff sees them.
type StaffShown struct {
	ID           int64
	Login, Name  string
	Role         role.Role
	BranchCode   calendar.Code
	Active, Demo bool
	Branches     []calendar.Code // where they may work beside their own
	Sessions     int
	LastSignIn   *time.Time
	Waits        bool // they have to wait before their next try to sign in
	Link         bool // a link to set a new password is out
	LinkUntil    *time.Time
	HasPassword  bool
	Second       bool // has a second factor
	Rights       json.RawMessage
	At           []SessionShown
}

// SessionShown is a session as who keeps the staff sees it.
type SessionShown struct {
	Begun   time.Time `json:"begun_at"`
	Last    time.Time `json:"seen_at"`
	Address string    `json:"address"`
	Own     bool      `json:"own"`
}

// StaffList lists everybody who works here, by name.
func (t *Tx) StaffList() ([]StaffShown, error) {
	return list[StaffShown](
		t,
		`SELECT f.id, f.login, f.name, f.role, f.branch_code, f.active, f.demo, f.password_hash <> '' AS has_password,
			f.second <> '' AS second, f.rights,
			coalesce((SELECT jsonb_agg(jsonb_build_object('begun_at', s.begun_at, 'seen_at', s.seen_at, 'address',
			s.address,
				'own', s.own) ORDER BY s.seen_at DESC) FROM sessions s
				WHERE s.staff_id = f.id AND s.expiry > current_timestamp), '[]') AS at,
			ARRAY(SELECT b.branch_code FROM staff_branches b WHERE b.staff_id = f.id ORDER BY 1) AS branches,
			(SELECT count(*)::int FROM sessions s WHERE s.staff_id = f.id AND s.expiry > current_timestamp) AS sessions,
			(SELECT max(last_at) FROM staff_addresses a WHERE a.staff_id = f.id) AS last_sign_in,
			EXISTS (SELECT 1 FROM wrong_tries w WHERE w.of = 'name'
				AND w.key = left(encode(sha256(convert_to(lower(f.login), 'UTF8')), 'hex'), 32)) AS waits,
			l.until AS link_until, l.until IS NOT NULL AS link
		FROM staff f LEFT JOIN LATERAL (SELECT max(until) AS until FROM once_links o
			WHERE o.staff_id = f.id AND o.until > current_timestamp) l ON true ORDER BY f.name, f.id`,
	)
}

// BranchesOfStaff gives where somebody may work beside their own branch.
func (t *Tx) BranchesOfStaff(staff int64) ([]calendar.Code, error) {
	q := &questions{}
	out := []calendar.Code{}
	askEach(q, &out, "SELECT branch_code FROM staff_branches WHERE staff_id = $1 ORDER BY 1", staff)
	return out, t.send(q)
}

// KeepBranchesOfStaff writes where somebody may work beside their own branch.
func (t *Tx) KeepBranchesOfStaff(staff int64, branches []calendar.Code) {
	t.queue("DELETE FROM staff_branches WHERE staff_id = $1", staff)
	for _, b := range branches {
		t.queue("INSERT INTO staff_branches (staff_id, branch_code) VALUES ($1, $2)", staff, b)
	}
}

// KeepPassword writes the digest of somebody's password. With one they sign in like everybody, also if they were of the demo.
func (t *Tx) KeepPassword(staff int64, hash string) {
	t.queueOne("UPDATE staff SET password_hash = $2, demo = false WHERE id = $1", staff, hash)
}

// KeepShort writes the digest of the short code with which somebody comes back to a station.
func (t *Tx) KeepShort(staff int64, hash string) {
	t.queueOne("UPDATE staff SET short_hash = $2, short_wrong = 0 WHERE id = $1", staff, hash)
}

// ShortTried counts a wrong try of a short code; 0 begins anew.
func (t *Tx) ShortTried(staff int64, wrong int) {
	t.queueOne("UPDATE staff SET short_wrong = $2 WHERE id = $1", staff, wrong)
}

// KeepSecond writes the secret of somebody's second factor, and of which step the code was that was used last.
func (t *Tx) KeepSecond(staff int64, secret string, step int64) {
	t.queueOne("UPDATE staff SET second = $2, second_step = $3 WHERE id = $1", staff, secret, step)
}

// SecondUsed writes of which step a code was that has just been used; ErrMoved where it, or a later one, has been before.
func (t *Tx) SecondUsed(staff, step int64) {
	t.queueOne("UPDATE staff SET second_step = $2 WHERE id = $1 AND second_step < $2", staff, step)
}

// BranchCodes lists the codes of all branches in their order.
func (s *Store) BranchCodes(ctx context.Context) ([]string, error) {
	var codes []string
	return codes, s.db.WithContext(ctx).Raw("SELECT code FROM branches ORDER BY position").Scan(&codes).Error
}

// NoRow tells whether an error says that there is no such row.
func NoRow(err error) bool { return errors.Is(err, gorm.ErrRecordNotFound) }
