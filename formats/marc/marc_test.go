package marc_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/unicode/norm"
	"pgregory.net/rapid"

	"nevrin/formats/marc"
	"nevrin/testkit/measure"
	"nevrin/testkit/registry"
)

var ferry = &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{
	{Tag: "001", Value: "tb417"},
	{Tag: "008", Value: "261006s2019    nscf          000 0 eng d"},
	marc.Data("020", "  ", "a", "9799990004170"),
	marc.Data("100", "1 ", "a", "Veldt, Ulla,", "e", "author."),
	marc.Data("245", "14", "a", "The ledger of small ferries :", "b", "čas ve větru /", "c", "Ulla Veldt."),
	marc.Data("650", " 0", "a", "Ferries", "x", "History <& tides>"),
	marc.Data("852", "  ", "b", "HVH", "h", "386.6", "p", "31846000274414"),
}}

func iso(t require.TestingT, r *marc.Record) []byte {
	var out bytes.Buffer
	require.NoError(t, r.Write(&out))
	return out.Bytes()
}

func asXML(t require.TestingT, records ...*marc.Record) []byte {
	var out bytes.Buffer
	w, err := marc.NewXMLWriter(&out)
	require.NoError(t, err)
	for _, r := range records {
		require.NoError(t, w.Write(r))
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

func all(t require.TestingT, data []byte) []*marc.Record {
	from, err := marc.Open(bytes.NewReader(data))
	require.NoError(t, err)
	var out []*marc.Record
	for {
		r, err := from.Next()
		if errors.Is(err, io.EOF) {
			return out
		}
		require.NoError(t, err)
		out = append(out, r)
	}
}

// dump has yaz-marcdump (Debian) write records in another form.
func dump(t require.TestingT, data []byte, options ...string) []byte {
	cmd := exec.Command("yaz-marcdump", append(options, "/dev/stdin")...)
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.Output()
	require.NoError(t, err, "yaz-marcdump, of Debian's package yaz")
	return out
}

// records are invented at random, with letters of many sorts.
func records() *rapid.Generator[*marc.Record] {
	text := rapid.StringOfN(rapid.RuneFrom([]rune("abc XYZ 0123-.,:;/&<>'\"äöüßéčłøĐ水風ъ€’")), 1, 60, -1)
	return rapid.Custom(func(t *rapid.T) *marc.Record {
		r := &marc.Record{Leader: marc.LeaderOfBook}
		r.Fields = append(r.Fields, marc.Field{Tag: "001", Value: rapid.StringMatching(`[a-z0-9]{1,12}`).Draw(t, "number")})
		for range rapid.IntRange(1, 12).Draw(t, "fields") {
			f := marc.Field{Tag: rapid.StringMatching(`[1-9][0-9]{2}`).Draw(t, "tag"), Ind: rapid.StringMatching(`[ 0-9]{2}`).Draw(t, "ind")}
			for range rapid.IntRange(1, 4).Draw(t, "parts") {
				f.Parts = append(f.Parts, marc.Part{Code: rapid.StringMatching(`[a-z0-9]`).Draw(t, "code"), Value: strings.TrimSpace(text.Draw(t, "value")) + "x"})
			}
			r.Fields = append(r.Fields, f)
		}
		return r
	})
}

// Whatever is written in either form is read as it was, its leader apart, which counts bytes.
func TestRecordsComeBackAsTheyWere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := records().Draw(t, "record")
		for _, data := range [][]byte{iso(t, r), asXML(t, r)} {
			back := all(t, data)
			require.Len(t, back, 1)
			assert.Equal(t, r.Fields, back[0].Fields)
		}
	})
}

// yaz-marcdump, of Debian, reads what is written here, and what it writes is read here: both forms, both ways.
func TestWithAnotherProgram(t *testing.T) {
	r := rapid.Custom(func(t *rapid.T) []*marc.Record { return rapid.SliceOfN(records(), 40, 40).Draw(t, "all") }).Example(7)
	r = append(r, ferry)
	var file bytes.Buffer
	for _, one := range r {
		file.Write(iso(t, one))
	}
	for name, data := range map[string][]byte{
		"its MARCXML of our ISO 2709":  dump(t, file.Bytes(), "-o", "marcxml"),
		"its ISO 2709 of our MARCXML":  dump(t, asXML(t, r...), "-i", "marcxml", "-o", "marc"),
		"its ISO 2709 of our ISO 2709": dump(t, file.Bytes(), "-o", "marc"),
	} {
		back := all(t, data)
		require.Len(t, back, len(r), name)
		for k := range r {
			assert.Equal(t, r[k].Fields, back[k].Fields, name)
		}
	}
}

