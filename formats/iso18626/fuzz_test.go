package iso18626_test

import (
	"bytes"
	"strings"
	"testing"

	"nevrin/formats/iso18626"
	"nevrin/testkit/measure"
)

// Whatever a partner sends is read or refused with a sentence; what was read is written and read again.
func FuzzRead(f *testing.F) {
	m := iso18626.Message{Request: &iso18626.Request{Bibliographic: iso18626.Bibliographic{Title: "Tidal Mills"}}}
	data, err := iso18626.Write(m)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	f.Add([]byte("<ISO18626Message/>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var m *iso18626.Message
		var err error
		measure.Reader(t, len(data), func() { m, err = iso18626.Read(bytes.NewReader(data)) })
		if err != nil {
			if strings.TrimSpace(err.Error()) == "" {
				t.Fatal("refused without a word")
			}
			return
		}
		again, err := iso18626.Write(*m)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := iso18626.Read(bytes.NewReader(again)); err != nil {
			t.Fatalf("what was read cannot be read again: %v", err)
		}
	})
}
