package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"github.com/sourcegraph/jsonrpc2"
)

// Terminals are simulated card terminals that speak as docs/devices.md says. Each has an address of its own; who holds a card to one
// does so on their page. What a terminal has done it knows after a restart, too.
type Terminals struct {
	all  []*terminal
	page *http.Server
}

type terminal struct {
	mu     sync.Mutex
	Name   string
	keeps  string // the file in which it keeps what it has done
	Paid   []*cardPayment
	Down   bool // out of reach
	Loses  bool // the next answer to a payment gets lost
	lapses time.Duration
}

// cardPayment is a payment as a terminal knows it.
type cardPayment struct {
	Reference string `json:"reference"` // what the library calls it
	Amount    string `json:"amount"`
	Currency  string `json:"currency"`
	Outcome   string `json:"outcome"` // waiting, approved, declined, reversed
	Number    string `json:"number"`  // of an approval
	Says      string `json:"says"`
	ended     chan struct{}
}

// outcome is what a terminal answers.
type outcome struct {
	Outcome string `json:"outcome"`
	Number  string `json:"number,omitempty"`
	Says    string `json:"says,omitempty"`
}

// nobody is how long a terminal waits for a card.
const nobody = 2 * time.Minute

// NewTerminals builds terminals of these names, which keep what they have done in a folder.
func NewTerminals(folder string, names ...string) (*Terminals, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	t := &Terminals{}
	for _, name := range names {
		one := &terminal{Name: name, keeps: filepath.Join(folder, name+".json"), lapses: nobody}
		if err := one.load(); err != nil {
			return nil, err
		}
		t.all = append(t.all, one)
	}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) { t.show(w) })
	mux.HandleFunc("POST /{name}/{deed}", t.deed)
	t.page = &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second}
	return t, nil
}

// Serve answers at one listener for each terminal, in the order of their names, and shows them on a page, until the context ends.
func (t *Terminals) Serve(ctx context.Context, page net.Listener, at ...net.Listener) {
	for k, l := range at {
		go t.all[k].listen(ctx, l)
	}
	go func() { _ = t.page.Serve(page) }()
	<-ctx.Done()
	_ = t.page.Close()
	for _, l := range at {
		_ = l.Close()
	}
}

func (t *terminal) listen(ctx context.Context, l net.Listener) {
	for {
		line, err := l.Accept()
		if err != nil {
			return
		}
		t.mu.Lock()
		down := t.Down
		t.mu.Unlock()
		if down {
			_ = line.Close()
			continue
		}
		stream := jsonrpc2.NewPlainObjectStream(line)
		// Each in its own time: a payment waits for a card while it is asked about, or called off.
		handler := jsonrpc2.AsyncHandler(jsonrpc2.HandlerWithError(
			func(ctx context.Context, conn *jsonrpc2.Conn, r *jsonrpc2.Request) (any, error) {
				out, err := t.answer(ctx, r)
				if errors.Is(err, errLost) {
					_ = conn.Close()
				}
				return out, err
			}))
		conn := jsonrpc2.NewConn(ctx, stream, handler, quiet)
		go func() { <-conn.DisconnectNotify(); _ = line.Close() }()
	}
}

// errLost is that an answer got lost on its way.
var errLost = errors.New("the line was lost")

func (t *terminal) answer(ctx context.Context, r *jsonrpc2.Request) (*outcome, error) {
	var p cardPayment
	if r.Params == nil || json.Unmarshal(*r.Params, &p) != nil || p.Reference == "" {
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: "expected a reference"}
	}
	switch r.Method {
	case "pay":
		return t.pay(ctx, &p)
	case "ask":
		t.mu.Lock()
		defer t.mu.Unlock()
		return say(t.find(p.Reference)), nil
	case "reverse":
		t.mu.Lock()
		defer t.mu.Unlock()
		of := t.find(p.Reference)
		if of != nil && of.Outcome != "declined" {
			t.end(of, "reversed", "Called off")
		}
		return say(of), nil
	}
	return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: "a terminal knows pay, ask and reverse"}
}

