package iso18626_test

import (
	"bytes"
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

func TestMessagesComeBackAsTheyWere(t *testing.T) {
	request := iso18626.Message{
		Request: &iso18626.Request{Header: header, Bibliographic: iso18626.Bibliographic{Title: "Salt & <Tide>",
			Items: []iso18626.ItemID{
				{Value: "9789999900003", Code: "ISBN"},
			}}, Service: iso18626.Service{Type: "Loan", NeedBefore: "2026-11-01"}},
	}
	for name, m := range map[string]iso18626.Message{
		"request":      request,
		"status":       {SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{Header: header, Info: iso18626.MessageInfo{Reason: "StatusChange"}, Status: iso18626.StatusInfo{Status: "Loaned", DueDate: "2026-11-10", LastChange: header.Timestamp}}},
		"action":       {RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{Header: header, Action: "Received"}},
		"confirmation": request.Confirm(time.Unix(0, 0).UTC(), ""),
	} {
		data, err := iso18626.Write(m)
		require.NoError(t, err, name)
		back, err := iso18626.Read(bytes.NewReader(data))
		require.NoError(t, err, name)
		again, err := iso18626.Write(*back)
		require.NoError(t, err, name)
		assert.Equal(t, string(data), string(again), name)
		// Elements stand in the order of the standard's schema (from memory): the requester's number after the time.
		assert.Less(
			t,
			strings.Index(string(data), "<timestamp>"),
			strings.Index(string(data), "<requestingAgencyRequestId>"),
			name,
		)
		if lint, err := exec.LookPath("xmllint"); err == nil {
			cmd := exec.Command(lint, "--noout", "-")
			cmd.Stdin = bytes.NewReader(data)
			assert.NoError(t, cmd.Run(), name)
		}
	}
}

func TestWhatIsNoMessageIsRefused(t *testing.T) {
	for _, text := range []string{"", "hello", "<a/>", `<ISO18626Message xmlns="http://illtransactions.org/2013/iso18626"/>`} {
		_, err := iso18626.Read(strings.NewReader(text))
		assert.Error(t, err, text)
	}
	bad := iso18626.Message{Request: &iso18626.Request{Header: header}}
	refused := bad.Confirm(time.Now(), "no title")
	ok, problem := refused.Confirmed()
	assert.False(t, ok)
	assert.Contains(t, problem, "no title")
}
