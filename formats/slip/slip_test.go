package slip_test

import (
	"bytes"
	"image"
	_ "image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/oned"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/slip"
)

// A strip reads back as it was written: its words by pdftotext, its bars from a picture by pdftoppm (Debian's poppler-utils) and a
// barcode reader (gozxing). A sum stands in the line of its text, however long that is.
func TestStripReadsBack(t *testing.T) {
	number, err := slip.Number("31846000274419")
	require.NoError(t, err)
	rows := []slip.Row{
		slip.Bold(slip.Huge, "Łucja Đặng-Ødegård"), slip.Line(),
		slip.Sum("Late: The Ledger of Small Ferries, and of What They Carried Across the Sound", "CAD 12.35"),
		slip.Text(slip.Small, "Čas ve větru"), number,
	}
	for range 60 { // a strip is as long as it needs
		rows = append(rows, slip.Text(slip.Normal, "One more line"))
	}
	rows = append(rows, slip.Bold(slip.Large, "The end"))
	var out bytes.Buffer
	require.NoError(t, slip.Write(&out, rows))
	folder := t.TempDir()
	file := filepath.Join(folder, "slip.pdf")
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
	said, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	text := string(said)
	for _, part := range []string{"Łucja", "Ødegård", "Čas ve větru", "31846000274419", "The end"} {
		assert.Contains(t, text, part)
	}
	for line := range strings.Lines(text) {
		if strings.Contains(line, "12.35") {
			assert.Contains(t, line, "Late:")
		}
	}
	assert.Equal(t, 1, strings.Count(text, "\f"), "all of it on one page")
	require.NoError(t, exec.Command("pdftoppm", "-r", "200", "-png", "-singlefile", file, filepath.Join(folder, "slip")).Run())
	f, err := os.Open(filepath.Join(folder, "slip.png"))
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	picture, _, err := image.Decode(f)
	require.NoError(t, err)
	bits, err := gozxing.NewBinaryBitmapFromImage(picture)
	require.NoError(t, err)
	read, err := oned.NewCode128Reader().Decode(bits, map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true})
	require.NoError(t, err)
	assert.Equal(t, "31846000274419", read.GetText())
}

func TestNumberWithoutBars(t *testing.T) {
	_, err := slip.Number("Čas")
	require.Error(t, err)
}

// Whatever stands on a slip, it is a PDF that is read back: a name is text, however it is written.
func TestHostileSlips(t *testing.T) {
	var rows []slip.Row
	for _, text := range []string{
		`<script>alert(1)</script>`, "a\x00b\x07\x1b[31mc", "one\ntwo\r\nthree", "\u202egnp.exe", "(paren) \\back) /Slash",
		"👩\u200d👧 \U0010ffff", strings.Repeat("wide ", 400), strings.Repeat("x", 3000), "\xff\xfe", "", "The end",
	} {
		rows = append(rows, slip.Text(slip.Normal, text), slip.Bold(slip.Huge, text), slip.Sum(text, text))
	}
	var out bytes.Buffer
	require.NoError(t, slip.Write(&out, rows))
	cmd := exec.Command("pdftotext", "-", "-")
	cmd.Stdin = &out
	text, err := cmd.Output()
	require.NoError(t, err)
	for _, part := range []string{"<script>", "(paren)", "The end"} {
		assert.Contains(t, string(text), part)
	}
	assert.NotContains(t, string(text), "\x1b")
}
