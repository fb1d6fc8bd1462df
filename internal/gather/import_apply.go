package gather

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// progress says how far an import is, while it runs.
type progress struct{ done, all atomic.Int64 }

// Progress gives how many entries of an import have come in, and of how many; all is 0
// where none is under way.
func (s *Service) Progress(by work.Caller, id string) api.Progress {
	p, ok := s.applying.Load(applyingKey(by, id))
	if !ok {
		return api.Progress{}
	}
	return api.Progress{Done: int(p.(*progress).done.Load()), All: int(p.(*progress).all.Load())}
}

func applyingKey(by work.Caller, id string) string { return fmt.Sprintf("%d %s", by.ID, id) }

const (
	batch       = 250 // how many entries go to the database at once
	manyApplied = 500 // how many that come in at once are a large part of a library
)

// Apply carries a plan out, all of it or nothing, and forgets the import. Choices say of
// single entries what is to become of them, where that is not what the plan says. It
// returns [work.Outdated] if the library has changed since the plan was made, and a
// [problem.List] if a choice cannot be.
func (s *Service) Apply(ctx context.Context, by work.Caller, id string, req api.ApplyRequest) (api.Applied, error) {
	if err := mayImport(by); err != nil {
		return api.Applied{}, err
	}
	key, p := applyingKey(by, id), &progress{}
	if _, running := s.applying.LoadOrStore(key, p); running {
		return api.Applied{}, &work.Taken{What: message.Say("this import is being applied; wait for it")}
	}
	defer s.applying.Delete(key)
	by.Via = work.ViaImport
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Applied, error) {
		in, err := brought(u.Reader, by, id)
		if err != nil {
			return api.Applied{}, err
		}
		plan, err := plan(u.Reader, &in, false)
		if err != nil {
			return api.Applied{}, err
		}
		if req.Digest != plan.Digest {
			return api.Applied{}, &work.Outdated{What: message.Say("the library has changed since this plan was made; read the plan again, and choose again")}
		}
		p.done.Store(0)
		a := applier{u: u, plan: plan, progress: p, owner: by.ID, out: api.Applied{Created: []string{}, Changed: []string{}}}
		if err := a.choose(req); err != nil {
			return api.Applied{}, err
		}
		if err := bringPictures(u, plan.Reading.Format, in.Data, a.add, a.change); err != nil {
			return api.Applied{}, err
		}
		if err := a.run(); err != nil {
			return api.Applied{}, err
		}
		if len(a.out.Created)+len(a.out.Changed) >= manyApplied {
			if err := u.Survey(); err != nil {
				return api.Applied{}, err
			}
		}
		return a.out, u.DropImport(id)
	})
}

// applier carries one plan out.
type applier struct {
	u        *work.Unit
	plan     planned
	out      api.Applied
	progress *progress
	owner    int64             // of what nobody here owned
	add      []bundle.Incoming // new entries
	change   []bundle.Incoming // next versions, or changes of drafts or labels
}

// choose sorts what comes in by what is to become of it.
func (a *applier) choose(req api.ApplyRequest) error {
	of := map[int]api.Choice{}
	var wrong problem.List
	slugs := map[string]bool{}
	for _, c := range req.Choices {
		if c.Number < 0 || c.Number >= len(a.plan.Items) {
			wrong.Add("/choices", "number", "the plan has no entry %d", c.Number)
		}
		of[c.Number] = c
	}
	for i, it := range a.plan.Items {
		in := a.plan.incoming[i]
		do := api.Skip
		if it.Selected {
			do = api.Import
		}
		c, chosen := of[i]
		if chosen {
			do = c.Do
		}
		at := problem.Pointer("choices", i)
		if do != api.Skip && (req.MakeBlanks || c.MakeBlanks) && it.Places > 0 {
			makeBlanks(&in.Content)
		}
		switch {
		case do == api.Skip:
			a.out.Skipped++
			continue
		case do != api.Import && do != api.Both:
			wrong.Add(at+"/do", "choice", "%q cannot be done with %s; import it, skip it, or keep both", do, in.Slug)
		case it.State == api.PlanWrong && do == api.Import, it.State == api.PlanWrong && !(len(it.Problems) == 1 && slices.Contains([]string{"kind", "locked", "twice"}, it.Problems[0].Code)):
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
			a.add = append(a.add, in)
		case it.State == api.PlanNew || it.State == api.PlanSimilar:
			a.add = append(a.add, in)
		default:
			a.change = append(a.change, in)
		}
		if slugs[in.Slug] {
			wrong.Add(at+"/slug", "twice", "two entries would have the slug %s", in.Slug)
		}
		slugs[in.Slug] = true
	}
	a.progress.all.Store(int64(len(a.add) + len(a.change)))
	return wrong.Err()
}

