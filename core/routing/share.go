package routing

import (
	"cmp"
	"math"
	"slices"
)

// Work is the holds and items of a title where branches can fetch only so much in a round.
type Work struct {
	Problem
	At    []int   // the branch of each item, as an index into the limits
	Later [][]int // minutes that a hold waits for an item fetched a round later, where Reach is not nil
}

// Shared is a plan of which branch fetches which holds in a round.
type Shared struct {
	Plans  [][]int  // by work: the item of each hold, or None
	PutOff [][]bool // whose item is fetched a round later only
	Total  int      // minutes of waiting of all holds that are served, in this round or the next
	Bound  int      // no sharing has less; equal to the total where this is the best there is
}

// NoLimit is the limit of a branch that fetches whatever there is.
const NoLimit = -1

// How much is done to find the best sharing: with up to so many holds the best is searched for among choices, at most so many
// of them; with more, prices alone have to do.
const (
	exactUpTo   = 400
	mostChoices = 2000
	soon        = 12_000 // choices times holds that somebody waits for
)

// Share shares the work of a round among branches: each fetches at most as many as its limit. Who is served is settled by
// title as in Plan. Each of them is given an item, to be fetched in this round or the next; of all ways to do so one with
// the least total waiting is searched for.
//
// Fetching at a branch is given a price, the higher the more it is asked for beyond its limit. With prices each title stands
// for itself, as an assignment. What all titles come to at any prices, less what the limits would bring in, is a bound that
// no sharing stays below (Lagrange's). Where the best found and the bound do not meet, a hold is chosen and both are tried:
// that it is fetched now at its branch, and that it is not (branch and bound).
func Share(works []Work, limits []int) Shared { return share(works, limits, exactUpTo, mostChoices) }

// ShareSoon is Share for somebody who waits for it: the more holds there are, the fewer choices are looked at, so that it takes
// about a second at most with up to some hundred holds. How far it may be from the best is in its bound anyway.
func ShareSoon(works []Work, limits []int) Shared {
	holds := 1
	for k := range works {
		holds += len(works[k].Reach)
	}
	return share(works, limits, exactUpTo, min(mostChoices, soon/holds))
}

func share(works []Work, limits []int, exact, choices int) Shared {
	s, holds := newSharing(works, limits)
	own := s.ownPlans()
	if s.keeps(s.asked(&own)) {
		own.Bound = own.Total
		return own
	}
	s.choices, s.rounds = max(1, choices), rounds
	if holds > exact {
		s.choices, s.rounds = 1, roundsMany
	}
	s.best.Total = math.MaxInt
	bound := s.search(make([]float64, len(limits)))
	s.best.Bound = min(s.best.Total, bound)
	return s.best
}

type sharing struct {
	works   []Work
	limits  []int
	served  [][]int         // holds of each work
	pairs   [][]int         // their items in the title's own plan
	now     map[hold]int    // holds that must be fetched now, at a branch
	notNow  map[[3]int]bool // work, hold and branch that are not fetched now
	choices int             // how many may still be looked at
	rounds  int             // how often prices are moved for one
	best    Shared
}

type hold struct{ work, hold int }

// newSharing settles who is served, and counts them.
func newSharing(works []Work, limits []int) (*sharing, int) {
	s := &sharing{
		works: works, limits: limits,
		served: make([][]int, len(works)), pairs: make([][]int, len(works)),
		now: map[hold]int{}, notNow: map[[3]int]bool{},
	}
	holds := 0
	for k := range works {
		s.pairs[k] = Plan(works[k].Problem, LeastTotal)
		for h, i := range s.pairs[k] {
			if i != None {
				s.served[k] = append(s.served[k], h)
			}
		}
		holds += len(s.served[k])
	}
	return s, holds
}

func (s *sharing) ownPlans() Shared {
	out := s.empty()
	for k := range s.works {
		copy(out.Plans[k], s.pairs[k])
	}
	out.Total = s.total(&out)
	return out
}

func (s *sharing) empty() Shared {
	out := Shared{Plans: make([][]int, len(s.works)), PutOff: make([][]bool, len(s.works))}
	for k := range s.works {
		out.Plans[k] = fill(len(s.works[k].Reach), None)
		out.PutOff[k] = make([]bool, len(s.works[k].Reach))
	}
	return out
}

// waits is how long a hold waits for an item, in this round or the next.
func (s *sharing) waits(k, h, i int, putOff bool) int {
	if putOff {
		return s.works[k].Later[h][i]
	}
	return s.works[k].Reach[h][i].Wait
}

func (s *sharing) total(out *Shared) int {
	total := 0
	for k := range s.works {
		for _, h := range s.served[k] {
			total += s.waits(k, h, out.Plans[k][h], out.PutOff[k][h])
		}
	}
	return total
}

