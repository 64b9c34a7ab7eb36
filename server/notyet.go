package server

import (
	"net/http"
	"strings"
)

// NotYet answers while the database cannot be reached: a page that tries again by itself.
func NotYet(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Retry-After", "2")
	if strings.HasPrefix(r.URL.Path, "/api/") {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusServiceUnavailable)
		_, _ = w.Write(
			[]byte(`{"status":503,"detail":"The database cannot be reached. Nothing was changed. Retrying automatically."}`),
		)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(http.StatusServiceUnavailable)
	_, _ = w.Write(
		[]byte(
			`<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="2"><title>Nevrin waits for its database</title>
<body style="font:18px/1.5 system-ui,sans-serif;max-width:34rem;margin:4rem auto;background:#f7f3ea;color:#1b2730">
<h1 style="font-size:26px">Nevrin waits for its database</h1>
<p>PostgreSQL cannot be reached yet. Nothing is lost. This page looks again every two seconds and goes on by itself.</p>`,
		),
	)
}
