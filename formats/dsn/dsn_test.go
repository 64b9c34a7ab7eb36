package dsn_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/dsn"
)

// The examples of RFC 3464, appendix E, from memory: a simple report, one on several recipients, one on a delay.
const (
	simple = `Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Message-Id: <199407072116.RAA14128@CS.UTK.EDU>
Subject: Returned mail: Cannot send message for 5 days
To: <owner-info-mime@cs.utk.edu>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
      boundary="RAA14128.773615765/CS.UTK.EDU"

--RAA14128.773615765/CS.UTK.EDU

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400
from root@localhost

   ----- The following addresses had delivery problems -----
<louisl@larry.slip.umd.edu>  (unrecoverable error)

--RAA14128.773615765/CS.UTK.EDU
content-type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;louisl@larry.slip.umd.edu
Final-Recipient: rfc822;louisl@larry.slip.umd.edu
Action: failed
Status: 4.0.0
Diagnostic-Code: smtp; 426 connection timed out
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

--RAA14128.773615765/CS.UTK.EDU
content-type: message/rfc822

[original message goes here]

--RAA14128.773615765/CS.UTK.EDU--
`
	several = `Date: Fri, 8 Jul 1994 09:21:47 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Subject: Returned mail: User unknown
To: <owner-ups-mib@CS.UTK.EDU>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
      boundary="JAA13167.773673707/CS.UTK.EDU"

--JAA13167.773673707/CS.UTK.EDU
content-type: text/plain; charset=us-ascii

   ----- The following addresses had delivery problems -----
<arathib@vnet.ibm.com>  (unrecoverable error)
<wsnell@sdcc13.ucsd.edu>  (unrecoverable error)

--JAA13167.773673707/CS.UTK.EDU
content-type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;arathib@vnet.ibm.com
Final-Recipient: rfc822;arathib@vnet.ibm.com
Action: failed
Status: 5.0.0 (permanent failure)
Diagnostic-Code: smtp;
 550 'arathib@vnet.IBM.COM' is not a registered gateway user
Remote-MTA: dns; vnet.ibm.com

Original-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Final-Recipient: rfc822;johnh@hpnjld.njd.hp.com
Action: delayed
Status: 4.0.0 (hpnjld.njd.jp.com: host name lookup failure)

Original-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Final-Recipient: rfc822;wsnell@sdcc13.ucsd.edu
Action: failed
Status: 5.0.0
Diagnostic-Code: smtp; 550 user unknown
Remote-MTA: dns; sdcc13.ucsd.edu

--JAA13167.773673707/CS.UTK.EDU
content-type: text/rfc822-headers

Message-ID: <message-42@cs.utk.edu>
Subject: Please return an item

--JAA13167.773673707/CS.UTK.EDU--
`
	delay = `MIME-Version: 1.0
From: <postmaster@nsfnet-relay.ac.uk>
Subject: WARNING: message delayed
Content-Type: multipart/report; report-type=delivery-status; boundary=foobar

--foobar
content-type: text/plain

The following message has been delayed.

--foobar
content-type: message/delivery-status

Reporting-MTA: dns; sun2.nsfnet-relay.ac.uk

Final-Recipient: rfc822;thomas@de-montfort.ac.uk
Status: 4.0.0 (unknown temporary failure)
Action: delayed

--foobar
content-type: message/rfc822

--foobar--
`
)

func crlf(s string) *strings.Reader { return strings.NewReader(strings.ReplaceAll(s, "\n", "\r\n")) }

func TestExamplesOfTheStandard(t *testing.T) {
	r, err := dsn.Read(crlf(simple))
	require.NoError(t, err)
	assert.Equal(t, []dsn.Recipient{{Address: "louisl@larry.slip.umd.edu", Action: dsn.Failed, Status: "4.0.0", Diagnostic: "426 connection timed out"}},
		r.Recipients)
	assert.False(t, r.Recipients[0].Permanent(), "given up, and it may work tomorrow")

	r, err = dsn.Read(crlf(several))
	require.NoError(t, err)
	assert.Equal(t, "message-42@cs.utk.edu", r.MessageID)
	require.Len(t, r.Recipients, 3)
	assert.Equal(t, "550 'arathib@vnet.IBM.COM' is not a registered gateway user", r.Recipients[0].Diagnostic)
	assert.Equal(t, "5.0.0", r.Recipients[0].Status, "without its comment")
	assert.Equal(t, []bool{true, false, true}, []bool{r.Recipients[0].Permanent(), r.Recipients[1].Permanent(), r.Recipients[2].Permanent()})

	r, err = dsn.Read(crlf(delay))
	require.NoError(t, err)
	assert.Equal(t, dsn.Delayed, r.Recipients[0].Action)
}

func TestWhatIsNoReport(t *testing.T) {
	for name, text := range map[string]string{
		"a letter":         "From: a@b.example\nSubject: Hello\n\nI am away until Monday.\n",
		"another report":   strings.Replace(simple, "report-type=delivery-status", "report-type=disposition-notification", 1),
		"nothing":          "",
		"without a status": strings.Replace(simple, "message/delivery-status", "text/plain", 1),
		"cut off":          simple[:strings.Index(simple, "Reporting-MTA")],
	} {
		_, err := dsn.Read(crlf(text))
		require.Error(t, err, name)
	}
}
