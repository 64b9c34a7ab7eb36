package server

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/store"
)

func (s *Server) noticeOperations() {
	listing(s, "/mailings", "mailings", "Mailings, and messages that are stuck", employed,
		func(a *act.Act, in *Paged) (notices.Overview, error) {
			page, err := in.page()
			if err != nil {
				return notices.Overview{}, err
			}
			return notices.Look(a, page)
		})
	type messages struct {
		Paged
		ID int64 `path:"id"`
	}
	// The mail server is asked outside of any transaction: one that is slow must not hold up the database.
	huma.Register(
		s.api,
		s.guarded(http.MethodPost, "/mail/test", "testMail", "Send a test email with what is settled", administrating),
		func(ctx context.Context, in *testMail) (*Out[Done], error) {
			who, err := s.who(ctx, administrating)
			if err != nil {
				return nil, err
			}
			if err := notices.Test(ctx, s.house, who, in.Body.To, nil); err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[Done]{Done{true}}, nil
		},
	)
	type people struct {
		Paged
		notices.Which
		ID int64 `path:"id"`
	}
	listing(s, "/mailings/{id}/people", "mailingPeople", "Those whom a run tells", employed,
		paged(func(a *act.Act, in *people, page store.Page) ([]notices.InRun, store.Page, error) {
			return notices.People(a, in.ID, in.Which, page)
		}))
	type oneOf struct {
		ID        int64  `path:"id"`
		Recipient int64  `query:"recipient" required:"true"`
		Channel   string `query:"channel" enum:",mail,text,phone,letter"`
	}
	open(s, "/mailings/{id}/text", "mailingText", "What somebody is told in a run", employed,
		func(a *act.Act, in *oneOf) (*notices.Message, error) {
			return notices.Text(a, in.ID, in.Recipient, in.Channel)
		})
	do(s, http.MethodPost, "/mailings/{id}/leave-out", "leaveOut", "Leave somebody out of a trial run, or take them in again", supervising,
		func(a *act.Act, in *OneSent[notices.LeavingOut]) (Done, error) {
			return Done{true}, notices.LeaveOut(a, in.ID, in.Body)
		})
	do(s, http.MethodPost, "/mailings/{id}/leave-title", "leaveTitle", "Leave out of a trial run what it tells of a title", supervising,
		func(a *act.Act, in *OneSent[notices.LeavingTitle]) (Done, error) {
			return Done{true}, notices.LeaveTitle(a, in.ID, in.Body)
		})
	type send struct {
		Runs []int64 `json:"runs" minItems:"1" maxItems:"100" nullable:"false" doc:"Sent together, so that each person gets one message by each channel"`
	}
	do(s, http.MethodPost, "/mailings/send", "sendMailings", "Send trial runs", supervising,
		func(a *act.Act, in *Sent[send]) (Done, error) { return Done{true}, notices.Send(a, in.Body.Runs) })
	do(s, http.MethodPost, "/mailings/{id}/later", "sendLater", "Set when a trial run is sent by itself", supervising,
		func(a *act.Act, in *OneSent[notices.SendingLater]) (Done, error) {
			return Done{true}, notices.SendLater(a, in.ID, in.Body)
		})
	for path, does := range map[string]struct {
		id, summary string
		do          func(*act.Act, int64) error
	}{
		"drop":  {"dropMailing", "Give a trial run up", notices.Drop},
		"stop":  {"stopMailing", "Keep what has not left yet of a run from leaving", notices.Stop},
		"go-on": {"goOnMailing", "Send on what was stopped", notices.GoOn},
	} {
		do(s, http.MethodPost, "/mailings/{id}/"+path, does.id, does.summary, supervising,
			func(a *act.Act, in *One) (Done, error) { return Done{true}, does.do(a, in.ID) })
	}
	type letters struct {
		Branch calendar.Code `query:"branch" maxLength:"3"`
	}
	listing(s, "/letters", "letters", "Letters that wait to be posted, in postal order", employed,
		func(a *act.Act, in *letters) (Rows[notices.Letter], error) {
			list, err := notices.Letters(a, in.Branch)
			return Rows[notices.Letter]{Rows: list}, err
		})
	type posted struct {
		Messages []int64 `json:"messages" minItems:"1" maxItems:"2000" nullable:"false"`
	}
	do(s, http.MethodPost, "/letters/posted", "lettersPosted", "Mark letters as posted", employed,
		func(a *act.Act, in *Sent[posted]) (int, error) { return notices.Posted(a, in.Body.Messages) })
	s.calls()
	look(s, "/notice-plans", "noticePlans", "What patrons are told of, and in which words", supervising, asks(upkeep.Tellings))
	look(s, "/notice-plans/week", "noticeWeek", "What each plan would send in the coming week", supervising, asks(notices.Week))
	keepTold(s, "plan", upkeep.AddPlan)
	keepTold(s, "wording", upkeep.AddWording)
	ask(s, "/wordings/try", "tryWording", "What a wording makes of a real case", supervising,
		func(a *act.Act, in *notices.Trying) (*notices.Tried, error) { return notices.Try(a, *in) })
	huma.Register(
		s.api,
		s.guarded(http.MethodPost, "/wordings/send", "sendWording", "Send a wording that is tried to an address", supervising),
		func(ctx context.Context, in *sentWording) (*Out[Done], error) {
			who, err := s.who(ctx, supervising)
			if err != nil {
				return nil, err
			}
			if err := notices.Test(ctx, s.house, who, in.Body.To, &in.Body.Wording); err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[Done]{Done{true}}, nil
		},
	)
	type settle struct {
		Again bool `json:"again" doc:"Send it again; otherwise it is taken to have gone"`
	}
	do(s, http.MethodPost, "/messages/{id}/settle", "settleMessage",
		"Decide a message that is unclear or was refused", employed,
		func(a *act.Act, in *OneSent[settle]) (Done, error) {
			return Done{true}, notices.Settle(a, in.ID, in.Body.Again)
		})
}

