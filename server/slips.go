package server

import (
	"bytes"
	"image/png"
	"net/http"
	"strconv"
	"strings"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/code128"
	"github.com/go-chi/chi/v5"
	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/queue"
	"nevrin/store"
)

const slipWidth = 80.0 // millimetres, the paper of a slip printer

// holdSlip prints the slip that goes with an item to the hold shelf or into a tote.
func (s *Server) holdSlip(w http.ResponseWriter, r *http.Request) {
	who, err := s.who(r.Context(), everyone)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	id, _ := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	data, err := act.Look(r.Context(), s.house, who, func(a *act.Act) ([]byte, error) { return slip(a, id) })
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/pdf")
	_, _ = w.Write(data)
}

// Slip is what a slip says that goes with an item to the hold shelf or into a tote.
type Slip struct {
	Where   string `json:"where" doc:"The kind of place, in small"`
	Name    string `json:"name" doc:"In large: the shelf name, or the branch"`
	Note    string `json:"note"`
	Title   string `json:"title"`
	Author  string `json:"author"`
	Barcode string `json:"barcode"`
	Bars    string `json:"bars" doc:"The barcode in Code 128, a letter a module: 1 dark, 0 light"`
	Foot    string `json:"foot" doc:"When, and who"`
}

func slipOf(a *act.Act, id int64) (*Slip, error) {
	h, err := a.Tx.HoldForSlip(id)
	if err != nil {
		return nil, err
	}
	if h == nil {
		return nil, problem.NoSuch("hold")
	}
	if h.Item == nil {
		return nil, problem.Newf(problem.Refused, "No item has been found for this hold yet, so there is no slip.")
	}
	switch {
	case h.State.Ended():
		return nil, problem.Newf(problem.Refused, "This hold has ended, so there is no slip.")
	case !a.Who.MayActOn(h.Pickup) && !a.Who.MayActOn(h.Item.AtBranch):
		return nil, problem.Newf(problem.Forbidden, "This slip is printed where the item is, or where it goes.")
	}
	s := &Slip{
		Where: "Tote for", Name: a.Network.BranchName(h.Pickup), Note: "Hold for pickup there", Title: h.Title.Name,
		Author: h.Title.Author, Barcode: h.Item.Barcode,
		Foot: a.Now.Format("Mon 2 Jan 2006, 15:04") + ", " + a.Who.Name,
	}
	if h.State == queue.Ready {
		s.Where = "Hold shelf, " + a.Network.BranchName(h.Pickup)
		s.Name = moving.ShelfName(a, h.Pickup, h.Patron)
		s.Note = "Until " + store.DateOf(h.ShelfUntil).Say()
	}
	code, err := code128.Encode(s.Barcode)
	if err != nil {
		return nil, err
	}
	var bars strings.Builder
	for x := range code.Bounds().Dx() {
		if r, _, _, _ := code.At(x, 0).RGBA(); r == 0 {
			bars.WriteByte('1')
		} else {
			bars.WriteByte('0')
		}
	}
	s.Bars = bars.String()
	return s, nil
}

func slip(a *act.Act, id int64) ([]byte, error) {
	s, err := slipOf(a, id)
	if err != nil {
		return nil, err
	}
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: slipWidth, Ht: 110}})
	pdf.SetMargins(5, 5, 5)
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddPage()
	// Names and titles are in any script's letters; the fonts travel with the program and stand in the file.
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	pdf.AddUTF8FontFromBytes("code", "", gomono.TTF)
	line := func(size float64, style, text string) {
		pdf.SetFont("text", style, size)
		pdf.MultiCell(slipWidth-10, size*0.48, text, "", "L", false)
	}
	line(11, "", s.Where)
	line(30, "B", s.Name)
	line(14, "", s.Note)
	pdf.Ln(4)
	line(12, "B", s.Title)
	line(10, "", s.Author)
	if err := drawBarcode(pdf, s.Barcode); err != nil {
		return nil, err
	}
	line(8, "", s.Foot)
	var out bytes.Buffer
	err = pdf.Output(&out)
	return out.Bytes(), err
}

func drawBarcode(pdf *fpdf.Fpdf, number string) error {
	code, err := code128.Encode(number)
	if err != nil {
		return err
	}
	scaled, err := barcode.Scale(code, code.Bounds().Dx()*3, 80)
	if err != nil {
		return err
	}
	var img bytes.Buffer
	if err := png.Encode(&img, scaled); err != nil {
		return err
	}
	pdf.RegisterImageOptionsReader("code", fpdf.ImageOptions{ImageType: "PNG"}, &img)
	pdf.ImageOptions("code", 5, pdf.GetY()+3, slipWidth-10, 14, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	pdf.SetY(pdf.GetY() + 19)
	pdf.SetFont("code", "", 11)
	pdf.MultiCell(slipWidth-10, 6, number, "", "C", false)
	return nil
}
