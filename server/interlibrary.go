package server

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"nevrin/app/act"
	"nevrin/app/interlibrary"
	"nevrin/app/partners"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/core/role"
	"nevrin/formats/iso18626"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
)

var exchanging = []role.Role{role.Administrator, role.Supervisor, role.Interlibrary}

// WordsQuery asks a partner for what has these words.
type WordsQuery struct {
	Words   string `query:"words" minLength:"1" maxLength:"200"`
	Partner int64  `query:"partner"`
}

// RequestsQuery narrows the list of requests.
type RequestsQuery struct {
	Paged
	Group   interlibrarydb.Group `query:"group" enum:",ours,theirs,late,packed,ended,all" doc:"Empty: what is open or ended in the last month"`
	Role    exchange.Role        `query:"role" enum:",requesting,supplying"`
	Partner int64                `query:"partner"`
	Branch  calendar.Code        `query:"branch" maxLength:"3" doc:"Where it is picked up, packed, or its copy stands"`
	Stage   exchange.Stage       `query:"stage" enum:",asked,promised,shipped,there,back,done,refused,withdrawn"`
	Words   string               `query:"words" maxLength:"200" doc:"Of the title, the number, or for whom it is"`
}

type scannedText struct {
	Text string `json:"text" minLength:"1" maxLength:"200"`
}

type someRequests struct {
	Requests []int64 `json:"requests" minItems:"1" maxItems:"500"`
}

type severalAnswers struct {
	Answers []interlibrary.OneOf `json:"answers" minItems:"1" maxItems:"100"`
}

type aNote struct {
	Note string `json:"note" maxLength:"500"`
}

func (s *Server) interlibraryOperations() {
	listing(s, "/interlibrary", "requests", "Requests, our move first", exchanging, paged(
		func(a *act.Act, in *RequestsQuery, page store.Page) ([]interlibrary.Request, store.Page, error) {
			return interlibrary.List(a, interlibrarydb.Filter{
				Group: in.Group, Role: in.Role, Partner: in.Partner, Branch: in.Branch, Stage: in.Stage, Words: in.Words,
			}, page)
		}))
	look(s, "/interlibrary/count", "requestCount", "How many requests wait for us, and how many are late", exchanging, asks(interlibrary.Count))
	look(s, "/interlibrary/partners", "partnersOutside", "The libraries outside", exchanging, asks(interlibrary.Partners))
	look(s, "/interlibrary/new", "newRequests", "New requests of partners, each with a proposed answer", exchanging, asks(interlibrary.Proposals))
	look(s, "/interlibrary/{id}", "request", "A request with its whole story", exchanging, byID(interlibrary.One))
	do(s, http.MethodPost, "/interlibrary/scan", "scanInterlibrary", "Pack, receive or find what is in hand", exchanging,
		sent(func(a *act.Act, b scannedText) (*interlibrary.Scanned, error) { return interlibrary.Scan(a, b.Text) }))
	do(s, http.MethodPost, "/interlibrary/handed-over", "handOver", "Say that packed parcels have left", exchanging,
		sent(func(a *act.Act, b someRequests) ([]interlibrary.Request, error) {
			return interlibrary.HandOver(a, b.Requests)
		}))
	// A partner is asked outside of any transaction: one that is slow must not hold up the database.
	huma.Register(
		s.api,
		s.guarded(http.MethodGet, "/interlibrary/search", "searchOutside", "Search a partner's catalogue over SRU", exchanging),
		func(ctx context.Context, in *WordsQuery) (*Out[interlibrary.Found], error) {
			who, err := s.who(ctx, exchanging)
			if err != nil {
				return nil, err
			}
			of, err := act.Look(ctx, s.house, who, func(a *act.Act) (*interlibrary.Asked, error) { return interlibrary.ToAsk(a, in.Partner) })
			if err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[interlibrary.Found]{interlibrary.Search(ctx, s.house, of, in.Words)}, nil
		},
	)
	do(s, http.MethodPost, "/interlibrary", "askOutside", "Ask a partner for a title", exchanging, sent(interlibrary.Ask))
	do(s, http.MethodPost, "/interlibrary/{id}/withdraw", "withdrawRequest",
		"Take a request of ours back", exchanging, one(interlibrary.Withdraw))
	do(s, http.MethodPost, "/interlibrary/{id}/renew", "renewOutside",
		"Ask the lender to renew what our patron has", exchanging, one(interlibrary.Renew))
	do(s, http.MethodPost, "/interlibrary/{id}/seen", "seenRefusal",
		"Say that a no has been dealt with", exchanging, one(interlibrary.Seen))
	type arrival struct {
		Due *calendar.Date `json:"due,omitempty" format:"date" doc:"A date agreed with the lender, where theirs has gone by; none: theirs"`
	}
	do(s, http.MethodPost, "/interlibrary/{id}/arrived", "arrivedFromOutside", "Take in what a partner sent", exchanging,
		func(a *act.Act, in *OneSent[arrival]) (*interlibrary.Taken, error) {
			return interlibrary.Arrived(a, in.ID, in.Body.Due)
		})
	do(s, http.MethodPost, "/interlibrary/{id}/reply", "replyToPartner",
		"Answer a partner's request", exchanging, oneSent(interlibrary.Reply))
	do(s, http.MethodPost, "/interlibrary/replies", "replyToPartners", "Answer several requests of partners: all or none", exchanging,
		sent(func(a *act.Act, b severalAnswers) ([]interlibrary.Request, error) {
			return interlibrary.ReplyAll(a, b.Answers)
		}))
	do(s, http.MethodPost, "/interlibrary/{id}/pack", "packRequest", "Pack what a request is about", exchanging, one(interlibrary.Pack))
	do(s, http.MethodPost, "/interlibrary/{id}/unpack", "unpackRequest", "Take it out of its parcel again", exchanging, one(interlibrary.Unpack))
	do(s, http.MethodPost, "/interlibrary/{id}/copy-sent", "copySent", "Say that a copy has been sent to a partner", exchanging, one(interlibrary.Sent))
	do(s, http.MethodPost, "/interlibrary/{id}/recall", "recallFromPartner", "Ask a partner to send back what they have", exchanging,
		oneSent(func(a *act.Act, id int64, b aNote) (*interlibrary.Request, error) {
			return interlibrary.Recall(a, id, b.Note)
		}))
	do(s, http.MethodPost, "/interlibrary/{id}/lost", "lostByPartner", "A partner has lost what they had: bill it and end the request", exchanging,
		oneSent(func(a *act.Act, id int64, b aNote) (*interlibrary.Request, error) {
			return interlibrary.LostByThem(a, id, b.Note)
		}))
	do(s, http.MethodPost, "/interlibrary/{id}/trouble", "reportToLender", "Tell a lender that something of theirs was lost or damaged here", exchanging,
		oneSent(interlibrary.ReportTrouble))
	do(s, http.MethodPost, "/interlibrary/{id}/heard", "heardFromPartner", "Enter what a partner without a system has said", exchanging,
		oneSent(interlibrary.Hear))
	do(s, http.MethodPost, "/interlibrary/theirs", "enterTheirRequest", "Enter a request of a partner by hand", exchanging, sent(interlibrary.Enter))
	do(s, http.MethodPost, "/interlibrary/{id}/chase", "chaseLender", "Ask a lender how a request of ours stands", exchanging, one(interlibrary.Chase))
}

