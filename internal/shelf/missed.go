package shelf

import (
	"context"
	"regexp"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/search"
	"goldshelf/internal/work"
)

const (
	shownMissed = 90 * 24 * time.Hour
	mostMissed  = 100
	mostWords   = 200 // characters that are kept of one
)

// longNumber may be somebody's: an account, a telephone, a postcode. So may an address be.
var longNumber = regexp.MustCompile(`\S*@\S*|\d[\d .\-/]{2,}\d`)

// MissedSearch counts what somebody has searched for in vain: without their name, and
// without long numbers and addresses. It is searched for again: as not found only that is
// counted which no entry has whole, and as unopened what some entry has. Nothing is recorded.
func (s *Service) MissedSearch(ctx context.Context, by work.Caller, in api.Searched) error {
	list, err := s.Shelf(ctx, by, Query{Text: in.Words, Limit: 1})
	if found := list.Total > 0 && !list.Partial; err != nil || found != in.Unopened {
		return err
	}
	q := search.Parse(longNumber.ReplaceAllString(in.Words, "…"), func(string) bool { return false })
	words := strings.Join(strings.Fields(q.Whole), " ")
	if runes := []rune(words); len(runes) > mostWords {
		words = string(runes[:mostWords])
	}
	if words == "" {
		return nil
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error { return u.AddMissed(words, in.Unopened) })
}

// Missed gives what was searched for and not found in the last ninety days, the most often
// first. It returns an entry.Refusal to all but curators.
func (s *Service) Missed(ctx context.Context, by work.Caller) (api.MissedSearches, error) {
	if err := by.MustCurate("see what was searched for and not found"); err != nil {
		return api.MissedSearches{}, err
	}
	return work.Ask(ctx, s.db, func(v work.View) (api.MissedSearches, error) {
		rows, err := v.Missed(v.Now().Add(-shownMissed), nil, 10*mostMissed)
		out := api.MissedSearches{Items: []api.MissedSearch{}}
		for _, row := range rows {
			if row.Times == 0 || len(out.Items) == mostMissed {
				continue
			}
			out.Items = append(out.Items, api.MissedSearch{Words: row.Words, Times: row.Times, Last: row.Last.Format(time.DateOnly)})
		}
		return out, err
	})
}
