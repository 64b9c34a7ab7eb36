package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gorilla/websocket"
	"github.com/sourcegraph/jsonrpc2"
	rpcsocket "github.com/sourcegraph/jsonrpc2/websocket"
)

// Tag is what a pad says of a tag that lies on it.
type Tag struct {
	Tag    string `json:"tag"`    // its own number, which no other tag has
	Number string `json:"number"` // of the item
	Part   int    `json:"part"`   // which part of the item carries it
	Parts  int    `json:"parts"`  // how many parts of it carry one
	Secure bool   `json:"secure"` // the gate hears it
}

// OnPad is all that lies on a pad.
type OnPad struct {
	Pad    string   `json:"pad"`
	Tags   []Tag    `json:"tags"`
	Silent []string `json:"silent"` // what answers without being understood
}

// Offered is something that the page of the pads offers for laying on one.
type Offered struct{ Number, Title string }

// Pads are simulated pads that read the tags of a pile, as docs/devices.md says. Each stands at an address of its own, /pads/ and
// a name; things are laid on it on the page there.
type Pads struct {
	Shelf []Offered // set before it serves

	mu      sync.Mutex
	named   map[string]*pad
	secured map[string]bool // how the security of each tag was left, wherever it lies now
	page    *http.Server
}

type pad struct {
	name   string
	things []thing
	stuck  bool // the next switching of a tag fails
	reader *jsonrpc2.Conn
	made   int
}

// thing is something that lies on a pad.
type thing struct {
	Tag
	Silent bool
}

// NewPads builds pads on which nothing lies.
func NewPads() *Pads {
	p := &Pads{named: map[string]*pad{}, secured: map[string]bool{}}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /pads/{name}", p.meet)
	mux.HandleFunc("POST /pads/{name}/{deed}", p.deed)
	mux.Handle("GET /{$}", http.RedirectHandler("/pads/desk", http.StatusSeeOther))
	p.page = &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second}
	return p
}

// Serve answers until the context ends.
func (p *Pads) Serve(ctx context.Context, l net.Listener) {
	go func() { _ = p.page.Serve(l) }()
	<-ctx.Done()
	_ = p.page.Close()
}

func (p *Pads) pad(name string) *pad {
	if p.named[name] == nil {
		p.named[name] = &pad{name: name}
	}
	return p.named[name]
}

// quiet keeps lines that end out of the program's log.
var quiet = jsonrpc2.SetLogger(log.New(io.Discard, "", 0))

// upgrader lets pages of this machine in, and no others.
var upgrader = websocket.Upgrader{CheckOrigin: func(r *http.Request) bool {
	from, err := url.Parse(r.Header.Get("Origin"))
	return err == nil && slices.Contains([]string{"", "127.0.0.1", "localhost"}, from.Hostname())
}}

// meet shows the page of a pad, or begins to speak with a station.
func (p *Pads) meet(w http.ResponseWriter, r *http.Request) {
	if !websocket.IsWebSocketUpgrade(r) {
		p.show(w, r.PathValue("name"))
		return
	}
	socket, err := upgrader.Upgrade(w, r, nil)
	if err != nil {
		return
	}
	of := p.of(r.PathValue("name"))
	conn := jsonrpc2.NewConn(context.WithoutCancel(r.Context()), rpcsocket.NewObjectStream(socket),
		jsonrpc2.HandlerWithError(func(_ context.Context, _ *jsonrpc2.Conn, ask *jsonrpc2.Request) (any, error) {
			return p.answer(of, ask)
		}), quiet)
	p.mu.Lock()
	before := of.reader
	of.reader = conn
	p.mu.Unlock()
	if before != nil {
		_ = before.Notify(r.Context(), "taken", struct{}{}) // one station at a time has a pad
		_ = before.Close()
	}
	<-conn.DisconnectNotify()
	p.mu.Lock()
	if of.reader == conn {
		of.reader = nil
	}
	p.mu.Unlock()
}

func (p *Pads) of(name string) *pad {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.pad(name)
}

