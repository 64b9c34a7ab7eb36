package upkeep

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"

	"nevrin/app/act"
	"nevrin/app/couriers"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/store"
	"nevrin/store/networkdb"
)

// Trip is a run of the courier as its timetable is written.
type Trip struct {
	Name     string          `json:"name" minLength:"1" maxLength:"60"`
	Days     []string        `json:"days" maxItems:"7" nullable:"false" doc:"mon, tue and so on"`
	From     *calendar.Date  `json:"from,omitempty" doc:"The first date of its season; none: permanently"`
	Until    *calendar.Date  `json:"until,omitempty" doc:"The last date of its season"`
	NotOn    []calendar.Date `json:"not_on" maxItems:"400" nullable:"false" doc:"Dates on which it does not go"`
	Late     map[string]int  `json:"late" doc:"By date: by how many minutes it is late"`
	Stops    []TripStop      `json:"stops" maxItems:"200" nullable:"false"`
	Position int             `json:"position" minimum:"0" maximum:"10000"`
}

// TripStop is a call of a run. It only picks up without an arrival, and only sets down without a departure.
type TripStop struct {
	Branch calendar.Code `json:"branch" maxLength:"3"`
	Arrive string        `json:"arrive,omitempty" maxLength:"5" doc:"Such as 08:10"`
	Depart string        `json:"depart,omitempty" maxLength:"5"`
}

type trips struct{}

func (trips) Call(_ string, t *Trip) string { return t.Name }

var tripKey = regexp.MustCompile(`^[a-z0-9-]{1,60}$`)

func (trips) Load(a *act.Act, key string) (*Trip, error) {
	for k := range a.Network.Runs {
		if row := &a.Network.Runs[k]; row.ID == key {
			return tripOf(row)
		}
	}
	return nil, nil
}

func tripOf(row *networkdb.Run) (*Trip, error) {
	t := &Trip{Position: row.Position, NotOn: []calendar.Date{}, Late: map[string]int{}}
	return t, json.Unmarshal(row.Plan, t)
}

// plan is a run in the form of the courier file.
func (t *Trip) plan(key string) json.RawMessage {
	doc := map[string]any{"id": key, "name": t.Name, "days": t.Days, "not_on": t.NotOn, "stops": t.Stops}
	if t.From != nil {
		doc["from"] = t.From
	}
	if t.Until != nil {
		doc["until"] = t.Until
	}
	if len(t.Late) > 0 {
		doc["late"] = t.Late
	}
	return store.JSON(&doc)
}

func (trips) Keep(a *act.Act, key string, was, is *Trip) (*Trip, error) {
	retimed, err := tryTrips(a, map[string]*Trip{key: is})
	if err != nil {
		return nil, err
	}
	retimed.Keep(a)
	if is == nil {
		networkdb.KeepRun(a.Tx, &networkdb.Run{ID: key})
		return nil, nil
	}
	if was == nil {
		is.Position = len(a.Network.Runs)
	}
	networkdb.KeepRun(a.Tx, &networkdb.Run{ID: key, Position: is.Position, Plan: is.plan(key)})
	return is, nil
}

// tryTrips works out what runs written anew do to what has been promised; nil: one is taken away.
func tryTrips(a *act.Act, changes map[string]*Trip) (*moving.Retimed, error) {
	before, after, err := tables(a, changes)
	if err != nil {
		return nil, err
	}
	return moving.Retime(a, before, after)
}

// tables are the timetable as it is and with runs written anew; nil: one is taken away. The runs are read as they stand
// by now, so that one change can follow another in an act.
func tables(a *act.Act, changes map[string]*Trip) (before, after *courier.Timetable, err error) {
	for key, is := range changes {
		if !tripKey.MatchString(key) {
			return nil, nil, problem.Newf(problem.Invalid, "%q is not a run key. Use small letters, digits or hyphens.", key)
		}
		if is != nil {
			if err := is.check(a); err != nil {
				return nil, nil, err
			}
		}
	}
	parts, err := networkdb.Parts(a.Tx)
	if err != nil {
		return nil, nil, err
	}
	was, is, known := []json.RawMessage{}, []json.RawMessage{}, map[string]bool{}
	for _, row := range parts.Runs {
		was, known[row.ID] = append(was, row.Plan), true
		if changed, touched := changes[row.ID]; !touched {
			is = append(is, row.Plan)
		} else if changed != nil {
			is = append(is, changed.plan(row.ID))
		}
	}
	for key, changed := range changes {
		if changed != nil && !known[key] {
			is = append(is, changed.plan(key))
		}
	}
	if before, err = a.Network.With(was, calendar.DateOf(a.Now)); err != nil {
		return nil, nil, err
	}
	if after, err = a.Network.With(is, calendar.DateOf(a.Now)); err != nil {
		return nil, nil, problem.Newf(problem.Invalid, "This timetable is not possible: %s", err)
	}
	return before, after, nil
}

