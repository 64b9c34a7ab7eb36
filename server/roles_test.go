package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/live"
	"nevrin/server"
	"nevrin/store"
	"nevrin/testkit"
)

// station is a browser at a server over the demo.
type station struct {
	t      *testing.T
	client http.Client
	base   string
	branch string // at which the window works; empty: the person's own
}

// serve starts a server over a copy of the demo.
func serve(t *testing.T) (*act.House, string) {
	t.Helper()
	return serveOver(t, testkit.House(t).Store)
}

// serveOver starts one more copy of the program over a database.
func serveOver(t *testing.T, db *store.Store) (*act.House, string) {
	t.Helper()
	h := &act.House{Store: db, Live: live.New(db)}
	return h, listen(t, h, server.Options{Demo: true, Plain: true, PerMinute: 1_000_000})
}

// listen answers for a house at an address of its own.
func listen(t *testing.T, h *act.House, options server.Options) string {
	t.Helper()
	s, err := server.New(
		h,
		fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}},
		slog.New(slog.DiscardHandler),
		options,
	)
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	t.Cleanup(func() {
		s.Close()
		listen.Close()
	})
	return listen.URL
}

func number(text string) json.Number { return json.Number(text) }

func at(t *testing.T, base, login string) *station {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	s := &station{t: t, client: http.Client{Jar: jar}, base: base}
	if login != "" {
		status, body := s.send(http.MethodPost, "/api/sign-in/demo", "", map[string]string{"login": login})
		require.Equal(t, http.StatusNoContent, status, body)
	}
	return s
}

// send asks the server; with a key where one is given.
func (s *station) send(method, path, key string, body any) (int, string) {
	s.t.Helper()
	data, err := json.Marshal(body)
	require.NoError(s.t, err)
	r, err := http.NewRequest(method, s.base+path, bytes.NewReader(data))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/json")
	if s.branch != "" {
		r.Header.Set(server.BranchHeader, s.branch)
	}
	if key != "" {
		r.Header.Set("Idempotency-Key", key)
	}
	answer, err := s.client.Do(r)
	require.NoError(s.t, err)
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	require.NoError(s.t, err)
	return answer.StatusCode, string(text)
}