// makeBlanks makes blanks of all places of a text.
func makeBlanks(c *entry.Content) {
	body, blanks := places.MakeBlanks(c.Body, places.Find(c.Body))
	c.Body = body
	for _, b := range blanks {
		if !slices.ContainsFunc(c.Blanks, func(have fill.Blank) bool { return have.Name == b.Name }) {
			c.Blanks = append(c.Blanks, b)
		}
	}
}

func (a *applier) run() error {
	if err := a.addTerms(); err != nil {
		return err
	}
	if err := a.addSets(); err != nil {
		return err
	}
	for part := range slices.Chunk(a.add, batch) {
		if err := a.addDrafts(part); err != nil {
			return err
		}
	}
	if err := addRenditions(a.u, a.add); err != nil {
		return err
	}
	return a.changeAll()
}

// addRenditions ties what is brought as a rendition to what it is one of, here or brought
// with it.
func addRenditions(u *work.Unit, all []bundle.Incoming) error {
	bases, slugs := map[string]string{}, []string{}
	for _, in := range all {
		if in.RenditionOf != "" {
			bases[in.Slug] = in.RenditionOf
			slugs = append(slugs, in.RenditionOf)
		}
	}
	if len(bases) == 0 {
		return nil
	}
	there, err := u.SlugsNow(slugs)
	if err != nil {
		return err
	}
	var wrong problem.List
	for _, in := range all {
		if of := in.RenditionOf; of != "" && (there[of] == "" || of == in.Slug) {
			wrong.Add(problem.Pointer("entries", in.Slug, "rendition_of"), "missing", "%s is brought as a rendition of %s, which is neither here nor among what is brought", in.Slug, of)
		}
	}
	if err := wrong.Err(); err != nil {
		return err
	}
	_, err = u.AddRenditions(bases)
	return err
}

// addTerms adds the facets and terms that a library brings along.
func (a *applier) addTerms() error {
	if len(a.plan.terms) == 0 {
		return nil
	}
	if err := a.u.LockLabels(); err != nil {
		return err
	}
	have, err := a.u.Terms()
	if err != nil {
		return err
	}
	known := texts.Known(have)
	for _, t := range a.plan.terms {
		if _, is := known[t.Facet]; !is {
			if err := a.u.AddFacet(t.Facet, t.FacetTitle); err != nil {
				return err
			}
			known[t.Facet] = []string{}
		}
		if !slices.Contains(known[t.Facet], t.Name) {
			if err := a.u.AddTerm(t); err != nil {
				return err
			}
			known[t.Facet] = append(known[t.Facet], t.Name)
		}
	}
	return nil
}

func (a *applier) record(entryID int64, number int, in bundle.Incoming) {
	a.u.Record("import", entryID, number, map[string]any{"where": in.Where})
}

