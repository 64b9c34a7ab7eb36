package plain_test

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/plain"
)

func TestLines(t *testing.T) {
	for text, want := range map[string]string{
		"  The Quiet\r\n Keeper\t ":     "The Quiet Keeper",
		"a\x00b\x07c\x1b[31m":           "abc[31m",
		"evil\u202egnp.exe":             "evilgnp.exe",
		"one\u2028two\u2029three":       "one two three",
		"\ufeffHavenhead":               "Havenhead",
		"نور":                           "نور",
		"می\u200cخواهم":                 "می\u200cخواهم",
		"👩\u200d👧 reads":                "👩\u200d👧 reads",
		"e\u0301":                       "e\u0301",
		"<script>alert(1)</script> & 1": "<script>alert(1)</script> & 1",
		"\u00a0no\u00a0break\u00a0":     "no break",
	} {
		assert.Equal(t, want, plain.Line(text), "%q", text)
	}
	assert.Equal(t, "□\u200d□ reads\nŁ", plain.Printable("👩\u200d👧 reads \xff\nŁ"))
	assert.Equal(t, "one\n\ntwo three", plain.Text("\r\n one \r\n\r\n two   three\n\n"))
}

// Whatever is typed comes out in one line, and once clean it stays as it is.
func TestLinesStay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := plain.Line(rapid.String().Draw(t, "text"))
		assert.Equal(t, line, plain.Line(line))
		assert.False(t, strings.ContainsFunc(line, unicode.IsControl))
		assert.Equal(t, strings.TrimSpace(line), line)
	})
}
