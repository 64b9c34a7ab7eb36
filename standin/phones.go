package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"nevrin/formats/sms"
)

// Phones is a text gateway with the phones behind it. It speaks the RESTful network API for messaging of the Open Mobile Alliance. Numbers that
// end in 00 are switched off for good: nothing is delivered to them. All others have their messages after a moment.
type Phones struct {
	mu    sync.Mutex
	texts []*Text
	page  *http.Server

	Slow time.Duration // until a message is delivered
}

// Text is a message that the gateway has taken.
type Text struct {
	To, From, Message, Key string
	At                     time.Time
}

// NewPhones builds a gateway without messages.
func NewPhones() *Phones {
	p := &Phones{Slow: 2 * time.Second}
	mux := http.NewServeMux()
	mux.HandleFunc("POST /messaging/v1/outbound/{sender}/requests", p.send)
	mux.HandleFunc("GET /messaging/v1/outbound/{sender}/requests/{id}/deliveryInfos", p.became)
	mux.HandleFunc("GET /{$}", p.show)
	p.page = &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second}
	return p
}

// Serve answers on a listener until the context ends.
func (p *Phones) Serve(ctx context.Context, on net.Listener) {
	go func() { _ = p.page.Serve(on) }()
	<-ctx.Done()
	_ = p.page.Close()
}

// Texts are the messages, the newest first.
func (p *Phones) Texts() []Text {
	p.mu.Lock()
	defer p.mu.Unlock()
	out := make([]Text, len(p.texts))
	for k, t := range p.texts {
		out[len(out)-1-k] = *t
	}
	return out
}

var number = regexp.MustCompile(`^tel:\+[0-9]{6,15}$`)

func (p *Phones) send(w http.ResponseWriter, r *http.Request) {
	var in sms.Outbound
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&in); err != nil {
		refuse(w, http.StatusBadRequest, "SVC0002", "Invalid input value for message part %1", "outboundSMSMessageRequest")
		return
	}
	m := in.Request
	if len(m.Address) != 1 || !number.MatchString(m.Address[0]) {
		refuse(w, http.StatusBadRequest, "SVC0004", "No valid addresses provided in message part %1", "address")
		return
	}
	p.mu.Lock()
	at := slices.IndexFunc(p.texts, func(t *Text) bool { return m.ClientCorrelator != "" && t.Key == m.ClientCorrelator })
	if at < 0 {
		at = len(p.texts)
		p.texts = append(p.texts, &Text{
			To: strings.TrimPrefix(m.Address[0], "tel:"), From: m.SenderAddress, Message: m.Message.Message, Key: m.ClientCorrelator, At: time.Now(),
		})
	}
	p.mu.Unlock()
	m.ResourceURL = fmt.Sprintf("http://%s/messaging/v1/outbound/%s/requests/%d", r.Host, url.PathEscape(r.PathValue("sender")), at)
	m.DeliveryInfoList = &sms.DeliveryInfoList{
		ResourceURL: m.ResourceURL + "/deliveryInfos",
		Info:        []sms.DeliveryInfo{{Address: m.Address[0], DeliveryStatus: sms.MessageWaiting}},
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Location", m.ResourceURL)
	w.WriteHeader(http.StatusCreated)
	_ = json.NewEncoder(w).Encode(sms.Outbound{Request: m})
}

func (p *Phones) became(w http.ResponseWriter, r *http.Request) {
	var at int
	p.mu.Lock()
	defer p.mu.Unlock()
	if _, err := fmt.Sscan(r.PathValue("id"), &at); err != nil || at < 0 || at >= len(p.texts) {
		refuse(w, http.StatusNotFound, "SVC0002", "Invalid input value for message part %1", "requestId")
		return
	}
	t := p.texts[at]
	info := sms.DeliveryInfo{Address: "tel:" + t.To, DeliveryStatus: sms.DeliveredToTerminal}
	switch {
	case time.Since(t.At) < p.Slow:
		info.DeliveryStatus = sms.MessageWaiting
	case strings.HasSuffix(t.To, "00"):
		info.DeliveryStatus, info.Description = sms.DeliveryImpossible, "the phone is switched off"
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(sms.DeliveryInfos{List: sms.DeliveryInfoList{Info: []sms.DeliveryInfo{info}}})
}

func refuse(w http.ResponseWriter, status int, id, text string, variables ...string) {
	var f sms.Failure
	f.Error.Service = &sms.Exception{MessageID: id, Text: text, Variables: variables}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(f)
}

func (p *Phones) show(w http.ResponseWriter, _ *http.Request) { page(w, "phones.html", p.Texts()) }
