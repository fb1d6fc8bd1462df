package settings

import (
	"context"
	"errors"
	"slices"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Limits of the lists of words that mean the same.
const (
	mostLists   = 1000
	mostInList  = 40
	mostOfOne   = 60 // characters
	wordsInOne  = search.MostAlike
	leastInList = 2
)

// Synonyms are the lists, with the number that a change must name.
type Synonyms struct {
	api.Synonyms
	Number int `json:"-"`
}

// Synonyms gives the lists of words that mean the same.
func (s *Service) Synonyms(ctx context.Context) (Synonyms, error) {
	return work.Ask(ctx, s.db, func(v work.View) (Synonyms, error) {
		lists, number, err := v.Synonyms()
		return Synonyms{api.Synonyms{Lists: lists}, number}, err
	})
}

// SetSynonyms changes what was read under the number on; searches use it at once. It
// returns an entry.Refusal to all but curators, a [problem.List] if it does not hold, and
// [work.Outdated] if it is another by now.
func (s *Service) SetSynonyms(ctx context.Context, by work.Caller, on int, req api.Synonyms) (Synonyms, error) {
	if err := by.MustCurate("change which words mean the same"); err != nil {
		return Synonyms{}, err
	}
	if err := synonymProblems(req.Lists).Err(); err != nil {
		return Synonyms{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (Synonyms, error) {
		lists := append([][]string{}, req.Lists...) // none is a list too
		number, err := u.SetSynonyms(lists, on)
		if errors.Is(err, store.ErrChanged) {
			return Synonyms{}, &work.Outdated{What: message.Say("someone else has changed the lists since you read them; read them again, and change them then")}
		}
		u.Record("set-synonyms", 0, 0, map[string]any{"lists": len(lists)})
		return Synonyms{api.Synonyms{Lists: lists}, number}, err
	})
}

func synonymProblems(lists [][]string) problem.List {
	var found problem.List
	if len(lists) > mostLists {
		found.Add("/lists", "size", "there are %d lists; there are at most %d", len(lists), mostLists)
		return found
	}
	for i, list := range lists {
		at := problem.Pointer("lists", i)
		switch n := len(list); {
		case n < leastInList:
			found.Add(at, "size", "list %d has %d of at least %d: what means the same as what?", i+1, n, leastInList)
		case n > mostInList:
			found.Add(at, "size", "list %d has %d; it has at most %d", i+1, n, mostInList)
		}
		var seen []string
		for k, one := range list {
			at := problem.Pointer("lists", i, k)
			found = append(found, problem.Line(at, "this", one)...)
			words := search.Words(one)
			switch stems := search.Stems(words); {
			case len(words) == 0:
				found.Add(at, "missing", "%q in list %d has no words", one, i+1)
			case len(words) > wordsInOne:
				found.Add(at, "size", "%q in list %d has %d words; it has at most %d", one, i+1, len(words), wordsInOne)
			case utf8.RuneCountInString(one) > mostOfOne:
				found.Add(at, "size", "%q in list %d has %d characters; it has at most %d", one, i+1, utf8.RuneCountInString(one), mostOfOne)
			case slices.Contains(seen, stems):
				found.Add(at, "twice", "%q stands in list %d already, in some form", one, i+1)
			default:
				seen = append(seen, stems)
			}
		}
	}
	return found
}
