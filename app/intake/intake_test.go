package intake_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	shelves "nevrin/app/holds"
	"nevrin/app/intake"
	"nevrin/app/night"
	"nevrin/app/notices"
	"nevrin/app/takeout"
	"nevrin/core/calendar"
	core "nevrin/core/intake"
	"nevrin/core/role"
	"nevrin/formats/marc"
	"nevrin/store"
	"nevrin/store/intakedb"
	"nevrin/testkit"
)

// mover is somebody who takes files into a small world.
type mover struct {
	*testkit.World
	t   *testing.T
	who act.Actor
}

func newMover(t *testing.T) *mover {
	t.Parallel()
	w := testkit.NewWorld(t)
	return &mover{w, t, w.Staff(role.Administrator, "HVH")}
}

func see[T any](t *testing.T, h *act.House, who act.Actor, ask func(*act.Act) (T, error)) T {
	t.Helper()
	out, err := act.Look(t.Context(), h, who, ask)
	require.NoError(t, err)
	return out
}

// send sends a file in small parts, and has it read through.
func (m *mover) send(kind core.Kind, source, content string) *intake.Intake {
	m.t.Helper()
	n := testkit.Do(m.t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) {
		return intake.Begin(a, intake.Beginning{Kind: kind, Source: source, File: string(kind) + ".csv",
			Bytes: int64(len(content))})
	})
	const part = 50_001
	for at := 0; at < len(content); at += part {
		testkit.Do(m.t, m.House, m.who, func(a *act.Act) (*intake.Come, error) {
			return intake.Send(a, n.ID, intake.Part{Begins: int64(at), Content: []byte(content[at:min(at+part, len(content))])})
		})
	}
	return m.work(n.ID)
}

// work does what is to be done with a file, as its job does.
func (m *mover) work(id int64) *intake.Intake {
	m.t.Helper()
	require.NoError(m.t, intake.Run(context.Background(), m.House, id))
	return m.see(id)
}

func (m *mover) see(id int64) *intake.Intake {
	m.t.Helper()
	return see(m.t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.One(a, id) })
}

// try tries a file with its proposed mapping, which may be changed.
func (m *mover) try(n *intake.Intake, change func(*core.Mapping)) *intake.Intake {
	m.t.Helper()
	require.Equal(m.t, "read", n.State, n.Problem)
	if change != nil {
		change(n.Mapping)
	}
	testkit.Do(m.t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Try(a, n.ID, *n.Mapping) })
	n = m.work(n.ID)
	require.Equal(m.t, "tried", n.State, n.Problem)
	return n
}

func (m *mover) take(n *intake.Intake) *intake.Intake {
	m.t.Helper()
	testkit.Do(m.t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	n = m.work(n.ID)
	require.Equal(m.t, "taken", n.State, n.Problem)
	return n
}

func (m *mover) undo(id int64) *intake.Intake {
	m.t.Helper()
	testkit.Do(m.t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Undo(a, id) })
	n := m.work(id)
	require.Equal(m.t, "undone", n.State, n.Problem)
	return n
}

// all sends, tries and takes a file with its proposed mapping.
func (m *mover) all(kind core.Kind, source, content string) *intake.Intake {
	m.t.Helper()
	return m.take(m.try(m.send(kind, source, content), nil))
}

// odd are the lines that are left or taken without something, as "line: what it says".
func (m *mover) odd(id int64) []string {
	m.t.Helper()
	return see(m.t, m.House, m.who, func(a *act.Act) ([]string, error) {
		rows, _, err := intake.OddLines(a, id, store.Page{Most: 100})
		out := []string{}
		for _, o := range rows {
			out = append(out, fmt.Sprintf("%d %v: %s", o.Line, o.Left, o.Says))
		}
		return out, err
	})
}

func (m *mover) count(table string) string { return m.Ask("SELECT count(*)::text FROM " + table) }

// card is the nth card of the small world.
func (m *mover) card(n int) string { return m.number(0, n) }

// patron is who has the nth card.
func (m *mover) patron(n int) int64 {
	id, err := strconv.ParseInt(m.Ask("SELECT id::text FROM patrons WHERE card = ?", m.card(n)), 10, 64)
	require.NoError(m.t, err)
	return id
}

func (m *mover) label(n int) string { return m.number(1, n) }

func (m *mover) number(pattern, n int) string {
	return see(m.t, m.House, m.who, func(a *act.Act) (string, error) {
		return a.Network.Numbers.Patterns[pattern].Number(int64(n)), nil
	})
}

// out takes a list out as a file.
func out(t *testing.T, h *act.House, who act.Actor, file string) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, takeout.Write(t.Context(), h, who, file, &b, func(int) error { return nil }))
	return b.String()
}

