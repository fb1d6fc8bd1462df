package gather

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// ErrNotEmpty means that a whole library was to be moved into one that has entries.
var ErrNotEmpty = message.Errorf("the library has entries already; a whole library is moved into an empty one. Import the bundle instead: what it brings comes as drafts")

// ErrNoCurator means that there is nobody yet to own what is moved in.
var ErrNoCurator = message.Errorf("the library has no curator yet; set it up first with goldshelfd setup")

// Load moves a whole library, a bundle or entry files, into an empty one, published as
// it was where it comes from. That is for whoever keeps the machine, on a connection of
// the database's owner: the service's own role may not. It is recorded as what it is.
// It returns [ErrNotEmpty], [ErrNoCurator], or a [problem.List] if any entry cannot
// come in.
func Load(ctx context.Context, db *work.DB, name string, data []byte) (api.Applied, error) {
	return work.Do(ctx, db, work.Service(), func(u *work.Unit) (api.Applied, error) {
		keeper, err := mayLoad(u)
		if err != nil {
			return api.Applied{}, err
		}
		plan, err := plan(u.Reader, &store.Import{Name: name, Data: data}, false)
		if err != nil {
			return api.Applied{}, err
		}
		var wrong problem.List
		for _, it := range plan.Items {
			for _, p := range it.Problems {
				p.Message = message.Say("%s: %s", it.Where, p.Message)
				wrong = append(wrong, p)
			}
		}
		if err := wrong.Err(); err != nil {
			return api.Applied{}, err
		}
		l := loader{applier{u: u, plan: plan, progress: &progress{}, out: api.Applied{Created: []string{}, Changed: []string{}}, owner: keeper.ID}}
		if err := bringPictures(u, plan.Reading.Format, data, l.plan.incoming); err != nil {
			return api.Applied{}, err
		}
		if err := l.run(); err != nil {
			return api.Applied{}, err
		}
		return l.out, u.Survey()
	})
}

// mayLoad gives the curator who owns what nobody here owned.
func mayLoad(u *work.Unit) (store.Person, error) {
	if err := u.MoveIn(); err != nil {
		return store.Person{}, err
	}
	has, err := u.HasEntries()
	if err != nil {
		return store.Person{}, err
	}
	if has {
		return store.Person{}, ErrNotEmpty
	}
	people, err := u.People()
	if err != nil {
		return store.Person{}, err
	}
	i := slices.IndexFunc(people, func(p store.Person) bool { return p.Active && entry.Role(p.Role) == entry.Curator })
	if i < 0 {
		return store.Person{}, ErrNoCurator
	}
	return people[i], nil
}

// loader moves a library in.
type loader struct{ applier }

func (l *loader) run() error {
	if err := l.addTerms(); err != nil {
		return err
	}
	if err := l.addSets(); err != nil {
		return err
	}
	for i := range l.plan.incoming {
		if in := &l.plan.incoming[i]; in.Whole == nil {
			in.Whole = l.published(*in)
		}
	}
	for part := range slices.Chunk(l.plan.incoming, batch) {
		if err := l.addWhole(part); err != nil {
			return err
		}
	}
	if err := addRenditions(l.u, l.plan.incoming); err != nil {
		return err
	}
	if err := l.retire(); err != nil {
		return err
	}
	l.u.Record("load", 0, 0, map[string]any{"from": l.plan.Name, "entries": len(l.plan.incoming)})
	return nil
}

// published is an entry file as a history of one published version.
func (l *loader) published(in bundle.Incoming) *bundle.Whole {
	now := l.u.Now()
	note := in.Note
	if note == "" {
		note = "As it was moved in."
	}
	return &bundle.Whole{Slug: in.Slug, Owner: in.Owner, Deputy: in.Deputy, Versions: []bundle.Version{{
		Number: 1, Content: in.Content,
		Life: bundle.Life{State: entry.Published, Note: note, CreatedAt: now, SavedAt: now, SubmittedAt: &now, PublishedAt: &now},
	}}}
}

