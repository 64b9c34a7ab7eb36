package standin

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"nevrin/formats/iso18626"
	"nevrin/formats/sru"
)

// Partners are simulated libraries outside. Each answers searches over SRU from a small catalogue and
// takes part in exchanges over ISO 18626: it answers our requests by itself, and asks us, sends back
// and goes away for a while when told to on its page.
type Partners struct {
	mu        sync.Mutex
	libraries []*library
	reach     string // where our messages go, up to the secret
	page      *http.Server
}

type library struct {
	Symbol, Name string
	Down         bool
	Books        []sru.Record
	Exchanges    []*Exchanging
}

// Exchanging is a request as a partner sees it.
type Exchanging struct {
	Number, Title, State string
	Theirs               bool // they asked us
	header               iso18626.Header
}

// NewPartners builds two libraries: one that lends nearly everything, and one that does not lend new books.
func NewPartners() *Partners {
	books := func(prefix string, rows ...[3]string) []sru.Record {
		var out []sru.Record
		for k, r := range rows {
			out = append(out, sru.Record{ID: fmt.Sprintf("%s%d", prefix, k+1), Title: r[0], Author: r[1], Date: r[2], Format: "print"})
		}
		return out
	}
	p := &Partners{libraries: []*library{
		{Symbol: "KELMOUTH", Name: "Kelmouth College", Books: books("k", [3]string{"Tidal Mills of the Outer Coast", "Roswen Quist", "1998"}, [3]string{"A Grammar of Fog Signals", "Ivo Brannock", "2007"},
			[3]string{"Seaweed and Stone: a Harbour Chemistry", "Hedda Marsk", "2013"}, [3]string{"The Ledger of Small Ferries", "Ulla Veldt", "2019"})},
		{Symbol: "PSABEL", Name: "Port Sabel Public Library", Books: books("p", [3]string{"Tidal Mills of the Outer Coast", "Roswen Quist", "2004"}, [3]string{"Winter Choirs of Port Sabel", "Anselm Thorne", "2026"},
			[3]string{"Knots Nobody Ties", "Pell Orchard", "1991"})},
	}}
	p.page = &http.Server{Handler: http.HandlerFunc(p.serve), ReadHeaderTimeout: 5 * time.Second}
	return p
}

// Reach tells the libraries where our messages go; the secret follows.
func (p *Partners) Reach(base string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.reach = base
}

// Serve answers until the context ends.
func (p *Partners) Serve(ctx context.Context, l net.Listener) {
	go func() { _ = p.page.Serve(l) }()
	<-ctx.Done()
	_ = p.page.Close()
}

func (p *Partners) serve(w http.ResponseWriter, r *http.Request) {
	symbol, rest, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
	p.mu.Lock()
	defer p.mu.Unlock()
	at := slices.IndexFunc(p.libraries, func(l *library) bool { return l.Symbol == symbol })
	if at < 0 {
		p.show(w)
		return
	}
	l := p.libraries[at]
	switch {
	case rest == "sru" && !l.Down:
		l.search(w, r)
	case rest == "iso18626" && !l.Down:
		p.take(l, w, r)
	case r.Method == http.MethodPost && rest == "down":
		l.Down = !l.Down
		http.Redirect(w, r, "/", http.StatusSeeOther)
	case r.Method == http.MethodPost && rest == "ask":
		p.ask(l, r.FormValue("title"))
		http.Redirect(w, r, "/", http.StatusSeeOther)
	case r.Method == http.MethodPost && rest == "back":
		p.sendBack(l, r.FormValue("number"))
		http.Redirect(w, r, "/", http.StatusSeeOther)
	default:
		http.Error(w, "not now", http.StatusServiceUnavailable)
	}
}

func (l *library) search(w http.ResponseWriter, r *http.Request) {
	words, problem := sru.Terms(r.URL.Query().Get("query"))
	var found []sru.Record
	for _, b := range l.Books {
		text := strings.ToLower(b.Title + " " + b.Author + " " + b.Date)
		if problem == nil && !slices.ContainsFunc(words, func(word string) bool { return !strings.Contains(text, word) }) {
			found = append(found, b)
		}
	}
	data, err := sru.Write(found, problem)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/xml")
	_, _ = w.Write(data)
}

