package store

import (
	"io/fs"
)

func mustSub() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic("store: migrations are not embedded: " + err.Error())
	}
	return sub
}
