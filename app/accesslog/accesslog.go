// Package accesslog shows who has opened whose record, and searched for whom, to those who answer for that.
package accesslog

import (
	"time"

	"nevrin/app/act"
	"nevrin/store"
	"nevrin/store/keepingdb"
	"nevrin/store/peopledb"
)

// Reading is an entry of the log: somebody opened a patron's record, or searched for patrons.
type Reading struct {
	ID     int64     `json:"id"`
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Branch string    `json:"branch"`
	Kind   string    `json:"kind" enum:"scanned,opened,history,searched,listed,taken_out"`
	Patron int64     `json:"patron_id,omitempty"`
	Name   string    `json:"patron"`
	Words  string    `json:"words" doc:"What was searched for, or which list was looked at"`
}

// List gives a page of readings, the latest first: all, those of a patron, or those by somebody.
func List(a *act.Act, patron, staff int64, page store.Page) ([]Reading, store.Page, error) {
	rows, next, err := keepingdb.Readings(a.Tx, patron, staff, page)
	out := make([]Reading, len(rows))
	for k, r := range rows {
		out[k] = Reading{ID: r.ID, At: r.At, Who: r.Who, Kind: r.Kind, Words: r.Words}
		if r.BranchCode != nil {
			out[k].Branch = a.Network.BranchName(*r.BranchCode)
		}
		if r.PatronID != nil {
			out[k].Patron = *r.PatronID
			out[k].Name = (&peopledb.Patron{LegalName: *r.LegalName, PreferredName: *r.PreferredName}).Name()
		}
	}
	return out, next, err
}
