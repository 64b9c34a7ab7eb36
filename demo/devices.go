package demo

import (
	"context"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Equipment is a station of the demo with a pad and a card terminal beside it.
type Equipment struct {
	Branch  calendar.Code
	Station string
	Pad     string // how its pad is called
}

func (e Equipment) String() string { return string(e.Branch) + ", " + e.Station }

// Equipped are the stations that have them.
var Equipped = []Equipment{{"HVH", "Front desk", "front-desk"}, {"SLM", "Counter", "saltmere"}}

// Reached writes where the pad and the terminal of a station are now, unless somebody has taken them away from it.
func Reached(ctx context.Context, s *store.Store, e Equipment, pad, terminal string) error {
	_, err := s.Pool().ExecContext(ctx, `WITH known AS (UPDATE stations SET pad = CASE WHEN pad <> '' THEN $3 ELSE '' END,
			terminal = CASE WHEN terminal <> '' THEN $4 ELSE '' END WHERE branch_code = $1 AND name = $2 RETURNING id)
		UPDATE network SET version = version + 1 WHERE EXISTS (SELECT 1 FROM known)`, e.Branch, e.Station, pad, terminal)
	return err
}

// WithinReach is something that stands near a desk, to be laid on its pad.
type WithinReach struct{ Number, Title string }

// Within gives a few things that are free at a branch and that nobody waits for.
func Within(ctx context.Context, s *store.Store, branch calendar.Code) ([]WithinReach, error) {
	rows, err := s.Pool().QueryContext(ctx, `SELECT i.barcode, t.name FROM items i JOIN titles t ON t.id = i.title_id
		WHERE i.at_branch = $1 AND i.branch_code = $1 AND i.standing = 'in_use' AND i.note = '' AND i.material = 'book'
			AND i.own_terms IS NULL AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
			AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL)
		ORDER BY i.id LIMIT 8`, branch)
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	var out []WithinReach
	for rows.Next() {
		var w WithinReach
		if err := rows.Scan(&w.Number, &w.Title); err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, rows.Err()
}
