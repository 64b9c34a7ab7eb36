package standin

import (
	"embed"
	"html/template"
	"net/http"
	"slices"
)

//go:embed look.html mailbox.html partners.html pad.html phones.html terminals.html
var files embed.FS

// pages are those of the stand-ins, which look alike.
var pages = template.Must(template.New("").Funcs(template.FuncMap{"newest": newest}).ParseFS(files, "*.html"))

// page writes one of them.
func page(w http.ResponseWriter, name string, of any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := pages.ExecuteTemplate(w, name, of); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
	}
}

// newest gives the last payments at a terminal, the newest first.
func newest(all []*cardPayment) []*cardPayment {
	out := slices.Clone(all[max(0, len(all)-20):])
	slices.Reverse(out)
	return out
}
