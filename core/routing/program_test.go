package routing_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/routing"
)

// program is a linear programme in whole numbers of nought and one, as GLPK's glpsol (Debian's glpk-utils) reads it in the
// CPLEX LP format.
type program struct {
	goal  string // Minimize or Maximize
	costs []string
	rows  []string
	names []string
}

func (p *program) variable(name string, cost int) {
	p.names = append(p.names, name)
	p.costs = append(p.costs, fmt.Sprintf("%+d %s", cost, name))
}

func (p *program) row(names []string, sense string, right int) {
	if len(names) > 0 {
		p.rows = append(p.rows, fmt.Sprintf("%s %s %d", strings.Join(names, " + "), sense, right))
	}
}

// solve gives the best value, and the variables that are one.
func (p *program) solve(t require.TestingT, dir string) (int, map[string]bool) {
	if len(p.names) == 0 {
		return 0, nil
	}
	text := p.goal + "\n goal: " + strings.Join(p.costs, "\n ") + "\nSubject To\n"
	for k, r := range p.rows {
		text += fmt.Sprintf(" r%d: %s\n", k, r)
	}
	text += "Binary\n " + strings.Join(p.names, "\n ") + "\nEnd\n"
	in, out := filepath.Join(dir, "in.lp"), filepath.Join(dir, "out.txt")
	require.NoError(t, os.WriteFile(in, []byte(text), 0o600))
	said, err := exec.Command("glpsol", "--lp", in, "-o", out).CombinedOutput()
	require.NoError(t, err, "glpsol of Debian's glpk-utils is needed: %s", said)
	answer, err := os.ReadFile(out)
	require.NoError(t, err)
	require.Contains(t, string(answer), "INTEGER OPTIMAL")
	value, ones := 0, map[string]bool{}
	for line := range strings.Lines(string(answer)) {
		f := strings.Fields(line)
		if len(f) > 3 && f[0] == "Objective:" {
			number, err := strconv.ParseFloat(f[3], 64)
			require.NoError(t, err)
			value = int(number)
		}
		if len(f) > 3 && strings.HasPrefix(f[1], "x") && f[2] == "*" && f[3] == "1" {
			ones[f[1]] = true
		}
	}
	return value, ones
}

func drawProblem(t *rapid.T, most int) routing.Problem {
	var p routing.Problem
	for i := range rapid.IntRange(1, most).Draw(t, "items") {
		p.Items = append(p.Items, fmt.Sprintf("i%02d", i))
	}
	for range rapid.IntRange(1, most).Draw(t, "holds") {
		row := make([]*routing.Reach, len(p.Items))
		for i := range row {
			if wait := rapid.IntRange(-20, 90).Draw(t, "wait"); wait > 0 {
				row[i] = &routing.Reach{Wait: wait}
			}
		}
		p.Reach = append(p.Reach, row)
	}
	return p
}

// pairsOf writes a problem as a programme: a variable for each pair that can be, each hold and each item at most once.
func pairsOf(p routing.Problem, goal string, cost func(h int, r *routing.Reach) int) (*program, [][]string) {
	out := &program{goal: goal}
	items, holds := make([][]string, len(p.Items)), make([][]string, len(p.Reach))
	for h, row := range p.Reach {
		for i, r := range row {
			if r != nil {
				x := fmt.Sprintf("x_%d_%d", h, i)
				out.variable(x, cost(h, r))
				items[i], holds[h] = append(items[i], x), append(holds[h], x)
			}
		}
	}
	for _, names := range items {
		out.row(names, "<=", 1)
	}
	return out, holds
}

// Who is served, in the order of the queue, and the least total waiting agree with GLPK: one programme weighs each hold by
// more than all behind it together, the next one asks for the least waiting of just those.
func TestPlansAgreeWithALinearProgramme(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		p := drawProblem(t, 9)
		plan := routing.Plan(p, routing.LeastTotal)
		first, holds := pairsOf(p, "Maximize", func(h int, _ *routing.Reach) int { return 1 << (len(p.Reach) - h) })
		for _, names := range holds {
			first.row(names, "<=", 1)
		}
		_, ones := first.solve(t, dir)
		served := map[int]bool{}
		for x := range ones {
			h, _ := strconv.Atoi(strings.Split(x, "_")[1])
			served[h] = true
		}
		total := 0
		for h, i := range plan {
			require.Equal(t, served[h], i != routing.None, "hold %d", h)
			if i != routing.None {
				total += p.Reach[h][i].Wait
			}
		}
		second, holds := pairsOf(p, "Minimize", func(_ int, r *routing.Reach) int { return r.Wait })
		for h, names := range holds {
			if served[h] {
				second.row(names, "=", 1)
			} else {
				second.row(names, "=", 0)
			}
		}
		least, _ := second.solve(t, dir)
		require.Equal(t, least, total)
	})
}

