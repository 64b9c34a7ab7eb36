package server

import (
	"net/http"
	"time"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/rules"
	"nevrin/app/stock"
	"nevrin/app/today"
	"nevrin/core/calendar"
	"nevrin/store"
)

func (s *Server) operations() {
	s.houseOperations()
	s.ruleOperations()
	s.calendarOperations()
	s.deskOperations()
	s.stockOperations()
	s.holdOperations()
	s.noticeOperations()
	s.interlibraryOperations()
}

// Me is who is signed in, where, and when it is.
type Me struct {
	Name     string        `json:"name"`
	Role     string        `json:"role"`
	Branch   string        `json:"branch"`
	Branches []rules.Value `json:"branches"`
	Network  string        `json:"network"`
	Now      time.Time     `json:"now"`
	Timezone string        `json:"timezone"`
	Training bool          `json:"training" doc:"Runs on a training clock"`
	Mailbox  string        `json:"mailbox" doc:"Address of the stand-in's mailbox; empty outside the demo"`
	Outside  string        `json:"outside" doc:"Address of the partners' stand-in; empty outside the demo"`
	Digits   string        `json:"digits"`
	Demo     []DemoStaff   `json:"demo" doc:"People of the demo, for one-click sign-in"`
	SignedIn bool          `json:"signed_in"`
}

// DemoStaff is somebody one click away.
type DemoStaff struct {
	Login  string `json:"login"`
	Name   string `json:"name"`
	Role   string `json:"role"`
	Branch string `json:"branch"`
}

type nothing struct{}

// ByID asks for one thing by its number.
type ByID struct {
	ID int64 `path:"id"`
}

// Scanned is a text that was scanned or typed.
type Scanned struct {
	Text string `json:"text" minLength:"1" maxLength:"200"`
}

func (s *Server) houseOperations() {
	lookOpen(s, "/me", "me", "Who is signed in, where, and when it is", func(a *act.Act) (Me, error) {
		me := Me{Name: a.Who.Name, Role: a.Who.Role, Branch: a.Who.Branch, Network: a.Network.Name, Now: a.Now, Timezone: a.Network.Timezone,
			Mailbox: s.options.Mailbox, Outside: s.options.Outside, Digits: a.Network.Digits, SignedIn: a.Who.ID != 0, Branches: []rules.Value{}, Demo: []DemoStaff{}}
		for _, b := range a.Network.Branches {
			me.Branches = append(me.Branches, rules.Value{Code: b.Code, Name: b.Name})
		}
		var staff []store.Staff
		if err := a.Where("demo AND active").Order("id").Find(&staff).Error; err != nil {
			return me, err
		}
		for _, d := range staff {
			me.Demo = append(me.Demo, DemoStaff{d.Login, d.Name, d.Role, a.Network.BranchName(d.BranchCode)})
		}
		return me, a.Raw("SELECT count(*) > 0 FROM training_clock").Scan(&me.Training).Error
	})
	type clock struct {
		Days    int `json:"days" minimum:"0" maximum:"400"`
		Minutes int `json:"minutes" minimum:"0" maximum:"1440"`
	}
	do(s, http.MethodPost, "/clock", "moveClock", "Move the training clock forward", supervising, func(a *act.Act, in *Sent[clock]) (time.Time, error) {
		return today.MoveClock(a, time.Duration(in.Body.Days)*24*time.Hour+time.Duration(in.Body.Minutes)*time.Minute)
	})
	look(s, "/today", "today", "What waits at each branch", everyone, func(a *act.Act, _ *nothing) ([]today.Row, error) { return today.Look(a) })
	type historyOf struct {
		Patron int64 `query:"patron"`
		Item   int64 `query:"item"`
	}
	look(s, "/history", "history", "What happened to a patron or an item", employed, func(a *act.Act, in *historyOf) ([]people.Happened, error) {
		return people.History(a, in.Patron, in.Item)
	})
	type words struct {
		Words string `query:"words" minLength:"1" maxLength:"200"`
	}
	look(s, "/titles", "findTitles", "Find titles by words", everyone, func(a *act.Act, in *words) ([]people.Title, error) { return people.FindTitles(a, in.Words) })
	look(s, "/patrons", "findPatrons", "Find patrons by words", everyone, func(a *act.Act, in *words) ([]desk.Found, error) { return desk.FindPatrons(a, in.Words) })
	type items struct {
		Title   int64  `query:"title"`
		Item    int64  `query:"item"`
		Barcode string `query:"barcode"`
	}
	look(s, "/items", "items", "Items of a title, or one item", everyone, func(a *act.Act, in *items) ([]people.Item, error) {
		return people.Items(a, in.Title, in.Item, in.Barcode)
	})
}

