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
	"nevrin/core/role"
	"nevrin/formats/iso18626"
)

var exchanging = []role.Role{role.Administrator, role.Supervisor, role.Interlibrary}

// WordsQuery asks for what has these words.
type WordsQuery struct {
	Words string `query:"words" minLength:"1" maxLength:"200"`
}

// Waiting is a number of things that wait for us.
type Waiting struct {
	Ours int `json:"ours" doc:"Where we act next"`
}

func (s *Server) interlibraryOperations() {
	listing(s, "/interlibrary", "requests", "Requests, our move first", exchanging, inPages(interlibrary.List))
	look(s, "/interlibrary/count", "requestCount", "How many requests wait for us", exchanging,
		func(a *act.Act, _ *nothing) (Waiting, error) {
			ours, err := interlibrary.Ours(a)
			return Waiting{ours}, err
		})
	// Partners are asked outside of any transaction: one that is slow must not hold up the database.
	huma.Register(
		s.api,
		s.guarded(http.MethodGet, "/interlibrary/search", "searchOutside", "Search all partners over SRU", exchanging),
		func(ctx context.Context, in *WordsQuery) (*Out[[]interlibrary.Found], error) {
			who, err := s.who(ctx, exchanging)
			if err != nil {
				return nil, err
			}
			list, err := act.Look(
				ctx,
				s.house,
				who,
				interlibrary.ToAsk,
			)
			if err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[[]interlibrary.Found]{interlibrary.Search(ctx, s.house, list, in.Words)}, nil
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
	do(s, http.MethodPost, "/interlibrary/{id}/send-home", "sendHome", "Say that it has gone home", exchanging, one(interlibrary.SendHome))
	look(s, "/interlibrary/{id}/copies", "copiesFor", "Our copies of what a partner asks for", exchanging, byID(interlibrary.Copies))
	do(s, http.MethodPost, "/interlibrary/{id}/reply", "replyToPartner",
		"Answer a partner's request", exchanging, oneSent(interlibrary.Reply))
	do(s, http.MethodPost, "/interlibrary/{id}/ship", "shipToPartner",
		"Lend the copy to the partner and send it", exchanging, one(interlibrary.Ship))
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