// What one network takes out another takes in, and takes out again as it was: patrons, titles with items (in three forms), loans,
// holds and balances. Taken in again, all of it is the same; undone, the network is as empty as before.
func TestANetworkMovesWhole(t *testing.T) {
	for _, form := range []string{"titles.mrc", "titles.xml", "items.csv"} {
		t.Run(form, func(t *testing.T) {
			t.Parallel()
			old := &mover{testkit.NewWorld(t), t, act.Actor{}}
			old.who = old.Staff(role.Administrator, "HVH")
			adult := old.Patron("HVH", map[string]any{"preferred_name": "Tövë", "born": "1980-02-29",
				"other_phones": "{902 555 0101,902 555 0102}",
				"address":      "3 Quay, \"the blue one\"\nupstairs", "notices": `{"hold_ready":"mail"}`, "in_area": true})
			child := old.Patron("SLM", map[string]any{"legal_name": "=Sum(Lind)", "guardian_id": adult, "born": "2019-01-05",
				"institution": false})
			old.Set("INSERT INTO households (id, name) VALUES (77, 'Lind'); UPDATE patrons SET household_id = 77")
			title, labels := old.Title("HVH", "SLM", "THB")
			old.Set("UPDATE titles SET isbn = '9789295055025', author = 'Åse Berg', year = 2001, language = 'deu', numbers = '0317-8471', subjects = 'Wind; Time' WHERE id = ?", title)
			old.Set("UPDATE items SET own_terms = '{\"loan_period\": \"P7D\"}', parts = 3, parts_say = 'map', condition = 'torn', at_branch = 'SLM' WHERE barcode = ?", labels[2])
			old.Set("UPDATE items SET standing = 'aside', aside_for = 'repair', price = NULL WHERE barcode = ?", labels[1])
			testkit.Do(t, old.House, old.who, func(a *act.Act) (*desk.Result, error) {
				return desk.Take(a, desk.Scan{Text: labels[0], Patron: adult})
			})
			old.Set("INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, paused_until) VALUES (?, ?, 'THB', '2026-09-01 12:00Z', 1, '2026-12-01')", title, child)
			// One stands on the hold shelf, far from where it belongs.
			shelved, shelvedLabels := old.Title("HVH")
			old.Set("UPDATE items SET at_branch = 'THB' WHERE barcode = ?", shelvedLabels[0])
			old.Set(`INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, state, item_id, ready_at, shelf_until)
				SELECT title_id, ?, 'THB', '2026-09-01 12:00Z', 1, 'ready', id, '2026-10-03 12:00Z', '2026-10-09' FROM items WHERE title_id = ?`,
				adult, shelved)
			old.Set("INSERT INTO ledger (patron_id, kind, amount, about, reason, at, branch_code) VALUES (?, 'charge', 350, 'manual', 'A lost map', '2026-09-02 12:00Z', 'HVH')", adult)

			young := &mover{testkit.NewWorld(t), t, act.Actor{}}
			young.who = young.Staff(role.Administrator, "HVH")
			files := []struct {
				kind core.Kind
				file string
			}{{core.Patrons, "patrons.csv"}, {core.Stock, form}, {core.Loans, "loans.csv"}, {core.Holds, "holds.csv"},
				{core.Balances, "balances.csv"}}
			var taken []int64
			for _, f := range files {
				n := young.try(young.send(f.kind, "The old one", out(t, old.House, old.who, f.file)), nil)
				require.Empty(t, young.odd(n.ID), f.file)
				n = young.take(n)
				taken = append(taken, n.ID)
			}
			for _, f := range files {
				again := young.try(young.send(f.kind, "The old one", out(t, old.House, old.who, f.file)), nil)
				for _, o := range again.Counts.By {
					assert.Zero(t, o.New+o.Changed+o.Left, "%s: %+v", f.file, o)
				}
				assert.Zero(t, again.Counts.Missing)
			}
			for _, file := range []string{"patrons.csv", "items.csv", "loans.csv", "holds.csv", "balances.csv"} {
				was, is := out(t, old.House, old.who, file), out(t, young.House, young.who, file)
				assert.Equal(t, known(t, was), known(t, is), file)
			}
			if form != "items.csv" { // which says less of a title
				assert.Equal(t, old.Ask("SELECT subjects || numbers || language || year FROM titles WHERE isbn <> ''"),
					young.Ask("SELECT subjects || numbers || language || year FROM titles WHERE isbn <> ''"))
			}
			assert.Equal(t, "1", young.Ask("SELECT count(DISTINCT household_id)::text FROM patrons WHERE household_id IS NOT NULL"))
			assert.Equal(t, "5", young.Ask("SELECT count(*)::text FROM events WHERE item_id IS NOT NULL AND loan_id IS NULL AND kind = 'came_in'"))
			assert.Equal(t, "1", young.Ask("SELECT count(*)::text FROM whereabouts WHERE place = 'hold_shelf'"))

			for _, id := range slices.Backward(taken) {
				n := young.undo(id)
				for _, o := range n.Counts.By {
					// What is owed is put right by an entry of its own, which keeps whose it is.
					assert.Zero(t, o.Stay-map[bool]int{true: 1}[o.Kind == "patrons"], "%+v", o)
				}
			}
			assert.Equal(t, "0 0 0 0 1", strings.Join([]string{young.count("titles"), young.count("items"),
				young.count("loans"), young.count("holds"),
				young.count("patrons")}, " "))
			assert.Equal(t, "0", young.Ask("SELECT balance::text FROM patrons"))
			assert.Equal(t, "0", young.count("whereabouts"))
		})
	}
}

// known is a file without the numbers that a network gives itself.
func known(t *testing.T, file string) []string {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(file)).ReadAll()
	require.NoError(t, err)
	var out []string
	for _, cells := range rows[1:] {
		for k, head := range rows[0] {
			if slices.Contains([]string{"title_number", "household", "place"}, head) {
				cells[k] = "#"
			}
		}
		out = append(out, strings.Join(cells, " | "))
	}
	slices.Sort(out)
	return out
}