func (s *Server) deskOperations() {
	look(s, "/patrons/{id}", "patron", "A patron as the desk sees them", everyone, func(a *act.Act, in *ByID) (*desk.Card, error) { return desk.Open(a, in.ID) })
	do(s, http.MethodPost, "/desk/scan", "deskScan", "One scan at the desk", everyone, func(a *act.Act, in *Sent[desk.Scan]) (*desk.Result, error) { return desk.Take(a, in.Body) })
	do(s, http.MethodPost, "/loans/{id}/undo", "undoLoan", "Undo a loan just made", everyone, func(a *act.Act, in *One) (*desk.Card, error) { return desk.Undo(a, in.ID) })
	do(s, http.MethodPost, "/loans/{id}/renew", "renewLoan", "Renew a loan", everyone, func(a *act.Act, in *One) (*desk.Renewed, error) { return desk.Renew(a, in.ID) })
	do(s, http.MethodPost, "/patrons/{id}/extend", "extendCard", "Extend a card that runs out", employed, func(a *act.Act, in *One) (*desk.Card, error) { return desk.Extend(a, in.ID) })
	do(s, http.MethodPost, "/money", "settle", "Take a payment, or waive with a reason", employed, func(a *act.Act, in *Sent[desk.Settling]) (*desk.Card, error) { return desk.Settle(a, in.Body) })

	type mode struct {
		Mode string `json:"mode" enum:"bin,patron"`
	}
	do(s, http.MethodPost, "/returns", "openRun", "Open the returns run of a mode, or go on with it", everyone, func(a *act.Act, in *Sent[mode]) (*desk.Run, error) { return desk.OpenRun(a, in.Body.Mode) })
	do(s, http.MethodPost, "/returns/{id}/scan", "returnScan", "One scan of a returns run", everyone, func(a *act.Act, in *OneSent[Scanned]) (*desk.Run, error) { return desk.Return(a, in.ID, in.Body.Text) })
	type counted struct {
		Day *calendar.Date `json:"day,omitempty" format:"date" doc:"None: now"`
	}
	do(s, http.MethodPut, "/returns/{id}/counted-as", "countAs", "Change what returns count as", employed, func(a *act.Act, in *OneSent[counted]) (*desk.Run, error) { return desk.CountAs(a, in.ID, in.Body.Day) })
	type patron struct {
		Patron int64 `json:"patron"`
	}
	do(s, http.MethodPost, "/returns/{id}/account", "putOnAccount", "Leave a patron's open charges on the account", everyone, func(a *act.Act, in *OneSent[patron]) (*desk.Run, error) {
		return desk.PutOnAccount(a, in.ID, in.Body.Patron)
	})
	do(s, http.MethodPost, "/returns/{id}/finish", "finishRun", "Finish a returns run", everyone, func(a *act.Act, in *One) (*desk.Run, error) { return desk.Finish(a, in.ID) })
	type note struct {
		Answer string `json:"answer" enum:"stays,off,repair,withdrawn"`
	}
	do(s, http.MethodPost, "/return-lines/{id}/note", "answerNote", "Answer the note on an item that came back", everyone, func(a *act.Act, in *OneSent[note]) (*desk.Run, error) {
		return desk.AnswerNote(a, in.ID, in.Body.Answer)
	})
	do(s, http.MethodPost, "/return-lines/{id}/undo", "undoReturn", "Undo one line of a returns run", everyone, func(a *act.Act, in *One) (*desk.Run, error) { return desk.UndoLine(a, in.ID) })
}

