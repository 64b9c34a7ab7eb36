// Command moving measures routing and the courier at size: a hundred thousand holds over fifty branches and half a
// million items; one title anew after an event; the work of a round shared under limits; arrivals asked of a prepared
// timetable. The ratios are to serving first come by first come, to GLPK on the same titles, and to the search through
// the timetable.
package main

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/routing"
	"nevrin/core/whatif"
)

const (
	branches = 50
	items    = 500_000
	holds    = 100_000
	titles   = 60_000
)

var now = time.Date(2026, 10, 6, 12, 12, 0, 0, time.UTC)

func main() {
	world := newWorld()
	ask(world.table)
	try(world.table)
	problems := world.problems()
	plans := plan(problems)
	event(problems)
	greedy(problems, plans)
	share(world, problems)
	glpk(problems)
}

// try tries a closed branch on what goes between the branches in four weeks, and for a part of it asks the timetable
// for each thing by itself.
func try(t *courier.Timetable) {
	const things, asked = 200_000, 2_000
	r := rand.New(rand.NewPCG(7, 7))
	first := calendar.DateOf(now).Add(-28)
	moves := make([]whatif.Move, things)
	for k := range moves {
		from := r.IntN(branches)
		to := (from + 1 + r.IntN(branches-1)) % branches
		moves[k] = whatif.Move{
			ID: int64(k), From: code(from), To: code(to), Hold: r.IntN(2) == 0,
			Ready: calendar.Local(first, 0, t.Location).Add(time.Duration(r.IntN(28*24*60)) * time.Minute),
		}
	}
	began := time.Now()
	tried := whatif.Try(t, whatif.Closed(t, code(3), first.Add(7), first.Add(13)), moves, first, first.Add(27), 50)
	whole := time.Since(began)
	began = time.Now()
	for _, m := range moves[:asked] {
		t.Ask(m.From, m.To, m.Ready)
		t.Ask(m.From, m.To, m.Ready)
	}
	each := time.Since(began) * things / asked
	fmt.Printf("A closed branch tried on %d things: %.1f s, %d of %d holds later; to asking for each by itself: %.3f\n",
		things, whole.Seconds(), tried.Later, tried.Holds, whole.Seconds()/each.Seconds())
}

func code(n int) calendar.Code { return calendar.Code(fmt.Sprintf("B%02d", n)) }

type world struct {
	table *courier.Timetable
	codes []calendar.Code
	at    [][]int // branches of the items of each title
	asked [][]int // pickup branches of its holds
}

// newWorld draws fifty branches in ten rounds of vans that meet at five hubs, and titles of which few are asked for
// much.
func newWorld() *world {
	r := rand.New(rand.NewPCG(13, 13))
	w := &world{table: &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{}}}
	for n := range branches {
		code := code(n)
		b := &calendar.Branch{Code: code, Name: string(code), Location: time.UTC,
			Openings: map[calendar.Date]calendar.Opening{}}
		for weekday := time.Monday; weekday <= time.Saturday; weekday++ {
			b.Weekly[weekday] = calendar.Day{{From: 540, To: 1080}}
		}
		w.codes = append(w.codes, code)
		w.table.Branches[code] = courier.Branch{Branch: b, SortMinutes: 30, ReceiveMinutes: 30}
	}
	for round := range 10 {
		hub := w.codes[round%5]
		stops := []calendar.Code{hub}
		for k := range 5 {
			stops = append(stops, w.codes[5+(round*5+k)%45])
		}
		stops = append(stops, w.codes[(round+1)%5], hub)
		for half, begin := range []calendar.Minute{7 * 60, 13 * 60} {
			w.table.Runs = append(w.table.Runs, runOf(fmt.Sprint(round, "-", half), stops, begin))
		}
	}
	w.at, w.asked = make([][]int, titles), make([][]int, titles)
	skewed := func(by float64) int { return int(titles * math.Pow(r.Float64(), by)) }
	for range items {
		t := skewed(1.3)
		w.at[t] = append(w.at[t], r.IntN(branches))
	}
	for range holds {
		t := skewed(2)
		w.asked[t] = append(w.asked[t], r.IntN(branches))
	}
	return w
}

