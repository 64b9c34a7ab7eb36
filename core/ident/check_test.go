package ident_test

import (
	"testing"

	"github.com/ShiraazMoollatjie/goluhn"
	"github.com/boombuler/barcode/ean"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/ident"
)

// The worked numbers of the standards.
func TestChecksOfStandards(t *testing.T) {
	for _, c := range []struct {
		source, payload, sign string
		check                 ident.Check
	}{
		{"ISO/IEC 7812-1 Annex B, 7992 739 871 (from memory)", "7992739871", "3", ident.Luhn},
		{"ISO 2108, 978-92-95055-02-5, its own number", "978929505502", "5", ident.Mod10},
		{"ISO 2108:1992, 0-306-40615-2 (from memory)", "030640615", "2", ident.Mod11},
		{"ISO 3297, 0317-8471, its worked example", "0317847", "1", ident.Mod11},
		{"ISO 3297, 1050-124X (from memory)", "1050124", "X", ident.Mod11},
		{"ISO/IEC 7064, 0794 under MOD 11-2", "0794", "0", ident.Mod11Two},
		{"ISO/IEC 7064 in ISO 27729, 0000 0002 1825 0097", "000000021825009", "7", ident.Mod11Two},
		{"ISO/IEC 7064 in ISO 27729, 0000 0001 2281 955X", "000000012281955", "X", ident.Mod11Two},
		{"ISO/IEC 7064, 0794 under MOD 11,10", "0794", "5", ident.Mod11Ten},
	} {
		assert.Equal(t, c.sign, c.check.Sign(c.payload), c.source)
	}
	assert.Empty(t, ident.NoCheck.Sign("1234"))
}

// Libraries of the registry work the same signs out: goluhn, and the EAN-13 of a barcode library.
func TestChecksOfLibraries(t *testing.T) {
	digits := rapid.RuneFrom([]rune("0123456789"))
	rapid.Check(t, func(t *rapid.T) {
		payload := rapid.StringOfN(digits, 1, 18, -1).Draw(t, "payload")
		_, whole, err := goluhn.Calculate(payload)
		require.NoError(t, err)
		assert.Equal(t, whole, payload+ident.Luhn.Sign(payload))

		payload = rapid.StringOfN(digits, 12, 12, -1).Draw(t, "of an EAN")
		code, err := ean.Encode(payload)
		require.NoError(t, err)
		assert.Equal(t, code.Content(), payload+ident.Mod10.Sign(payload))
	})
}

// What each check promises: no single wrong digit passes; those of modulus 11 also find two neighbours that changed places.
func TestChecksFindMistakes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		check := rapid.SampledFrom(ident.Checks[1:]).Draw(t, "check")
		length := 9 // growing weights tell eleven places apart
		p := ident.Pattern{Begins: "2", Length: length, Check: check}
		number := []byte(p.Number(rapid.Int64Range(0, p.Last()).Draw(t, "n")))
		require.True(t, p.Fits(string(number)))
		at := rapid.IntRange(1, length-2).Draw(t, "at")
		wrong := append([]byte{}, number...)
		wrong[at] = '0' + (wrong[at]-'0'+byte(rapid.IntRange(1, 9).Draw(t, "by")))%10
		assert.False(t, p.Fits(string(wrong)), "%s for %s", wrong, number)
		if at+1 < length-1 && number[at] != number[at+1] && (check == ident.Mod11 || check == ident.Mod11Two) {
			swapped := append([]byte{}, number...)
			swapped[at], swapped[at+1] = swapped[at+1], swapped[at]
			assert.False(t, p.Fits(string(swapped)), "%s for %s", swapped, number)
		}
	})
}
