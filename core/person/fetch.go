package person

import (
	"slices"
	"strings"
)

// Fetching is somebody who comes for what waits for another.
type Fetching struct {
	Named    []string // whom the one it waits for has named
	Names    []string // how the one who comes is called
	Together bool     // they are of one household
}

// MayFetch tells whether somebody may fetch what waits for another, by what the network has settled: nobody, those who were named,
// or the household too.
func MayFetch(settled string, f Fetching) bool {
	named := slices.ContainsFunc(f.Named, func(n string) bool {
		return slices.ContainsFunc(f.Names, func(o string) bool { return strings.EqualFold(bareName(n), bareName(o)) })
	})
	switch settled {
	case "named":
		return named
	case "household":
		return named || f.Together
	}
	return false
}

func bareName(name string) string { return strings.Join(strings.Fields(name), " ") }
