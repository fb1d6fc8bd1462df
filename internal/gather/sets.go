package gather

import (
	"goldshelf/core/bundle"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// sets finds the question sets that what comes in answers, here or brought along, and
// refuses what answers one that is neither, or that asks something else here. Those that
// are to be added are kept with the plan.
func (p *planned) sets(r store.Reader, data []byte) error {
	named := map[string]bool{}
	var refs []string
	each := func(ref string) {
		if ref != "" && !named[ref] {
			named[ref] = true
			refs = append(refs, ref)
		}
	}
	for _, in := range p.incoming {
		each(in.Set)
		if in.Whole != nil {
			for _, v := range in.Whole.Versions {
				each(v.Set)
			}
		}
	}
	if len(refs) == 0 {
		return nil
	}
	rows, err := r.SetsByRef(refs)
	if err != nil {
		return err
	}
	at := map[string]*sheet.Set{}
	for _, row := range rows {
		s := row.Set()
		at[s.Ref()] = &s
	}
	differ := map[string]bool{}
	for _, s := range bundle.Sets(p.Reading.Format, data) {
		switch here := at[s.Ref()]; {
		case !named[s.Ref()]:
		case here == nil:
			at[s.Ref()] = &s
			p.newSets = append(p.newSets, s)
		case !sheet.Same(here.Groups, s.Groups):
			differ[s.Ref()] = true
		}
	}
	for i := range p.incoming {
		in := &p.incoming[i]
		check := func(field, ref string) *sheet.Set {
			switch {
			case ref == "":
			case at[ref] == nil:
				in.Wrong.Add(field, "missing", "it answers the question set %s, which is neither here nor brought along", ref)
			case differ[ref]:
				in.Wrong.Add(field, "differs", "it answers %s of another library, and %s asks something else here; save theirs as the next version here, and name that", ref, ref)
			}
			return at[ref]
		}
		if in.Whole != nil {
			for k := range in.Whole.Versions {
				v := &in.Whole.Versions[k]
				v.Questions = check(problem.Pointer("versions", k, "set"), v.Set)
			}
			in.Questions = in.Whole.Newest().Questions
			continue
		}
		in.Questions = check("/set", in.Set)
	}
	return nil
}

// addSets adds the question sets that come along.
func (a *applier) addSets() error {
	for _, s := range a.plan.newSets {
		if err := a.u.AddSetVersion(s, "As it was brought along.", a.owner); err != nil {
			return work.TakenIf(err, "somebody has added the question set %s by now; read the plan again", s.Ref())
		}
		a.u.Record("save-question-set", 0, 0, map[string]any{"set": s.Ref(), "title": s.Title})
	}
	return nil
}
