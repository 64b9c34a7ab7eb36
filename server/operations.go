package server

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/desk"
	"nevrin/app/history"
	"nevrin/app/network"
	"nevrin/app/night"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/returns"
	"nevrin/app/rules"
	"nevrin/app/scanned"
	"nevrin/app/stock"
	"nevrin/app/today"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store/networkdb"
	"nevrin/store/staffdb"
)

func (s *Server) operations() {
	s.houseOperations()
	s.ruleOperations()
	s.calendarOperations()
	s.deskOperations()
	s.returnOperations()
	s.runOperations()
	s.stockOperations()
	s.titleOperations()
	s.intakeOperations()
	s.itemOperations()
	s.shelfOperations()
	s.holdOperations()
	s.noticeOperations()
	s.interlibraryOperations()
	s.doorOperations()
	s.networkOperations()
	s.peopleOperations()
	s.rosterOperations()
	s.mergeOperations()
	s.loanOperations()
	s.signUpOperations()
}

// Me is who is signed in, where, and when it is.
type Me struct {
	ID       int64            `json:"id"`
	Name     string           `json:"name"`
	Role     role.Role        `json:"role"`
	SetsDue  bool             `json:"sets_due" doc:"May set due dates by hand"`
	Classes  bool             `json:"keeps_classes" doc:"May add and change patron and material classes"`
	Branch   calendar.Code    `json:"branch"`
	Branches []rules.Value    `json:"branches"`
	Network  string           `json:"network"`
	Now      time.Time        `json:"now"`
	Timezone string           `json:"timezone"`
	Currency string           `json:"currency" doc:"Of all sums, as ISO 4217 has it"`
	Style    calendar.Style   `json:"style" doc:"How dates and times are written"`
	Training bool             `json:"training" doc:"Runs on a training clock"`
	Mailbox  string           `json:"mailbox" doc:"Address of the stand-in's mailbox; empty outside the demo"`
	Cards    string           `json:"terminals" doc:"Where cards are held to the stand-ins of card terminals; empty outside the demo"`
	Records  string           `json:"records" doc:"Address of the stand-in for records of titles; empty outside the demo"`
	Outside  string           `json:"outside" doc:"Address of the partners' stand-in; empty outside the demo"`
	Numbers  []ident.Pattern  `json:"numbers" doc:"How numbers look, for showing them in groups"`
	Demo     []DemoStaff      `json:"demo" doc:"People of the demo, for one-click sign-in"`
	SignedIn bool             `json:"signed_in"`
	Rests    bool             `json:"rests" doc:"Nobody has touched this station for a while; its person may come back"`
	Works    []calendar.Code  `json:"works" doc:"Where this person may work"`
	Faults   []network.Fault  `json:"faults" doc:"Parts of what is stored that cannot be read, for who administrates"`
	Lacks    bool             `json:"lacks_second" doc:"Has to set up a second factor before anything else"`
	Stations []StationHere    `json:"stations" doc:"The stations of this branch"`
	Reasons  []ReasonHere     `json:"reasons" doc:"The network's lists to choose a reason from"`
	Prices   []Price          `json:"prices" doc:"The price list of manual charges"`
	Counter  settings.Counter `json:"counter" doc:"How lending and taking back go"`
	Till     bool             `json:"till" doc:"Money is taken only into a till that has been opened"`
	AskTill  bool             `json:"ask_till" doc:"A station that takes money asks once a day which till it goes into"`
	Pieces   []string         `json:"pieces" doc:"The coins and notes that a till is counted in, the largest first"`
	Coin     string           `json:"coin" doc:"The smallest coin, to which cash is rounded"`
	LetOff   int              `json:"let_off" doc:"How many days of lateness this person lets off"`
}

// Price is something that can be charged by hand.
type Price struct {
	Code string `json:"code"`
	Name string `json:"name"`
	Sum  string `json:"sum"`
}

// StationHere is a place with a screen and a scanner, as the network has set it up.
type StationHere struct {
	ID     int64  `json:"id"`
	Name   string `json:"name"`
	Paper  string `json:"paper" enum:"80mm,58mm,a4,letter"`
	Slips  bool   `json:"slips" doc:"Slips print by themselves"`
	Sounds bool   `json:"sounds"`
	Sorts  bool   `json:"sort_room" doc:"Taking back begins with the bin, and not with a patron"`
	Pad    string `json:"pad" doc:"Where its pad is reached; empty: it has none"`
	Cards  bool   `json:"cards" doc:"It has a card terminal"`
}

