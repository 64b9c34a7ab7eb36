// Package sru searches libraries over SRU 1.2 and 2.0 with CQL queries for Dublin Core or MARCXML records, and answers such searches (SRU 1.2 of
// the Library of Congress, SRU 2.0 of OASIS searchRetrieve part 3, CQL with the Bath profile's indexes, from memory).
package sru

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"nevrin/core/expect"
	"nevrin/formats/cql"
	"nevrin/formats/marc"
)

// Record is a title found.
type Record struct {
	ID     string
	Title  string
	Author string
	Date   string
	ISBN   string
	Format string
}

// The schemas of records, and their short names in requests.
const (
	dublinCore = "info:srw/schema/1/dc-v1.1"
	marcXML    = "info:srw/schema/1/marcxml-v1.1"
)

// response is read in whatever namespace it comes: those of SRU 1.1, 1.2 and 2.0 differ, and not all servers keep to theirs.
type response struct {
	XMLName     xml.Name     `xml:"searchRetrieveResponse"`
	Records     []wrapped    `xml:"records>record"`
	Diagnostics []diagnostic `xml:"diagnostics>diagnostic"`
}

type wrapped struct {
	Schema     string `xml:"recordSchema"`
	Data       data   `xml:"recordData"`
	Identifier string `xml:"recordIdentifier"`
}

type data struct {
	DC   *dcRecord `xml:"dc"`
	MARC *marc.XML `xml:"http://www.loc.gov/MARC21/slim record"`
	Text string    `xml:",chardata"` // of records that come as a string
}

type dcRecord struct {
	Title      []string `xml:"title"`
	Creator    []string `xml:"creator"`
	Date       []string `xml:"date"`
	Identifier []string `xml:"identifier"`
	Format     []string `xml:"format"`
	Type       []string `xml:"type"`
}

type diagnostic struct {
	URI     string `xml:"uri"`
	Message string `xml:"message"`
	Details string `xml:"details"`
}

// unescaped reads records that came as a string.
func (d *data) unescaped() {
	text := strings.TrimSpace(d.Text)
	if d.DC != nil || d.MARC != nil || !strings.HasPrefix(text, "<") {
		return
	}
	var dc dcRecord
	var m marc.XML
	if xml.Unmarshal([]byte(text), &m) == nil {
		d.MARC = &m
	} else if xml.Unmarshal([]byte(text), &dc) == nil {
		d.DC = &dc
	}
}

// Words builds a CQL query that wants every word somewhere in the record.
func Words(words string) string { return "cql.serverChoice all " + cql.Quoted(words) }

// ISBN builds a CQL query for an ISBN (Bath profile).
func ISBN(number string) string { return "bath.isbn = " + cql.Quoted(number) }

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

func first(texts []string) string {
	if len(texts) == 0 {
		return ""
	}
	return cut(texts[0])
}

// Search asks a server for Dublin Core records with all of these words.
func Search(ctx context.Context, client *http.Client, base, words string) ([]Record, error) {
	found, err := retrieve(ctx, client, base, Words(words), dublinCore)
	if err != nil {
		return nil, err
	}
	out := []Record{}
	for _, w := range found {
		dc := w.Data.DC
		if dc == nil {
			continue
		}
		r := Record{ID: cut(w.Identifier), Title: first(dc.Title), Author: first(dc.Creator), Date: first(dc.Date), Format: first(append(dc.Format, dc.Type...))}
		for _, id := range dc.Identifier {
			if r.ISBN = cut(strings.TrimPrefix(strings.TrimPrefix(id, "urn:isbn:"), "URN:ISBN:")); r.ISBN != "" {
				break
			}
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

// errVersion says that a server does not speak the version it was asked in.
var errVersion = errors.New("the server does not speak this version of SRU")

// retrieve asks in SRU 1.2, and in 2.0 where a server says that it does not speak that.
func retrieve(ctx context.Context, client *http.Client, base, query, schema string) ([]wrapped, error) {
	values := url.Values{"query": {query}, "maximumRecords": {strconv.Itoa(mostRecords)}, "recordSchema": {schema}}
	older := url.Values{"version": {"1.2"}, "operation": {"searchRetrieve"}, "recordPacking": {"xml"}}
	for name, value := range values {
		older[name] = value
	}
	found, err := ask(ctx, client, base, older)
	if !errors.Is(err, errVersion) {
		return found, err
	}
	return ask(ctx, client, base, values)
}

func ask(ctx context.Context, client *http.Client, base string, values url.Values) ([]wrapped, error) {
	sign := "?"
	if strings.Contains(base, "?") {
		sign = "&"
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, base+sign+values.Encode(), nil)
	if err != nil {
		return nil, err
	}
	answer, err := client.Do(request)
	if err != nil {
		return nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("the system there answers %d", answer.StatusCode)
	}
	var r response
	if err := xml.NewDecoder(http.MaxBytesReader(nil, answer.Body, 4<<20)).Decode(&r); err != nil {
		return nil, fmt.Errorf("the answer is no SRU response: %s", expect.Shown(err.Error()))
	}
	if len(r.Diagnostics) > 0 {
		d := r.Diagnostics[0]
		if strings.HasSuffix(d.URI, "/"+strconv.Itoa(int(UnsupportedVersion))) {
			return nil, errVersion
		}
		return nil, fmt.Errorf("%s %s", expect.Shown(d.Message), expect.Shown(d.Details))
	}
	found := r.Records[:min(len(r.Records), mostRecords)]
	for k := range found {
		found[k].Data.unescaped()
	}
	return found, nil
}
