package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/intake"
	"nevrin/app/notices"
	coreintake "nevrin/core/intake"
)

// intakeOperations take files of other systems in.
func (s *Server) intakeOperations() {
	look(s, "/intakes", "intakes", "Files of other systems that were taken in, the latest first", administrating,
		func(a *act.Act, in *Paged) (Rows[intake.Intake], error) {
			page, err := in.page()
			if err != nil {
				return Rows[intake.Intake]{}, err
			}
			return rows(intake.List(a, page))
		})
	do(s, http.MethodPost, "/intakes", "beginIntake", "Begin to take a file in; its parts are sent next",
		administrating,
		func(a *act.Act, in *Sent[intake.Beginning]) (*intake.Intake, error) { return intake.Begin(a, in.Body) })
	look(s, "/intakes/{id}", "intake", "A file that is taken in, with what it says", administrating,
		func(a *act.Act, in *ByID) (*intake.Intake, error) { return intake.One(a, in.ID) })
	do(s, http.MethodPost, "/intakes/{id}/parts", "sendPart", "Send a part of a file", administrating,
		func(a *act.Act, in *OneSent[intake.Part]) (*intake.Come, error) {
			return intake.Send(a, in.ID, in.Body)
		})
	do(s, http.MethodPost, "/intakes/{id}/try", "tryIntake", "Try a file with a mapping; nothing is taken",
		administrating,
		func(a *act.Act, in *OneSent[coreintake.Mapping]) (*intake.Intake, error) {
			return intake.Try(a, in.ID, in.Body)
		})
	for _, d := range []struct {
		path, id, summary string
		do                func(*act.Act, int64) (*intake.Intake, error)
	}{
		{"take", "takeIntake", "Take a file in that has been tried", intake.Take},
		{"undo", "undoIntake", "Take back what came with a file", intake.Undo},
		{"stop", "stopIntake", "Stop what is being done with a file", intake.Stop},
		{"drop", "dropIntake", "Let a file go without taking it in", intake.Drop},
	} {
		do(s, http.MethodPost, "/intakes/{id}/"+d.path, d.id, d.summary, administrating,
			func(a *act.Act, in *One) (*intake.Intake, error) { return d.do(a, in.ID) })
	}
	do(s, http.MethodPost, "/intakes/route", "routeMoved", "Find copies at once for what waits, without waiting for the night", administrating,
		func(a *act.Act, _ *Write) (Done, error) { return Done{true}, holds.RouteNow(a) })
	do(s, http.MethodPost, "/intakes/tell", "tellMoved", "Work out at once the notices of what is overdue, without waiting for the night",
		administrating,
		func(a *act.Act, _ *Write) (Done, error) { return Done{true}, notices.WorkOutNow(a) })
	type odd struct {
		ByID
		Paged
	}
	look(s, "/intakes/{id}/lines", "intakeLines", "Lines that are left or taken without something, in the order of the file",
		administrating,
		func(a *act.Act, in *odd) (Rows[intake.Odd], error) {
			page, err := in.page()
			if err != nil {
				return Rows[intake.Odd]{}, err
			}
			return rows(intake.OddLines(a, in.ID, page))
		})
}
