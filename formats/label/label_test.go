package label_test

import (
	"bytes"
	"fmt"
	"image"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/oned"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/ident"
	"nevrin/formats/label"
)

// Labels of every sheet, printed to a picture by pdftoppm (Debian's poppler-utils) and read back by a barcode reader
// (gozxing), says its number; its words read back by pdftotext.
func TestLabelsReadBack(t *testing.T) {
	pattern := ident.Usual("1846").Patterns[1]
	for _, s := range label.Sheets {
		t.Run(s.ID, func(t *testing.T) {
			var labels []label.Label
			count := s.Columns*s.Rows + 2 // onto a second sheet, since one place is left free
			for k := range count {
				number := pattern.Number(int64(27441 + k))
				labels = append(labels, label.Label{
					Number: number, Shown: number, Call: fmt.Sprintf("386.%d VEL", k), Home: "Thistle Bay",
					Title: "The Ledger of Small Ferries, and of What They Carried Across the Sound",
				})
			}
			var out bytes.Buffer
			require.NoError(t, s.Write(&out, labels, 1))
			folder := t.TempDir()
			file := filepath.Join(folder, "labels.pdf")
			require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
			require.NoError(t, exec.Command("pdftoppm", "-r", "200", "-gray", file, filepath.Join(folder, "page")).Run())
			text, err := exec.Command("pdftotext", file, "-").Output()
			require.NoError(t, err)
			files, err := filepath.Glob(filepath.Join(folder, "page*.pgm"))
			require.NoError(t, err)
			require.Len(t, files, 2)
			pages := []image.Image{picture(t, files[0]), picture(t, files[1])}
			for k, l := range labels {
				at := k + 1
				assert.Contains(t, string(text), l.Call)
				assert.Equal(t, l.Number, read(t, s, pages[at/(s.Columns*s.Rows)], at%(s.Columns*s.Rows)))
			}
		})
	}
}

// picture is a page in the plainest form there is: its size, and a byte for each dot.
func picture(t *testing.T, file string) image.Image {
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	var wide, high int
	_, err = fmt.Sscanf(string(data[:20]), "P5\n%d %d\n255\n", &wide, &high)
	require.NoError(t, err)
	return &image.Gray{Pix: data[len(data)-wide*high:], Stride: wide, Rect: image.Rect(0, 0, wide, high)}
}

// read cuts one label out of a page and reads its barcode.
func read(t *testing.T, s label.Sheet, whole image.Image, at int) string {
	dots := float64(whole.Bounds().Dx()) / s.Width
	x := (s.Left + float64(at%s.Columns)*s.PitchAcross) * dots
	y := (s.Top + float64(at/s.Columns)*s.PitchDown) * dots
	part := whole.(interface {
		SubImage(r image.Rectangle) image.Image
	}).SubImage(image.Rect(int(x), int(y), int(x+s.LabelWidth*dots), int(y+s.LabelHigh*dots)))
	bits, err := gozxing.NewBinaryBitmapFromImage(part)
	require.NoError(t, err)
	found, err := oned.NewCode128Reader().Decode(bits, nil)
	require.NoError(t, err, "label %d", at)
	return found.GetText()
}

func TestSheetsThatCannotBe(t *testing.T) {
	s, ok := label.SheetOf("a4-3x8")
	require.True(t, ok)
	assert.ErrorContains(t, s.Write(&bytes.Buffer{}, nil, 24), "a sheet has 24")
	assert.ErrorContains(t, s.Write(&bytes.Buffer{}, []label.Label{{Number: "ü"}}, 0), "has no barcode")
	_, ok = label.SheetOf("napkin")
	assert.False(t, ok)
}

// hostile are names as somebody might type them, and another system send: markup, letters of control and of no script, very long.
var hostile = []string{
	`<script>alert(1)</script>`, "a\x00b\x07\x1b[31mc", "one\ntwo\r\nthree", "\u202egnp.exe", "(paren) \\back) /Slash", "%PDF-1.7 endobj",
	"👩\u200d👧 \U0010ffff", strings.Repeat("wide ", 400), "\xff\xfe", "",
}

// Whatever stands on a label, the sheet is a PDF that is read back, on as many pages as it should have, and says what it can.
func TestHostileLabels(t *testing.T) {
	number := ident.Usual("1846").Patterns[1].Number(27441)
	var labels []label.Label
	for _, text := range hostile {
		labels = append(labels, label.Label{Number: number, Shown: number, Call: text, Home: text, Title: text})
	}
	var out bytes.Buffer
	require.NoError(t, label.Sheets[0].Write(&out, labels, 0))
	cmd := exec.Command("pdftotext", "-", "-")
	cmd.Stdin = &out
	text, err := cmd.Output()
	require.NoError(t, err)
	assert.Contains(t, string(text), "<script>")
	assert.Equal(t, 1, strings.Count(string(text), "\f"), "one sheet")
	assert.Equal(t, len(hostile), strings.Count(string(text), number))
	assert.NotContains(t, string(text), "\x1b")
}
