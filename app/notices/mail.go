package notices

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"html/template"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/wneessen/go-mail"
	"github.com/wneessen/go-mail/smtp"

	"nevrin/app/act"
	"nevrin/app/outside"
	"nevrin/core/plan"
	"nevrin/store/noticesdb"
)

// Mailer sends mail to one server, from one sender.
type Mailer struct {
	Server outside.MailServer
	From   string // the sender's address
	Name   string // the sender's name
	Reply  string // where answers go; empty: to the sender
	Stop   string // the page at which patrons opt out, without what tells them apart; empty: there is none
}

// mailer is how email goes from here, and whether it does.
func mailer(a *act.Act) (Mailer, Off) {
	of := a.Network.Settled.Mail
	m := Mailer{Server: a.House.Mail, From: of.Sender, Name: a.Network.Name, Reply: of.Reply, Stop: stopPage(a, new(""))}
	switch {
	case m.Server.Off():
		return m, NoServer
	case m.From == "":
		return m, NoSender
	}
	return m, On
}

// stopPage gives the address at which somebody opts out of notices about holds; empty if they cannot.
func stopPage(a *act.Act, stop *string) string {
	page := strings.TrimRight(a.Network.Settled.Notices.Page, "/")
	if stop == nil || page == "" {
		return ""
	}
	return page + "/stop/" + *stop
}

// optional tells whether patrons may opt out of all of some notices.
func optional(told []noticesdb.Told) bool {
	return !slices.ContainsFunc(told, func(n noticesdb.Told) bool {
		sort, ok := plan.SortOf(n.Kind)
		return !ok || !sort.Optional()
	})
}

// Send sends one message. The Message-ID is made of the message's number, so that a mail server can tell a repeated one, and a report that it
// came back names the message.
func (m Mailer) Send(ctx context.Context, msg *noticesdb.Message) (plan.Attempt, error) {
	ended := plan.Attempt{Tries: msg.Tries}
	letter := mail.NewMsg()
	if err := letter.FromFormat(m.Name, m.From); err != nil {
		return ended, fmt.Errorf("the sender's address %q: %w", m.From, err)
	}
	if m.Reply != "" {
		if err := letter.ReplyTo(m.Reply); err != nil {
			return ended, fmt.Errorf("the address for answers %q: %w", m.Reply, err)
		}
	}
	if err := letter.To(msg.Address); err != nil {
		ended.BadAddress = true
		return ended, errors.New("this is not an email address")
	}
	letter.Subject(msg.Subject)
	letter.SetDate()
	_, domain, _ := strings.Cut(m.From, "@")
	number := strconv.FormatInt(msg.ID, 10)
	if msg.ID == 0 { // a test, which nobody sends twice
		number = rand.Text()
	}
	letter.SetMessageIDWithValue(messageID + number + "@" + domain)
	letter.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: no answers by machines
	if msg.Stop != nil && m.Stop != "" {                    // RFC 2369, and with one click RFC 8058
		letter.SetGenHeader("List-Unsubscribe", "<"+m.Stop+*msg.Stop+">")
		letter.SetGenHeader("List-Unsubscribe-Post", "List-Unsubscribe=One-Click")
	}
	letter.SetBodyString(mail.TypeTextPlain, msg.Body)
	letter.AddAlternativeString(mail.TypeTextHTML, htmlOf(msg.Subject, msg.Body))
	err := m.pass(ctx, letter)
	ended.Delivered = letter.IsDelivered()
	var refused *mail.SendError
	if errors.As(err, &refused) {
		ended.Code = refused.ErrorCode()
		ended.OfMessage = slices.Contains([]mail.SendErrReason{mail.ErrSMTPRcptTo, mail.ErrSMTPData, mail.ErrSMTPDataClose}, refused.Reason)
		ended.AllSent = refused.Reason == mail.ErrSMTPDataClose
	}
	return ended, err
}

// messageID is what the Message-ID of an email from here begins with.
const messageID = "message-"

// pass hands a letter to the mail server, over a line that is open already where there is one.
func (m Mailer) pass(ctx context.Context, letter *mail.Msg) error {
	client, err := m.client()
	if err != nil {
		return err
	}
	line := open.take(m.Server)
	if line == nil || line.Noop() != nil {
		if line, err = client.DialToSMTPClientWithContext(ctx); err != nil {
			return err
		}
	}
	if err = client.SendWithSMTPClient(line, letter); err != nil {
		_ = client.CloseWithSMTPClient(line)
		return err
	}
	open.give(m.Server, line)
	return nil
}

// lines are open lines to mail servers that the next message can use.
type lines struct {
	mu   sync.Mutex
	idle []idleLine
}