// Who may do what: for each operation the roles that may, most modest first. An operation that is not here
// fails the test, so that nobody adds one without deciding.
var mayDo = map[string]string{
	"intakes": "administrator", "beginIntake": "administrator", "intake": "administrator", "sendPart": "administrator", "tryIntake": "administrator", "takeIntake": "administrator", "undoIntake": "administrator", "stopIntake": "administrator", "dropIntake": "administrator", "intakeLines": "administrator",
	"me":    "anybody",
	"today": "volunteer", "firstToday": "volunteer", "scanned": "volunteer", "findPatrons": "desk", "patron": "volunteer", "findTitles": "volunteer", "items": "volunteer", "deskScan": "volunteer",
	"undoLoan": "volunteer", "renewLoan": "volunteer", "openRun": "volunteer", "returnScan": "volunteer", "run": "volunteer", "runLines": "volunteer", "runOfPatron": "volunteer", "putOnAccount": "volunteer", "finishRun": "volunteer",
	"bins": "volunteer", "lentByWords": "volunteer", "tickPile": "volunteer", "restOf": "desk", "partsMissing": "volunteer", "excuseLine": "desk", "undoReturn": "volunteer", "answerNote": "volunteer", "holds": "volunteer", "slip": "volunteer", "fetchList": "volunteer", "missed": "volunteer", "inHand": "volunteer",
	"transits": "volunteer", "rulebook": "volunteer", "grid": "volunteer", "whyCell": "volunteer",
	"rules": "volunteer", "checkEdition": "volunteer", "compare": "volunteer", "compareRanking": "volunteer", "loanTerms": "volunteer", "wantedTerms": "volunteer", "report": "volunteer",
	"calendar": "volunteer", "calendarChanges": "volunteer", "previewCalendar": "desk", "previewLoans": "desk", "previewHolds": "desk", "puttingInForce": "supervisor", "withdrawEdition": "supervisor", "changeCalendar": "desk", "readCalendarFile": "supervisor", "undoCalendarChange": "supervisor",
	"sendWording": "supervisor", "sendLater": "supervisor", "previewSweep": "supervisor", "sweepLines": "supervisor", "applySweep": "supervisor", "sweeps": "supervisor", "linesOfSweep": "supervisor", "stopSweep": "supervisor", "continueSweep": "supervisor", "undoSweep": "supervisor",
	"own": "volunteer", "staff": "administrator", "makeLink": "administrator", "endSessions": "administrator",
	"network": "supervisor", "changes": "supervisor", "keepOwn": "administrator", "keepSettings": "administrator", "keepNumbers": "administrator", "keepBranch": "administrator", "keepClass": "supervisor", "keepChoice": "administrator", "keepStation": "administrator", "keepPartner": "administrator", "keepPerson": "administrator",
	"addStation": "administrator", "addPartner": "administrator", "addPerson": "administrator", "renewSecret": "administrator", "tryPartner": "administrator", "takeAway": "administrator", "takeBack": "administrator", "closing": "administrator", "closeBranch": "administrator", "dropSecond": "administrator",
	"patronForm": "desk", "patronsAlike": "desk", "town": "desk", "join": "desk", "record": "desk", "changeRecord": "desk", "stand": "desk", "replaceCard": "desk", "setPIN": "desk", "chargeByHand": "desk", "notePatron": "desk", "endNote": "desk", "consent": "desk",
	"readings": "supervisor", "chooseHistory": "desk", "forgetting": "supervisor", "forget": "supervisor",
	"history": "desk", "setDueOfMany": "desk", "renewMany": "volunteer", "mailLent": "volunteer", "chooseReceipt": "desk", "settle": "desk", "receipts": "desk", "receipt": "desk", "reversePayment": "desk", "accountStatement": "desk", "householdCharges": "desk", "undoWaivers": "desk", "refunds": "desk", "payOut": "desk", "tills": "desk", "countedTills": "desk", "till": "desk", "openTill": "desk", "moveCash": "desk", "closeTill": "desk", "assignReceipts": "desk", "takePhoto": "desk", "dropPhoto": "desk", "cardPayments": "desk", "cardPayment": "desk", "askTerminal": "desk", "stopCardPayment": "desk", "endCardPayment": "desk", "creditCharge": "desk", "disputes": "desk", "disputeCharge": "desk", "endDispute": "desk", "invoices": "desk", "invoice": "desk", "makeInvoice": "desk", "withdrawInvoice": "desk", "takings": "desk", "waivers": "supervisor", "countAs": "desk", "placeHold": "desk", "cancelHold": "desk", "noteItem": "desk", "classifyItem": "desk", "classifyPatron": "desk", "extendCard": "desk",
	"mailings": "desk", "mailingPeople": "desk", "letters": "desk", "lettersPosted": "desk", "mailingText": "desk", "noticePlans": "supervisor", "noticeWeek": "supervisor",
	"addPlan": "supervisor", "keepPlan": "supervisor", "removePlan": "supervisor", "addWording": "supervisor", "keepWording": "supervisor", "removeWording": "supervisor", "tryWording": "supervisor", "testMail": "administrator", "routeMoved": "administrator", "tellMoved": "administrator", "status": "administrator",
	"requests": "interlibrary", "requestCount": "interlibrary",
	"searchOutside": "interlibrary", "askOutside": "interlibrary", "withdrawRequest": "interlibrary", "renewOutside": "interlibrary", "seenRefusal": "interlibrary",
	"arrivedFromOutside": "interlibrary", "request": "interlibrary", "newRequests": "interlibrary", "partnersOutside": "interlibrary", "scanInterlibrary": "interlibrary", "handOver": "interlibrary", "heardFromPartner": "interlibrary", "enterTheirRequest": "interlibrary", "replyToPartners": "interlibrary", "packRequest": "interlibrary", "unpackRequest": "interlibrary", "replyToPartner": "interlibrary", "copySent": "interlibrary", "recallFromPartner": "interlibrary", "lostByPartner": "interlibrary", "reportToLender": "interlibrary", "chaseLender": "interlibrary",
	"setCells": "supervisor", "writeRule": "supervisor", "strikeRule": "supervisor", "rank": "supervisor", "writeExample": "supervisor", "dropExample": "supervisor",
	"bringFile": "supervisor", "rehearse": "supervisor", "rehearsals": "supervisor", "rehearsal": "supervisor", "stopRehearsal": "supervisor",
	"exampleOfLoan": "supervisor", "reports": "supervisor", "answerReport": "supervisor",
	"beginDraft": "supervisor", "setTerm": "supervisor", "putInForce": "supervisor", "dropDraft": "supervisor",
	"moveClock": "supervisor", "sendMailings": "supervisor", "dropMailing": "supervisor", "stopMailing": "supervisor", "goOnMailing": "supervisor", "leaveOut": "supervisor", "leaveTitle": "supervisor", "settleMessage": "desk",
	"title": "volunteer", "addTitle": "desk", "changeTitle": "desk", "addCopies": "desk", "readRecords": "desk", "records": "desk", "changeItem": "desk", "standItem": "desk", "itemTerms": "volunteer",
	"findItems": "desk", "countItems": "desk", "changeItems": "supervisor", "stockDeeds": "desk", "itemsOfDeed": "desk", "undoStockDeed": "supervisor", "labelsPrinted": "desk", "lentNow": "desk",
	"sought": "desk", "looks": "desk", "lookFor": "desk", "inventories": "desk", "openInventory": "desk", "inventory": "desk", "shelfScan": "desk", "shelfLines": "desk", "shelfReport": "desk", "undoShelfScan": "desk", "finishInventory": "desk",
	"rosters": "desk", "makeRoster": "desk", "roster": "desk", "changeRoster": "desk", "rosterMembers": "desk", "rosterScan": "desk", "leaveRoster": "desk", "fillRosters": "desk",
	"moveRostersUp": "desk", "dissolveRosters": "desk", "consentsOfMany": "desk", "deeds": "desk", "undoDeed": "desk",
	"lookAtMerge": "supervisor", "merge": "supervisor", "unmerge": "supervisor", "besideOf": "desk", "chooseWays": "desk", "confirmDetails": "desk", "setDue": "desk", "claim": "desk", "unclaim": "desk", "takeOn": "desk",
	"fullLists": "volunteer", "shareRound": "supervisor", "reassign": "supervisor",
	"titleQueue": "volunteer", "inDemand": "desk", "placeHolds": "desk", "reviveHold": "desk", "changeHold": "desk", "moveHold": "supervisor", "lookAtMove": "supervisor", "stuckHolds": "desk", "changeHoldBack": "desk",
	"holdShelf": "volunteer", "toClear": "volunteer", "closuresAhead": "volunteer", "keepLonger": "desk", "called": "desk", "calls": "desk", "calling": "desk", "uncalled": "desk", "goingFor": "volunteer", "undoMissed": "volunteer",
	"courierDay": "volunteer", "flows": "desk", "triedTrip": "supervisor", "triedShut": "supervisor", "trips": "volunteer", "tryTrip": "supervisor", "takeBackTrip": "supervisor", "keepTrip": "supervisor", "strays": "volunteer", "lookedForStray": "volunteer",
	"totes": "volunteer", "pastTotes": "volunteer", "tote": "volunteer", "beginTote": "volunteer", "gatherTote": "volunteer",
	"takeOutOfTote": "volunteer", "closeTote": "volunteer", "totesLeft": "volunteer", "unpackTote": "volunteer", "finishTote": "volunteer",
	"loseTote": "desk", "backTote": "volunteer",
	"signUps": "desk", "signUp": "desk", "takeSignUp": "desk", "signUpKnown": "desk", "turnDown": "desk", "signUpAgain": "desk",
}

