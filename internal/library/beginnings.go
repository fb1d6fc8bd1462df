package library

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// Beginnings gives what a new entry can begin with: the starters of the
// departments, and the published prompts that write prompts.
func (l *Library) Beginnings(ctx context.Context, by Caller) (api.Beginnings, error) {
	out := api.Beginnings{Starters: []api.Starter{}, Helpers: []api.Item{}}
	starters, err := l.db.Starters(ctx)
	if err != nil {
		return out, err
	}
	for _, s := range starters {
		out.Starters = append(out.Starters, api.Starter{Department: s.Department, Content: s.Content.V})
	}
	helpers, err := l.db.Helpers(ctx)
	for _, v := range helpers {
		out.Helpers = append(out.Helpers, api.Item{
			Slug: v.Slug, Kind: entry.Kind(v.Kind), Title: v.Title, Summary: v.Summary, Labels: v.Labels.V, Owner: v.Owner, OwnerName: v.OwnerName,
			Version: v.Number, State: entry.State(v.State), SavedAt: v.SavedAt.UTC(), PublishedAt: utc(v.PublishedAt),
		})
	}
	return out, err
}

// SetStarter keeps what new entries begin with in a department. It returns an
// [entry.Refusal] to all but curators, and a [problem.List] if there is no such
// department or the content could not be a draft.
func (l *Library) SetStarter(ctx context.Context, by Caller, department string, c entry.Content) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may keep starters; you are signed in as a " + string(by.Role)}
	}
	wrong, err := l.departmentProblems(ctx, department)
	if err != nil {
		return err
	}
	if err := append(wrong, l.contentProblems(ctx, c)...).Err(); err != nil {
		return err
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.SetStarter(ctx, department, c, by.ID, l.now()); err != nil {
			return err
		}
		return l.record(ctx, tx, by, "set-starter", 0, 0, map[string]any{"department": department})
	})
}

// DropStarter forgets what new entries begin with in a department.
func (l *Library) DropStarter(ctx context.Context, by Caller, department string) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may keep starters; you are signed in as a " + string(by.Role)}
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.DropStarter(ctx, department); err != nil {
			return err
		}
		return l.record(ctx, tx, by, "drop-starter", 0, 0, map[string]any{"department": department})
	})
}

func (l *Library) departmentProblems(ctx context.Context, department string) (problem.List, error) {
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return nil, err
	}
	var wrong problem.List
	if !slices.ContainsFunc(terms, func(t store.Term) bool { return t.Facet == "department" && t.Name == department }) {
		wrong.Add("/department", "label", "there is no department %q", department)
	}
	return wrong, nil
}

// SetHelper marks an entry as a prompt that writes prompts, or takes the mark
// back. It returns an [entry.Refusal] to all but curators, and a [problem.List] if
// the entry is no published prompt.
func (l *Library) SetHelper(ctx context.Context, by Caller, slug string, helper bool) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may mark a prompt as one that writes prompts; you are signed in as a " + string(by.Role)}
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.locked(ctx, tx, by, slug)
		if err != nil {
			return err
		}
		if helper && (e.Kind != string(entry.Prompt) || e.Shelf != string(entry.Published)) {
			return problem.List{{Field: "/helper", Code: "kind", Message: slug + " is no published prompt; only such a one can write prompts"}}
		}
		if err := tx.SetHelper(ctx, e.ID, helper); err != nil {
			return err
		}
		return l.record(ctx, tx, by, "set-helper", e.ID, e.Published, map[string]any{"helper": helper})
	})
}
