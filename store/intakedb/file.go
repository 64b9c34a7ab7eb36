package intakedb

import (
	"context"
	"io"

	"nevrin/store"
)

// IntakeFile reads a file that has been sent, part after part.
func IntakeFile(ctx context.Context, s *store.Store, id int64) io.Reader {
	return &intakeFile{ctx: ctx, store: s, id: id}
}

type intakeFile struct {
	ctx   context.Context
	store *store.Store
	id    int64
	next  int64
	left  []byte
}

func (f *intakeFile) Read(into []byte) (int, error) {
	if len(f.left) == 0 {
		var parts [][]byte
		err := f.store.ORM(f.ctx).
			Raw("SELECT content FROM intake_parts WHERE intake_id = ? AND begins = ?", f.id, f.next).
			Scan(&parts).
			Error
		if err != nil {
			return 0, err
		}
		if len(parts) == 0 {
			return 0, io.EOF
		}
		f.left = parts[0]
		f.next += int64(len(f.left))
	}
	n := copy(into, f.left)
	f.left = f.left[n:]
	return n, nil
}
