package testkit

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/role"
	"nevrin/store"
)

//go:embed world.json
var worldRules []byte

//go:embed world-courier.json
var worldCourier []byte

// worldDigits are the digits in the numbers of a small world.
const worldDigits = "4321"

var worldNumbers = ident.Usual(worldDigits)

// World is a small network made for one test: three branches near each other and one in another zone, no titles, no
// patrons. A test adds what it needs and says so by that. Its clock shows Tuesday 6 October 2026, 09:12 at Havenhead.
type World struct {
	*act.House
	t       *testing.T
	counter int
}

// NewWorld makes a small world over a database of its own.
func NewWorld(t *testing.T) *World {
	t.Helper()
	return NewWorldTold(t, nil)
}

// NewWorldTold does the same, and tells a tracer what is asked of the database.
func NewWorldTold(t *testing.T, tracer pgx.QueryTracer) *World {
	t.Helper()
	w := &World{House: copyOf(t, worldTemplate(t), tracer), t: t}
	w.Set("UPDATE training_clock SET shows = '2026-10-06 09:12-03', real_at = clock_timestamp()")
	return w
}

// worldTemplate makes the database that small worlds are copies of, once in each cluster, and gives its address.
func worldTemplate(t *testing.T) *url.URL {
	t.Helper()
	address := databaseOf(t)
	name := "world_" + digestOfMigrations(t)
	admin := *address
	admin.Path = "/postgres"
	db := open(t, admin.String(), nil)
	defer func() { _ = db.Close() }()
	made := *address
	made.Path = "/" + name
	require.NoError(t, db.Gorm().Connection(func(tx *gorm.DB) error {
		tx.Exec("SET statement_timeout = 0; SET lock_timeout = 0; SELECT pg_advisory_lock(4711)")
		defer tx.Exec("SELECT pg_advisory_unlock(4711)")
		var there bool
		if err := tx.Raw("SELECT count(*) > 0 FROM pg_database WHERE datname = ?",
			name).Scan(&there).Error; err != nil ||
			there {
			return err
		}
		if err := tx.Exec("CREATE DATABASE " + name).Error; err != nil {
			return err
		}
		world := open(t, made.String(), nil)
		defer func() { _ = world.Close() }()
		if err := world.Migrate(t.Context()); err != nil {
			return err
		}
		return furnish(t.Context(), world)
	}))
	return &made
}

func furnish(ctx context.Context, world *store.Store) error {
	err := rules.SetUp(ctx, world, rules.Network{
		Name: "A small world", Digits: worldDigits, Timezone: "America/Halifax", Rulebook: worldRules,
		Courier: worldCourier, From: calendar.MakeDate(2000, 1, 1),
	})
	if err != nil {
		return err
	}
	return world.Gorm().Exec("INSERT INTO training_clock (shows) VALUES ('2026-10-06 09:12-03')").Error
}

// digestOfMigrations tells one form of the database from another.
func digestOfMigrations(t *testing.T) string {
	_, here, _, _ := runtime.Caller(0)
	files, err := filepath.Glob(filepath.Join(filepath.Dir(here), "..", "store", "migrations", "*.sql"))
	require.NoError(t, err)
	sum := sha256.New()
	for _, f := range append(files, filepath.Join(filepath.Dir(here), "world.json")) {
		data, err := os.ReadFile(f)
		require.NoError(t, err)
		sum.Write(data)
	}
	return hex.EncodeToString(sum.Sum(nil)[:6])
}

func (w *World) insert(table string, row map[string]any) int64 {
	w.t.Helper()
	var id int64
	columns, marks, args := []string{}, []string{}, []any{}
	for c, v := range row {
		columns, marks, args = append(columns, c), append(marks, "?"), append(args, v)
	}
	query := fmt.Sprintf(
		"INSERT INTO %s (%s) VALUES (%s) RETURNING id",
		table,
		strings.Join(columns, ", "),
		strings.Join(marks, ", "),
	)
	require.NoError(w.t, SQL(w.House).Raw(query, args...).Scan(&id).Error)
	return id
}

func (w *World) next() int {
	w.counter++
	return w.counter
}

// Staff is somebody of a role at a branch.
func (w *World) Staff(r role.Role, branch calendar.Code) act.Actor {
	w.t.Helper()
	login := strings.ToLower(rand.Text()[:8])
	id := w.insert(
		"staff",
		map[string]any{"login": login, "name": "Staff " + login, "role": r, "branch_code": branch, "demo": true},
	)
	return act.Actor{ID: id, Name: "Staff " + login, Role: r, Branch: branch}
}

// Patron is an adult of a branch with nothing against them.
func (w *World) Patron(branch string, more ...map[string]any) int64 {
	w.t.Helper()
	n := w.next()
	row := map[string]any{
		"card": worldNumbers.Patterns[0].Number(
			int64(n),
		), "legal_name": fmt.Sprintf("Patron %03d", n), "shelf_name": fmt.Sprintf("P%03d", n),
		"class": "adult", "branch_code": branch, "email": fmt.Sprintf("patron%d@post.invalid", n),
		"card_until": "2030-01-01",
	}
	for _, m := range more {
		for c, v := range m {
			row[c] = v
		}
	}
	return w.insert("patrons", row)
}

// Title is a title with a free copy of material book at each of the branches named; it gives the title and the copies'
// numbers.
func (w *World) Title(branches ...string) (int64, []string) {
	w.t.Helper()
	n := w.next()
	title := w.insert("titles", map[string]any{"name": fmt.Sprintf("Title %03d", n)})
	var numbers []string
	for _, b := range branches {
		numbers = append(numbers, w.Item(title, b, nil))
	}
	return title, numbers
}

// Item is a further copy of a title at a branch, with some columns of its own; it gives the copy's number.
func (w *World) Item(title int64, branch string, more map[string]any) string {
	w.t.Helper()
	number := worldNumbers.Patterns[1].Number(int64(w.next()))
	row := map[string]any{
		"barcode": number, "title_id": title, "branch_code": branch, "at_branch": branch, "collection": "general",
		"material": "book", "price": 2000,
	}
	for c, v := range more {
		row[c] = v
	}
	w.insert("items", row)
	return number
}

// Row writes a row of any table and gives its id.
func (w *World) Row(table string, row map[string]any) int64 {
	w.t.Helper()
	return w.insert(table, row)
}

// Lend has an item on loan since a week ago, due on a day, without anybody having lent it.
func (w *World) Lend(item string, patron int64, due string) {
	w.t.Helper()
	w.Set(`INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date)
		SELECT i.id, ?, i.branch_code, (SELECT max(id) FROM editions WHERE state = 'in_force'),
			ARRAY[i.branch_code, i.branch_code, i.collection, i.material, 'adult'], c.shows - interval '7 days', ?::date
		FROM items i CROSS JOIN training_clock c WHERE i.barcode = ?`, patron, due, item)
}

// Ask asks the database for one text.
func (w *World) Ask(query string, args ...any) string {
	w.t.Helper()
	var out string
	require.NoError(w.t, SQL(w.House).Raw(query, args...).Scan(&out).Error)
	return out
}

// Set changes the database behind the scenes.
func (w *World) Set(statement string, args ...any) {
	w.t.Helper()
	require.NoError(w.t, SQL(w.House).Exec(statement, args...).Error)
}

// Later moves the clock on.
func (w *World) Later(by time.Duration) {
	w.t.Helper()
	w.Set("UPDATE training_clock SET shows = shows + make_interval(secs => ?)", by.Seconds())
}