// asked counts what each branch is asked to fetch in this round.
func (s *sharing) asked(out *Shared) []int {
	asked := make([]int, len(s.limits))
	for k := range s.works {
		for _, h := range s.served[k] {
			if !out.PutOff[k][h] {
				asked[s.works[k].At[out.Plans[k][h]]]++
			}
		}
	}
	return asked
}

// keeps tells whether the limits are kept; over is the excess where one is not.
func (s *sharing) keeps(asked []int) bool {
	for b := range s.limits {
		if s.over(asked, b) > 0 {
			return false
		}
	}
	return true
}

func (s *sharing) over(asked []int, b int) int {
	if s.limits[b] == NoLimit {
		return 0
	}
	return asked[b] - s.limits[b]
}

// search looks for the best sharing under what has been settled so far, and gives a bound of it.
func (s *sharing) search(prices []float64) int {
	s.choices--
	if !s.possible() {
		return math.MaxInt
	}
	bound, tight := s.byPrices(prices)
	if bound >= s.best.Total || tight == nil || s.choices <= 0 {
		return bound
	}
	h, b := s.choose(tight)
	if h.hold == None {
		return bound
	}
	s.notNow[[3]int{h.work, h.hold, b}] = true
	without := s.search(slices.Clone(prices))
	delete(s.notNow, [3]int{h.work, h.hold, b})
	s.now[h] = b
	with := s.search(slices.Clone(prices))
	delete(s.now, h)
	return max(bound, min(without, with))
}

// possible tells whether no branch has more that it must fetch than it can.
func (s *sharing) possible() bool {
	must := make([]int, len(s.limits))
	for _, b := range s.now {
		must[b]++
	}
	return s.keeps(must)
}

// choose chooses the hold that is least sure to be fetched now where most is asked for: the one that loses least by waiting.
func (s *sharing) choose(out *Shared) (hold, int) {
	asked := s.asked(out)
	branch, most := None, -1
	for b, limit := range s.limits {
		if limit == NoLimit {
			continue
		}
		if s.freeAt(out, b) && asked[b]-limit > most {
			branch, most = b, asked[b]-limit
		}
	}
	if branch == None {
		return s.open()
	}
	chosen, least := hold{0, None}, math.MaxInt
	s.unsettled(out, branch, func(h hold, loses int) {
		if loses < least {
			chosen, least = h, loses
		}
	})
	return chosen, branch
}

// open gives any hold of which it is not settled whether it is fetched now at a branch with a limit; none where all is.
func (s *sharing) open() (hold, int) {
	for k := range s.works {
		for _, h := range s.served[k] {
			if _, must := s.now[hold{k, h}]; must {
				continue
			}
			for i, r := range s.works[k].Reach[h] {
				if b := s.works[k].At[i]; r != nil && s.limits[b] != NoLimit && !s.notNow[[3]int{k, h, b}] {
					return hold{k, h}, b
				}
			}
		}
	}
	return hold{0, None}, None
}

func (s *sharing) freeAt(out *Shared, branch int) bool {
	free := false
	s.unsettled(out, branch, func(hold, int) { free = true })
	return free
}

// unsettled goes through the holds that are fetched now at a branch without having to be.
func (s *sharing) unsettled(out *Shared, branch int, take func(h hold, loses int)) {
	for k := range s.works {
		for _, h := range s.served[k] {
			i := out.Plans[k][h]
			if _, must := s.now[hold{k, h}]; must || out.PutOff[k][h] || s.works[k].At[i] != branch {
				continue
			}
			take(hold{k, h}, s.waits(k, h, i, true)-s.waits(k, h, i, false))
		}
	}
}

// How often prices are moved: more often where a choice hangs on it.
const (
	rounds     = 60
	roundsMany = 14
)

// byPrices moves prices until they bring what is asked for within the limits, as near as may be. It gives the best bound,
// and the sharing at which it stood; nil where nothing is possible.
func (s *sharing) byPrices(prices []float64) (int, *Shared) {
	bound, tight := math.Inf(-1), (*Shared)(nil)
	for round := range s.rounds {
		out, value := s.priced(prices)
		if math.IsInf(value, 1) {
			return math.MaxInt, nil
		}
		asked := s.asked(&out)
		for b, limit := range s.limits {
			if limit != NoLimit {
				value -= prices[b] * float64(limit)
			}
		}
		if value > bound {
			at := s.copied(&out)
			bound, tight = value, &at
		}
		if s.fit(&out, slices.Clone(asked)) {
			if out.Total = s.total(&out); out.Total < s.best.Total {
				s.best = out
			}
		}
		if s.best.Total <= whole(bound) || !s.move(prices, asked, value, round) {
			break
		}
	}
	return whole(bound), tight
}

// nearly is what sums of prices may be off by.
const nearly = 1e-3

// whole is the least whole number of minutes that a bound leaves.
func whole(bound float64) int { return int(math.Ceil(bound - nearly)) }

