package rulebook

import (
	"slices"
	"strings"
)

// Block is rows and columns of a grid, every crossing of which is meant.
type Block struct {
	Rows, Columns []string
}

// Blocks writes chosen cells, each a row and a column, as few blocks: rows chosen in the same columns are
// put together, or columns chosen in the same rows, whichever needs fewer. Each cell is in one block.
func Blocks(cells [][2]string) []Block {
	byRows, byColumns := grouped(cells, 0), grouped(cells, 1)
	if len(byColumns) < len(byRows) {
		return byColumns
	}
	return byRows
}

// grouped puts together what is chosen in the same crossings, by rows (0) or columns (1).
func grouped(cells [][2]string, side int) []Block {
	var lines []string // in the order in which they come
	crossed := map[string][]string{}
	for _, c := range cells {
		if !slices.Contains(crossed[c[side]], c[1-side]) {
			if crossed[c[side]] == nil {
				lines = append(lines, c[side])
			}
			crossed[c[side]] = append(crossed[c[side]], c[1-side])
		}
	}
	var out []Block
	at := map[string]int{}
	for _, line := range lines {
		others := slices.Sorted(slices.Values(crossed[line]))
		key := strings.Join(others, "\x00")
		k, known := at[key]
		if !known {
			k = len(out)
			at[key] = k
			out = append(out, Block{})
			if side == 0 {
				out[k].Columns = others
			} else {
				out[k].Rows = others
			}
		}
		if side == 0 {
			out[k].Rows = append(out[k].Rows, line)
		} else {
			out[k].Columns = append(out[k].Columns, line)
		}
	}
	return out
}
