package shelf

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const (
	alikeLooked  = 8   // entries whose labels are looked at
	alikeShare   = 0.5 // of their weight has a label that is proposed
	mostProposed = 12
)

// ProposeLabels gives labels that an entry may want: those that the entries on the shelf
// have that read most like it, the first ones counting more. It leaves out what the entry
// has, what nobody chooses any more, and another term of a facet of which it has its one.
func (s *Service) ProposeLabels(ctx context.Context, by work.Caller, slug string) (api.LabelProposals, error) {
	if err := s.index.Ready(ctx, s.db); err != nil {
		return api.LabelProposals{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.LabelProposals, error) {
		out := api.LabelProposals{Items: []api.LabelProposal{}}
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return out, err
		}
		own, err := v.Version(e.ID, e.Newest)
		if err != nil {
			return out, err
		}
		list, err := s.list(v, search.Sight{Shelf: true}, Query{Text: likeThis(own), Limit: alikeLooked + 1})
		if err != nil {
			return out, err
		}
		terms, err := v.Terms()
		if err != nil {
			return out, err
		}
		out.Items = proposals(own, list.Items, terms)
		return out, nil
	})
}

// likeThis is what an entry is about, in words without signs that a search would heed.
func likeThis(v store.Version) string {
	return strings.Join(search.Words(v.Title+" "+v.Summary), " ")
}

func proposals(own store.Version, alike []api.Item, terms []store.Term) []api.LabelProposal {
	type label struct{ facet, term string }
	weight, from, all := map[label]float64{}, map[label][]string{}, 0.0
	looked := 0
	for _, it := range alike {
		if it.Slug == own.Slug || looked == alikeLooked {
			continue
		}
		looked++
		counts := 1 / float64(looked+1)
		all += counts
		for facet, names := range it.Labels {
			for _, name := range names {
				l := label{facet, name}
				weight[l] += counts
				from[l] = append(from[l], it.Slug)
			}
		}
	}
	proposed := []api.LabelProposal{}
	for _, l := range slices.SortedFunc(maps.Keys(weight), func(a, b label) int {
		return cmp.Or(cmp.Compare(weight[b], weight[a]), cmp.Compare(a.facet, b.facet), cmp.Compare(a.term, b.term))
	}) {
		at := slices.IndexFunc(terms, func(t store.Term) bool { return t.Facet == l.facet && t.Name == l.term })
		has := own.Labels.V[l.facet]
		switch {
		case at < 0, terms[at].Retired, slices.Contains(has, l.term), terms[at].Single && len(has) > 0:
		case weight[l] < alikeShare*all, len(proposed) == mostProposed:
		default:
			proposed = append(proposed, api.LabelProposal{Facet: l.facet, Term: l.term, Title: terms[at].Title, From: from[l]})
		}
	}
	return proposed
}
