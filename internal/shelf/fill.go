package shelf

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/markdown"
	"goldshelf/core/problem"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Fill puts values in place in a published entry. Its error is a [problem.List] with
// all that is missing, unknown or does not fit.
func (s *Service) Fill(ctx context.Context, by work.Caller, slug string, number int, req api.FillRequest) (api.Filled, error) {
	if err := formProblems(req.As).Err(); err != nil {
		return api.Filled{}, err
	}
	c, err := s.stack(ctx, by, slug, number, texts.Stack{Persona: req.Persona, Style: req.Style, Sheets: req.Sheets, For: req.For, Languages: req.Languages, Base: req.Base, Sketch: req.Sketch})
	if err != nil {
		return api.Filled{}, err
	}
	if req.Sketch {
		got, parts, wrong, err := c.Form.Sketch(req.Values)
		out := texts.Delivered(c, texts.Filled(c, got, parts))
		out.Blanks, out.Problems = c.Form.Blanks(), append(slices.Clip(c.Wanting), wrong...)
		return out, err
	}
	got, parts, err := c.Form.FillLayers(req.Values)
	if err == nil {
		s.used(by, c, string(by.Via), req.Persona)
	}
	if err != nil {
		return api.Filled{}, err
	}
	return inForms(texts.Delivered(c, texts.Filled(c, got, parts)), req.As), nil
}

func formProblems(forms []string) (wrong problem.List) {
	for i, f := range forms {
		if !slices.Contains([]string{"plain", "html", "messages"}, f) {
			wrong.Add(problem.Pointer("as", i), "form", "there is no form %q; it is plain, html or messages", f)
		}
	}
	return wrong
}

// inForms adds the text in other forms.
func inForms(f api.Filled, forms []string) api.Filled {
	for _, form := range forms {
		switch form {
		case "plain":
			f.Plain = markdown.Plain(f.Text)
		case "html":
			f.HTML = markdown.HTML(f.Text)
		case "messages":
			if f.Messages == nil { // or else the application has said which
				f.Messages = texts.Messages(f)
			}
		}
	}
	return f
}

// Uses gives what uses an entry, directly and through others: published versions, and
// for those who see drafts the open ones too.
func (s *Service) Uses(ctx context.Context, by work.Caller, slug string) (api.Uses, error) {
	return work.SeeShelf(ctx, s.db, func(v work.View) (api.Uses, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.Uses{}, err
		}
		rows, err := v.UsersOf(e.Slug, by.Role.Includes(entry.Reviewer))
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
	})
}

// Effect gives the text of a published user of an entry, with sample values, as it is
// and as it would be once the entry's open version is published.
func (s *Service) Effect(ctx context.Context, by work.Caller, slug, user string) (api.Effect, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Effect, error) { return s.effect(v, by, slug, user) })
}

func (s *Service) effect(v work.View, by work.Caller, slug, user string) (api.Effect, error) {
	e, err := texts.Seen(v.Reader, by, slug)
	if err != nil {
		return api.Effect{}, err
	}
	if e.Open == 0 || !texts.MaySeeDrafts(by, e) {
		return api.Effect{}, work.MissingF("%s has no open version that you may see", e.Slug)
	}
	open, err := v.Version(e.ID, e.Open)
	if err != nil {
		return api.Effect{}, err
	}
	// The user's own stack matters too: the entry may be its persona.
	layers, err := s.texts.Shelved(v, user, 0, texts.Stack{Base: true})
	if err != nil {
		return api.Effect{}, err
	}
	out := api.Effect{Slug: user}
	if out.Before, out.Title, _, err = s.sampled(v, layers, nil); err != nil {
		return out, err
	}
	with, err := s.texts.Instead(v, by, e, open)
	if list, ok := err.(problem.List); ok {
		out.Problems = list
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.After, _, out.Problems, err = s.sampled(v, layers, with)
	return out, err
}

// sampled fills a stack with the samples that its blanks declare.
func (s *Service) sampled(v work.View, layers []int64, with *texts.Instead) (text, title string, wrong problem.List, err error) {
	c, err := s.texts.Compose(v, layers, with)
	if list, ok := err.(problem.List); ok {
		return "", "", list, nil
	}
	if err != nil {
		return "", "", nil, err
	}
	values := fill.Values{}
	for _, b := range c.Form.Blanks() {
		if !b.Sample.IsZero() {
			values[b.Name] = b.Sample
		}
	}
	got, parts, _, err := c.Form.Sketch(values)
	if len(parts) > 0 {
		title = c.By[parts[len(parts)-1].Ref].Title
	}
	return got.Text, title, nil, err
}
