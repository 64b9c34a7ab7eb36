package sru

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"nevrin/formats/cql"
	"nevrin/formats/marc"
)

// Code is a diagnostic of SRU: info:srw/diagnostic/1/ and its number.
type Code int

// The diagnostics that are given (SRU diagnostics list, from memory).
const (
	NotNow                   Code = 2 // system temporarily unavailable
	UnsupportedOperation     Code = 4
	UnsupportedVersion       Code = 5
	UnsupportedValue         Code = 6
	MissingParameter         Code = 7
	UnsupportedParameter     Code = 8
	QuerySyntax              Code = 10
	UnsupportedIndex         Code = 16
	UnsupportedRelation      Code = 19
	UnsupportedRelationMod   Code = 20
	UnsupportedBoolean       Code = 37
	UnsupportedBooleanMod    Code = 46
	FirstRecordOutOfRange    Code = 61
	UnknownSchema            Code = 66
	UnsupportedRecordPacking Code = 71
	UnsupportedSort          Code = 80
)

var messages = map[Code]string{
	NotNow: "System temporarily unavailable", UnsupportedOperation: "Unsupported operation", UnsupportedVersion: "Unsupported version",
	UnsupportedValue: "Unsupported parameter value", MissingParameter: "Mandatory parameter not supplied", UnsupportedParameter: "Unsupported parameter",
	QuerySyntax: "Query syntax error", UnsupportedIndex: "Unsupported index", UnsupportedRelation: "Unsupported relation",
	UnsupportedRelationMod: "Unsupported relation modifier", UnsupportedBoolean: "Unsupported boolean operator",
	UnsupportedBooleanMod: "Unsupported boolean modifier", FirstRecordOutOfRange: "First record position out of range",
	UnknownSchema: "Unknown schema for retrieval", UnsupportedRecordPacking: "Unsupported record packing", UnsupportedSort: "Sort not supported",
}

// Wrong is why a search is not answered.
type Wrong struct {
	Code    Code
	Details string
}

func (w *Wrong) Error() string { return messages[w.Code] + ": " + w.Details }

// Found is a record of a catalogue, in both schemas.
type Found struct {
	Record
	MARC *marc.Record // nil: it has only Dublin Core
}

// Catalogue is searched: it gives how many records a query finds, and those from a place on, counted from 0.
type Catalogue struct {
	Title, Description string
	Find               func(ctx context.Context, q *cql.Query, from, most int) (total int, found []Found, err error)
}

// Field is what an index is about.
type Field string

// The fields. Any is all of them.
const (
	Any       Field = "any"
	Title     Field = "title"
	Author    Field = "author"
	Subject   Field = "subject"
	Publisher Field = "publisher"
	Date      Field = "date"
	Number    Field = "number" // ISBN and ISSN
	Language  Field = "language"
	ID        Field = "id"
	All       Field = "all" // every record there is
)

// indexes are those of the context sets cql, dc, bath and rec that mean a field, with their names in small letters.
var indexes = map[string]Field{
	"": Any, "cql.serverchoice": Any, "cql.anywhere": Any, "cql.keywords": Any, "bath.any": Any, "cql.allrecords": All, "dc.title": Title, "bath.title": Title,
	"dc.creator": Author, "dc.contributor": Author, "dc.author": Author, "bath.author": Author, "bath.name": Author, "bath.personalname": Author,
	"dc.subject": Subject, "bath.subject": Subject, "bath.topicalsubject": Subject, "dc.publisher": Publisher, "dc.date": Date, "bath.date": Date,
	"bath.publicationdate": Date, "dc.identifier": Number, "bath.isbn": Number, "bath.issn": Number, "bath.standardidentifier": Number,
	"dc.language": Language, "bath.language": Language, "rec.identifier": ID, "rec.id": ID,
}

// sets are the URIs of the context sets.
var sets = map[string]string{
	"cql": "info:srw/cql-context-set/1/cql-v1.2", "dc": "info:srw/cql-context-set/1/dc-v1.1", "bath": "http://zing.z3950.org/cql/bath/2.0/",
	"rec": "info:srw/cql-context-set/2/rec-1.1",
}

// FieldOf tells which field an index of a query means. An index without a prefix is one of any set that has it.
func FieldOf(q *cql.Query) (Field, bool) {
	name := strings.ToLower(q.Index)
	prefix, rest, prefixed := strings.Cut(name, ".")
	if uri, assigned := q.Prefixes[prefix]; prefixed && assigned {
		for set, of := range sets {
			if of == uri {
				name = set + "." + rest
			}
		}
	}
	if f, ok := indexes[name]; ok {
		return f, true
	}
	if prefixed {
		return "", false
	}
	for _, set := range []string{"cql", "dc", "bath", "rec"} {
		if f, ok := indexes[set+"."+name]; ok {
			return f, true
		}
	}
	return "", false
}

