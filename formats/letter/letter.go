// Package letter writes letters as PDF, a page or more each, with the address where the window of an envelope shows it, and a cover page
// that lists them.
//
// One place on the page serves both usual windows. On a sheet for a DL envelope the address field of DIN 5008, form B, lies from 62.7 to 90 mm
// and from 20 to 105 mm. The window of a US #10 envelope (4 1/8 by 9 1/2 in; 1 1/8 by 4 1/2 in, 7/8 in from the left and 1/2 in from the bottom)
// always shows from 63.5 to 80.4 mm and from 22.2 to 111 mm of a sheet folded in three, however the sheet lies in it.
package letter

import (
	"fmt"
	"io"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"nevrin/core/plain"
)

// Letter is one letter.
type Letter struct {
	To      []string // the address, a line each
	Subject string
	Body    string
}

// Batch is letters that are printed together.
type Batch struct {
	Title  string   // of the cover page
	Sender []string // the name and the address, a line each
	Date   string
	Paper  string // A4 or Letter
	Of     []Letter
	First  int // the number of the first one, from 1 on
}

// Where the address stands, in millimetres, so that both windows show it.
const (
	Left, Right = 25.0, 105.0
	Top, Bottom = 64.0, 80.0
)

const (
	margin = 25.0
	text   = 104.0 // the top of the text of the first page
	size   = 11.0
)

// Write writes the cover page and the letters, each on pages of its own.
func Write(to io.Writer, b *Batch) error {
	pdf := fpdf.New("P", "mm", b.Paper, "")
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.SetMargins(margin, 20, margin)
	pdf.SetAutoPageBreak(true, 20)
	pdf.SetTitle(b.Title, true)
	d := drawing{pdf}
	d.cover(b)
	for k := range b.Of {
		d.letter(b, &b.Of[k])
	}
	return pdf.Output(to)
}

type drawing struct{ *fpdf.Fpdf }

func (d drawing) line(style string, size, high float64, says string) {
	d.SetFont("text", style, size)
	d.CellFormat(0, high, plain.Printable(says), "", 1, "L", false, 0, "")
}

// cover lists the letters with their numbers, in the order in which they follow.
func (d drawing) cover(b *Batch) {
	d.AddPage()
	d.line("B", 16, 9, b.Title)
	d.line("", 10, 6, b.Date)
	d.line("", 10, 10, fmt.Sprintf("Letters %d to %d", b.First, b.First+len(b.Of)-1))
	for k := range b.Of {
		to := b.Of[k].To
		d.line("", 9, 4.6, fmt.Sprintf("%d   %s, %s", b.First+k, to[0], to[len(to)-1]))
	}
}

func (d drawing) letter(b *Batch, l *Letter) {
	d.AddPage()
	wide, _ := d.GetPageSize()
	for k, says := range b.Sender {
		style := ""
		if k == 0 {
			style = "B"
		}
		d.SetFont("text", style, 10)
		d.SetXY(110, 20+5*float64(k))
		d.CellFormat(wide-110-margin, 5, plain.Printable(says), "", 0, "R", false, 0, "")
	}
	d.address(l.To)
	d.SetFont("text", "", 10)
	d.SetXY(110, 90)
	d.CellFormat(wide-110-margin, 5, plain.Printable(b.Date), "", 0, "R", false, 0, "")
	d.SetXY(margin, text)
	d.SetFont("text", "B", 12)
	d.MultiCell(0, 6, plain.Printable(l.Subject), "", "L", false)
	d.Ln(4)
	d.SetFont("text", "", size)
	d.MultiCell(0, size*0.45, plain.Printable(l.Body), "", "L", false)
}

// smallest is the size of type, in points, below which a line is cut rather than written smaller.
const smallest = 5.5

func (d drawing) tooWide(line []rune) bool { return d.GetStringWidth(string(line)) > Right-Left-2 }

// address writes an address so that all of it stands in the window, smaller where it is long.
func (d drawing) address(lines []string) {
	high := min(4.1, (Bottom-Top)/float64(max(len(lines), 1)))
	for k, says := range lines {
		points, shown := high/0.4, []rune(plain.Printable(says))
		for d.SetFont("text", "", points); points > smallest && d.tooWide(shown); d.SetFont("text", "", points) {
			points -= 0.5
		}
		for d.tooWide(shown) {
			shown = append(shown[:len(shown)-2], '…')
		}
		d.SetXY(Left, Top+high*float64(k))
		d.CellFormat(Right-Left, high, string(shown), "", 0, "L", false, 0, "")
	}
}
