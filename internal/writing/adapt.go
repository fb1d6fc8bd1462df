package writing

import (
	"context"
	"errors"
	"slices"

	"golang.org/x/text/language"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// How an entry came of another.
const (
	adaptation = "adaptation"
	rendition  = "rendition"
)

const mostPurpose = 100 // bytes

// Adapt makes the caller an entry of their own from one on the shelf, which remembers where
// it came from. It is theirs alone until they share it or ask for a review. It returns
// [texts.Gone] of a retired entry.
func (s *Service) Adapt(ctx context.Context, by work.Caller, slug string, in api.NewAdaptation) (api.Entry, error) {
	wrong := problem.Text("/purpose", in.Purpose)
	if len(in.Purpose) > mostPurpose {
		wrong.Add("/purpose", "size", "the purpose has %d bytes; it has at most %d", len(in.Purpose), mostPurpose)
	}
	if err := wrong.Err(); err != nil {
		return api.Entry{}, err
	}
	return s.derive(ctx, by, slug, adaptation, in.Slug == "", func(u *work.Unit, of store.Entry, req *api.NewEntry) (store.Origin, error) {
		if req.Title = in.Title; req.Title == "" {
			req.Title = of.Slug
			if v, err := u.Version(of.ID, of.Published); err == nil {
				req.Title = v.Title
			}
			if in.Purpose != "" {
				req.Title += ", for " + in.Purpose
			}
		}
		if in.Department != "" {
			req.Labels["department"] = []string{in.Department}
		}
		req.Slug = in.Slug
		return store.Origin{How: adaptation, Purpose: in.Purpose}, nil
	})
}

// Render makes an entry that says the same as one on the shelf in another language, or for
// another application or model. It returns a [problem.List] if it would be for the same.
func (s *Service) Render(ctx context.Context, by work.Caller, slug string, in api.NewRendition) (api.Entry, error) {
	return s.derive(ctx, by, slug, rendition, in.Slug == "", func(u *work.Unit, of store.Entry, req *api.NewEntry) (store.Origin, error) {
		if in.Title != "" {
			req.Title = in.Title
		}
		wrong := renderProblems(in, req.Content)
		suffix := ""
		if in.Language != "" {
			req.Language, suffix = in.Language, "-"+entry.SlugFor(in.Language)
		}
		for facet, term := range map[string]string{"application": in.Application, "model": in.Model} {
			if term != "" {
				req.Labels[facet] = []string{term}
			}
		}
		for _, term := range []string{in.Application, in.Model} {
			if term != "" {
				suffix += "-" + entry.SlugFor(term)
			}
		}
		if req.Slug = in.Slug; req.Slug == "" {
			req.Slug = of.Slug[:min(len(of.Slug), entry.MaxSlug-len(suffix))] + suffix
		}
		return store.Origin{How: rendition}, wrong.Err()
	})
}

// renderProblems says whether a rendition would be for what its base is for.
func renderProblems(in api.NewRendition, of entry.Content) (wrong problem.List) {
	if in.Language == "" && in.Application == "" && in.Model == "" {
		wrong.Add("/language", "missing", "say for whom it is to be another: a language, an application or a model")
	}
	if in.Language != "" {
		if _, err := language.Parse(in.Language); err != nil {
			wrong.Add("/language", "language", "%q is no language; write a tag such as cy or pt-BR", in.Language)
		}
		if in.Language == of.Language {
			wrong.Add("/language", "same", "it is in %s already", in.Language)
		}
	}
	for facet, term := range map[string]string{"application": in.Application, "model": in.Model} {
		if term != "" && slices.Contains(of.Labels[facet], term) {
			wrong.Add("/"+facet, "same", "it is for %s already", term)
		}
	}
	return wrong
}

// derive makes an entry of another one's published version.
func (s *Service) derive(ctx context.Context, by work.Caller, slug, how string, derived bool, shape func(*work.Unit, store.Entry, *api.NewEntry) (store.Origin, error)) (api.Entry, error) {
	if err := mustMake(by); err != nil {
		return api.Entry{}, err
	}
	return numbered(derived, func(suffix string) (api.Entry, error) {
		return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
			of, v, err := shelved(u, slug)
			if err != nil {
				return api.Entry{}, err
			}
			if of.OriginHow == rendition && how == rendition {
				return api.Entry{}, work.Wrong("/of", "rendition", "%s is a rendition of %s itself; make one of that", of.Slug, of.OriginSlug)
			}
			req := api.NewEntry{Content: v.Content()}
			req.Code = ""
			if req.Labels == nil {
				req.Labels = map[string][]string{}
			}
			origin, err := shape(u, of, &req)
			if err != nil {
				return api.Entry{}, err
			}
			if req.Slug == "" {
				req.Slug = entry.SlugFor(req.Title)
			}
			req.Slug = withSuffix(req.Slug, suffix)
			if _, err := entry.ParseSlug(req.Slug); err != nil {
				return api.Entry{}, err
			}
			origin.OfID, origin.Number = of.ID, of.Published
			return createFrom(u, req, origin, v.ID)
		})
	})
}

