// Package slip is strips of paper: receipts, hold slips, what was lent. A strip is rows from top to bottom; a browser prints them, and
// they are written as PDF for what prints without one. Numbers stand as bars in Code 128 (ISO/IEC 15417).
package slip

import (
	"io"
	"strings"

	"nevrin/core/plain"

	"github.com/boombuler/barcode/code128"
	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"
)

// Size is how large a row is written.
type Size string

// The sizes. Huge is for a name that is read from a shelf.
const (
	Small  Size = "small"
	Normal Size = "normal"
	Large  Size = "large"
	Huge   Size = "huge"
)

// points is the height of each size.
var points = map[Size]float64{Small: 8, Normal: 10.5, Large: 13, Huge: 30}

// Row is one row of a strip: a text with perhaps a sum at its right end, a number as bars, or a line across.
type Row struct {
	Text   string `json:"text"`
	Right  string `json:"right" doc:"At the right end of the same line"`
	Size   Size   `json:"size" enum:"small,normal,large,huge"`
	Bold   bool   `json:"bold"`
	Rule   bool   `json:"rule" doc:"A line across, and nothing else"`
	Number string `json:"number" doc:"A number below its bars, and nothing else"`
	Bars   string `json:"bars" doc:"The number in Code 128, a letter a module: 1 dark, 0 light"`
}

// Text is a row of text.
func Text(size Size, text string) Row { return Row{Text: text, Size: size} }

// Bold is a row of text that stands out.
func Bold(size Size, text string) Row { return Row{Text: text, Size: size, Bold: true} }

// Sum is a row of text with a sum at its end.
func Sum(text, sum string) Row { return Row{Text: text, Right: sum, Size: Normal} }

// Line is a line across.
func Line() Row { return Row{Rule: true, Size: Normal} }

// Number is a number with its bars.
func Number(number string) (Row, error) {
	code, err := code128.Encode(number)
	if err != nil {
		return Row{}, err
	}
	var bars strings.Builder
	for x := range code.Bounds().Dx() {
		if r, _, _, _ := code.At(x, 0).RGBA(); r == 0 {
			bars.WriteByte('1')
		} else {
			bars.WriteByte('0')
		}
	}
	return Row{Number: number, Bars: bars.String(), Size: Normal}, nil
}

const (
	width  = 80.0 // millimetres, the paper of a slip printer
	margin = 5.0
	room   = width - 2*margin
	step   = 0.48 // millimetres of a line for each point of its letters
	bars   = 14.0 // height of bars
)

// Write writes a strip as PDF, as long as its rows are.
func Write(to io.Writer, rows []Row) error {
	long := newStrip(300)
	long.draw(rows) // to see how long it comes to
	s := newStrip(max(40, long.pdf.GetY()+margin))
	s.draw(rows)
	return s.pdf.Output(to)
}

type strip struct{ pdf *fpdf.Fpdf }

func newStrip(high float64) strip {
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: width, Ht: high}})
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(false, 0)
	// Names and titles are in any script's letters; the fonts travel with the program and stand in the file.
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.AddUTF8FontFromBytes("code", "", gomono.TTF)
	pdf.AddPage()
	return strip{pdf}
}

func (s strip) draw(rows []Row) {
	for _, r := range rows {
		switch {
		case r.Rule:
			y := s.pdf.GetY() + 1.5
			s.pdf.Line(margin, y, width-margin, y)
			s.pdf.SetY(y + 1.5)
		case r.Number != "":
			s.number(r)
		default:
			s.text(r)
		}
	}
}

// text writes a row. What stands at its right end keeps its room: the text beside it breaks before it.
func (s strip) text(r Row) {
	r.Text, r.Right = plain.Printable(r.Text), plain.Line(plain.Printable(r.Right))
	style := ""
	if r.Bold {
		style = "B"
	}
	size := points[r.Size]
	s.pdf.SetFont("text", style, size)
	for _, word := range strings.Fields(r.Text) { // none is broken: a long name is written smaller
		for s.pdf.GetStringWidth(word) > room-1 && size > points[Small] {
			size--
			s.pdf.SetFont("text", style, size)
		}
	}
	left := room
	top := s.pdf.GetY()
	if r.Right != "" {
		wide := min(s.pdf.GetStringWidth(r.Right)+2, room/2)
		left -= wide
		s.pdf.SetXY(width-margin-wide, top)
		s.pdf.CellFormat(wide, size*step, r.Right, "", 0, "R", false, 0, "")
		s.pdf.SetXY(margin, top)
	}
	s.pdf.MultiCell(left, size*step, r.Text, "", "L", false)
}

func (s strip) number(r Row) {
	top, module := s.pdf.GetY()+2, min(room/float64(len(r.Bars)), 0.5)
	left := margin + (room-module*float64(len(r.Bars)))/2
	for k := 0; k < len(r.Bars); k++ {
		if r.Bars[k] != '1' {
			continue
		}
		wide := 1
		for k+wide < len(r.Bars) && r.Bars[k+wide] == '1' {
			wide++
		}
		s.pdf.Rect(left+float64(k)*module, top, float64(wide)*module, bars, "F")
		k += wide
	}
	s.pdf.SetY(top + bars + 1)
	s.pdf.SetFont("code", "", 11)
	s.pdf.MultiCell(room, 6, r.Number, "", "C", false)
}
