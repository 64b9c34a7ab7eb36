package testkit

import (
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/returns"
)

// LentAndBack lends an item to somebody and takes it back, as it would have been so many days ago, and gives the loan.
func (w *World) LentAndBack(who act.Actor, patron int64, item string, daysAgo int) (loan int64) {
	w.t.Helper()
	lent := Do(w.t, w.House, who, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: item, Patron: patron})
	})
	require.Equal(w.t, "lent", lent.Kind, lent.Text)
	run := Do(w.t, w.House, who, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	Do(w.t, w.House, who, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, item) })
	w.Set(`UPDATE loans SET lent_at = lent_at - make_interval(days => ?),
		returned_at = returned_at - make_interval(days => ?) WHERE id = ?`, daysAgo+1, daysAgo, lent.Line.LoanID)
	return lent.Line.LoanID
}
