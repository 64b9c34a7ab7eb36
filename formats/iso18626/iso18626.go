// Package iso18626 reads and writes interlibrary messages of ISO 18626.
//
// A Message carries exactly one of its parts. Element order and code lists are those of the
// standard's schema, from memory.
package iso18626

import (
	"encoding/xml"
	"fmt"
	"io"
	"reflect"
	"strings"
	"time"
	"unicode/utf8"
)

// Namespace is the XML namespace of the standard.
const Namespace = "http://illtransactions.org/2013/iso18626"

// Message is the outermost element.
type Message struct {
	XMLName                        xml.Name                 `xml:"http://illtransactions.org/2013/iso18626 ISO18626Message"`
	Version                        string                   `xml:"version,attr"`
	Request                        *Request                 `xml:"request"`
	RequestConfirmation            *Confirmation            `xml:"requestConfirmation"`
	SupplyingAgencyMessage         *SupplyingAgencyMessage  `xml:"supplyingAgencyMessage"`
	SupplyingAgencyMessageConfirm  *Confirmation            `xml:"supplyingAgencyMessageConfirmation"`
	RequestingAgencyMessage        *RequestingAgencyMessage `xml:"requestingAgencyMessage"`
	RequestingAgencyMessageConfirm *Confirmation            `xml:"requestingAgencyMessageConfirmation"`
}

// Agency names a library.
type Agency struct {
	Type  string `xml:"agencyIdType"`
	Value string `xml:"agencyIdValue"`
}

// Header begins every message.
type Header struct {
	Supplying           Agency `xml:"supplyingAgencyId"`
	Requesting          Agency `xml:"requestingAgencyId"`
	Timestamp           string `xml:"timestamp"`
	RequestingRequestID string `xml:"requestingAgencyRequestId"`
	SupplyingRequestID  string `xml:"supplyingAgencyRequestId,omitempty"`
}

// Request asks for a title.
type Request struct {
	Header        Header        `xml:"header"`
	Bibliographic Bibliographic `xml:"bibliographicInfo"`
	Service       Service       `xml:"serviceInfo"`
}

// Bibliographic says what is asked for.
type Bibliographic struct {
	RecordID string   `xml:"supplierUniqueRecordId,omitempty"`
	Title    string   `xml:"title,omitempty"`
	Author   string   `xml:"author,omitempty"`
	Items    []ItemID `xml:"bibliographicItemId"`
}

// ItemID is an identifier such as an ISBN.
type ItemID struct {
	Value string `xml:"bibliographicItemIdentifier"`
	Code  string `xml:"bibliographicItemIdentifierCode"`
}

// Service says how it is wanted.
type Service struct {
	Type       string `xml:"serviceType"`
	NeedBefore string `xml:"needBeforeDate,omitempty"`
	AnyEdition string `xml:"anyEdition,omitempty"`
	Note       string `xml:"note,omitempty"`
}

// SupplyingAgencyMessage reports a status.
type SupplyingAgencyMessage struct {
	Header Header      `xml:"header"`
	Info   MessageInfo `xml:"messageInfo"`
	Status StatusInfo  `xml:"statusInfo"`
}

// MessageInfo says why the message comes.
type MessageInfo struct {
	Reason         string `xml:"reasonForMessage"`
	ReasonUnfilled string `xml:"reasonUnfilled,omitempty"`
	Note           string `xml:"note,omitempty"`
}

// StatusInfo is the status reported.
type StatusInfo struct {
	Status     string `xml:"status"`
	DueDate    string `xml:"dueDate,omitempty"`
	LastChange string `xml:"lastChange"`
}

// RequestingAgencyMessage takes an action.
type RequestingAgencyMessage struct {
	Header Header `xml:"header"`
	Action string `xml:"action"`
	Note   string `xml:"note,omitempty"`
}

// Confirmation answers every message.
type Confirmation struct {
	Header ConfirmationHeader `xml:"confirmationHeader"`
	Action string             `xml:"action,omitempty"`
	Reason string             `xml:"reasonForMessage,omitempty"`
	Error  *ErrorData         `xml:"errorData"`
}

// ConfirmationHeader says which message is confirmed.
type ConfirmationHeader struct {
	Supplying           Agency `xml:"supplyingAgencyId"`
	Requesting          Agency `xml:"requestingAgencyId"`
	Timestamp           string `xml:"timestamp"`
	RequestingRequestID string `xml:"requestingAgencyRequestId"`
	Received            string `xml:"timestampReceived"`
	Status              string `xml:"messageStatus"` // OK or ERROR
}

