// Package standin is the outside world in small. It speaks the real protocols and is reached only
// over them, so that the real thing takes its place by changing an address.
package standin

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"mime"
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
	text, err := io.ReadAll(decoded(msg))
	if err != nil {
		return Letter{}, err
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject"))
	return Letter{msg.Header.Get("To"), subject, msg.Header.Get("Date"), string(text), info.ModTime()}, err
}

// decoded is a message's body as it was written.
func decoded(msg *mail.Message) io.Reader {
	if strings.EqualFold(msg.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
		return quotedprintable.NewReader(msg.Body)
	}
	return msg.Body
}

func (m *Mail) show(w http.ResponseWriter, r *http.Request) {
	letters, err := m.Letters()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	page(w, "mailbox.html", letters[:min(len(letters), 200)])
}