// ReasonHere is one that can be chosen, of a list.
type ReasonHere struct {
	List string `json:"list" enum:"waive,cancel,refuse"`
	Name string `json:"name"`
}

// DemoStaff is somebody one click away.
type DemoStaff struct {
	Login  string    `json:"login"`
	Name   string    `json:"name"`
	Role   role.Role `json:"role"`
	Branch string    `json:"branch"`
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
	lookOpen(s, "/me", "me", "Who is signed in, where, and when it is", s.me)
	type clock struct {
		Days    int `json:"days" minimum:"0" maximum:"400"`
		Minutes int `json:"minutes" minimum:"0" maximum:"1440"`
	}
	do(
		s,
		http.MethodPost,
		"/clock",
		"moveClock",
		"Move the training clock forward",
		supervising,
		func(a *act.Act, in *Sent[clock]) (time.Time, error) {
			return night.MoveClock(a, time.Duration(in.Body.Days)*24*time.Hour+time.Duration(in.Body.Minutes)*time.Minute)
		},
	)
	type toRead struct {
		Text string `query:"text" minLength:"1" maxLength:"200"`
	}
	look(
		s,
		"/scanned",
		"scanned",
		"What a scanned or typed text is: a card, an item, words, or wrong",
		everyone,
		func(a *act.Act, in *toRead) (*scanned.Read, error) { return scanned.Text(a, in.Text) },
	)
	look(
		s,
		"/today",
		"today",
		"What waits at each branch",
		everyone,
		func(a *act.Act, _ *nothing) ([]today.Row, error) { return today.Look(a) },
	)
	look(
		s,
		"/today/first",
		"firstToday",
		"What to do first in the network",
		everyone,
		func(a *act.Act, _ *nothing) ([]today.Task, error) { return today.First(a) },
	)
	type historyOf struct {
		Paged
		Patron int64 `query:"patron"`
		Item   int64 `query:"item"`
	}
	open(
		s,
		"/history",
		"history",
		"What happened to a patron or an item",
		employed,
		func(a *act.Act, in *historyOf) (Rows[history.Happened], error) {
			page, err := in.page()
			if err != nil {
				return Rows[history.Happened]{}, err
			}
			if in.Item != 0 {
				return rows(history.OfItem(a, in.Item, page))
			}
			return rows(history.OfPatron(a, in.Patron, page))
		},
	)
	type words struct {
		Paged
		Words string `query:"words" minLength:"1" maxLength:"200"`
	}
	open(
		s,
		"/patrons",
		"findPatrons",
		"Find patrons by words",
		employed,
		func(a *act.Act, in *words) (Rows[people.Found], error) {
			page, err := in.page()
			if err != nil {
				return Rows[people.Found]{}, err
			}
			return rows(people.Find(a, in.Words, page))
		},
	)
	type items struct {
		Paged
		Title   int64  `query:"title"`
		Item    int64  `query:"item"`
		Barcode string `query:"barcode"`
	}
	look(
		s,
		"/items",
		"items",
		"Items of a title, or one item",
		everyone,
		func(a *act.Act, in *items) (Rows[catalogue.Item], error) {
			page, err := in.page()
			if err != nil {
				return Rows[catalogue.Item]{}, err
			}
			if in.Title != 0 {
				return rows(catalogue.ItemsOf(a, in.Title, page))
			}
			one, err := catalogue.One(a, in.Item, in.Barcode)
			return Rows[catalogue.Item]{Rows: one}, err
		},
	)
}

