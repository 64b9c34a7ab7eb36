// Package standin is the outside world in small. It speaks the real protocols and is reached only
// over them, so that the real thing takes its place by changing an address.
package standin

import (
	"bytes"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
)

// Mail is a mail server that keeps what it is given in a folder, one file a message, and shows it
// on a page. A message with a Message-ID that it has is taken and not kept twice.
type Mail struct {
	folder string
	mu     sync.Mutex
	smtp   *smtp.Server
	page   *http.Server

	user, password string // who may send; empty: anybody
	reports        string // where what came back is reported; empty: nowhere
}

// NewMail builds a mail server over a folder, which is made if it is not there.
func NewMail(folder string) (*Mail, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	m := &Mail{folder: folder}
	m.smtp = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{mail: m}, nil }))
	m.smtp.Domain, m.smtp.MaxMessageBytes = "mail.standin.invalid", 1<<20
	m.page = &http.Server{Handler: http.HandlerFunc(m.show), ReadHeaderTimeout: 5 * time.Second}
	return m, nil
}

// Guard lets only somebody with a password send, over an encrypted line only: with STARTTLS (RFC 3207) or, on a listener of TLS, from its
// beginning (RFC 8314). Who sends says so with AUTH PLAIN (RFC 4954, RFC 4616).
func (m *Mail) Guard(certificate tls.Certificate, user, password string) *tls.Config {
	m.user, m.password = user, password
	m.smtp.TLSConfig = &tls.Config{Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS12}
	return m.smtp.TLSConfig
}

// Serve answers SMTP on one listener and shows the mailbox on another, until the context ends.
func (m *Mail) Serve(ctx context.Context, mail, page net.Listener) {
	go func() { _ = m.smtp.Serve(mail) }()
	go func() { _ = m.page.Serve(page) }()
	<-ctx.Done()
	_ = m.smtp.Close()
	_ = m.page.Close()
}

// session is one SMTP conversation.
type session struct {
	mail  *Mail
	to    []string
	known bool
}

// AuthMechanisms are the ways in which somebody says who they are.
func (s *session) AuthMechanisms() []string {
	if s.mail.user == "" {
		return nil
	}
	return []string{sasl.Plain}
}

// Auth hears who somebody is.
func (s *session) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, user, password string) error {
		if s.known = user == s.mail.user && password == s.mail.password; !s.known {
			return smtp.ErrAuthFailed
		}
		return nil
	}), nil
}

func (s *session) Mail(string, *smtp.MailOptions) error {
	if s.to = nil; s.mail.user != "" && !s.known {
		return smtp.ErrAuthRequired
	}
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}
func (s *session) Reset()        {}
func (s *session) Logout() error { return nil }

func (s *session) Data(r io.Reader) error {
	data, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	msg, err := mail.ReadMessage(strings.NewReader(string(data)))
	if err != nil {
		return &smtp.SMTPError{Code: 554, Message: "not a message of RFC 5322: " + err.Error()}
	}
	if err := s.mail.keep(msg.Header.Get("Message-ID"), data); err != nil { // as with a full disk: later there may be room (RFC 5321)
		return &smtp.SMTPError{Code: 452, EnhancedCode: smtp.EnhancedCode{4, 3, 1}, Message: "insufficient system storage"}
	}
	return nil
}

func (m *Mail) keep(id string, data []byte) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	name := strings.Map(func(r rune) rune {
		if strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-", r) {
			return r
		}
		return '_'
	}, id)
	if name == "" {
		name = fmt.Sprint(time.Now().UnixNano())
	}
	f, err := os.OpenFile(filepath.Join(m.folder, name+".eml"), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if os.IsExist(err) {
		return nil
	}
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if closed := f.Close(); err == nil {
		err = closed
	}
	return err
}

// Letter is a message as the page shows it.
type Letter struct {
	To, Subject, Date, Body string
	Name                    string // of its file
	at                      time.Time
}

