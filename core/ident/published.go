package ident

import (
	"fmt"
	"strings"
)

// ISBN reads an International Standard Book Number (ISO 2108), of ten or thirteen digits, with or without hyphens: it gives the
// thirteen digits, or says what is wrong.
func ISBN(text string) (number, says string) {
	digits := published(text)
	switch {
	case len(digits) == 10 && !strings.Contains(digits[:9], "X"):
		if Mod11.Sign(digits[:9]) != digits[9:] {
			return "", wrongSign(text, "ISBN")
		}
		number = "978" + digits[:9]
		return number + Mod10.Sign(number), ""
	case len(digits) == 13 && (digits[:3] == "978" || digits[:3] == "979") && !strings.Contains(digits, "X"):
		if Mod10.Sign(digits[:12]) != digits[12:] {
			return "", wrongSign(text, "ISBN")
		}
		return digits, ""
	case len(digits) == 13:
		return "", fmt.Sprintf("%q has 13 digits but does not start with 978 or 979, as an ISBN does.", text)
	}
	return "", fmt.Sprintf("%q is not an ISBN. An ISBN has 10 digits, or 13 that start with 978 or 979.", text)
}

// ISSN reads an International Standard Serial Number (ISO 3297): it gives it as 0000-0000, or says what is wrong.
func ISSN(text string) (number, says string) {
	digits := published(text)
	if len(digits) != 8 || strings.Contains(digits[:7], "X") {
		return "", fmt.Sprintf("%q is not an ISSN. An ISSN has 8 digits, such as 0317-8471.", text)
	}
	if Mod11.Sign(digits[:7]) != digits[7:] {
		return "", wrongSign(text, "ISSN")
	}
	return digits[:4] + "-" + digits[4:], ""
}

func wrongSign(text, what string) string {
	return fmt.Sprintf("%q is not a valid %s: the check digit is wrong. Scan it again, or type it from the book.", text, what)
}

// published are the digits of a number as publishers print them; nothing else may stand in it but hyphens and spaces.
func published(text string) string {
	var out strings.Builder
	for _, r := range strings.ToUpper(strings.TrimSpace(text)) {
		switch {
		case r >= '0' && r <= '9' || r == 'X':
			out.WriteRune(r)
		case r == '-' || r == ' ' || r == '\u2010' || r == '\u2013':
		default:
			return ""
		}
	}
	return out.String()
}