// check looks whether a run can go as it is written, in words for who writes it.
func (t *Trip) check(a *act.Act) error {
	if len(t.Stops) < 2 {
		return problem.Newf(problem.Invalid, "A run needs at least two stops.")
	}
	for _, d := range t.Days {
		if !slices.Contains(calendar.DayKeys[:], d) {
			return problem.Newf(problem.Invalid, "There is no day %q. Use mon, tue, wed, thu, fri, sat or sun.", d)
		}
	}
	if t.From != nil && t.Until != nil && *t.Until < *t.From {
		return problem.Newf(problem.Invalid, "Its season ends on %s, before it starts on %s.", a.SayDate(*t.Until),
			a.SayDate(*t.From))
	}
	last, where := calendar.Minute(0), ""
	for k, s := range t.Stops {
		if _, err := a.Network.OpenBranch(s.Branch); err != nil {
			return err
		}
		name := fmt.Sprintf("stop %d, %s", k+1, a.Network.BranchName(s.Branch))
		if s.Arrive == "" && s.Depart == "" {
			return problem.Newf(problem.Invalid, "%s has no time. Enter an arrival, a departure, or both.", upper(name))
		}
		for _, text := range []string{s.Arrive, s.Depart} {
			if text == "" {
				continue
			}
			at, err := calendar.ParseMinute(text)
			if err != nil {
				return problem.Newf(problem.Invalid, "%q at %s is not a time. Enter one such as 08:10.", text, name)
			}
			if at < last {
				return problem.Newf(problem.Invalid, "%s is at %s, after %s %s. Times must increase.",
					name, text, last, where)
			}
			last, where = at, "at "+name
		}
	}
	return nil
}

func upper(s string) string { return "S" + s[1:] }

// Trips are the runs of the courier, in their order.
func Trips(a *act.Act) ([]Shown[Trip], error) {
	seen, err := networkdb.LatestChanges(a.Tx)
	if err != nil {
		return nil, err
	}
	var keys []string
	for _, r := range a.Network.Runs {
		keys = append(keys, r.ID)
	}
	return shown[Trip](a, "run", trips{}, keys, seen)
}

// Trying is a run as it would be; none: taken away. From a date on: until the day before it goes as it does now.
type Trying struct {
	Is   *Trip          `json:"is,omitempty"`
	Seen int64          `json:"seen"`
	On   *calendar.Date `json:"from_date,omitempty" doc:"Only from this date on"`
}

// TryTrip says what it would do to what has been promised. Nothing is changed.
func TryTrip(a *act.Act, key string, t Trying) (*moving.Retimed, error) {
	if t.Is == nil || t.On == nil {
		return tryTrips(a, map[string]*Trip{key: t.Is})
	}
	before, after, err := split(a, key, t)
	if err != nil {
		return nil, err
	}
	return tryTrips(a, map[string]*Trip{key: before, after: t.Is})
}

// TryTripPast says what it would have meant for what went in the last four weeks, as if it had gone so all the time:
// its season does not count. Nothing is changed.
func TryTripPast(a *act.Act, key string, t Trying) (*couriers.Tried, error) {
	was, err := trips{}.Load(a, key)
	if err != nil {
		return nil, err
	}
	is, says := t.Is, "without a run"
	switch {
	case is != nil:
		all := *is
		all.From, all.Until = nil, nil
		is, says = &all, is.Name+" as it is written here"
	case was != nil:
		says = "Without " + was.Name
	}
	_, after, err := tables(a, map[string]*Trip{key: is})
	if err != nil {
		return nil, err
	}
	return couriers.Try(a, after, says)
}

// KeepTrip writes a run anew, or takes it away; from a date on where that is asked for.
func KeepTrip(a *act.Act, key string, t Trying) (*Kept, error) {
	if t.Is == nil {
		return TakeAway(a, "run", key, t.Seen)
	}
	if t.On == nil {
		return Put(a, "run", key, t.Seen, t.Is)
	}
	before, after, err := split(a, key, t)
	if err != nil {
		return nil, err
	}
	if _, err := Put(a, "run", after, 0, t.Is); err != nil {
		return nil, err
	}
	return Put(a, "run", key, t.Seen, before)
}

// TakeBackTrip takes a change of the timetable back; of one from a date on, both that the run ended and that another
// began.
func TakeBackTrip(a *act.Act, id int64) (*Kept, error) {
	c, err := networkdb.ChangeByID(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case c == nil || c.Part != "run":
		return nil, problem.NoSuch("change of the timetable")
	}
	began, err := networkdb.BegunWith(a.Tx, c.ID, c.Part, c.At)
	if err != nil {
		return nil, err
	}
	for _, other := range began {
		if _, err := TakeBack(a, other); err != nil {
			return nil, err
		}
	}
	return TakeBack(a, id)
}

// split ends a run the day before another takes its place, and gives that one a key.
func split(a *act.Act, key string, t Trying) (before *Trip, after string, err error) {
	before, err = trips{}.Load(a, key)
	if err != nil {
		return nil, "", err
	}
	if before == nil {
		return nil, "", problem.NoSuch("run")
	}
	if *t.On <= calendar.DateOf(a.Now) {
		return nil, "", problem.Newf(problem.Invalid, "Choose a date after today, or leave it empty to change the run now.")
	}
	last := t.On.Add(-1)
	before.Until, t.Is.From = &last, t.On
	return before, key + "-" + t.On.String(), nil
}
