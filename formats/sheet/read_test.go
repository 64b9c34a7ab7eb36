package sheet_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"

	"nevrin/formats/sheet"
	"nevrin/testkit/measure"
)

func cells(t *testing.T, data string) [][]string {
	table, err := sheet.Read([]byte(data))
	require.NoError(t, err)
	var out [][]string
	for _, l := range table.Lines {
		out = append(out, l.Cells)
	}
	return out
}

// RFC 4180, section 2, its examples by the number of their rule (from memory).
func TestExamplesOfRFC4180(t *testing.T) {
	for rule, c := range map[string]struct {
		text string
		want [][]string
	}{
		"1, lines end with CRLF":   {"aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"2, the last may not":      {"aaa,bbb,ccc\r\nzzz,yyy,xxx", [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"5, quotes":                {"\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx", [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"6, line ends in quotes":   {"\"aaa\",\"b\r\nbb\",\"ccc\"\r\nzzz,yyy,xxx", [][]string{{"aaa", "b\nbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"7, quotes are doubled":    {"\"aaa\",\"b\"\"bb\",\"ccc\"", [][]string{{"aaa", "b\"bb", "ccc"}}},
		"common practice: LF":      {"aaa\nbbb\n", [][]string{{"aaa"}, {"bbb"}}},
		"common practice: CR":      {"aaa\rbbb\r", [][]string{{"aaa"}, {"bbb"}}},
		"common practice: semi":    {"\"a,a\";bbb\nc;d", [][]string{{"a,a", "bbb"}, {"c", "d"}}},
		"common practice: tab":     {"a\tb\nc\td", [][]string{{"a", "b"}, {"c", "d"}}},
		"common practice: uneven":  {"a,b\n\n , \nc\n", [][]string{{"a", "b"}, {"c"}}},
		"common practice: nothing": {"", nil},
	} {
		t.Run(rule, func(t *testing.T) { assert.Equal(t, c.want, cells(t, c.text)) })
	}
}

// What the standard library writes is read back, whatever stands in the cells.
func TestReadsWhatIsWritten(t *testing.T) {
	for _, comma := range []rune{',', ';', '\t'} {
		want := [][]string{{"number", "who"}, {"Åsa \"Bo\" Öst, Jr", "a;b\tc"}, {"line\nend", "x"}}
		var b strings.Builder
		out := csv.NewWriter(&b)
		out.Comma = comma
		require.NoError(t, out.WriteAll(want))
		assert.Equal(t, want, cells(t, b.String()), string(comma))
	}
}

func TestLettersHoweverTheyAreWritten(t *testing.T) {
	text := "Åsa,Šárka é\n"
	narrow, err := charmap.Windows1252.NewEncoder().String("Åsa,\u2013 é\n")
	require.NoError(t, err)
	wide := func(order func(uint16) []byte) string {
		out := order(0xFEFF)
		for _, u := range utf16.Encode([]rune(text)) {
			out = append(out, order(u)...)
		}
		return string(out)
	}
	for charset, c := range map[string]struct{ data, want string }{
		"UTF-8":        {text, "Šárka é"},
		"UTF-8 marked": {"\ufeff" + text, "Šárka é"},
		"UTF-16":       {wide(func(u uint16) []byte { return []byte{byte(u), byte(u >> 8)} }), "Šárka é"},
		"UTF-16 big":   {wide(func(u uint16) []byte { return []byte{byte(u >> 8), byte(u)} }), "Šárka é"},
		"Windows-1252": {narrow, "– é"},
	} {
		t.Run(charset, func(t *testing.T) {
			table, err := sheet.Read([]byte(c.data))
			require.NoError(t, err)
			assert.Equal(t, []string{"Åsa", c.want}, table.Lines[0].Cells)
			assert.Equal(t, strings.Fields(charset)[0], table.Charset)
		})
	}
}

func TestWhatIsNoTableIsSaidWithItsLine(t *testing.T) {
	for text, says := range map[string]string{
		"a\n\"b\"c\"\n":                          "line 2",
		"a\nb\x00c":                              "zero byte in line 2",
		strings.Repeat("1\n", sheet.MostLines+1): "more lines",
		strings.Repeat("x", sheet.MostBytes) + "\nand more": "bytes",
	} {
		_, err := sheet.Read([]byte(text))
		require.ErrorContains(t, err, says)
	}
	table, err := sheet.Read([]byte("\n\n\"two\nlines\",x\nlast\n"))
	require.NoError(t, err)
	assert.Equal(t, "3 5", fmt.Sprint(table.Lines[0].Number, table.Lines[1].Number), "numbers are those of the file")
}

func TestColumnsByTheirHeads(t *testing.T) {
	table, err := sheet.Read([]byte("Name;CARD;Class\nIda;2;5b\n"))
	require.NoError(t, err)
	at, headed := table.Columns([]string{"number", "card"}, []string{"roster", "class"}, []string{"answer"})
	assert.True(t, headed)
	assert.Equal(t, []int{1, 2, -1}, at)
	assert.Equal(t, "", table.Lines[0].Cell(-1))
	assert.Equal(t, "5b", table.Lines[1].Cell(2))
	_, headed = table.Columns([]string{"answer"})
	assert.False(t, headed)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("a,b\n\"c\"\n"))
	f.Add([]byte{0xFF, 0xFE, 0x61, 0})
	f.Fuzz(func(t *testing.T, data []byte) {
		var table *sheet.Table
		var err error
		measure.Reader(t, len(data), func() { table, err = sheet.Read(data) })
		if err != nil {
			return
		}
		last := 0
		for _, l := range table.Lines {
			assert.Greater(t, l.Number, last, "lines come in their order")
			last = l.Number
		}
	})
}