// A list of patrons as another system writes it: in Windows-1252, heads of its own, codes of its own, dates with the day first. What
// cannot be is left and says why by line; what does not make sense in a record is left out of it and said.
func TestPatronsOfAnotherSystem(t *testing.T) {
	m := newMover(t)
	m.Patron("HVH") // has the first card
	rows := []string{
		"Card Number;Surname;First name;Date of birth;Category;Library;E-mail;Registered;Guardian card",
		m.card(11) + ";Lindqvist;\xc5sa;31.12.1990;ADLT;GN;asa@post.invalid;5.1.2020;",
		m.card(12) + ";Lindqvist;\"Bo;Erik\";1.2.2018;KID;GN;not a mail;5.1.2020;" + m.card(11),
		m.card(13) + ";Nameless;;30.2.1990;ADLT;GN;;;",
		m.card(14) + ";Old;Ida;1.1.1850;ADLT;GN;;;",
		m.card(11) + ";Twice;Tom;1.1.1990;ADLT;GN;;;",
		m.card(1) + ";Taken;Tea;1.1.1990;ADLT;GN;;;",
		"12345;Odd;Ole;1.1.1990;ADLT;GN;;;",
		m.card(15) + ";Stranger;Sol;1.1.1990;VIP;GN;;;",
		m.card(16) + ";Short",
		m.card(17) + ";Too;Many;1.1.1990;ADLT;GN;;;;;;;x",
		m.card(18) + ";=HYPERLINK(1);Eve;1.1.1990;ADLT;GN;;;99",
		"broken \" quote;x",
	}
	n := m.send(core.Patrons, "Gull Ness", strings.Join(rows, "\r\n"))
	assert.Equal(t, "Windows-1252", n.Seen.Charset)
	assert.Equal(t, ";", n.Seen.Separator)
	assert.Equal(t, []int{12, 2}, []int{n.Seen.Lines, n.Seen.Wrong})
	assert.Equal(t, []string{"ADLT", "KID", "VIP"}, n.Seen.Values["Category"])
	assert.Equal(t, "Åsa", n.Seen.First[0][2])
	assert.Equal(t, map[string]string{"card": "Card Number", "family_name": "Surname", "given_name": "First name",
		"born":  "Date of birth",
		"class": "Category", "branch": "Library", "email": "E-mail", "joined_on": "Registered",
		"guardian_card": "Guardian card"}, columns(n.Mapping))

	// As it is, nothing would be taken, and each line says what has no meaning here.
	tried := m.try(n, nil)
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", Left: 12}}, tried.Counts.By)
	_, err := testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	require.ErrorContains(t, err, "Nothing in this file would be imported")

	means := func(g *core.Mapping) {
		g.From["class"] = core.Source{Columns: []string{"Category"}, Codes: map[string]string{"ADLT": "adult",
			"kid": "adult"}}
		g.From["branch"] = core.Source{Columns: []string{"Library"}, Codes: map[string]string{"GN": "SLM"}}
	}
	tried.State = "read"
	tried = m.try(tried, means)
	assert.Equal(t, []string{
		`3 false: "not a mail" is not an email address. Enter one such as name@library.example. Imported without it.`,
		`4 false: Imported without "Birth date": "30.2.1990" is not valid; expected a date such as 2026-05-31.`,
		`5 false: With this birth date they would be 176 years old. Imported without it.`,
		`6 true: Duplicate of line 2.`,
		`7 true: The card ` + m.card(1) + ` already belongs to Patron 001.`,
		`8 true: 12345 has 5 digits. Cards and labels have 14. Check for a missing or doubled digit. If the other system used it, add its format under Network, Numbers.`,
		`9 true: Patron class: "VIP" is unknown. Choose what it means, or leave the column out.`,
		`10 true: Patron class is missing in this line.`,
		`11 true: It has 13 cells, but there are 9 columns. A cell with a separator may lack quotes.`,
		`12 false: The guardian's card is unknown. Imported without it.`,
		"13 true: in line 13 bare \" in non-quoted-field; a quoted cell begins and ends with a quote, and a quote in it is doubled (RFC 4180)",
	}, m.odd(n.ID))
	assert.Equal(t, "1", m.count("patrons"), "a trial takes nothing")
	assert.Equal(t, 2, tried.Trials, "the lines are those of the second trial")
	left := func(id int64) map[string][]string {
		rows := see(t, m.House, m.who, func(a *act.Act) ([][]string, error) { return intake.Left(a, id) })
		require.Equal(t, append(slices.Clone(n.Seen.Heads), "Line", "Reason"), rows[0])
		of := map[string][]string{}
		for _, cells := range rows[1:] {
			of[cells[9]] = cells
		}
		return of
	}
	// Whatever is left has its cells: what stands twice, and what has more of them than there are heads.
	whole := func(rows map[string][]string) {
		assert.Equal(t, []string{m.card(11), "Twice", "Tom", "1.1.1990", "ADLT", "GN", "", "", ""}, rows["6"][:9])
		assert.Equal(t, []string{"", "", "", "x"}, rows["11"][11:])
		assert.Equal(t, m.card(16), rows["10"][0])
	}
	whole(left(n.ID))
	_, err = testkit.Try(m.House, m.who, func(a *act.Act) ([]byte, error) { return intake.LeftRecords(a, n.ID) })
	require.ErrorContains(t, err, "This is not a MARC file. Export its lines as CSV.")

	taken := m.take(tried)
	whole(left(n.ID))
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", New: 5, Left: 7, Noted: 4}}, taken.Counts.By)
	assert.Equal(t, "6", m.count("patrons"))
	assert.Equal(t, "Bo;Erik Lindqvist of Åsa Lindqvist, adult at SLM since 2020-01-05",
		m.Ask(`SELECT p.legal_name || ' of ' || g.legal_name || ', ' || p.class || ' at ' || p.branch_code || ' since ' || p.joined_on
			FROM patrons p JOIN patrons g ON g.id = p.guardian_id WHERE p.card = ?`, m.card(12)))
	assert.Equal(t, "Eve =HYPERLINK(1)", m.Ask("SELECT legal_name FROM patrons WHERE card = ?", m.card(18)))
	_, err = testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	require.ErrorContains(t, err, "has been imported")

	// On the next day one has moved away, one is new, one has been changed there and here, and one is not in the list any more. How the
	// file is to be read is known.
	m.Set("UPDATE patrons SET phone = '902 555 0199', revision = revision + 1 WHERE card = ?", m.card(14))
	next := strings.Join([]string{rows[0],
		strings.Replace(rows[1], "asa@", "new.asa@", 1), rows[3], strings.Replace(rows[4], "Ida", "Iða", 1), rows[11],
		m.card(20) + ";New;Nia;1.1.1990;ADLT;GN;;;"}, "\n")
	again := m.try(m.send(core.Patrons, "Gull Ness", next), nil)
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", New: 1, Changed: 1, Same: 2, Left: 1}}, again.Counts.By)
	assert.Equal(t, 1, again.Counts.Missing)
	assert.Contains(t, m.odd(again.ID)[0], "It was imported before and has changed both there and here. Compare both and correct it by hand.")
	m.take(again)
	assert.Equal(t, "new.asa@post.invalid", m.Ask("SELECT email FROM patrons WHERE card = ?", m.card(11)))

	// One of them borrows. Undone, the last file first, the change goes, the borrower and who was changed here stay.
	_, labels := m.Title("HVH")
	testkit.Do(t, m.House, m.Staff(role.Desk, "HVH"), func(a *act.Act) (*desk.Result, error) {
		id, err := strconv.ParseInt(m.Ask("SELECT id::text FROM patrons WHERE card = ?", m.card(20)), 10, 64)
		require.NoError(t, err)
		return desk.Take(a, desk.Scan{Text: labels[0], Patron: id})
	})
	back := m.undo(again.ID)
	assert.Equal(t, []int{1, 1}, []int{back.Counts.By[0].Gone, back.Counts.By[0].Stay})
	assert.Equal(t, "asa@post.invalid", m.Ask("SELECT email FROM patrons WHERE card = ?", m.card(11)))
	back = m.undo(taken.ID)
	assert.Equal(t, []int{4, 1}, []int{back.Counts.By[0].Gone, back.Counts.By[0].Stay})
	assert.Equal(t, "Patron 001, Ida Old, Nia New", m.Ask("SELECT string_agg(legal_name, ', ' ORDER BY legal_name <> 'Patron 001', legal_name) FROM patrons"))
}