// Letters are the messages kept, newest first.
func (m *Mail) Letters() ([]Letter, error) {
	files, err := filepath.Glob(filepath.Join(m.folder, "*.eml"))
	if err != nil {
		return nil, err
	}
	var out []Letter
	for _, name := range files {
		l, err := read(name)
		if err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	slices.SortFunc(out, func(a, b Letter) int { return b.at.Compare(a.at) })
	return out, nil
}

func read(name string) (Letter, error) {
	f, err := os.Open(name)
	if err != nil {
		return Letter{}, err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return Letter{}, err
	}
	msg, err := mail.ReadMessage(f)
	if err != nil {
		return Letter{}, err
	}
	text, err := plainText(msg)
	if err != nil {
		return Letter{}, err
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject"))
	return Letter{msg.Header.Get("To"), subject, msg.Header.Get("Date"), text, filepath.Base(name), info.ModTime()}, err
}

// plainText is the plain text of a message as it was written: its only part, or the first of those between which a reader chooses.
func plainText(msg *mail.Message) (string, error) {
	body, encoding := io.Reader(msg.Body), msg.Header.Get("Content-Transfer-Encoding")
	if kind, params, err := mime.ParseMediaType(msg.Header.Get("Content-Type")); err == nil && kind == "multipart/alternative" {
		part, err := multipart.NewReader(msg.Body, params["boundary"]).NextRawPart()
		if err != nil {
			return "", err
		}
		body, encoding = part, part.Header.Get("Content-Transfer-Encoding")
	}
	if strings.EqualFold(encoding, "quoted-printable") {
		body = quotedprintable.NewReader(body)
	}
	text, err := io.ReadAll(body)
	return strings.ReplaceAll(string(text), "\r\n", "\n"), err
}

// Reach says where emails that came back are reported.
func (m *Mail) Reach(reports string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.reports = reports
}

// ReportsSecret is the secret with which the mail server reports.
const ReportsSecret = "demo-mail-reports" //nolint:gosec // of the demo, on the machine itself

// report says that a message came back, as a mail server does: with a report of RFC 3464.
func (m *Mail) report(ctx context.Context, name string) error {
	data, err := os.ReadFile(filepath.Join(m.folder, filepath.Base(name)))
	if err != nil {
		return err
	}
	msg, err := mail.ReadMessage(bytes.NewReader(data))
	if err != nil {
		return err
	}
	m.mu.Lock()
	reports := m.reports
	m.mu.Unlock()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, reports, strings.NewReader(Returned(msg.Header)))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "message/rfc822")
	r.Header.Set("Authorization", "Bearer "+ReportsSecret)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusOK {
		return fmt.Errorf("the report was answered with %s", answer.Status)
	}
	return nil
}

// Returned is a report of RFC 3464 that a message came back, since there is nobody at its address.
func Returned(of mail.Header) string {
	to := strings.Trim(of.Get("To"), "<>")
	return strings.ReplaceAll(`From: Mail Delivery System <postmaster@mail.standin.invalid>
To: `+of.Get("From")+`
Subject: Undelivered mail
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="part"

--part
Content-Type: text/plain; charset=us-ascii

Your message could not be delivered.

--part
Content-Type: message/delivery-status

Reporting-MTA: dns; mail.standin.invalid

Final-Recipient: rfc822; `+to+`
Action: failed
Status: 5.1.1
Diagnostic-Code: smtp; 550 5.1.1 There is nobody at this address

--part
Content-Type: text/rfc822-headers

Message-ID: `+of.Get("Message-ID")+`
Subject: `+of.Get("Subject")+`

--part--
`, "\n", "\r\n")
}

func (m *Mail) show(w http.ResponseWriter, r *http.Request) {
	if r.Method == http.MethodPost {
		if err := m.report(r.Context(), r.FormValue("name")); err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		}
		http.Redirect(w, r, "/", http.StatusSeeOther)
		return
	}
	letters, err := m.Letters()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	page(w, "mailbox.html", letters[:min(len(letters), 200)])
}