// calls registers the operations of those who tell patrons by telephone.
func (s *Server) calls() {
	type which struct {
		Paged
		Branch calendar.Code `query:"branch" maxLength:"3" doc:"Where a hold waits, else the home branch; empty: all"`
	}
	listing(s, "/calls", "calls", "Whom to tell by telephone", employed,
		paged(func(a *act.Act, in *which, page store.Page) ([]notices.Call, store.Page, error) {
			return notices.Calls(a, in.Branch, page)
		}))
	do(s, http.MethodPost, "/messages/{id}/calling", "calling", "Begin a call, or give it up", employed,
		func(a *act.Act, in *OneSent[notices.Calling]) (Done, error) {
			return Done{true}, notices.SetCalling(a, in.ID, in.Body)
		})
	do(s, http.MethodPost, "/messages/{id}/called", "called", "Write the outcome of a call", employed,
		func(a *act.Act, in *OneSent[notices.Called]) (Done, error) {
			return Done{true}, notices.SetCalled(a, in.ID, in.Body)
		})
	do(s, http.MethodPost, "/messages/{id}/uncalled", "uncalled", "Undo that somebody was told by telephone", employed,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, notices.UndoCalled(a, in.ID) })
}

// keepTold registers the operations that add, change and remove plans or wordings.
func keepTold[T any](s *Server, sort string, add func(*act.Act, T) (*upkeep.Kept, error)) {
	path, name := "/notice-"+sort+"s", strings.ToUpper(sort[:1])+sort[1:]
	do(s, http.MethodPost, path, "add"+name, "Add a "+sort+" of notices", supervising,
		func(a *act.Act, in *Sent[T]) (*upkeep.Kept, error) { return add(a, in.Body) })
	do(s, http.MethodPut, path+"/{key}", "keep"+name, "Change a "+sort+" of notices", supervising,
		func(a *act.Act, in *KeyedSent[SettledAs[T]]) (*upkeep.Kept, error) {
			return upkeep.Put(a, sort, in.Key, in.Body.Seen, in.Body.Is)
		})
	type seen struct {
		Seen int64 `json:"seen" doc:"The last change of it that was seen; 0: none"`
	}
	do(s, http.MethodPost, path+"/{key}/remove", "remove"+name, "Remove a "+sort+" of notices", supervising,
		func(a *act.Act, in *KeyedSent[seen]) (*upkeep.Kept, error) {
			return upkeep.TakeAway(a, sort, in.Key, in.Body.Seen)
		})
}

// sentWording is a wording that is sent to an address to see how it looks.
type sentWording struct {
	Body struct {
		To      string         `json:"to" minLength:"3" maxLength:"200" doc:"An email address"`
		Wording notices.Trying `json:"wording"`
	}
}
