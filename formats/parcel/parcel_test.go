package parcel_test

import (
	"bytes"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/parcel"
)

// Sheets read back (pdftotext, Debian's poppler-utils): a page each, both ways with the statement, and nothing of one on another.
func TestSheets(t *testing.T) {
	half := func(to, number string) parcel.Half {
		return parcel.Half{
			Heading: "Interlibrary loan", From: []string{"Orrin Sound Libraries", "Quay Street 1"}, To: []string{to, "Mill Lane 9", "B0A 1E5 Quarrow"},
			Facts: [][2]string{{"Title", "Tidal Mills"}, {"Author", ""}, {"Due", "Tue 3 Nov 2026"}}, Number: number, Item: "31904000000018",
			Statement: "For study only. " + strings.Repeat("Copying more is not permitted. ", 8),
		}
	}
	back := half("Orrin Sound Libraries", "K-1")
	for _, paper := range []string{"A4", "Letter"} {
		var out bytes.Buffer
		require.NoError(t, parcel.Write(&out, paper, "Parcels", []parcel.Paper{
			{There: half("Kelmouth College", "K-1"), Back: &back}, {There: half(strings.Repeat("Institute of Tidal ", 12), "ORRIN-000007")},
		}))
		read := exec.Command("pdftotext", "-layout", "-", "-")
		read.Stdin = bytes.NewReader(out.Bytes())
		text, err := read.Output()
		require.NoError(t, err)
		pages := strings.Split(string(text), "\f")
		require.Len(t, pages, 3, "two sheets and the end")
		assert.Equal(t, 2, strings.Count(pages[0], "For study only."), paper)
		assert.Equal(t, 2, strings.Count(pages[0], "K-1"))
		assert.Contains(t, pages[0], "Kelmouth College")
		assert.NotContains(t, pages[0], "Author", "what is not known is not asked for")
		assert.Equal(t, 1, strings.Count(pages[1], "For study only."))
		assert.Contains(t, pages[1], "ORRIN-000007")
		assert.NotContains(t, pages[1], "Kelmouth")
	}
}
