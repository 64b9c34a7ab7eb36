package server

import (
	"bytes"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/interlibrary"
	"nevrin/app/notices"
	"nevrin/app/problem"
	"nevrin/app/slips"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/formats/bill"
	"nevrin/formats/letter"
	"nevrin/formats/parcel"
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
	r.Get("/api/interlibrary/papers.pdf", s.file(exchanging, "application/pdf",
		func(a *act.Act, _ int64, r *http.Request) ([]byte, error) { return papersPDF(a, r.URL.Query()) }))
	r.Get("/api/letters/letters.pdf", s.file(employed, "application/pdf",
		func(a *act.Act, _ int64, r *http.Request) ([]byte, error) { return lettersPDF(a, r.URL.Query()) }))
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

// lettersPDF gives the letters of a branch, or of all, or those from one number to another, as they are printed together.
func lettersPDF(a *act.Act, query url.Values) ([]byte, error) {
	list, err := notices.Letters(a, calendar.Code(query.Get("branch")))
	if err != nil {
		return nil, err
	}
	from, until := 1, len(list)
	if n, err := strconv.Atoi(query.Get("from")); err == nil {
		from = n
	}
	if n, err := strconv.Atoi(query.Get("to")); err == nil {
		until = min(n, until)
	}
	if from < 1 || from > until {
		return nil, problem.Newf(problem.Refused, "There are %d letters. Choose numbers among them.", len(list))
	}
	here := a.Network.Row(a.Who.Branch)
	b := &letter.Batch{
		Title: "Letters of " + a.Network.Name, Sender: []string{a.Network.Name, here.Name, here.Address}, Date: a.SayDate(a.Today()),
		Paper: "A4", First: from,
	}
	if query.Get("paper") == "letter" {
		b.Paper = "Letter"
	}
	for _, l := range list[from-1 : until] {
		b.Of = append(b.Of, letter.Letter{To: l.To, Subject: l.Subject, Body: l.Body})
	}
	var out bytes.Buffer
	err = letter.Write(&out, b)
	return out.Bytes(), err
}

// papersPDF gives the papers of parcels: of some requests by their ids, or of all that is packed here.
func papersPDF(a *act.Act, query url.Values) ([]byte, error) {
	var ids []int64
	for text := range strings.SplitSeq(query.Get("ids"), ",") {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	sheets, err := interlibrary.Papers(a, ids)
	if err != nil {
		return nil, err
	}
	paper := "A4"
	if query.Get("paper") == "letter" {
		paper = "Letter"
	}
	var out bytes.Buffer
	err = parcel.Write(&out, paper, "Parcels of "+a.Network.Name, sheets)
	return out.Bytes(), err
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