func columns(m *core.Mapping) map[string]string {
	out := map[string]string{}
	for f, s := range m.From {
		out[f] = strings.Join(s.Columns, "+")
	}
	return out
}

// Files that cannot be read through say why, and a file that is not there whole is never taken for one that is.
func TestFilesThatCannotBeRead(t *testing.T) {
	m := newMover(t)
	for content, says := range map[string]string{
		"card;name":          "This file has only a header line.",
		"\n\n;;\n":           "This file has only a header line.",
		"card;name\na\x00b;": "a zero byte in line 2",
		"card;name\n" + m.card(1) + ";\"" + strings.Repeat("never closed\n", 120_000): "perhaps a quote is not closed",
	} {
		n := m.send(core.Patrons, "Gull Ness", content)
		assert.Contains(t, n.Problem, says)
		_, err := testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Intake, error) {
			return intake.Try(a, n.ID, core.Mapping{Order: core.DayFirst})
		})
		require.ErrorContains(t, err, "This file has been deleted. Upload it again.")
	}

	n := testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) {
		return intake.Begin(a, intake.Beginning{Kind: core.Patrons, Source: "x", File: "f", Bytes: 10})
	})
	send := func(at int64, content string) error {
		_, err := testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Come, error) {
			return intake.Send(a, n.ID, intake.Part{Begins: at, Content: []byte(content)})
		})
		return err
	}
	require.NoError(t, send(0, "card"))
	require.ErrorContains(t, send(6, "name"), "The previous part has not arrived. Continue at byte 4")
	require.NoError(t, send(0, "card"), "a part that comes twice is one")
	require.ErrorContains(t, send(4, "name and more"), "the file has 10 bytes")
	require.ErrorContains(t, func() error {
		_, err := testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
		return err
	}(), "is not fully uploaded yet")
	assert.Equal(t, int64(4), m.see(n.ID).Come)
}

// A worker that is killed in the middle leaves nothing half done, and another goes on; one that is stopped has done nothing at all.
func TestStoppedAndKilledInTheMiddle(t *testing.T) {
	m := newMover(t)
	content := "card;name;class;branch\n" // our own codes and names, in their letters
	for k := range 300 {
		content += fmt.Sprintf("%s;Person %d;%s;%s\n", m.card(k+100), k, []string{"adult", "ADULT", "Adult"}[k%3], []string{"HVH", "havenhead"}[k%2])
	}
	n := m.try(m.send(core.Patrons, "Gull Ness", content), nil)
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Stop(a, n.ID) })
	assert.Equal(t, "tried", m.work(n.ID).State, "nothing is to be done any more")
	assert.Equal(t, "0", m.count("patrons"))

	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	mine, err := m.Store.ClaimWork(t.Context(), store.IntakeWork(n.ID), "one that is killed")
	require.NoError(t, err)
	require.True(t, mine)
	assert.Equal(t, "taking", m.work(n.ID).State, "somebody is at it")
	waiting, err := intakedb.WaitingIntakes(t.Context(), m.Store)
	require.NoError(t, err)
	assert.Empty(t, waiting)
	m.Set("UPDATE work_claims SET beat_at = beat_at - interval '1 minute'")
	waiting, err = intakedb.WaitingIntakes(t.Context(), m.Store)
	require.NoError(t, err)
	assert.Equal(t, []int64{n.ID}, waiting)
	assert.Equal(t, "taken", m.work(n.ID).State)
	assert.Equal(t, "300", m.count("patrons"))
	// The one who was thought to be gone is not, and must do nothing any more.
	still, err := intakedb.IntakeAt(t.Context(), m.Store, n.ID, "one that is killed", 1, 2)
	require.NoError(t, err)
	assert.False(t, still)
	assert.Equal(t, "taken", m.work(n.ID).State)
	assert.Equal(t, "300", m.count("patrons"))
}

// Somebody registers a card here between the trial and the taking: nothing is taken, and it is said.
func TestANumberTakenMeanwhile(t *testing.T) {
	m := newMover(t)
	n := m.try(m.send(core.Patrons, "Gull Ness", "card;name;class;branch\n"+m.card(1)+";A Person;adult;HVH\n"+m.card(2)+";B Person;adult;HVH\n"), nil)
	m.Patron("SLM")
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	n = m.work(n.ID)
	assert.Equal(t, "tried", n.State)
	assert.Contains(t, n.Problem, "One of these was registered, lent or put on hold meanwhile. Nothing was changed. Test the import again.")
	assert.Equal(t, "1", m.count("patrons"))
	n.State = "read"
	n = m.try(n, nil)
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", New: 1, Left: 1}}, n.Counts.By)
}

