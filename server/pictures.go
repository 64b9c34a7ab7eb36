package server

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/store/stockdb"
)

// cover gives the picture of a title.
func (s *Server) cover(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "private, max-age=3600", func(a *act.Act, id int64) (string, []byte, error) {
		c, err := stockdb.CoverOf(a.Tx, id)
		if err != nil || c == nil {
			return "", nil, err
		}
		return c.Kind, c.Picture, nil
	})
}

// photo gives the photograph of a patron. No cache keeps it.
func (s *Server) photo(w http.ResponseWriter, r *http.Request) {
	s.picture(w, r, "no-store", func(a *act.Act, id int64) (string, []byte, error) {
		p, err := people.Photo(a, id)
		if err != nil {
			return "", nil, err
		}
		return p.Kind, p.Picture, nil
	})
}

// pictured gives the kind of a picture and the picture itself.
type pictured func(a *act.Act, id int64) (string, []byte, error)

// picture answers with a picture of what has an id.
func (s *Server) picture(w http.ResponseWriter, r *http.Request, cache string, of pictured) {
	who, err := s.who(r.Context(), everyone)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	id, _ := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	kind := ""
	data, err := act.Look(r.Context(), s.house, who, func(a *act.Act) (out []byte, err error) {
		kind, out, err = of(a, id)
		return out, err
	})
	if err == nil && len(data) == 0 {
		err = problem.NoSuch("picture")
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Cache-Control", cache)
	_, _ = w.Write(data)
}
