package writing

import (
	"context"
	"errors"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Clash means that someone else has saved since the caller last read. Now is the
// draft as it stands, and On the revision to save on next.
type Clash struct {
	Now api.Entry
	On  texts.Revision
}

func (c *Clash) Error() string { return c.Said().String() }

// Said gives what it says.
func (c *Clash) Said() message.Text {
	return message.Say("%s saved version %d of %s at %s, after you read it; your text was not saved. Read theirs, put the two together, and save again",
		c.Now.SavedByName, c.Now.Version, c.Now.Slug, message.Moment(c.Now.SavedAt))
}

// Draft is an open version with its revision, which a save must name.
type Draft struct {
	Entry    api.Entry
	Revision texts.Revision
}

// Draft gives the open version of an entry.
func (s *Service) Draft(ctx context.Context, by work.Caller, slug string) (Draft, error) {
	return work.See(ctx, s.db, func(v work.View) (Draft, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return Draft{}, err
		}
		if e.Open == 0 || !texts.MaySeeDrafts(by, e) {
			return Draft{}, work.MissingF("%s has no open version that you may see; begin the next one with PUT and If-None-Match: *", e.Slug)
		}
		return readDraft(v.Reader, by, e)
	})
}

func readDraft(r store.Reader, by work.Caller, e store.Entry) (Draft, error) {
	v, err := r.Version(e.ID, e.Open)
	if err != nil {
		return Draft{}, err
	}
	return Draft{texts.View(r, by, e, v), texts.RevisionOf(v)}, nil
}

// SaveDraft replaces the text of the draft that the caller last read as revision on;
// with the zero Revision it begins the next version. Labels that come with it are the
// entry's from then on; without any they stay. It returns a [Clash] if someone else
// has saved since, an [entry.Refusal] if the caller may not or the version is no
// draft, and a [problem.List] if the content does not hold. Saving what is there
// already changes nothing, on whichever revision.
func (s *Service) SaveDraft(ctx context.Context, by work.Caller, slug string, on texts.Revision, req api.NewEntry) (Draft, error) {
	if err := req.Content.Problems().Err(); err != nil {
		return Draft{}, err
	}
	if on != (texts.Revision{}) && (req.Slug == "" || req.Slug == slug) && req.Owner == "" && req.Deputy == "" {
		done, err := s.saves.Call(ctx, textSave{by, slug, on, req.Content})
		if err != nil || done.saved {
			return Draft{done.entry, texts.Revision{Version: on.Version, Revision: on.Revision + 1}}, err
		}
		if done.beaten {
			if d, err := s.beaten(ctx, by, slug, on, req); err != nil || d.Revision != (texts.Revision{}) {
				return d, err
			}
		}
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (Draft, error) { return save(u, slug, on, req) })
}

func save(u *work.Unit, slug string, on texts.Revision, req api.NewEntry) (Draft, error) {
	e, err := texts.Lock(u, slug)
	if err != nil {
		return Draft{}, err
	}
	if err := contentProblems(u, req.Content); err != nil {
		return Draft{}, err
	}
	if err := unchangeable(u, e, slug, req); err != nil {
		return Draft{}, err
	}
	return saveOn(u, e, on, req.Content)
}

// saveOn saves what was made of a revision of an entry's draft, or begins one.
func saveOn(u *work.Unit, e store.Entry, on texts.Revision, c entry.Content) (Draft, error) {
	if on != (texts.Revision{}) || e.Open > 0 {
		return saveOver(u, e, on, c)
	}
	if _, err := entry.Take(entry.Begin, u.By.Actor(), texts.Status(e)); err != nil {
		return Draft{}, err
	}
	if err := setLabels(u, e, c.Labels); err != nil {
		return Draft{}, err
	}
	if _, err := begin(u, e.ID, e.Newest+1, c, ""); err != nil {
		return Draft{}, err
	}
	e, err := u.EntryBySlug(e.Slug)
	if err != nil {
		return Draft{}, err
	}
	u.Record(entry.Begin, e.ID, e.Open, nil)
	return readDraft(u.Reader, u.By, e)
}

// setLabels gives an entry the labels that came with a text, if any did.
func setLabels(u *work.Unit, e store.Entry, labels map[string][]string) error {
	if labels == nil {
		return nil
	}
	return u.SetLabels([]store.Labels{{EntryID: e.ID, Labels: labels}})
}

