// Package dsn reads reports on what became of an email: delivery status notifications of RFC 3464, in a multipart/report of RFC 6522.
package dsn

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"net/textproto"
	"strings"
)

// Action is what became of an email.
type Action string

// The actions of RFC 3464, 2.3.3.
const (
	Failed    Action = "failed"
	Delayed   Action = "delayed"
	Delivered Action = "delivered"
	Relayed   Action = "relayed"
	Expanded  Action = "expanded"
)

// Recipient is what became of an email for one recipient.
type Recipient struct {
	Address    string // as it was sent to where the report says so, otherwise as it was delivered
	Action     Action
	Status     string // of RFC 3463, such as 5.1.1
	Diagnostic string // what the other server said; empty: nothing
}

// Permanent tells whether the address will not work tomorrow either.
func (r *Recipient) Permanent() bool { return r.Action == Failed && strings.HasPrefix(r.Status, "5") }

// Report is a report on one email.
type Report struct {
	MessageID  string // of the email that was sent, without angle brackets; empty: the report does not say
	Recipients []Recipient
}

// ErrNone is the error for an email that is no report.
var ErrNone = errors.New("this email is not a report of RFC 3464")

// mostParts bounds what is read of a report.
const mostParts = 20

// Read reads a report. ErrNone where the email is none.
func Read(r io.Reader) (*Report, error) {
	msg, err := mail.ReadMessage(r)
	if err != nil {
		return nil, fmt.Errorf("this is not an email: %w", err)
	}
	kind, params, err := mime.ParseMediaType(msg.Header.Get("Content-Type"))
	if err != nil || kind != "multipart/report" || !strings.EqualFold(params["report-type"], "delivery-status") {
		return nil, ErrNone
	}
	out := &Report{}
	parts := multipart.NewReader(msg.Body, params["boundary"])
	for range mostParts {
		part, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("the report ends early: %w", err)
		}
		body := io.Reader(part)
		if strings.EqualFold(part.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
			body = quotedprintable.NewReader(part)
		}
		kind, _, _ := mime.ParseMediaType(part.Header.Get("Content-Type"))
		switch kind {
		case "message/delivery-status", "message/global-delivery-status":
			if out.Recipients, err = recipients(body); err != nil {
				return nil, err
			}
		case "message/rfc822", "text/rfc822-headers", "message/global", "message/global-headers":
			if sent, err := textproto.NewReader(bufio.NewReader(body)).ReadMIMEHeader(); err == nil || len(sent) > 0 {
				out.MessageID = strings.Trim(strings.TrimSpace(sent.Get("Message-Id")), "<>")
			}
		}
	}
	if len(out.Recipients) == 0 {
		return nil, errors.New("the report names no recipient")
	}
	return out, nil
}

// recipients reads a delivery status: fields of the message, then a group of fields for each recipient.
func recipients(r io.Reader) ([]Recipient, error) {
	groups := textproto.NewReader(bufio.NewReader(r))
	var out []Recipient
	for {
		fields, err := groups.ReadMIMEHeader()
		if len(fields) > 0 {
			if address := field(fields, "Original-Recipient", "Final-Recipient"); address != "" {
				status, _, _ := strings.Cut(strings.TrimSpace(fields.Get("Status")), " ")
				out = append(out, Recipient{
					Address: address, Action: Action(strings.ToLower(strings.TrimSpace(fields.Get("Action")))), Status: status,
					Diagnostic: field(fields, "Diagnostic-Code"),
				})
			}
		}
		if errors.Is(err, io.EOF) || err == nil && len(fields) == 0 {
			return out, nil
		}
		if err != nil {
			return nil, fmt.Errorf("the delivery status cannot be read: %w", err)
		}
	}
}

// field gives the first of some fields of the form "type; value", without its type.
func field(fields textproto.MIMEHeader, names ...string) string {
	for _, name := range names {
		if value := fields.Get(name); value != "" {
			if _, after, typed := strings.Cut(value, ";"); typed {
				value = after
			}
			return strings.Join(strings.Fields(value), " ")
		}
	}
	return ""
}
