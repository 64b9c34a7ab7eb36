package server

import (
	"bytes"
	"crypto/subtle"
	"encoding/json"
	"io"
	"net/http"
	"strings"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/problem"
)

// reportsPath is where mail servers report which emails came back.
const reportsPath = "/mail-reports"

// longestReport bounds a report, which may hold the whole email that came back.
const longestReport = 1 << 20

// mailReport takes a report of RFC 3464 on emails that were sent, as the body of a request (message/rfc822). Who sends it has the secret that the
// program was started with, as a bearer's token (RFC 6750).
func (s *Server) mailReport(w http.ResponseWriter, r *http.Request) {
	secret, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if s.options.Reports == "" || subtle.ConstantTimeCompare([]byte(secret), []byte(s.options.Reports)) != 1 {
		w.Header().Set("Connection", "close")
		s.refuse(w, r, problem.Newf(problem.Forbidden, "Send the secret of NEVRIN_MAIL_REPORTS as a bearer's token."))
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, longestReport))
	if err != nil {
		http.Error(w, "the report is too long", http.StatusRequestEntityTooLarge)
		return
	}
	readWhole(w)
	n, err := act.Do(r.Context(), s.house, act.Machine, "", nil, func(a *act.Act) (int, error) {
		return notices.Reported(a, bytes.NewReader(body))
	})
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]int{"messages": n})
}
