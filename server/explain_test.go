package server_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/night"
	"nevrin/core/calendar"
	"nevrin/server"
	"nevrin/testkit"
)

// big are the tables that grow with the network or with its years.
const big = "loans|items|titles|patrons|households|holds|transits|whereabouts|misses|ledger|return_lines|return_runs|return_piles|events[_0-9a-z]*|messages|notices|answers|sessions|exchanges|sweep_lines|title_words|covers|looks|inventories|inventory_lines|deed_items|deeds"

var scanned = regexp.MustCompile(`Seq Scan on (` + big + `)\b`)

// whole are statements that read a big table whole on purpose, with the reason.
var whole = map[string]string{
	"UPDATE rehearsals SET total":                     "a rehearsal counts the loans that it will read",
	"WITH j AS (SELECT item_id, to_branch":            "what travels to the same branch again and again is counted over months",
	"SELECT from_branch, to_branch, count(hold_id)":   "flows between branches are counted over weeks",
	"SELECT count(*)::int FROM items i JOIN titles t": "what a search finds is counted, here all items",
	"t.words LIKE $1":                                 "words that stand in half of all titles, as the ones this test asks for",
	"p.words LIKE":                                    "likewise of names",
}

// Every statement of every operation, and of the nights, finds its rows by an index: on a filled database no plan reads
// a big table from end to end. Plans are made with sequential scans priced out, as the program's connections have it,
// so that a scan in a plan means that there is no index that would do.
func TestNoStatementReadsABigTableWhole(t *testing.T) {
	trips := &testkit.Trips{}
	h := testkit.HouseTold(t, trips)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true, PerMinute: 1_000_000})
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	defer listen.Close()
	everyOperation(t, listen.URL)
	ours := map[string]bool{} // asked by this test, not by the program
	aDaysWork(t, listen.URL, func(query string, args ...any) string {
		trips.Since()
		out := testkit.Text(t, h, query, args...)
		for _, statement := range trips.Since() {
			ours[statement] = true
		}
		return out
	})
	byHand := maps.Clone(trips.Asked())
	require.NoError(t, night.Up(context.Background(), h, calendar.MakeDate(2026, 10, 25)))

	conn, err := h.Store.Pool().Conn(context.Background())
	require.NoError(t, err)
	defer func() { _ = conn.Close() }()
	explained := 0
	asked := maps.Clone(trips.Asked())
	grow(t, h)
	sizes, pages := sizesOf(t, h)
	for statement, args := range asked {
		verb, _, _ := strings.Cut(strings.TrimSpace(statement), " ")
		if !strings.Contains("SELECT INSERT UPDATE DELETE WITH", strings.ToUpper(strings.TrimSpace(verb))) ||
			strings.Contains(statement, "river_") ||
			ours[statement] {
			continue
		}
		var plan string
		require.NoError(t, conn.Raw(func(driver any) error {
			rows, err := driver.(*stdlib.Conn).Conn().Query(context.Background(), "EXPLAIN "+statement, args...)
			if err != nil {
				return err
			}
			lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
			plan = strings.Join(lines, "\n")
			return err
		}), statement)
		explained++
		if onPurpose(statement) {
			continue
		}
		assert.NotRegexp(t, scanned, plan, statement)
		if _, ok := byHand[statement]; !ok {
			continue // nights work set by set, and learn from what has happened since months
		}
		for _, n := range examined(conn, statement, args) {
			size := sizes[n.table]
			assert.False(t, n.rows > float64(max(size/share, fewRows)), "of %d rows of %s it looks at %.0f: %s", size, n.table, n.rows, statement)
			assert.False(t, n.blocks > float64(max(pages[n.table]/share, fewPages)), "of %d pages of %s it reads %.0f: %s", pages[n.table], n.table, n.blocks, statement)
		}
	}
	assert.Greater(t, explained, 120, "the statements of the whole program, not a few")
}

// A statement looks at no more than this share of a big table, or so few rows and pages that it does not matter. An index that is read
// from end to end is no better than the table.
const (
	share    = 10
	fewRows  = 5000
	fewPages = 4000
)

// looked is how much of a table one part of a plan has looked at, kept or not.
type looked struct {
	table        string
	rows, blocks float64
}

// planned is a part of a plan as PostgreSQL writes it in JSON.
type planned struct {
	Type      string    `json:"Node Type"`
	Table     string    `json:"Relation Name"`
	Rows      float64   `json:"Actual Rows"`
	Loops     float64   `json:"Actual Loops"`
	Filtered  float64   `json:"Rows Removed by Filter"`
	Rechecked float64   `json:"Rows Removed by Index Recheck"`
	Hit       float64   `json:"Shared Hit Blocks"`
	Read      float64   `json:"Shared Read Blocks"`
	Parts     []planned `json:"Plans"`
}

