package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/sweeps"
	"nevrin/store"
)

func (s *Server) sweepOperations() {
	ask(s, "/sweeps/preview", "previewSweep", "What a change of many records would do", supervising,
		func(a *act.Act, in *sweeps.Change) (*sweeps.Previewed, error) { return sweeps.Preview(a, *in) })
	askListing(s, "/sweeps/preview/lines", "sweepLines", "The records that a change would concern", supervising, sweeps.Lines)
	do(s, http.MethodPost, "/sweeps", "applySweep", "Change many records", supervising,
		func(a *act.Act, in *Sent[sweeps.Change]) (*sweeps.Applied, error) { return sweeps.Apply(a, in.Body) })
	look(s, "/sweeps", "sweeps", "Changes of many records, the latest first", supervising, inPages(sweeps.List))
	type lines struct {
		Paged
		ID    int64  `path:"id"`
		State string `query:"state" enum:"waiting,done,kept,undone,stays"`
	}
	listing(s, "/sweeps/{id}/lines", "linesOfSweep", "The records that a change concerned", supervising,
		paged(func(a *act.Act, in *lines, page store.Page) ([]sweeps.Record, store.Page, error) {
			return sweeps.LinesOf(a, in.ID, in.State, page)
		}))
	for path, does := range map[string]struct {
		id, summary string
		do          func(*act.Act, int64) (*sweeps.Applied, error)
	}{
		"stop":     {"stopSweep", "Stop a change of many records where it is", sweeps.Stop},
		"continue": {"continueSweep", "Continue a change that was stopped", sweeps.Continue},
		"undo":     {"undoSweep", "Undo a change of many records", sweeps.Undo},
	} {
		do(s, http.MethodPost, "/sweeps/{id}/"+path, does.id, does.summary, supervising,
			func(a *act.Act, in *One) (*sweeps.Applied, error) { return does.do(a, in.ID) })
	}
}