// Titles that are here by their ISBN get their further copies; loans, holds and sums find people and things, or say what is missing.
func TestStockAndWhatIsOpen(t *testing.T) {
	m := newMover(t)
	title, _ := m.Title("HVH")
	m.Set("UPDATE titles SET isbn = '9789295055025' WHERE id = ?", title)
	m.Patron("HVH")
	stock := m.all(core.Stock, "Gull Ness", strings.Join([]string{
		"barcode,title,author,isbn,library,section,type,price",
		m.label(50) + ",Other words for it,,978-92-95055-02-5,HVH,general,book,\"12,50\"",
		m.label(51) + ",Only there,,,HVH,general,book,12.50",
		m.label(52) + ",Only there,,,SLM,general,book,much",
		m.label(53) + ",,,,SLM,general,book,",
		m.label(2) + ",Yet another,,,SLM,general,book,",
		m.label(54) + ",Wrong number,,9789295055026,SLM,general,laptop,",
	}, "\n"))
	assert.Equal(t, []intake.Outcome{
		{Kind: "titles", New: 3, Joined: 1, Left: 1, Noted: 1}, {Kind: "items", New: 4, Left: 1, Noted: 1},
	}, stock.Counts.By)
	assert.Equal(t, "2", m.Ask("SELECT count(*)::text FROM items WHERE title_id = ?", title))
	assert.Equal(t, "1250", m.Ask("SELECT price::text FROM items WHERE barcode = ?", m.label(50)))

	loans := m.all(core.Loans, "Gull Ness", strings.Join([]string{
		"item,borrower,library,issued,date due",
		m.label(50) + "," + m.card(3) + ",HVH,2026-09-20 14:30,2026-10-11",
		m.label(51) + "," + m.card(99) + ",HVH,2026-09-20,2026-10-11",
		m.label(99) + "," + m.card(3) + ",HVH,2026-09-20,2026-10-11",
		m.label(52) + "," + m.card(3) + ",HVH,2027-09-20,2027-10-11",
		m.label(50) + "," + m.card(3) + ",HVH,2026-09-20,2026-10-11",
	}, "\n"))
	assert.Equal(t, []intake.Outcome{{Kind: "loans", New: 1, Left: 4}}, loans.Counts.By)
	assert.Equal(t, "2026-09-20 17:30 {HVH,HVH,general,book,adult}",
		m.Ask("SELECT to_char(lent_at AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI') || ' ' || situation::text FROM loans"))
	odd := strings.Join(m.odd(loans.ID), "\n")
	for _, says := range []string{"Nobody has the card " + m.card(99), "There is no item " + m.label(99),
		"The loan date is in the future.", "The loan date is in the future."} {
		assert.Contains(t, odd, says)
	}

	// The next day it was renewed there.
	changed := m.all(core.Loans, "Gull Ness", "item,borrower,library,issued,date due,renewed\n"+m.label(50)+","+m.card(3)+",HVH,2026-09-20 14:30,2026-11-01,1")
	assert.Equal(t, []intake.Outcome{{Kind: "loans", Changed: 1}}, changed.Counts.By)
	assert.Equal(t, "2026-11-01 1", m.Ask("SELECT due_date || ' ' || renewals FROM loans"))

	sums := m.all(core.Balances, "Gull Ness", "card,amount,description\n"+m.card(3)+",\"3,50\",A fine\n"+m.card(3)+",\"3,50\",A fine\n"+m.card(3)+",a lot,A fine\n")
	assert.Equal(t, []intake.Outcome{{Kind: "balances", New: 2, Left: 1}}, sums.Counts.By)
	assert.Equal(t, "700", m.Ask("SELECT balance::text FROM patrons WHERE card = ?", m.card(3)))
	paid := m.try(m.send(core.Balances, "Gull Ness", "card,amount,description\n"+m.card(3)+",\"1,50\",A fine\n"), nil)
	assert.Equal(t, []intake.Outcome{{Kind: "balances", Left: 1}}, paid.Counts.By,
		"a sum that is other than before is never charged beside the old one")
	m.undo(sums.ID)
	assert.Equal(t, "0", m.Ask("SELECT balance::text FROM patrons WHERE card = ?", m.card(3)))
	// What the later file changed becomes what it was; then the loan goes with the file with which it came.
	m.undo(changed.ID)
	assert.Equal(t, "2026-10-11 0", m.Ask("SELECT due_date || ' ' || renewals FROM loans"))
	m.undo(loans.ID)
	assert.Equal(t, "0 0", m.count("loans")+" "+m.count("whereabouts"))
}