// mostMessages is how many messages a partner may send within a minute.
const mostMessages = 120

// exchange takes the ISO 18626 messages of partners. A secret tells who it is: as a bearer's token (RFC 6750), or in the
// address for those whose programs cannot send one. Who does not know one is not listened to.
func (s *Server) exchange(w http.ResponseWriter, r *http.Request) {
	secret, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if inAddress := chi.URLParam(r, "secret"); inAddress != "" {
		secret = inAddress
	}
	if unreadable(secret) {
		secret = ""
	}
	partner, err := partners.Who(r.Context(), s.house, secret)
	if err != nil {
		w.Header().Set("Connection", "close")
		s.refuse(w, r, err)
		return
	}
	if s.messages.RespondOnLimit(w, r, partner.Symbol) {
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, iso18626.MaxLength))
	if err != nil {
		http.Error(w, "the message is too long", http.StatusRequestEntityTooLarge)
		return
	}
	readWhole(w)
	m, err := iso18626.Read(bytes.NewReader(body))
	if unreadable(string(body)) {
		err = errors.New("the message is not in UTF-8")
	}
	if err != nil {
		s.confirm(w, r, iso18626.Malformed(string(body), time.Now(), err.Error()))
		return
	}
	who := act.Machine
	who.Branch = ""
	who = by(r.Context(), who)
	answer, err := act.Do(r.Context(), s.house, who, "", nil, func(a *act.Act) (iso18626.Message, error) {
		return partners.Incoming(a, partner, m, string(body))
	})
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.confirm(w, r, answer)
}

// confirm answers a partner's message. What was wrong stands in the answer: the standard knows no other way to say it.
func (s *Server) confirm(w http.ResponseWriter, r *http.Request, answer iso18626.Message) {
	data, err := iso18626.Write(answer)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/xml")
	_, _ = w.Write(data)
}
