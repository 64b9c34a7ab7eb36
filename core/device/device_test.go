package device_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/device"
)

func TestPad(t *testing.T) {
	for address, right := range map[string]bool{
		"ws://127.0.0.1:7411/pad":       true,
		"ws://localhost:7411":           true,
		"ws://127.0.0.1:70000/pad":      false, // no such port
		"ws://127.0.0.1/pad":            false,
		"http://127.0.0.1:7411/pad":     false,
		"ws://pad.example:7411/":        false, // a page speaks with nothing beyond its station
		"ws://127.0.0.1.example:7411/":  false,
		"ws://me@127.0.0.1:7411/":       false,
		"ws://127.0.0.1:7411/pad?a=b":   false,
		"ws://127.0.0.1:7411/%zz":       false,
		"127.0.0.1:7411":                false,
		"ws://[::ffff:127.0.0.1]:7411/": false,
	} {
		assert.Equal(t, right, device.Pad(address) == nil, address)
	}
	assert.EqualError(t, device.Pad("x"),
		`the pad's address "x"; expected one at the station itself, such as ws://127.0.0.1:7411/pad`)
}

func TestTerminal(t *testing.T) {
	for address, right := range map[string]bool{
		"10.20.3.15:7500":     true,
		"terminal.lan:7500":   true,
		"[fd00::7]:7500":      true,
		"10.20.3.15":          false,
		":7500":               false,
		"10.20.3.15:0":        false,
		"10.20.3.15:7500/pay": false,
		"me@10.20.3.15:7500":  false,
		"10.20.3.15 :7500":    false,
		"":                    false,
		"10.20.3.15:port":     false,
		"tcp://10.0.0.1:7500": false,
	} {
		assert.Equal(t, right, device.Terminal(address) == nil, address)
	}
}
