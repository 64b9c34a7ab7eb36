// Package routing decides which item serves which hold.
//
// A plan gives each item to at most one hold and each hold at most one item that can reach it.
// Which holds are served is settled first, strictly in queue order. Among the plans that serve
// those, the aim decides: the least total waiting, or the earliest promise for each hold in turn.
// Equal plans are told apart by the earliest promises in queue order, then by the lower item ids.
//
// The served set is found by augmenting paths, the least total by the Hungarian method. Its dual
// tells exactly which pairs stand in any best plan; the ties are then settled pair by pair among
// those, each time asking whether a complete plan still exists.
package routing

import (
	"cmp"
	"slices"
	"time"
)

// Aim is what a plan keeps small once it is settled which holds are served: the waiting of all together, or of the first in the
// queue before the next.
type Aim string

const (
	LeastTotal Aim = "least_total"
	FirstCome  Aim = "first_come"
)

// Reach is one way for an item to serve a hold, with when it would be on the hold shelf; nil if it cannot serve it.
type Reach struct {
	Arrives, OnShelf time.Time
	Wait             int // minutes from now to the promise
}

// Problem is the holds of one title in queue order and its items. Reach[h][i] is nil where item i
// cannot serve hold h.
type Problem struct {
	Items []string
	Reach [][]*Reach
}

// None is the item of a hold that is not served.
const None = -1

// Plan gives the item of each hold, or None.
func Plan(p Problem, aim Aim) []int {
	m := &matching{edges: make([][]bool, len(p.Reach)), item: fill(len(p.Reach), None), hold: fill(len(p.Items), None)}
	for h, row := range p.Reach {
		m.edges[h] = make([]bool, len(p.Items))
		for i, r := range row {
			m.edges[h][i] = r != nil
		}
	}
	var served []int
	for h := range p.Reach {
		if m.augment(h, make([]bool, len(p.Items))) {
			served = append(served, h)
		}
	}
	result := fill(len(p.Reach), None)
	if len(served) == 0 {
		return result
	}
	s := &settling{items: p.Items, cost: make([][]int, len(served))}
	for k, h := range served {
		s.cost[k] = make([]int, len(p.Items))
		for i, r := range p.Reach[h] {
			s.cost[k][i] = unreachable
			if r != nil {
				s.cost[k][i] = r.Wait
			}
		}
	}
	for k, item := range s.settle(aim) {
		result[served[k]] = item
	}
	return result
}

const unreachable = 1 << 40

func fill(n, value int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = value
	}
	return out
}

// matching pairs holds with items along allowed edges.
type matching struct {
	edges      [][]bool
	item, hold []int // partner of each hold, of each item
}

// augment finds an item for a hold, moving others to other items where needed.
func (m *matching) augment(h int, seen []bool) bool {
	for i, ok := range m.edges[h] {
		if !ok || seen[i] {
			continue
		}
		seen[i] = true
		if m.hold[i] == None || m.augment(m.hold[i], seen) {
			m.item[h], m.hold[i] = i, h
			return true
		}
	}
	return false
}

// settling chooses among the plans that serve all its holds. The matching has a row for each hold
// and, under least_total, one more for each item that stays free, so that every plan is complete.
type settling struct {
	items []string
	cost  [][]int
	m     matching
}

func (s *settling) settle(aim Aim) []int {
	holds := len(s.cost)
	s.m = matching{item: fill(holds, None), hold: fill(len(s.items), None)}
	if aim == LeastTotal {
		s.bestPairs()
	} else {
		for _, row := range s.cost {
			s.m.edges = append(s.m.edges, apply(row, func(c int) bool { return c < unreachable }))
		}
	}
	for row := range s.m.edges {
		s.m.augment(row, make([]bool, len(s.items)))
	}
	order := make([]int, len(s.items))
	for i := range order {
		order[i] = i
	}
	for h := range holds {
		slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.cost[h][a], s.cost[h][b]) })
		i := s.first(h, order)
		for other := range s.m.edges[h] {
			s.m.edges[h][other] = s.m.edges[h][other] && s.cost[h][other] == s.cost[h][i]
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.items[a], s.items[b]) })
	for h := range holds {
		i := s.first(h, order)
		s.m.edges[h] = make([]bool, len(s.items))
		s.m.edges[h][i] = true
	}
	return s.m.item[:holds]
}

// bestPairs leaves only the pairs that stand in some plan of least total, found by the dual prices
// of the Hungarian method over a square problem: free items get rows that cost nothing.
func (s *settling) bestPairs() {
	n := len(s.items)
	square := make([][]int, n)
	copy(square, s.cost)
	for row := len(s.cost); row < n; row++ {
		square[row] = make([]int, n)
	}
	u, v := prices(square)
	s.m.item = fill(n, None)
	s.m.edges = make([][]bool, n)
	for row := range square {
		s.m.edges[row] = make([]bool, n)
		for i, c := range square[row] {
			s.m.edges[row][i] = c < unreachable && c == u[row]+v[i]
		}
	}
}

// first gives the first item in an order that the hold can have in some complete plan, and makes it so.
func (s *settling) first(h int, order []int) int {
	for _, i := range order {
		if s.m.edges[h][i] && s.force(h, i) {
			return i
		}
	}
	return s.m.item[h] // it has one already, which is in the order; not reached
}

// force moves the hold to the item if every other row can still have one.
func (s *settling) force(h, i int) bool {
	old, rival := s.m.item[h], s.m.hold[i]
	if old == i {
		return true
	}
	items, holds := slices.Clone(s.m.item), slices.Clone(s.m.hold)
	s.m.item[h], s.m.hold[i], s.m.hold[old] = i, h, None
	seen := make([]bool, len(s.items))
	seen[i] = true
	if rival == None || s.m.augment(rival, seen) {
		return true
	}
	s.m.item, s.m.hold = items, holds
	return false
}

func apply(row []int, keep func(int) bool) []bool {
	out := make([]bool, len(row))
	for i, c := range row {
		out[i] = keep(c)
	}
	return out
}

// prices are the dual prices of the cheapest assignment of a square problem: u[row] + v[column] is
// never more than the cost, and equal to it for every pair of every cheapest assignment.
func prices(cost [][]int) (u, v []int) {
	n := len(cost)
	u, v = make([]int, n), make([]int, n+1)
	row := fill(n+1, None) // row of each column; the last column is where each search starts
	for r := range n {
		row[n] = r
		least, way, used := fill(n+1, 1<<60), fill(n+1, n), make([]bool, n+1)
		column := n
		for row[column] != None {
			used[column] = true
			at, delta, next := row[column], 1<<60, n
			for c := range n {
				if used[c] {
					continue
				}
				if reduced := cost[at][c] - u[at] - v[c]; reduced < least[c] {
					least[c], way[c] = reduced, column
				}
				if least[c] < delta {
					delta, next = least[c], c
				}
			}
			for c := range n + 1 {
				if used[c] {
					u[row[c]] += delta
					v[c] -= delta
				} else {
					least[c] -= delta
				}
			}
			column = next
		}
		for column != n {
			row[column] = row[way[column]]
			column = way[column]
		}
	}
	return u, v[:n]
}
