package library

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/likeness"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// Create makes an entry with a first draft, owned by the caller unless a
// curator names someone else. It returns a [problem.List] if the content does
// not hold, an [entry.Refusal] if the caller makes no entries, and [Taken] if
// the slug or the short code is in use.
func (l *Library) Create(ctx context.Context, by Caller, req api.NewEntry) (created api.Entry, err error) {
	if !by.Role.Includes(entry.Contributor) {
		return created, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only contributors, reviewers and curators make entries; ask a curator for that role"}
	}
	derived := req.Slug == ""
	if derived {
		if req.Slug = entry.SlugFor(req.Title); req.Slug == "" {
			return created, problem.List{{Field: "/slug", Code: "missing", Message: "give a slug, or a title that one can be made from"}}
		}
	} else if _, err := entry.ParseSlug(req.Slug); err != nil {
		return created, err
	}
	if err := l.contentProblems(ctx, req.Content).Err(); err != nil {
		return created, err
	}
	base := req.Slug
	for n := 2; ; n++ {
		created, err = l.create(ctx, by, req)
		var taken *Taken
		if !derived || n > 50 || !errors.As(err, &taken) || taken.What != slugTaken(req.Slug) {
			return created, err
		}
		req.Slug = fmt.Sprintf("%s-%d", base, n)
	}
}

func (l *Library) create(ctx context.Context, by Caller, req api.NewEntry) (created api.Entry, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		keepers, err := l.keepers(ctx, tx.Reader, by, req)
		if err != nil {
			return err
		}
		now := l.now()
		department, err := home(ctx, tx.Reader, req.Labels, keepers[0])
		if err != nil {
			return err
		}
		row := store.Entry{Slug: req.Slug, Kind: string(req.Kind), OwnerID: keepers[0], DeputyID: keepers[1], Department: department}
		if row.ID, err = tx.AddEntry(ctx, row, by.ID, now); err != nil {
			if errors.Is(err, store.ErrTaken) {
				return &Taken{slugTaken(req.Slug)}
			}
			return err
		}
		if err := l.begin(ctx, tx, by, row.ID, 1, req.Content); err != nil {
			return err
		}
		if created, err = l.read(ctx, tx.Reader, by, req.Slug, 1); err != nil {
			return err
		}
		return l.record(ctx, tx, by, string(entry.Begin), row.ID, 1, nil)
	})
	return created, err
}

// home is the department that a new entry belongs to: the first that it is
// labelled with, or else its owner's.
func home(ctx context.Context, r store.Reader, labels map[string][]string, owner int64) (string, error) {
	if of := labels["department"]; len(of) > 0 {
		return of[0], nil
	}
	people, err := r.People(ctx)
	for _, p := range people {
		if p.ID == owner {
			return p.Department, err
		}
	}
	return "", err
}

func slugTaken(slug string) string {
	return fmt.Sprintf("there is an entry %s already; change that one, or choose another slug", slug)
}

// keepers gives the ids of the owner and the deputy that a new entry asks for.
func (l *Library) keepers(ctx context.Context, r store.Reader, by Caller, req api.NewEntry) (ids [2]int64, err error) {
	ids[0] = by.ID
	var found problem.List
	for i, k := range []struct{ field, name string }{{"owner", req.Owner}, {"deputy", req.Deputy}} {
		if k.name == "" {
			continue
		}
		p, err := r.PersonByName(ctx, k.name)
		switch {
		case errors.Is(err, store.ErrNotFound), err == nil && !p.Active:
			found.Add("/"+k.field, "person", "there is nobody called %q who could be its %s", k.name, k.field)
		case err != nil:
			return ids, err
		case k.field == "owner" && p.ID != by.ID && by.Role != entry.Curator:
			found.Add("/owner", "owner", "you make %s, so you own it; hand it over to %s afterwards, or leave the owner out", req.Slug, k.name)
		default:
			ids[i] = p.ID
		}
	}
	if ids[0] == ids[1] {
		found.Add("/deputy", "person", "owner and deputy are the same person; name two")
	}
	return ids, found.Err()
}

