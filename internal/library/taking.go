package library

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// progress says how far an import is, while it runs.
type progress struct{ done, all atomic.Int64 }

// Progress gives how many entries of an import have been taken in, and of how
// many; all is 0 where none is under way.
func (l *Library) Progress(by Caller, id string) api.Progress {
	p, ok := l.taking.Load(fmt.Sprintf("%d %s", by.ID, id))
	if !ok {
		return api.Progress{}
	}
	return api.Progress{Done: int(p.(*progress).done.Load()), All: int(p.(*progress).all.Load())}
}

const (
	batch     = 250 // how many entries go to the database at once
	manyTaken = 500 // how many that come in at once are a large part of a library
)

// Take carries a plan out, all of it or nothing, and forgets what was brought.
// Choices say of single entries what is to become of them, where that is not what
// the plan says. It returns [Superseded] if the library has changed since the
// plan was made, and a [problem.List] if a choice cannot be.
func (l *Library) Take(ctx context.Context, by Caller, id string, req api.TakeRequest) (api.Taken, error) {
	if err := importer(by); err != nil {
		return api.Taken{}, err
	}
	key := fmt.Sprintf("%d %s", by.ID, id)
	p := &progress{}
	if _, running := l.taking.LoadOrStore(key, p); running {
		return api.Taken{}, &Taken{"this import is being taken in; wait for it"}
	}
	defer l.taking.Delete(key)
	by.Via = "import"
	out := api.Taken{Made: []string{}, Changed: []string{}}
	err := l.db.Change(ctx, func(tx store.Tx) error {
		in, err := l.brought(ctx, tx.Reader, by, id)
		if err != nil {
			return err
		}
		plan, err := l.plan(ctx, tx.Reader, &in, false)
		if err != nil {
			return err
		}
		if req.Digest != plan.Digest {
			return &Superseded{"the library has changed since this plan was made; read the plan again, and choose again"}
		}
		t := taker{l: l, tx: tx, by: by, now: l.now(), plan: plan, out: &out, progress: p}
		if err := t.choose(req); err != nil {
			return err
		}
		if err := t.run(ctx); err != nil {
			return err
		}
		if len(out.Made)+len(out.Changed) >= manyTaken {
			if err := tx.Survey(ctx); err != nil {
				return err
			}
		}
		return tx.DropImport(ctx, id, l.now().Add(-importsLast))
	})
	if err != nil {
		return api.Taken{}, err
	}
	return out, nil
}

// taker carries one plan out.
type taker struct {
	l        *Library
	tx       store.Tx
	by       Caller
	now      time.Time
	plan     planned
	out      *api.Taken
	progress *progress
	add      []bundle.Incoming // new entries
	change   []bundle.Incoming // next versions, or changes of drafts
	events   []store.Event
}

// choose sorts what comes in by what is to become of it.
func (t *taker) choose(req api.TakeRequest) error {
	of := map[int]api.Choice{}
	var wrong problem.List
	slugs := map[string]bool{}
	for _, c := range req.Choices {
		if c.Number < 0 || c.Number >= len(t.plan.Items) {
			wrong.Add("/choices", "number", "the plan has no entry %d", c.Number)
		}
		of[c.Number] = c
	}
	for i, it := range t.plan.Items {
		in := t.plan.incoming[i]
		do := api.Skip
		if it.Take {
			do = api.TakeIt
		}
		c, chosen := of[i]
		if chosen {
			do = c.Do
		}
		at := problem.Pointer("choices", i)
		if do != api.Skip && (req.Turn || c.Turn) && it.Places > 0 {
			turn(&in.Content)
		}
		switch {
		case do == api.Skip:
			t.out.Skipped++
			continue
		case do != api.TakeIt && do != api.Both:
			wrong.Add(at+"/do", "choice", "%q cannot be done with %s; take it, skip it, or keep both", do, in.Slug)
		case it.State == api.PlanWrong && do == api.TakeIt, it.State == api.PlanWrong && !(len(it.Problems) == 1 && slices.Contains([]string{"kind", "locked", "twice"}, it.Problems[0].Code)):
			wrong.Add(at, "wrong", "%s cannot come in: %s", in.Where, it.Problems[0].Message)
		case do == api.Both:
			if _, err := entry.ParseSlug(c.Slug); err != nil || c.Slug == in.Slug {
				wrong.Add(at+"/slug", "slug", "to keep both, give %s another slug", in.Slug)
				continue
			}
			in.Slug = c.Slug
			if in.Whole != nil {
				own := *in.Whole
				own.Slug = c.Slug
				in.Whole = &own
			}
			in.Code = ""
			t.add = append(t.add, in)
		case it.State == api.PlanNew || it.State == api.PlanAlikeState:
			t.add = append(t.add, in)
		default:
			t.change = append(t.change, in)
		}
		if slugs[in.Slug] {
			wrong.Add(at+"/slug", "twice", "two entries would have the slug %s", in.Slug)
		}
		slugs[in.Slug] = true
	}
	t.progress.all.Store(int64(len(t.add) + len(t.change)))
	return wrong.Err()
}

