package sru_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/cql"
	"nevrin/formats/marc"
	"nevrin/formats/sru"
)

var books = []sru.Found{
	{Record: sru.Record{ID: "k1", Title: "Tides & Currents", Author: "O. Skerry", Date: "2011", ISBN: "9789999900003"}},
	{Record: sru.Record{ID: "k2", Title: "Tidal Mills of the Outer Coast", Author: "Roswen Quist", Date: "1998"}},
	{Record: sru.Record{ID: "k3", Title: "Tidal Mills, a Novel", Author: "Ivo Brannock", Date: "2004"}},
}

func serving(t *testing.T) *httptest.Server {
	for k := range books {
		m := &marc.Record{Leader: marc.LeaderOfBook}
		m.Put("001", marc.Field{Tag: "001", Value: books[k].ID})
		m.Put("245", marc.Data("245", "10", "a", books[k].Title))
		books[k].MARC = m
	}
	c := &sru.Catalogue{Title: "Books", Find: func(_ context.Context, q *cql.Query, from, most int) (int, []sru.Found, error) {
		total, found := sru.Among(books, q, from, most)
		return total, found, nil
	}}
	s := httptest.NewServer(http.HandlerFunc(c.Serve))
	t.Cleanup(s.Close)
	return s
}

func get(t *testing.T, s *httptest.Server, query string) string {
	t.Helper()
	answer, err := http.Get(s.URL + "/sru?" + query)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	body, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, answer.StatusCode, query)
	return string(body)
}

// Our client finds what our server has, in both schemas; what is typed is never read as an operator.
func TestClientAndServer(t *testing.T) {
	s := serving(t)
	found, err := sru.Search(t.Context(), s.Client(), s.URL+"/sru", `tidal "mills`)
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, books[1].Record, found[0])
	for _, words := range []string{"mills or tides", "tid*", "tidal) or (tides", "^tidal"} {
		_, err := sru.Search(t.Context(), s.Client(), s.URL+"/sru", words)
		require.NoError(t, err, words)
	}
	records, err := sru.Retrieve(t.Context(), s.Client(), s.URL+"/sru", sru.ISBN("978-99999-0000-3"))
	require.NoError(t, err)
	require.Len(t, records, 1)
	assert.Equal(t, "k1", records[0].Value("001"))
}

// A server that speaks SRU 2.0 alone is asked in that; records as strings are read; another's namespaces do not matter.
func TestOtherServers(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Query().Has("version") {
			_, _ = w.Write([]byte(`<z:searchRetrieveResponse xmlns:z="http://www.loc.gov/zing/srw/"><z:diagnostics><diagnostic xmlns="http://www.loc.gov/zing/srw/diagnostic/">
				<uri>info:srw/diagnostic/1/5</uri><message>Unsupported version</message></diagnostic></z:diagnostics></z:searchRetrieveResponse>`))
			return
		}
		_, _ = w.Write([]byte(`<s:searchRetrieveResponse xmlns:s="http://docs.oasis-open.org/ns/search-ws/sruResponse"><s:numberOfRecords>1</s:numberOfRecords>
			<s:records><s:record><s:recordSchema>dc</s:recordSchema><s:recordXMLEscaping>string</s:recordXMLEscaping><s:recordData>
			&lt;dc:dc xmlns:dc="urn:x"&gt;&lt;dc:title&gt;A &amp;amp; B&lt;/dc:title&gt;&lt;dc:title&gt;other&lt;/dc:title&gt;&lt;/dc:dc&gt;</s:recordData></s:record></s:records></s:searchRetrieveResponse>`))
	}))
	defer s.Close()
	found, err := sru.Search(t.Context(), s.Client(), s.URL, "a b")
	require.NoError(t, err)
	assert.Equal(t, []sru.Record{{Title: "A & B"}}, found)
}

// Whatever is not answered is told by a diagnostic with its number, in the namespaces of the version.
func TestDiagnostics(t *testing.T) {
	s := serving(t)
	for query, code := range map[string]int{
		"version=1.2&operation=scan&query=x":                         4,
		"version=1.7&operation=searchRetrieve&query=x":               5,
		"version=1.2&operation=searchRetrieve&query=x&startRecord=0": 6,
		"version=1.2&operation=searchRetrieve":                       7,
		"version=1.2&operation=searchRetrieve&query=x&wildcard=1":    8,
		"version=1.2&operation=searchRetrieve&query=(x":              10,
		"query=a.b%3Dx":          16,
		"query=title+near+x":     19,
		"query=title+%3D/stem+x": 20,
		"query=a+prox+b":         37,
		"query=a+and/rel.x+b":    46,
		"version=1.2&operation=searchRetrieve&query=tidal&startRecord=9": 61,
		"query=x&recordSchema=mods":                                      66,
		"query=x&recordXMLEscaping=lines":                                71,
		"query=x+sortby+title":                                           80,
	} {
		says := get(t, s, query)
		assert.Contains(t, says, fmt.Sprintf("info:srw/diagnostic/1/%d<", code), query)
		space := "http://docs.oasis-open.org/ns/search-ws/diagnostic"
		if strings.HasPrefix(query, "version") {
			space = "http://www.loc.gov/zing/srw/diagnostic/"
		}
		assert.Contains(t, says, space, query)
	}
	assert.Contains(t, get(t, s, "version=1.2&operation=searchRetrieve&query=tidal&maximumRecords=1"), "<nextRecordPosition>2<")
	assert.Contains(t, get(t, s, "query=tidal&recordXMLEscaping=string"), "&lt;")
	assert.Contains(t, get(t, s, "operation=explain&version=1.1"), `identifier="info:srw/cql-context-set/1/dc-v1.1"`)
	assert.Contains(t, get(t, s, ""), "explainResponse")
	assert.Contains(t, get(t, s, "query="+url.QueryEscape(`> x = "info:srw/cql-context-set/1/dc-v1.1" x.creator = quist`)), ">k2<")
}

// A foreign client (zoomsh of YAZ, from Debian) searches and reads what it finds.
func TestAForeignClient(t *testing.T) {
	s := serving(t)
	script := "set sru get\nset preferredRecordSyntax xml\nconnect " + strings.TrimPrefix(s.URL, "http://") + "/sru\n" +
		"search cql:dc.title all mills and dc.date = 1998\nshow 0 1\nset schema marcxml\nsearch cql:dc.title adj \"tidal mills\"\nshow 1 1\nquit\n"
	run := exec.Command("zoomsh")
	run.Stdin = strings.NewReader(script)
	out, err := run.CombinedOutput()
	require.NoError(t, err, string(out))
	for _, says := range []string{"1 hits", "Tidal Mills of the Outer Coast", "2 hits", `tag="245"`, "Tidal Mills, a Novel"} {
		assert.Contains(t, string(out), says)
	}
}
