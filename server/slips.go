package server

import (
	"bytes"
	"image/png"
	"net/http"
	"strconv"

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

func slip(a *act.Act, id int64) ([]byte, error) {
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
	ready := h.State == queue.Ready
	if ready {
		line(11, "", "Hold shelf, "+a.Network.BranchName(h.Pickup))
		line(30, "B", moving.ShelfName(a, h.Pickup, h.Patron))
		line(14, "", "Until "+store.DateOf(h.ShelfUntil).Say())
	} else {
		line(11, "", "Tote for")
		line(34, "B", a.Network.BranchName(h.Pickup))
		line(14, "", "Hold for pickup there")
	}
	pdf.Ln(4)
	line(12, "B", h.Title.Name)
	line(10, "", h.Title.Author)
	if err := drawBarcode(pdf, h.Item.Barcode); err != nil {
		return nil, err
	}
	line(8, "", a.Now.Format("Mon 2 Jan 2006, 15:04")+", "+a.Who.Name)
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
