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
	"slices"
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
	Supplying           Agency          `xml:"supplyingAgencyId"`
	Requesting          Agency          `xml:"requestingAgencyId"`
	MultipleItems       string          `xml:"multipleItemRequestId,omitempty"`
	Timestamp           string          `xml:"timestamp"`
	RequestingRequestID string          `xml:"requestingAgencyRequestId"`
	SupplyingRequestID  string          `xml:"supplyingAgencyRequestId,omitempty"`
	Authentication      *Authentication `xml:"requestingAgencyAuthentication"`
}

// Authentication is how a requesting library shows who it is. We go by the secret with which messages come.
type Authentication struct {
	Account string `xml:"accountId,omitempty"`
	Code    string `xml:"securityCode,omitempty"`
}

// Request asks for a title, or a part of one.
type Request struct {
	Header        Header        `xml:"header"`
	Bibliographic Bibliographic `xml:"bibliographicInfo"`
	Publication   *Publication  `xml:"publicationInfo"`
	Service       Service       `xml:"serviceInfo"`
	Suppliers     []Supplier    `xml:"supplierInfo"`
	Delivery      []Delivery    `xml:"requestedDeliveryInfo"`
	Agency        *AgencyInfo   `xml:"requestingAgencyInfo"`
	Patron        *Patron       `xml:"patronInfo"`
	Billing       *Billing      `xml:"billingInfo"`
}

// Bibliographic says what is asked for.
type Bibliographic struct {
	RecordID        string     `xml:"supplierUniqueRecordId,omitempty"`
	Title           string     `xml:"title,omitempty"`
	Author          string     `xml:"author,omitempty"`
	Subtitle        string     `xml:"subtitle,omitempty"`
	SeriesTitle     string     `xml:"seriesTitle,omitempty"`
	Edition         string     `xml:"edition,omitempty"`
	ComponentTitle  string     `xml:"titleOfComponent,omitempty"`
	ComponentAuthor string     `xml:"authorOfComponent,omitempty"`
	Volume          string     `xml:"volume,omitempty"`
	Issue           string     `xml:"issue,omitempty"`
	Pages           string     `xml:"pagesRequested,omitempty"`
	EstimatedPages  string     `xml:"estimatedNoPages,omitempty"`
	Items           []ItemID   `xml:"bibliographicItemId"`
	Sponsor         string     `xml:"sponsor,omitempty"`
	Source          string     `xml:"informationSource,omitempty"`
	Records         []RecordID `xml:"bibliographicRecordId"`
}

// ItemID is an identifier such as an ISBN.
type ItemID struct {
	Value string `xml:"bibliographicItemIdentifier"`
	Code  string `xml:"bibliographicItemIdentifierCode"`
}

// RecordID is the number of a record in somebody's catalogue.
type RecordID struct {
	Code  string `xml:"bibliographicRecordIdentifierCode"`
	Value string `xml:"bibliographicRecordIdentifier"`
}

// Publication says who published what is asked for, and when.
type Publication struct {
	Publisher string `xml:"publisher,omitempty"`
	Type      string `xml:"publicationType,omitempty"`
	Date      string `xml:"publicationDate,omitempty"`
	Place     string `xml:"placeOfPublication,omitempty"`
}

// Service says how it is wanted.
type Service struct {
	RequestType     string   `xml:"requestType,omitempty"`
	RequestSubTypes []string `xml:"requestSubType"`
	Previous        string   `xml:"requestingAgencyPreviousRequestId,omitempty"`
	Type            string   `xml:"serviceType"`
	Level           string   `xml:"serviceLevel,omitempty"`
	Formats         []string `xml:"preferredFormat"`
	NeedBefore      string   `xml:"needBeforeDate,omitempty"`
	Copyright       string   `xml:"copyrightCompliance,omitempty"`
	AnyEdition      string   `xml:"anyEdition,omitempty"`
	StartDate       string   `xml:"startDate,omitempty"`
	EndDate         string   `xml:"endDate,omitempty"`
	Note            string   `xml:"note,omitempty"`
}

