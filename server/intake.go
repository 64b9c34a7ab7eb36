package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/intake"
	"nevrin/app/notices"
	"nevrin/store"
)

// intakeOperations take files of other systems in.
func (s *Server) intakeOperations() {
	look(s, "/intakes", "intakes", "Files of other systems that were taken in, the latest first", administrating, inPages(intake.List))
	do(s, http.MethodPost, "/intakes", "beginIntake",
		"Begin to take a file in; its parts are sent next", administrating, sent(intake.Begin))
	look(s, "/intakes/{id}", "intake", "A file that is taken in, with what it says", administrating, byID(intake.One))
	do(s, http.MethodPost, "/intakes/{id}/parts", "sendPart", "Send a part of a file", administrating, oneSent(intake.Send))
	do(s, http.MethodPost, "/intakes/{id}/try", "tryIntake",
		"Try a file with a mapping; nothing is taken", administrating, oneSent(intake.Try))
	for _, d := range []struct {
		path, id, summary string
		do                func(*act.Act, int64) (*intake.Intake, error)
	}{
		{"take", "takeIntake", "Take a file in that has been tried", intake.Take},
		{"undo", "undoIntake", "Take back what came with a file", intake.Undo},
		{"stop", "stopIntake", "Stop what is being done with a file", intake.Stop},
		{"drop", "dropIntake", "Let a file go without taking it in", intake.Drop},
	} {
		do(s, http.MethodPost, "/intakes/{id}/"+d.path, d.id, d.summary, administrating, one(d.do))
	}
	do(s, http.MethodPost, "/intakes/route", "routeMoved",
		"Find copies at once for what waits, without waiting for the night", administrating,
		func(a *act.Act, _ *Write) (Done, error) { return Done{true}, holds.RouteNow(a) })
	do(s, http.MethodPost, "/intakes/tell", "tellMoved",
		"Work out at once the notices of what is overdue, without waiting for the night", administrating,
		func(a *act.Act, _ *Write) (Done, error) { return Done{true}, notices.WorkOutNow(a) })
	type odd struct {
		ByID
		Paged
	}
	look(s, "/intakes/{id}/lines", "intakeLines",
		"Lines that are left or taken without something, in the order of the file", administrating,
		paged(func(a *act.Act, in *odd, page store.Page) ([]intake.Odd, store.Page, error) {
			return intake.OddLines(a, in.ID, page)
		}))
}
