package index

import (
	"slices"

	"goldshelf/core/search"
	"goldshelf/internal/work"
)

// synonyms are the curators' lists of words that mean the same, under a number.
type synonyms struct {
	number int
	alike  map[string][]search.Alternative
}

// synonymFactor is how much a word counts that curators say means the same.
const synonymFactor = 0.9

// alike gives what may stand for what by the curators' lists of a number.
func (x *Index) alike(v work.View, number int) (map[string][]search.Alternative, error) {
	if s := x.synonyms.Load(); s.number == number {
		return s.alike, nil
	}
	lists, number, err := v.Synonyms()
	if err != nil {
		return nil, err
	}
	s := &synonyms{number, alikeBy(lists)}
	x.synonyms.Store(s) // where another is newer, whoever sees that reads it again
	return s.alike, nil
}

// alikeBy gives what may stand for what, by the stems of its words.
func alikeBy(lists [][]string) map[string][]search.Alternative {
	all := map[string][]search.Alternative{}
	for _, list := range lists {
		for _, one := range list {
			key := search.Stems(search.Words(one))
			for _, other := range list {
				if other != one {
					all[key] = append(slices.Clip(all[key]), search.Alternative{Words: search.Words(other), Factor: synonymFactor})
				}
			}
		}
	}
	return all
}
