// Package bill writes invoices as PDF on A4: the address where the window of an envelope is, number, date, lines, sum, and how to pay.
package bill

import (
	"fmt"
	"io"

	"nevrin/core/plain"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// Line is one thing that is charged.
type Line struct{ Date, Text, Sum string }

// Bill is an invoice. All sums are texts of one currency.
type Bill struct {
	Sender   []string // a line each; the first is the name
	To       []string // likewise
	Number   string
	Facts    [][2]string // such as the date and by when it is due
	Note     string
	Lines    []Line
	Currency string
	Sum      string
	Foot     string
	Void     string // why it was withdrawn; empty: it stands
}

// Where things are on A4, in millimetres. The window of an envelope of format DL, folded in three, shows from 50 to 80.
const (
	left, right = 20.0, 190.0
	window      = 50.0
	facts       = 95.0
	bottom      = 270.0
)

// Write writes an invoice, on as many pages as it needs.
func Write(to io.Writer, b *Bill) error {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.SetMargins(left, 20, left)
	pdf.SetAutoPageBreak(false, 0)
	pdf.SetTitle("Invoice "+b.Number, true)
	pdf.AliasNbPages("")
	pdf.SetFooterFunc(func() {
		pdf.SetFont("text", "", 8)
		pdf.SetXY(left, 285)
		says := fmt.Sprintf("Invoice %s, page %d of {nb}", b.Number, pdf.PageNo())
		pdf.CellFormat(right-left, 4, says, "", 0, "R", false, 0, "")
	})
	pdf.AddPage()
	d := drawing{pdf}
	d.head(b)
	d.lines(b)
	return pdf.Output(to)
}

type drawing struct{ *fpdf.Fpdf }

func (d drawing) write(style string, size, x, y, wide float64, align, text string) {
	d.SetFont("text", style, size)
	d.SetXY(x, y)
	d.MultiCell(wide, size*0.45, plain.Printable(text), "", align, false)
}

func (d drawing) head(b *Bill) {
	for k, l := range b.Sender {
		style := ""
		if k == 0 {
			style = "B"
		}
		d.write(style, 10, 110, 20+5*float64(k), right-110, "R", l)
	}
	for k, l := range b.To {
		d.write("", 11, left, window+5*float64(k), 85, "L", l)
	}
	d.write("B", 20, left, facts, 110, "L", "Invoice "+b.Number)
	if b.Void != "" {
		d.write("B", 12, left, facts+10, 110, "L", "Withdrawn: "+b.Void)
	}
	for k, f := range b.Facts {
		y := facts + 5*float64(k)
		d.write("", 10, 130, y, 30, "L", f[0])
		d.write("B", 10, 155, y, right-155, "R", f[1])
	}
	d.SetY(max(facts+18, facts+5*float64(len(b.Facts))+4))
	if b.Note != "" {
		d.write("", 10, left, d.GetY(), right-left, "L", b.Note)
	}
}

func (d drawing) lines(b *Bill) {
	d.SetY(d.GetY() + 6)
	d.row("B", "Date", "What", b.Currency)
	d.rule()
	for _, l := range b.Lines {
		if d.GetY() > bottom-15 {
			d.AddPage()
			d.SetY(20)
			d.row("B", "Date", "What", b.Currency)
			d.rule()
		}
		d.row("", l.Date, l.Text, l.Sum)
	}
	d.rule()
	d.row("B", "", "To be paid", b.Sum)
	if b.Foot != "" {
		d.write("", 10, left, d.GetY()+8, right-left, "L", b.Foot)
	}
}

// row writes a row of the table; a long text breaks and keeps the sum in its first line.
func (d drawing) row(style, date, text, sum string) {
	y := d.GetY()
	d.write(style, 10, left, y, 28, "L", date)
	d.write(style, 10, right-30, y, 30, "R", sum)
	d.write(style, 10, left+30, y, right-left-62, "L", text)
	d.SetY(max(d.GetY(), y+4.5) + 1.2)
}

func (d drawing) rule() {
	d.Line(left, d.GetY(), right, d.GetY())
	d.SetY(d.GetY() + 1.8)
}