// A file of another day changes what it speaks of and nothing else: what staff have written beside it stays, and so does where an item is
// and how it stands. What is renewed here, or changed between the trial and the taking, is left.
func TestAFileChangesOnlyWhatItSpeaksOf(t *testing.T) {
	m := newMover(t)
	people := "card;name;class;branch;phone\n%s;Ida Old;adult;HVH;%s\n%s;Bo Berg;adult;HVH;%s\n"
	m.all(core.Patrons, "Gull Ness", fmt.Sprintf(people, m.card(1), "902 555 0101", m.card(2), "902 555 0102"))
	m.Set("UPDATE patrons SET town = 'Saltmere', marks = '{friend}', internet = 'full'")
	stock := "label;title;branch;collection;material;price\n%s;Whales;HVH;general;book;%s\n"
	m.all(core.Stock, "Gull Ness", fmt.Sprintf(stock, m.label(50), "12.50"))
	m.Set("UPDATE items SET at_branch = 'SLM', standing = 'missing', note = 'Look behind the stove'")
	m.Set("UPDATE titles SET summary = 'Of whales', record = '{}'")

	next := m.try(m.send(core.Patrons, "Gull Ness", fmt.Sprintf(people, m.card(1), "902 555 0111", m.card(2), "902 555 0112")), nil)
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", Changed: 2}}, next.Counts.By)
	m.Set("UPDATE patrons SET phone = '902 555 0199', revision = revision + 1 WHERE card = ?", m.card(2)) // at the desk, meanwhile
	next = m.take(next)
	assert.Equal(t, []intake.Outcome{{Kind: "patrons", Changed: 1, Left: 1}}, next.Counts.By)
	assert.Contains(t, m.odd(next.ID)[0], "changed here while it was being tried")
	assert.Equal(t, "902 555 0111 Saltmere {friend} full, 902 555 0199 Saltmere {friend} full",
		m.Ask("SELECT string_agg(concat_ws(' ', phone, town, marks::text, internet), ', ' ORDER BY card) FROM patrons"))

	m.all(core.Stock, "Gull Ness", fmt.Sprintf(stock, m.label(50), "15.00"))
	assert.Equal(t, "1500 SLM missing Look behind the stove", m.Ask("SELECT concat_ws(' ', price, at_branch, standing, note) FROM items"))
	assert.Equal(t, "Of whales {}", m.Ask("SELECT summary || ' ' || record FROM titles"))
	m.Set("UPDATE items SET standing = 'in_use'")

	loans := "label;card;branch;lent_at;due_date\n%s;%s;HVH;2026-09-20;%s\n"
	m.all(core.Loans, "Gull Ness", fmt.Sprintf(loans, m.label(50), m.card(1), "2026-10-11"))
	m.Set("UPDATE loans SET renewed_at = now(), due_date = '2026-11-20'") // renewed here
	later := m.try(m.send(core.Loans, "Gull Ness", fmt.Sprintf(loans, m.label(50), m.card(1), "2026-10-18")), nil)
	assert.Equal(t, []intake.Outcome{{Kind: "loans", Left: 1}}, later.Counts.By)
}

// A guardian may be known by a number of the other system; that they come with the same file is not missed.
func TestGuardiansOfTheSameFile(t *testing.T) {
	m := newMover(t)
	n := m.all(core.Patrons, "Gull Ness", "number;card;name;class;branch;guardian card\n"+
		"p1;"+m.card(1)+";Ida Old;adult;HVH;\np2;"+m.card(2)+";Bo Old;adult;HVH;"+m.card(1)+"\np3;"+m.card(3)+";Eva Old;adult;HVH;"+m.card(2)+"\n")
	assert.Empty(t, m.odd(n.ID))
	m.Set("INSERT INTO consents (patron_id, what, answer, at) SELECT id, 'photo', true, now() FROM patrons WHERE card = ?", m.card(3))
	back := m.undo(n.ID)
	assert.Equal(t, 3, back.Counts.By[0].Stay, "who answers for somebody who stays, stays, and who answers for them")
}

// A worker says that it is there while one statement takes long, so that nobody else begins beside it.
func TestWorkersAreThereWhileAStatementTakesLong(t *testing.T) {
	m := newMover(t)
	n := m.try(m.send(core.Patrons, "Gull Ness", "card;name;class;branch\n"+m.card(1)+";Ida Old;adult;HVH\n"), nil)
	m.Set("CREATE FUNCTION slow() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN PERFORM pg_sleep(6); RETURN NULL; END'")
	m.Set("CREATE TRIGGER slow BEFORE INSERT ON patrons FOR EACH STATEMENT EXECUTE FUNCTION slow()")
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	ended := make(chan error, 1)
	go func() { ended <- intake.Run(context.Background(), m.House, n.ID) }()
	beat := func() string {
		return m.Ask("SELECT coalesce(max(beat_at)::text, '') FROM work_claims WHERE name = ?", store.IntakeWork(n.ID))
	}
	require.Eventually(t, func() bool { return beat() != "" }, 3*time.Second, 20*time.Millisecond)
	first := beat()
	require.Eventually(t, func() bool { return beat() != first }, 6*time.Second, 50*time.Millisecond, "it says so while it waits")
	assert.Equal(t, "0", m.count("patrons"))
	require.NoError(t, <-ended)
	assert.Equal(t, "taken", m.see(n.ID).State)
}