var roleLogins = map[string]string{
	"volunteer":     "wil",
	"desk":          "jory",
	"interlibrary":  "caspar",
	"supervisor":    "maren",
	"administrator": "ada",
}

// roles from the most modest on; each may do what those before it may.
var roles = []string{"volunteer", "desk", "interlibrary", "supervisor", "administrator"}

// description is as much of an OpenAPI description as is needed to send well-formed requests.
type description struct {
	Paths map[string]map[string]struct {
		OperationID string `json:"operationId"`
		Parameters  []struct {
			Name, In string
			Required bool
			Schema   schema
		}
		RequestBody struct {
			Content map[string]struct{ Schema schema }
		} `json:"requestBody"`
	}
	Components struct{ Schemas map[string]schema }
}

type schema struct {
	Ref        string `json:"$ref"`
	Type       any
	Format     string
	Enum       []any
	MinLength  int `json:"minLength"`
	Maximum    float64
	Required   []string
	Properties map[string]schema
}

// sample is a value that a schema lets pass.
func (d *description) sample(s schema) any {
	if s.Ref != "" {
		return d.sample(d.Components.Schemas[s.Ref[strings.LastIndex(s.Ref, "/")+1:]])
	}
	if len(s.Enum) > 0 {
		return s.Enum[len(s.Enum)-1]
	}
	kind := fmt.Sprint(s.Type)
	switch {
	case s.Format == "date":
		return "2026-10-06"
	case strings.Contains(kind, "object"):
		out := map[string]any{}
		for _, name := range s.Required {
			if name != "$schema" {
				out[name] = d.sample(s.Properties[name])
			}
		}
		return out
	case strings.Contains(kind, "array"):
		return []any{}
	case strings.Contains(kind, "integer"), strings.Contains(kind, "number"):
		if s.Maximum > 0 {
			return s.Maximum
		}
		return 987654321
	case strings.Contains(kind, "boolean"):
		return false
	}
	return strings.Repeat("x", max(s.MinLength, 1))
}

