package server

import (
	"bytes"
	"context"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"nevrin/app/act"
	"nevrin/app/calendars"
	"nevrin/app/intake"
	"nevrin/app/keeping"
	"nevrin/app/problem"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/formats/sheet"
)

// files are what is taken away as a file.
func (s *Server) files(r chi.Router) {
	r.Get(
		"/api/rulebook/editions/{id}/file.json",
		s.file(
			everyone,
			"application/json",
			func(a *act.Act, id int64, _ *http.Request) ([]byte, error) { return rules.File(a, id) },
		),
	)
	r.Get(
		"/api/intakes/{id}/left.csv",
		s.file(
			administrating,
			"text/csv",
			func(a *act.Act, id int64, _ *http.Request) ([]byte, error) { return table(intake.Left(a, id)) },
		),
	)
	r.Get("/api/intakes/{id}/left.xml", s.file(administrating, "application/marcxml+xml",
		func(a *act.Act, id int64, _ *http.Request) ([]byte, error) { return intake.LeftRecords(a, id) }))
	r.Get(
		"/api/rulebook/editions/{id}/review.csv",
		s.file(
			everyone,
			"text/csv",
			func(a *act.Act, id int64, _ *http.Request) ([]byte, error) { return table(rules.Review(a, id)) },
		),
	)
	r.Get(
		"/api/rulebook/editions/{id}/grid.csv",
		s.file(everyone, "text/csv", func(a *act.Act, id int64, r *http.Request) ([]byte, error) {
			q := r.URL.Query()
			at := SituationQuery{
				calendar.Code(q.Get("lending_branch")),
				calendar.Code(q.Get("home_branch")),
				q.Get("collection"),
				q.Get("material_class"),
				q.Get("patron_class"),
			}
			return table(
				rules.GridTable(
					a,
					rules.Question{
						Edition: id,
						Term:    q.Get("term"),
						Rows:    q.Get("rows"),
						Columns: q.Get("columns"),
						At:      at.situation(),
					},
				),
			)
		}),
	)
	r.Get(
		"/api/calendars/{id}/calendar.ics",
		s.file(everyone, "text/calendar", func(a *act.Act, _ int64, r *http.Request) ([]byte, error) {
			text, err := calendars.File(a, calendar.Code(chi.URLParam(r, "id")))
			return []byte(text), err
		}),
	)
	// All that is kept holds what somebody has read, whether they show it to staff or not: the supervisor hands it over, and
	// that it was taken out is kept.
	r.Get(
		"/api/patrons/{id}/kept.json",
		s.opened(supervising, "application/json", func(a *act.Act, id int64, _ *http.Request) ([]byte, error) {
			return keeping.All(a, id)
		}),
	)
	r.Get(
		"/api/rehearsals/{id}/table.csv",
		s.file(supervising, "text/csv", func(a *act.Act, id int64, _ *http.Request) ([]byte, error) {
			found, err := rules.Rehearsed(a, id)
			if err != nil {
				return nil, err
			}
			if found.Result == nil {
				return nil, problem.Newf(problem.Refused, "This rehearsal is not finished.")
			}
			var out bytes.Buffer
			err = rules.WriteCSV(&out, found, a.Network.Money)
			return out.Bytes(), err
		}),
	)
}

func table(lines [][]string, err error) ([]byte, error) {
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = sheet.Write(&out, lines)
	return out.Bytes(), err
}

// writing makes a file about one thing.
type writing func(a *act.Act, id int64, r *http.Request) ([]byte, error)

// file answers with a file about one thing.
func (s *Server) file(roles []role.Role, kind string, write writing) http.HandlerFunc {
	return s.fileBy(roles, kind, write, act.Look[[]byte])
}

// opened answers with a file about a person: that it was taken is kept.
func (s *Server) opened(roles []role.Role, kind string, write writing) http.HandlerFunc {
	return s.fileBy(roles, kind, write, func(
		ctx context.Context, h *act.House, who act.Actor, ask func(*act.Act) ([]byte, error),
	) ([]byte, error) {
		return act.Do(ctx, h, who, "", nil, ask)
	})
}

func (s *Server) fileBy(
	roles []role.Role,
	kind string,
	write writing,
	by func(context.Context, *act.House, act.Actor, func(*act.Act) ([]byte, error)) ([]byte, error),
) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		who, err := s.who(r.Context(), roles)
		if err != nil {
			s.refuse(w, r, err)
			return
		}
		id, _ := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
		data, err := by(r.Context(), s.house, who, func(a *act.Act) ([]byte, error) { return write(a, id, r) })
		if err != nil {
			s.refuse(w, r, err)
			return
		}
		w.Header().Set("Content-Type", kind+"; charset=utf-8")
		_, _ = w.Write(data)
	}
}
