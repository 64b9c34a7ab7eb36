package letter_test

import (
	"bytes"
	"fmt"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/letter"
)

// Letters read back (pdftotext -bbox, Debian's poppler-utils): each word of an address stands where both windows show it. Windows in
// millimetres of the sheet: DIN 5008 form B from 62.7 to 90 and 20 to 105 (from memory); US #10, by its usual measures (from memory), what is
// seen however the sheet lies: 63.5 to 80.4 and 22.2 to 111.
func TestAddressesStandInTheWindow(t *testing.T) {
	addresses := [][]string{
		{"ADA-QUILL", "QUAYSTREET", "HAVENHEAD"},
		{"THE-PARENTS", "OF-BO-MARR", "CARE-OF-SCHOOL", "HARBOURHOUSE", "MILL-LANE-9", "QUARROW-B0A1E5"},
		{strings.Repeat("LONGNAME-", 6) + "END", "QUAYSTREET", "HAVENHEAD"},
	}
	for _, paper := range []string{"A4", "Letter"} {
		b := &letter.Batch{Title: "Letters", Sender: []string{"Orrin Sound Libraries"}, Date: "Tue 6 Oct 2026", Paper: paper, First: 1}
		for _, to := range addresses {
			b.Of = append(b.Of, letter.Letter{To: to, Subject: "Please return", Body: "Dear reader,\n\nplease."})
		}
		for k, to := range addresses {
			words := read(t, b, "-bbox", "-f", fmt.Sprint(k+2), "-l", fmt.Sprint(k+2))
			for _, word := range to {
				x0, y0, x1, y1 := box(t, words, word)
				assert.GreaterOrEqual(t, y0, 63.5, "%s, %s", paper, word)
				assert.LessOrEqual(t, y1, 80.4, "%s, %s", paper, word)
				assert.GreaterOrEqual(t, x0, 22.2, "%s, %s", paper, word)
				assert.LessOrEqual(t, x1, 105.0, "%s, %s", paper, word)
			}
			// Nothing else shows in the window.
			for _, other := range []string{"Orrin", "Please"} {
				_, y0, _, y1 := box(t, words, other)
				assert.True(t, y1 < 62.7 || y0 > 90, "%s from %.1f to %.1f", other, y0, y1)
			}
		}
	}
}

// A name that is longer than a window is cut, and the rest of the address stands as it should.
func TestVeryLongName(t *testing.T) {
	b := &letter.Batch{Title: "Letters", Paper: "A4", First: 1, Of: []letter.Letter{{To: []string{strings.Repeat("Long name ", 40), "QUARROW"}}}}
	for line := range strings.Lines(read(t, b, "-bbox", "-f", "2")) {
		var x0, y0, x1, y1 float64
		if n, _ := fmt.Sscanf(strings.TrimSpace(line), `<word xMin="%f" yMin="%f" xMax="%f" yMax="%f"`, &x0, &y0, &x1, &y1); n == 4 {
			assert.LessOrEqual(t, x1*25.4/72, 105.0, line)
		}
	}
	box(t, read(t, b, "-bbox", "-f", "2"), "QUARROW")
}

// The cover page lists the letters by number; one letter alone keeps the number that it has in its batch, and a long one has pages of its own.
func TestBatch(t *testing.T) {
	b := &letter.Batch{Title: "Letters of Havenhead", Date: "Tue 6 Oct 2026", Paper: "A4", First: 7, Of: []letter.Letter{
		{To: []string{"Ada Quill", "1 Quay Street", "B0A 1E5 Havenhead"}, Subject: "One", Body: strings.Repeat("A line of text.\n", 70)},
		{To: []string{"Bö Marr", "Quarrow"}, Subject: "Two", Body: "Short."},
	}}
	text := read(t, b, "-layout", "-l", "1")
	for _, says := range []string{"Letters of Havenhead", "Letters 7 to 8", "7 Ada Quill, B0A 1E5 Havenhead", "8 Bö Marr, Quarrow"} {
		assert.Contains(t, strings.Join(strings.Fields(text), " "), says)
	}
	pages := strings.Split(strings.TrimSuffix(read(t, b, "-layout"), "\f"), "\f")
	require.Len(t, pages, 4, "the cover, two pages, one page")
	assert.Contains(t, pages[3], "Short.")
	assert.NotContains(t, pages[2], "Ada Quill")
}

func read(t *testing.T, b *letter.Batch, args ...string) string {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, letter.Write(&out, b))
	cmd := exec.Command("pdftotext", append(args, "-", "-")...)
	cmd.Stdin = &out
	text, err := cmd.Output()
	require.NoError(t, err)
	return string(text)
}

// box gives where a word stands, in millimetres.
func box(t *testing.T, words, word string) (x0, y0, x1, y1 float64) {
	t.Helper()
	for line := range strings.Lines(words) {
		if strings.Contains(line, ">"+word+"<") {
			_, err := fmt.Sscanf(strings.TrimSpace(line), `<word xMin="%f" yMin="%f" xMax="%f" yMax="%f"`, &x0, &y0, &x1, &y1)
			require.NoError(t, err)
			const mm = 25.4 / 72
			return x0 * mm, y0 * mm, x1 * mm, y1 * mm
		}
	}
	t.Fatalf("%s is not there", word)
	return
}