func say(p *cardPayment) *outcome {
	if p == nil {
		return &outcome{Outcome: "unknown"}
	}
	return &outcome{p.Outcome, p.Number, p.Says}
}

func (t *terminal) find(reference string) *cardPayment {
	k := slices.IndexFunc(t.Paid, func(p *cardPayment) bool { return p.Reference == reference })
	if k < 0 {
		return nil
	}
	return t.Paid[k]
}

// pay waits for a card. Asked for the same payment again it answers as before, or waits for the same card.
func (t *terminal) pay(ctx context.Context, p *cardPayment) (*outcome, error) {
	t.mu.Lock()
	of := t.find(p.Reference)
	switch {
	case of == nil && slices.ContainsFunc(t.Paid, func(o *cardPayment) bool { return o.Outcome == "waiting" }):
		t.mu.Unlock()
		return &outcome{Outcome: "busy", Says: "It is at another payment"}, nil
	case of == nil:
		of = &cardPayment{
			Reference: p.Reference, Amount: p.Amount, Currency: p.Currency, Outcome: "waiting",
			ended: make(chan struct{}),
		}
		t.Paid = append(t.Paid, of)
		t.keep()
	}
	t.mu.Unlock()
	select {
	case <-of.ended:
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(t.lapses):
		t.mu.Lock()
		t.end(of, "declined", "No card came")
		t.mu.Unlock()
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.Loses {
		t.Loses = false
		return nil, errLost
	}
	return say(of), nil
}

// end ends a payment, unless it has ended; what was approved can still be reversed.
func (t *terminal) end(p *cardPayment, how, says string) {
	if p.Outcome != "waiting" && how != "reversed" {
		return
	}
	if p.Outcome == "waiting" {
		close(p.ended)
	}
	p.Outcome, p.Says = how, says
	if how == "approved" {
		p.Number = fmt.Sprintf("A%05d", 10007*len(t.Paid)%99991)
	}
	t.keep()
}

func (t *terminal) keep() {
	data, err := json.Marshal(t.Paid)
	if err == nil {
		err = os.WriteFile(t.keeps+".new", data, 0o644)
	}
	if err == nil {
		_ = os.Rename(t.keeps+".new", t.keeps)
	}
}

// load takes in what it has done before. What waited for a card when it stopped waits no more.
func (t *terminal) load() error {
	data, err := os.ReadFile(t.keeps)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, &t.Paid); err != nil {
		return fmt.Errorf("%s: %w", t.keeps, err)
	}
	for _, p := range t.Paid {
		p.ended = make(chan struct{})
		if p.Outcome == "waiting" {
			p.Outcome, p.Says = "declined", "It was switched off"
		}
		close(p.ended)
	}
	return nil
}

// deed is what somebody does at a terminal, on the page.
func (t *Terminals) deed(w http.ResponseWriter, r *http.Request) {
	k := slices.IndexFunc(t.all, func(o *terminal) bool { return o.Name == r.PathValue("name") })
	if k < 0 {
		http.NotFound(w, r)
		return
	}
	of := t.all[k]
	of.mu.Lock()
	waits := slices.IndexFunc(of.Paid, func(p *cardPayment) bool { return p.Outcome == "waiting" })
	ends := map[string][2]string{
		"card": {"approved", ""}, "refuse": {"declined", "The card was refused"},
		"leave": {"declined", "Called off at the terminal"},
	}
	end, ending := ends[r.PathValue("deed")]
	switch {
	case ending && waits >= 0:
		of.end(of.Paid[waits], end[0], end[1])
	case r.PathValue("deed") == "down":
		of.Down = !of.Down
	case r.PathValue("deed") == "lose":
		of.Loses = true
	}
	of.mu.Unlock()
	http.Redirect(w, r, "/#"+of.Name, http.StatusSeeOther)
}

func (t *Terminals) show(w http.ResponseWriter) {
	for _, o := range t.all {
		o.mu.Lock()
		defer o.mu.Unlock()
	}
	page(w, "terminals.html", t.all)
}
