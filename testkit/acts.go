package testkit

import (
	"context"
	"testing"

	"nevrin/app/act"
)

// Try does one thing without a key and gives its error.
func Try[T any](h *act.House, who act.Actor, change func(*act.Act) (T, error)) (T, error) {
	return act.Do(context.Background(), h, who, "", nil, change)
}

// Done does one thing that answers nothing, and expects it to succeed.
func Done(t *testing.T, h *act.House, who act.Actor, change func(*act.Act) error) {
	t.Helper()
	Do(t, h, who, func(a *act.Act) (struct{}, error) { return struct{}{}, change(a) })
}