// ErrorData says what was wrong with a message.
type ErrorData struct {
	Type  string `xml:"errorType"`
	Value string `xml:"errorValue,omitempty"`
}

// Write gives the message as XML.
func Write(m Message) ([]byte, error) {
	m.Version = "1.2"
	data, err := xml.MarshalIndent(m, "", " ")
	return append([]byte(xml.Header), data...), err
}

// Bounds of a message.
const (
	MaxLength = 256 << 10 // bytes
	maxItems  = 50        // identifiers of what is asked for
	maxText   = 2000      // letters of a title or a note
	maxWord   = 200       // letters of anything else
)

// Read reads a message with exactly one part. Longer texts than a library writes are refused.
func Read(r io.Reader) (*Message, error) {
	var m Message
	if err := xml.NewDecoder(io.LimitReader(r, MaxLength)).Decode(&m); err != nil {
		return nil, fmt.Errorf("this is no ISO 18626 message: %w", err)
	}
	if err := bounded(reflect.ValueOf(m), ""); err != nil {
		return nil, err
	}
	parts := 0
	for _, there := range []bool{m.Request != nil, m.RequestConfirmation != nil,
		m.SupplyingAgencyMessage != nil, m.SupplyingAgencyMessageConfirm != nil,
		m.RequestingAgencyMessage != nil, m.RequestingAgencyMessageConfirm != nil} {
		if there {
			parts++
		}
	}
	if parts != 1 {
		return nil, fmt.Errorf("an ISO 18626 message carries one part; found %d", parts)
	}
	return &m, nil
}

// bounded tells of a text or a list within a value that is too long.
func bounded(v reflect.Value, name string) error {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			return bounded(v.Elem(), name)
		}
	case reflect.Struct:
		for k := range v.NumField() {
			element, _, _ := strings.Cut(v.Type().Field(k).Tag.Get("xml"), ",")
			if err := bounded(v.Field(k), element); err != nil {
				return err
			}
		}
	case reflect.Slice:
		if v.Len() > maxItems {
			return fmt.Errorf("%s: found %d; expected at most %d", name, v.Len(), maxItems)
		}
		for k := range v.Len() {
			if err := bounded(v.Index(k), name); err != nil {
				return err
			}
		}
	case reflect.String:
		most := maxWord
		if name == "title" || name == "author" || name == "note" || name == "errorValue" {
			most = maxText
		}
		if n := utf8.RuneCountInString(v.String()); n > most {
			return fmt.Errorf("%s: found a text of %d letters; expected at most %d", name, n, most)
		}
	}
	return nil
}

// Header is the header of a message that is not a confirmation; nil for a confirmation.
func (m *Message) Header() *Header {
	switch {
	case m.Request != nil:
		return &m.Request.Header
	case m.SupplyingAgencyMessage != nil:
		return &m.SupplyingAgencyMessage.Header
	case m.RequestingAgencyMessage != nil:
		return &m.RequestingAgencyMessage.Header
	}
	return nil
}

// Confirm builds the confirmation of a message; a problem makes it an error.
func (m *Message) Confirm(now time.Time, problem string) Message {
	h := m.Header()
	c := &Confirmation{
		Header: ConfirmationHeader{Supplying: h.Supplying, Requesting: h.Requesting, Timestamp: h.Timestamp,
			RequestingRequestID: h.RequestingRequestID, Received: now.Format(time.RFC3339), Status: "OK"},
	}
	if problem != "" {
		c.Header.Status = "ERROR"
		c.Error = &ErrorData{Type: "BadlyFormedMessage", Value: problem}
	}
	switch {
	case m.Request != nil:
		return Message{RequestConfirmation: c}
	case m.SupplyingAgencyMessage != nil:
		c.Reason = m.SupplyingAgencyMessage.Info.Reason
		return Message{SupplyingAgencyMessageConfirm: c}
	}
	c.Action = m.RequestingAgencyMessage.Action
	return Message{RequestingAgencyMessageConfirm: c}
}

// Confirmed tells whether a message is a confirmation without error; otherwise what was wrong.
func (m *Message) Confirmed() (bool, string) {
	for _, c := range []*Confirmation{m.RequestConfirmation, m.SupplyingAgencyMessageConfirm,
		m.RequestingAgencyMessageConfirm} {
		if c == nil {
			continue
		}
		if c.Header.Status == "OK" {
			return true, ""
		}
		if c.Error != nil {
			return false, c.Error.Type + " " + c.Error.Value
		}
		return false, c.Header.Status
	}
	return false, "no confirmation came"
}