// answer answers what a station asks of its pad.
func (p *Pads) answer(of *pad, ask *jsonrpc2.Request) (any, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch ask.Method {
	case "look":
		on := &OnPad{Pad: of.name, Tags: []Tag{}, Silent: []string{}}
		for _, t := range of.things {
			if t.Silent {
				on.Silent = append(on.Silent, t.Tag.Tag)
			} else {
				on.Tags = append(on.Tags, t.Tag)
			}
		}
		return on, nil
	case "secure":
		var want struct {
			Tag string `json:"tag"`
			On  bool   `json:"on"`
		}
		if ask.Params == nil || json.Unmarshal(*ask.Params, &want) != nil {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: "expected a tag, and on"}
		}
		k := slices.IndexFunc(of.things, func(t thing) bool { return t.Tag.Tag == want.Tag && !t.Silent })
		if k < 0 {
			return nil, &jsonrpc2.Error{Code: 1, Message: "no such tag lies on the pad"}
		}
		if of.stuck {
			of.stuck = false
			return nil, &jsonrpc2.Error{Code: 2, Message: "the tag did not take it"}
		}
		of.things[k].Secure, p.secured[want.Tag] = want.On, want.On
		return of.things[k].Tag, nil
	}
	return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: "a pad knows look and secure"}
}

// deed is what is done on the page: laying on, lifting, and letting the next switching fail.
func (p *Pads) deed(w http.ResponseWriter, r *http.Request) {
	of := p.of(r.PathValue("name"))
	p.mu.Lock()
	var say []func(*jsonrpc2.Conn) error
	tell := func(method string, what any) {
		say = append(say, func(c *jsonrpc2.Conn) error { return c.Notify(r.Context(), method, what) })
	}
	var err error
	switch r.PathValue("deed") {
	case "lay":
		var laid []thing
		laid, err = things(of, r.FormValue("things"))
		for _, t := range laid {
			if on, known := p.secured[t.Tag.Tag]; known {
				t.Secure = on
			}
			if r.FormValue("secure") == "off" {
				t.Secure = false
			}
			p.secured[t.Tag.Tag] = t.Secure
			of.things = append(of.things, t)
			if t.Silent {
				tell("silent", map[string]string{"tag": t.Tag.Tag})
			} else {
				tell("tag", t.Tag)
			}
		}
	case "lift":
		which := r.FormValue("tag")
		of.things = slices.DeleteFunc(of.things, func(t thing) bool {
			if which != "" && t.Tag.Tag != which {
				return false
			}
			tell("gone", map[string]string{"tag": t.Tag.Tag})
			return true
		})
	case "stick":
		of.stuck = true
	default:
		err = fmt.Errorf("found %q; expected lay, lift or stick", r.PathValue("deed"))
	}
	reader := of.reader
	p.mu.Unlock()
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	for _, s := range say {
		if reader != nil {
			_ = s(reader)
		}
	}
	http.Redirect(w, r, "/pads/"+of.name, http.StatusSeeOther)
}

// things reads what is laid on: a number a line; "number 2/3" for the second of three parts; "?" for something whose tag does not
// answer. The tag's own number follows from what it is on, so something lifted and laid again is the same.
func things(of *pad, text string) ([]thing, error) {
	var out []thing
	for line := range strings.Lines(text) {
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		of.made++
		t := thing{Tag: Tag{Number: words[0], Part: 1, Parts: 1, Secure: true}, Silent: words[0] == "?"}
		t.Tag.Tag = "E0" + words[0]
		if t.Silent {
			t.Tag.Tag = "E0?" + strconv.Itoa(of.made)
		}
		if len(words) > 1 {
			_, err := fmt.Sscanf(words[1], "%d/%d", &t.Part, &t.Parts)
			if err != nil || t.Part < 1 || t.Part > t.Parts {
				return nil, fmt.Errorf("found %q; expected a number and which part it is, such as 2/3", line)
			}
			t.Tag.Tag += "/" + strconv.Itoa(t.Part)
		}
		if slices.ContainsFunc(of.things, func(o thing) bool { return o.Tag.Tag == t.Tag.Tag }) {
			continue // it lies there already
		}
		out = append(out, t)
	}
	return out, nil
}

func (p *Pads) show(w http.ResponseWriter, name string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	of := p.pad(name)
	page(w, "pad.html", map[string]any{
		"Name": name, "Things": of.things, "Stuck": of.stuck, "Station": of.reader != nil, "Shelf": p.Shelf,
	})
}
