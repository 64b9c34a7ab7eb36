package iso18626_test

import (
	"bytes"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/iso18626"
)

var header = iso18626.Header{
	Supplying:           iso18626.Agency{Type: "ISIL", Value: "KEL"},
	Requesting:          iso18626.Agency{Type: "ISIL", Value: "ORS"},
	Timestamp:           "2026-10-06T09:12:00-03:00",
	RequestingRequestID: "ORS-1",
}

// Messages are written and read the same, with all elements that they may have, and are valid by the standard's schema (from memory, in
// testdata) to a validator from outside.
func TestMessagesComeBackAsTheyWere(t *testing.T) {
	address := iso18626.Address{Electronic: &iso18626.ElectronicAddress{Type: "Email", Data: "ill@library.example"}}
	all := &iso18626.Request{
		Header: iso18626.Header{
			Supplying: header.Supplying, Requesting: header.Requesting, MultipleItems: "m", Timestamp: header.Timestamp, RequestingRequestID: "1",
			SupplyingRequestID: "2", Authentication: &iso18626.Authentication{Account: "a", Code: "c"},
		},
		Bibliographic: iso18626.Bibliographic{
			RecordID: "r", Title: "t", Author: "a", Subtitle: "s", SeriesTitle: "st", Edition: "2", ComponentTitle: "ct", ComponentAuthor: "ca", Volume: "v",
			Issue: "i", Pages: "1-2", EstimatedPages: "2", Items: []iso18626.ItemID{{Value: "9789999900003", Code: "ISBN"}}, Sponsor: "s", Source: "x",
			Records: []iso18626.RecordID{{Code: "LCCN", Value: "1"}},
		},
		Publication: &iso18626.Publication{Publisher: "p", Type: "Book", Date: "1998", Place: "Kelmouth"},
		Service: iso18626.Service{
			RequestType: "New", RequestSubTypes: []string{"BookingRequest"}, Previous: "0", Type: "CopyOrLoan", Level: "Normal", Formats: []string{"PDF", "PaperCopy"},
			NeedBefore: header.Timestamp, Copyright: "Fair", AnyEdition: "Y", StartDate: header.Timestamp, EndDate: header.Timestamp, Note: "n",
		},
		Suppliers: []iso18626.Supplier{{Order: "1", Code: &header.Supplying, Description: "d", CallNumber: "c", Holdings: "h", Note: "n"}},
		Delivery:  []iso18626.Delivery{{Order: "1", Address: address}},
		Agency:    &iso18626.AgencyInfo{Name: "n", Contact: "c", Addresses: []iso18626.Address{address}},
		Patron:    &iso18626.Patron{ID: "1", Surname: "s", GivenName: "g", Type: "t", SendTo: "N", Addresses: []iso18626.Address{address}},
		Billing:   &iso18626.Billing{Methods: []string{"IFLAVoucher"}, Most: &iso18626.Costs{Currency: "CAD", Value: "5"}, Method: "m", Name: "n", Address: &address},
	}
	request := iso18626.Message{
		Request: &iso18626.Request{Header: header, Bibliographic: iso18626.Bibliographic{Title: "Salt & <Tide>",
			Items: []iso18626.ItemID{
				{Value: "9789999900003", Code: "ISBN"},
			}}, Service: iso18626.Service{Type: "Loan", NeedBefore: "2026-11-01T23:59:59-03:00"}},
	}
	for name, m := range map[string]iso18626.Message{
		"request":          request,
		"status":           {SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{Header: header, Info: iso18626.MessageInfo{Reason: "StatusChange"}, Status: iso18626.StatusInfo{Status: "Loaned", DueDate: "2026-11-10T23:59:59-04:00", LastChange: header.Timestamp}}},
		"action":           {RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{Header: header, Action: "Received"}},
		"confirmation":     request.Confirm(time.Unix(0, 0).UTC(), nil),
		"no message":       iso18626.Malformed("<request>", time.Unix(0, 0).UTC(), "this is no ISO 18626 message"),
		"all of a request": {Request: all},
		"all of an answer": {SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{
			Header: header,
			Info: iso18626.MessageInfo{
				Reason: "RenewResponse", Answer: "Y", Note: "n", ReasonUnfilled: "OnLoan", ReasonRetry: "OnLoan",
				Offered: &iso18626.Costs{Currency: "CAD", Value: "2.50"}, RetryAfter: header.Timestamp, RetryBefore: header.Timestamp,
			},
			Status: iso18626.StatusInfo{Status: "Loaned", Expected: header.Timestamp, DueDate: header.Timestamp, LastChange: header.Timestamp},
			Delivery: &iso18626.DeliveryInfo{
				Sent: header.Timestamp, Item: "1", Via: "Courier", ToPatron: "N", Conditions: []string{"LibraryUseOnly", "NoReproduction"}, Format: "PDF",
				Costs: &iso18626.Costs{Currency: "CAD", Value: "0"},
			},
			Return: &iso18626.ReturnInfo{Agency: &header.Supplying, Name: "Kelmouth", Address: &iso18626.PhysicalAddress{Line1: "1", Line2: "2", Locality: "l", PostalCode: "p", Region: "r", Country: "c"}},
		}},
		"an action refused": {RequestingAgencyMessageConfirm: &iso18626.Confirmation{
			Header: iso18626.ConfirmationHeader{Timestamp: header.Timestamp, Received: header.Timestamp, Status: "ERROR"},
			Action: "Renew", Error: &iso18626.ErrorData{Type: iso18626.UnsupportedAction, Value: "Renew"},
		}},
	} {
		data, err := iso18626.Write(m)
		require.NoError(t, err, name)
		back, err := iso18626.Read(bytes.NewReader(data))
		require.NoError(t, err, name)
		again, err := iso18626.Write(*back)
		require.NoError(t, err, name)
		assert.Equal(t, string(data), string(again), name)
		if lint, err := exec.LookPath("xmllint"); err == nil || os.Getenv("CI") != "" {
			cmd := exec.Command(lint, "--noout", "--nonet", "--schema", "testdata/iso18626.xsd", "-")
			cmd.Stdin = bytes.NewReader(data)
			said, err := cmd.CombinedOutput()
			assert.NoError(t, err, "%s: %s", name, said)
		}
	}
}

func TestWhatIsNoMessageIsRefused(t *testing.T) {
	for _, text := range []string{"", "hello", "<a/>", `<ISO18626Message xmlns="http://illtransactions.org/2013/iso18626"/>`} {
		_, err := iso18626.Read(strings.NewReader(text))
		assert.Error(t, err, text)
	}
	bad := iso18626.Message{Request: &iso18626.Request{Header: header}}
	refused := bad.Confirm(time.Now(), &iso18626.ErrorData{Type: iso18626.UnrecognisedElement, Value: "no title"})
	ok, wrong := refused.Confirmed()
	assert.False(t, ok)
	assert.Equal(t, &iso18626.ErrorData{Type: "UnrecognisedDataElement", Value: "no title"}, wrong)
}
