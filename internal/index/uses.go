package index

import "goldshelf/core/search"

// SetUses says how much entries are used: those that are found the sooner for it.
func (x *Index) SetUses(of map[int64]float64) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.uses = of
	x.index.SetUses(of)
}

// used puts its uses to a document.
func (x *Index) used(d search.Document) search.Document {
	if d.Shelf {
		d.Uses = x.uses[d.Entry]
	}
	return d
}