func drawWorks(t *rapid.T) ([]routing.Work, []int) {
	limits := []int{}
	for range rapid.IntRange(1, 3).Draw(t, "branches") {
		limits = append(limits, rapid.IntRange(routing.NoLimit, 3).Draw(t, "limit"))
	}
	var works []routing.Work
	for range rapid.IntRange(1, 4).Draw(t, "titles") {
		w := routing.Work{Problem: drawProblem(t, 4)}
		for range w.Items {
			w.At = append(w.At, rapid.IntRange(0, len(limits)-1).Draw(t, "at"))
		}
		for _, row := range w.Reach {
			later := make([]int, len(row))
			for i, r := range row {
				if r != nil {
					later[i] = r.Wait + rapid.IntRange(0, 120).Draw(t, "later")
				}
			}
			w.Later = append(w.Later, later)
		}
		works = append(works, w)
	}
	return works, limits
}

// Sharing the work of a round agrees with GLPK. By prices alone it keeps the limits too, is never better than the best there
// is, and its bound is never above it.
func TestSharingAgreesWithALinearProgramme(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		works, limits := drawWorks(t)
		shared, near := routing.Share(works, limits), routing.ShareNearly(works, limits)
		p := &program{goal: "Minimize"}
		branches := make([][]string, len(limits))
		for k, w := range works {
			items := make([][]string, len(w.Items))
			for h, i := range routing.Plan(w.Problem, routing.LeastTotal) {
				if i == routing.None {
					continue
				}
				var hold []string
				for i, r := range w.Reach[h] {
					if r == nil {
						continue
					}
					now, later := fmt.Sprintf("x_%d_%d_%d", k, h, i), fmt.Sprintf("x_%d_%d_%d_later", k, h, i)
					p.variable(now, r.Wait)
					p.variable(later, w.Later[h][i])
					hold, items[i] = append(hold, now, later), append(items[i], now, later)
					branches[w.At[i]] = append(branches[w.At[i]], now)
				}
				p.row(hold, "=", 1)
			}
			for _, names := range items {
				p.row(names, "<=", 1)
			}
		}
		for b, names := range branches {
			if limits[b] != routing.NoLimit {
				p.row(names, "<=", limits[b])
			}
		}
		least, _ := p.solve(t, dir)
		for _, s := range []routing.Shared{shared, near} {
			checkShared(t, works, limits, s)
			require.LessOrEqual(t, s.Bound, least)
		}
		require.Equal(t, least, shared.Total)
		require.Equal(t, least, shared.Bound)
	})
}

// checkShared looks at what must be so of any sharing: limits and items are kept, and just those are dealt with whom the
// titles' own plans serve.
func checkShared(t require.TestingT, works []routing.Work, limits []int, s routing.Shared) {
	asked, total := make([]int, len(limits)), 0
	for k, w := range works {
		taken := map[int]bool{}
		for h, own := range routing.Plan(w.Problem, routing.LeastTotal) {
			i := s.Plans[k][h]
			require.Equal(t, own == routing.None, i == routing.None)
			if i == routing.None {
				continue
			}
			require.False(t, taken[i], "an item twice")
			taken[i] = true
			if s.PutOff[k][h] {
				total += w.Later[h][i]
			} else {
				asked[w.At[i]]++
				total += w.Reach[h][i].Wait
			}
		}
	}
	for b, limit := range limits {
		require.True(t, limit == routing.NoLimit || asked[b] <= limit, "branch %d is asked for %d", b, asked[b])
	}
	require.Equal(t, total, s.Total)
}

// The first of two branches may fetch one thing only: it goes to whom it helps most; another is served from elsewhere, and
// one who loses little waits a round.
func TestWorkIsShared(t *testing.T) {
	reach := func(waits ...int) [][]*routing.Reach {
		row := []*routing.Reach{}
		for _, w := range waits {
			row = append(row, &routing.Reach{Wait: w})
		}
		return [][]*routing.Reach{row}
	}
	works := []routing.Work{
		{Problem: routing.Problem{Items: []string{"a"}, Reach: reach(60)}, At: []int{0}, Later: [][]int{{70}}},
		{Problem: routing.Problem{Items: []string{"b"}, Reach: reach(50)}, At: []int{0}, Later: [][]int{{500}}},
		{Problem: routing.Problem{Items: []string{"c", "d"}, Reach: reach(10, 40)}, At: []int{0, 1}, Later: [][]int{{900, 900}}},
	}
	s := routing.Share(works, []int{1, 5})
	assert.Equal(t, [][]int{{0}, {0}, {1}}, s.Plans)
	assert.Equal(t, [][]bool{{true}, {false}, {false}}, s.PutOff)
	assert.Equal(t, 70+50+40, s.Total)
	assert.Equal(t, s.Total, s.Bound)
}
