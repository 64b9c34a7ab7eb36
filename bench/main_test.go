package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// pgbench of PostgreSQL 15 prints this; where nothing ended in time it prints no rate, and the bench went down with that.
func TestRates(t *testing.T) {
	rate, err := rateIn([]byte("number of transactions actually processed: 412\nlatency average = 4.8 ms\ntps = 205.113900 (without initial connection time)\n"))
	assert.NoError(t, err)
	assert.InDelta(t, 205.1139, rate, 1e-9)
	_, err = rateIn([]byte("number of transactions actually processed: 0\n"))
	assert.ErrorContains(t, err, "printed no rate")
	_, err = rateIn(nil)
	assert.Error(t, err)
}