func (s *Server) me(a *act.Act) (Me, error) {
	me := Me{
		ID: a.Who.ID, Name: a.Who.Name, Role: a.Who.Role, Branch: a.Who.Branch, Network: a.Network.Name, Now: a.Now,
		Timezone: a.Network.Timezone, Currency: a.Network.Currency, Style: a.Style(),
		Mailbox: s.options.Mailbox, Cards: s.options.Terminals, Outside: s.options.Outside, Records: s.options.Records,
		Numbers:  a.Network.Numbers.Patterns,
		SignedIn: a.Who.ID != 0, SetsDue: a.Who.ID != 0 && a.May().MaySetDue(),
		Classes:  a.Who.ID != 0 && a.May().MayKeepClass("patron"),
		Stations: []StationHere{}, Reasons: []ReasonHere{}, Branches: []rules.Value{}, Works: []calendar.Code{},
		Faults: []network.Fault{}, Demo: []DemoStaff{}, Prices: []Price{}, Counter: a.Network.Settled.Counter, Till: a.Network.Settled.Money.Till,
		Coin: a.Network.Money.Format(max(a.Network.Money.Coin, 1)), AskTill: a.Network.Settled.Money.AskDaily, Pieces: []string{},
	}
	for _, p := range a.Network.Money.Pieces() {
		me.Pieces = append(me.Pieces, a.Network.Money.Format(p))
	}
	if a.Who.Branch != "" { // times are typed and shown by the clock of the branch where one works
		me.Now, me.Timezone = a.Now.In(a.Here().Location), a.Here().Location.String()
	}
	if a.Who.Role == role.Administrator {
		me.Faults = append(me.Faults, a.Faults()...)
	}
	if me.LetOff, _ = a.May().MayLetOff(60); me.LetOff > 60 {
		me.LetOff = 60
	}
	for _, b := range a.Network.Open() {
		me.Branches = append(me.Branches, rules.Value{Code: string(b.Code), Name: b.Name})
		if a.Who.ID != 0 && a.Who.MayWorkAt(b.Code) {
			me.Works = append(me.Works, b.Code)
		}
	}
	e := enteredOf(a.Context)
	me.Lacks = e != nil && e.lacks[needsSecond] != nil
	for _, st := range a.Network.Stations {
		if st.BranchCode == a.Who.Branch {
			me.Stations = append(me.Stations, StationHere{
				st.ID, st.Name, st.Paper, st.Slips, st.Sounds, st.SortRoom, st.Pad, st.Terminal != "",
			})
		}
	}
	for _, c := range a.Network.Choices {
		if !c.Retired && slices.Contains([]string{"waive", "cancel", "refuse"}, c.List) {
			me.Reasons = append(me.Reasons, ReasonHere{c.List, c.Name})
		}
		if !c.Retired && c.List == "charge" && c.Amount != nil {
			me.Prices = append(me.Prices, Price{c.Code, c.Name, a.Network.Money.Format(*c.Amount)})
		}
	}
	if e != nil && e.lacks[isAway] != nil {
		me.ID, me.Name, me.Role, me.Rests = e.ID, e.Name, e.Role, true
	}
	var staff []staffdb.Staff
	var err error
	if s.options.Demo {
		staff, err = staffdb.DemoStaff(a.Tx)
	}
	if err != nil {
		return me, err
	}
	for _, d := range staff {
		me.Demo = append(me.Demo, DemoStaff{d.Login, d.Name, d.Role, a.Network.BranchName(d.BranchCode)})
	}
	me.Training, err = networkdb.Training(a.Tx)
	return me, err
}

