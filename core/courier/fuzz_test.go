package courier_test

import (
	"os"
	"strings"
	"testing"

	"nevrin/core/courier"
	"nevrin/testkit/measure"
)

// Whatever a file holds, it is read or refused with a sentence that names a place; never with a panic, and never with
// both.
func FuzzRead(f *testing.F) {
	worked, err := os.ReadFile("../testdata/worked-courier.json")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(worked)
	f.Add([]byte("{}"))
	f.Add([]byte("[[[[[[[["))
	f.Add([]byte("{\"format\": 1e999}"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var file *courier.File
		var err error
		measure.Reader(t, len(data), func() { file, err = courier.Read(data) })
		switch {
		case err == nil && file == nil:
			t.Fatal("read to nothing")
		case err != nil && strings.TrimSpace(err.Error()) == "":
			t.Fatal("refused without a word")
		}
	})
}
