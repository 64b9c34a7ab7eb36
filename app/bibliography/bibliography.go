// Package bibliography asks the service that a network has settled for what is known of a title, by its ISBN.
//
// The service is outside: it may be down, slow, or answer with somebody else's record. So it is asked outside of any
// transaction, for a few seconds, and what it answers is only taken for the title that was asked for if it says that ISBN itself.
package bibliography

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // covers are of either kind
	_ "image/png"
	"io"
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/outside"
	"nevrin/app/problem"
	"nevrin/core/ident"
	"nevrin/core/settings"
	"nevrin/formats/marc"
	"nevrin/formats/sru"
	"nevrin/store/stockdb"
)

// patience is how long the service may take.
const patience = 6 * time.Second

// Proposal is a record that the service has.
type Proposal struct {
	catalogue.Record
	From     *marc.Record `json:"from" doc:"The MARC record as it came"`
	Source   string       `json:"source" doc:"Where it came from, and its number there"`
	Another  bool         `json:"another" doc:"It does not say the ISBN that was asked for: it may be of another title"`
	Material string       `json:"material" doc:"The material class that fits; empty: none is sure"`

	Collection string `json:"collection" doc:"Where what is of that class stands most; empty: nothing is known"`
}

// Here is a title that has the ISBN already.
type Here struct {
	ID     int64  `json:"id"`
	Name   string `json:"name"`
	Author string `json:"author"`
}

// Answer is what is known about an ISBN, here and at the service.
type Answer struct {
	ISBN      string     `json:"isbn" doc:"As thirteen digits"`
	Here      []Here     `json:"here"`
	Proposals []Proposal `json:"proposals"`
	Service   string     `json:"service" doc:"Its name; empty: none is settled"`
	Problem   string     `json:"problem" doc:"Why the service has not answered, and what to do; empty: it has"`
}

// Question is a search for an ISBN at a service.
type Question struct {
	answer  Answer
	service settings.Records
	classes []string
	usual   map[string]string // collections, by material class
}

// Ask reads the ISBN and looks for it here.
func Ask(a *act.Act, text string) (*Question, error) {
	isbn, says := ident.ISBN(text)
	if says != "" {
		return nil, problem.New(problem.Invalid, says)
	}
	q := &Question{answer: Answer{ISBN: isbn, Here: []Here{}, Proposals: []Proposal{}},
		service: a.Network.Settled.Records}
	if err := q.know(a); err != nil {
		return nil, err
	}
	titles, err := stockdb.TitlesByISBN(a.Tx, isbn)
	for _, t := range titles {
		q.answer.Here = append(q.answer.Here, Here{t.ID, t.Name, t.Author})
	}
	return q, err
}

// know looks which classes there are, and what stands where.
func (q *Question) know(a *act.Act) error {
	for _, c := range a.Network.Classes {
		if c.Kind == "material" && !c.Retired {
			q.classes = append(q.classes, c.Code)
		}
	}
	var err error
	q.usual, err = stockdb.UsualCollections(a.Tx)
	return err
}

// Answer asks the service, if there is one.
func (q *Question) Answer(ctx context.Context, h *act.House) *Answer {
	out := q.answer
	if q.service.Address == "" {
		out.Problem = "No record service is set. Enter the title by hand, or have one set under Network, Settings."
		return &out
	}
	out.Service = q.service.Name
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	records, err := sru.Retrieve(ctx, h.Outside.HTTP(), q.service.Address, sru.ISBN(out.ISBN))
	if err != nil {
		out.Problem = say(q.service.Name, err)
		return &out
	}
	for _, m := range records {
		out.Proposals = append(out.Proposals, q.propose(m))
	}
	// What was asked for stands before what was not.
	slices.SortStableFunc(out.Proposals, func(x, y Proposal) int {
		switch {
		case x.Another == y.Another:
			return 0
		case y.Another:
			return -1
		}
		return 1
	})
	return &out
}

func say(name string, err error) string {
	var timeout net.Error
	if errors.Is(err, context.DeadlineExceeded) || errors.As(err, &timeout) && timeout.Timeout() {
		return fmt.Sprintf(
			"%s did not answer within %.0f seconds. Retry, or enter the title by hand.",
			name,
			patience.Seconds(),
		)
	}
	return fmt.Sprintf("%s is not available (%s). Retry later, or enter the title by hand.", name, outside.Because(err))
}

func (q *Question) propose(m *marc.Record) Proposal {
	r := catalogue.FromMARC(m)
	says := r.ISBN == q.answer.ISBN || slices.Contains(r.Numbers, q.answer.ISBN)
	if says && r.ISBN != q.answer.ISBN { // the number that was scanned is the one on the book
		r.Numbers = append(
			[]string{r.ISBN},
			slices.DeleteFunc(r.Numbers, func(n string) bool { return n == q.answer.ISBN })...)
		r.ISBN = q.answer.ISBN
	}
	p := Proposal{Record: r, From: m, Another: !says}
	if number := m.Value("001"); number != "" {
		p.Source = q.service.Name + " " + number
	}
	if wanted := Material(m); slices.Contains(q.classes, wanted) {
		p.Material, p.Collection = wanted, q.usual[wanted]
	}
	return p
}

// Material is the class of the handbook's list that fits what a record says of its form (leader 06 and 07, field 007, field 008
// form of item; MARC 21 Format for Bibliographic Data, from memory).
func Material(m *marc.Record) string {
	leader := m.Leader + strings.Repeat(" ", 24)
	fixed := m.Value("008") + strings.Repeat(" ", 40)
	switch {
	case leader[6] == 'a' && leader[7] == 's':
		return "magazine"
	case leader[6] == 'a' && fixed[23] == 'd':
		return "large_print"
	case leader[6] == 'i':
		return "audiobook"
	case leader[6] == 'g':
		return "film"
	case leader[6] == 'm':
		return "game"
	case leader[6] == 'o' || leader[6] == 'r':
		return "kit"
	case leader[6] == 'a':
		return "book"
	}
	return ""
}

// largestCover is the most that a picture has, in bytes.
const largestCover = 500_000

// FetchCover asks the service for the picture of a title; nil where it has none.
func FetchCover(ctx context.Context, h *act.House, service settings.Records, isbn string) (*stockdb.Cover, error) {
	if service.Covers == "" || isbn == "" {
		return nil, nil
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.ReplaceAll(service.Covers, "{isbn}",
		isbn), nil)
	if err != nil {
		return nil, err
	}
	answer, err := h.Outside.HTTP().Do(request)
	if err != nil {
		return nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode == http.StatusNotFound {
		return nil, nil
	}
	if answer.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("the answer is %s", answer.Status)
	}
	data, err := io.ReadAll(io.LimitReader(answer.Body, largestCover+1))
	if err != nil {
		return nil, err
	}
	return ReadCover(data)
}

// ReadCover takes a picture for a cover: PNG or JPEG, of at most half a million bytes.
func ReadCover(data []byte) (*stockdb.Cover, error) {
	if len(data) > largestCover {
		return nil, problem.Newf(problem.Invalid, "The picture has more than %d bytes. Take a smaller one.",
			largestCover)
	}
	_, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "This picture cannot be shown. Use PNG or JPEG.")
	}
	return &stockdb.Cover{Kind: "image/" + kind, Picture: data}, nil
}
