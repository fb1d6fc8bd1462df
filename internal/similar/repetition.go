package similar

import (
	"cmp"
	"context"
	"math"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Repetition tells what the library says more than once, and what would be saved by saying it
// once: of groups that say nearly the same the words that all but the longest share with that,
// of passages their words in all entries but one, and of what was adapted the words that its
// origin has by now and had not when it was last compared. Those come first that save the most.
// Only curators see it.
func (s *Service) Repetition(ctx context.Context, by work.Caller) (api.Repetition, error) {
	if err := by.MustCurate("see what the library says more than once"); err != nil {
		return api.Repetition{}, err
	}
	return s.repeated.Get(ctx, struct{}{}, func(ctx context.Context, _ struct{}) (api.Repetition, error) { return s.repetition(ctx) })
}

func (s *Service) repetition(ctx context.Context) (out api.Repetition, err error) {
	groups, err := s.groups(ctx)
	if err != nil {
		return out, err
	}
	out.Groups = work.AtOnce(groups, repeated)
	slices.SortStableFunc(out.Groups, func(a, b api.RepeatedGroup) int { return b.Saves - a.Saves })
	out.Groups = append([]api.RepeatedGroup{}, out.Groups[:min(len(out.Groups), mostGroups)]...)
	recurring, err := s.recurring(ctx)
	if err != nil {
		return out, err
	}
	out.Passages = recurring.Passages
	rows, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Drifted, error) { return v.Drifted() })
	if err != nil {
		return out, err
	}
	out.Drifted = work.AtOnce(rows, drifted)
	slices.SortStableFunc(out.Drifted, func(a, b api.Drifted) int { return cmp.Or(b.Saves-a.Saves, cmp.Compare(a.Slug, b.Slug)) })
	out.Drifted = append([]api.Drifted{}, out.Drifted[:min(len(out.Drifted), mostGroups)]...)
	return out, nil
}

func repeated(group []textNear) (out api.RepeatedGroup) {
	longest := slices.MaxFunc(group, func(a, b textNear) int { return a.read.Words() - b.read.Words() })
	for _, t := range group {
		if t.ID != longest.ID {
			out.Saves += share(t.read, likeness.Contained(t.read, longest.read))
		}
		out.Items = append(out.Items, api.RepeatedEntry{
			Slug: t.Slug, Title: t.Title, Kind: entry.Kind(t.Kind), Version: t.Number, State: entry.State(t.State), Likeness: likeness.Percent(likeness.Jaccard(group[0].read, t.read)),
		})
	}
	return out
}

func drifted(d store.Drifted) api.Drifted {
	own, was, is := likeness.Read(d.Body), likeness.Read(d.Was), likeness.Read(d.Is)
	return api.Drifted{
		Slug: d.Slug, Title: d.Title, Of: d.Of, OfTitle: d.OfTitle, How: d.How, From: d.From, Now: d.Now,
		Likeness: likeness.Percent(likeness.Jaccard(own, is)), Saves: share(is, 1-likeness.Contained(is, was)),
	}
}

// share is how many words of a text a share of it is.
func share(t *likeness.Text, of float64) int { return int(math.Round(of * float64(t.Words()))) }
