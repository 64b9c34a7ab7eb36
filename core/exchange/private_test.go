package exchange_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/exchange"
)

func TestNames(t *testing.T) {
	for text, word := range map[string]string{
		"For Ada Quill":                     "Quill",
		"The reader, A. Quill-Marr, waits":  "Quill-Marr",
		"card 2190 4000 0000 12":            "219040000000 12"[:12] + "12",
		"It will be needed until may":       "",
		"Page 3 is torn":                    "",
		"quills are birds' feathers; an Li": "",
	} {
		assert.Equal(t, word, exchange.Names(text, "21904000000012", "Will Quill Quill-Marr", "Li May"), text)
	}
}