func runOf(id string, stops []calendar.Code, begin calendar.Minute) courier.Run {
	run := courier.Run{ID: id}
	for weekday := time.Monday; weekday <= time.Friday; weekday++ {
		run.Days[weekday] = true
	}
	for k, code := range stops {
		arrive, depart := begin+calendar.Minute(30*k), begin+calendar.Minute(30*k+5)
		run.Stops = append(run.Stops, courier.Stop{Branch: code, Arrive: &arrive, Depart: &depart})
	}
	return run
}

// problems is the holds and items of each title, with how each item reaches each hold.
func (w *world) problems() []routing.Problem {
	begun := time.Now()
	reaches := routing.NewReaches(w.table, now, 60)
	out := make([]routing.Problem, titles)
	for t := range out {
		if len(w.asked[t]) == 0 {
			continue
		}
		for n := range w.at[t] {
			out[t].Items = append(out[t].Items, fmt.Sprintf("%018d", n))
		}
		for _, pickup := range w.asked[t] {
			row := make([]*routing.Reach, len(w.at[t]))
			for n, from := range w.at[t] {
				row[n] = reaches.Between(w.codes[from], w.codes[pickup])
			}
			out[t].Reach = append(out[t].Reach, row)
		}
	}
	fmt.Printf("how each of %d items reaches the holds of its title, for %d holds: %.1f s\n", items, holds, time.Since(begun).Seconds())
	return out
}

func plan(problems []routing.Problem) [][]int {
	begun := time.Now()
	plans, served := make([][]int, len(problems)), 0
	for k, p := range problems {
		plans[k] = routing.Plan(p, routing.LeastTotal)
		for _, i := range plans[k] {
			if i != routing.None {
				served++
			}
		}
	}
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	fmt.Printf("routing %d holds over %d branches and %d items: %.1f s, %d served, %d MB taken from the system\n",
		holds, branches, items, time.Since(begun).Seconds(), served, memory.Sys>>20)
	return plans
}

// event plans one title anew at a time, as after one return.
func event(problems []routing.Problem) {
	var took []float64
	for _, p := range problems {
		if len(p.Reach) == 0 {
			continue
		}
		begun := time.Now()
		routing.Plan(p, routing.LeastTotal)
		took = append(took, time.Since(begun).Seconds()*1000)
	}
	slices.Sort(took)
	fmt.Printf("one title anew after an event: %.3f ms in the median, %.2f ms at 99 of 100, %.1f ms at most\n",
		took[len(took)/2], took[len(took)*99/100], took[len(took)-1])
}

// greedy lets each hold in turn have the item that is there first.
func greedy(problems []routing.Problem, plans [][]int) {
	best, first := 0, 0
	for k, p := range problems {
		taken := map[int]bool{}
		for h, row := range p.Reach {
			if i := plans[k][h]; i != routing.None {
				best += row[i].Wait
			}
			soonest := routing.None
			for i, r := range row {
				if r != nil && !taken[i] && (soonest == routing.None || r.Wait < row[soonest].Wait) {
					soonest = i
				}
			}
			if soonest != routing.None {
				taken[soonest] = true
				first += row[soonest].Wait
			}
		}
	}
	fmt.Printf("total waiting against serving whoever comes first with what is there first: ratio %.4f\n", float64(best)/float64(first))
}

// share shares the work of a round where each branch fetches three quarters of what it is asked for.
func share(w *world, problems []routing.Problem) {
	next := routing.NewReaches(w.table, now, 60+240)
	limits := make([]int, branches)
	var works []routing.Work
	for t, p := range problems {
		if len(p.Reach) == 0 || len(p.Items) == 0 {
			continue
		}
		work := routing.Work{Problem: p, At: w.at[t]}
		for h := range p.Reach {
			later := make([]int, len(p.Items))
			for i, r := range p.Reach[h] {
				if r != nil {
					later[i] = r.Wait
					if then := next.Between(w.codes[w.at[t][i]], w.codes[w.asked[t][h]]); then != nil {
						later[i] = then.Wait
					}
				}
			}
			work.Later = append(work.Later, later)
		}
		for _, i := range routing.Plan(p, routing.LeastTotal) {
			if i != routing.None {
				limits[w.at[t][i]]++
			}
		}
		works = append(works, work)
	}
	for b := range limits {
		limits[b] = limits[b] * 3 / 4
	}
	begun := time.Now()
	s := routing.Share(works, limits)
	fmt.Printf("sharing a round in which each branch fetches three quarters of it: %.1f s, %.3f %% above what nothing can go below\n",
		time.Since(begun).Seconds(), 100*float64(s.Total-s.Bound)/float64(s.Bound))
}

