// Package label prints labels for items onto sheets of labels, as PDF: a barcode in Code 128 (ISO/IEC 15417) with its number,
// the call number in large, and where the item belongs.
package label

import (
	"fmt"
	"io"

	"nevrin/core/plain"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/code128"
	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"
)

// Sheet is how labels stand on a sheet. All in millimetres.
type Sheet struct {
	ID, Name               string
	Width, Height          float64 // of the sheet
	Columns, Rows          int
	Left, Top              float64 // of the first label
	LabelWidth, LabelHigh  float64
	PitchAcross, PitchDown float64 // from one label to the next
}

// Sheets are the sheets of labels that there are.
var Sheets = []Sheet{
	{"a4-3x8", "A4, 3 by 8, 70 × 36 mm", 210, 297, 3, 8, 0, 4.5, 70, 36, 70, 36},
	{"a4-3x7", "A4, 3 by 7, 63.5 × 38.1 mm", 210, 297, 3, 7, 7.2, 15.1, 63.5, 38.1, 66, 38.1},
	{"a4-4x10", "A4, 4 by 10, 48.5 × 25.4 mm", 210, 297, 4, 10, 8, 21.5, 48.5, 25.4, 48.5, 25.4},
	{"letter-3x10", "Letter, 3 by 10, 66.7 × 25.4 mm", 215.9, 279.4, 3, 10, 4.8, 12.7, 66.7, 25.4, 69.8, 25.4},
}

// SheetOf gives the sheet with an id.
func SheetOf(id string) (Sheet, bool) {
	for _, s := range Sheets {
		if s.ID == id {
			return s, true
		}
	}
	return Sheet{}, false
}

// Label is what stands on one.
type Label struct {
	Number string // as the barcode has it
	Shown  string // as people read it
	Call   string
	Home   string
	Title  string
}

const (
	margin = 3.0 // within a label
	quiet  = 2.5 // free room at either end of the bars, beside the margin
	widest = 0.5 // of one module of the bars: wider ones do not scan better
)

// Write prints labels onto as many sheets as they need. The first so many places are left free: a sheet that has been begun.
func (s Sheet) Write(to io.Writer, labels []Label, free int) error {
	each := s.Columns * s.Rows
	if free < 0 || free >= each {
		return fmt.Errorf("%d places cannot be left free: a sheet has %d", free, each)
	}
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: s.Width, Ht: s.Height}})
	pdf.SetMargins(0, 0, 0)
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.AddUTF8FontFromBytes("code", "", gomono.TTF)
	for k, l := range labels {
		at := (k + free) % each
		if at == 0 || k == 0 {
			pdf.AddPage()
		}
		x := s.Left + float64(at%s.Columns)*s.PitchAcross
		y := s.Top + float64(at/s.Columns)*s.PitchDown
		if err := s.draw(pdf, l, x, y); err != nil {
			return err
		}
	}
	return pdf.Output(to)
}

func (s Sheet) draw(pdf *fpdf.Fpdf, l Label, x, y float64) error {
	code, err := code128.Encode(l.Number)
	if err != nil {
		return fmt.Errorf("%s has no barcode: %w", l.Number, err)
	}
	room := s.LabelWidth - 2*margin
	modules := code.Bounds().Dx()
	module := min((room-2*quiet)/float64(modules), widest)
	high := s.LabelHigh * 0.36
	left := x + (s.LabelWidth-module*float64(modules))/2
	top := y + margin
	pdf.SetFillColor(0, 0, 0)
	for m := 0; m < modules; m++ {
		from := m
		for m < modules && dark(code, m) {
			m++
		}
		if m > from { // one bar, however many modules: no thin line of light between them
			pdf.Rect(left+float64(from)*module, top, float64(m-from)*module, high, "F")
		}
	}
	line := func(text, font, style string, size, below float64) {
		pdf.SetFont(font, style, size)
		pdf.SetXY(x+margin, top+below)
		pdf.CellFormat(room, size*0.4, fitted(pdf, plain.Line(plain.Printable(text)), room), "", 0, "C", false, 0, "")
	}
	line(l.Shown, "code", "", 8, high+0.6)
	line(l.Call, "text", "B", 13, high+4.4)
	line(l.Home, "text", "", 8, high+9.8)
	if s.LabelHigh > 30 {
		line(l.Title, "text", "", 7, high+13.4)
	}
	return nil
}

func dark(code barcode.Barcode, x int) bool {
	r, _, _, _ := code.At(x, 0).RGBA()
	return r == 0
}

// fitted cuts a text to the room that there is.
func fitted(pdf *fpdf.Fpdf, text string, room float64) string {
	if pdf.GetStringWidth(text) <= room {
		return text
	}
	letters := []rune(text)
	for len(letters) > 1 && pdf.GetStringWidth(string(letters)+"…") > room {
		letters = letters[:len(letters)-1]
	}
	return string(letters) + "…"
}