// Roles are enforced in the server, operation by operation.
func TestRolesAreEnforced(t *testing.T) {
	_, base := serve(t)
	data, err := server.OpenAPI()
	require.NoError(t, err)
	var d description
	require.NoError(t, json.Unmarshal(data, &d))
	stations := map[string]*station{"": at(t, base, "")}
	for _, role := range roles {
		stations[role] = at(t, base, roleLogins[role])
	}
	known := map[string]bool{}
	for path, methods := range d.Paths {
		for method, op := range methods {
			least, decided := mayDo[op.OperationID]
			if !assert.True(t, decided, "who may do %s?", op.OperationID) {
				continue
			}
			known[op.OperationID] = true
			target, query := path, []string{}
			for _, p := range op.Parameters {
				switch {
				case p.In == "path":
					target = strings.ReplaceAll(target, "{"+p.Name+"}", fmt.Sprint(d.sample(p.Schema)))
				case p.In == "query" && p.Required:
					query = append(query, p.Name+"="+fmt.Sprint(d.sample(p.Schema)))
				}
			}
			if op.OperationID == "searchOutside" {
				query = append(query, "words=tide")
			}
			target += "?" + strings.Join(query, "&")
			var body any
			for _, content := range op.RequestBody.Content {
				body = d.sample(content.Schema)
			}
			for role, s := range stations {
				status, says := s.send(strings.ToUpper(method), target, "test-"+op.OperationID+role, body)
				says = role + " " + op.OperationID + ": " + says
				switch {
				case least == "anybody":
					assert.Equal(t, http.StatusOK, status, says)
				case role == "":
					assert.Equal(t, http.StatusUnauthorized, status, says)
				case slices.Index(roles, role) < slices.Index(roles, least):
					assert.Equal(t, http.StatusForbidden, status, says)
					assert.Contains(t, says, ", does not include this. Ask a colleague whose role does.")
				default:
					assert.NotContains(t, []int{http.StatusUnauthorized, http.StatusInternalServerError}, status, says)
					assert.NotContains(t, says, ", does not include this. Ask a colleague whose role does.", "the role may; whose it is, and where, is another test")
				}
			}
		}
	}
	for id := range mayDo {
		assert.True(t, known[id], "%s is no operation any more", id)
	}
}

// A doubled request, over HTTP: the same key gives the same answer, and another request under it is refused.
func TestDoubledRequests(t *testing.T) {
	h, base := serve(t)
	jory := at(t, base, "jory")
	card, item := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"), testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	patron := testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card)
	scan := map[string]any{"text": item, "patron": json.Number(patron)}
	status, first := jory.send(http.MethodPost, "/api/desk/scan", "the-same-key", scan)
	require.Equal(t, http.StatusOK, status, first)
	_, second := jory.send(http.MethodPost, "/api/desk/scan", "the-same-key", scan)
	assert.JSONEq(t, first, second)
	assert.Equal(
		t,
		"1",
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND l.returned_at IS NULL",
			item,
		),
	)
	status, says := jory.send(http.MethodPost, "/api/desk/scan", "the-same-key", map[string]any{"text": card})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, says, "A new request needs a new key")
	status, says = jory.send(http.MethodPost, "/api/desk/scan", "", scan)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "a write without a key")
	assert.Contains(t, says, "Idempotency-Key")
}

