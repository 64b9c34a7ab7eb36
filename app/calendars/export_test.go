package calendars

import (
	"context"
	"testing"

	"nevrin/app/act"
	"nevrin/store/sweepsdb"
)

// AtOnce has so few due dates move in one act for a test.
func AtOnce(t *testing.T, n int) {
	was, parts := atOnce, part
	atOnce, part = n, n
	t.Cleanup(func() { atOnce, part = was, parts })
}

// FollowAsSeen goes on with a change as somebody has seen it before.
func FollowAsSeen(ctx context.Context, h *act.House, s *sweepsdb.Sweep) error {
	return inParts(ctx, h, s, s.UndoneAt == nil)
}
