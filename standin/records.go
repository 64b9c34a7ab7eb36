package standin

import (
	"bytes"
	"context"
	"fmt"
	"hash/fnv"
	"html/template"
	"image"
	"image/color"
	"image/png"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"github.com/boombuler/barcode/ean"

	"nevrin/formats/cql"
	"nevrin/formats/marc"
	"nevrin/formats/sru"
)

// Records is a simulated service for records of titles: it answers over SRU with MARCXML, and has pictures of most. It knows some
// titles that have just come out, which nobody has yet, and has its moods: one number it answers late, one with somebody else's
// record, one with a record without a title; and it goes away when told to on its page.
type Records struct {
	books []published
	down  atomic.Bool
	page  *http.Server
}

type published struct {
	ISBN, Title, Rest, Family, Given, Publisher, Pages, Subject, Summary, Form string
	Mood                                                                       string // as the page tells
}

// The moods of the service, by number.
const (
	moodLate     = "answers after ten seconds"
	moodAnother  = "answers with another title's record"
	moodNameless = "has a record without a title"
	moodBare     = "has no picture"
)

const lateness = 10 * time.Second

// NewRecords builds the service.
func NewRecords() *Records {
	s := &Records{}
	for k, b := range []published{
		{Title: "The tide table reader", Family: "Quist", Given: "Roswen", Pages: "214 pages", Subject: "Tides"},
		{
			Title: "Bread for winter ferries", Rest: "forty loaves", Family: "Rook", Given: "Maude",
			Pages: "160 pages", Subject: "Bread",
		},
		{Title: "What the fog said", Family: "Brannock", Given: "Ivo", Pages: "302 pages", Subject: "Fog signals"},
		{
			Title: "Knots for left hands", Family: "Orchard", Given: "Pell",
			Pages: "96 pages", Subject: "Knots and splices",
		},
		{
			Title: "A small atlas of jetties", Family: "Norrback", Given: "Edda",
			Pages: "128 pages", Subject: "Piers", Form: "large",
		},
		{Title: "Herring gull, herring thief", Family: "Marsk", Given: "Hedda", Pages: "48 pages", Subject: "Gulls"},
		{
			Title: "Songs of the net loft", Family: "Thorne", Given: "Anselm",
			Pages: "1 sound disc", Subject: "Sea songs", Form: "sound",
		},
		{
			Title: "The light at Skarrin", Family: "Penrose", Given: "Brid",
			Pages: "1 videodisc", Subject: "Lighthouses", Form: "film",
		},
		{Title: "Seven doors of the mill", Family: "Wardle", Given: "Soren", Pages: "288 pages", Subject: "Mills"},
		{
			Title: "Silt and salt", Rest: "a harbour chemistry", Family: "Stannard", Given: "Corin",
			Pages: "340 pages", Subject: "Sediments",
		},
		{Title: "Grandmother keeps bees", Family: "Veldt", Given: "Ulla", Pages: "32 pages", Subject: "Bees"},
		{
			Title: "The last postman of Wrenna", Family: "Hallam", Given: "Tove",
			Pages: "256 pages", Subject: "Postal service",
		},
		{
			Title: "Čas ve větru", Rest: "a walk in the wind", Family: "Źrebak", Given: "Łucja",
			Pages: "180 pages", Subject: "Walking",
		},
		{
			Title: "The slow ferry", Family: "Veldt", Given: "Ulla",
			Pages: "211 pages", Subject: "Ferries", Mood: moodLate,
		},
		{
			Title: "Somebody else's book", Family: "Rook", Given: "Maude",
			Pages: "99 pages", Subject: "Mistakes", Mood: moodAnother,
		},
		{Title: "", Family: "Quist", Given: "Roswen", Pages: "12 pages", Subject: "Silence", Mood: moodNameless},
		{
			Title: "A book without a face", Family: "Brannock", Given: "Ivo",
			Pages: "77 pages", Subject: "Covers", Mood: moodBare,
		},
	} {
		payload := fmt.Sprintf("9799970%05d", k+1)
		code, _ := ean.Encode(payload) // twelve digits always have one
		b.ISBN = code.Content()
		b.Publisher = []string{"Lantern & Oar", "Upper Tolm Press", "Saltmere Books"}[k%3]
		b.Summary = "Just out. Made up, as all that this service knows."
		s.books = append(s.books, b)
	}
	s.page = &http.Server{Handler: http.HandlerFunc(s.serve), ReadHeaderTimeout: 5 * time.Second}
	return s
}

// Serve answers until the context ends.
func (s *Records) Serve(ctx context.Context, l net.Listener) {
	go func() { _ = s.page.Serve(l) }()
	<-ctx.Done()
	_ = s.page.Close()
}

// ISBN gives the number of the first title with a mood; without one, of the first that has none.
func (s *Records) ISBN(mood string) string {
	for _, b := range s.books {
		if b.Mood == mood {
			return b.ISBN
		}
	}
	return ""
}

func (s *Records) serve(w http.ResponseWriter, r *http.Request) {
	number, cover := strings.CutPrefix(r.URL.Path, "/covers/")
	switch {
	case r.Method == http.MethodPost && r.URL.Path == "/down":
		s.down.Store(!s.down.Load())
		http.Redirect(w, r, "/", http.StatusSeeOther)
	case s.down.Load() && r.URL.Path != "/":
		http.Error(w, "not now", http.StatusServiceUnavailable)
	case r.URL.Path == "/sru":
		s.retrieve(w, r)
	case cover:
		s.cover(w, strings.TrimSuffix(number, ".png"))
	default:
		s.show(w)
	}
}