func TestSigningIn(t *testing.T) {
	h, base := serve(t)
	hash, err := argon2id.CreateHash(
		"a long pass phrase",
		&argon2id.Params{Memory: 8 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32},
	)
	require.NoError(t, err)
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("INSERT INTO staff (login, name, role, branch_code, password_hash) VALUES ('real', 'Real Person', 'desk', 'SLM', ?)", hash).
			Error,
	)
	s := at(t, base, "")
	for _, wrong := range []map[string]string{{"login": "real", "password": "guess"}, {"login": "nobody", "password": "a long pass phrase"}, {"login": "jory", "password": ""}} {
		status, says := s.send(http.MethodPost, "/api/sign-in", "", wrong)
		assert.Equal(t, http.StatusForbidden, status, says)
	}
	status, says := s.send(http.MethodPost, "/api/sign-in/demo", "", map[string]string{"login": "real"})
	assert.Equal(t, http.StatusForbidden, status, "only people of the demo sign in with one click: %s", says)
	status, says = s.send(
		http.MethodPost,
		"/api/sign-in",
		"",
		map[string]string{"login": "real", "password": "a long pass phrase"},
	)
	require.Equal(t, http.StatusNoContent, status, says)
	status, _ = s.send(http.MethodGet, "/api/today", "", nil)
	assert.Equal(t, http.StatusOK, status)

	status, says = s.send(http.MethodPost, "/api/branch", "", map[string]string{"branch": "XXX"})
	assert.Equal(t, http.StatusNotFound, status, says)
	s.branch = "WRN"
	status, says = s.send(http.MethodGet, "/api/me", "", nil)
	assert.Equal(t, http.StatusConflict, status, "a window that works where its person has not gone is refused")
	assert.Contains(t, says, "urn:nevrin:branch")
	status, says = s.send(http.MethodPost, "/api/branch", "", map[string]string{"branch": "WRN"})
	assert.Equal(t, http.StatusForbidden, status, "one works where one may")
	assert.Contains(t, says, "You do not work at Wrenna")
	require.NoError(t, testkit.SQL(h).Exec("INSERT INTO staff_branches SELECT id, 'WRN' FROM staff WHERE login = 'real'").Error)
	status, _ = s.send(http.MethodPost, "/api/branch", "", map[string]string{"branch": "WRN"})
	assert.Equal(t, http.StatusNoContent, status)
	_, says = s.send(http.MethodGet, "/api/me", "", nil)
	assert.Contains(t, says, `"branch":"WRN"`)
	s.branch = ""
	_, says = s.send(http.MethodGet, "/api/me", "", nil)
	assert.Contains(t, says, `"branch":"SLM"`, "the branch goes with the request, not with the session")
	assert.Equal(t, "SLM WRN", testkit.Text(
		t, h, `SELECT (detail->>'was') || ' ' || (detail->>'is') FROM events WHERE kind = 'branch_changed' ORDER BY id DESC LIMIT 1`,
	))

	require.NoError(t, testkit.SQL(h).Exec("UPDATE staff SET active = false WHERE login = 'real'").Error)
	status, _ = s.send(http.MethodGet, "/api/today", "", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "who has left is out at once, not at the end of the session")
}

// What partners send is taken only at an address whose secret is known, and only if it is a message.
func TestPartnersMessages(t *testing.T) {
	h, base := serve(t)
	const secret = "training-secret-KELMOUTH"
	send := func(secret, body string) (int, string) {
		answer, err := http.Post(base+"/iso18626/"+secret, "application/xml", strings.NewReader(body))
		require.NoError(t, err)
		defer func() { _ = answer.Body.Close() }()
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(text)
	}
	ask := func(number, title string) string {
		return `<ISO18626Message xmlns="http://illtransactions.org/2013/iso18626"><request><header><supplyingAgencyId><agencyIdType>ISIL</agencyIdType><agencyIdValue>ORRIN</agencyIdValue></supplyingAgencyId>` +
			`<requestingAgencyId><agencyIdType>ISIL</agencyIdType><agencyIdValue>KELMOUTH</agencyIdValue></requestingAgencyId><timestamp>2026-10-06T09:12:00-03:00</timestamp>` +
			`<requestingAgencyRequestId>` + number + `</requestingAgencyRequestId></header><bibliographicInfo><title>` + title + `</title></bibliographicInfo><serviceInfo><serviceType>Loan</serviceType></serviceInfo></request></ISO18626Message>`
	}
	status, says := send("not-the-secret-of-anybody", ask("K-1", "Anything"))
	assert.Equal(t, http.StatusForbidden, status, says)
	status, says = send(secret, "hello")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, says, "<errorType>BadlyFormedMessage</errorType>")
	for range 2 { // said twice, taken once
		status, says = send(secret, ask("K-1", "The Patient Ferryman"))
		assert.Equal(t, http.StatusOK, status)
		assert.Contains(t, says, "<messageStatus>OK</messageStatus>")
	}
	assert.Equal(t, "1", testkit.Text(t, h, "SELECT count(*)::text FROM requests WHERE number = 'K-1'"))
	_, says = send(secret, ask("K-2", ""))
	assert.Contains(t, says, "<messageStatus>ERROR</messageStatus>")
	assert.Contains(t, says, "<errorType>UnrecognisedDataElement</errorType>")
	assert.Contains(t, says, "title: it is missing.")
}
