package marc

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"
)

// The signs that end a record and a field, and begin a part (ISO 2709).
const (
	endOfRecord = 0x1d
	endOfField  = 0x1e
	beginOfPart = 0x1f
)

const (
	leaderLength = 24
	entryLength  = 12 // of the directory: a tag of three, a length of four, a beginning of five
	longest      = 99999
)

// Problem is what is wrong with one record of a file; those behind it can be read.
type Problem struct {
	Number int // of the record in its file, from 1
	Says   string
}

func (p *Problem) Error() string { return fmt.Sprintf("record %d: %s", p.Number, p.Says) }

// Reader reads records one after another, of any length of file in the memory of one.
type Reader struct {
	from   *bufio.Reader
	number int
}

// NewReader reads ISO 2709.
func NewReader(from io.Reader) *Reader { return &Reader{from: bufio.NewReaderSize(from, 2*longest)} }

// Next gives the next record; io.EOF at the end, a *Problem where one cannot be read.
func (r *Reader) Next() (*Record, error) {
	if err := r.skipBlank(); err != nil {
		return nil, err
	}
	r.number++
	data, err := r.from.ReadSlice(endOfRecord)
	switch {
	case errors.Is(err, bufio.ErrBufferFull):
		return nil, r.tooLong()
	case errors.Is(err, io.EOF):
		return nil, &Problem{r.number, fmt.Sprintf("the file ends in the middle of it, after %d bytes", len(data))}
	case err != nil:
		return nil, err
	}
	record, says := parse(data)
	if says != "" {
		return nil, &Problem{r.number, says}
	}
	return record, nil
}

// skipBlank passes over what some programs write before, between and behind records: ends of lines, blanks, zeros to fill a
// block, the mark of UTF-8.
func (r *Reader) skipBlank() error {
	for {
		b, err := r.from.ReadByte()
		if err != nil {
			return err
		}
		if !isFiller(b) {
			return r.from.UnreadByte()
		}
	}
}

// isFiller tells whether a byte is none with which a record begins, and none of its ends.
func isFiller(b byte) bool {
	return b <= ' ' && b != endOfRecord && b != endOfField && b != beginOfPart || b == 0xEF || b == 0xBB || b == 0xBF
}

// tooLong passes over what is no record, up to the next end of one.
func (r *Reader) tooLong() error {
	for {
		_, err := r.from.ReadSlice(endOfRecord)
		if !errors.Is(err, bufio.ErrBufferFull) {
			if err != nil && !errors.Is(err, io.EOF) {
				return err
			}
			return &Problem{r.number, fmt.Sprintf("it is longer than %d bytes, the most that a record can be; is this ISO 2709?", longest)}
		}
	}
}

func parse(data []byte) (*Record, string) {
	if len(data) < leaderLength+2 {
		return nil, fmt.Sprintf("it has %d bytes, and a leader alone has %d", len(data), leaderLength)
	}
	length, err := strconv.Atoi(string(data[:5]))
	if err != nil {
		return nil, fmt.Sprintf("its length is %q and should be five digits; is this ISO 2709?", data[:5])
	}
	// The length is wrong in files whose letters were changed by another program. The directory tells whether the rest fits.
	remark := ""
	if length != len(data) {
		remark = fmt.Sprintf("Its leader says that it has %d bytes, and it has %d; it was read by its directory.", length, len(data))
	}
	base, err := strconv.Atoi(string(data[12:17]))
	if err != nil || base <= leaderLength || base >= len(data) || data[base-1] != endOfField {
		return nil, fmt.Sprintf("its leader says that its fields begin at %q, where they do not", data[12:17])
	}
	directory := data[leaderLength : base-1]
	if len(directory)%entryLength != 0 {
		return nil, fmt.Sprintf("its directory has %d bytes, which is no multiple of %d", len(directory), entryLength)
	}
	text, says := letters(data)
	if says != "" {
		return nil, says
	}
	r := &Record{Remark: remark, Leader: string(bytes.ToValidUTF8(data[:leaderLength], []byte("?")))}
	together := 0
	for at := 0; at < len(directory); at += entryLength {
		field, size, says := parseField(directory[at:at+entryLength], data[base:], text)
		if together += size; says == "" && together > len(data) {
			says = "the fields in its directory lie over each other"
		}
		if says != "" {
			return nil, says
		}
		r.Fields = append(r.Fields, field)
	}
	return r, ""
}

// parseField reads a field by its entry in the directory, and gives how many bytes the field has.
func parseField(entry, fields []byte, text func([]byte) string) (Field, int, string) {
	f := Field{Tag: string(entry[:3])}
	length, err := strconv.Atoi(string(entry[3:7]))
	from, err2 := strconv.Atoi(string(entry[7:12]))
	if err != nil || err2 != nil || length < 1 || from < 0 || from+length > len(fields) || !isTag(f.Tag) {
		return f, 0, fmt.Sprintf("its directory has the entry %q, which is outside of it", entry)
	}
	if fields[from+length-1] != endOfField {
		return f, 0, fmt.Sprintf("field %s does not end where the directory says", f.Tag)
	}
	data := fields[from : from+length-1]
	if Control(f.Tag) {
		f.Value = text(data)
		return f, length, ""
	}
	parts := bytes.Split(data, []byte{beginOfPart})
	f.Ind = indicators(text(parts[0]))
	for _, p := range parts[1:] {
		if len(p) > 0 && isCode(string(p[:1])) {
			f.Parts = append(f.Parts, Part{string(rune(p[0])), text(p[1:])})
		}
	}
	return f, length, ""
}