func (s *Server) stockOperations() {
	type text struct {
		Text string `json:"text" maxLength:"500"`
	}
	do(s, http.MethodPut, "/items/{id}/note", "noteItem", "Write the note on an item, or take it off", employed, func(a *act.Act, in *OneSent[text]) (Done, error) {
		return Done{true}, stock.Note(a, in.ID, in.Body.Text)
	})
	type class struct {
		Class string `json:"class"`
	}
	do(s, http.MethodPut, "/patrons/{id}/class", "classifyPatron", "Correct how a patron is classed", employed, func(a *act.Act, in *OneSent[class]) (Done, error) {
		return Done{true}, people.Classify(a, in.ID, in.Body.Class)
	})
	do(s, http.MethodPost, "/items/{id}/in-use", "backInUse", "End that an item is put aside or missing", employed, func(a *act.Act, in *One) (Done, error) { return Done{true}, stock.BackInUse(a, in.ID) })
	do(s, http.MethodPut, "/items/{id}/classing", "classifyItem", "Correct how an item is classed", employed, func(a *act.Act, in *OneSent[stock.Classing]) (Done, error) {
		return Done{true}, stock.Classify(a, in.ID, in.Body)
	})
}

func (s *Server) holdOperations() {
	do(s, http.MethodPost, "/holds", "placeHold", "Place a hold", employed, func(a *act.Act, in *Sent[holds.Order]) (*holds.Hold, error) { return holds.Place(a, in.Body) })
	type list struct {
		Title int64 `query:"title"`
	}
	look(s, "/holds", "holds", "Open holds for pickup here, or of a title", everyone, func(a *act.Act, in *list) ([]holds.Hold, error) { return holds.List(a, a.Who.Branch, in.Title) })
	type reason struct {
		Reason string `json:"reason" maxLength:"500"`
	}
	do(s, http.MethodPost, "/holds/{id}/cancel", "cancelHold", "Cancel a hold", employed, func(a *act.Act, in *OneSent[reason]) (*holds.Hold, error) {
		return holds.Cancel(a, in.ID, in.Body.Reason)
	})
	look(s, "/fetch", "fetchList", "What to take from the shelves here now", everyone, func(a *act.Act, _ *nothing) ([]holds.Fetch, error) { return holds.FetchList(a, a.Who.Branch) })
	do(s, http.MethodPost, "/holds/{id}/missed", "missed", "Not found on the shelf", everyone, func(a *act.Act, in *One) (Done, error) { return Done{true}, holds.Missed(a, in.ID) })
	do(s, http.MethodPost, "/in-hand", "inHand", "An item in hand: fetched, received or found", everyone, func(a *act.Act, in *Sent[Scanned]) (*holds.Taken, error) { return holds.InHand(a, in.Body.Text) })
	look(s, "/transits", "transits", "What is under way to or from here", everyone, func(a *act.Act, _ *nothing) ([]today.Transit, error) { return today.Moving(a, a.Who.Branch) })
}

func (s *Server) noticeOperations() {
	look(s, "/mailings", "mailings", "Mailings, and messages that are stuck", employed, func(a *act.Act, _ *nothing) (notices.Overview, error) { return notices.Look(a) })
	look(s, "/mailings/{id}/messages", "messages", "The messages of a mailing", employed, func(a *act.Act, in *ByID) ([]notices.Message, error) { return notices.Messages(a, in.ID) })
	type send struct {
		LeaveOut []int64 `json:"leave_out" nullable:"false"`
	}
	do(s, http.MethodPost, "/mailings/{id}/send", "sendMailing", "Send a trial run", supervising, func(a *act.Act, in *OneSent[send]) (notices.Mailing, error) {
		return notices.Send(a, in.ID, in.Body.LeaveOut)
	})
	do(s, http.MethodPost, "/mailings/{id}/drop", "dropMailing", "Give a trial run up", supervising, func(a *act.Act, in *One) (Done, error) { return Done{true}, notices.Drop(a, in.ID) })
	type settle struct {
		Again bool `json:"again" doc:"Send it again; otherwise it is taken to have gone"`
	}
	do(s, http.MethodPost, "/messages/{id}/settle", "settleMessage", "Decide an unclear message", supervising, func(a *act.Act, in *OneSent[settle]) (Done, error) {
		return Done{true}, notices.Settle(a, in.ID, in.Body.Again)
	})
}
