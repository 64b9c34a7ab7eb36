package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// Whose thing an operation may touch, beside what its role may do: for each that names a thing by its number. One that is
// not here fails the test, so that nobody adds one without deciding.
//
//	anybody's: whoever has the role
//	branch: of the branch where one works; a supervisor's everywhere
//	day: a run of this branch and this day; a supervisor's everywhere
//	card: volunteers only with the card in hand
//	branch+card: both
//	asked: for pickup here, or the patron's card was opened here lately; a supervisor's everywhere
var whose = map[string]string{
	"intake": "anybody's", "sendPart": "anybody's", "tryIntake": "anybody's", "takeIntake": "anybody's", "undoIntake": "anybody's", "stopIntake": "anybody's", "dropIntake": "anybody's", "intakeLines": "anybody's",
	"patron": "card", "extendCard": "anybody's", "classifyPatron": "anybody's", "chooseHistory": "anybody's", "forget": "anybody's", "forgetting": "anybody's",
	"loanTerms": "card", "renewLoan": "card", "undoLoan": "branch+card", "exampleOfLoan": "anybody's",
	"tickPile": "branch", "restOf": "day", "partsMissing": "branch", "excuseLine": "branch", "run": "day", "runLines": "day", "runOfPatron": "day",
	"returnScan": "branch", "countAs": "branch", "putOnAccount": "branch", "finishRun": "branch", "undoReturn": "branch", "answerNote": "branch",
	"missed": "branch", "puttingInForce": "anybody's", "withdrawEdition": "anybody's", "cancelHold": "asked", "slip": "branch", "titleQueue": "anybody's", "reviveHold": "asked", "changeHold": "asked", "changeHoldBack": "asked", "moveHold": "anybody's", "lookAtMove": "anybody's", "reassign": "anybody's",
	"takeBackTrip": "anybody's", "lookedForStray": "branch", "tote": "anybody's",
	"gatherTote": "branch", "takeOutOfTote": "branch", "closeTote": "branch", "unpackTote": "branch", "finishTote": "branch", "loseTote": "branch",
	"backTote": "branch", "keepLonger": "branch", "called": "anybody's", "calling": "anybody's", "uncalled": "anybody's", "goingFor": "branch", "undoMissed": "branch",
	"noteItem": "anybody's", "classifyItem": "anybody's", "title": "anybody's", "changeTitle": "anybody's", "addCopies": "anybody's", "changeItem": "anybody's", "standItem": "anybody's", "itemTerms": "anybody's",
	"itemsOfDeed": "anybody's", "undoStockDeed": "anybody's", "looks": "anybody's", "lookFor": "anybody's",
	"inventory": "branch", "shelfScan": "branch", "shelfLines": "branch", "shelfReport": "branch", "undoShelfScan": "branch", "finishInventory": "branch",
	"arrivedFromOutside": "anybody's", "request": "anybody's", "packRequest": "anybody's", "unpackRequest": "anybody's", "copySent": "anybody's", "recallFromPartner": "anybody's", "lostByPartner": "anybody's", "reportToLender": "anybody's", "chaseLender": "anybody's", "heardFromPartner": "anybody's", "replyToPartner": "anybody's", "seenRefusal": "anybody's", "renewOutside": "anybody's", "withdrawRequest": "anybody's",
	"mailingPeople": "anybody's", "mailingText": "anybody's", "leaveOut": "anybody's", "leaveTitle": "anybody's", "stopMailing": "anybody's", "goOnMailing": "anybody's", "dropMailing": "anybody's", "settleMessage": "anybody's",
	"rules": "anybody's", "checkEdition": "anybody's", "compareRanking": "anybody's", "rehearse": "anybody's", "rehearsals": "anybody's", "rehearsal": "anybody's", "stopRehearsal": "anybody's",
	"setTerm": "anybody's", "setCells": "anybody's", "writeRule": "anybody's", "strikeRule": "anybody's", "rank": "anybody's", "writeExample": "anybody's", "dropExample": "anybody's", "putInForce": "anybody's", "dropDraft": "anybody's",
	"answerReport": "anybody's", "undoCalendarChange": "anybody's", "sendLater": "anybody's", "linesOfSweep": "anybody's", "stopSweep": "anybody's", "continueSweep": "anybody's", "undoSweep": "anybody's",
	"record": "anybody's", "changeRecord": "anybody's", "stand": "anybody's", "replaceCard": "anybody's", "setPIN": "anybody's", "chargeByHand": "anybody's", "notePatron": "anybody's", "endNote": "anybody's", "consent": "anybody's",
	"roster": "anybody's", "changeRoster": "anybody's", "rosterMembers": "anybody's", "rosterScan": "anybody's", "leaveRoster": "anybody's", "undoDeed": "anybody's",
	"lookAtMerge": "anybody's", "merge": "anybody's", "unmerge": "anybody's", "besideOf": "anybody's", "accountStatement": "anybody's", "householdCharges": "anybody's", "chooseWays": "anybody's", "confirmDetails": "anybody's", "setDueOfMany": "anybody's", "renewMany": "card", "mailLent": "card", "chooseReceipt": "anybody's", "claim": "anybody's", "unclaim": "anybody's", "setDue": "branch", "takeOn": "anybody's",
	"receipt": "branch", "reversePayment": "branch", "till": "branch", "moveCash": "branch", "closeTill": "branch", "assignReceipts": "branch", "takePhoto": "anybody's", "dropPhoto": "anybody's", "cardPayment": "branch", "stopCardPayment": "branch", "endCardPayment": "branch", "creditCharge": "branch", "disputeCharge": "anybody's", "endDispute": "anybody's", "invoice": "anybody's", "makeInvoice": "anybody's", "withdrawInvoice": "branch",
	"signUp": "anybody's", "takeSignUp": "anybody's", "signUpKnown": "anybody's", "turnDown": "anybody's", "signUpAgain": "anybody's",
	"renewSecret": "anybody's", "tryPartner": "anybody's", "takeBack": "anybody's", "dropSecond": "anybody's", "makeLink": "anybody's", "endSessions": "anybody's",
}