// begin makes an entry's next version as a draft. The caller records it.
func (l *Library) begin(ctx context.Context, tx store.Tx, by Caller, entryID int64, number int, c entry.Content) error {
	if err := l.codeFree(ctx, tx, c.Code, entryID); err != nil {
		return err
	}
	now := l.now()
	id, err := tx.AddVersion(ctx, entryID, number, by.ID, now)
	if err != nil {
		return err
	}
	return tx.SaveDrafts(ctx, []store.Draft{draftOf(id, c)}, by.ID, now)
}

// draftOf is a version's text as the store keeps it.
func draftOf(id int64, c entry.Content) store.Draft {
	return store.Draft{ID: id, Content: c, Mentions: mentions(c), Parts: partsOf(c), Print: likeness.Read(c.Body).Print()}
}

// partsOf is a hash of a content's blanks and labels and of what it names: what
// lies beside its text.
func partsOf(c entry.Content) string {
	n := normal(c)
	data, err := json.Marshal([]any{n.Blanks, n.Labels, mentions(c)})
	if err != nil {
		return "" // not known: it is never taken for the same
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// contentProblems says what keeps content from being saved.
func (l *Library) contentProblems(ctx context.Context, c entry.Content) problem.List {
	found := c.Problems()
	if len(c.Labels) == 0 {
		return found
	}
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return append(found, problem.Problem{Field: "/labels", Code: "label", Message: "the labels could not be looked up: try again"})
	}
	return append(found, labelProblems(c.Labels, terms)...)
}

func (l *Library) codeFree(ctx context.Context, tx store.Tx, code string, entryID int64) error {
	if code == "" {
		return nil
	}
	slug, err := tx.CodeHolder(ctx, code, entryID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return problem.List{{Field: "/code", Code: "taken", Message: fmt.Sprintf("%s has the short code %s; choose another", slug, code)}}
}

// mentions lists what content names: includes, its recommended stack, steps.
func mentions(c entry.Content) []store.Mention {
	var all []store.Mention
	if src, err := c.Parsed("", 0); err == nil {
		for _, ref := range src.Text.Includes() {
			all = append(all, store.Mention{How: "include", Slug: ref.Entry, Number: ref.Version})
		}
	}
	if c.Persona != "" {
		all = append(all, store.Mention{How: "persona", Slug: c.Persona})
	}
	if c.Style != "" {
		all = append(all, store.Mention{How: "style", Slug: c.Style})
	}
	for _, s := range c.Sheets {
		all = append(all, store.Mention{How: "sheet", Slug: s})
	}
	for _, s := range c.Steps {
		all = append(all, store.Mention{How: "step", Slug: s.Use})
	}
	return all
}

// Entry gives an entry by its open version if the caller may see one, and else
// by its published version.
func (l *Library) Entry(ctx context.Context, by Caller, slug string) (api.Entry, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Entry{}, err
	}
	number := e.Published
	if e.Open > 0 && entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		number = e.Open
	}
	return l.read(ctx, l.db.Reader, by, e.Slug, number)
}

// Draft gives the open version with its revision, which a save must name.
func (l *Library) Draft(ctx context.Context, by Caller, slug string) (api.Entry, Revision, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Entry{}, Revision{}, err
	}
	if e.Open == 0 || !entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		return api.Entry{}, Revision{}, &Missing{fmt.Sprintf("%s has no open version that you may see; begin the next one with PUT and If-None-Match: *", e.Slug)}
	}
	return l.draft(ctx, l.db.Reader, by, e)
}

func (l *Library) draft(ctx context.Context, r store.Reader, by Caller, e store.Entry) (api.Entry, Revision, error) {
	v, err := r.Version(ctx, e.ID, e.Open)
	if err != nil {
		return api.Entry{}, Revision{}, err
	}
	return l.view(by, e, v), Revision{v.Number, v.Revision}, nil
}

// Revision names one saved state of one version. The zero Revision stands for
// an entry that has no open version.
type Revision struct{ Version, Revision int }

