package ident

import (
	"slices"
	"strings"
)

// Check is a method to compute the last character of a number from the digits before it. Letters do not count.
type Check string

// The checks.
const (
	NoCheck  Check = "none"
	Luhn     Check = "luhn"     // ISO/IEC 7812-1, Annex B
	Mod10    Check = "mod10"    // modulus 10, weights 3 and 1 from the right, as GS1 has it
	Mod11    Check = "mod11"    // modulus 11, weights 2, 3, 4 and so on from the right, X for ten: ISO 2108, ISO 3297
	Mod11Two Check = "mod11_2"  // ISO/IEC 7064, MOD 11-2, X for ten
	Mod11Ten Check = "mod11_10" // ISO/IEC 7064, MOD 11,10
)

// Checks are all of them.
var Checks = []Check{NoCheck, Luhn, Mod10, Mod11, Mod11Two, Mod11Ten}

// Sign is the sign that makes a number valid; empty where there is none.
func (c Check) Sign(number string) string {
	d := digitsOf(number)
	switch c {
	case Luhn:
		return sign(10, luhnSum(d))
	case Mod10:
		return sign(10, weighted(d, func(k int) int { return 3 - 2*(k%2) }))
	case Mod11:
		return sign(11, weighted(d, func(k int) int { return k + 2 }))
	case Mod11Two:
		p := 0
		for _, n := range d {
			p = (p + n) * 2 % 11
		}
		return sign(11, p-1)
	case Mod11Ten:
		p := 10
		for _, n := range d {
			if p = (p + n) % 10; p == 0 {
				p = 10
			}
			p = p * 2 % 11
		}
		return sign(10, p-1)
	}
	return ""
}

// sign is what is missing from a sum to a multiple of a modulus.
func sign(modulus, sum int) string {
	n := ((-sum)%modulus + modulus) % modulus
	if n == 10 {
		return "X"
	}
	return string(rune('0' + n))
}

// weighted is the sum of digits, each with the weight of its place from the right.
func weighted(digits []int, weight func(k int) int) int {
	sum := 0
	for k := range digits {
		sum += digits[len(digits)-1-k] * weight(k)
	}
	return sum
}

func luhnSum(digits []int) int {
	sum := 0
	for k, n := range slices.Backward(digits) {
		if (len(digits)-1-k)%2 == 0 {
			if n *= 2; n > 9 {
				n -= 9
			}
		}
		sum += n
	}
	return sum
}

func digitsOf(text string) []int {
	out := make([]int, 0, len(text))
	for _, r := range text {
		if r >= '0' && r <= '9' {
			out = append(out, int(r-'0'))
		}
	}
	return out
}

// productCode tells whether the digits are an EAN-13, a UPC or an ISBN-10 with a fitting check digit.
func productCode(digits string) bool {
	n := len(digits)
	switch {
	case strings.ContainsAny(digits[:n-1], "X"):
		return false
	case n == 12 || n == 13:
		return Mod10.Sign(digits[:n-1]) == digits[n-1:]
	case n == 10:
		return Mod11.Sign(digits[:n-1]) == digits[n-1:]
	}
	return false
}
