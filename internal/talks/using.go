package talks

import (
	"context"
	"errors"
	"slices"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/access"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Keep says whether a talk is kept beyond the time after which talks are forgotten.
func (s *Service) Keep(ctx context.Context, by work.Caller, id string, kept bool) (api.Talk, error) {
	return s.own(ctx, by, id, func(u *work.Unit) error { return u.KeepTalk(id, kept) })
}

// Share lets somebody read a talk of the caller's, or, where they may not any more, no longer.
func (s *Service) Share(ctx context.Context, by work.Caller, id, with string, shared bool) (api.Talk, error) {
	return s.own(ctx, by, id, func(u *work.Unit) error {
		p, err := u.PersonByName(with)
		if errors.Is(err, store.ErrNotFound) || err == nil && (!p.Active || p.ID == by.ID) {
			return work.Wrong("/with", "person", "there is no colleague %.80q to share it with", with)
		}
		if err != nil {
			return err
		}
		if !shared {
			return u.UnshareTalk(id, p.ID)
		}
		return u.ShareTalk(id, p.ID)
	})
}

// own changes something about one of the caller's talks.
func (s *Service) own(ctx context.Context, by work.Caller, id string, do func(*work.Unit) error) (api.Talk, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Talk, error) {
		if _, err := access.OwnConversation(u, by, id); err != nil {
			return api.Talk{}, err
		}
		if err := do(u); err != nil {
			return api.Talk{}, err
		}
		return talkOf(u.Reader, by, id)
	})
}

// AsEntry gives what a new entry would be that asks what a reply was asked: the text that was
// sent, with the values that were filled in made blanks again. Nothing is made.
func (s *Service) AsEntry(ctx context.Context, by work.Caller, id string) (api.NewEntry, error) {
	return see(ctx, s, by, func(v work.View) (api.NewEntry, error) {
		p, err := access.Reply(v.Reader, by, id)
		if err != nil {
			return api.NewEntry{}, err
		}
		var out api.NewEntry
		for _, m := range p.Sent.V.Messages { // the first thing that was asked; the persona and the style are entries
			if m.Role == endpoint.User {
				out.Body = m.Text
				break
			}
		}
		body, used := fill.Unfill(out.Body, p.Given.V)
		out.Kind, out.Body = entry.Prompt, body
		asks, err := asksOf(v.Reader, p)
		if err != nil {
			return out, err
		}
		for _, name := range used {
			b := fill.Blank{Name: name}
			if i := slices.IndexFunc(asks, func(a fill.Blank) bool { return a.Name == name }); i >= 0 {
				b = asks[i]
			}
			b.Sample = p.Given.V[name]
			out.Blanks = append(out.Blanks, b)
		}
		for _, ref := range p.Used.V {
			e, err := v.EntryBySlug(ref.Entry)
			if err != nil {
				continue // it is not seen any more
			}
			switch entry.Kind(e.Kind) {
			case entry.Persona:
				out.Persona = e.Slug
			case entry.Style:
				out.Style = e.Slug
			}
		}
		return out, nil
	})
}

// asksOf gives the blanks of the entries that went into a reply.
func asksOf(r store.Reader, p store.Reply) (all []fill.Blank, err error) {
	for _, ref := range p.Used.V {
		e, err := r.EntryBySlug(ref.Entry)
		if errors.Is(err, store.ErrNotFound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		v, err := r.Version(e.ID, ref.Version)
		if errors.Is(err, store.ErrNotFound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		all = append(all, v.Content().Blanks...)
	}
	return all, nil
}