// addEntries makes entries without versions, with their labels. Those of a bundle
// belong to whom they belonged to, if such a person is here.
func (a *applier) addEntries(part []bundle.Incoming) (map[string]int64, error) {
	people, err := a.u.People()
	if err != nil {
		return nil, err
	}
	rows, labels := make([]store.NewEntry, len(part)), make([]store.Labels, len(part))
	for i, in := range part {
		rows[i] = store.NewEntry{Slug: in.Slug, Kind: string(in.Kind), OwnerID: a.owner}
		labels[i].Labels = in.Labels
		if in.Whole != nil {
			labels[i].Labels = in.Whole.Newest().Labels
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
		if of := labels[i].Labels["department"]; len(of) > 0 {
			rows[i].Department = of[0]
		}
	}
	ids, err := a.u.AddEntries(rows, a.owner, a.u.Now())
	if errors.Is(err, store.ErrTaken) {
		return nil, &work.Taken{What: message.Say("one of the slugs to be added is in use by now, or was chosen twice; read the plan again")}
	}
	if err != nil {
		return nil, err
	}
	for i, in := range part {
		labels[i].EntryID = ids[in.Slug]
	}
	return ids, a.u.SetLabels(labels)
}

// addDrafts makes entries, each with its first draft: what comes from elsewhere is a
// draft here, whatever it was there.
func (a *applier) addDrafts(part []bundle.Incoming) error {
	ids, err := a.addEntries(part)
	if err != nil {
		return err
	}
	versions := make([]store.NewVersion, len(part))
	for i, in := range part {
		versions[i] = store.NewVersion{EntryID: ids[in.Slug], Number: 1, Note: in.Note}
	}
	made, err := a.u.AddVersions(versions, a.u.By.ID, a.u.Now())
	if err != nil {
		return err
	}
	rows := work.AtOnce(part, func(in bundle.Incoming) store.Draft { return texts.DraftOf(made[ids[in.Slug]], in.Content) })
	var past []store.Elsewhere
	for _, in := range part {
		if err := a.addSamples(ids[in.Slug], in); err != nil {
			return err
		}
		a.record(ids[in.Slug], 1, in)
		a.out.Created = append(a.out.Created, in.Slug)
		past = append(past, elsewhere(ids[in.Slug], in.Whole)...)
	}
	if err := a.u.SaveDrafts(rows, a.u.By.ID, a.u.Now()); err != nil {
		return err
	}
	a.progress.done.Add(int64(len(part)))
	return a.u.AddElsewhere(past)
}

// elsewhere is what an entry was in the library that it comes from. Nothing of it counts.
func elsewhere(id int64, w *bundle.Whole) []store.Elsewhere {
	if w == nil {
		return nil
	}
	all := make([]store.Elsewhere, len(w.Versions))
	for i, v := range w.Versions {
		all[i] = store.Elsewhere{EntryID: id, Number: v.Number, Life: store.JSON[bundle.Life]{V: v.Life}, Digest: string(v.Content.Digest())}
	}
	return all
}

// changeAll changes what is here already, locked in one order.
func (a *applier) changeAll() error {
	slugs := make([]string, len(a.change))
	for i, in := range a.change {
		slugs[i] = in.Slug
	}
	entries, err := texts.LockAll(a.u, slugs...)
	if err != nil {
		return err
	}
	for i, in := range a.change {
		if err := a.changeOne(entries[i], in); err != nil {
			return err
		}
		a.out.Changed = append(a.out.Changed, in.Slug)
		a.progress.done.Add(1)
	}
	return nil
}

// changeOne gives an entry the labels that come in, and then saves its draft over or
// begins its next version.
func (a *applier) changeOne(e store.Entry, in bundle.Incoming) error {
	here := a.plan.now[in.Slug]
	labels := in.Labels
	if in.Whole != nil {
		labels = in.Whole.Newest().Labels
	}
	if labels != nil {
		if err := a.u.SetLabels([]store.Labels{{EntryID: e.ID, Labels: labels}}); err != nil {
			return err
		}
	}
	if err := a.u.AddElsewhere(elsewhere(e.ID, in.Whole)); err != nil {
		return err
	}
	if sameButSource(here.current().Content(), in.Content) {
		a.record(e.ID, 0, in) // its labels alone
		return nil
	}
	a.record(e.ID, max(e.Open, e.Newest+1), in)
	if e.Open == 0 {
		return a.next(e, in)
	}
	v, err := a.u.Version(e.ID, e.Open)
	if err != nil {
		return err
	}
	if _, err := entry.Take(entry.Save, a.u.By.Actor(), texts.Status(e)); err != nil {
		return err
	}
	if err := a.u.SetNote(v.ID, in.Note); err != nil {
		return err
	}
	return a.u.SaveDrafts([]store.Draft{texts.DraftOf(v.ID, in.Content)}, a.u.By.ID, a.u.Now())
}

func (a *applier) next(e store.Entry, in bundle.Incoming) error {
	made, err := a.u.AddVersions([]store.NewVersion{{EntryID: e.ID, Number: e.Newest + 1, Note: in.Note}}, a.u.By.ID, a.u.Now())
	if err != nil {
		return err
	}
	return a.u.SaveDrafts([]store.Draft{texts.DraftOf(made[e.ID], in.Content)}, a.u.By.ID, a.u.Now())
}