// SaveDraft replaces the text of the draft that the caller last read as
// revision on; with the zero Revision it begins the next version. It returns
// a [Clash] if someone else has saved since, an [entry.Refusal] if the caller
// may not or the version is no draft, and a [problem.List] if the content does
// not hold. Saving what is there already changes nothing.
func (l *Library) SaveDraft(ctx context.Context, by Caller, slug string, on Revision, req api.NewEntry) (saved api.Entry, now Revision, err error) {
	if err := l.contentProblems(ctx, req.Content).Err(); err != nil {
		return saved, now, err
	}
	if on != (Revision{}) && (req.Slug == "" || req.Slug == slug) && req.Owner == "" && req.Deputy == "" {
		done, err := l.saves.call(ctx, textSave{by, slug, on, req.Content})
		if err != nil || done.saved {
			return done.entry, Revision{on.Version, on.Revision + 1}, err
		}
		if done.beaten {
			if err := l.clash(ctx, by, slug, on); err != nil {
				return saved, now, err
			}
		}
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return err
		}
		if err := l.unchangeable(ctx, tx, e, req); err != nil {
			return err
		}
		if on != (Revision{}) || e.Open > 0 {
			saved, now, err = l.saveOver(ctx, tx, by, e, on, req.Content)
			return err
		}
		if err := l.beginNext(ctx, tx, by, e, req.Content); err != nil {
			return err
		}
		if e, err = tx.EntryBySlug(ctx, slug); err != nil {
			return err
		}
		if saved, now, err = l.draft(ctx, tx.Reader, by, e); err != nil {
			return err
		}
		return l.record(ctx, tx, by, string(entry.Begin), e.ID, e.Open, nil)
	})
	return saved, now, err
}

// clash gives the [Clash] of who would save over what someone else has saved since,
// without holding up the others who save. It is nil where there is none, and where
// there is more to say.
func (l *Library) clash(ctx context.Context, by Caller, slug string, on Revision) error {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return err
	}
	if _, err := entry.Take(entry.Save, by.actor(), standing(e, nil)); err != nil {
		return nil
	}
	v, err := l.db.Version(ctx, e.ID, e.Open)
	if err != nil {
		return nil
	}
	now := Revision{v.Number, v.Revision}
	if on == now {
		return nil
	}
	return &Clash{Now: l.view(by, e, v), On: now}
}

// beginNext begins an entry's next version. The caller records it.
func (l *Library) beginNext(ctx context.Context, tx store.Tx, by Caller, e store.Entry, c entry.Content) error {
	if _, err := entry.Take(entry.Begin, by.actor(), standing(e, nil)); err != nil {
		return err
	}
	return l.begin(ctx, tx, by, e.ID, e.Newest+1, c)
}

// saveOver saves a draft and records it, or does nothing if it says the same.
func (l *Library) saveOver(ctx context.Context, tx store.Tx, by Caller, e store.Entry, on Revision, c entry.Content) (api.Entry, Revision, error) {
	refuse := func(err error) (api.Entry, Revision, error) { return api.Entry{}, Revision{}, err }
	if _, err := entry.Take(entry.Save, by.actor(), standing(e, nil)); err != nil {
		return refuse(err)
	}
	v, err := tx.Version(ctx, e.ID, e.Open)
	if err != nil {
		return refuse(err)
	}
	now := Revision{v.Number, v.Revision}
	if on != now {
		return refuse(&Clash{Now: l.view(by, e, v), On: now})
	}
	if same(v.Content(), c) {
		return l.view(by, e, v), now, nil
	}
	if c.Code != v.Code {
		if err := l.codeFree(ctx, tx, c.Code, e.ID); err != nil {
			return refuse(err)
		}
	}
	at := l.now()
	if err := tx.SaveDrafts(ctx, []store.Draft{draftOf(v.ID, c)}, by.ID, at); err != nil {
		return refuse(err)
	}
	v.SetContent(c)
	v.Revision, v.Saver, v.SaverName, v.SavedAt = v.Revision+1, by.Name, by.FullName, at
	return l.view(by, e, v), Revision{v.Number, v.Revision}, l.record(ctx, tx, by, string(entry.Save), e.ID, v.Number, nil)
}

// deriveAtOnce is how many drafts are worked through in one transaction.
const deriveAtOnce = 200