// beaten says what is to be told to one whose draft is at another revision than they
// read, without holding up the others who save: a [Clash], or that what they wanted to
// save is there already, as after a lost answer. It gives nothing where there is more
// to say.
func (s *Service) beaten(ctx context.Context, by work.Caller, slug string, on texts.Revision, req api.NewEntry) (Draft, error) {
	return work.See(ctx, s.db, func(r work.View) (Draft, error) {
		e, err := texts.Seen(r.Reader, by, slug)
		if err != nil {
			return Draft{}, err
		}
		if _, err := entry.Take(entry.Save, by.Actor(), texts.Status(e)); err != nil {
			return Draft{}, nil
		}
		v, err := r.Version(e.ID, e.Open)
		if err != nil {
			return Draft{}, nil
		}
		now := Draft{texts.View(r.Reader, by, e, v), texts.RevisionOf(v)}
		switch {
		case on == now.Revision:
			return Draft{}, nil
		case saysTheSame(v, req.Content):
			return now, nil
		}
		return Draft{}, &Clash{Now: now.Entry, On: now.Revision}
	})
}

// saysTheSame says whether a version and the labels of its entry are what is to be saved.
func saysTheSame(v store.Version, c entry.Content) bool {
	return v.Content().Same(c) && (c.Labels == nil || texts.SameLabels(v.Labels.V, c.Labels))
}

// saveOver saves a draft and records it, or does nothing if it says the same.
func saveOver(u *work.Unit, e store.Entry, on texts.Revision, c entry.Content) (Draft, error) {
	if _, err := entry.Take(entry.Save, u.By.Actor(), texts.Status(e)); err != nil {
		return Draft{}, err
	}
	v, err := u.Version(e.ID, e.Open)
	if err != nil {
		return Draft{}, err
	}
	now := Draft{texts.View(u.Reader, u.By, e, v), texts.RevisionOf(v)}
	if saysTheSame(v, c) {
		return now, nil
	}
	if on != now.Revision {
		return Draft{}, &Clash{Now: now.Entry, On: now.Revision}
	}
	if c.Code != v.Code {
		if err := codeFree(u, c.Code, e.ID); err != nil {
			return Draft{}, err
		}
	}
	if err := setLabels(u, e, c.Labels); err != nil {
		return Draft{}, err
	}
	if err := u.SaveDrafts([]store.Draft{texts.DraftOf(v.ID, c)}, u.By.ID, u.Now()); err != nil {
		return Draft{}, err
	}
	u.Record(entry.Save, e.ID, v.Number, nil)
	return readDraft(u.Reader, u.By, e)
}

// unchangeable holds what a save says of kind, owner and deputy against what the entry
// has: those are not the draft's to change.
func unchangeable(u *work.Unit, e store.Entry, asked string, req api.NewEntry) error {
	var found problem.List
	if string(req.Kind) != e.Kind {
		found.Add("/kind", "kind", "%s is a %s, and an entry keeps its kind; make a new entry for a %s", e.Slug, e.Kind, req.Kind)
	}
	if req.Slug != "" && req.Slug != e.Slug && req.Slug != asked {
		found.Add("/slug", "slug", "this is %s; its slug does not change with a draft", e.Slug)
	}
	if of := req.RenditionOf; of != "" && (e.OriginHow != rendition || of != e.OriginSlug) {
		found.Add("/rendition_of", "rendition_of", "%s is no rendition of %s, and saving a draft does not make it one; leave it out", e.Slug, of)
	}
	for _, k := range []struct {
		field, name string
		id          int64
	}{{"owner", req.Owner, e.OwnerID}, {"deputy", req.Deputy, e.DeputyID}} {
		if k.name == "" {
			continue
		}
		if wrong := problem.Text("/"+k.field, k.name); wrong != nil {
			found = append(found, wrong...)
			continue
		}
		p, err := u.PersonByName(k.name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err != nil || p.ID != k.id {
			found.Add("/"+k.field, k.field, "%s is not the %s of %s, and saving a draft does not change that; leave it out, or transfer the entry", k.name, k.field, e.Slug)
		}
	}
	return found.Err()
}

// RestoreVersion begins the next version of an entry with the text of an old one.
// History is not rewritten.
func (s *Service) RestoreVersion(ctx context.Context, by work.Caller, slug string, number int) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		v, err := u.Version(e.ID, number)
		if err != nil {
			return api.Entry{}, work.Found(err, texts.NoVersion(slug, number))
		}
		if _, err := entry.Take(entry.Begin, by.Actor(), texts.Status(e)); err != nil {
			return api.Entry{}, err
		}
		id, err := begin(u, e.ID, e.Newest+1, v.Content(), fmt.Sprintf("The text of version %d again.", number))
		if err != nil {
			return api.Entry{}, err
		}
		// Whoever wrote it then does not approve it now.
		if err := u.AddWritersOf(v.ID, id); err != nil {
			return api.Entry{}, err
		}
		u.Record(entry.Begin, e.ID, e.Newest+1, map[string]any{"from": number})
		return texts.ReadAgain(u.Reader, by, slug, e.Newest+1)
	})
}
