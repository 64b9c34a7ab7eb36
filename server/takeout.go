package server

import (
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nevrin/app/problem"
	"nevrin/app/takeout"
	"nevrin/store"
)

// pageTime is how long one page of what is taken out may take to be written to who asked: a large network takes longer in all
// than any answer may.
const pageTime = time.Minute

// takeOut writes all of something that the network has, in an open format. It is written as it is read, so what goes wrong in
// the middle ends the file short: the connection is broken off, and whoever fetches it is told by their program.
func (s *Server) takeOut(w http.ResponseWriter, r *http.Request) {
	who, err := s.who(r.Context(), administrating)
	file := chi.URLParam(r, "file")
	kind := takeout.Files[file]
	if err == nil && kind == "" {
		err = problem.NoSuch("file")
	}
	if err == nil {
		err = takeout.Begin(r.Context(), s.house, who, file)
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", `attachment; filename="`+file+`"`)
	if r.URL.Query().Get("mark") == "yes" && strings.HasSuffix(file, ".csv") {
		_, _ = io.WriteString(w, takeout.ByteOrderMark)
	}
	control := http.NewResponseController(w)
	err = takeout.Write(r.Context(), s.house, who, file, w, func(int) error {
		return control.SetWriteDeadline(time.Now().Add(pageTime))
	})
	if err != nil {
		s.log.Error("what was taken out ended short", "file", file, "problem", store.Written(err))
		panic(http.ErrAbortHandler)
	}
}
