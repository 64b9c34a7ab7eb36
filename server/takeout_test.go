package server_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"net/http"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/takeout"
	"nevrin/formats/marc"
	"nevrin/testkit"
)

// All that the network has can be taken out and is read by programs that know nothing of it: as many titles, copies, patrons,
// loans, holds and open charges as there are. Who does not administrate takes nothing, and that it was taken is written down.
func TestEverythingCanBeTakenOut(t *testing.T) {
	h, base := serve(t)
	ada, maren := at(t, base, "ada"), at(t, base, "maren")
	// One in eight of the past loans tells as much as all of them, in a third of the time.
	require.NoError(t, testkit.SQL(h).Exec(`SET session_replication_role = replica; DELETE FROM loans WHERE returned_at IS NOT NULL AND id % 256 >= 32;
		RESET session_replication_role`).Error)
	require.NoError(t, testkit.SQL(h).Exec(`UPDATE titles SET name = 'Čas ve větru', isbn = '9789295055025', edition = 'Second', subjects = 'Wind; Time',
		record = NULL WHERE id = (SELECT min(title_id) FROM items)`).Error)
	// What no record of ISO 2709 has room for, and signs that would part its fields, end no file short.
	require.NoError(t, testkit.SQL(h).Exec(`UPDATE titles SET name = 'Signs' || chr(31) || chr(29), summary = repeat('水', 4000)
		WHERE id = (SELECT max(title_id) FROM items WHERE material <> 'interlibrary')`).Error)
	require.NoError(t, testkit.SQL(h).Exec(`INSERT INTO items (barcode, title_id, branch_code, at_branch, collection, material, note)
		SELECT 'MANY' || n, (SELECT min(title_id) FROM items), 'HVH', 'HVH', 'fiction', 'book', repeat('ö', 500) FROM generate_series(1, 450) n`).Error)
	require.NoError(t, testkit.SQL(h).Exec(`UPDATE patrons SET legal_name = '=cmd|x', other_phones = '{"1","2"}' WHERE id = (SELECT min(id) FROM patrons)`).Error)
	get := func(file string) string {
		t.Helper()
		status, says := maren.send(http.MethodGet, "/api/out/"+file, "", nil)
		assert.Equal(t, http.StatusForbidden, status, says)
		status, text := ada.send(http.MethodGet, "/api/out/"+file, "", nil)
		require.Equal(t, http.StatusOK, status, text)
		return text
	}
	count := func(query string) int {
		n, err := strconv.Atoi(testkit.Text(t, h, "SELECT count(*)::text FROM "+query))
		require.NoError(t, err)
		return n
	}
	ours := "titles t WHERE NOT EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND i.material = 'interlibrary')"
	for _, file := range []string{"titles.mrc", "titles.xml"} {
		data := get(file)
		from, err := marc.Open(strings.NewReader(data))
		require.NoError(t, err)
		numbers, copies := map[string]bool{}, 0 // a title with many copies takes several records
		for {
			m, err := from.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			require.NoError(t, err)
			numbers[m.Value("001")] = true
			copies += len(m.All("852"))
			if m.All("245")[0].First("a") == "Čas ve větru" {
				assert.Equal(t, "9789295055025", m.All("020")[0].First("a"))
				assert.Len(t, m.All("650"), 2)
			}
		}
		assert.Len(t, numbers, count(ours), file)
		assert.Equal(t, count("items WHERE material <> 'interlibrary' AND standing <> 'withdrawn'"), copies, file)
		if file == "titles.mrc" {
			cmd := exec.Command("yaz-marcdump", "-n", "/dev/stdin") // reads and checks all of them, and writes nothing
			cmd.Stdin = strings.NewReader(data)
			var problems bytes.Buffer
			cmd.Stderr = &problems
			require.NoError(t, cmd.Run(), problems.String())
		}
	}
	for file, query := range map[string]string{
		"items.csv": "items", "patrons.csv": "patrons WHERE forgotten_at IS NULL AND merged_into IS NULL",
		"loans.csv": "loans WHERE returned_at IS NULL", "holds.csv": "holds WHERE closed_at IS NULL",
		"past-loans.csv": "loans WHERE returned_at IS NOT NULL AND NOT undone AND patron_id IS NOT NULL", "rosters.csv": "rosters",
		"ledger.csv": "ledger", "receipts.csv": "receipts", "invoices.csv": "invoices",
		"balances.csv": "ledger c WHERE c.kind = 'charge' AND c.amount + (SELECT coalesce(sum(o.amount), 0) FROM ledger o WHERE o.settles = c.id) > 0",
	} {
		lines, err := csv.NewReader(strings.NewReader(get(file))).ReadAll()
		require.NoError(t, err, file)
		assert.Len(t, lines, 1+count(query), file)
		if file == "patrons.csv" {
			assert.Contains(t, lines[1], "'=cmd|x", "no spreadsheet works it out")
			assert.Contains(t, lines[1], "1; 2")
		}
	}
	// What the books say adds up to what patrons owe, by whoever adds it up.
	books, err := csv.NewReader(strings.NewReader(get("ledger.csv"))).ReadAll()
	require.NoError(t, err)
	owed := 0
	for _, cells := range books[1:] {
		n, err := strconv.Atoi(cells[5])
		require.NoError(t, err)
		owed += n
	}
	assert.Equal(t, testkit.Text(t, h, "SELECT sum(balance)::text FROM patrons"), strconv.Itoa(owed))
	// Spreadsheet programs may want a mark at the beginning; MARC has none.
	status, text := ada.send(http.MethodGet, "/api/out/rosters.csv?mark=yes", "", nil)
	assert.Equal(t, http.StatusOK, status)
	assert.True(t, strings.HasPrefix(text, "\ufeffname,"))
	assert.True(t, strings.HasPrefix(get("rosters.csv"), "name,"))
	assert.Equal(t, strconv.Itoa(len(takeout.Files)+3), testkit.Text(t, h, "SELECT count(*)::text FROM events WHERE kind = 'taken_out'"))
	status, says := ada.send(http.MethodGet, "/api/out/secrets.csv", "", nil)
	assert.Equal(t, http.StatusNotFound, status, says)
}
