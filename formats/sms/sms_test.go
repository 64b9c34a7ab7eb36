package sms_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/sms"
)

// The default alphabet of 3GPP TS 23.038, 6.2.1, and its extension, 6.2.1.1, which counts twice (both from memory).
const (
	alphabet  = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
	extension = "\f^{}\\[~]|€"
)

func TestAlphabet(t *testing.T) {
	assert.Len(t, []rune(alphabet), 127, "128 places, of which one is the escape")
	for _, r := range alphabet {
		assert.Equal(t, sms.Length{Characters: 1, Parts: 1, Most: 160}, sms.Count(string(r)), string(r))
	}
	for _, r := range extension {
		assert.Equal(t, sms.Length{Characters: 2, Parts: 1, Most: 160}, sms.Count(string(r)), string(r))
	}
	for _, r := range "çâêîôûëïœšđ”’–日😀" { // many a French letter is not in it, though é, è, à and ù are
		assert.True(t, sms.Count(string(r)).Unicode, string(r))
	}
}

// 160 characters in one message; of longer ones 153 in each part, since seven are taken by its header (3GPP TS 23.040, 9.2.3.24.1; common
// practice). With other alphabets it is 70 and 67.
func TestParts(t *testing.T) {
	for text, parts := range map[string]int{
		strings.Repeat("a", 160): 1, strings.Repeat("a", 161): 2, strings.Repeat("a", 306): 2, strings.Repeat("a", 307): 3,
		strings.Repeat("€", 80): 1, strings.Repeat("€", 81): 2,
		strings.Repeat("ç", 70): 1, strings.Repeat("ç", 71): 2, strings.Repeat("ç", 134): 2, strings.Repeat("ç", 135): 3,
	} {
		assert.Equal(t, parts, sms.Count(text).Parts, "%d of %.3s", len([]rune(text)), text)
	}
	assert.Equal(t, 70, sms.Count(strings.Repeat("😀", 35)).Characters)
}

func TestPlain(t *testing.T) {
	for text, is := range map[string]string{
		"Prêt jusqu’au 6 août, à Havenhead": "Pret jusqu'au 6 aout, à Havenhead",
		"4,50\u00a0$ – « Œuvres » …":        "4,50 $ - \" OEuvres \" ...",
		"日本の本 à côté":                       "日本の本 à côté", // nothing is lost of what cannot be written so
		"Ünïcödé Çà":                        "Ünicödé Çà",
	} {
		assert.Equal(t, is, sms.Plain(text))
	}
}

// Numbers of ITU-T E.164, with the ranges that are kept for fiction: 555-01xx in North America, 020 7946 0xxx in London.
func TestNumbers(t *testing.T) {
	for _, c := range []struct{ text, region, is string }{
		{"(902) 555-0134", "CA", "+19025550134"}, {"1-902-555-0134", "CA", "+19025550134"}, {"+44 20 7946 0123", "CA", "+442079460123"},
		{"020 7946 0123", "GB", "+442079460123"}, {"+1 902 555 0134", "", "+19025550134"}, {"555 0134", "CA", "+15550134"},
	} {
		n, err := sms.Number(c.text, c.region)
		require.NoError(t, err, c.text)
		assert.Equal(t, c.is, n)
	}
	for _, text := range []string{"", "ask at the desk", "12", "902 555 0134 5678 9012 3456"} {
		_, err := sms.Number(text, "CA")
		require.Error(t, err, text)
	}
	_, err := sms.Number("902 555 0134", "")
	require.Error(t, err, "of no country")
	assert.True(t, sms.Region("CA"))
	assert.False(t, sms.Region("XX"))
}
