package writing

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Starters gives what a new entry can begin with: the starters of the departments, and
// the published prompts that write prompts.
func (s *Service) Starters(ctx context.Context) (api.Starters, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Starters, error) { return starters(v.Reader) })
}

func starters(r store.Reader) (api.Starters, error) {
	out := api.Starters{Starters: []api.Starter{}, Helpers: []api.Item{}, Refinements: []api.Item{}, Editing: []api.Item{}}
	rows, err := r.Starters()
	if err != nil {
		return out, err
	}
	for _, row := range rows {
		out.Starters = append(out.Starters, api.Starter{Department: row.Department, Content: row.Content.V})
	}
	sections, err := r.Sections("")
	if err != nil {
		return out, err
	}
	for _, s := range sections {
		if s.Starter.V != nil {
			out.Starters = append(out.Starters, api.Starter{Section: s.Name, Title: s.Title, Content: *s.Starter.V})
		}
	}
	for helps, into := range map[string]*[]api.Item{store.HelpsDraft: &out.Helpers, store.HelpsRefine: &out.Refinements, store.HelpsEdit: &out.Editing} {
		all, err := r.Helpers(helps)
		if err != nil {
			return out, err
		}
		for _, h := range all {
			*into = append(*into, texts.Item(h))
		}
	}
	return out, nil
}

// SetStarter keeps what new entries begin with in a department. It returns an
// [entry.Refusal] to all but curators, and a problem.List if there is no such
// department or the content could not be a draft.
func (s *Service) SetStarter(ctx context.Context, by work.Caller, department string, c entry.Content) (api.Starters, error) {
	if err := by.MustCurate("keep starters"); err != nil {
		return api.Starters{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Starters, error) {
		terms, err := u.Terms()
		if err != nil {
			return api.Starters{}, err
		}
		wrong := texts.DepartmentProblems("/department", department, terms)
		wrong = append(wrong, c.Problems()...)
		wrong = append(wrong, texts.LabellingProblems(c.Labels, terms)...)
		if err := wrong.Err(); err != nil {
			return api.Starters{}, err
		}
		if err := u.SetStarter(department, c, by.ID, u.Now()); err != nil {
			return api.Starters{}, err
		}
		u.Record("set-starter", 0, 0, map[string]any{"department": department})
		return starters(u.Reader)
	})
}

// DeleteStarter forgets what new entries begin with in a department.
func (s *Service) DeleteStarter(ctx context.Context, by work.Caller, department string) error {
	if err := by.MustCurate("keep starters"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.DropStarter(department); err != nil {
			return work.Found(err, work.MissingF("there is no starter for the department %q", department))
		}
		u.Record("drop-starter", 0, 0, map[string]any{"department": department})
		return nil
	})
}

// SetHelper marks an entry as a prompt that writes prompts, or takes the mark back. It
// returns an [entry.Refusal] to all but curators, and a problem.List if the entry is
// no published prompt.
func (s *Service) SetHelper(ctx context.Context, by work.Caller, slug string, in api.Helper) (api.Starters, error) {
	if err := by.MustCurate("say what a prompt helps with"); err != nil {
		return api.Starters{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Starters, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Starters{}, err
		}
		helps := in.Helps
		if !slices.Contains([]string{"", store.HelpsDraft, store.HelpsRefine, store.HelpsEdit}, helps) {
			return api.Starters{}, work.Wrong("/helps", "helps", "%.40q is nothing that a prompt helps with; it is draft, refinement or editing", helps)
		}
		if helps != "" && (e.Kind != string(entry.Prompt) || e.Shelf != string(entry.Published)) {
			return api.Starters{}, work.Wrong("/helper", "kind", "%s is no published prompt; only such a one can help", slug)
		}
		if err := u.SetHelper(e.ID, helps); err != nil {
			return api.Starters{}, err
		}
		u.Record("set-helper", e.ID, e.Published, map[string]any{"helps": helps})
		return starters(u.Reader)
	})
}