// Copies of MARC stand in a local field of another system's own, if its mapping says so. A hold on what somebody waits for here already
// is left, and records that are none are told by their number.
func TestLocalFieldsAndHolds(t *testing.T) {
	m := newMover(t)
	m.Patron("HVH")
	var b bytes.Buffer
	for k := range 2 {
		rec := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{
			{Tag: "001", Value: fmt.Sprintf("r%d", k)}, marc.Data("245", "00", "a", fmt.Sprintf("Whales %d", k)),
			marc.Data("970", "  ", "x", m.label(60+2*k), "y", "GN", "z", "BK"), marc.Data("970", "  ", "x", m.label(61+2*k), "y", "GN", "z", "BK"),
		}}
		require.NoError(t, rec.Write(&b))
	}
	bare := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{{Tag: "001", Value: "r9"}}}
	require.NoError(t, bare.Write(&b))
	b.WriteString("00060nothing like a record\x1d")
	n := m.send(core.Stock, "Gull Ness", b.String())
	assert.Equal(t, []string{"BK"}, n.Seen.Values["970 z"])
	assert.Equal(t, []int{4, 1}, []int{n.Seen.Lines, n.Seen.Wrong})
	n = m.try(n, func(g *core.Mapping) {
		g.From = map[string]core.Source{
			"label": {Columns: []string{"970 x"}}, "branch": {Columns: []string{"970 y"}, Codes: map[string]string{"GN": "SLM"}},
			"material": {Columns: []string{"970 z"}, Codes: map[string]string{"BK": "book"}}, "collection": {Always: "general"},
		}
	})
	odd := strings.Join(m.odd(n.ID), "\n")
	assert.Contains(t, odd, "3 true: The record has no title (MARC field 245).")
	assert.Contains(t, odd, "4 true: ")
	m.take(n)
	// Its records that are left come as MARC, to be mended and sent again.
	records := see(t, m.House, m.who, func(a *act.Act) ([]byte, error) { return intake.LeftRecords(a, n.ID) })
	read := marc.NewXMLReader(bytes.NewReader(records))
	first, err := read.Next()
	require.NoError(t, err)
	assert.Equal(t, "r9", first.Value("001"))
	_, err = read.Next()
	require.ErrorIs(t, err, io.EOF, "what is no record at all is told by its number alone")
	assert.Equal(t, "r0 2 SLM, r1 2 SLM", m.Ask(`SELECT string_agg(c.number || ' ' || (SELECT count(*) || ' ' || min(i.branch_code) FROM items i
		WHERE i.title_id = c.ref), ', ' ORDER BY c.number) FROM came_from c WHERE kind = 'titles'`))

	title := m.Ask("SELECT ref::text FROM came_from WHERE number = 'r0'")
	m.Set("INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT ?::bigint, id, 'HVH', now(), 1 FROM patrons LIMIT 1", title)
	holds := m.all(core.Holds, "Gull Ness", "title_number,card,pickup\nr0,"+m.card(1)+",HVH\nr1,"+m.card(1)+",HVH\nr7,"+m.card(1)+",HVH\n")
	assert.Equal(t, []intake.Outcome{{Kind: "holds", New: 1, Left: 2}}, holds.Counts.By)
	odd = strings.Join(m.odd(holds.ID), "\n")
	assert.Contains(t, odd, "already has a hold on this title")
	assert.Contains(t, odd, "There is no such title. Import stock first.")

	// Copies are free for both holds: the night after sends somebody to the shelves.
	states := "SELECT string_agg(state, ' ' ORDER BY id) FROM holds"
	assert.Equal(t, "waiting waiting", m.Ask(states))
	route := func() bool {
		return testkit.Do(t, m.House, act.Machine, func(a *act.Act) (bool, error) {
			_, over, err := shelves.RouteUnrouted(a, a.Today(), 0)
			return over, err
		})
	}
	// At once by choice, as a job; a night after it has nothing left to do.
	testkit.Done(t, m.House, m.who, shelves.RouteNow)
	require.NoError(t, (&shelves.Router{House: m.House}).Work(t.Context(), &river.Job[shelves.RouteArgs]{}))
	assert.Equal(t, "fetching fetching", m.Ask(states))
	assert.True(t, route())
	asked := m.Ask("SELECT count(*)::text FROM events")
	route()
	assert.Equal(t, asked, m.Ask("SELECT count(*)::text FROM events"), "a night later nothing is left to do")

	// After a month what was before has been let go: nothing is undone any more, and nothing of people lies about.
	m.Later(40 * 24 * time.Hour)
	testkit.Do(t, m.House, act.Machine, func(a *act.Act) (bool, error) {
		_, over, err := intake.Empty(a, a.Today(), 0)
		return over, err
	})
	_, err = testkit.Try(m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Undo(a, holds.ID) })
	require.ErrorContains(t, err, "more than 30 days ago")
	assert.Equal(t, "0 0", m.count("intake_lines")+" "+m.count("intake_parts"))
	assert.Equal(t, "2", m.count("holds"))
}

// What stands on the hold shelf when a network moves: the item is where its patron picks it up, until the day that was said there, or
// as many open days as rules give. What cannot stand there is left and says why; undone, items are where they were known to be.
func TestReadyHoldsComeWithFiles(t *testing.T) {
	m := newMover(t)
	for range 9 {
		m.Patron("HVH")
	}
	m.Set("UPDATE branches SET slots = 20 WHERE code = 'SLM'")
	m.all(core.Stock, "Gull Ness", "title_number,title,label,branch,collection,material\n"+
		"r1,Whales,"+m.label(50)+",HVH,general,book\nr1,Whales,"+m.label(51)+",HVH,general,book\n"+
		"r1,Whales,"+m.label(52)+",HVH,general,book\nr1,Whales,"+m.label(53)+",HVH,general,book\n"+
		"r1,Whales,"+m.label(54)+",HVH,general,book\nr2,Terns,"+m.label(55)+",HVH,general,book\n")
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: m.label(53), Patron: m.patron(9)})
	})
	m.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", m.label(54))
	n := m.try(m.send(core.Holds, "Gull Ness", "Title number,Card,Pickup,Status,Barcode,Ready since,Shelf until,Slot\n"+
		"r1,"+m.card(1)+",SLM,R,"+m.label(50)+",2026-10-02,2026-10-08,7\n"+ // as they say
		"r1,"+m.card(2)+",SLM,R,"+m.label(51)+",,,99\n"+ // by our rules, from today; no such slot
		"r1,"+m.card(3)+",SLM,R,,,,\n"+ // no item
		"r1,"+m.card(4)+",SLM,R,"+m.label(51)+",,,\n"+ // twice
		"r1,"+m.card(5)+",SLM,R,"+m.label(53)+",,,\n"+ // on loan
		"r1,"+m.card(6)+",SLM,R,"+m.label(54)+",,,\n"+ // missing
		"r1,"+m.card(7)+",SLM,R,"+m.label(55)+",,,\n"+ // of another title
		"r1,"+m.card(8)+",SLM,W,"+m.label(52)+",,,\n"), // waits, whatever stands there
		func(g *core.Mapping) {
			s := g.From["state"]
			s.Codes = map[string]string{"R": "ready", "W": "waiting"}
			g.From["state"] = s
			g.From["ready_at"] = core.Source{Columns: []string{"Ready since"}}
		})
	assert.Equal(t, []intake.Outcome{{Kind: "holds", New: 3, Left: 5, Noted: 1}}, n.Counts.By)
	odd := strings.Join(m.odd(n.ID), "\n")
	for _, says := range []string{
		`3 false: Imported without "Slot of the hold shelf": "99" is not valid; expected one of 20.`,
		"4 true: It is ready, but no label of an item is given.",
		"5 true: Its item stands on the hold shelf for somebody else already, by line 3.",
		"6 true: Its item is on loan here.", "7 true: Its item is not available here",
		"8 true: The item " + m.label(55) + " belongs to another title, Terns.",
	} {
		assert.Contains(t, odd, says)
	}
	stands := `SELECT string_agg(concat_ws(' ', h.state, i.barcode, i.at_branch, h.shelf_until::text, h.slot::text,
		(SELECT w.place FROM whereabouts w WHERE w.item_id = i.id)), ', ' ORDER BY h.place)
		FROM holds h LEFT JOIN items i ON i.id = h.item_id`
	m.take(n)
	assert.Equal(t, "ready "+m.label(50)+" SLM 2026-10-08 7 hold_shelf, ready "+m.label(51)+" SLM 2026-10-13 hold_shelf, waiting", m.Ask(stands))
	assert.Equal(t, "0", m.count("messages"), "they were told there")

	// Who comes for it gets it, and a night after its last day it is to be taken off the shelf.
	there := m.Staff(role.Desk, "SLM")
	r := testkit.Do(t, m.House, there, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: m.label(50), Patron: m.patron(1)})
	})
	assert.Equal(t, "lent", r.Kind, r.Text)
	m.Later(10 * 24 * time.Hour)
	testkit.Do(t, m.House, act.Machine, func(a *act.Act) (int, error) { return shelves.Lapse(a, a.Today(), 10) })
	assert.Equal(t, "filled lapsed waiting", m.Ask("SELECT string_agg(state, ' ' ORDER BY place) FROM holds"))
	back := m.undo(n.ID)
	assert.Equal(t, 2, back.Counts.By[0].Stay)
}

