package server_test

import (
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// nasty makes requests that are wrong in one place or several, from the server's own description.
type nasty struct {
	*description
	rand *rand.Rand
	ids  []int64 // of things that there are
}

func (n *nasty) pick(list ...any) any { return list[n.rand.IntN(len(list))] }

// texts that have broken programs: of other scripts, of no letters, long, and in the languages of what lies behind.
func (n *nasty) text() any {
	return n.pick("", " ", "x", "0", "-1", "true", "null", "NaN", strings.Repeat("x", 201), strings.Repeat("ü", 5000), "a\x00b",
		"\u202eabc\u202c", "👩‍👧‍👦", "\ufeff", "e\u0301\u0301\u0301", "'; DROP TABLE patrons; --", "%", "_", "\\", "$1", "{{.}}", "{% x %}",
		"<script>alert(1)</script>", "../../etc/passwd", "=1+1", "2026-02-30", "0000-01-01", "9999-12-31", "-4713-01-01",
		"infinity", "1e400", "P9999999999D", "FREQ=SECONDLY", "FREQ=DAILY", "HVH", "SLM", "hvh", "30000000000000", "21846000010009", "\r\nX: y")
}

func (n *nasty) number() any {
	return n.pick(0, -1, 1, 0.5, int64(1)<<31, int64(1)<<53, json.Number("9223372036854775807"), json.Number("-9223372036854775808"),
		json.Number("9223372036854775808"), json.Number("1e308"), json.Number("1e999"), json.Number("-0"), n.id())
}

func (n *nasty) id() any {
	if len(n.ids) == 0 || n.rand.IntN(4) == 0 {
		return 987654321
	}
	return n.ids[n.rand.IntN(len(n.ids))]
}

// nested is a value of many levels, below and beyond what the door lets in.
func (n *nasty) nested() any {
	var v any = "x"
	for range n.rand.IntN(80) {
		v = []any{v}
	}
	return v
}

// whole is a value that a schema lets pass, or nearly: each part is nasty with some chance.
func (n *nasty) whole(s schema, chance float64) any {
	if s.Ref != "" {
		return n.whole(n.Components.Schemas[s.Ref[strings.LastIndex(s.Ref, "/")+1:]], chance)
	}
	if n.rand.Float64() < chance {
		return n.pick(nil, n.text(), n.number(), true, []any{}, map[string]any{}, []any{n.text(), n.number()}, map[string]any{"x": n.text()}, n.nested(),
			slices.Repeat([]any{n.text()}, 300))
	}
	kind := fmt.Sprint(s.Type)
	switch {
	case strings.Contains(kind, "object"):
		out := map[string]any{}
		for name, p := range s.Properties {
			if slices.Contains(s.Required, name) || n.rand.IntN(2) == 0 {
				out[name] = n.whole(p, chance)
			}
		}
		if n.rand.Float64() < chance {
			out[fmt.Sprint(n.text())] = n.text()
		}
		return out
	case strings.Contains(kind, "array"):
		return n.pick([]any{}, []any{n.id()}, []any{n.text()})
	case len(s.Enum) > 0:
		return s.Enum[n.rand.IntN(len(s.Enum))]
	case s.Format == "date":
		return n.pick("2026-10-06", "2026-10-20", "0001-01-01", "0000-12-31", "9999-12-31")
	case strings.Contains(kind, "integer"):
		return n.pick(n.id(), n.id(), 1, n.number())
	case strings.Contains(kind, "boolean"):
		return n.rand.IntN(2) == 0
	}
	return n.text()
}

// Requests that make no sense are refused in a sentence: never an error of ours, whatever they hold. Each operation of the
// description is asked, with everything it takes; NEVRIN_LONG=1 asks ten thousand times.
func TestRequestsThatMakeNoSense(t *testing.T) {
	h, base := serve(t)
	data, err := server.OpenAPI()
	require.NoError(t, err)
	n := &nasty{description: &description{}, rand: rand.New(rand.NewPCG(20261006, 9))}
	require.NoError(t, json.Unmarshal(data, n.description))
	for _, table := range []string{"patrons", "loans", "items", "titles", "holds", "requests", "editions", "mailings", "staff", "messages", "partners"} {
		var some []int64
		require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM "+table+" ORDER BY id LIMIT 4").Scan(&some).Error)
		n.ids = append(n.ids, some...)
	}
	logins := []string{"ada", "ada", "caspar", "wil"}
	var stations []*station
	for _, login := range logins {
		stations = append(stations, at(t, base, login))
	}
	type asked struct{ method, path string }
	var ops []asked
	for path, methods := range n.Paths {
		for method := range methods {
			if id := methods[method].OperationID; id != "searchOutside" { // which waits for others
				ops = append(ops, asked{method, path})
			}
		}
	}
	slices.SortFunc(ops, func(x, y asked) int { return strings.Compare(x.path+x.method, y.path+y.method) })
	rounds := 12
	if os.Getenv("NEVRIN_LONG") != "" {
		rounds = 10_000/len(ops) + 1
	}
	sent, ended, slowest, slow := 0, map[int]int{}, time.Duration(0), ""
	for round := range rounds {
		for _, o := range ops {
			op := n.Paths[o.path][o.method]
			path, query := o.path, url.Values{}
			chance := float64(round%4) * 0.15
			for _, p := range op.Parameters {
				switch p.In {
				case "path":
					v := n.id()
					if n.rand.IntN(5) == 0 {
						v = n.text()
					}
					path = strings.ReplaceAll(path, "{"+p.Name+"}", url.PathEscape(fmt.Sprint(v)))
				case "query":
					if p.Required || n.rand.IntN(2) == 0 {
						query.Set(p.Name, fmt.Sprint(n.whole(p.Schema, chance)))
					}
				}
			}
			body := ""
			for _, content := range op.RequestBody.Content {
				written, err := json.Marshal(n.whole(content.Schema, chance))
				require.NoError(t, err)
				body = string(written)
				if n.rand.IntN(12) == 0 { // cut off, or with a byte that is none of UTF-8
					body = body[:n.rand.IntN(len(body)+1)] + []string{"", "\xff"}[n.rand.IntN(2)]
				}
			}
			key := fmt.Sprintf("nonsense %d", sent)
			if n.rand.IntN(15) == 0 {
				key = url.QueryEscape(fmt.Sprint(n.text()))
			}
			begun := time.Now()
			who := n.rand.IntN(len(stations))
			status, says := nonsense(t, stations[who], strings.ToUpper(o.method), path+"?"+query.Encode(), key, body)
			if took := time.Since(begun); took > slowest {
				slowest, slow = took, o.method+" "+o.path
			}
			if status == http.StatusUnauthorized { // a request has ended the session, as it may
				stations[who] = at(t, base, logins[who])
			}
			sent++
			ended[status]++
			assert.Less(t, status, 500, "%s %s?%s %.300s: %s", o.method, path, query.Encode(), body, says)
			assert.True(t, json.Valid([]byte(says)) || says == "" || status == http.StatusRequestHeaderFieldsTooLarge, "%s %s: %.100s", o.method, path, says)
		}
	}
	t.Logf("%d requests to %d operations: %v; the slowest took %s (%s)", sent, len(ops), ended, slowest.Round(time.Millisecond), slow)
	assert.Equal(t, "0", testkit.Text(t, h, `SELECT count(*)::text FROM patrons p
		WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)`), "the books are right")
}

func nonsense(t *testing.T, s *station, method, path, key, body string) (int, string) {
	t.Helper()
	r, err := http.NewRequest(method, s.base+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", key)
	answer, err := s.client.Do(r)
	require.NoError(t, err, "%s %s", method, path)
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err, "%s %s: the answer was cut off", method, path)
	return answer.StatusCode, string(text)
}