// compared is how many titles GLPK plans too.
const compared = 150

// glpk lets GLPK find the least total of the same titles, each as a linear programme, and compares the times.
func glpk(problems []routing.Problem) {
	if _, err := exec.LookPath("glpsol"); err != nil {
		fmt.Println("GLPK is not here; install glpk-utils for the ratio to it")
		return
	}
	dir, err := os.MkdirTemp("", "nevrin")
	check(err)
	defer func() { _ = os.RemoveAll(dir) }()
	ours, theirs, n := time.Duration(0), time.Duration(0), 0
	for _, p := range problems {
		if len(p.Reach) < 4 || len(p.Items) < 4 || n == compared {
			continue
		}
		n++
		begun := time.Now()
		plan := routing.Plan(p, routing.LeastTotal)
		ours += time.Since(begun)
		in := filepath.Join(dir, "in.lp")
		check(os.WriteFile(in, []byte(programme(p, plan)), 0o600))
		begun = time.Now()
		check(exec.Command("glpsol", "--lp", in).Run())
		theirs += time.Since(begun)
	}
	fmt.Printf("against GLPK on %d titles of four holds and more, starting its process each time: ratio %.5f\n",
		n, ours.Seconds()/theirs.Seconds())
}

// programme asks for the least waiting of those whom a plan serves.
func programme(p routing.Problem, plan []int) string {
	var goal, rows strings.Builder
	perItem := make([][]string, len(p.Items))
	for h, row := range p.Reach {
		var names []string
		for i, r := range row {
			if r == nil || plan[h] == routing.None {
				continue
			}
			x := fmt.Sprintf("x_%d_%d", h, i)
			fmt.Fprintf(&goal, " +%d %s\n", r.Wait, x)
			names, perItem[i] = append(names, x), append(perItem[i], x)
		}
		if len(names) > 0 {
			fmt.Fprintf(&rows, " %s = 1\n", strings.Join(names, " + "))
		}
	}
	for _, names := range perItem {
		if len(names) > 0 {
			fmt.Fprintf(&rows, " %s <= 1\n", strings.Join(names, " + "))
		}
	}
	return "Minimize\n goal:" + goal.String() + "Subject To\n" + rows.String() + "End\n"
}

// ask asks a prepared timetable, and the timetable itself, for arrivals.
func ask(table *courier.Timetable) {
	r := rand.New(rand.NewPCG(7, 7))
	first := calendar.DateOf(now)
	begun := time.Now()
	p := table.Prepare(first, 28)
	codes := []calendar.Code{}
	for code := range table.Branches {
		codes = append(codes, code)
	}
	slices.Sort(codes)
	for _, to := range codes {
		for _, from := range codes {
			p.Arrival(from, to, now)
		}
	}
	fmt.Printf("preparing the timetable of four weeks over %d branches: %.2f s\n", branches, time.Since(begun).Seconds())
	const many, few = 3_000_000, 2000
	question := func() (calendar.Code, calendar.Code, time.Time) {
		return codes[r.IntN(branches)], codes[r.IntN(branches)], now.Add(time.Duration(r.IntN(27*1440)) * time.Minute)
	}
	begun = time.Now()
	for range many {
		p.Arrival(question())
	}
	fast := many / time.Since(begun).Seconds()
	begun = time.Now()
	for range few {
		table.Ask(question())
	}
	slow := few / time.Since(begun).Seconds()
	fmt.Printf("arrivals asked of it: %.2f million a second, %.0f times as many as by searching the timetable\n", fast/1e6, fast/slow)
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