// marcjs, of npm, reads either form of ours, and ours reads what it writes.
func TestWithALibrary(t *testing.T) {
	var one bytes.Buffer
	require.NoError(t, xml.NewEncoder(&one).Encode(ferry.AsXML()))
	for _, q := range []map[string]any{
		{"from": "iso2709", "to": "marcxml", "records": []string{string(iso(t, ferry))}},
		{"from": "marcxml", "to": "iso2709", "records": []string{one.String()}},
	} {
		var answer struct{ Marc []string }
		registry.Ask(t, map[string]any{"marc": q}, &answer)
		back := all(t, []byte(answer.Marc[0]))
		require.Len(t, back, 1)
		assert.Equal(t, ferry.Fields, back[0].Fields, q["from"])
	}
}

// Letters in MARC-8 are read as yaz-marcdump reads them, sign by sign.
func TestLettersOfBefore(t *testing.T) {
	for sign := 0xa1; sign <= 0xfe; sign++ {
		var value []byte
		if sign >= 0xe0 {
			value = []byte{sign2(sign), 'o', 'k'}
		} else {
			value = []byte{'o', sign2(sign), 'k'}
		}
		r := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{{Tag: "245", Ind: "00", Parts: []marc.Part{{Code: "a", Value: string(value)}}}}}
		data := iso(t, r)
		data[9] = ' '
		theirs := all(t, dump(t, data, "-f", "marc-8", "-t", "utf-8", "-o", "marcxml", "-l", "9=97"))
		ours := all(t, data)
		if strings.Contains(ours[0].Fields[0].First("a"), "\ufffd") {
			continue // no letter of ours; theirs leaves it out
		}
		assert.Equal(t, normal(theirs[0].Fields[0].First("a")), normal(ours[0].Fields[0].First("a")), "%x", sign)
	}
}

func sign2(n int) byte { return byte(n) }

// normal is one way to write a letter with its marks.
func normal(text string) string { return norm.NFC.String(text) }

func TestRecordsThatCannotBeRead(t *testing.T) {
	good := string(iso(t, ferry))
	for name, c := range map[string]struct{ text, says string }{
		"no digits for a length":      {"00x00" + good[5:], "should be five digits"},
		"the file ends in it":         {good[:100], "the file ends in the middle of it, after 100 bytes"},
		"fields begin elsewhere":      {good[:12] + "00030" + good[17:], "fields begin at"},
		"a directory entry outside":   {good[:27] + "9999" + good[31:], "outside of it"},
		"a field ends elsewhere":      {good[:27] + "0005" + good[31:], "does not end where"},
		"letters that are no UTF-8":   {strings.Replace(good, "Ferries", "Ferri\xe9s", 1), "UTF-8, and they are not"},
		"nothing but an end":          {"\x1d", "a leader alone has 24"},
		"longer than any record":      {strings.Repeat("0", 300_000) + "\x1d", "the most that a record can be"},
		"longer, and the file's last": {strings.Repeat("0", 300_000), "the most that a record can be"},
	} {
		rest := good
		if strings.HasPrefix(c.says, "the file ends") {
			rest = ""
		}
		from := marc.NewReader(strings.NewReader("\n" + c.text + rest))
		_, err := from.Next()
		var problem *marc.Problem
		require.ErrorAs(t, err, &problem, name)
		assert.Equal(t, 1, problem.Number, name)
		assert.Contains(t, problem.Error(), c.says, name)
		if strings.HasSuffix(c.text, "\x1d") { // the next one is found behind it
			next, err := from.Next()
			require.NoError(t, err, name)
			assert.Equal(t, ferry.Fields, next.Fields, name)
		}
	}
	for text, says := range map[string]string{"": "empty", "card;name\n": "neither ISO 2709", "<a><record><leader>": "no XML"} {
		from, err := marc.Open(strings.NewReader(text))
		if err == nil {
			_, err = from.Next()
		}
		assert.ErrorContains(t, err, says)
	}
}

