package queue

// Wish says which copies of its title a hold is for. Nil means any; an empty edition or volume means a copy without one.
type Wish struct {
	Item            *int64
	Edition, Volume *string
}

// Fits tells whether a copy is one of them. The lists of the store ask the same in SQL (holdsdb.Meets); a test there
// holds the two together.
func (w Wish) Fits(item int64, edition, volume string) bool {
	return (w.Item == nil || *w.Item == item) && (w.Edition == nil || *w.Edition == edition) &&
		(w.Volume == nil || *w.Volume == volume)
}