// derive works out what drafts are found by that were saved since: whoever searches
// finds them by what they say now.
func (l *Library) derive(ctx context.Context) error {
	for {
		versions, err := l.db.Underived(ctx, deriveAtOnce)
		if err != nil || len(versions) == 0 {
			return err
		}
		all := make([]store.Derived, len(versions))
		for i, v := range versions {
			all[i] = store.Derived{ID: v.ID, Revision: v.Revision, Print: likeness.Read(v.Body).Print()}
		}
		err = l.db.Change(ctx, func(tx store.Tx) error { return tx.Derive(ctx, all) })
		if err != nil || len(versions) < deriveAtOnce {
			return err
		}
	}
}

// unchangeable holds what a save says of kind, owner and deputy against what
// the entry has: those are not the draft's to change.
func (l *Library) unchangeable(ctx context.Context, tx store.Tx, e store.Entry, req api.NewEntry) error {
	var found problem.List
	if string(req.Kind) != e.Kind {
		found.Add("/kind", "kind", "%s is a %s, and an entry keeps its kind; make a new entry for a %s", e.Slug, e.Kind, req.Kind)
	}
	if req.Slug != "" && req.Slug != e.Slug {
		found.Add("/slug", "slug", "this is %s; its slug does not change with a draft", e.Slug)
	}
	for _, k := range []struct {
		field, name string
		id          int64
	}{{"owner", req.Owner, e.OwnerID}, {"deputy", req.Deputy, e.DeputyID}} {
		if k.name == "" {
			continue
		}
		p, err := tx.PersonByName(ctx, k.name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err != nil || p.ID != k.id {
			found.Add("/"+k.field, k.field, "%s is not the %s of %s, and saving a draft does not change that; leave it out, or hand the entry over", k.name, k.field, e.Slug)
		}
	}
	return found.Err()
}

// same says whether two contents are the same to their readers.
func same(a, b entry.Content) bool {
	x, err1 := json.Marshal(normal(a))
	y, err2 := json.Marshal(normal(b))
	return err1 == nil && err2 == nil && bytes.Equal(x, y)
}

// normal writes what is empty in one way.
func normal(c entry.Content) entry.Content {
	labels := map[string][]string{}
	for facet, terms := range c.Labels {
		if len(terms) > 0 {
			labels[facet] = terms
		}
	}
	c.Labels = labels
	if len(c.Blanks) == 0 {
		c.Blanks = nil
	}
	return c
}

// historyLimit is how many versions a page of a history has unless another number
// is asked for.
const historyLimit = 50

// History gives a page of the versions that the caller may see, newest first: all
// of them to those who may see drafts, and to others those that were published.
func (l *Library) History(ctx context.Context, by Caller, slug string, limit int, cursor string) (api.Versions, error) {
	before, err := numberCursor(cursor)
	if err != nil {
		return api.Versions{}, err
	}
	if limit <= 0 || limit > mostLimit {
		limit = historyLimit
	}
	out, err := l.history(ctx, by, slug, int(before), limit+1)
	out.Items, out.Next = pageOf(out.Items, limit, func(v api.Entry) int64 { return int64(v.Version) })
	return out, err
}

// history gives the versions that the caller may see below a number and so many at
// most, newest first; 0 is all.
func (l *Library) history(ctx context.Context, by Caller, slug string, before, limit int) (api.Versions, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Versions{}, err
	}
	rows, err := l.db.Versions(ctx, e.ID, entry.MaySeeDrafts(by.actor(), standing(e, nil)), before, limit)
	if err != nil {
		return api.Versions{}, err
	}
	out := api.Versions{Items: make([]api.Entry, len(rows))}
	for i, v := range rows {
		out.Items[i] = l.view(by, e, v)
	}
	return out, nil
}

// Version gives one version that the caller may see.
func (l *Library) Version(ctx context.Context, by Caller, slug string, number int) (api.Entry, error) {
	e, err := l.seeing(ctx, l.db.Reader, by, slug)
	if err != nil {
		return api.Entry{}, err
	}
	out, err := l.read(ctx, l.db.Reader, by, e.Slug, number)
	if err == nil && out.PublishedAt == nil && !entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		return api.Entry{}, &Missing{fmt.Sprintf("%s has no version %d that you may see", slug, number)}
	}
	return out, err
}