var relations = []string{"=", "scr", "==", "exact", "all", "any", "adj", "<>", "<", ">", "<=", ">="}

// Check tells what of a query is not answered here; nil: all of it is.
func Check(q *cql.Query) *Wrong {
	switch {
	case q == nil:
		return nil
	case len(q.Sort) > 0:
		return &Wrong{UnsupportedSort, q.Sort[0].Index}
	case q.Bool == "prox":
		return &Wrong{UnsupportedBoolean, q.Bool}
	case q.Bool != "":
		for _, m := range q.Modifiers {
			return &Wrong{UnsupportedBooleanMod, m.Name}
		}
		if w := Check(q.Left); w != nil {
			return w
		}
		return Check(q.Right)
	}
	if _, ok := FieldOf(q); !ok {
		return &Wrong{UnsupportedIndex, q.Index}
	}
	if !slices.Contains(relations, q.Relation) {
		return &Wrong{UnsupportedRelation, q.Relation}
	}
	for _, m := range q.Modifiers {
		if m.Name != "relevant" && m.Name != "ignorecase" {
			return &Wrong{UnsupportedRelationMod, m.Name}
		}
	}
	return nil
}

// Matches holds a record against a query that was checked.
func Matches(q *cql.Query, f *Found) bool {
	switch q.Bool {
	case "and":
		return Matches(q.Left, f) && Matches(q.Right, f)
	case "or":
		return Matches(q.Left, f) || Matches(q.Right, f)
	case "not":
		return Matches(q.Left, f) && !Matches(q.Right, f)
	}
	field, _ := FieldOf(q)
	return field == All || cql.Holds(q.Relation, strings.ReplaceAll(q.Term, "-", plainHyphen(field)), f.field(field))
}

// plainHyphen is what a hyphen in a term becomes: nothing in a number, whose hyphens say nothing.
func plainHyphen(f Field) string {
	if f == Number {
		return ""
	}
	return " "
}

// Among finds in a list, in its order.
func Among(all []Found, q *cql.Query, from, most int) (total int, found []Found) {
	for k := range all {
		if !Matches(q, &all[k]) {
			continue
		}
		if total++; total > from && len(found) < most {
			found = append(found, all[k])
		}
	}
	return total, found
}

func (f *Found) field(of Field) string {
	number := strings.ReplaceAll(f.ISBN, "-", "")
	return map[Field]string{
		Any: f.Title + " " + f.Author + " " + f.Date + " " + number, Title: f.Title, Author: f.Author, Date: f.Date, Number: number, ID: f.ID,
	}[of]
}

// namespaces of a version.
type namespaces struct{ main, diagnostics, explain string }

var versions = map[string]namespaces{
	"1.1": {"http://www.loc.gov/zing/srw/", "http://www.loc.gov/zing/srw/diagnostic/", "http://explain.z3950.org/dtd/2.0/"},
	"1.2": {"http://www.loc.gov/zing/srw/", "http://www.loc.gov/zing/srw/diagnostic/", "http://explain.z3950.org/dtd/2.0/"},
	"2.0": {"http://docs.oasis-open.org/ns/search-ws/sruResponse", "http://docs.oasis-open.org/ns/search-ws/diagnostic", "http://explain.z3950.org/dtd/2.1/"},
}

// known are the parameters; others are refused, but those of extensions, which begin with x-.
var known = []string{
	"version", "operation", "query", "queryType", "startRecord", "maximumRecords", "recordSchema", "recordPacking", "recordXMLEscaping", "resultSetTTL",
	"stylesheet", "httpAccept", "sortKeys", "recordXPath", "responseType", "renderedBy",
}

// Serve answers a request over SRU.
func (c *Catalogue) Serve(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	version := q.Get("version")
	if version == "" {
		version = "2.0" // which has no such parameter
		if q.Has("operation") {
			version = "1.2"
		}
	}
	a := &answering{version: version, q: q}
	if _, ok := versions[version]; !ok {
		a.version, a.wrong = "1.2", &Wrong{UnsupportedVersion, "1.2"}
	}
	var out []byte
	var err error
	switch operation := q.Get("operation"); {
	case a.wrong == nil && (operation == "explain" || operation == "" && !q.Has("query")):
		out, err = c.explain(a, r)
	case a.wrong == nil && operation != "" && operation != "searchRetrieve":
		a.wrong = &Wrong{UnsupportedOperation, operation}
		fallthrough
	default:
		out, err = c.search(r.Context(), a)
	}
	if err != nil {
		a.wrong = &Wrong{NotNow, ""}
		if out, err = a.write(0, nil); err != nil {
			http.Error(w, "not now", http.StatusServiceUnavailable)
			return
		}
	}
	w.Header().Set("Content-Type", "application/xml; charset=utf-8")
	_, _ = w.Write(out)
}