type idleLine struct {
	of    outside.MailServer
	line  *smtp.Client
	since time.Time
}

// open are the lines of this program.
var open lines

// rests is how long a line stays open without a message.
const rests = 10 * time.Second

// take gives an open line to a server; nil if there is none.
func (l *lines) take(of outside.MailServer) *smtp.Client {
	l.mu.Lock()
	defer l.mu.Unlock()
	for k := len(l.idle) - 1; k >= 0; k-- {
		if one := l.idle[k]; one.of == of && time.Since(one.since) < rests {
			l.idle = slices.Delete(l.idle, k, k+1)
			return one.line
		}
	}
	return nil
}

// give keeps a line for the next message, and closes those that have rested for long.
func (l *lines) give(of outside.MailServer, line *smtp.Client) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.idle = append(l.idle, idleLine{of, line, time.Now()})
	time.AfterFunc(rests, l.sweep)
}

// sweep closes lines that have rested for long.
func (l *lines) sweep() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.idle = slices.DeleteFunc(l.idle, func(one idleLine) bool {
		old := time.Since(one.since) >= rests
		if old {
			_ = one.line.Quit()
		}
		return old
	})
}

// client speaks with the mail server. Who says who they are does so over an encrypted line only.
func (m Mailer) client() (*mail.Client, error) {
	options := []mail.Option{
		mail.WithPort(m.Server.Port),
		mail.WithTLSPolicy(mail.TLSOpportunistic),
		mail.WithTimeout(cmp.Or(m.Server.Patience, attempt/3)),
	}
	if m.Server.User != "" {
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory), mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover),
			mail.WithUsername(m.Server.User), mail.WithPassword(m.Server.Password))
	}
	if m.Server.Encrypted {
		options = append(options, mail.WithSSL())
	}
	return mail.NewClient(m.Server.Host, options...)
}

// page is the form of an email in HTML, which old mail programs show as they show text: no style sheets, no pictures, no tables.
var page = template.Must(template.New("").Parse(`<!doctype html>
<html><head><meta charset="utf-8"><title>{{.Subject}}</title></head>
<body style="margin:0;padding:16px;font-family:Georgia,serif;font-size:16px;line-height:1.4;color:#1c2b2b">
<div style="max-width:36em">
{{range .Blocks}}{{if .Items}}<ul style="padding-left:1.2em">
{{range .Items}}<li style="margin-bottom:6px">{{range $k, $line := .}}{{if $k}}<br>{{$line}}{{else}}<b>{{$line}}</b>{{end}}{{end}}</li>
{{end}}</ul>
{{else}}<p>{{range $k, $line := .Lines}}{{if $k}}<br>
{{end}}{{range $line}}{{if .Address}}<a href="{{.Address}}">{{.Text}}</a>{{else}}{{.Text}}{{end}}{{end}}{{end}}</p>
{{end}}{{end}}</div>
</body></html>
`))

type block struct {
	Items [][]string // of a list: its lines
	Lines [][]span   // of a paragraph
}

type span struct{ Text, Address string }

var link = regexp.MustCompile(`https?://[^\s<>"]*[^\s<>".,;:!?)]`)

// htmlOf writes a text as HTML: blank lines part paragraphs, lines with two spaces before them are a list, addresses become links.
func htmlOf(subject, text string) string {
	var blocks []block
	for part := range strings.SplitSeq(text, "\n\n") {
		var last *block // of this part
		next := func(items bool) {
			if last == nil || (last.Items != nil) != items {
				blocks = append(blocks, block{})
				last = &blocks[len(blocks)-1]
			}
		}
		for line := range strings.Lines(strings.Trim(part, "\n")) {
			line = strings.TrimRight(line, "\n")
			switch {
			case strings.TrimSpace(line) == "":
			case strings.HasPrefix(line, "    ") && last != nil && last.Items != nil:
				item := &last.Items[len(last.Items)-1]
				*item = append(*item, strings.TrimSpace(line))
			case strings.HasPrefix(line, "  "):
				next(true)
				last.Items = append(last.Items, []string{strings.TrimSpace(line)})
			default:
				next(false)
				last.Lines = append(last.Lines, spans(line))
			}
		}
	}
	var out bytes.Buffer
	_ = page.Execute(&out, map[string]any{"Subject": subject, "Blocks": blocks}) // into memory
	return out.String()
}

// spans parts a line into text and links.
func spans(line string) []span {
	var out []span
	for {
		at := link.FindStringIndex(line)
		if at == nil {
			return append(out, span{Text: line})
		}
		out = append(out, span{Text: line[:at[0]]}, span{Text: line[at[0]:at[1]], Address: line[at[0]:at[1]]})
		line = line[at[1]:]
	}
}
