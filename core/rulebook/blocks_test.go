package rulebook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/rulebook"
)

func TestBlocks(t *testing.T) {
	for _, c := range []struct {
		name  string
		cells [][2]string
		want  int
	}{
		{"one cell", [][2]string{{"a", "x"}}, 1},
		{"a whole row", [][2]string{{"a", "x"}, {"a", "y"}, {"a", "z"}}, 1},
		{"a rectangle", [][2]string{{"a", "x"}, {"b", "y"}, {"a", "y"}, {"b", "x"}}, 1},
		{"a cross: by columns two, by rows two", [][2]string{{"a", "x"}, {"a", "y"}, {"b", "y"}}, 2},
		{"three rows of their own, two kinds of columns", [][2]string{{"a", "x"}, {"b", "x"}, {"c", "x"}, {"a", "y"}, {"b", "z"}, {"b", "y"}, {"a", "z"}}, 2},
	} {
		assert.Len(t, rulebook.Blocks(c.cells), c.want, c.name)
	}
}

// Blocks cover exactly what was chosen, each cell once.
func TestBlocksCoverWhatWasChosen(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cells := rapid.SliceOf(rapid.Custom(func(t *rapid.T) [2]string {
			return [2]string{
				rapid.SampledFrom([]string{"a", "b", "c", "d"}).Draw(t, "row"),
				rapid.SampledFrom([]string{"x", "y", "z"}).Draw(t, "column"),
			}
		})).Draw(t, "cells")
		chosen, covered := map[[2]string]bool{}, map[[2]string]bool{}
		for _, c := range cells {
			chosen[c] = true
		}
		for _, b := range rulebook.Blocks(cells) {
			for _, r := range b.Rows {
				for _, c := range b.Columns {
					if covered[[2]string{r, c}] {
						t.Fatalf("%s, %s is in two blocks", r, c)
					}
					covered[[2]string{r, c}] = true
				}
			}
		}
		assert.Equal(t, chosen, covered)
	})
}