// Supplier is a library that may have it.
type Supplier struct {
	Order       string     `xml:"sortOrder,omitempty"`
	Code        *Agency    `xml:"supplierCode"`
	Description string     `xml:"supplierDescription,omitempty"`
	Records     []RecordID `xml:"bibliographicRecordId"`
	CallNumber  string     `xml:"callNumber,omitempty"`
	Holdings    string     `xml:"summaryHoldings,omitempty"`
	Note        string     `xml:"availabilityNote,omitempty"`
}

// Delivery is where it is to be sent.
type Delivery struct {
	Order   string  `xml:"sortOrder,omitempty"`
	Address Address `xml:"address"`
}

// Address is one of its parts.
type Address struct {
	Electronic *ElectronicAddress `xml:"electronicAddress"`
	Physical   *PhysicalAddress   `xml:"physicalAddress"`
}

// ElectronicAddress is an address such as of email.
type ElectronicAddress struct {
	Type string `xml:"electronicAddressType"`
	Data string `xml:"electronicAddressData"`
}

// PhysicalAddress is a postal address.
type PhysicalAddress struct {
	Line1      string `xml:"line1,omitempty"`
	Line2      string `xml:"line2,omitempty"`
	Locality   string `xml:"locality,omitempty"`
	PostalCode string `xml:"postalCode,omitempty"`
	Region     string `xml:"region,omitempty"`
	Country    string `xml:"country,omitempty"`
}

// AgencyInfo says more of the requesting library.
type AgencyInfo struct {
	Name      string    `xml:"name,omitempty"`
	Contact   string    `xml:"contactName,omitempty"`
	Addresses []Address `xml:"address"`
}

// Patron is for whom it is. We never write it: partners do not learn who our patrons are.
type Patron struct {
	ID        string    `xml:"patronId,omitempty"`
	Surname   string    `xml:"surname,omitempty"`
	GivenName string    `xml:"givenName,omitempty"`
	Type      string    `xml:"patronType,omitempty"`
	SendTo    string    `xml:"sendToPatron,omitempty"`
	Addresses []Address `xml:"address"`
}

// Billing says how and how much is paid.
type Billing struct {
	Methods []string `xml:"paymentMethod"`
	Most    *Costs   `xml:"maximumCosts"`
	Method  string   `xml:"billingMethod,omitempty"`
	Name    string   `xml:"billingName,omitempty"`
	Address *Address `xml:"address"`
}

// Costs is a sum of money.
type Costs struct {
	Currency string `xml:"currencyCode"`
	Value    string `xml:"monetaryValue"`
}

// SupplyingAgencyMessage reports a status.
type SupplyingAgencyMessage struct {
	Header   Header        `xml:"header"`
	Info     MessageInfo   `xml:"messageInfo"`
	Status   StatusInfo    `xml:"statusInfo"`
	Delivery *DeliveryInfo `xml:"deliveryInfo"`
	Return   *ReturnInfo   `xml:"returnInfo"`
}

// MessageInfo says why the message comes.
type MessageInfo struct {
	Reason         string `xml:"reasonForMessage"`
	Answer         string `xml:"answerYesNo,omitempty"`
	Note           string `xml:"note,omitempty"`
	ReasonUnfilled string `xml:"reasonUnfilled,omitempty"`
	ReasonRetry    string `xml:"reasonRetry,omitempty"`
	Offered        *Costs `xml:"offeredCosts"`
	RetryAfter     string `xml:"retryAfter,omitempty"`
	RetryBefore    string `xml:"retryBefore,omitempty"`
}

// StatusInfo is the status reported.
type StatusInfo struct {
	Status     string `xml:"status"`
	Expected   string `xml:"expectedDeliveryDate,omitempty"`
	DueDate    string `xml:"dueDate,omitempty"`
	LastChange string `xml:"lastChange"`
}

