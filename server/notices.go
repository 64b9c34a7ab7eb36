package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/app/notices"
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
			if err := notices.Test(ctx, s.house, who, in.Body.To); err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[Done]{Done{true}}, nil
		},
	)
	listing(s, "/mailings/{id}/messages", "messages", "The messages of a mailing", employed,
		paged(func(a *act.Act, in *messages, page store.Page) ([]notices.Message, store.Page, error) {
			return notices.Messages(a, in.ID, page)
		}))
	type send struct {
		LeaveOut []int64 `json:"leave_out" nullable:"false"`
	}
	do(s, http.MethodPost, "/mailings/{id}/send", "sendMailing", "Send a trial run", supervising,
		func(a *act.Act, in *OneSent[send]) (notices.Mailing, error) {
			return notices.Send(a, in.ID, in.Body.LeaveOut)
		})
	do(s, http.MethodPost, "/mailings/{id}/drop", "dropMailing", "Give a trial run up", supervising,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, notices.Drop(a, in.ID) })
	type settle struct {
		Again bool `json:"again" doc:"Send it again; otherwise it is taken to have gone"`
	}
	do(s, http.MethodPost, "/messages/{id}/settle", "settleMessage",
		"Decide an unclear message, or say that one was told by hand", employed,
		func(a *act.Act, in *OneSent[settle]) (Done, error) {
			return Done{true}, notices.Settle(a, in.ID, in.Body.Again)
		})
}