// examined runs a statement, takes back what it did, and gives what it looked at of big tables. One that cannot be run again, since it
// has been done, gives nothing.
func examined(conn *sql.Conn, statement string, args []any) []looked {
	var out []looked
	_ = conn.Raw(func(driver any) error {
		ctx := context.Background()
		tx, err := driver.(*stdlib.Conn).Conn().Begin(ctx)
		if err != nil {
			return err
		}
		defer func() { _ = tx.Rollback(ctx) }()
		var plans []struct{ Plan planned }
		if err := tx.QueryRow(ctx, "EXPLAIN (ANALYZE, BUFFERS, TIMING OFF, FORMAT JSON) "+statement, args...).Scan(&plans); err != nil {
			return err
		}
		var walk func(p planned)
		walk = func(p planned) {
			below := 0.0
			for _, part := range p.Parts {
				walk(part)
				below += part.Hit + part.Read
			}
			if bigTable.MatchString(p.Table) && strings.Contains(p.Type, "Scan") {
				out = append(out, looked{p.Table, (p.Rows + p.Filtered + p.Rechecked) * p.Loops, p.Hit + p.Read - below})
			}
		}
		for _, p := range plans {
			walk(p.Plan)
		}
		return nil
	})
	return out
}

var bigTable = regexp.MustCompile("^(" + big + ")$")

// grow makes the big tables some times larger, with rows like those that are there and no work of today: a plan that is right for a small
// table need not be for a large one.
func grow(t *testing.T, h *act.House) {
	copies := func(table, key, as, where string) string {
		columns := testkit.Text(t, h, `SELECT string_agg(quote_ident(column_name), ', ' ORDER BY ordinal_position) FROM information_schema.columns
			WHERE table_name = ? AND is_generated = 'NEVER' AND column_name NOT IN ('id', ?)`, table, key)
		extra, value := "", ""
		if key != "" {
			extra, value = ", "+key, ", "+as
		}
		return fmt.Sprintf("INSERT INTO %[1]s (id, %[2]s%[3]s) SELECT nextval('ids'), %[2]s%[4]s FROM %[1]s, generate_series(1, 9) n WHERE %[5]s",
			table, columns, extra, value, where)
	}
	require.NoError(t, testkit.SQL(h).Connection(func(tx *gorm.DB) error {
		for _, statement := range []string{
			"SET session_replication_role = replica; SET statement_timeout = 0",
			copies("patrons", "card", "n || card", "true"),
			copies("titles", "source", "''", "true"),
			copies("items", "barcode", "n || barcode", "true"),
			copies("loans", "", "", "returned_at IS NOT NULL AND n < 4"),
			copies("messages", "", "", "state = 'sent'"),
			copies("holds", "", "", "closed_at IS NOT NULL AND item_id IS NULL"),
			copies("transits", "", "", "ended_at IS NOT NULL AND n < 4"),
			"RESET session_replication_role; RESET statement_timeout",
		} {
			if err := tx.Exec(statement).Error; err != nil {
				return fmt.Errorf("%s: %w", statement, err)
			}
		}
		return nil
	}))
}

// sizesOf gives how many rows and pages the big tables have.
func sizesOf(t *testing.T, h *act.House) (rows, pages map[string]int) {
	var list []struct {
		Relname string
		N, P    int
	}
	require.NoError(t, testkit.SQL(h).Exec("ANALYZE").Error)
	require.NoError(t, testkit.SQL(h).Raw("SELECT relname, reltuples::int AS n, relpages AS p FROM pg_class WHERE relkind = 'r'").Scan(&list).Error)
	rows, pages = map[string]int{}, map[string]int{}
	for _, r := range list {
		rows[r.Relname], pages[r.Relname] = r.N, r.P
	}
	return rows, pages
}

func onPurpose(statement string) bool {
	for begin := range whole {
		if strings.Contains(statement, begin) {
			return true
		}
	}
	return false
}

// everyOperation asks each operation once, with what its description makes of it.
func everyOperation(t *testing.T, base string) {
	data, err := server.OpenAPI()
	require.NoError(t, err)
	var d description
	require.NoError(t, json.Unmarshal(data, &d))
	ada := at(t, base, "ada")
	for path, methods := range d.Paths {
		for method, op := range methods {
			target, query := path, []string{}
			for _, p := range op.Parameters {
				switch {
				case p.In == "path" && p.Name == "id" && strings.Contains(path, "/calendars/"):
					target = strings.ReplaceAll(target, "{id}", "SLM")
				case p.In == "path":
					target = strings.ReplaceAll(target, "{"+p.Name+"}", "3")
				case p.In == "query" && p.Name == "words":
					query = append(query, "words=tide")
				case p.In == "query" && p.Required:
					query = append(query, p.Name+"="+fmt.Sprint(d.sample(p.Schema)))
				}
			}
			if len(query) > 0 {
				target += "?" + strings.Join(query, "&")
			}
			var body any
			for _, content := range op.RequestBody.Content {
				body = d.sample(content.Schema)
			}
			// A mistake of ours, such as a lock out of the one order, would be a five-hundred.
			status, says := ada.send(strings.ToUpper(method), target, "explain-"+op.OperationID, body)
			assert.NotEqual(t, http.StatusInternalServerError, status, "%s: %s", op.OperationID, says)
		}
	}
}