func describedOperations(t *testing.T) *description {
	t.Helper()
	data, err := server.OpenAPI()
	require.NoError(t, err)
	d := &description{}
	require.NoError(t, json.Unmarshal(data, d))
	return d
}

// Each operation that names a thing is decided on; what is not anybody's is refused to who is elsewhere, or has no card in
// hand, and done for who may.
func TestWhoseThingsAreWhose(t *testing.T) {
	for path, methods := range describedOperations(t).Paths {
		for _, op := range methods {
			if strings.Contains(path, "{id}") {
				assert.Contains(t, whose, op.OperationID, "whose things may %s touch?", op.OperationID)
			}
		}
	}
	h, base := serve(t)
	jory, bea, wil, maren := at(t, base, "jory"), at(t, base, "bea"), at(t, base, "wil"), at(t, base, "maren")
	keys := 0
	send := func(s *station, method, path string, body any) (int, string) {
		keys++
		return s.send(method, path, fmt.Sprintf("whose thing %d", keys), body)
	}
	post := func(s *station, path string, body any) (int, string) { return send(s, http.MethodPost, path, body) }
	tested := map[string]bool{}
	refused := func(op string, status int, says string) {
		t.Helper()
		tested[op] = true
		assert.Contains(t, []int{http.StatusForbidden, http.StatusConflict}, status, "%s: %s", op, says)
	}
	fine := func(op string, status int, says string) {
		t.Helper()
		tested[op] = true
		assert.Equal(t, http.StatusOK, status, "%s: %s", op, says)
	}
	ask := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	id := func(says string) string {
		var got struct {
			ID   int64
			Line struct {
				LoanID int64 `json:"loan_id"`
			}
			Lines []struct{ ID int64 }
		}
		require.NoError(t, json.Unmarshal([]byte(says), &got), says)
		switch {
		case got.Line.LoanID != 0:
			return fmt.Sprint(got.Line.LoanID)
		case len(got.Lines) > 0:
			return fmt.Sprint(got.Lines[0].ID)
		}
		return fmt.Sprint(got.ID)
	}
	card := ask(testkit.GoodCard, "SLM", "adult")
	patron := ask("SELECT id::text FROM patrons WHERE card = ?", card)

	// A loan made at Saltmere.
	_, says := post(jory, "/api/desk/scan", map[string]any{"text": ask(testkit.FreeItem, "SLM", "book"), "patron": number(patron)})
	loan := id(says)
	status, says := post(bea, "/api/loans/"+loan+"/undo", nil)
	refused("undoLoan", status, says)
	due := map[string]any{"due": ask("SELECT (due_date + 7)::text FROM loans WHERE id = ?", loan), "reason": "a holiday"}
	status, says = post(jory, "/api/loans/"+loan+"/due", due)
	refused("setDue", status, says) // a right that desk staff have by name only
	require.NoError(t, testkit.SQL(h).Exec(`UPDATE staff SET rights = '{"due_dates": true}' WHERE login IN ('bea', 'jory')`).Error)
	status, says = post(bea, "/api/loans/"+loan+"/due", due)
	refused("setDue", status, says)
	status, says = post(jory, "/api/loans/"+loan+"/due", due)
	fine("setDue", status, says)
	for op, path := range map[string]string{"patron": "/api/patrons/" + patron, "loanTerms": "/api/loans/" + loan + "/terms"} {
		status, says = send(wil, http.MethodGet, path, nil)
		refused(op, status, says)
		status, says = send(bea, http.MethodGet, path, nil)
		fine(op, status, says)
	}
	status, says = post(wil, "/api/loans/"+loan+"/renew", nil)
	refused("renewLoan", status, says)
	for op, path := range map[string]string{"renewMany": "/renew", "mailLent": "/lent-mail"} {
		status, says = post(wil, "/api/patrons/"+patron+path, map[string]any{})
		refused(op, status, says)
	}
	_, says = post(wil, "/api/desk/scan", map[string]any{"text": card})
	assert.Contains(t, says, `"reduced":true`)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET email = 'somebody@post.invalid' WHERE id = ?", patron).Error)
	for op, path := range map[string]string{"mailLent": "/lent-mail", "renewMany": "/renew"} {
		_, _ = post(wil, "/api/desk/scan", map[string]any{"text": ask(testkit.FreeItem, "SKN", "book"), "patron": number(patron)})
		status, says = post(wil, "/api/patrons/"+patron+path, map[string]any{})
		fine(op, status, says)
	}
	for op, path := range map[string]string{"patron": "/api/patrons/" + patron, "loanTerms": "/api/loans/" + loan + "/terms"} {
		status, says = send(wil, http.MethodGet, path, nil)
		fine(op, status, says)
	}
	status, says = post(wil, "/api/loans/"+loan+"/renew", nil)
	fine("renewLoan", status, says)
	status, says = post(wil, "/api/loans/"+loan+"/undo", nil)
	refused("undoLoan", status, says)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE readings SET at = at - interval '61 minutes' WHERE kind = 'scanned'").Error)
	status, says = send(wil, http.MethodGet, "/api/patrons/"+patron, nil)
	refused("patron", status, says)
	_, says = post(jory, "/api/desk/scan", map[string]any{"text": ask(testkit.FreeItem, "SLM", "book"), "patron": number(patron)})
	status, says = post(maren, "/api/loans/"+id(says)+"/undo", nil)
	fine("undoLoan", status, says)

	// A run at Saltmere, with a line.
	_, says = post(jory, "/api/returns", map[string]string{"mode": "patron"})
	run := id(says)
	_, says = post(jory, "/api/returns/"+run+"/scan", map[string]string{"text": ask("SELECT barcode FROM items i JOIN loans l ON l.item_id = i.id WHERE l.id = ?", loan)})
	line := id(says)
	for _, c := range []struct{ op, method, path string }{
		{"run", http.MethodGet, "/api/returns/" + run}, {"runLines", http.MethodGet, "/api/returns/" + run + "/lines"},
		{"restOf", http.MethodGet, "/api/returns/" + run + "/patrons/" + patron + "/rest"}, {"runOfPatron", http.MethodGet, "/api/returns/" + run + "/patrons/" + patron},
	} {
		status, says = send(bea, c.method, c.path, nil)
		refused(c.op, status, says)
		status, says = send(maren, c.method, c.path, nil)
		fine(c.op, status, says)
		status, says = send(jory, c.method, c.path, nil)
		fine(c.op, status, says)
	}
	status, says = post(bea, "/api/return-lines/"+line+"/excuse", map[string]string{"reason": "stood here"})
	refused("excuseLine", status, says) // at Saltmere too, since nothing was charged; app/returns tries it with a charge
	require.NoError(t, testkit.SQL(h).Exec("UPDATE return_lines SET note = 'torn', note_answer = 'open', then_sign = sign WHERE id = ?", line).Error)
	for _, c := range []struct {
		op, method, path string
		body             any
	}{
		{"returnScan", http.MethodPost, "/api/returns/" + run + "/scan", map[string]string{"text": "x"}},
		{"countAs", http.MethodPut, "/api/returns/" + run + "/counted-as", map[string]any{}},
		{"putOnAccount", http.MethodPost, "/api/returns/" + run + "/account", map[string]any{"patron": number(patron)}},
		{"tickPile", http.MethodPost, "/api/returns/" + run + "/piles", map[string]any{
			"kind":  ask("SELECT kind FROM return_piles WHERE run_id = ? AND count > 0", run),
			"place": strings.TrimSpace(ask("SELECT place || ' ' FROM return_piles WHERE run_id = ? AND count > 0", run)),
			"seen":  true,
		}},
		{"answerNote", http.MethodPost, "/api/return-lines/" + line + "/note", map[string]string{"answer": "stays"}},
		{"partsMissing", http.MethodPost, "/api/return-lines/" + line + "/missing", map[string]string{"what": "the map"}},
		{"undoReturn", http.MethodPost, "/api/return-lines/" + line + "/undo", nil},
		{"finishRun", http.MethodPost, "/api/returns/" + run + "/finish", nil},
	} {
		status, says = send(bea, c.method, c.path, c.body)
		refused(c.op, status, says)
		status, says = send(jory, c.method, c.path, c.body)
		fine(c.op, status, says)
	}
	require.NoError(t, testkit.SQL(h).Exec("UPDATE return_runs SET day = day - 1 WHERE id = ?", run).Error)
	status, says = send(jory, http.MethodGet, "/api/returns/"+run+"/lines", nil)
	refused("runLines", status, says)

	// A till at Saltmere, what was charged and taken there, and an invoice.
	charge := func(of string) string {
		status, says := post(jory, "/api/patrons/"+of+"/charges", map[string]string{"charge": "", "amount": "2.00", "note": "A torn map"})
		require.Equal(t, http.StatusOK, status, says)
		return ask("SELECT max(id)::text FROM ledger")
	}
	first := charge(patron)
	pay := map[string]any{"patrons": []any{number(patron)}, "charges": []any{number(first)}, "amount": "2.00", "means": "cash"}
	status, says = post(jory, "/api/money", pay)
	require.Equal(t, http.StatusOK, status, says)
	receipt := ask("SELECT max(id)::text FROM receipts")
	_, says = post(jory, "/api/tills", map[string]string{"name": "Front", "laid_in": "10.00"})
	till := id(says)
	second := charge(patron)
	school := ask("SELECT id::text FROM patrons WHERE institution AND merged_into IS NULL ORDER BY id LIMIT 1")
	charge(school)
	status, says = post(jory, "/api/patrons/"+school+"/invoices", map[string]any{})
	require.Equal(t, http.StatusOK, status, says)
	invoice := ask("SELECT max(id)::text FROM invoices")
	because := map[string]string{"reason": "a mistake"}
	status, says = post(jory, "/api/money/at-terminal", map[string]any{
		"patrons": []any{number(patron)}, "charges": []any{number(charge(patron))}, "amount": "2.00",
		"station": number(ask("SELECT id::text FROM stations WHERE branch_code = 'SLM' AND terminal <> ''")),
	})
	require.Equal(t, http.StatusOK, status, says)
	payment := "/api/money/at-terminal/" + id(says)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE terminal_payments SET silent = true").Error)
	for _, c := range []struct {
		op, method, path string
		body             any
	}{
		{"till", http.MethodGet, "/api/tills/" + till, nil}, {"receipt", http.MethodGet, "/api/receipts/" + receipt, nil},
		{"reversePayment", http.MethodPost, "/api/receipts/" + receipt + "/reverse", because},
		{"creditCharge", http.MethodPost, "/api/charges/" + second + "/credit", because},
		{"withdrawInvoice", http.MethodPost, "/api/invoices/" + invoice + "/withdraw", because},
		{"cardPayment", http.MethodGet, payment, nil},
		{"stopCardPayment", http.MethodPost, payment + "/stop", nil}, {"endCardPayment", http.MethodPost, payment + "/end", map[string]any{"taken": false, "reason": "a mistake"}},
		{"moveCash", http.MethodPost, "/api/tills/" + till + "/moves", map[string]any{"amount": "5.00", "out": true, "reason": "bank"}},
		{"assignReceipts", http.MethodPost, "/api/tills/" + till + "/receipts", map[string]any{"receipts": []any{number(receipt)}, "out": false}},
		{"closeTill", http.MethodPost, "/api/tills/" + till + "/close", map[string]any{"cash": "5.00", "card": "0", "cheque": "0", "says": ""}},
	} {
		status, says = send(bea, c.method, c.path, c.body)
		refused(c.op, status, says)
		status, says = send(jory, c.method, c.path, c.body)
		fine(c.op, status, says)
	}

	// A shelf at Saltmere that is walked along.
	_, says = post(jory, "/api/inventories", map[string]string{"name": "Window side", "collection": ""})
	shelf := id(says)
	status, says = post(jory, "/api/inventories/"+shelf+"/scans", map[string]string{"text": ask(testkit.FreeItem, "SLM", "book")})
	fine("shelfScan", status, says)
	scan := id(says)
	status, says = post(bea, "/api/inventories/"+shelf+"/scans", map[string]string{"text": "x"})
	refused("shelfScan", status, says)
	for _, c := range []struct {
		op, method, path string
		body             any
	}{
		{"inventory", http.MethodGet, "/api/inventories/" + shelf, nil}, {"shelfLines", http.MethodGet, "/api/inventories/" + shelf + "/lines", nil},
		{"shelfReport", http.MethodGet, "/api/inventories/" + shelf + "/report", nil},
		{"undoShelfScan", http.MethodPost, "/api/inventory-lines/" + scan + "/undo", nil},
		{"finishInventory", http.MethodPost, "/api/inventories/" + shelf + "/finish", map[string]any{"missing": []int64{}}},
	} {
		status, says = send(bea, c.method, c.path, c.body)
		refused(c.op, status, says)
		status, says = send(jory, c.method, c.path, c.body)
		fine(c.op, status, says)
	}

	// Holds to be fetched at one branch for another.
	hold := func() (id, fetchAt, pickup string) {
		var row struct{ ID, FetchAt, Pickup string }
		require.NoError(t, testkit.SQL(h).Raw(`SELECT id::text, fetch_at, pickup FROM holds
			WHERE state = 'fetching' AND fetch_at = 'SLM' AND pickup NOT IN ('SLM', 'HVH', 'QRW') ORDER BY id LIMIT 1`).Scan(&row).Error)
		require.NotEmpty(t, row.ID)
		return row.ID, row.FetchAt, row.Pickup
	}
	held, _, _ := hold()
	status, says = send(bea, http.MethodGet, "/api/slips/hold/"+held, nil)
	refused("slip", status, says)
	status, says = send(jory, http.MethodGet, "/api/slips/hold/"+held, nil)
	fine("slip", status, says)
	item := map[string]any{"item": number(ask("SELECT item_id::text FROM holds WHERE id = ?", held))}
	for _, c := range []struct {
		op, path string
		body     any
	}{{"goingFor", "going", map[string]bool{"going": true}}, {"missed", "missed", nil}, {"undoMissed", "found", item}} {
		status, says = post(bea, "/api/holds/"+held+"/"+c.path, c.body)
		refused(c.op, status, says)
		status, says = post(jory, "/api/holds/"+held+"/"+c.path, c.body)
		fine(c.op, status, says)
	}
	held, _, _ = hold()
	status, says = post(bea, "/api/holds/"+held+"/cancel", map[string]string{"reason": ""})
	refused("cancelHold", status, says)
	status, says = send(bea, http.MethodGet, "/api/patrons/"+ask("SELECT patron_id::text FROM holds WHERE id = ?", held), nil)
	require.Equal(t, http.StatusOK, status, says)
	status, says = post(bea, "/api/holds/"+held+"/cancel", map[string]string{"reason": "asked for by phone"})
	fine("cancelHold", status, says)
	waits := ask(`SELECT id::text FROM holds WHERE state = 'waiting' AND pickup = 'SLM' AND patron_id NOT IN (SELECT patron_id FROM readings)
		ORDER BY id LIMIT 1`)
	for _, c := range []struct {
		op, method, path string
		body             any
	}{
		{"changeHold", http.MethodPatch, "", map[string]any{"wanted_until": "2027-03-01"}},
		{"cancelHold", http.MethodPost, "/cancel", map[string]string{"reason": "a mistake"}}, {"reviveHold", http.MethodPost, "/revive", nil},
	} {
		status, says = send(bea, c.method, "/api/holds/"+waits+c.path, c.body)
		refused(c.op, status, says)
		status, says = send(jory, c.method, "/api/holds/"+waits+c.path, c.body)
		fine(c.op, status, says)
	}
	then := map[string]string{"changed_at": ask("SELECT to_json(changed_at) #>> '{}' FROM holds WHERE id = ?", waits)}
	status, says = post(bea, "/api/holds/"+waits+"/change-back", then)
	refused("changeHoldBack", status, says)
	status, says = post(jory, "/api/holds/"+waits+"/change-back", then)
	fine("changeHoldBack", status, says)
	ready := ask("SELECT id::text FROM holds WHERE state = 'ready' AND pickup = 'SLM' ORDER BY id LIMIT 1")
	longer := map[string]string{"until": "2026-10-30", "reason": "in hospital"}
	status, says = post(bea, "/api/holds/"+ready+"/longer", longer)
	refused("keepLonger", status, says)
	status, says = post(jory, "/api/holds/"+ready+"/longer", longer)
	fine("keepLonger", status, says)
	stray := ask("SELECT id::text FROM transits WHERE ended_at IS NULL AND from_branch = 'HVH' AND to_branch = 'QRW' ORDER BY id LIMIT 1")
	looked := map[string]any{"place": "the sort room"}
	status, says = post(jory, "/api/transits/"+stray+"/looked", looked)
	refused("lookedForStray", status, says)
	status, says = post(maren, "/api/transits/"+stray+"/looked", looked)
	fine("lookedForStray", status, says)
	// Totes belong to where they are filled and where they go: here one from Havenhead to Quarrow.
	toQuarrow := map[string]any{"to_branch": "QRW", "gather": true}
	status, says = post(maren, "/api/totes", toQuarrow)
	require.Less(t, status, 300, says)
	box := "/api/totes/" + ask("SELECT id::text FROM totes WHERE from_branch = 'HVH' AND to_branch = 'QRW' AND state = 'open'")
	for _, c := range []struct {
		op, path string
		body     any
	}{
		{"gatherTote", "gather", nil}, {"takeOutOfTote", "out", map[string]int{"transit_id": 1}},
		{"closeTote", "close", map[string]bool{"next": false}}, {"backTote", "back", map[string]int{"step": 1}}, {"unpackTote", "unpack", nil},
		{"finishTote", "finish", nil}, {"loseTote", "lost", nil},
	} {
		status, says = post(jory, box+"/"+c.path, c.body)
		refused(c.op, status, says)
	}
	status, says = post(maren, box+"/gather", nil)
	fine("gatherTote", status, says)
	for op, kind := range whose {
		assert.True(t, kind == "anybody's" || tested[op], "%s is said to be of %s, and that was not tried", op, kind)
	}
}