// shelved gives an entry on the shelf with what is published of it, by any of its names.
func shelved(u *work.Unit, slug string) (store.Entry, store.Version, error) {
	if _, err := u.ShelvedID(slug, 0); err != nil {
		return store.Entry{}, store.Version{}, texts.OffShelf(u.Reader, err, slug, 0)
	}
	e, err := u.EntryBySlug(slug)
	if err != nil {
		return e, store.Version{}, err
	}
	v, err := u.Version(e.ID, e.Published)
	return e, v, err
}

// createFrom makes an entry that came of another. Where its text is a version of that, the
// writers of it are counted among its own.
func createFrom(u *work.Unit, req api.NewEntry, origin store.Origin, from int64) (api.Entry, error) {
	e, id, err := add(u, req)
	if err != nil {
		return api.Entry{}, err
	}
	origin.EntryID = e
	if err := u.AddOrigin(origin); err != nil {
		return api.Entry{}, err
	}
	if from != 0 {
		if err := u.AddWritersOf(from, id); err != nil {
			return api.Entry{}, err
		}
	}
	if origin.How == adaptation {
		// From here on only its owner sees it; they do in this unit too.
		if err := u.Look(u.By.ID); err != nil {
			return api.Entry{}, err
		}
		if err := u.Hide(e); err != nil {
			return api.Entry{}, err
		}
	}
	u.Record(entry.Begin, e, 1, map[string]any{"from": origin.How, "number": origin.Number})
	return texts.ReadAgain(u.Reader, u.By, req.Slug, 1)
}

// Share has an entry that was its owner's alone seen by those who see drafts.
func (s *Service) Share(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
			return api.Entry{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator shares %s", e.Slug), Possible: []entry.Action{}}
		}
		was, err := u.Share(e.ID)
		if err != nil {
			return api.Entry{}, err
		}
		if was {
			u.Record("share", e.ID, e.Open, nil)
		}
		return texts.ReadAgain(u.Reader, by, e.Slug, max(e.Open, e.Published))
	})
}

func mustMake(by work.Caller) error {
	if by.Role.Includes(entry.Contributor) {
		return nil
	}
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only contributors, reviewers and curators make entries; ask a curator for that role")}
}

// renditionOf gives what an entry that is brought as a rendition came of.
func renditionOf(u *work.Unit, slug string) (store.Origin, error) {
	of, _, err := shelved(u, slug)
	var gone *texts.Gone
	if errors.As(err, &gone) || errors.Is(err, work.ErrNotFound) {
		return store.Origin{}, work.Wrong("/rendition_of", "missing", "there is no %q on the shelf that this could be a rendition of", slug)
	}
	if err != nil {
		return store.Origin{}, err
	}
	if of.OriginHow == rendition {
		return store.Origin{}, work.Wrong("/rendition_of", "rendition", "%s is a rendition of %s itself; name that", of.Slug, of.OriginSlug)
	}
	return store.Origin{OfID: of.ID, How: rendition, Number: of.Published}, nil
}