// aDaysWork does what people do all day, so that what follows from it is asked too.
func aDaysWork(t *testing.T, base string, text func(string, ...any) string) {
	jory, maren := at(t, base, "jory"), at(t, base, "maren")
	post := func(s *station, path string, body any) string {
		status, says := s.send(http.MethodPost, path, "work-"+path+fmt.Sprint(body), body)
		require.Less(t, status, 500, says)
		return says
	}
	number := func(body, name string) json.Number {
		var out map[string]any
		decode := json.NewDecoder(strings.NewReader(body))
		decode.UseNumber()
		require.NoError(t, decode.Decode(&out), body)
		if line, ok := out["line"].(map[string]any); ok {
			out = line
		}
		if lines, ok := out["lines"].([]any); ok && len(lines) > 0 {
			out = lines[0].(map[string]any)
		}
		n, _ := out[name].(json.Number)
		return n
	}
	card := text(testkit.GoodCard, "SLM", "adult")
	patron := json.Number(text("SELECT id::text FROM patrons WHERE card = ?", card))
	item := text(testkit.FreeItem, "SLM", "book")
	title := json.Number(text("SELECT title_id::text FROM items WHERE barcode = ?", item))
	run := number(post(jory, "/api/returns", map[string]string{"mode": "patron"}), "id")
	post(jory, "/api/desk/scan", map[string]any{"text": card})
	loan := number(post(jory, "/api/desk/scan", map[string]any{"text": item, "patron": patron}), "loan_id")
	post(jory, fmt.Sprintf("/api/loans/%s/renew", loan), nil)
	line := number(post(jory, fmt.Sprintf("/api/returns/%s/scan", run), map[string]any{"text": item}), "id")
	post(jory, fmt.Sprintf("/api/return-lines/%s/undo", line), nil)
	post(jory, fmt.Sprintf("/api/returns/%s/scan", run), map[string]any{"text": item, "again": 2})
	hold := number(post(maren, "/api/holds", map[string]any{"title": title, "patron": patron, "pickup": "SLM"}), "id")
	post(jory, fmt.Sprintf("/api/holds/%s/missed", hold), nil)
	post(jory, "/api/in-hand", map[string]any{"text": item})
	post(maren, fmt.Sprintf("/api/holds/%s/cancel", hold), map[string]any{"reason": "no longer wanted"})
	owing := json.Number(text("SELECT id::text FROM patrons WHERE balance > 300 ORDER BY id LIMIT 1"))
	post(jory, "/api/money", map[string]any{"patron": owing, "amount": "1.00", "means": "cash"})
	late := text(
		"SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL AND l.due_date < '2026-09-20' ORDER BY l.id LIMIT 1",
	)
	lost := text(
		"SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.lost_at IS NOT NULL AND l.returned_at IS NULL ORDER BY l.id LIMIT 1",
	)
	for _, text := range []string{late, lost} {
		post(jory, fmt.Sprintf("/api/returns/%s/scan", run), map[string]any{"text": text})
	}
	for _, path := range []string{"/api/patrons/" + patron.String(), "/api/history?patron=" + patron.String(), "/api/history?item=3", "/api/items?title=" + title.String(),
		"/api/items?barcode=" + item, "/api/holds?title=" + title.String(), "/api/returns/" + run.String() + "/lines", "/api/returns/" + run.String(), "/api/rulebook/editions/2/rules"} {
		status, says := maren.send(http.MethodGet, path, "", nil)
		require.Equal(t, http.StatusOK, status, says)
	}
	post(jory, fmt.Sprintf("/api/returns/%s/finish", run), nil)
	change := map[string]any{
		"branches": []string{"SLM"},
		"close":    map[string]any{"from": "2026-10-27", "name": "Works"},
	}
	var preview struct{ Version int64 }
	change["version"] = 0
	require.NoError(t, json.Unmarshal([]byte(post(maren, "/api/calendars/preview", change)), &preview))
	post(maren, "/api/calendars/preview/loans", change)
	post(maren, "/api/calendars/preview/holds", change)
	change["version"] = preview.Version
	applied := number(post(maren, "/api/calendars/apply", change), "sweep")
	post(maren, fmt.Sprintf("/api/calendar-changes/%s/undo", applied), nil)
}
