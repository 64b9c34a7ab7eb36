// Package sru searches libraries over SRU 1.2 with CQL queries for Dublin Core or MARCXML records, and writes such answers
// (SRU 1.2, CQL with the Bath profile's index for ISBN, and the schemas of the Library of Congress, from memory).
package sru

import (
	"context"
	"encoding/xml"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"nevrin/core/expect"
	"nevrin/formats/marc"
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
	Diagnostics []diagnostic `xml:"diagnostics>diagnostic"`
}

type wrapped struct {
	Schema     string `xml:"http://www.loc.gov/zing/srw/ recordSchema"`
	Packing    string `xml:"http://www.loc.gov/zing/srw/ recordPacking"`
	Data       data   `xml:"http://www.loc.gov/zing/srw/ recordData"`
	Identifier string `xml:"http://www.loc.gov/zing/srw/ recordIdentifier,omitempty"`
}

type data struct {
	DC   *Record   `xml:"info:srw/schema/1/dc-schema dc"`
	MARC *marc.XML `xml:"http://www.loc.gov/MARC21/slim record"`
}

// The schemas of records.
const (
	dublinCore = "info:srw/schema/1/dc-v1.1"
	marcXML    = "info:srw/schema/1/marcxml-v1.1"
)

// diagnostic is written in its own namespace, and read in any: not all servers keep to it.
type diagnostic struct {
	XMLName xml.Name
	Message string `xml:"message"`
	Details string `xml:"details,omitempty"`
}

var diagnosticName = xml.Name{Space: "http://www.loc.gov/zing/srw/diagnostic/", Local: "diagnostic"}

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

// ISBN builds a CQL query for an ISBN (Bath profile).
func ISBN(number string) string { return `bath.isbn = "` + number + `"` }

// ISBNOf gives the ISBN of a query that ISBN built; empty for others.
func ISBNOf(query string) string {
	number, ok := strings.CutPrefix(strings.TrimSpace(query), `bath.isbn = "`)
	if !ok || !strings.HasSuffix(number, `"`) {
		return ""
	}
	return strings.TrimSuffix(number, `"`)
}

// Bounds of an answer: of a server that gives more than it was asked for the first records are read, and of a text its beginning.
const (
	mostRecords = 20
	mostText    = 500 // letters
)

// cut keeps as much of a text as a title or a name has, in one line.
func cut(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if letters := []rune(text); len(letters) > mostText {
		return string(letters[:mostText]) + "…"
	}
	return text
}

// Search asks a server for Dublin Core records with all of these words.
func Search(ctx context.Context, client *http.Client, base, words string) ([]Record, error) {
	found, err := retrieve(ctx, client, base, Words(words), dublinCore)
	if err != nil {
		return nil, err
	}
	out := []Record{}
	for _, w := range found {
		if w.Data.DC == nil {
			continue
		}
		r := *w.Data.DC
		r.ID = w.Identifier
		for _, text := range []*string{&r.ID, &r.Title, &r.Author, &r.Date, &r.ISBN, &r.Format} {
			*text = cut(*text)
		}
		out = append(out, r)
	}
	return out, nil
}

// Retrieve asks a server for MARC 21 records that a query finds.
func Retrieve(ctx context.Context, client *http.Client, base, query string) ([]*marc.Record, error) {
	found, err := retrieve(ctx, client, base, query, marcXML)
	if err != nil {
		return nil, err
	}
	out := []*marc.Record{}
	for _, w := range found {
		if w.Data.MARC != nil {
			out = append(out, w.Data.MARC.Record())
		}
	}
	if len(found) > 0 && len(out) == 0 {
		return nil, fmt.Errorf("the records of the answer are no MARCXML, but %q", expect.Shown(found[0].Schema))
	}
	return out, nil
}

func retrieve(ctx context.Context, client *http.Client, base, query, schema string) ([]wrapped, error) {
	values := url.Values{
		"version": {"1.2"}, "operation": {"searchRetrieve"}, "query": {query}, "maximumRecords": {strconv.Itoa(mostRecords)},
		"recordSchema":  {schema},
		"recordPacking": {"xml"},
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, base+"?"+values.Encode(), nil)
	if err != nil {
		return nil, err
	}
	answer, err := client.Do(request)
	if err != nil {
		return nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("their catalogue is not available now (%d)", answer.StatusCode)
	}
	var r response
	if err := xml.NewDecoder(http.MaxBytesReader(nil, answer.Body, 4<<20)).Decode(&r); err != nil {
		return nil, fmt.Errorf("the answer is no SRU response: %s", expect.Shown(err.Error()))
	}
	if len(r.Diagnostics) > 0 {
		return nil, fmt.Errorf("%s %s", expect.Shown(r.Diagnostics[0].Message), expect.Shown(r.Diagnostics[0].Details))
	}
	return r.Records[:min(len(r.Records), mostRecords)], nil
}

// Write answers a search with records, or with a diagnostic where there is a problem.
func Write(records []Record, problem error) ([]byte, error) {
	r := response{Version: "1.2", Number: len(records)}
	for _, rec := range records {
		r.Records = append(r.Records, wrapped{dublinCore, "xml", data{DC: &rec}, rec.ID})
	}
	return written(&r, problem)
}

// WriteMARC answers a search with MARC 21 records, or with a diagnostic where there is a problem.
func WriteMARC(records []*marc.Record, problem error) ([]byte, error) {
	r := response{Version: "1.2", Number: len(records)}
	for _, rec := range records {
		r.Records = append(r.Records, wrapped{marcXML, "xml", data{MARC: rec.AsXML()}, rec.Value("001")})
	}
	return written(&r, problem)
}

func written(r *response, problem error) ([]byte, error) {
	if problem != nil {
		r.Diagnostics = []diagnostic{{XMLName: diagnosticName, Message: problem.Error()}}
	}
	out, err := xml.MarshalIndent(r, "", " ")
	return append([]byte(xml.Header), out...), err
}
