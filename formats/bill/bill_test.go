package bill_test

import (
	"bytes"
	"fmt"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/bill"
)

// An invoice reads back (pdftotext and its -bbox, Debian's poppler-utils): all of it is there, over as many pages as it needs, and
// the address stands where the window of an envelope is.
func TestInvoiceReadsBack(t *testing.T) {
	b := &bill.Bill{
		Sender: []string{"Orrin Sound Libraries", "2 Quay Street", "Havenhead"}, To: []string{"École de Quarrow", "1 Mill Lane", "Quarrow"},
		Number: "2026-0007", Facts: [][2]string{{"Date", "Tue 6 Oct 2026"}, {"To be paid by", "Thu 5 Nov 2026"}},
		Note: "Your order 12", Currency: "CAD", Sum: "180.00", Foot: "To account 12 345, with the number of the invoice.",
	}
	for k := range 60 {
		b.Lines = append(b.Lines, bill.Line{Date: "1 Oct 2026", Text: fmt.Sprintf("Lost: Volume %d", k+1), Sum: "3.00"})
	}
	b.Lines[3].Text = "Lost: " + strings.Repeat("A very long title that goes on ", 8)
	read := func(args ...string) string {
		var out bytes.Buffer
		require.NoError(t, bill.Write(&out, b))
		cmd := exec.Command("pdftotext", append(args, "-", "-")...)
		cmd.Stdin = &out
		text, err := cmd.Output()
		require.NoError(t, err)
		return string(text)
	}
	text := read("-layout")
	for _, part := range []string{"Invoice 2026-0007", "École de Quarrow", "Tue 6 Oct 2026", "Thu 5 Nov 2026", "Your order 12",
		"Volume 1 ", "Volume 60 ", "180.00", "To account 12 345", "page 2 of 2"} {
		assert.Contains(t, text, part)
	}
	assert.Equal(t, 60, strings.Count(text, "3.00\n"), "every line has its sum at its end")
	// The window of an envelope of format DL shows what stands from 50 to 80 mm of the folded page: 142 to 227 points.
	for line := range strings.Lines(read("-bbox", "-l", "1")) {
		if strings.Contains(line, ">École<") {
			var x, y float64
			_, err := fmt.Sscanf(strings.TrimSpace(line), `<word xMin="%f" yMin="%f"`, &x, &y)
			require.NoError(t, err)
			assert.InDelta(t, 142, y, 15)
			assert.Less(t, x, 70.0)
			return
		}
	}
	t.Fatal("the address is not there")
}

func TestWithdrawnInvoiceSaysSo(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, bill.Write(&out, &bill.Bill{Number: "2026-0001", Void: "Wrong school"}))
	cmd := exec.Command("pdftotext", "-", "-")
	cmd.Stdin = &out
	text, err := cmd.Output()
	require.NoError(t, err)
	assert.Contains(t, string(text), "Withdrawn: Wrong school")
}

// Whatever stands on an invoice, it is a PDF that is read back.
func TestHostileInvoices(t *testing.T) {
	b := &bill.Bill{Number: "2026-0001", Currency: "CAD", Sum: "1.00"}
	for _, text := range []string{`<script>alert(1)</script>`, "a\x00b\x1b[31mc", "one\ntwo", "\u202egnp", "(paren) \\)", "\xff", strings.Repeat("x", 3000)} {
		b.Sender, b.To = append(b.Sender, text), append(b.To, text)
		b.Lines = append(b.Lines, bill.Line{Date: "1 Oct 2026", Text: text, Sum: "1.00"})
	}
	b.Note, b.Foot, b.Void = b.Lines[0].Text, b.Lines[1].Text, b.Lines[2].Text
	var out bytes.Buffer
	require.NoError(t, bill.Write(&out, b))
	cmd := exec.Command("pdftotext", "-", "-")
	cmd.Stdin = &out
	text, err := cmd.Output()
	require.NoError(t, err)
	assert.Contains(t, string(text), "<script>")
	assert.Contains(t, string(text), "(paren)")
	assert.NotContains(t, string(text), "\x1b")
}
