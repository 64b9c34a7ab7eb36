package staffdb

import (
	"context"
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
)

// Staff is somebody who works here.
type Staff struct {
	ID           int64
	Login        string
	Name         string
	Role         role.Role
	BranchCode   calendar.Code
	PasswordHash string
	Demo         bool
	Active       bool
	ShortHash    string // of the short code with which they come back to a station; empty: none
	ShortWrong   int    // wrong tries of it since the last right one

	Rights     json.RawMessage `gorm:"type:jsonb;default:'{}'"` // in the form of core/settings
	Second     string          // the secret of their second factor; empty: none
	SecondStep int64           // the step of the code that was used last
}

func (Staff) TableName() string { return "staff" }

// StaffByLogin gives somebody who signs in by password; nil where there is nobody.
func StaffByLogin(ctx context.Context, s *store.Store, login string) (*Staff, error) {
	return staff(ctx, s, "login = ? AND active AND NOT demo AND password_hash <> ''", login)
}

// DemoStaffByLogin gives somebody of the demo; nil where there is nobody.
func DemoStaffByLogin(ctx context.Context, s *store.Store, login string) (*Staff, error) {
	return staff(ctx, s, "login = ? AND demo AND active", login)
}

func staff(ctx context.Context, s *store.Store, where string, arg any) (*Staff, error) {
	var row Staff
	found := s.ORM(ctx).Where(where, arg).Limit(1).Find(&row)
	if found.Error != nil || found.RowsAffected == 0 {
		return nil, found.Error
	}
	return &row, nil
}

// DemoStaff lists the people of the demo.
func DemoStaff(tx *store.Tx) ([]Staff, error) {
	var staff []Staff
	return staff, tx.ORM().Where("demo AND active").Order("id").Find(&staff).Error
}

// StaffByID gives somebody who works here; nil where there is none.
func StaffByID(tx *store.Tx, id int64) (*Staff, error) {
	return store.One[Staff](tx, "SELECT * FROM staff WHERE id = $1", id)
}

// StaffLocked locks somebody who works here and gives them; nil where there is none.
func StaffLocked(tx *store.Tx, id int64) (*Staff, error) {
	return store.One[Staff](tx, "SELECT * FROM staff WHERE id = $1 FOR NO KEY UPDATE", id)
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
func StaffList(tx *store.Tx) ([]StaffShown, error) {
	return store.List[StaffShown](
		tx,
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
func BranchesOfStaff(tx *store.Tx, staff int64) ([]calendar.Code, error) {
	q := &store.Questions{}
	out := []calendar.Code{}
	store.AskEach(q, &out, "SELECT branch_code FROM staff_branches WHERE staff_id = $1 ORDER BY 1", staff)
	return out, tx.Send(q)
}

// KeepBranchesOfStaff writes where somebody may work beside their own branch.
func KeepBranchesOfStaff(tx *store.Tx, staff int64, branches []calendar.Code) {
	tx.Queue("DELETE FROM staff_branches WHERE staff_id = $1", staff)
	for _, b := range branches {
		tx.Queue("INSERT INTO staff_branches (staff_id, branch_code) VALUES ($1, $2)", staff, b)
	}
}

// KeepPassword writes the digest of somebody's password. With one they sign in like everybody, also if they were of the demo.
func KeepPassword(tx *store.Tx, staff int64, hash string) {
	tx.QueueOne("UPDATE staff SET password_hash = $2, demo = false WHERE id = $1", staff, hash)
}

// KeepShort writes the digest of the short code with which somebody comes back to a station.
func KeepShort(tx *store.Tx, staff int64, hash string) {
	tx.QueueOne("UPDATE staff SET short_hash = $2, short_wrong = 0 WHERE id = $1", staff, hash)
}

// ShortTried counts a wrong try of a short code; 0 begins anew.
func ShortTried(tx *store.Tx, staff int64, wrong int) {
	tx.QueueOne("UPDATE staff SET short_wrong = $2 WHERE id = $1", staff, wrong)
}

// KeepSecond writes the secret of somebody's second factor, and of which step the code was that was used last.
func KeepSecond(tx *store.Tx, staff int64, secret string, step int64) {
	tx.QueueOne("UPDATE staff SET second = $2, second_step = $3 WHERE id = $1", staff, secret, step)
}

// SecondUsed writes of which step a code was that has just been used; ErrMoved where it, or a later one, has been before.
func SecondUsed(tx *store.Tx, staff, step int64) {
	tx.QueueOne("UPDATE staff SET second_step = $2 WHERE id = $1 AND second_step < $2", staff, step)
}

// PutStaff writes somebody who works here, and where they may work beside their own branch.
func PutStaff(tx *store.Tx, s *Staff, branches []calendar.Code) {
	tx.QueueOne(
		`INSERT INTO staff (id, login, name, role, branch_code, active, rights) VALUES ($1, $2, $3, $4, $5, $6, $7)
		ON CONFLICT (id) DO UPDATE SET login = $2, name = $3, role = $4, branch_code = $5, active = $6, rights = $7`,
		s.ID,
		s.Login,
		s.Name,
		s.Role,
		s.BranchCode,
		s.Active,
		s.Rights,
	)
	KeepBranchesOfStaff(tx, s.ID, branches)
}

// Administrators counts the administrators who work here, but for one.
func Administrators(tx *store.Tx, but int64) (int, error) {
	return store.Value[int](tx, "SELECT count(*)::int FROM staff WHERE role = 'administrator' AND active AND id <> $1", but)
}

// StaffWithLoginBut gives the name of somebody else who signs in under a name; empty where nobody does.
func StaffWithLoginBut(tx *store.Tx, login string, but int64) (string, error) {
	return store.Value[string](tx, "SELECT name FROM staff WHERE lower(login) = lower($1) AND id <> $2", login, but)
}

// StaffOf gives who signs in under a name, however it is capitalised; nil where nobody does.
func StaffOf(tx *store.Tx, login string) (*Staff, error) {
	return store.One[Staff](tx, "SELECT id, login, name, role FROM staff WHERE lower(login) = lower($1)", login)
}
