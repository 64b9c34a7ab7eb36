package server

import (
	"net/http"
	"time"

	"nevrin/app/accesslog"
	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/history"
	"nevrin/app/keeping"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/app/scanned"
	"nevrin/app/staff"
	"nevrin/app/today"
	"nevrin/app/upkeep"
	"nevrin/core/role"
	"nevrin/store"
)

var administrating = []role.Role{role.Administrator}

// doorOperations are about who works here, what they may see and do, and for how long what concerns persons is kept.
func (s *Server) doorOperations() {
	look(s, "/own", "own", "One's own door: name, short code, where one may work", everyone, asks(staff.Look), needsSecond)
	look(s, "/status", "status", "How the installation stands, and what it needs before its first day", administrating, asks(upkeep.Stand))
	look(s, "/staff", "staff", "Who works here", administrating, asks(staff.List))
	once(s, http.MethodPost, "/staff/{id}/link", "makeLink",
		"Make a link with which somebody sets a new password, once", administrating, byID(staff.MakeLink))
	do(s, http.MethodPost, "/staff/{id}/end-sessions", "endSessions", "End all sessions of somebody", administrating,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, staff.EndSessions(a, in.ID, "") })
	do(s, http.MethodPost, "/staff/{id}/second-off", "dropSecond",
		"Take somebody's second factor away, for who has lost it", administrating,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, staff.DropSecond(a, in.ID) })
	type whose struct {
		Paged
		Patron int64 `query:"patron"`
		Staff  int64 `query:"staff"`
	}
	look(s, "/readings", "readings", "Who has opened whose record, and searched for whom", supervising,
		paged(func(a *act.Act, in *whose, page store.Page) ([]accesslog.Reading, store.Page, error) {
			return accesslog.List(a, in.Patron, in.Staff, page)
		}))
	do(s, http.MethodPut, "/patrons/{id}/history", "chooseHistory",
		"Write what a patron chooses of their lending history", employed, oneSent(keeping.Choose))
	open(s, "/patrons/{id}/forgetting", "forgetting", "What stands in the way of forgetting a patron", supervising, byID(keeping.Look))
	do(s, http.MethodPost, "/patrons/{id}/forget", "forget", "Forget a patron for good", supervising, one(keeping.Forget))
}

func (s *Server) houseOperations() {
	lookOpen(s, "/me", "me", "Who is signed in, where, and when it is", s.me)
	type clock struct {
		Days    int `json:"days" minimum:"0" maximum:"400"`
		Minutes int `json:"minutes" minimum:"0" maximum:"1440"`
	}
	do(s, http.MethodPost, "/clock", "moveClock", "Move the training clock forward", supervising,
		func(a *act.Act, in *Sent[clock]) (time.Time, error) {
			return night.MoveClock(a, time.Duration(in.Body.Days)*24*time.Hour+time.Duration(in.Body.Minutes)*time.Minute)
		})
	type toRead struct {
		Text string `query:"text" minLength:"1" maxLength:"200"`
	}
	look(s, "/scanned", "scanned", "What a scanned or typed text is: a card, an item, words, or wrong", everyone,
		func(a *act.Act, in *toRead) (*scanned.Read, error) { return scanned.Text(a, in.Text) })
	look(s, "/today", "today", "What waits at each branch", everyone, asks(today.Look))
	look(s, "/today/first", "firstToday", "What to do first in the network", everyone, asks(today.First))
	type historyOf struct {
		Paged
		Patron int64 `query:"patron"`
		Item   int64 `query:"item"`
	}
	open(s, "/history", "history", "What happened to a patron or an item", employed,
		paged(func(a *act.Act, in *historyOf, page store.Page) ([]history.Happened, store.Page, error) {
			if in.Item != 0 {
				return history.OfItem(a, in.Item, page)
			}
			return history.OfPatron(a, in.Patron, page)
		}))
	type words struct {
		Paged
		Words string `query:"words" minLength:"1" maxLength:"200"`
	}
	open(s, "/patrons", "findPatrons", "Find patrons by words", employed,
		paged(func(a *act.Act, in *words, page store.Page) ([]people.Found, store.Page, error) {
			return people.Find(a, in.Words, page)
		}))
	type items struct {
		Paged
		Title   int64  `query:"title"`
		Item    int64  `query:"item"`
		Barcode string `query:"barcode"`
	}
	look(s, "/items", "items", "Items of a title, or one item", everyone, func(a *act.Act, in *items) (Rows[catalogue.Item], error) {
		page, err := in.page()
		if err != nil {
			return Rows[catalogue.Item]{}, err
		}
		if in.Title != 0 {
			return rows(catalogue.ItemsOf(a, in.Title, page))
		}
		one, err := catalogue.One(a, in.Item, in.Barcode)
		return Rows[catalogue.Item]{Rows: one}, err
	})
}