type answering struct {
	version    string
	q          url.Values
	wrong      *Wrong
	from, most int // from 1
	schema     string
	escaped    bool
}

// number reads a parameter that is a number of at least least.
func (a *answering) number(name string, usual, least int) int {
	text := a.q.Get(name)
	if text == "" {
		return usual
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < least {
		a.refuse(UnsupportedValue, name)
		return usual
	}
	return n
}

func (a *answering) refuse(code Code, details string) {
	if a.wrong == nil {
		a.wrong = &Wrong{code, details}
	}
}

// mostAtOnce is how many records one answer has at most.
const mostAtOnce = 50

func (c *Catalogue) search(ctx context.Context, a *answering) ([]byte, error) {
	for name := range a.q {
		if !slices.Contains(known, name) && !strings.HasPrefix(name, "x-") {
			a.refuse(UnsupportedParameter, name)
		}
	}
	a.from, a.most = a.number("startRecord", 1, 1), min(a.number("maximumRecords", 10, 0), mostAtOnce)
	switch schema := a.q.Get("recordSchema"); schema {
	case "", "dc", dublinCore:
		a.schema = dublinCore
	case "marcxml", marcXML, marc.Namespace:
		a.schema = marcXML
	default:
		a.refuse(UnknownSchema, schema)
	}
	packing := a.q.Get("recordPacking")
	if a.version == "2.0" {
		packing = a.q.Get("recordXMLEscaping")
	}
	switch a.escaped = packing == "string"; {
	case packing != "" && packing != "xml" && !a.escaped:
		a.refuse(UnsupportedRecordPacking, packing)
	case a.q.Get("query") == "":
		a.refuse(MissingParameter, "query")
	case a.q.Get("queryType") != "" && a.q.Get("queryType") != "cql":
		a.refuse(UnsupportedValue, "queryType")
	}
	if a.wrong != nil {
		return a.write(0, nil)
	}
	query, err := cql.Read(a.q.Get("query"))
	if err != nil {
		a.refuse(QuerySyntax, err.Error())
		return a.write(0, nil)
	}
	if a.wrong = Check(query); a.wrong != nil {
		return a.write(0, nil)
	}
	total, found, err := c.Find(ctx, query, a.from-1, a.most)
	if err != nil && !errors.As(err, &a.wrong) {
		return nil, err
	}
	if total > 0 && a.from > total {
		a.refuse(FirstRecordOutOfRange, strconv.Itoa(a.from))
		found = nil
	}
	return a.write(total, found)
}

// element is an XML element with what stands in it.
type element struct {
	space, name string
	text        string
	attrs       []xml.Attr
	in          []element
	raw         any // instead: another thing that writes itself
}

func (e element) MarshalXML(to *xml.Encoder, _ xml.StartElement) error { return e.write(to, "") }

// write writes an element within one of a namespace, which is named again only where it changes.
func (e element) write(to *xml.Encoder, within string) error {
	start := xml.StartElement{Name: xml.Name{Local: e.name}, Attr: e.attrs}
	if e.space != within {
		start.Attr = append([]xml.Attr{{Name: xml.Name{Local: "xmlns"}, Value: e.space}}, e.attrs...)
	}
	if err := to.EncodeToken(start); err != nil {
		return err
	}
	if e.text != "" {
		if err := to.EncodeToken(xml.CharData(e.text)); err != nil {
			return err
		}
	}
	for _, in := range e.in {
		if err := in.write(to, e.space); err != nil {
			return err
		}
	}
	if of, ok := e.raw.(element); ok {
		if err := of.write(to, e.space); err != nil {
			return err
		}
	} else if e.raw != nil {
		if err := to.Encode(e.raw); err != nil {
			return err
		}
	}
	return to.EncodeToken(start.End())
}

const (
	dcSpace = "info:srw/schema/1/dc-schema"
	dcTerms = "http://purl.org/dc/elements/1.1/"
)

func (f *Found) dc() element {
	e := element{space: dcSpace, name: "dc"}
	for _, part := range [][2]string{{"title", f.Title}, {"creator", f.Author}, {"date", f.Date}, {"identifier", f.ISBN}, {"format", f.Format}} {
		if part[1] != "" {
			e.in = append(e.in, element{space: dcTerms, name: part[0], text: part[1]})
		}
	}
	return e
}

func (a *answering) write(total int, found []Found) ([]byte, error) {
	of := versions[a.version]
	el := func(name, text string, in ...element) element {
		return element{space: of.main, name: name, text: text, in: in}
	}
	body := []element{el("version", a.version), el("numberOfRecords", strconv.Itoa(total))}
	packing, packed := "recordPacking", "xml"
	if a.version == "2.0" {
		body, packing = body[1:], "recordXMLEscaping"
	}
	if a.escaped {
		packed = "string"
	}
	var records []element
	for k := range found {
		f := &found[k]
		var data any = f.dc()
		if a.schema == marcXML {
			if f.MARC == nil {
				continue
			}
			data = f.MARC.AsXML()
		}
		inside := element{space: of.main, name: "recordData", raw: data}
		if a.escaped {
			text, err := xml.Marshal(data)
			if err != nil {
				return nil, err
			}
			inside.raw, inside.text = nil, string(text)
		}
		one := []element{el("recordSchema", a.schema), el(packing, packed), inside}
		if f.ID != "" && a.version != "1.1" {
			one = append(one, el("recordIdentifier", f.ID))
		}
		records = append(records, el("record", "", append(one, el("recordPosition", strconv.Itoa(a.from+k)))...))
	}
	if len(records) > 0 {
		body = append(body, el("records", "", records...))
	}
	if next := a.from + len(found); len(found) > 0 && next <= total {
		body = append(body, el("nextRecordPosition", strconv.Itoa(next)))
	}
	if a.wrong != nil {
		d := func(name, text string) element { return element{space: of.diagnostics, name: name, text: text} }
		parts := []element{d("uri", fmt.Sprintf("info:srw/diagnostic/1/%d", a.wrong.Code))}
		if a.wrong.Details != "" {
			parts = append(parts, d("details", a.wrong.Details))
		}
		body = append(body, el("diagnostics", "", element{space: of.diagnostics, name: "diagnostic", in: append(parts, d("message", messages[a.wrong.Code]))}))
	}
	return written(el("searchRetrieveResponse", "", body...))
}

func written(e element) ([]byte, error) {
	var out bytes.Buffer
	out.WriteString(xml.Header)
	to := xml.NewEncoder(&out)
	if err := to.Encode(e); err != nil {
		return nil, err
	}
	return out.Bytes(), to.Close()
}

// explain describes the server: its address, its indexes and its schemas (ZeeRex, from memory).
func (c *Catalogue) explain(a *answering, r *http.Request) ([]byte, error) {
	of := versions[a.version]
	z := func(name, text string, in ...element) element {
		return element{space: of.explain, name: name, text: text, in: in}
	}
	host, port, _ := strings.Cut(r.Host, ":")
	if port == "" {
		port = "80"
	}
	info := []element{}
	for _, set := range []string{"cql", "dc", "bath", "rec"} {
		info = append(info, with(z("set", ""), "name", set, "identifier", sets[set]))
	}
	names := []string{}
	for name := range indexes {
		if name != "" {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		set, index, _ := strings.Cut(name, ".")
		info = append(info, z("index", "", z("title", string(indexes[name])), z("map", "", with(z("name", index), "set", set))))
	}
	record := z("explain", "",
		with(z("serverInfo", "", z("host", host), z("port", port), z("database", strings.TrimPrefix(r.URL.Path, "/"))), "protocol", "SRU", "version", a.version,
			"transport", "http", "method", "GET"),
		z("databaseInfo", "", z("title", c.Title), z("description", c.Description)),
		z("indexInfo", "", info...),
		z("schemaInfo", "", with(z("schema", "", z("title", "Dublin Core")), "name", "dc", "identifier", dublinCore),
			with(z("schema", "", z("title", "MARCXML")), "name", "marcxml", "identifier", marcXML)),
		z("configInfo", "", with(z("default", "10"), "type", "numberOfRecords"), with(z("setting", strconv.Itoa(mostAtOnce)), "type", "maximumRecords")),
	)
	el := func(name, text string, in ...element) element {
		return element{space: of.main, name: name, text: text, in: in}
	}
	packing := "recordPacking"
	if a.version == "2.0" {
		packing = "recordXMLEscaping"
	}
	body := []element{el("record", "", el("recordSchema", of.explain), el(packing, "xml"), el("recordData", "", record))}
	if a.version != "2.0" {
		body = append([]element{el("version", a.version)}, body...)
	}
	return written(el("explainResponse", "", body...))
}

// with gives an element attributes: names and values in turn.
func with(e element, attributes ...string) element {
	for k := 0; k+1 < len(attributes); k += 2 {
		e.attrs = append(e.attrs, xml.Attr{Name: xml.Name{Local: attributes[k]}, Value: attributes[k+1]})
	}
	return e
}