// An item is lent here between the trial and the taking of the hold it is ready for: nothing is taken, and the next trial says why.
func TestAReadyItemLentMeanwhile(t *testing.T) {
	m := newMover(t)
	m.Patron("HVH")
	m.Patron("HVH")
	m.all(core.Stock, "Gull Ness", "title_number,title,label,branch,collection,material\nr1,Whales,"+m.label(50)+",HVH,general,book\n")
	n := m.try(m.send(core.Holds, "Gull Ness", "title_number,card,pickup,label\nr1,"+m.card(1)+",HVH,"+m.label(50)+"\n"), nil)
	assert.Equal(t, 1, n.Counts.By[0].New)
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: m.label(50), Patron: m.patron(2)})
	})
	testkit.Do(t, m.House, m.who, func(a *act.Act) (*intake.Intake, error) { return intake.Take(a, n.ID) })
	n = m.work(n.ID)
	assert.Contains(t, n.Problem, "Test the import again.")
	assert.Equal(t, "0 1", m.count("holds")+" "+m.count("loans"))
	n.State = "read"
	n = m.try(n, nil)
	assert.Equal(t, "2 true: Its item is on loan here.", strings.Join(m.odd(n.ID), "\n"))
}

// Undone before anything became of it, an item that stood on the hold shelf is where it was known to be.
func TestReadyHoldsAreTakenBack(t *testing.T) {
	m := newMover(t)
	m.Patron("HVH")
	m.all(core.Stock, "Gull Ness", "title_number,title,label,branch,collection,material\nr1,Whales,"+m.label(50)+",HVH,general,book\n")
	n := m.all(core.Holds, "Gull Ness", "title_number,card,pickup,label\nr1,"+m.card(1)+",SLM,"+m.label(50)+"\n")
	where := "SELECT at_branch || ' ' || (SELECT count(*) FROM whereabouts) || ' ' || (SELECT count(*) FROM holds) FROM items"
	assert.Equal(t, "SLM 1 1", m.Ask(where))
	m.undo(n.ID)
	assert.Equal(t, "HVH 0 0", m.Ask(where))
}

// Loans that came with a file and are late are told about by the night after, each in its stage, or at once where somebody asks for it;
// a second time changes nothing.
func TestOverdueLoansOfFilesAreToldAbout(t *testing.T) {
	for name, tell := range map[string]func(m *mover){
		"the night after": func(m *mover) {
			require.NoError(t, night.Up(t.Context(), m.House, calendar.MakeDate(2026, 10, 7)))
		},
		"at once": func(m *mover) {
			testkit.Done(t, m.House, m.who, notices.WorkOutNow)
			for range 2 {
				for part := range notices.Parts {
					job := &river.Job[notices.WorkOutArgs]{Args: notices.WorkOutArgs{Part: part}}
					require.NoError(t, (&notices.Planner{House: m.House}).Work(t.Context(), job))
				}
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			m := newMover(t)
			for range 3 {
				m.Patron("HVH")
			}
			_, labels := m.Title("HVH", "HVH", "HVH")
			m.all(core.Loans, "Gull Ness", "label,card,branch,lent_at,due_date\n"+
				labels[0]+","+m.card(1)+",HVH,2026-08-20,2026-09-30\n"+ // 6 days late
				labels[1]+","+m.card(2)+",HVH,2026-08-20,2026-09-15\n"+ // 21 days late
				labels[2]+","+m.card(3)+",HVH,2026-09-20,2026-10-11\n") // not yet
			tell(m)
			assert.Equal(t, "overdue trial", m.Ask("SELECT string_agg(plan || ' ' || state, ', ') FROM mailings"))
			assert.Equal(t, "0 1, 1 1", m.Ask(`SELECT string_agg(stage || ' ' || n, ', ' ORDER BY stage)
				FROM (SELECT stage, count(*) AS n FROM notices WHERE kind = 'overdue' AND state = 'trial' GROUP BY 1) s`))
			assert.Equal(t, "2", m.count("notices"))
		})
	}
}
