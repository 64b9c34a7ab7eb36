package server

import (
	"bytes"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/slips"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/formats/bill"
	"nevrin/formats/slip"
)

// SlipQuery asks for a strip of paper.
type SlipQuery struct {
	Kind   slips.Kind `path:"kind" enum:"hold,line,tote,lent,back,receipt,till"`
	ID     int64      `path:"id" doc:"Of the hold, the patron, the run, the receipt or the till"`
	Patron int64      `query:"patron" doc:"Of what was brought back: by whom; none: by all"`
	Since  time.Time  `query:"since" doc:"Of what was lent: from when on; none: today"`
}

func (s *Server) slipOperations() {
	look(s, "/slips/{kind}/{id}", "slip", "What stands on a strip of paper", everyone,
		func(a *act.Act, in *SlipQuery) (*slips.Slip, error) {
			return slips.Of(a, slips.Asked{Kind: in.Kind, ID: in.ID, Patron: in.Patron, Since: in.Since})
		})
}

// papers are what is printed as PDF.
func (s *Server) papers(r chi.Router) {
	r.Get("/api/slips/{kind}/{id}/slip.pdf", s.file(everyone, "application/pdf",
		func(a *act.Act, id int64, r *http.Request) ([]byte, error) {
			q := slips.Asked{Kind: slips.Kind(chi.URLParam(r, "kind")), ID: id}
			q.Patron, _ = strconv.ParseInt(r.URL.Query().Get("patron"), 10, 64)
			strip, err := slips.Of(a, q)
			if err != nil {
				return nil, err
			}
			var out bytes.Buffer
			err = slip.Write(&out, strip.Rows)
			return out.Bytes(), err
		}))
	r.Get("/api/invoices/{id}/invoice.pdf", s.file(employed, "application/pdf",
		func(a *act.Act, id int64, _ *http.Request) ([]byte, error) { return invoicePDF(a, id) }))
	for name, table := range map[string]func(*act.Act, accounts.Period) ([][]string, error){
		"takings": accounts.TakingsTable, "journal": accounts.JournalTable,
	} {
		roles := employed
		if name == "journal" {
			roles = supervising
		}
		r.Get("/api/money/"+name+".csv", s.period(roles, table))
	}
}

const byteOrderMark = "\uFEFF"

// period answers with a table about a stretch of days.
func (s *Server) period(roles []role.Role, write func(*act.Act, accounts.Period) ([][]string, error)) http.HandlerFunc {
	return s.file(roles, "text/csv", func(a *act.Act, _ int64, r *http.Request) ([]byte, error) {
		q := r.URL.Query()
		p, err := PeriodQuery{q.Get("from"), q.Get("to"), calendar.Code(q.Get("branch"))}.period()
		if err != nil {
			return nil, err
		}
		out, err := table(write(a, p))
		return append([]byte(byteOrderMark), out...), err // spreadsheets read it as UTF-8 by that
	})
}

func invoicePDF(a *act.Act, id int64) ([]byte, error) {
	v, err := accounts.OneInvoice(a, id)
	if err != nil {
		return nil, err
	}
	settled := a.Network.Settled.Money
	b := &bill.Bill{
		Sender: []string{a.Network.Name, v.Branch}, To: v.Addressed, Number: v.Number, Note: v.Note,
		Currency: a.Network.Currency,
		Facts:    [][2]string{{"Date", a.Network.SayDate(v.Day)}, {"To be paid by", a.Network.SayDate(v.Due)}, {"Our reference", v.Number}},
		Sum:      v.Amount, Foot: settled.Foot, Void: v.Withdrawn,
	}
	if settled.Sender != "" {
		b.Sender = strings.Split(strings.TrimSpace(settled.Sender), "\n")
	}
	for _, l := range v.Lines {
		day := a.Style().Date(a.Here().Date(l.At))
		b.Lines = append(b.Lines, bill.Line{Date: day, Text: l.Text, Sum: l.Amount})
	}
	var out bytes.Buffer
	err = bill.Write(&out, b)
	return out.Bytes(), err
}
