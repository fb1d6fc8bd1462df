// Package writing has the use cases of whoever writes: entries made, drafts saved,
// texts previewed and checked before they are submitted, and what a new entry can
// begin with.
package writing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db    *work.DB
	saves work.Batch[textSave, textSaved]
}

// New gives the use cases on a library.
func New(db *work.DB) *Service {
	s := &Service{db: db}
	s.saves.Do = s.saveTexts
	return s
}

// mostSuffixes is how many slugs are tried where one that is made from a title is in
// use.
const mostSuffixes = 50

// Create makes an entry with a first draft, owned by the caller unless a curator names
// someone else. It returns a [problem.List] if the content does not hold, an
// [entry.Refusal] if the caller makes no entries, and [work.Taken] if the slug or the
// short code is in use.
func (s *Service) Create(ctx context.Context, by work.Caller, req api.NewEntry) (api.Entry, error) {
	if err := mustMake(by); err != nil {
		return api.Entry{}, err
	}
	derived := req.Slug == ""
	if derived {
		if req.Slug = entry.SlugFor(req.Title); req.Slug == "" {
			return api.Entry{}, work.Wrong("/slug", "missing", "give a slug, or a title that one can be made from")
		}
	} else if _, err := entry.ParseSlug(req.Slug); err != nil {
		return api.Entry{}, err
	}
	return numbered(derived, func(suffix string) (api.Entry, error) {
		req := req
		req.Slug = withSuffix(req.Slug, suffix)
		return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) { return create(u, req) })
	})
}

// numbered makes an entry; one whose slug was made for it, and is taken, gets a number
// behind that.
func numbered(derived bool, do func(suffix string) (api.Entry, error)) (api.Entry, error) {
	suffix := ""
	for n := 2; ; n++ {
		created, err := do(suffix)
		var taken *slugTaken
		if !derived || n > mostSuffixes || !errors.As(err, &taken) {
			return created, err
		}
		suffix = fmt.Sprintf("-%d", n)
	}
}

func withSuffix(slug, suffix string) string {
	return strings.TrimRight(slug[:min(len(slug), entry.MaxSlug-len(suffix))], "-") + suffix
}

// slugTaken is a [work.Taken] of a slug.
type slugTaken struct{ work.Taken }

func (t *slugTaken) Unwrap() error { return &t.Taken }

func create(u *work.Unit, req api.NewEntry) (api.Entry, error) {
	if req.RenditionOf != "" {
		origin, err := renditionOf(u, req.RenditionOf)
		if err != nil {
			return api.Entry{}, err
		}
		return createFrom(u, req, origin, 0)
	}
	id, _, err := add(u, req)
	if err != nil {
		return api.Entry{}, err
	}
	u.Record(entry.Begin, id, 1, nil)
	return texts.ReadAgain(u.Reader, u.By, req.Slug, 1)
}

// add adds an entry with its first draft, and gives their ids.
func add(u *work.Unit, req api.NewEntry) (id, version int64, err error) {
	if err := contentProblems(u, req.Content); err != nil {
		return 0, 0, err
	}
	if len(req.Labels) > 0 {
		terms, err := u.Terms()
		if err != nil {
			return 0, 0, err
		}
		if req.Labels, err = texts.CurrentLabels(u.Reader, req.Labels, terms); err != nil {
			return 0, 0, err
		}
	}
	owners, err := ownersOf(u, req)
	if err != nil {
		return 0, 0, err
	}
	department, err := home(u.Reader, req.Labels, owners[0])
	if err != nil {
		return 0, 0, err
	}
	row := store.Entry{Slug: req.Slug, Kind: string(req.Kind), OwnerID: owners[0], DeputyID: owners[1], Department: department}
	if row.ID, err = u.AddEntry(row, u.By.ID, u.Now()); err != nil {
		if errors.Is(err, store.ErrTaken) {
			return 0, 0, &slugTaken{work.Taken{What: message.Say("there is an entry %s already; change that one, or choose another slug", req.Slug)}}
		}
		return 0, 0, err
	}
	if err := u.FirstLabels([]store.Labels{{EntryID: row.ID, Labels: req.Labels}}); err != nil {
		return 0, 0, err
	}
	version, err = begin(u, row.ID, 1, req.Content, "")
	return row.ID, version, err
}

