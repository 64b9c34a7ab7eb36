package mine

import (
	"cmp"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/problem"
	"nevrin/store"
	"nevrin/store/stockdb"
)

// Found is a page of titles that were found.
type Found struct {
	Rows   []FoundTitle
	Next   string
	Better string
}

// FoundTitle is a title with its kinds and where it stands on a shelf.
type FoundTitle struct {
	catalogue.Title
	Kinds string
	On    []Copy // where it is on a shelf, a place each, the own branch first
	More  int    // further places
}

// Copy is a copy of a title, or several alike at one place.
type Copy struct {
	Branch, Kind, Collection, Call string
	State                          string
	Free                           bool
	Count                          int
	here                           bool
}

// placesShown is at how many places a title stands that a list tells.
const placesShown = 3

// Search finds titles that the public may see, the best first.
func Search(a *act.Act, words string, page store.Page) (*Found, error) {
	found, err := catalogue.FindTitles(a, stockdb.TitleSearch{Words: words, Public: true}, page)
	if err != nil {
		return nil, err
	}
	out := &Found{Next: found.Next, Better: found.Better}
	ids := make([]int64, len(found.Rows))
	for k := range found.Rows {
		ids[k] = found.Rows[k].ID
	}
	copies, err := stockdb.PublicCopies(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	for _, t := range found.Rows {
		of := slices.DeleteFunc(slices.Clone(copies), func(c stockdb.PublicCopy) bool { return c.TitleID != t.ID })
		row := FoundTitle{Title: t, Kinds: kinds(a, of)}
		row.On = slices.DeleteFunc(places(a, of), func(c Copy) bool { return !c.Free })
		if len(row.On) > placesShown {
			row.On, row.More = row.On[:placesShown], len(row.On)-placesShown
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// Title is a title for everybody: what is known of it, and where its copies are.
type Title struct {
	*catalogue.Shown
	Kinds  string
	Copies []Copy
}

// OneTitle gives a title that the public may see.
func OneTitle(a *act.Act, id int64) (*Title, error) {
	copies, err := stockdb.PublicCopies(a.Tx, []int64{id})
	if err != nil {
		return nil, err
	}
	public := len(copies) > 0
	if !public { // it may have copies that are in no use now
		if public, err = stockdb.IsPublic(a.Tx, id); err != nil {
			return nil, err
		}
	}
	if !public {
		return nil, problem.NoSuch("title")
	}
	shown, err := catalogue.OneTitle(a, id)
	if err != nil {
		return nil, err
	}
	return &Title{shown, kinds(a, copies), places(a, copies)}, nil
}

// kinds names what a title's copies are: a book, a film.
func kinds(a *act.Act, copies []stockdb.PublicCopy) string {
	var names []string
	for _, c := range copies {
		if name := a.Network.ClassName("material", c.Material); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

// places puts copies together that are alike to who wants one: the own branch first, what is on a shelf before what is out.
func places(a *act.Act, copies []stockdb.PublicCopy) []Copy {
	var out []Copy
	for _, c := range copies {
		one := Copy{
			Branch: a.Network.BranchName(c.BranchCode), Kind: a.Network.ClassName("material", c.Material),
			Collection: a.Network.ClassName("collection", c.Collection), Call: c.Call, Free: c.Free, State: "not available right now",
			here: c.BranchCode == a.Who.Branch,
		}
		switch {
		case c.Free:
			one.State = "on the shelf"
		case c.Lent && c.Due != nil:
			one.State = "out, due back " + a.SayDate(*store.DateOf(c.Due))
		case c.Lent:
			one.State = "out"
		}
		if k := slices.Index(out, one); k >= 0 {
			out[k].Count++
		} else {
			out = append(out, one)
		}
	}
	first := func(is bool) int {
		if is {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(out, func(x, y Copy) int {
		return cmp.Or(first(x.Free)-first(y.Free), first(x.here)-first(y.here))
	})
	for k := range out {
		out[k].Count++
	}
	return out
}
