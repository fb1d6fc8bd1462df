package shelf

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostFavourites is how many entries someone keeps at hand at most.
const mostFavourites = 200

// Favourites gives what the caller keeps at hand and is on the shelf, the last that was
// added first.
func (s *Service) Favourites(ctx context.Context, by work.Caller) (api.Items, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Items, error) {
		ids, err := v.Favourites(by.ID)
		out := api.Items{Items: []api.Item{}}
		if err != nil || len(ids) == 0 {
			return out, err
		}
		rows, err := v.FoundItems(ids, false)
		if err != nil {
			return out, err
		}
		byID := map[int64]store.FoundItem{}
		for _, row := range rows {
			byID[row.ID] = row
		}
		for _, id := range ids {
			out.Items = append(out.Items, item(byID[id]))
		}
		return out, nil
	})
}

// Favour has the caller keep an entry at hand, or no longer. It records nothing: that is
// theirs alone. It returns a [work.Missing] where there is no such entry on the shelf.
func (s *Service) Favour(ctx context.Context, by work.Caller, slug string, on bool) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if !on {
			return u.DropFavourite(by.ID, slug)
		}
		e, err := texts.Seen(u.Reader, by, slug)
		if err != nil {
			return err
		}
		if e.Published == 0 {
			return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%s is not on the shelf yet", e.Slug), Possible: []entry.Action{}}
		}
		n, err := u.CountFavourites(by.ID)
		if err != nil {
			return err
		}
		if n >= mostFavourites {
			return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("you keep %d entries at hand, which is the most; remove one first", n), Possible: []entry.Action{}}
		}
		return u.AddFavourite(by.ID, e.ID)
	})
}
