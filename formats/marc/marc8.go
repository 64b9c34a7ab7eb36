package marc

import (
	"strings"

	"golang.org/x/text/unicode/norm"
)

// Of ANSI/NISO Z39.47, from memory; tried against another program's reading of it.
var (
	ansel = map[byte]rune{
		0xa1: 'Ł', 0xa2: 'Ø', 0xa3: 'Đ', 0xa4: 'Þ', 0xa5: 'Æ', 0xa6: 'Œ', 0xa7: 'ʹ', 0xa8: '·', 0xa9: '♭', 0xaa: '®',
		0xab: '±',
		0xac: 'Ơ', 0xad: 'Ư', 0xae: 'ʼ', 0xb0: 'ʻ', 0xb1: 'ł', 0xb2: 'ø', 0xb3: 'đ', 0xb4: 'þ', 0xb5: 'æ', 0xb6: 'œ',
		0xb7: 'ʺ',
		0xb8: 'ı', 0xb9: '£', 0xba: 'ð', 0xbc: 'ơ', 0xbd: 'ư', 0xc0: '°', 0xc1: 'ℓ', 0xc2: '℗', 0xc3: '©', 0xc4: '♯',
		0xc5: '¿',
		0xc6: '¡', 0xc7: 'ß', 0xc8: '€',
	}
	// Marks stand before their letter, and behind it in Unicode.
	anselMarks = map[byte]rune{
		0xe0: '\u0309', 0xe1: '\u0300', 0xe2: '\u0301', 0xe3: '\u0302', 0xe4: '\u0303', 0xe5: '\u0304', 0xe6: '\u0306',
		0xe7: '\u0307', 0xe8: '\u0308', 0xe9: '\u030c', 0xea: '\u030a', 0xeb: '\u0361',
		0xed: '\u0315',
		0xee: '\u030b', 0xef: '\u0310', 0xf0: '\u0327', 0xf1: '\u0328', 0xf2: '\u0323', 0xf3: '\u0324', 0xf4: '\u0325',
		0xf5: '\u0333', 0xf6: '\u0332', 0xf7: '\u0326', 0xf8: '\u031c', 0xf9: '\u032e', 0xfa: '\u0360',
		0xfe: '\u0313',
	}
)

// fromMARC8 reads MARC-8; a sign that is none becomes U+FFFD, the sign for one that cannot be read.
func fromMARC8(data []byte) string {
	var out strings.Builder
	var marks []rune
	for k := 0; k < len(data); k++ {
		b := data[k]
		if b == 0xec || b == 0xfb { // the second half of a mark over two letters
			continue
		}
		if mark, ok := anselMarks[b]; ok {
			marks = append(marks, mark)
			continue
		}
		letter := rune(b)
		if b >= 0x80 {
			var ok bool
			if letter, ok = ansel[b]; !ok {
				letter = '\ufffd'
			}
		}
		out.WriteRune(letter)
		for _, m := range marks {
			out.WriteRune(m)
		}
		marks = nil
	}
	return norm.NFC.String(out.String())
}