// home is the department that a new entry belongs to: the first that it is labelled
// with, or else its owner's.
func home(r store.Reader, labels map[string][]string, owner int64) (string, error) {
	if of := labels["department"]; len(of) > 0 {
		return of[0], nil
	}
	people, err := r.People()
	for _, p := range people {
		if p.ID == owner {
			return p.Department, err
		}
	}
	return "", err
}

// ownersOf gives the ids of the owner and the deputy that a new entry asks for.
func ownersOf(u *work.Unit, req api.NewEntry) (ids [2]int64, err error) {
	ids[0] = u.By.ID
	var found problem.List
	for i, k := range []struct{ field, name string }{{"owner", req.Owner}, {"deputy", req.Deputy}} {
		if k.name == "" {
			continue
		}
		if wrong := problem.Text("/"+k.field, k.name); wrong != nil {
			found = append(found, wrong...)
			continue
		}
		p, err := u.PersonByName(k.name)
		switch {
		case errors.Is(err, store.ErrNotFound), err == nil && !(p.Active && entry.Role(p.Role).Includes(entry.Contributor)):
			found.Add("/"+k.field, "person", "there is nobody called %q who could be its %s", k.name, k.field)
		case err != nil:
			return ids, err
		case k.field == "owner" && p.ID != u.By.ID && u.By.Role != entry.Curator:
			found.Add("/owner", "owner", "you make %s, so you own it; transfer it to %s afterwards, or leave the owner out", req.Slug, k.name)
		default:
			ids[i] = p.ID
		}
	}
	if ids[0] == ids[1] {
		found.Add("/deputy", "person", "owner and deputy are the same person; name two")
	}
	return ids, found.Err()
}

// begin makes an entry's next version as a draft, with a note or none, and gives its id.
// The caller records it.
func begin(u *work.Unit, entryID int64, number int, c entry.Content, note string) (id int64, err error) {
	if err := codeFree(u, c.Code, entryID); err != nil {
		return 0, err
	}
	if id, err = u.AddVersion(entryID, number, u.By.ID, u.Now()); err != nil {
		return 0, err
	}
	if err := u.SaveDrafts([]store.Draft{texts.DraftOf(id, c)}, u.By.ID, u.Now()); err != nil {
		return 0, err
	}
	return id, u.SetNote(id, note)
}

// contentProblems says what keeps content from being saved, or why that cannot be said.
func contentProblems(u *work.Unit, c entry.Content) error {
	found := c.Problems()
	if len(c.Labels) > 0 {
		terms, err := u.Terms()
		if err != nil {
			return err
		}
		labels, err := texts.CurrentLabels(u.Reader, c.Labels, terms)
		if err != nil {
			return err
		}
		found = append(found, texts.LabellingProblems(labels, terms)...)
	}
	if c.Set != "" && found == nil {
		missing, err := texts.SetProblems(u.Reader, c)
		if err != nil {
			return err
		}
		found = append(found, missing...)
	}
	ids := make([]string, len(c.Pictures))
	for i, p := range c.Pictures {
		ids[i] = p.ID
	}
	if len(ids) > 0 {
		there, err := u.KeepPictures(ids)
		if err != nil {
			return err
		}
		for i, id := range ids {
			if !slices.Contains(there, id) && len(id) == 64 {
				found.Add(problem.Pointer("pictures", i, "id"), "missing", "picture %d is not here; bring it first, and name it by the id that it gets", i+1)
			}
		}
	}
	return found.Err()
}

func codeFree(u *work.Unit, code string, entryID int64) error {
	if code == "" {
		return nil
	}
	slug, err := u.CodeHolder(code, entryID, u.By.Sight())
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return work.Wrong("/code", "taken", "%s has the short code %s; choose another", slug, code)
}