// letters tells how the letters of a record are read.
func letters(data []byte) (func([]byte) string, string) {
	plain := func(b []byte) string { return string(b) }
	switch {
	case utf8.Valid(data):
		return plain, ""
	case data[9] == 'a':
		return nil, "its leader says that its letters are UTF-8, and they are not"
	}
	return fromMARC8, ""
}

// ErrTooLong is that a record, or a field of it, has more bytes than ISO 2709 has room for. MARCXML has no such bounds.
var ErrTooLong = errors.New("too long for ISO 2709")

// longestField is how many bytes a field has at most, its end included.
const longestField = 9999

// Write writes a record in ISO 2709, its letters in UTF-8; ErrTooLong where it does not fit. The signs that part records and
// fields stand for nothing else, so one within a value is written as a blank.
func (r *Record) Write(to io.Writer) error {
	var directory, fields bytes.Buffer
	for _, f := range r.Fields {
		from := fields.Len()
		fields.WriteString(f.text())
		fields.WriteByte(endOfField)
		length := fields.Len() - from
		if length > longestField || from > longest {
			return fmt.Errorf("%w: field %s has %d bytes of at most 9,999", ErrTooLong, f.Tag, length)
		}
		fmt.Fprintf(&directory, "%3.3s%04d%05d", f.Tag, length, from)
	}
	base := leaderLength + directory.Len() + 1
	all := base + fields.Len() + 1
	if all > longest {
		return fmt.Errorf("%w: the record has %d bytes, and %d fit", ErrTooLong, all, longest)
	}
	l := []byte((plain(r.Leader) + LeaderOfBook[min(len(r.Leader), leaderLength):])[:leaderLength])
	copy(l[:5], fmt.Sprintf("%05d", all))
	l[9] = 'a'
	copy(l[10:12], "22")
	copy(l[12:17], fmt.Sprintf("%05d", base))
	copy(l[20:24], "4500")
	_, err := to.Write(bytes.Join([][]byte{l, directory.Bytes(), {endOfField}, fields.Bytes(), {endOfRecord}}, nil))
	return err
}

// text is a field as a record has it, without its end.
func (f *Field) text() string {
	if Control(f.Tag) {
		return plain(f.Value)
	}
	out := (plain(f.Ind) + "  ")[:2]
	for _, p := range f.Parts {
		out += string(rune(beginOfPart)) + p.Code + plain(p.Value)
	}
	return out
}

var parting = strings.NewReplacer("\x1d", " ", "\x1e", " ", "\x1f", " ")

func plain(value string) string { return parting.Replace(value) }

// Shortened is a record whose fields fit into ISO 2709: of one that does not, the longest part is cut, and ends in an ellipsis.
func (r *Record) Shortened() *Record {
	out := &Record{Leader: r.Leader}
	for _, f := range r.Fields {
		for over := len(f.text()) + 1 - longestField; over > 0; over = len(f.text()) + 1 - longestField {
			f = f.cut(over)
		}
		out.Fields = append(out.Fields, f)
	}
	return out
}

// Squeezed is a record of which the longest fields are cut until all of it fits, for one that is too long by itself.
func (r *Record) Squeezed() *Record {
	out := r.Shortened()
	for {
		whole, at := leaderLength+2, 0
		for k := range out.Fields {
			whole += entryLength + len(out.Fields[k].text()) + 1
			if len(out.Fields[k].text()) > len(out.Fields[at].text()) {
				at = k
			}
		}
		if whole <= longest {
			return out
		}
		out.Fields[at] = out.Fields[at].cut(len(out.Fields[at].text()) / 2)
	}
}

// cut takes bytes off the longest value of a field; a part that is used up goes.
func (f *Field) cut(bytes int) Field {
	const ellipsis = "…"
	shorter := func(value string) string {
		keep := len(value) - bytes - len(ellipsis)
		if keep <= 0 {
			return ""
		}
		for keep > 0 && !utf8.RuneStart(value[keep]) {
			keep--
		}
		return value[:keep] + ellipsis
	}
	out := Field{Tag: f.Tag, Ind: f.Ind, Value: shorter(f.Value)}
	at := 0
	for k := range f.Parts {
		if len(f.Parts[k].Value) > len(f.Parts[at].Value) {
			at = k
		}
	}
	for k, p := range f.Parts {
		if k == at {
			p.Value = shorter(p.Value)
		}
		if p.Value != "" {
			out.Parts = append(out.Parts, p)
		}
	}
	return out
}