// take confirms a message at once and answers it a little later, as a library would.
func (p *Partners) take(l *library, w http.ResponseWriter, r *http.Request) {
	m, err := iso18626.Read(r.Body)
	if err != nil || m.Header() == nil {
		http.Error(w, "no message", http.StatusBadRequest)
		return
	}
	data, err := iso18626.Write(m.Confirm(time.Now(), ""))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/xml")
	_, _ = w.Write(data)
	h := *m.Header()
	at := slices.IndexFunc(l.Exchanges, func(e *Exchanging) bool { return e.Number == h.RequestingRequestID })
	switch {
	case m.Request != nil && at < 0:
		e := &Exchanging{Number: h.RequestingRequestID, Title: m.Request.Bibliographic.Title, State: "RequestReceived", header: h}
		l.Exchanges = append(l.Exchanges, e)
		p.answer(l, e)
	case m.SupplyingAgencyMessage != nil && at >= 0:
		e := l.Exchanges[at]
		e.State = m.SupplyingAgencyMessage.Status.Status
		if e.State == "Loaned" {
			p.later(l, e, requesting(e, "Received"))
		}
	case m.RequestingAgencyMessage != nil && at >= 0:
		e := l.Exchanges[at]
		e.State = m.RequestingAgencyMessage.Action
		switch e.State {
		case "ShippedReturn":
			p.later(l, e, supplying(e, "LoanCompleted", "", ""))
		case "Cancel":
			p.later(l, e, supplying(e, "Cancelled", "", ""))
		}
	}
}

// answer says yes and lends, or no to a book of this year.
func (p *Partners) answer(l *library, e *Exchanging) {
	at := slices.IndexFunc(l.Books, func(b sru.Record) bool { return b.Title == e.Title })
	if at >= 0 && l.Books[at].Date >= "2026" {
		p.later(l, e, supplying(e, "Unfilled", "PolicyProblem", ""))
		return
	}
	// Due in six weeks by the requester's own clock, which its message shows.
	asked, err := time.Parse(time.RFC3339Nano, e.header.Timestamp)
	if err != nil {
		asked = time.Now()
	}
	p.later(l, e, supplying(e, "WillSupply", "", ""), supplying(e, "Loaned", "", asked.AddDate(0, 0, 42).Format(time.DateOnly)))
}

func supplying(e *Exchanging, status, unfilled, due string) iso18626.Message {
	h := e.header
	h.Timestamp = time.Now().Format(time.RFC3339Nano)
	return iso18626.Message{SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{Header: h, Info: iso18626.MessageInfo{Reason: "StatusChange", ReasonUnfilled: unfilled},
		Status: iso18626.StatusInfo{Status: status, DueDate: due, LastChange: h.Timestamp}}}
}

func requesting(e *Exchanging, action string) iso18626.Message {
	h := e.header
	h.Timestamp = time.Now().Format(time.RFC3339Nano)
	return iso18626.Message{RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{Header: h, Action: action}}
}

// later sends messages one after another, trying each again for a while.
func (p *Partners) later(l *library, e *Exchanging, messages ...iso18626.Message) {
	address := p.reach + "training-secret-" + l.Symbol
	go func() {
		for _, m := range messages {
			time.Sleep(700 * time.Millisecond)
			data, err := iso18626.Write(m)
			if err != nil {
				return
			}
			for range 30 {
				answer, err := http.Post(address, "application/xml", bytes.NewReader(data))
				if err == nil {
					_ = answer.Body.Close()
					if answer.StatusCode < 500 {
						break
					}
				}
				time.Sleep(2 * time.Second)
			}
			if s := m.SupplyingAgencyMessage; s != nil {
				p.mu.Lock()
				e.State = s.Status.Status
				p.mu.Unlock()
			}
		}
	}()
}

// ask lets a library ask us for a title.
func (p *Partners) ask(l *library, title string) {
	e := &Exchanging{Number: fmt.Sprintf("%s-%d", l.Symbol, time.Now().UnixMilli()), Title: title, State: "Asked", Theirs: true,
		header: iso18626.Header{Supplying: iso18626.Agency{Type: "ISIL", Value: "ORRIN"}, Requesting: iso18626.Agency{Type: "ISIL", Value: l.Symbol}, Timestamp: time.Now().Format(time.RFC3339Nano)}}
	e.header.RequestingRequestID = e.Number
	l.Exchanges = append(l.Exchanges, e)
	p.later(l, e, iso18626.Message{Request: &iso18626.Request{Header: e.header, Bibliographic: iso18626.Bibliographic{Title: title}, Service: iso18626.Service{Type: "Loan", AnyEdition: "Y"}}})
}

func (p *Partners) sendBack(l *library, number string) {
	for _, e := range l.Exchanges {
		if e.Number == number && e.Theirs {
			e.State = "ShippedReturn"
			p.later(l, e, requesting(e, "ShippedReturn"))
		}
	}
}

func (p *Partners) show(w http.ResponseWriter) {
	page, err := template.ParseFS(pages, "partners.html")
	if err == nil {
		err = page.Execute(w, p.libraries)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}