func (s *Server) deskOperations() {
	open(
		s,
		"/patrons/{id}",
		"patron",
		"A patron as the desk sees them",
		everyone,
		func(a *act.Act, in *ByID) (*people.Card, error) { return people.Open(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/desk/scan",
		"deskScan",
		"One scan at the desk",
		everyone,
		func(a *act.Act, in *Sent[desk.Scan]) (*desk.Result, error) { return desk.Take(a, in.Body) },
	)
	do(
		s,
		http.MethodPost,
		"/loans/{id}/undo",
		"undoLoan",
		"Undo a loan just made",
		everyone,
		func(a *act.Act, in *One) (*desk.Undone, error) { return desk.Undo(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/loans/{id}/renew",
		"renewLoan",
		"Renew a loan",
		everyone,
		func(a *act.Act, in *One) (*desk.Renewed, error) { return desk.Renew(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/patrons/{id}/extend",
		"extendCard",
		"Extend a card that runs out",
		employed,
		func(a *act.Act, in *One) (*people.Card, error) { return people.Extend(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/money",
		"settle",
		"Take a payment, or waive with a reason",
		employed,
		func(a *act.Act, in *Sent[accounts.Settling]) (*accounts.Settled, error) {
			return accounts.Settle(a, in.Body)
		},
	)
	s.moneyOperations()
	s.slipOperations()
}

func (s *Server) returnOperations() {
	type mode struct {
		Mode string `json:"mode" enum:"bin,patron"`
		Bin  string `json:"bin,omitempty" maxLength:"50" doc:"Which of the branch's bins; empty: the one it has"`
	}
	do(
		s,
		http.MethodPost,
		"/returns",
		"openRun",
		"Open the returns run of a mode, or go on with it",
		everyone,
		func(a *act.Act, in *Sent[mode]) (*returns.Run, error) {
			return returns.Open(a, in.Body.Mode, in.Body.Bin)
		},
	)
	look(
		s,
		"/returns/{id}",
		"run",
		"A returns run as it stands, without its lines",
		everyone,
		func(a *act.Act, in *ByID) (*returns.Run, error) { return returns.Look(a, in.ID) },
	)
	type lines struct {
		Paged
		ID int64 `path:"id"`
	}
	look(
		s,
		"/returns/{id}/lines",
		"runLines",
		"The lines of a returns run, newest first",
		everyone,
		func(a *act.Act, in *lines) (Rows[returns.Line], error) {
			page, err := in.page()
			if err != nil {
				return Rows[returns.Line]{}, err
			}
			return rows(returns.Lines(a, in.ID, page))
		},
	)
	do(
		s,
		http.MethodPost,
		"/returns/{id}/scan",
		"returnScan",
		"One scan of a returns run",
		everyone,
		func(a *act.Act, in *OneSent[Scanned]) (*returns.Change, error) {
			return returns.Scan(a, in.ID, in.Body.Text)
		},
	)
	do(
		s,
		http.MethodPut,
		"/returns/{id}/counted-as",
		"countAs",
		"Change what returns count as",
		employed,
		func(a *act.Act, in *OneSent[returns.Counting]) (*returns.Run, error) {
			return returns.CountAs(a, in.ID, in.Body)
		},
	)
	type patron struct {
		Patron int64 `json:"patron"`
	}
	do(
		s,
		http.MethodPost,
		"/returns/{id}/account",
		"putOnAccount",
		"Leave a patron's open charges on the account",
		everyone,
		func(a *act.Act, in *OneSent[patron]) (*returns.Change, error) {
			return returns.LeaveOnAccount(a, in.ID, in.Body.Patron)
		},
	)
	type ofPatron struct {
		ID     int64 `path:"id"`
		Patron int64 `path:"patron"`
	}
	look(
		s,
		"/returns/{id}/patrons/{patron}",
		"runOfPatron",
		"How a patron's lines of a run stand",
		everyone,
		func(a *act.Act, in *ofPatron) (*returns.Change, error) {
			return returns.OfPatron(a, in.ID, in.Patron)
		},
	)
	do(
		s,
		http.MethodPost,
		"/returns/{id}/finish",
		"finishRun",
		"Finish a returns run",
		everyone,
		func(a *act.Act, in *One) (*returns.Run, error) { return returns.Finish(a, in.ID) },
	)
	type note struct {
		Answer string `json:"answer" enum:"stays,off,repair,withdrawn,rebuy"`
	}
	do(
		s,
		http.MethodPost,
		"/return-lines/{id}/note",
		"answerNote",
		"Answer the note on an item that came back",
		everyone,
		func(a *act.Act, in *OneSent[note]) (*returns.Change, error) {
			return returns.AnswerNote(a, in.ID, in.Body.Answer)
		},
	)
	do(
		s,
		http.MethodPost,
		"/return-lines/{id}/undo",
		"undoReturn",
		"Undo one line of a returns run",
		everyone,
		func(a *act.Act, in *One) (*returns.Change, error) { return returns.UndoLine(a, in.ID) },
	)
}

// runOperations are what is done with a run of returns beside scanning.
func (s *Server) runOperations() {
	look(s, "/bins", "bins", "The bins of this branch, and when each was emptied", everyone,
		func(a *act.Act, _ *nothing) (Rows[returns.Bin], error) {
			list, err := returns.Bins(a)
			return Rows[returns.Bin]{Rows: list}, err
		})
	type words struct {
		Paged
		Words string `query:"words" minLength:"1" maxLength:"200"`
	}
	look(s, "/returns/lent", "lentByWords", "Copies on loan by words of their titles, where no label can be read", everyone,
		func(a *act.Act, in *words) (Rows[returns.OnLoan], error) {
			page, err := in.page()
			if err != nil {
				return Rows[returns.OnLoan]{}, err
			}
			return rows(returns.Find(a, in.Words, page))
		})
	type tick struct {
		Kind  circulation.Kind `json:"kind" enum:"shelf,hold_shelf,tote,outside,aside"`
		Place string           `json:"place" maxLength:"200"`
		Seen  bool             `json:"seen"`
	}
	do(s, http.MethodPost, "/returns/{id}/piles", "tickPile", "Tick a pile of a run off, or not", everyone,
		func(a *act.Act, in *OneSent[tick]) (*returns.Change, error) {
			return returns.Tick(a, in.ID, in.Body.Kind, in.Body.Place, in.Body.Seen)
		})
	type ofPatron struct {
		ID     int64 `path:"id"`
		Patron int64 `path:"patron"`
	}
	open(s, "/returns/{id}/patrons/{patron}/rest", "restOf",
		"What a patron still has, and what waits for them", employed,
		func(a *act.Act, in *ofPatron) (*returns.Rest, error) { return returns.RestOf(a, in.ID, in.Patron) })
	type missing struct {
		What string `json:"what" minLength:"1" maxLength:"200"`
	}
	do(s, http.MethodPost, "/return-lines/{id}/missing", "partsMissing",
		"Write down what is missing of something that came back", everyone,
		func(a *act.Act, in *OneSent[missing]) (*returns.Change, error) {
			return returns.Missing(a, in.ID, in.Body.What)
		})
	do(s, http.MethodPost, "/return-lines/{id}/excuse", "excuseLine", "Take the charge of a line back, since the library was at fault", employed,
		func(a *act.Act, in *OneSent[Because]) (*returns.Change, error) {
			return returns.Excuse(a, in.ID, in.Body.Reason)
		})
}

func (s *Server) stockOperations() {
	type text struct {
		Text string `json:"text" maxLength:"500"`
	}
	do(
		s,
		http.MethodPut,
		"/items/{id}/note",
		"noteItem",
		"Write the note on an item, or take it off",
		employed,
		func(a *act.Act, in *OneSent[text]) (Done, error) {
			return Done{true}, stock.Note(a, in.ID, in.Body.Text)
		},
	)
	type class struct {
		Class string `json:"class"`
	}
	do(
		s,
		http.MethodPut,
		"/patrons/{id}/class",
		"classifyPatron",
		"Correct how a patron is classed",
		employed,
		func(a *act.Act, in *OneSent[class]) (Done, error) {
			return Done{true}, people.Classify(a, in.ID, in.Body.Class)
		},
	)
	do(
		s,
		http.MethodPut,
		"/items/{id}/classing",
		"classifyItem",
		"Correct how an item is classed",
		employed,
		func(a *act.Act, in *OneSent[stock.Classing]) (Done, error) {
			return Done{true}, stock.Classify(a, in.ID, in.Body)
		},
	)
}

// testMail is to whom a test is sent.
type testMail struct {
	Body struct {
		To string `json:"to" maxLength:"200" doc:"An email address"`
	}
}

func (s *Server) noticeOperations() {
	listing(
		s,
		"/mailings",
		"mailings",
		"Mailings, and messages that are stuck",
		employed,
		func(a *act.Act, in *Paged) (notices.Overview, error) {
			page, err := in.page()
			if err != nil {
				return notices.Overview{}, err
			}
			return notices.Look(a, page)
		},
	)
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
	listing(
		s,
		"/mailings/{id}/messages",
		"messages",
		"The messages of a mailing",
		employed,
		func(a *act.Act, in *messages) (Rows[notices.Message], error) {
			page, err := in.page()
			if err != nil {
				return Rows[notices.Message]{}, err
			}
			return rows(notices.Messages(a, in.ID, page))
		},
	)
	type send struct {
		LeaveOut []int64 `json:"leave_out" nullable:"false"`
	}
	do(
		s,
		http.MethodPost,
		"/mailings/{id}/send",
		"sendMailing",
		"Send a trial run",
		supervising,
		func(a *act.Act, in *OneSent[send]) (notices.Mailing, error) {
			return notices.Send(a, in.ID, in.Body.LeaveOut)
		},
	)
	do(
		s,
		http.MethodPost,
		"/mailings/{id}/drop",
		"dropMailing",
		"Give a trial run up",
		supervising,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, notices.Drop(a, in.ID) },
	)
	type settle struct {
		Again bool `json:"again" doc:"Send it again; otherwise it is taken to have gone"`
	}
	do(
		s,
		http.MethodPost,
		"/messages/{id}/settle",
		"settleMessage",
		"Decide an unclear message, or say that one was told by hand",
		employed,
		func(a *act.Act, in *OneSent[settle]) (Done, error) {
			return Done{true}, notices.Settle(a, in.ID, in.Body.Again)
		},
	)
}