// turn makes blanks of all places of a text.
func turn(c *entry.Content) {
	body, blanks := places.Turn(c.Body, places.Find(c.Body))
	c.Body = body
	for _, b := range blanks {
		if !slices.ContainsFunc(c.Blanks, func(have fill.Blank) bool { return have.Name == b.Name }) {
			c.Blanks = append(c.Blanks, b)
		}
	}
}

func (t *taker) run(ctx context.Context) error {
	for _, term := range t.plan.terms {
		if err := t.tx.AddTerm(ctx, term); err != nil && !errors.Is(err, store.ErrTaken) {
			return err
		}
	}
	var whole []bundle.Incoming
	var plain []bundle.Incoming
	for _, in := range t.add {
		if in.Whole != nil {
			whole = append(whole, in)
		} else {
			plain = append(plain, in)
		}
	}
	for _, part := range chunks(plain, batch) {
		if err := t.addDrafts(ctx, part); err != nil {
			return err
		}
	}
	for _, part := range chunks(whole, batch) {
		if err := t.addWhole(ctx, part); err != nil {
			return err
		}
	}
	for _, in := range t.change {
		if err := t.changeOne(ctx, in); err != nil {
			return err
		}
		t.progress.done.Add(1)
	}
	if err := t.retire(ctx, whole); err != nil {
		return err
	}
	for _, part := range chunks(t.events, 1000) {
		if err := t.tx.AddEvents(ctx, part); err != nil {
			return err
		}
	}
	return nil
}

func (t *taker) event(entryID int64, number int, in bundle.Incoming) {
	t.events = append(t.events, store.Event{
		At: t.now, By: t.by.ID, Via: t.by.Via, Action: "import", EntryID: entryID, Number: number, Detail: map[string]any{"where": in.Where},
	})
}

// addEntries makes entries without versions. Those of a bundle belong to whom
// they belonged to, if such a person is here.
func (t *taker) addEntries(ctx context.Context, part []bundle.Incoming) (map[string]int64, error) {
	people, err := t.tx.People(ctx)
	if err != nil {
		return nil, err
	}
	rows := make([]store.NewEntry, len(part))
	for i, in := range part {
		rows[i] = store.NewEntry{Slug: in.Slug, Kind: string(in.Kind), OwnerID: t.by.ID}
		labels := in.Labels
		if in.Whole != nil {
			labels = in.Whole.Versions[len(in.Whole.Versions)-1].Labels
		}
		for _, p := range people {
			if in.Whole != nil && p.Name == in.Whole.Owner && p.Active {
				rows[i].OwnerID = p.ID
			}
		}
		for _, p := range people {
			if p.ID == rows[i].OwnerID {
				rows[i].Department = p.Department
			}
		}
		if of := labels["department"]; len(of) > 0 {
			rows[i].Department = of[0]
		}
	}
	ids, err := t.tx.AddEntries(ctx, rows, t.by.ID, t.now)
	if errors.Is(err, store.ErrTaken) {
		return nil, &Taken{"one of the slugs to be added is in use by now, or was chosen twice; read the plan again"}
	}
	return ids, err
}

// addDrafts makes entries, each with its first draft.
func (t *taker) addDrafts(ctx context.Context, part []bundle.Incoming) error {
	ids, err := t.addEntries(ctx, part)
	if err != nil {
		return err
	}
	versions := make([]store.NewVersion, len(part))
	for i, in := range part {
		versions[i] = store.NewVersion{EntryID: ids[in.Slug], Number: 1, Note: in.Note}
	}
	drafts, err := t.tx.AddVersions(ctx, versions, t.by.ID, t.now)
	if err != nil {
		return err
	}
	rows := make([]store.Draft, len(part))
	var wg sync.WaitGroup
	for i, in := range part {
		wg.Go(func() { rows[i] = draftOf(drafts[ids[in.Slug]], in.Content) })
		t.event(ids[in.Slug], 1, in)
		t.out.Made = append(t.out.Made, in.Slug)
	}
	wg.Wait()
	t.progress.done.Add(int64(len(part)))
	return t.tx.SaveDrafts(ctx, rows, t.by.ID, t.now)
}

// addWhole makes entries with all their versions: the first of each, then the
// second of each, and so on.
func (t *taker) addWhole(ctx context.Context, part []bundle.Incoming) error {
	ids, err := t.addEntries(ctx, part)
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
		if err := t.addVersions(ctx, now, ids, func(in bundle.Incoming) bundle.Version { return in.Whole.Versions[round] }); err != nil {
			return err
		}
	}
	for _, in := range part {
		t.out.Made = append(t.out.Made, in.Slug)
	}
	t.progress.done.Add(int64(len(part)))
	return nil
}