// Other programs change letters without counting the bytes anew, and fill blocks.
func TestRecordsThatAreNotQuiteRight(t *testing.T) {
	good := string(iso(t, ferry))
	wrong := "00100" + good[5:]
	for name, c := range map[string]struct {
		text    string
		remarks []string
	}{
		"a wrong length":                   {wrong, []string{"says that it has 100 bytes"}},
		"one right, one wrong":             {good + wrong, []string{"", "says that it has 100 bytes"}},
		"zeros before the first":           {strings.Repeat("\x00", 1000) + good, []string{""}},
		"blanks and ends of lines":         {"  \r\n\t" + good + "\r\n\r\n" + good + "\x1a", []string{"", ""}},
		"the mark of UTF-8":                {"\ufeff" + good, []string{""}},
		"zeros between":                    {good + "\x00\x00\x00" + good, []string{"", ""}},
		"zeros before MARCXML":             {"\x00\x00" + string(asXML(t, ferry)), []string{""}},
		"the mark of UTF-8 before MARCXML": {"\ufeff\r\n" + string(asXML(t, ferry)), []string{""}},
	} {
		records := all(t, []byte(c.text))
		require.Len(t, records, len(c.remarks), name)
		for k, r := range records {
			assert.Equal(t, ferry.Fields, r.Fields, name)
			if c.remarks[k] == "" {
				assert.Empty(t, r.Remark, name)
			} else {
				assert.Contains(t, r.Remark, c.remarks[k], name)
			}
		}
	}
}

func TestRecordsThatCannotBeWritten(t *testing.T) {
	long := &marc.Record{Fields: []marc.Field{marc.Data("520", "  ", "a", strings.Repeat("long ", 2100))}}
	assert.ErrorContains(t, long.Write(io.Discard), "field 520 has")
	assert.ErrorIs(t, long.Write(io.Discard), marc.ErrTooLong)
	many := &marc.Record{}
	for range 12 {
		many.Fields = append(many.Fields, marc.Data("520", "  ", "a", strings.Repeat("x", 9000)))
	}
	assert.ErrorContains(t, many.Write(io.Discard), "and 99999 fit")
}

// What does not fit is cut at a letter's end, and nothing else of the record is touched; signs that part fields are no letters.
func TestRecordsAreShortened(t *testing.T) {
	r := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{
		{Tag: "001", Value: "x1"}, marc.Data("245", "00", "a", "Small\x1fferries\x1d"), marc.Data("520", "  ", "a", strings.Repeat("ö水", 4000), "b", "short"),
	}}
	back := all(t, iso(t, r.Shortened()))[0]
	assert.Equal(t, "Small ferries ", back.Fields[1].First("a"))
	assert.Equal(t, "short", back.Fields[2].First("b"))
	cut := back.Fields[2].First("a")
	assert.True(t, strings.HasSuffix(cut, "…") && strings.HasPrefix(cut, "ö水ö") && !strings.Contains(cut, "\ufffd"))
	assert.InDelta(t, 9990, len(cut), 20)
	assert.Equal(t, ferry, ferry.Shortened(), "what fits stays as it is")
	many := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{marc.Data("245", "00", "a", "Small ferries")}}
	for range 40 {
		many.Fields = append(many.Fields, marc.Data("505", "  ", "a", strings.Repeat("水", 3000)))
	}
	require.ErrorIs(t, many.Shortened().Write(io.Discard), marc.ErrTooLong)
	squeezed := all(t, iso(t, many.Squeezed()))[0]
	assert.Equal(t, "Small ferries", squeezed.Fields[0].First("a"))
	assert.Len(t, squeezed.Fields, 41)
}

// readAll reads what can be read of a file.
func readAll(data []byte) {
	from, err := marc.Open(bytes.NewReader(data))
	for problem := (*marc.Problem)(nil); err == nil || errors.As(err, &problem); {
		_, err = from.Next()
	}
}

// Whatever stands in a file, it is read or refused with a sentence; what was read is written and read again as it was.
func FuzzOpen(f *testing.F) {
	f.Add(iso(f, ferry))
	f.Add(asXML(f, ferry))
	f.Add([]byte("00026     2200025   4500\x1e\x1d"))
	f.Fuzz(func(t *testing.T, data []byte) {
		measure.Reader(t, len(data), func() { readAll(data) })
		from, err := marc.Open(bytes.NewReader(data))
		for k := 0; err == nil && k < 100; k++ {
			var r *marc.Record
			if r, err = from.Next(); err != nil {
				break
			}
			var out bytes.Buffer
			if r.Write(&out) != nil {
				continue
			}
			back, again := marc.NewReader(&out).Next()
			if again != nil {
				t.Fatalf("%+v was written and not read: %v", r, again)
			}
			for k, f := range r.Fields {
				if b := back.Fields[k]; f.Tag != b.Tag || f.Ind != b.Ind || len(f.Parts) != len(b.Parts) {
					t.Fatalf("%+v came back as %+v", f, b)
				}
			}
		}
		if err != nil && strings.TrimSpace(err.Error()) == "" {
			t.Fatal("refused without a word")
		}
	})
}
