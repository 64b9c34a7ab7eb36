package marc

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"io"

	"nevrin/core/expect"
)

// Namespace is that of MARCXML (Library of Congress, MARC 21 XML schema).
const Namespace = "http://www.loc.gov/MARC21/slim"

// XML is a record as MARCXML has it.
type XML struct {
	XMLName xml.Name     `xml:"http://www.loc.gov/MARC21/slim record"`
	Leader  string       `xml:"leader"`
	Control []xmlControl `xml:"controlfield"`
	Data    []xmlData    `xml:"datafield"`
}

type xmlControl struct {
	Tag   string `xml:"tag,attr"`
	Value string `xml:",chardata"`
}

type xmlData struct {
	Tag   string    `xml:"tag,attr"`
	One   string    `xml:"ind1,attr"`
	Two   string    `xml:"ind2,attr"`
	Parts []xmlPart `xml:"subfield"`
}

type xmlPart struct {
	Code  string `xml:"code,attr"`
	Value string `xml:",chardata"`
}

// AsXML gives a record as MARCXML has it.
func (r *Record) AsXML() *XML {
	x := &XML{Leader: r.Leader}
	for _, f := range r.Fields {
		if Control(f.Tag) {
			x.Control = append(x.Control, xmlControl{f.Tag, f.Value})
			continue
		}
		ind := (f.Ind + "  ")[:2]
		d := xmlData{Tag: f.Tag, One: ind[:1], Two: ind[1:]}
		for _, p := range f.Parts {
			d.Parts = append(d.Parts, xmlPart(p))
		}
		x.Data = append(x.Data, d)
	}
	return x
}

// Record gives what a MARCXML record says. Fields whose tags are none, and parts without a code, are left out: nothing else could
// be said of them.
func (x *XML) Record() *Record {
	r := &Record{Leader: (x.Leader + LeaderOfBook[min(len(x.Leader), leaderLength):])[:leaderLength]}
	for _, c := range x.Control {
		if isTag(c.Tag) && Control(c.Tag) {
			r.Fields = append(r.Fields, Field{Tag: c.Tag, Value: c.Value})
		}
	}
	for _, d := range x.Data {
		if !isTag(d.Tag) || Control(d.Tag) {
			continue
		}
		f := Field{Tag: d.Tag, Ind: indicators(one(d.One) + one(d.Two))}
		for _, p := range d.Parts {
			if isCode(p.Code) {
				f.Parts = append(f.Parts, Part(p))
			}
		}
		r.Fields = append(r.Fields, f)
	}
	return r
}

// one is one sign of an attribute.
func one(sign string) string { return (sign + " ")[:1] }

// XMLReader reads the records of a MARCXML file one after another, wherever they stand in it.
type XMLReader struct {
	from   *xml.Decoder
	number int
}

// NewXMLReader reads MARCXML.
func NewXMLReader(from io.Reader) *XMLReader {
	start := bufio.NewReader(from)
	for b, err := start.ReadByte(); err == nil; b, err = start.ReadByte() {
		if !isFiller(b) {
			_ = start.UnreadByte() // just read
			break
		}
	}
	return &XMLReader{from: xml.NewDecoder(start)}
}

// Next gives the next record; io.EOF at the end. What is no XML ends the file: nothing behind it can be found.
func (r *XMLReader) Next() (*Record, error) {
	for {
		token, err := r.from.Token()
		if errors.Is(err, io.EOF) {
			return nil, io.EOF
		}
		if err != nil {
			return nil, expect.Errorf("MARCXML to the end", "behind record %d the file is no XML (%s)", r.number, expect.Shown(err.Error()))
		}
		start, ok := token.(xml.StartElement)
		if !ok || start.Name.Local != "record" {
			continue
		}
		r.number++
		start.Name.Space = Namespace // some leave it out
		var x XML
		if err := r.from.DecodeElement(&x, &start); err != nil {
			return nil, expect.Errorf("MARCXML to the end", "in record %d the file is no XML (%s)", r.number, expect.Shown(err.Error()))
		}
		return x.Record(), nil
	}
}

// XMLWriter writes a file of MARCXML records.
type XMLWriter struct {
	to      io.Writer
	encoder *xml.Encoder
}

// NewXMLWriter begins a file; Close ends it.
func NewXMLWriter(to io.Writer) (*XMLWriter, error) {
	_, err := io.WriteString(to, xml.Header+`<collection xmlns="`+Namespace+`">`+"\n")
	e := xml.NewEncoder(to)
	e.Indent(" ", " ")
	return &XMLWriter{to, e}, err
}

// Write writes a record. Signs that XML does not have become U+FFFD.
func (w *XMLWriter) Write(r *Record) error { return w.encoder.Encode(r.AsXML()) }

// Close ends the file.
func (w *XMLWriter) Close() error {
	_, err := io.WriteString(w.to, "\n</collection>\n")
	return err
}

// Source gives records one after another; io.EOF at the end.
type Source interface{ Next() (*Record, error) }

// Form is how the records of a file are written.
type Form int

// The forms.
const (
	Unknown Form = iota
	ISO2709
	MARCXML
)

// fillerBefore is how many bytes may stand before the first record.
const fillerBefore = 4096

// FormOf tells how a file is written by how it begins, after filler: by a tag, or by a leader with a length of five digits.
func FormOf(from *bufio.Reader) (Form, error) {
	begin, err := from.Peek(fillerBefore)
	if err != nil && !errors.Is(err, io.EOF) {
		return Unknown, err
	}
	begin = bytes.TrimLeftFunc(begin, func(r rune) bool { return r <= ' ' || r == '\ufeff' })
	switch {
	case bytes.HasPrefix(begin, []byte("<")):
		return MARCXML, nil
	case len(begin) >= leaderLength && !bytes.ContainsFunc(begin[:5], func(r rune) bool { return r < '0' || r > '9' }):
		return ISO2709, nil
	}
	return Unknown, nil
}

// Open reads either form, told by how the file begins.
func Open(from io.Reader) (Source, error) {
	start := bufio.NewReaderSize(from, fillerBefore)
	form, err := FormOf(start)
	if err != nil {
		return nil, err
	}
	switch form {
	case MARCXML:
		return NewXMLReader(start), nil
	case ISO2709:
		return NewReader(start), nil
	}
	if _, err := start.Peek(1); errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty")
	}
	return nil, errors.New("this is neither ISO 2709, which begins with the length of its first record, nor MARCXML")
}
