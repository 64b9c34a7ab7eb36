// Package scanned tells what was scanned or typed, for the places that do nothing with a scan themselves: whose card it
// is, which item, or what is wrong with it. What a code is, nobody else decides.
package scanned

import (
	"nevrin/app/act"
	"nevrin/core/ident"
	"nevrin/core/sight"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Read is a scanned or typed text, with what it is.
type Read struct {
	Kind    ident.Kind `json:"kind" enum:"card,item,wrong,words"`
	Number  string     `json:"number" doc:"The full number of a card or item"`
	Patron  int64      `json:"patron,omitempty"`
	Item    int64      `json:"item,omitempty"`
	Says    string     `json:"says" doc:"What is wrong with it, in a sentence; empty where nothing is"`
	Free    bool       `json:"free" doc:"It is the number of a label that nothing has"`
	Product bool       `json:"product" doc:"It is a publisher's product code, by which titles are searched"`
}

// Text reads a text, and looks for the card or item that it names.
func Text(a *act.Act, text string) (*Read, error) {
	scan := a.Network.Numbers.Read(text)
	r := &Read{Kind: scan.Kind, Number: scan.Number, Says: scan.Problem, Product: scan.Product}
	unknown := func(what string) {
		r.Kind, r.Says = ident.Wrong, ident.Unknown(what, scan.Number, scan.Completed)
	}
	switch scan.Kind {
	case ident.Card:
		if sight.NeedsCard(a.Who.Role) { // whose card it is they are told at the desk, which counts how many they scan
			return r, nil
		}
		p, err := peopledb.PatronByCard(a.Tx, scan.Number)
		if err != nil {
			return nil, err
		}
		if p == nil {
			unknown("card")
			return r, nil
		}
		r.Patron = p.ID
	case ident.Item:
		items, err := stockdb.OneItem(a.Tx, 0, scan.Number)
		if err != nil {
			return nil, err
		}
		if len(items) == 0 {
			unknown("item")
			r.Free = scan.Pattern.Use != ident.Guest
			return r, nil
		}
		r.Item = items[0].ID
	}
	return r, nil
}