// DeliveryInfo says what was sent, and how.
type DeliveryInfo struct {
	Sent       string   `xml:"dateSent"`
	Item       string   `xml:"itemId,omitempty"`
	Via        string   `xml:"sentVia,omitempty"`
	ToPatron   string   `xml:"sentToPatron,omitempty"`
	Conditions []string `xml:"loanCondition"`
	Format     string   `xml:"deliveredFormat,omitempty"`
	Costs      *Costs   `xml:"deliveryCosts"`
}

// ReturnInfo says where it is to be sent back to.
type ReturnInfo struct {
	Agency  *Agency          `xml:"returnAgencyId"`
	Name    string           `xml:"name,omitempty"`
	Address *PhysicalAddress `xml:"physicalAddress"`
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
	Supplying           *Agency `xml:"supplyingAgencyId"`
	Requesting          *Agency `xml:"requestingAgencyId"`
	Timestamp           string  `xml:"timestamp"`
	RequestingRequestID string  `xml:"requestingAgencyRequestId,omitempty"`
	Received            string  `xml:"timestampReceived"`
	Status              string  `xml:"messageStatus"` // OK or ERROR
}

// ErrorData says what was wrong with a message.
type ErrorData struct {
	Type  ErrorType `xml:"errorType"`
	Value string    `xml:"errorValue,omitempty"`
}

// ErrorType is a kind of error of the standard.
type ErrorType string

// The standard's kinds of errors.
const (
	UnsupportedAction   ErrorType = "UnsupportedActionType"
	UnsupportedReason   ErrorType = "UnsupportedReasonForMessageType"
	UnrecognisedElement ErrorType = "UnrecognisedDataElement"
	UnrecognisedValue   ErrorType = "UnrecognisedDataValue"
	BadlyFormed         ErrorType = "BadlyFormedMessage"
)

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

// long are the elements that may have texts as long as a title.
var long = []string{
	"title", "author", "subtitle", "seriesTitle", "titleOfComponent", "authorOfComponent", "note", "errorValue", "summaryHoldings", "availabilityNote",
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
		if slices.Contains(long, name) {
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

// Confirm builds the confirmation of a message; an error makes it one that refuses.
func (m *Message) Confirm(now time.Time, wrong *ErrorData) Message {
	h := m.Header()
	c := &Confirmation{
		Header: ConfirmationHeader{
			Supplying: &h.Supplying, Requesting: &h.Requesting, Timestamp: h.Timestamp, RequestingRequestID: h.RequestingRequestID,
			Received: now.Format(time.RFC3339), Status: "OK",
		},
	}
	if wrong != nil {
		c.Header.Status, c.Error = "ERROR", wrong
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

// Malformed builds the answer to what cannot be read as a message, and so names neither libraries nor a request. It is a confirmation of
// what the text seems to be, a request where it seems to be nothing.
func Malformed(text string, now time.Time, why string) Message {
	at := now.Format(time.RFC3339)
	c := &Confirmation{
		Header: ConfirmationHeader{Timestamp: at, Received: at, Status: "ERROR"},
		Error:  &ErrorData{Type: BadlyFormed, Value: why},
	}
	switch {
	case strings.Contains(text, "<supplyingAgencyMessage"):
		return Message{SupplyingAgencyMessageConfirm: c}
	case strings.Contains(text, "<requestingAgencyMessage"):
		return Message{RequestingAgencyMessageConfirm: c}
	}
	return Message{RequestConfirmation: c}
}

// Confirmed tells whether a message is a confirmation without error; otherwise what was wrong.
func (m *Message) Confirmed() (bool, *ErrorData) {
	for _, c := range []*Confirmation{m.RequestConfirmation, m.SupplyingAgencyMessageConfirm, m.RequestingAgencyMessageConfirm} {
		switch {
		case c == nil:
		case c.Header.Status == "OK":
			return true, nil
		case c.Error != nil:
			return false, c.Error
		default:
			return false, &ErrorData{Value: c.Header.Status}
		}
	}
	return false, &ErrorData{Value: "no confirmation came"}
}
