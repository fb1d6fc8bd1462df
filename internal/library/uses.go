package library

import (
	"context"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
)

// Uses gives what uses an entry, directly and through others: published
// versions, and for those who see drafts the open ones too.
func (l *Library) Uses(ctx context.Context, by Caller, slug string) (api.Uses, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Uses{}, err
	}
	rows, err := l.db.UsersOf(ctx, e.Slug, by.Role.Includes(entry.Reviewer))
	if err != nil {
		return api.Uses{}, err
	}
	uses := api.Uses{Items: make([]api.User, len(rows))}
	for i, u := range rows {
		uses.Items[i] = api.User{
			Slug: u.Slug, Kind: entry.Kind(u.Kind), Title: u.Title, Version: u.Number, State: entry.State(u.State),
			OwnerName: u.OwnerName, Pinned: u.Pinned, Through: u.Through.V, Follows: u.Follows,
		}
		if u.How != nil {
			uses.Items[i].How = *u.How
		}
	}
	return uses, nil
}

// Effect gives the text of a published user of an entry, with sample values, as
// it is and as it would be once the entry's open version is published.
func (l *Library) Effect(ctx context.Context, by Caller, slug, user string) (api.Effect, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Effect{}, err
	}
	if e.Open == 0 || !entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		return api.Effect{}, &Missing{fmt.Sprintf("%s has no open version that you may see", e.Slug)}
	}
	open, err := l.db.Version(ctx, e.ID, e.Open)
	if err != nil {
		return api.Effect{}, err
	}
	id, err := l.db.ShelvedID(ctx, user, 0)
	if err != nil {
		return api.Effect{}, offShelf(ctx, l.db.Reader, err, user, 0)
	}
	// The user's own stack matters too: the entry may be its persona.
	layers, err := l.stack(ctx, id, api.FillRequest{})
	if err != nil {
		return api.Effect{}, err
	}
	out := api.Effect{Slug: user}
	if out.Before, out.Title, _, err = l.sampled(ctx, layers, nil); err != nil {
		return out, err
	}
	src, err := open.Content().Parsed(e.Slug, open.Number)
	if list, ok := err.(problem.List); ok {
		out.Problems = list
		return out, nil
	}
	out.After, _, out.Problems, err = l.sampled(ctx, layers, &src)
	return out, err
}

// sampled fills a stack with the samples that its blanks declare.
func (l *Library) sampled(ctx context.Context, layers []int64, override *fill.Source) (text, title string, wrong problem.List, err error) {
	c, err := l.compose(ctx, layers, override)
	if list, ok := err.(problem.List); ok {
		return "", "", list, nil
	}
	if err != nil {
		return "", "", nil, err
	}
	values := fill.Values{}
	for _, b := range c.form.Blanks() {
		if !b.Sample.IsZero() {
			values[b.Name] = b.Sample
		}
	}
	got, parts, _, err := c.form.Sketch(values)
	if len(parts) > 0 {
		title = c.by[parts[len(parts)-1].Ref].title
	}
	return got.Text, title, nil, err
}
