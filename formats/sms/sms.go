// Package sms counts text messages, writes the numbers they go to, and speaks with a text gateway.
//
// Counting follows 3GPP TS 23.038 (formerly GSM 03.38) and 23.040: 160 characters of the default alphabet fit into one message, or 70 where a
// character is not in it. The gateway speaks the RESTful network API for messaging of the Open Mobile Alliance, in JSON.
package sms

import (
	"errors"
	"strings"
	"unicode/utf8"

	"github.com/nyaruka/phonenumbers"
	"github.com/warthog618/sms"
	"github.com/warthog618/sms/encoding/gsm7"
	"golang.org/x/text/unicode/norm"
)

// Length is how long a text message is.
type Length struct {
	Characters int  `json:"characters" doc:"Counted as the phone counts: some, such as the euro sign, count twice"`
	Parts      int  `json:"parts" doc:"How many messages it is sent as"`
	Most       int  `json:"most" doc:"How many characters fit into one: 160, or 70"`
	Unicode    bool `json:"unicode" doc:"It has a character that is not in the usual alphabet of phones"`
}

// Count counts a text.
func Count(text string) Length {
	out := Length{Most: 160}
	if septets, err := gsm7.Encode([]byte(text)); err == nil {
		out.Characters = len(septets)
	} else {
		out.Unicode, out.Most = true, 70
		for _, r := range text {
			out.Characters++
			if r > 0xFFFF { // two code units
				out.Characters++
			}
		}
	}
	if parts, err := sms.Encode([]byte(text)); err == nil {
		out.Parts = len(parts)
	}
	return out
}

// Plain writes a text in the usual alphabet of phones: letters without the accents that are not in it, plain quotes and dashes. A text with other
// characters stays as it is.
func Plain(text string) string {
	var out strings.Builder
	for _, r := range text {
		c := string(r)
		if _, err := gsm7.Encode([]byte(c)); err != nil {
			if c = plainer[r]; c == "" {
				base, _ := utf8.DecodeRuneInString(norm.NFD.String(string(r)))
				c = string(base)
			}
			if _, err := gsm7.Encode([]byte(c)); err != nil {
				return text
			}
		}
		out.WriteString(c)
	}
	return out.String()
}

// plainer are characters of the usual alphabet for some that are not in it and have no base letter.
var plainer = map[rune]string{
	'\u00a0': " ", '\u202f': " ", '\u2009': " ", '‘': "'", '’': "'", '‚': "'", '“': "\"", '”': "\"", '„': "\"", '«': "\"", '»': "\"", '–': "-",
	'—': "-", '…': "...", '•': "-", 'œ': "oe", 'Œ': "OE", 'ł': "l", 'Ł': "L", 'ð': "d", 'þ': "th", '№': "No.",
}

// errNumber is the error for what is no number.
var errNumber = errors.New("this is not a telephone number")

// Number writes a telephone number with its country, as in +15550100. Region is the country of numbers that name none, a code of ISO 3166-1
// such as CA; empty: each number must name its own.
func Number(text, region string) (string, error) {
	n, err := phonenumbers.Parse(text, region)
	if err != nil {
		return "", errNumber
	}
	switch phonenumbers.IsPossibleNumberWithReason(n) {
	case phonenumbers.IS_POSSIBLE, phonenumbers.IS_POSSIBLE_LOCAL_ONLY:
		return phonenumbers.Format(n, phonenumbers.E164), nil
	}
	return "", errNumber
}

// Region tells whether a code is a country that numbers can be of.
func Region(code string) bool { return phonenumbers.GetSupportedRegions()[code] }
