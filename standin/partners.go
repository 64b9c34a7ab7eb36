package standin

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"nevrin/formats/cql"
	"nevrin/formats/iso18626"
	"nevrin/formats/marc"
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

// habits are how a library behaves.
type habits struct {
	pause      time.Duration // before each of its messages
	noNewBooks bool          // says no to books of this year
	condition  string        // says yes, but
}

type library struct {
	Symbol, Name string
	Down         bool
	habits
	Books     []sru.Record
	Exchanges []*Exchanging
}

// Exchanging is a request as a partner sees it.
type Exchanging struct {
	Number, Title, State string
	Theirs               bool // they asked us
	header               iso18626.Header
}

const brisk = 700 * time.Millisecond

// NewPartners builds the libraries outside, each with its own books and habits: quick, slow, one that
// does not lend new books, one that makes conditions, one that lends everything, one that is out of reach.
func NewPartners() *Partners {
	books := func(prefix string, rows ...[3]string) []sru.Record {
		var out []sru.Record
		for k, r := range rows {
			out = append(
				out,
				sru.Record{
					ID:     fmt.Sprintf("%s%d", prefix, k+1),
					Title:  r[0],
					Author: r[1],
					Date:   r[2],
					Format: "print",
				},
			)
		}
		return out
	}
	mills := [3]string{"Tidal Mills of the Outer Coast", "Roswen Quist", "1998"}
	p := &Partners{libraries: []*library{
		{
			Symbol: "KELMOUTH",
			Name:   "Kelmouth College",
			habits: habits{pause: brisk},
			Books: books(
				"k",
				mills,
				[3]string{"A Grammar of Fog Signals", "Ivo Brannock", "2007"},
				[3]string{"Seaweed and Stone: a Harbour Chemistry", "Hedda Marsk", "2013"},
				[3]string{"The Ledger of Small Ferries", "Ulla Veldt", "2019"},
			),
		},
		{
			Symbol: "PSABEL",
			Name:   "Port Sabel Public Library",
			habits: habits{pause: brisk, noNewBooks: true},
			Books: books(
				"p",
				[3]string{mills[0], mills[1], "2004"},
				[3]string{"Winter Choirs of Port Sabel", "Anselm Thorne", "2026"},
				[3]string{"Knots Nobody Ties", "Pell Orchard", "1991"},
			),
		},
		{
			Symbol: "ARDLANE",
			Name:   "Ardlane County Libraries",
			habits: habits{pause: 20 * time.Second},
			Books: books("a", [3]string{"Drystone in Ardlane", "Soren Wardle", "1987"},
				[3]string{"Knots Nobody Ties", "Pell Orchard", "1994"}),
		},
		{
			Symbol: "TIDEINST",
			Name:   "Institute of Tidal Engineering",
			habits: habits{pause: brisk, condition: "To be used in the library only."},
			Books: books(
				"t",
				[3]string{"Bulb Turbines at Low Head", "Edda Norrback", "2016"},
				[3]string{"Silt: an Engineer's Enemy", "Corin Stannard", "2021"},
				mills,
			),
		},
		{
			Symbol: "GLENFERR",
			Name:   "Glenferrin Regional",
			habits: habits{pause: brisk},
			Books: books(
				"g",
				[3]string{"Winter Choirs of Port Sabel", "Anselm Thorne", "2026"},
				[3]string{"The Ledger of Small Ferries", "Ulla Veldt", "2019"},
				[3]string{"Bread for Ferrymen", "Maude Rook", "2003"},
			),
		},
		{
			Symbol: "LORROW",
			Name:   "Abbey Seminary at Lorrow",
			Down:   true,
			habits: habits{pause: brisk},
			Books:  books("l", [3]string{"Hours and Tides: a Psalter of the Coast", "Brid Penrose", "1962"}),
		},
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
	of := make([]sru.Found, len(l.Books))
	for k, b := range l.Books {
		of[k] = sru.Found{Record: b, MARC: marcOf(&b)}
	}
	c := sru.Catalogue{Title: l.Name, Description: "A simulated library", Find: func(_ context.Context, q *cql.Query, from, most int) (int, []sru.Found, error) {
		total, found := sru.Among(of, q, from, most)
		return total, found, nil
	}}
	c.Serve(w, r)
}

// marcOf is a title as MARC 21 has it.
func marcOf(b *sru.Record) *marc.Record {
	m := &marc.Record{Leader: marc.LeaderOfBook}
	m.Put("001", marc.Field{Tag: "001", Value: b.ID})
	m.Put("100", marc.Data("100", "1 ", "a", b.Author))
	m.Put("245", marc.Data("245", "10", "a", b.Title))
	m.Put("264", marc.Data("264", " 1", "c", b.Date))
	return m
}

// take confirms a message at once and answers it a little later, as a library would.
func (p *Partners) take(l *library, w http.ResponseWriter, r *http.Request) {
	m, err := iso18626.Read(r.Body)
	if err != nil || m.Header() == nil {
		http.Error(w, "no message", http.StatusBadRequest)
		return
	}
	data, err := iso18626.Write(m.Confirm(time.Now(), nil))
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/xml")
	_, _ = w.Write(data)
	h := *m.Header()
	at := slices.IndexFunc(l.Exchanges, func(e *Exchanging) bool { return e.Number == h.RequestingRequestID })
	if at < 0 && m.Request == nil { // begun before this stand-in was: its memory does not outlive it
		l.Exchanges = append(
			l.Exchanges,
			&Exchanging{
				Number: h.RequestingRequestID,
				Title:  "begun earlier",
				Theirs: m.SupplyingAgencyMessage != nil,
				header: h,
			},
		)
		at = len(l.Exchanges) - 1
	}
	switch {
	case m.Request != nil && at < 0:
		e := &Exchanging{
			Number: h.RequestingRequestID,
			Title:  m.Request.Bibliographic.Title,
			State:  "RequestReceived",
			header: h,
		}
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
			p.later(l, e, answering(supplying(e, "Cancelled", "", ""), "CancelResponse", "Y"))
		case "Renew": // three weeks longer than the first time, by the requester's own clock
			due := ""
			if asked, err := time.Parse(time.RFC3339Nano, h.Timestamp); err == nil {
				due = asked.AddDate(0, 0, 63).Format(time.RFC3339)
			}
			p.later(l, e, answering(supplying(e, "Loaned", "", due), "RenewResponse", "Y"))
		}
	}
}

// answer says yes and lends, or no where its habits say so.
func (p *Partners) answer(l *library, e *Exchanging) {
	at := slices.IndexFunc(l.Books, func(b sru.Record) bool { return b.Title == e.Title })
	if at >= 0 && l.noNewBooks && l.Books[at].Date >= "2026" {
		p.later(l, e, supplying(e, "Unfilled", "PolicyProblem", ""))
		return
	}
	// Due in six weeks by the requester's own clock, which its message shows.
	asked, err := time.Parse(time.RFC3339Nano, e.header.Timestamp)
	if err != nil {
		asked = time.Now()
	}
	yes := supplying(e, "WillSupply", "", "")
	yes.SupplyingAgencyMessage.Info.Note = l.condition
	p.later(l, e, yes, supplying(e, "Loaned", "", asked.AddDate(0, 0, 42).Format(time.RFC3339)))
}

func supplying(e *Exchanging, status, unfilled, due string) iso18626.Message {
	h := e.header
	h.Timestamp = time.Now().Format(time.RFC3339Nano)
	return iso18626.Message{
		SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{
			Header: h,
			Info:   iso18626.MessageInfo{Reason: "StatusChange", ReasonUnfilled: unfilled},
			Status: iso18626.StatusInfo{Status: status, DueDate: due, LastChange: h.Timestamp},
		},
	}
}

// answering makes a status the answer to an action.
func answering(m iso18626.Message, reason, yes string) iso18626.Message {
	m.SupplyingAgencyMessage.Info.Reason, m.SupplyingAgencyMessage.Info.Answer = reason, yes
	return m
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
			time.Sleep(l.pause)
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
	e := &Exchanging{
		Number: fmt.Sprintf("%s-%d", l.Symbol, time.Now().UnixMilli()),
		Title:  title,
		State:  "Asked",
		Theirs: true,
		header: iso18626.Header{
			Supplying:  iso18626.Agency{Type: "ISIL", Value: "ORRIN"},
			Requesting: iso18626.Agency{Type: "ISIL", Value: l.Symbol},
			Timestamp:  time.Now().Format(time.RFC3339Nano),
		},
	}
	e.header.RequestingRequestID = e.Number
	l.Exchanges = append(l.Exchanges, e)
	p.later(
		l,
		e,
		iso18626.Message{
			Request: &iso18626.Request{
				Header:        e.header,
				Bibliographic: iso18626.Bibliographic{Title: title},
				Service:       iso18626.Service{Type: "Loan", AnyEdition: "Y"},
			},
		},
	)
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
	page(w, "partners.html", p.libraries)
}
