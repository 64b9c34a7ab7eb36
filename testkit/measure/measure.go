// Package measure tells how much memory a piece of work takes, so that tests and fuzzing can hold readers of foreign files to
// so many bytes for each byte they read.
package measure

import (
	"runtime"
	"testing"
)

// Allocated gives how many bytes some work allocates in all, whether they are kept or not. What other goroutines allocate
// meanwhile is counted too, so a limit needs some room.
func Allocated(work func()) int64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	work()
	runtime.ReadMemStats(&after)
	return int64(after.TotalAlloc - before.TotalAlloc)
}

// Limits of a reader: what it may allocate before it has read anything, and for each byte it reads; and how long the sentence
// may be with which it refuses a file.
const (
	AtFirst  = 2 << 20
	PerByte  = 200
	Sentence = 600
)

// Exceeded tells whether a reader has allocated more than it may for an input of a size in bytes.
func Exceeded(allocated int64, size int) bool { return allocated > AtFirst+int64(size)*PerByte }

// Reader runs a reader on an input of a size in bytes, and fails the test where it allocates more than it may. A fuzz target calls
// it for each input.
func Reader(t testing.TB, size int, read func()) {
	t.Helper()
	if took := Allocated(read); !Raced && Exceeded(took, size) {
		t.Fatalf("%d bytes were allocated to read %d", took, size)
	}
}
