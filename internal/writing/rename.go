package writing

import (
	"context"
	"errors"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Rename gives an entry another slug. The ones that it had go on meaning it, and no other
// entry gets them. Curators rename what was published; whoever answers for it, what never
// was. It returns [work.Taken] if another entry has or had the slug.
func (s *Service) Rename(ctx context.Context, by work.Caller, slug, to string) (api.Entry, error) {
	if _, err := entry.ParseSlug(to); err != nil {
		return api.Entry{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if by.Role != entry.Curator && (e.Published > 0 || !entry.LooksAfter(by.Actor(), texts.Status(e))) {
			return api.Entry{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only a curator may rename %s", e.Slug), Possible: []entry.Action{}}
		}
		number := e.Open
		if number == 0 {
			number = e.Published
		}
		if to == e.Slug {
			return texts.ReadAgain(u.Reader, by, to, number)
		}
		err = u.Rename(e.ID, to)
		if errors.Is(err, store.ErrTaken) {
			return api.Entry{}, &work.Taken{What: message.Say("another entry has or had the slug %s, and keeps it; choose another", to)}
		}
		if err != nil {
			return api.Entry{}, err
		}
		u.Record("rename", e.ID, 0, map[string]any{"from": e.Slug, "to": to})
		return texts.ReadAgain(u.Reader, by, to, number)
	})
}
