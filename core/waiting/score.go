package waiting

import (
	"math"
	"sort"

	"nevrin/core/calendar"
)

// promised is in what part of all cases a range holds.
const promised = 0.8

// Case is a forecast with the day on which the hold was ready in truth.
type Case struct {
	Forecast Forecast
	Came     calendar.Date
	Waited   int // days from placing it until then
}

// Score sets the levels of ranges: of those with which eight of ten of these cases lie within their ranges, the levels with
// which the ranges are narrowest. The cases must not be among what the habits were learned from.
func (h *Habits) Score(cases []Case) {
	for group, atOnce := range []bool{true, false} {
		var of []Case
		for _, c := range cases {
			if c.Forecast.AtOnce == atOnce && c.Forecast.Known {
				of = append(of, c)
			}
		}
		if len(of) >= fewest {
			h.Levels[group] = narrowest(of)
		}
	}
}

// levelSteps is into how many steps levels are cut, up to the middle.
const levelSteps = 25

func narrowest(cases []Case) Levels {
	enough := enoughOf(len(cases))
	best, width := Levels{Low: 0, High: 1}, -1
	for low := range levelSteps {
		from := float64(low) / (2 * levelSteps)
		step := sort.Search(levelSteps, func(high int) bool {
			within, _ := held(cases, Levels{Low: from, High: 0.5 + float64(high)/(2*levelSteps)})
			return within >= enough
		})
		levels := Levels{Low: from, High: 0.5 + float64(step)/(2*levelSteps)}
		if within, days := held(cases, levels); within >= enough && (width < 0 || days < width) {
			best, width = levels, days
		}
	}
	for width < 0 && best.More < mostMore {
		best.More++
		if within, days := held(cases, best); within >= enough {
			width = days
		}
	}
	return best
}

// enoughOf is of how many cases so many have to lie within, so that eight of ten of all others will, too: with the doubt that
// so few cases leave, nine times of ten (the plain binomial interval, from one side).
func enoughOf(cases int) int {
	const nineOfTen = 1.2816 // of the normal distribution
	n := float64(cases)
	return min(cases, int(math.Ceil(n*promised+nineOfTen*math.Sqrt(n*promised*(1-promised)))))
}

// mostMore is how many days at most are added where habits are far off.
const mostMore = 60

// held counts how many cases lie within the ranges of some levels, and how many days these ranges span together.
func held(cases []Case, levels Levels) (within, days int) {
	for k := range cases {
		f := cases[k].Forecast
		f.bound(levels)
		if f.Holds(cases[k].Came) {
			within++
		}
		days += f.Days()
	}
	return within, days
}

// Holds tells whether a forecast held.
func (f *Forecast) Holds(came calendar.Date) bool {
	return f.Known && f.From <= came && came <= f.Until
}

// Days counts the days of a range, both ends included.
func (f *Forecast) Days() int { return int(f.Until-f.From) + 1 }
