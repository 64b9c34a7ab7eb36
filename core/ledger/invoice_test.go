package ledger_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/ledger"
)

func TestToInvoice(t *testing.T) {
	for b, goes := range map[ledger.Billable]ledger.Goes{
		{}:                               ledger.OnIt,
		{Chosen: true}:                   ledger.OnIt,
		{Invoiced: true}:                 ledger.LeftBy,
		{Invoiced: true, Chosen: true}:   ledger.Twice,
		{Disputed: true}:                 ledger.LeftBy,
		{Disputed: true, Chosen: true}:   ledger.LeftBy,
		{Invoiced: true, Disputed: true}: ledger.LeftBy,
	} {
		assert.Equal(t, goes, b.ToInvoice(), "%+v", b)
	}
}
