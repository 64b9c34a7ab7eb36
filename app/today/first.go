package today

import (
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/core/urgency"
	"nevrin/store/networkdb"
)

// Task is a line of the list of what to do first.
type Task struct {
	Kind   urgency.Kind  `json:"kind" enum:"fetch,stray,clear,trials,sign_ups,reports"`
	Branch calendar.Code `json:"branch" doc:"Empty: of the whole network"`
	Name   string        `json:"name" doc:"Of the branch"`
	Number int           `json:"number"`
	Late   int           `json:"late"`
	Leaves *time.Time    `json:"leaves,omitempty" doc:"When the next run leaves that takes them"`
	Run    string        `json:"run,omitempty" doc:"Which run that is"`
}

// First lists the tasks that the role of the actor can do, the most costly to leave first.
func First(a *act.Act) ([]Task, error) {
	rows, err := Look(a)
	if err != nil {
		return nil, err
	}
	var tasks []urgency.Task
	runs := map[calendar.Code]string{}
	for _, r := range rows {
		leaves, run := nextRun(a, r.Branch)
		runs[r.Branch] = run
		tasks = append(tasks,
			urgency.Task{Kind: urgency.Fetch, Branch: r.Branch, Number: r.Fetch.All, Late: r.Fetch.Late, Leaves: leaves},
			urgency.Task{Kind: urgency.Clear, Branch: r.Branch, Number: r.Clear.All, Late: r.Clear.Late},
			urgency.Task{Kind: urgency.Stray, Branch: r.Branch, Number: r.Coming.Late, Late: r.Coming.Late},
		)
	}
	if a.Who.Role != role.Volunteer {
		desks, err := networkdb.Desks(a.Tx)
		if err != nil {
			return nil, err
		}
		for _, d := range desks {
			kind := urgency.Kind(d.Kind)
			if kind == urgency.Reports && !a.Who.Role.Supervises() {
				continue
			}
			tasks = append(tasks, urgency.Task{Kind: kind, Branch: d.Branch, Number: d.Number})
		}
	}
	out := []Task{}
	for _, t := range urgency.Order(tasks, a.Now) {
		one := Task{Kind: t.Kind, Branch: t.Branch, Number: t.Number, Late: t.Late}
		if t.Branch != "" {
			one.Name = a.Network.BranchName(t.Branch)
		}
		if t.Leaves != nil {
			one.Leaves, one.Run = t.Leaves, runs[t.Branch]
		}
		out = append(out, one)
	}
	return out, nil
}

// nextRun is when the next run of today leaves a branch, and which it is; nil where none does.
func nextRun(a *act.Act, branch calendar.Code) (*time.Time, string) {
	t := a.Network.Timetable
	var first *time.Time
	name := ""
	for k := range t.Runs {
		r := &t.Runs[k]
		for _, c := range t.Calls(r, calendar.DateOf(a.Now.In(t.Location))) {
			if c.Branch != branch || c.Depart == nil || !c.Depart.After(a.Now) || first != nil && !c.Depart.Before(*first) {
				continue
			}
			first, name = c.Depart, t.RunName(r.ID)
		}
	}
	return first, name
}
