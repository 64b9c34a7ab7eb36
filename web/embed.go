// Package web carries the built front end, so that one binary serves everything.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// App is the built front end; it has no index.html before it is built.
func App() fs.FS {
	app, err := fs.Sub(dist, "dist/app")
	if err != nil {
		panic("web: " + err.Error()) // the path is a constant and valid
	}
	return app
}
