// Package parcel writes the papers that travel with parcels, as PDF: a sheet each, folded in the middle. Its upper half goes there, its lower
// half back. Numbers stand as bars in Code 128 (ISO/IEC 15417), so that they are scanned at either end.
package parcel

import (
	"io"
	"strings"

	"github.com/boombuler/barcode/code128"
	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"nevrin/core/plain"
)

// Half is what one way of a parcel needs.
type Half struct {
	Heading   string // which way it is
	From, To  []string
	Facts     [][2]string // what it is, with the name of each fact
	Number    string      // of the request
	Item      string      // its own number; empty: none
	Statement string      // on copyright
}

// Paper is one sheet. Without a way back its lower half is empty.
type Paper struct {
	There Half
	Back  *Half
}

// Write writes sheets on a paper, A4 or Letter.
func Write(to io.Writer, paper, title string, sheets []Paper) error {
	pdf := fpdf.New("P", "mm", paper, "")
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.SetAutoPageBreak(false, 0)
	pdf.SetTitle(title, true)
	d := drawing{pdf}
	for k := range sheets {
		pdf.AddPage()
		wide, high := pdf.GetPageSize()
		d.half(&sheets[k].There, 0, wide, high/2)
		if back := sheets[k].Back; back != nil {
			pdf.SetDashPattern([]float64{2, 2}, 0)
			pdf.Line(0, high/2, wide, high/2)
			pdf.SetDashPattern(nil, 0)
			d.half(back, high/2, wide, high/2)
		}
	}
	return pdf.Output(to)
}

type drawing struct{ *fpdf.Fpdf }

const (
	margin = 15.0
	column = 95.0 // where what it is begins
)

// half draws a half of a sheet from a height on.
func (d drawing) half(h *Half, top, wide, high float64) {
	y := top + 10
	d.text("B", 15, margin, y, column-margin-5, h.Heading)
	d.text("", 9, margin, y+9, column-margin-5, "From: "+strings.Join(h.From, ", "))
	box := max(y+20, d.GetY()+3)
	d.Rect(margin, box, column-margin-8, 36, "D")
	for k, line := range h.To {
		if style := ""; k < 6 {
			if k == 0 {
				style = "B"
			}
			d.SetXY(margin+3, box+2.5+float64(k)*5.4)
			d.fitted(style, 12, column-margin-14, line)
		}
	}
	d.bars(h.Number, margin, box+41, column-margin-8)
	x, room := column, wide-column-margin
	d.SetXY(x, y)
	for _, fact := range h.Facts {
		if fact[1] == "" {
			continue
		}
		at := d.GetY()
		d.text("", 8, x, at, room, fact[0])
		style := ""
		if fact[0] == h.Facts[0][0] {
			style = "B"
		}
		d.text(style, 11, x, d.GetY(), room, fact[1])
		d.SetXY(x, d.GetY()+1)
	}
	if h.Item != "" {
		d.bars(h.Item, x, d.GetY()+1, room)
	}
	d.SetFont("text", "", 7.5)
	lines := d.SplitText(plain.Printable(h.Statement), wide-2*margin)
	d.text("", 7.5, margin, top+high-6-3.4*float64(len(lines)), wide-2*margin, h.Statement)
}

// text writes a text in a column, and leaves the place below it.
func (d drawing) text(style string, size, x, y, wide float64, says string) {
	d.SetFont("text", style, size)
	d.SetXY(x, y)
	d.MultiCell(wide, size*0.45, plain.Printable(says), "", "L", false)
}

// smallest is the size of type, in points, below which a line is cut rather than written smaller.
const smallest = 7.0

// fitted writes a line, smaller where it is long, and cut where that does not do.
func (d drawing) fitted(style string, size, wide float64, says string) {
	shown := []rune(plain.Printable(says))
	for d.SetFont("text", style, size); size > smallest && d.GetStringWidth(string(shown)) > wide; d.SetFont("text", style, size) {
		size -= 0.5
	}
	for len(shown) > 1 && d.GetStringWidth(string(shown)) > wide {
		shown = append(shown[:len(shown)-2], '…')
	}
	d.CellFormat(wide, 5.4, string(shown), "", 0, "L", false, 0, "")
}

// bars draws a number as bars with itself below. A number that has no bars stands alone.
func (d drawing) bars(number string, x, y, wide float64) {
	const high = 11.0
	if code, err := code128.Encode(number); err == nil {
		n := code.Bounds().Dx()
		module := min(wide/float64(n), 0.4)
		for k := 0; k < n; k++ {
			if r, _, _, _ := code.At(k, 0).RGBA(); r == 0 {
				d.Rect(x+float64(k)*module, y, module, high, "F")
			}
		}
	}
	d.text("", 9, x, y+high+0.5, wide, number)
}
