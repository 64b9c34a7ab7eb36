package slips

import (
	"nevrin/app/act"
	"nevrin/app/totes"
	"nevrin/formats/slip"
)

// ofTote is the label of a tote: where it goes, readable from across the sort room, and its number to be scanned. It
// names nothing that is in it, and nobody.
func ofTote(a *act.Act, id int64) (*Slip, error) {
	t, err := totes.Of(a, id)
	if err != nil {
		return nil, err
	}
	number, err := slip.Number(t.Number)
	if err != nil {
		return nil, err
	}
	rows := []slip.Row{slip.Text(slip.Normal, "Tote from "+t.From+" to"), slip.Bold(slip.Huge, t.To)}
	if t.Leaves != nil {
		leaves := a.Here().SayInstant(*t.Leaves)
		rows = append(rows, slip.Bold(slip.Large, t.Run), slip.Text(slip.Large, leaves))
	}
	rows = append(rows, slip.Text(slip.Normal, things(t.Things)), number, foot(a))
	return &Slip{"Label of tote " + t.Number, rows}, nil
}