// addWhole makes entries with all their versions: the first of each, then the second of
// each, and so on.
func (l *loader) addWhole(part []bundle.Incoming) error {
	ids, err := l.addEntries(part)
	if err != nil {
		return err
	}
	for round := 0; ; round++ {
		var now []bundle.Incoming
		for _, in := range part {
			if round < len(in.Whole.Versions) {
				now = append(now, in)
			}
		}
		if len(now) == 0 {
			break
		}
		if err := l.addVersions(now, ids, round); err != nil {
			return err
		}
	}
	for _, in := range part {
		if err := l.addSamples(ids[in.Slug], in); err != nil {
			return err
		}
		l.u.Record("load", ids[in.Slug], in.Whole.Newest().Number, map[string]any{"versions": len(in.Whole.Versions)})
		l.out.Created = append(l.out.Created, in.Slug)
	}
	return nil
}

// addVersions gives each of some entries one version of its history, by its place in it.
func (l *loader) addVersions(part []bundle.Incoming, ids map[string]int64, place int) error {
	versions := make([]store.NewVersion, len(part))
	for i, in := range part {
		v := in.Whole.Versions[place]
		versions[i] = store.NewVersion{EntryID: ids[in.Slug], Number: v.Number, Note: v.Note}
	}
	made, err := l.u.AddVersions(versions, l.owner, l.u.Now())
	if err != nil {
		return err
	}
	rows, histories := make([]store.Draft, len(part)), make([]store.History, len(part))
	for i, in := range part {
		v := in.Whole.Versions[place]
		id := made[ids[in.Slug]]
		rows[i] = texts.DraftOf(id, v.Content)
		if v.State == entry.Superseded {
			rows[i].Print.Bands, rows[i].Print.Units = nil, nil
		}
		histories[i] = historyOf(id, v)
	}
	if err := l.u.SaveDrafts(rows, l.owner, l.u.Now()); err != nil {
		return err
	}
	p, err := texts.Policy(l.u.Reader)
	if err != nil {
		return err
	}
	err = l.u.Settle(histories, l.owner, p.Review.KeepDays())
	if errors.Is(err, store.ErrTaken) {
		return work.Wrong("", "taken", "two entries have one short code; correct the bundle")
	}
	return err
}

// historyOf is what became of a version where it comes from. What was open there is a
// draft here: an approval there is none here.
func historyOf(id int64, v bundle.Version) store.History {
	h := store.History{
		ID: id, State: string(v.State), Note: v.Note, CreatedAt: v.CreatedAt, SavedAt: v.SavedAt, SubmittedAt: v.SubmittedAt, PublishedAt: v.PublishedAt,
		Origin: map[string]any{},
	}
	if v.State.Open() {
		h.State, h.SubmittedAt = string(entry.Draft), nil
		v.SubmittedBy, v.Approvals = "", nil
	}
	for name, who := range map[string]string{"author": v.Author, "submitted_by": v.SubmittedBy, "published_by": v.PublishedBy} {
		if who != "" {
			h.Origin[name] = who
		}
	}
	if len(v.Approvals) > 0 {
		h.Origin["approvals"] = v.Approvals
	}
	return h
}

// retire takes off the shelf what was off it where it came from.
func (l *loader) retire() error {
	for _, in := range l.plan.incoming {
		r := in.Whole.Retired
		if r == nil {
			continue
		}
		e, err := l.u.EntryBySlug(in.Slug)
		if err != nil {
			return err
		}
		if e.Shelf != string(entry.Retired) {
			return fmt.Errorf("%s is retired, and none of its versions is", in.Slug)
		}
		instead := int64(0)
		if r.Instead != "" {
			if other, err := l.u.EntryBySlug(r.Instead); err == nil {
				instead = other.ID
			}
		}
		if err := l.u.Retire(e.ID, l.owner, r.At, r.Because, instead); err != nil {
			return err
		}
	}
	return nil
}
