package server

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store/networkdb"
	"nevrin/store/staffdb"
)

// Me describes who is signed in, where, and what time it is there.
type Me struct {
	ID        int64            `json:"id"`
	Name      string           `json:"name"`
	Role      role.Role        `json:"role"`
	SetsDue   bool             `json:"sets_due" doc:"May set due dates by hand"`
	Classes   bool             `json:"keeps_classes" doc:"May add and change patron and material classes"`
	Branch    calendar.Code    `json:"branch"`
	Branches  []rules.Value    `json:"branches"`
	Network   string           `json:"network"`
	Now       time.Time        `json:"now"`
	Timezone  string           `json:"timezone"`
	Currency  string           `json:"currency" doc:"Of all sums, as ISO 4217 has it"`
	Style     calendar.Style   `json:"style" doc:"How dates and times are written"`
	Languages []string         `json:"languages" nullable:"false" doc:"In which patrons are written to, the default first"`
	Training  bool             `json:"training" doc:"Runs on a training clock"`
	Mailbox   string           `json:"mailbox" doc:"Address of the stand-in's mailbox; empty outside the demo"`
	Cards     string           `json:"terminals" doc:"Where cards are held to the stand-ins of card terminals; empty outside the demo"`
	Records   string           `json:"records" doc:"Address of the stand-in for records of titles; empty outside the demo"`
	Outside   string           `json:"outside" doc:"Address of the partners' stand-in; empty outside the demo"`
	Numbers   []ident.Pattern  `json:"numbers" doc:"How numbers look, for showing them in groups"`
	Demo      []DemoStaff      `json:"demo" doc:"People of the demo, for one-click sign-in"`
	SignedIn  bool             `json:"signed_in"`
	Rests     bool             `json:"rests" doc:"Nobody has touched this station for a while; its person may come back"`
	Works     []calendar.Code  `json:"works" doc:"Where this person may work"`
	Faults    []network.Fault  `json:"faults" doc:"Parts of what is stored that cannot be read, for who administrates"`
	Lacks     bool             `json:"lacks_second" doc:"Has to set up a second factor before anything else"`
	Stations  []StationHere    `json:"stations" doc:"The stations of this branch"`
	Reasons   []ReasonHere     `json:"reasons" doc:"The network's lists to choose a reason from"`
	Prices    []Price          `json:"prices" doc:"The price list of manual charges"`
	Counter   settings.Counter `json:"counter" doc:"How lending and taking back go"`
	Till      bool             `json:"till" doc:"Money is taken only into a till that has been opened"`
	AskTill   bool             `json:"ask_till" doc:"A station that takes money asks once a day which till it goes into"`
	Pieces    []string         `json:"pieces" doc:"The coins and notes that a till is counted in, the largest first"`
	Coin      string           `json:"coin" doc:"The smallest coin, to which cash is rounded"`
	LetOff    int              `json:"let_off" doc:"How many days of lateness this person lets off"`
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

func (s *Server) me(a *act.Act) (Me, error) {
	me := Me{
		ID: a.Who.ID, Name: a.Who.Name, Role: a.Who.Role, Branch: a.Who.Branch, Network: a.Network.Name, Now: a.Now,
		Timezone: a.Network.Timezone, Currency: a.Network.Currency, Style: a.Style(), Languages: a.Network.Settled.Notices.Languages,
		Mailbox: s.options.Mailbox, Cards: s.options.Terminals, Outside: s.options.Outside, Records: s.options.Records,
		Numbers:  a.Network.Numbers.Patterns,
		SignedIn: a.Who.ID != 0, SetsDue: a.Who.ID != 0 && a.May().MaySetDue(),
		Classes:  a.Who.ID != 0 && a.May().MayKeepClass("patron"),
		Stations: []StationHere{}, Reasons: []ReasonHere{}, Branches: []rules.Value{}, Works: []calendar.Code{},
		Faults: []network.Fault{}, Demo: []DemoStaff{}, Prices: []Price{}, Counter: a.Network.Settled.Counter, Till: a.Network.Settled.Money.Till,
		Coin: a.Network.Money.Format(max(a.Network.Money.Coin, 1)), AskTill: a.Network.Settled.Money.AskDaily, Pieces: []string{},
	}
	for _, piece := range a.Network.Money.Pieces() {
		me.Pieces = append(me.Pieces, a.Network.Money.Format(piece))
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
	for _, branch := range a.Network.Open() {
		me.Branches = append(me.Branches, rules.Value{Code: string(branch.Code), Name: branch.Name})
		if a.Who.ID != 0 && a.Who.MayWorkAt(branch.Code) {
			me.Works = append(me.Works, branch.Code)
		}
	}
	e := enteredOf(a.Context)
	me.Lacks = e != nil && e.lacks[needsSecond] != nil
	for _, station := range a.Network.Stations {
		if station.BranchCode == a.Who.Branch {
			me.Stations = append(me.Stations, StationHere{
				station.ID, station.Name, station.Paper, station.Slips, station.Sounds, station.SortRoom, station.Pad, station.Terminal != "",
			})
		}
	}
	for _, choice := range a.Network.Choices {
		if !choice.Retired && slices.Contains([]string{"waive", "cancel", "refuse"}, choice.List) {
			me.Reasons = append(me.Reasons, ReasonHere{choice.List, choice.Name})
		}
		if !choice.Retired && choice.List == "charge" && choice.Amount != nil {
			me.Prices = append(me.Prices, Price{choice.Code, choice.Name, a.Network.Money.Format(*choice.Amount)})
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
	for _, member := range staff {
		me.Demo = append(me.Demo, DemoStaff{member.Login, member.Name, member.Role, a.Network.BranchName(member.BranchCode)})
	}
	me.Training, err = networkdb.Training(a.Tx)
	return me, err
}