func (s *Records) retrieve(w http.ResponseWriter, r *http.Request) {
	c := sru.Catalogue{Title: "Coast Records", Description: "A simulated service for records of titles", Find: s.find}
	c.Serve(w, r)
}

// find looks for titles; some are slow to be found, and some are mistaken for another.
func (s *Records) find(ctx context.Context, q *cql.Query, from, most int) (int, []sru.Found, error) {
	var all []sru.Found
	for k := range s.books {
		b := s.books[k]
		asked := sru.Found{Record: sru.Record{ID: b.ISBN, Title: b.Title, Author: b.Given + " " + b.Family, ISBN: b.ISBN}}
		if !sru.Matches(q, &asked) {
			continue
		}
		switch b.Mood {
		case moodLate:
			select {
			case <-time.After(lateness):
			case <-ctx.Done():
				return 0, nil, ctx.Err()
			}
		case moodAnother:
			b = s.books[0]
		}
		asked.MARC = b.record(k)
		all = append(all, asked)
	}
	return len(all), all[min(from, len(all)):min(from+most, len(all))], nil
}

// record is a title as MARC 21 has it.
func (b *published) record(k int) *marc.Record {
	m := &marc.Record{Leader: marc.LeaderOfBook}
	form := map[string]struct{ leader, item string }{
		"": {"a", " "}, "large": {"a", "d"}, "sound": {"i", " "}, "film": {"g", " "},
	}[b.Form]
	m.Leader = m.Leader[:6] + form.leader + m.Leader[7:]
	m.Fields = append(m.Fields,
		marc.Field{Tag: "001", Value: fmt.Sprintf("rs%06d", k+1)},
		marc.Field{Tag: "008", Value: "260901s2026    nsc    " + " " + form.item + "     000 0 eng d"},
		marc.Data("020", "  ", "a", b.ISBN+" (hardback)"),
		marc.Data("100", "1 ", "a", b.Family+", "+b.Given+",", "e", "author."),
	)
	if b.Title != "" {
		title := b.Title + " /"
		if b.Rest != "" {
			title = b.Title + " :"
		}
		rest := ""
		if b.Rest != "" {
			rest = b.Rest + " /"
		}
		m.Fields = append(m.Fields, marc.Data("245", "10", "a", title, "b", rest, "c", b.Given+" "+b.Family+"."))
	}
	m.Fields = append(m.Fields,
		marc.Data("264", " 1", "a", "Havenhead :", "b", b.Publisher+",", "c", "2026."),
		marc.Data("300", "  ", "a", b.Pages+" ;", "c", "22 cm"),
		marc.Data("520", "  ", "a", b.Summary),
		marc.Data("650", " 0", "a", b.Subject+"."),
	)
	return m
}

// cover draws a picture: a sea, a sun and a stripe, as the title happens to say.
func (s *Records) cover(w http.ResponseWriter, number string) {
	for _, b := range s.books {
		if b.ISBN == number && b.Mood != moodBare {
			w.Header().Set("Content-Type", "image/png")
			_, _ = w.Write(drawCover(b.Title))
			return
		}
	}
	http.Error(w, "no picture", http.StatusNotFound)
}

const coverWidth, coverHeight = 120, 180

func drawCover(title string) []byte {
	hash := fnv.New32a()
	_, _ = hash.Write([]byte(title))
	n := hash.Sum32()
	sky := color.RGBA{uint8(90 + n%120), uint8(110 + n/7%100), uint8(130 + n/11%90), 255}
	sea := color.RGBA{uint8(20 + n/3%60), uint8(60 + n/5%70), uint8(80 + n/13%80), 255}
	sun := color.RGBA{240, uint8(170 + n/17%70), uint8(90 + n/19%60), 255}
	picture := image.NewRGBA(image.Rect(0, 0, coverWidth, coverHeight))
	horizon, x0, y0, radius := 90+int(n%50), 30+int(n/23%60), 35+int(n/29%40), 14+int(n/31%12)
	for y := range coverHeight {
		for x := range coverWidth {
			c := sky
			if (x-x0)*(x-x0)+(y-y0)*(y-y0) < radius*radius {
				c = sun
			}
			if y+(x/12%2)*2 > horizon {
				c = sea
			}
			picture.SetRGBA(x, y, c)
		}
	}
	var out bytes.Buffer
	_ = png.Encode(&out, picture) // into memory
	return out.Bytes()
}

var recordsPage = template.Must(template.New("records").Parse(`<!doctype html><html lang="en"><meta charset="utf-8">
<meta name="viewport" content="width=device-width"><title>Records, a stand-in</title>
<style>body{font:16px/1.5 system-ui;margin:2rem;max-width:60rem}
td{padding:.2rem 1rem .2rem 0}code{font-size:1.05em}</style>
<h1>A service for records of titles</h1>
<p>It stands in for one outside, and knows what has just come out.
Type or scan one of these numbers where titles are added.</p>
<form method="post" action="/down"><button>
{{if .Down}}Let it answer again{{else}}Let it be out of reach{{end}}</button></form>
<table>{{range .Books}}<tr><td><code>{{.ISBN}}</code>
<td>{{if .Title}}{{.Title}}{{else}}—{{end}}<td>{{.Given}} {{.Family}}
<td>{{.Mood}}{{end}}</table>
`))

func (s *Records) show(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = recordsPage.Execute(w, map[string]any{"Books": s.books, "Down": s.down.Load()})
}
