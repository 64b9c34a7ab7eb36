// Package sru searches libraries over SRU 1.2 with CQL queries and Dublin Core records, and writes
// such answers (SRU 1.2, CQL and the Dublin Core schema of the Library of Congress, from memory).
package sru

import (
	"context"
	"encoding/xml"
	"fmt"
	"net/http"
	"net/url"
	"strings"
)

// Record is a title found.
type Record struct {
	ID     string `xml:"-"`
	Title  string `xml:"http://purl.org/dc/elements/1.1/ title"`
	Author string `xml:"http://purl.org/dc/elements/1.1/ creator,omitempty"`
	Date   string `xml:"http://purl.org/dc/elements/1.1/ date,omitempty"`
	ISBN   string `xml:"http://purl.org/dc/elements/1.1/ identifier,omitempty"`
	Format string `xml:"http://purl.org/dc/elements/1.1/ format,omitempty"`
}

type response struct {
	XMLName     xml.Name     `xml:"http://www.loc.gov/zing/srw/ searchRetrieveResponse"`
	Version     string       `xml:"http://www.loc.gov/zing/srw/ version"`
	Number      int          `xml:"http://www.loc.gov/zing/srw/ numberOfRecords"`
	Records     []wrapped    `xml:"http://www.loc.gov/zing/srw/ records>record"`
	Diagnostics []diagnostic `xml:"http://www.loc.gov/zing/srw/ diagnostics>diagnostic"`
}

type wrapped struct {
	Schema     string `xml:"http://www.loc.gov/zing/srw/ recordSchema"`
	Packing    string `xml:"http://www.loc.gov/zing/srw/ recordPacking"`
	Data       data   `xml:"http://www.loc.gov/zing/srw/ recordData"`
	Identifier string `xml:"http://www.loc.gov/zing/srw/ recordIdentifier,omitempty"`
}

type data struct {
	DC Record `xml:"info:srw/schema/1/dc-schema dc"`
}

type diagnostic struct {
	Message string `xml:"message"`
	Details string `xml:"details"`
}

// Words builds a CQL query that wants every word somewhere in the record.
func Words(words string) string {
	var parts []string
	for _, w := range strings.Fields(strings.NewReplacer(`"`, "", `\`, "").Replace(words)) {
		parts = append(parts, `cql.anywhere = "`+w+`"`)
	}
	return strings.Join(parts, " and ")
}

// Terms gives the words of a query that Words built; other CQL is an error.
func Terms(query string) ([]string, error) {
	var words []string
	for part := range strings.SplitSeq(query, " and ") {
		word, ok := strings.CutPrefix(strings.TrimSpace(part), `cql.anywhere = "`)
		if !ok || !strings.HasSuffix(word, `"`) {
			return nil, fmt.Errorf("unsupported query %q; expected cql.anywhere = \"word\" joined by and", part)
		}
		words = append(words, strings.ToLower(strings.TrimSuffix(word, `"`)))
	}
	return words, nil
}

// Search asks a server for records with all of these words.
func Search(ctx context.Context, client *http.Client, base, words string) ([]Record, error) {
	query := url.Values{
		"version":        {"1.2"},
		"operation":      {"searchRetrieve"},
		"query":          {Words(words)},
		"maximumRecords": {"20"},
		"recordSchema":   {"info:srw/schema/1/dc-v1.1"},
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, base+"?"+query.Encode(), nil)
	if err != nil {
		return nil, err
	}
	answer, err := client.Do(request)
	if err != nil {
		return nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	var r response
	if err := xml.NewDecoder(http.MaxBytesReader(nil, answer.Body, 4<<20)).Decode(&r); err != nil {
		return nil, fmt.Errorf("the answer is no SRU response: %w", err)
	}
	if len(r.Diagnostics) > 0 {
		return nil, fmt.Errorf("%s %s", r.Diagnostics[0].Message, r.Diagnostics[0].Details)
	}
	out := make([]Record, len(r.Records))
	for k, w := range r.Records {
		out[k] = w.Data.DC
		out[k].ID = w.Identifier
	}
	return out, nil
}

// Write answers a search with records, or with a diagnostic where there is a problem.
func Write(records []Record, problem error) ([]byte, error) {
	r := response{Version: "1.2", Number: len(records)}
	for _, rec := range records {
		r.Records = append(r.Records, wrapped{"info:srw/schema/1/dc-v1.1", "xml", data{rec}, rec.ID})
	}
	if problem != nil {
		r.Diagnostics = []diagnostic{{Message: problem.Error()}}
	}
	out, err := xml.MarshalIndent(r, "", " ")
	return append([]byte(xml.Header), out...), err
}