// The page docs/roles.md says who may do what; it is written from the tables of the tests, which hold the server to them:
// NEVRIN_WRITE=1 go test ./server -run RolesPage
func TestRolesPageIsCurrent(t *testing.T) {
	summaries := map[string]string{}
	data, err := server.OpenAPI()
	require.NoError(t, err)
	var d struct {
		Paths map[string]map[string]struct{ OperationID, Summary string }
	}
	require.NoError(t, json.Unmarshal(data, &d))
	for _, methods := range d.Paths {
		for _, op := range methods {
			summaries[op.OperationID] = op.Summary
		}
	}
	says := map[string]string{
		"": "", "anybody's": "", "branch": "of the own branch; supervisors of all", "day": "of the own branch and day; supervisors of all",
		"card": "volunteers with the card in hand", "branch+card": "of the own branch; volunteers with the card in hand; supervisors of all",
		"asked": "for pickup here, or the card was opened here lately; supervisors of all",
	}
	var page strings.Builder
	page.WriteString("# Who may do what\n\nWritten from the tables that the tests hold the server to (`server/roles_test.go`, `server/whose_test.go`); do not edit.\n" +
		"Each role may do what those before it may. Being signed in is needed for all but *Who is signed in*.\n\n" +
		"| Operation | volunteer | desk | interlibrary | supervisor | administrator | Whose |\n|---|---|---|---|---|---|---|\n")
	var ops []string
	for id := range mayDo {
		ops = append(ops, id)
	}
	slices.SortFunc(ops, func(x, y string) int { return strings.Compare(summaries[x], summaries[y]) })
	for _, id := range ops {
		fmt.Fprintf(&page, "| %s |", summaries[id])
		for k := range roles {
			mark := "no"
			if mayDo[id] == "anybody" || k >= slices.Index(roles, mayDo[id]) {
				mark = "yes"
			}
			page.WriteString(" " + mark + " |")
		}
		page.WriteString(" " + says[whose[id]] + " |\n")
	}
	const path = "../docs/roles.md"
	if os.Getenv("NEVRIN_WRITE") != "" {
		require.NoError(t, os.WriteFile(path, []byte(page.String()), 0o644))
	}
	there, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, page.String(), string(there), "NEVRIN_WRITE=1 go test ./server -run RolesPage")
}
