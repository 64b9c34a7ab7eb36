//go:build race

package measure

// Raced tells whether the race detector is on: pools then drop what they hold, so that memory says nothing.
const Raced = true
