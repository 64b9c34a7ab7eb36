package testkit

import (
	"context"
	"testing"

	"nevrin/app/act"
	"nevrin/store"
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

// Whole walks through a list in parts of so many rows.
func Whole[T any](
	t *testing.T,
	h *act.House,
	who act.Actor,
	most int,
	list func(*act.Act, store.Page) ([]T, store.Page, error),
) []T {
	t.Helper()
	return Do(t, h, who, func(a *act.Act) ([]T, error) {
		var out []T
		for page := (store.Page{Most: most}); ; {
			rows, next, err := list(a, page)
			out = append(out, rows...)
			if err != nil || !next.More {
				return out, err
			}
			page = next
		}
	})
}