// addVersions gives each of some entries one version of its history.
func (t *taker) addVersions(ctx context.Context, part []bundle.Incoming, ids map[string]int64, of func(bundle.Incoming) bundle.Version) error {
	versions := make([]store.NewVersion, len(part))
	for i, in := range part {
		v := of(in)
		versions[i] = store.NewVersion{EntryID: ids[in.Slug], Number: v.Number, Note: v.Note}
	}
	made, err := t.tx.AddVersions(ctx, versions, t.by.ID, t.now)
	if err != nil {
		return err
	}
	rows, histories := make([]store.Draft, len(part)), make([]store.History, len(part))
	for i, in := range part {
		v := of(in)
		id := made[ids[in.Slug]]
		if in.Code == "" {
			v.Code = "" // kept under another slug: the short code stays where it is
		}
		rows[i] = draftOf(id, v.Content)
		if v.State == entry.Superseded {
			rows[i].Print.Bands, rows[i].Print.Units = nil, nil
		}
		histories[i] = historyOf(id, v)
		t.event(ids[in.Slug], v.Number, in)
	}
	if err := t.tx.SaveDrafts(ctx, rows, t.by.ID, t.now); err != nil {
		return err
	}
	p, err := policy(ctx, t.tx.Reader)
	if err != nil {
		return err
	}
	err = t.tx.Settle(ctx, histories, t.by.ID, p.Review.ReviewBy(t.now))
	if errors.Is(err, store.ErrTaken) {
		return problem.List{{Code: "taken", Message: "another entry has a short code that comes in; choose to skip it, or free the code first"}}
	}
	return err
}

func historyOf(id int64, v bundle.Version) store.History {
	h := store.History{
		ID: id, State: string(v.State), Note: v.Note, CreatedAt: v.CreatedAt, SavedAt: v.SavedAt, SubmittedAt: v.SubmittedAt, PublishedAt: v.PublishedAt,
		Origin: map[string]any{},
	}
	if v.State.Open() {
		h.State, h.SubmittedAt = string(entry.Draft), nil
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

// changeOne saves a draft over, begins the next version, or goes on with a history.
func (t *taker) changeOne(ctx context.Context, in bundle.Incoming) error {
	e, err := t.l.locked(ctx, t.tx, t.by, in.Slug)
	if err != nil {
		return err
	}
	t.out.Changed = append(t.out.Changed, in.Slug)
	if in.Whole != nil {
		if err := t.goOn(ctx, e, in); err != nil || t.plan.now[in.Slug].against(in.Whole) == api.PlanChanged {
			return err
		}
	}
	t.event(e.ID, max(e.Open, e.Newest+1), in)
	if e.Open == 0 {
		return t.next(ctx, e, in)
	}
	v, err := t.tx.Version(ctx, e.ID, e.Open)
	if err != nil {
		return err
	}
	if _, err := entry.Take(entry.Save, t.by.actor(), standing(e, nil)); err != nil {
		return err
	}
	if err := t.tx.SetNote(ctx, v.ID, in.Note); err != nil {
		return err
	}
	return t.tx.SaveDrafts(ctx, []store.Draft{draftOf(v.ID, in.Content)}, t.by.ID, t.now)
}

func (t *taker) next(ctx context.Context, e store.Entry, in bundle.Incoming) error {
	made, err := t.tx.AddVersions(ctx, []store.NewVersion{{EntryID: e.ID, Number: e.Newest + 1, Note: in.Note}}, t.by.ID, t.now)
	if err != nil {
		return err
	}
	return t.tx.SaveDrafts(ctx, []store.Draft{draftOf(made[e.ID], in.Content)}, t.by.ID, t.now)
}

// goOn adds the versions of a history that came after ours, if it is ours that
// they go on from.
func (t *taker) goOn(ctx context.Context, e store.Entry, in bundle.Incoming) error {
	if t.plan.now[in.Slug].against(in.Whole) != api.PlanChanged {
		return nil
	}
	for _, v := range in.Whole.Versions {
		if v.Number <= e.Newest {
			continue
		}
		if !v.State.Open() {
			if err := t.tx.Supersede(ctx, e.ID); err != nil {
				return err
			}
		}
		err := t.addVersions(ctx, []bundle.Incoming{in}, map[string]int64{in.Slug: e.ID}, func(bundle.Incoming) bundle.Version { return v })
		if err != nil {
			return err
		}
	}
	return nil
}

// retire takes off the shelf what was off it where it came from.
func (t *taker) retire(ctx context.Context, whole []bundle.Incoming) error {
	for _, in := range whole {
		r := in.Whole.Retired
		if r == nil {
			continue
		}
		e, err := t.tx.EntryBySlug(ctx, in.Slug)
		if err != nil {
			return err
		}
		if e.Shelf != string(entry.Retired) {
			continue
		}
		instead := int64(0)
		if r.Instead != "" {
			if other, err := t.tx.EntryBySlug(ctx, r.Instead); err == nil {
				instead = other.ID
			}
		}
		if err := t.tx.Retire(ctx, e.ID, t.by.ID, r.At, r.Because, instead); err != nil {
			return err
		}
	}
	return nil
}
