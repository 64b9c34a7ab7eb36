// Package upkeep sets a network up and keeps it: its branches and stations, who works there, classes and lists to choose
// from, how numbers look, partners outside, and what else is settled.
//
// All of it is made of parts, and each part changes in one way: whoever changes it says which change of it they have seen
// last, what it was and what it is now is kept permanently, and any change can be undone as long as nothing has changed
// the part since. All of that happens under the lock of the network, so that two administrators never undo each other's
// work without knowing.
package upkeep

import (
	"bytes"
	"encoding/json"
	"strconv"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/store"
	"nevrin/store/networkdb"
)

// part is a sort of what the network is made of. A key tells one from another of its sort.
type part interface {
	// now gives how one stands, as a document; nil where there is none.
	now(a *act.Act, key string) (json.RawMessage, error)
	// put brings one from how it was to how it is to be, once it has looked whether that can be, and gives how it then is.
	// Nil takes it away.
	put(a *act.Act, key string, was, is json.RawMessage) (json.RawMessage, error)
	// name is what people call one, in a history.
	name(key string, doc json.RawMessage) string
}

var parts = map[string]part{
	"settings": partOf(settings{}), "numbers": partOf(numbers{}), "network": partOf(own{}), "branch": partOf(branches{}),
	"station": partOf(stations{}), "class": partOf(classes{}), "choice": partOf(choices{}), "staff": partOf(persons{}),
	"partner": partOf(outside{}), "run": partOf(trips{}), "plan": partOf(plans{}), "wording": partOf(wordings{}),
}

// sort is a part by the type of its document.
type sort[T any] interface {
	Load(a *act.Act, key string) (*T, error)
	// Keep writes one, and gives it as it was written. Is is nil where it is taken away, was where there was none.
	Keep(a *act.Act, key string, was, is *T) (*T, error)
	Call(key string, t *T) string
}

type of[T any] struct{ sort[T] }

func partOf[T any](s sort[T]) part { return of[T]{s} }

func (o of[T]) now(a *act.Act, key string) (json.RawMessage, error) {
	t, err := o.Load(a, key)
	if err != nil || t == nil {
		return nil, err
	}
	return json.Marshal(t)
}

func (o of[T]) put(a *act.Act, key string, was, is json.RawMessage) (json.RawMessage, error) {
	before, err := read[T](was)
	if err != nil {
		return nil, err
	}
	after, err := read[T](is)
	if err != nil {
		return nil, err
	}
	if after, err = o.Keep(a, key, before, after); err != nil || after == nil {
		return nil, err
	}
	return json.Marshal(after)
}

func (o of[T]) name(key string, doc json.RawMessage) string {
	t, err := read[T](doc)
	if err != nil || t == nil {
		return key
	}
	return o.Call(key, t)
}

func read[T any](doc json.RawMessage) (*T, error) {
	if doc == nil {
		return nil, nil
	}
	t := new(T)
	return t, json.Unmarshal(doc, t)
}

// Kept says that a part has been changed, and by which change.
type Kept struct {
	Key  string `json:"key" doc:"Which of its sort it is"`
	Seen int64  `json:"seen" doc:"The change by which it now stands"`
}

// Put brings a part to how it is to be. Seen is the last change of it that was seen; 0 where none was.
func Put(a *act.Act, sort, key string, seen int64, is any) (*Kept, error) {
	doc, err := json.Marshal(is)
	if err != nil {
		return nil, err
	}
	return change(a, sort, key, seen, doc, 0)
}

// TakeAway takes a part away that nothing needs.
func TakeAway(a *act.Act, sort, key string, seen int64) (*Kept, error) {
	return change(a, sort, key, seen, nil, 0)
}

// TakeBack takes a change back: the part is as it was before, unless it has been changed since.
func TakeBack(a *act.Act, id int64) (*Kept, error) {
	c, err := networkdb.ChangeByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if c == nil {
		return nil, problem.NoSuch("change")
	}
	return change(a, c.Part, c.Key, c.ID, c.Was, c.ID)
}

func change(a *act.Act, sort, key string, seen int64, is json.RawMessage, takesBack int64) (*Kept, error) {
	p, ok := parts[sort]
	if !ok {
		return nil, problem.NoSuch("part of the network")
	}
	if _, err := networkdb.LockNetwork(a.Tx); err != nil {
		return nil, err
	}
	latest, err := networkdb.LatestChange(a.Tx, sort, key)
	if err != nil {
		return nil, err
	}
	if latest != nil && latest.ID != seen {
		return nil, changedSince(a, latest)
	}
	was, err := p.now(a, key)
	if err != nil {
		return nil, err
	}
	if was == nil && is == nil {
		return nil, problem.NoSuch(sort)
	}
	if bytes.Equal(was, is) {
		return &Kept{key, seen}, nil
	}
	if is, err = p.put(a, key, was, is); err != nil {
		return nil, err
	}
	if bytes.Equal(was, is) {
		return &Kept{key, seen}, nil
	}
	c := networkdb.Change{
		At: a.Now, StaffID: act.OrNil(a.Who.ID), Part: sort, Key: key, Was: was, Is: is,
		TakesBack: act.OrNil(takesBack),
	}
	if err := networkdb.AddChange(a.Tx, &c); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.NetworkChanged, Detail: event.Detail{About: sort, Is: key}})
	return &Kept{key, c.ID}, nil
}

func changedSince(a *act.Act, c *networkdb.ChangeShown) error {
	who := "Somebody"
	if c.Who != nil {
		who = *c.Who
	}
	return problem.Newf(
		problem.Refused,
		"%s changed this on %s, after you opened it. Your changes were not saved. Check it and try again.",
		who,
		a.Network.SayInstant(c.At),
	)
}

// Changed is a change as people look back at it.
type Changed struct {
	ID    int64           `json:"id"`
	At    time.Time       `json:"at"`
	Who   string          `json:"who"`
	Part  string          `json:"part" enum:"settings,numbers,network,branch,station,class,choice,staff,partner,run"`
	Key   string          `json:"key"`
	Name  string          `json:"name" doc:"What people call it"`
	Was   json.RawMessage `json:"was,omitempty" doc:"None: there was none"`
	Is    json.RawMessage `json:"is,omitempty" doc:"None: it was taken away"`
	Back  bool            `json:"back" doc:"It was undone"`
	Of    bool            `json:"takes_back" doc:"It takes another back"`
	MayGo bool            `json:"may_go" doc:"It can be undone: nothing has changed the same since"`
}

// Changes gives a page of all changes, or of those of one part, newest first.
func Changes(a *act.Act, sort, key string, page store.Page) ([]Changed, store.Page, error) {
	rows, next, err := networkdb.Changes(a.Tx, sort, key, page)
	out := make([]Changed, len(rows))
	for k, c := range rows {
		doc := c.Is
		if doc == nil {
			doc = c.Was
		}
		out[k] = Changed{
			ID: c.ID, At: c.At, Who: "Nevrin", Part: c.Part, Key: c.Key, Name: parts[c.Part].name(c.Key, doc),
			Was: c.Was, Is: c.Is, Back: c.Back, Of: c.TakesBack != nil, MayGo: !c.Later,
		}
		if c.Who != nil {
			out[k].Who = *c.Who
		}
	}
	return out, next, err
}

// number reads a key that is an id.
func number(key string) (int64, error) {
	id, err := strconv.ParseInt(key, 10, 64)
	if err != nil {
		return 0, problem.Newf(problem.Invalid, "%q is not a valid number.", key)
	}
	return id, nil
}
