package sheet_test

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"

	"nevrin/formats/sheet"
)

// all reads a table to its end: its records, and what was wrong with some.
func all(t require.TestingT, from io.Reader) (lines []sheet.Line, wrong []string, charset string, err error) {
	r, err := sheet.Stream(from)
	require.NoError(t, err)
	for {
		l, err := r.Next()
		var bad *sheet.Wrong
		switch {
		case errors.Is(err, io.EOF):
			return lines, wrong, r.Charset, nil
		case errors.As(err, &bad):
			wrong = append(wrong, bad.Error())
		case err != nil:
			return lines, wrong, r.Charset, err
		default:
			lines = append(lines, sheet.Line{Number: l.Number, Cells: append([]string(nil), l.Cells...)})
		}
	}
}

// What is read in one piece is read the same as a stream, in whatever pieces it comes.
func TestStreamsReadAsTables(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cells := rapid.SliceOfN(rapid.SliceOfN(rapid.StringMatching(`[a-zé水 "',\n]{0,6}`), 1, 4), 1, 6).Draw(t, "cells")
		var b bytes.Buffer
		require.NoError(t, sheet.Write(&b, cells))
		text := b.String()
		if rapid.Bool().Draw(t, "windows") {
			text = strings.ReplaceAll(text, "\n", "\r\n")
		}
		table, err := sheet.Read([]byte(text))
		require.NoError(t, err)
		lines, wrong, _, err := all(t, iotest.OneByteReader(strings.NewReader(text)))
		require.NoError(t, err)
		assert.Empty(t, wrong)
		assert.Equal(t, table.Lines, lines)
	})
}

func TestStreams(t *testing.T) {
	lines, _, charset, err := all(t, strings.NewReader("name;town\n\xc5sa;\"K\xf6ping;\nby\"\rBo;Oslo"))
	require.NoError(t, err)
	assert.Equal(t, "Windows-1252", charset)
	assert.Equal(t, [][]string{{"name", "town"}, {"Åsa", "Köping;\nby"}, {"Bo", "Oslo"}}, [][]string{lines[0].Cells, lines[1].Cells, lines[2].Cells})
	assert.Equal(t, []int{1, 2, 4}, []int{lines[0].Number, lines[1].Number, lines[2].Number})

	// A file put together out of two: each cell is read for itself.
	lines, _, _, err = all(t, strings.NewReader("Åsa,\xc5sa"))
	require.NoError(t, err)
	assert.Equal(t, []string{"Åsa", "Åsa"}, lines[0].Cells)

	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String("a\tb\r\n水\t2")
	require.NoError(t, err)
	lines, _, charset, err = all(t, iotest.HalfReader(strings.NewReader(wide)))
	require.NoError(t, err)
	assert.Equal(t, "UTF-16", charset)
	assert.Equal(t, []string{"水", "2"}, lines[1].Cells)

	// A record that cannot be read is told by its line, and those behind it are read.
	lines, wrong, _, err := all(t, strings.NewReader("a,b\nx \"y\" z,1\nc,d"))
	require.NoError(t, err)
	assert.Len(t, lines, 2)
	require.Len(t, wrong, 1)
	assert.Contains(t, wrong[0], "line 2: ")

	_, _, _, err = all(t, strings.NewReader("a,b\n1,\"2"+strings.Repeat("never closed\n", 200_000)))
	require.ErrorContains(t, err, "perhaps a quote is not closed")
	_, _, _, err = all(t, strings.NewReader("a,b\n1\x00,2"))
	require.ErrorContains(t, err, "zero byte in line 2")
}

// Empty lines, however many, belong to no record; a quote that is never closed is still told of.
func TestMegabytesOfEmptyLines(t *testing.T) {
	blank := strings.Repeat("\n", 3<<20)
	for name, text := range map[string]string{
		"before":          blank + "a,b\nc,d\n",
		"between":         "a,b\n" + blank + "c,d\n",
		"behind":          "a,b\nc,d\n" + blank,
		"of another sort": "a,b\r\n" + strings.Repeat("\r\n", 1<<20) + "c,d\r\n",
	} {
		in, err := sheet.Stream(strings.NewReader(text))
		require.NoError(t, err, name)
		var all [][]string
		for {
			line, err := in.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			require.NoError(t, err, name)
			all = append(all, line.Cells)
		}
		assert.Equal(t, [][]string{{"a", "b"}, {"c", "d"}}, all, name)
	}
	in, err := sheet.Stream(strings.NewReader("a,\"b\n" + blank))
	require.NoError(t, err)
	_, err = in.Next()
	assert.ErrorContains(t, err, "perhaps a quote is not closed")
}
