package routing

// ShareNearly is Share as it goes with very many holds.
func ShareNearly(works []Work, limits []int) Shared { return share(works, limits, 0, mostChoices) }