func (s *sharing) copied(out *Shared) Shared {
	c := s.empty()
	for k := range s.works {
		copy(c.Plans[k], out.Plans[k])
		copy(c.PutOff[k], out.PutOff[k])
	}
	return c
}

// move moves the prices towards what is asked too much, by Polyak's length, shorter in later rounds.
func (s *sharing) move(prices []float64, asked []int, value float64, round int) bool {
	norm := 0.0
	for b := range prices {
		if over := float64(s.over(asked, b)); over > 0 || prices[b] > 0 {
			norm += over * over
		}
	}
	if norm == 0 {
		return false
	}
	gap := float64(s.best.Total) - value
	if s.best.Total == math.MaxInt {
		gap = math.Abs(value) + 1
	}
	step := max(gap, 1) / norm / (1 + float64(round)/10)
	for b := range prices {
		prices[b] = max(0, prices[b]+step*float64(s.over(asked, b)))
	}
	return true
}

// priced plans each title by itself at given prices, and gives what all come to with them; infinite where a hold cannot
// have what it must.
func (s *sharing) priced(prices []float64) (Shared, float64) {
	out, value := s.empty(), 0.0
	for k := range s.works {
		value += s.pricedTitle(k, prices, &out)
	}
	return out, value
}

// fine is how many parts of a minute prices are told apart by, so that they are whole numbers too.
const fine = 4096

func (s *sharing) pricedTitle(k int, prices []float64, out *Shared) float64 {
	held, items := s.served[k], len(s.works[k].Items)
	if len(held) == 0 {
		return 0
	}
	cost := make([][]int, items)
	putOff := make([][]bool, len(held))
	for row := range cost {
		cost[row] = make([]int, items)
		if row < len(held) {
			putOff[row] = make([]bool, items)
			for i := range items {
				cost[row][i], putOff[row][i] = s.pricedPair(k, held[row], i, prices)
			}
		}
	}
	value := 0.0
	for row, i := range assign(cost)[:len(held)] {
		if i == None || cost[row][i] >= unreachable {
			return math.Inf(1)
		}
		value += float64(cost[row][i]) / fine
		out.Plans[k][held[row]], out.PutOff[k][held[row]] = i, putOff[row][i]
	}
	return value
}

// pricedPair is what an item costs a hold at given prices, and whether it is then fetched later.
func (s *sharing) pricedPair(k, h, i int, prices []float64) (cost int, putOff bool) {
	r, b := s.works[k].Reach[h][i], s.works[k].At[i]
	if r == nil {
		return unreachable, false
	}
	now, later := unreachable, unreachable
	must, is := s.now[hold{k, h}]
	if !s.notNow[[3]int{k, h, b}] && (!is || must == b) {
		now = r.Wait*fine + int(math.Round(prices[b]*fine))
	}
	if !is {
		later = s.works[k].Later[h][i] * fine
	}
	if now <= later {
		return now, false
	}
	return later, true
}

// fit puts off whom it costs least where a branch is asked too much, and takes back whom it helps most where it has room.
// It tells whether the limits are kept then.
func (s *sharing) fit(out *Shared, asked []int) bool {
	type change struct {
		hold
		gains int
	}
	byGain := func(a, b change) int { return cmp.Compare(b.gains, a.gains) }
	var leave, come []change
	for k := range s.works {
		for _, h := range s.served[k] {
			i := out.Plans[k][h]
			at, loses := hold{k, h}, s.waits(k, h, i, true)-s.waits(k, h, i, false)
			_, must := s.now[at]
			switch {
			case out.PutOff[k][h] && loses > 0 && !s.notNow[[3]int{k, h, s.works[k].At[i]}]:
				come = append(come, change{at, loses})
			case !out.PutOff[k][h] && !must:
				leave = append(leave, change{at, -loses})
			}
		}
	}
	slices.SortStableFunc(leave, byGain)
	for _, c := range leave {
		if b := s.works[c.work].At[out.Plans[c.work][c.hold.hold]]; s.over(asked, b) > 0 {
			asked[b]--
			out.PutOff[c.work][c.hold.hold] = true
		}
	}
	slices.SortStableFunc(come, byGain)
	for _, c := range come {
		if b := s.works[c.work].At[out.Plans[c.work][c.hold.hold]]; s.over(asked, b) < 0 || s.limits[b] == NoLimit {
			asked[b]++
			out.PutOff[c.work][c.hold.hold] = false
		}
	}
	return s.keeps(asked)
}

// assign gives the column of each row in a cheapest assignment of a square problem.
func assign(cost [][]int) []int {
	u, v := prices(cost)
	m := matching{item: fill(len(cost), None), hold: fill(len(cost), None)}
	for row := range cost {
		edges := make([]bool, len(cost))
		for c := range cost[row] {
			edges[c] = cost[row][c] == u[row]+v[c]
		}
		m.edges = append(m.edges, edges)
	}
	for row := range cost {
		m.augment(row, make([]bool, len(cost)))
	}
	return m.item
}
