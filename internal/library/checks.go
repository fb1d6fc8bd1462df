package library

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// Stopped means that checks keep an entry from a step. Its problems are those
// findings.
type Stopped struct {
	Step     entry.Action
	Problems problem.List
}

func (s *Stopped) Error() string {
	if len(s.Problems) == 1 {
		return "one check stops this: " + s.Problems[0].Message
	}
	return fmt.Sprintf("%d checks stop this; the first: %s", len(s.Problems), s.Problems[0].Message)
}

// Superseded means that what was to be replaced has been already.
type Superseded struct{ What string }

func (s *Superseded) Error() string { return s.What }

// Policy gives the policy in force. Where none was ever set it is the zero
// policy, with the number 0.
func (l *Library) Policy(ctx context.Context) (api.Policy, error) {
	return policy(ctx, l.db.Reader)
}

// SetPolicy puts a policy in force in the place of the one with the number on.
// It returns an [entry.Refusal] to all but curators, a [problem.List] if the
// policy does not hold, and [Superseded] if another is in force by now.
func (l *Library) SetPolicy(ctx context.Context, by Caller, on int, p check.Policy) (api.Policy, error) {
	if by.Role != entry.Curator {
		return api.Policy{}, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may set the policy; you are signed in as a " + string(by.Role)}
	}
	terms, err := l.db.Terms(ctx)
	if err != nil {
		return api.Policy{}, err
	}
	people, err := l.db.People(ctx)
	if err != nil {
		return api.Policy{}, err
	}
	var facets []string
	known := map[string][]string{}
	for i, t := range terms {
		if i == 0 || terms[i-1].Facet != t.Facet {
			facets = append(facets, t.Facet)
		}
		known[t.Facet] = append(known[t.Facet], t.Name)
	}
	mayReview := func(name string) bool {
		return slices.ContainsFunc(people, func(p store.Person) bool {
			return p.Name == name && p.Active && entry.Role(p.Role).Includes(entry.Reviewer)
		})
	}
	if err := append(p.Problems(facets), p.Review.Problems(known, mayReview)...).Err(); err != nil {
		return api.Policy{}, err
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.LockPolicies(ctx); err != nil {
			return err
		}
		now, err := tx.Policy(ctx)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if now.Number != on {
			return &Superseded{fmt.Sprintf("%s has set policy %d since you read the one before; read it, put the two together, and set it again", now.By, now.Number)}
		}
		number, err := tx.AddPolicy(ctx, p, by.ID, l.now())
		if err != nil {
			return err
		}
		return l.record(ctx, tx, by, "set-policy", 0, 0, map[string]any{"number": number})
	})
	if err != nil {
		return api.Policy{}, err
	}
	return l.Policy(ctx)
}

// Check reads a text that need not be saved, as it would be read on submission.
func (l *Library) Check(ctx context.Context, by Caller, in api.NewEntry) (api.Checked, error) {
	if err := in.Content.Problems().Err(); err != nil {
		return api.Checked{}, err
	}
	p, err := l.Policy(ctx)
	if err != nil {
		return api.Checked{}, err
	}
	owner := in.Owner
	if owner == "" {
		owner = by.Name
	}
	read := check.Input{Slug: in.Slug, Owner: owner, Content: in.Content}
	if err := l.around(ctx, l.db.Reader, &read, true); err != nil {
		return api.Checked{}, err
	}
	return checked(read, p.Policy), nil
}

// CheckEntry reads the version of an entry that the caller works on.
func (l *Library) CheckEntry(ctx context.Context, by Caller, slug string) (api.Checked, error) {
	e, err := l.Entry(ctx, by, slug)
	if err != nil {
		return api.Checked{}, err
	}
	return l.Check(ctx, by, api.NewEntry{Slug: e.Slug, Content: e.Content, Owner: e.Owner})
}

func checked(in check.Input, p check.Policy) api.Checked {
	out := api.Checked{Findings: check.Run(in, p), Parts: check.Parts(in), Words: check.Words(in.Body), Tokens: check.Tokens(in.Body)}
	if out.Findings == nil {
		out.Findings = []check.Finding{}
	}
	if out.Parts == nil {
		out.Parts = []check.Anatomy{}
	}
	out.Passed = len(check.Rules())
	seen := map[string]bool{}
	for _, f := range out.Findings {
		if !seen[f.Rule] {
			out.Passed--
		}
		seen[f.Rule] = true
	}
	return out
}

// around gives a check what it needs of the library: the entries that a text
// includes, and which of its recommended stack there are.
func (l *Library) around(ctx context.Context, r store.Reader, in *check.Input, drafts bool) error {
	lookup := &shelfLookup{}
	if src, err := in.Parsed(in.Slug, in.Version); err == nil {
		if lookup, err = includes(ctx, r, src.Text, drafts); err != nil {
			return err
		}
	}
	in.Lookup = lookup.source
	var refs []fill.Ref
	for _, m := range mentions(in.Content) {
		if m.How == "persona" || m.How == "style" || m.How == "sheet" {
			refs = append(refs, fill.Ref{Entry: m.Slug})
		}
	}
	on := map[string]entry.Kind{}
	if len(refs) > 0 {
		found, err := r.ShelvedIDs(ctx, refs)
		if err != nil {
			return err
		}
		ids := make([]int64, len(found))
		for i, n := range found {
			ids[i] = n.ID
		}
		sources, err := l.sources(ctx, ids)
		if err != nil {
			return err
		}
		for _, src := range sources {
			on[src.Entry] = src.kind
		}
	}
	in.Missing = func(slug string, kind entry.Kind) string {
		switch got, there := on[slug]; {
		case !there:
			return fmt.Sprintf("%s is not on the shelf. Publish it first, or recommend another %s.", slug, kind)
		case got != kind:
			return fmt.Sprintf("%s is a %s, and a %s is wanted here.", slug, got, kind)
		}
		return ""
	}
	return nil
}

// pass holds a version against the checks that stop a step, in the transaction
// that is to take it.
func (l *Library) pass(ctx context.Context, tx store.Tx, v store.Version, step entry.Action) error {
	p, err := tx.Policy(ctx)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	in := check.Input{Slug: v.Slug, Version: v.Number, Owner: v.Owner, Content: v.Content()}
	if err := l.around(ctx, tx.Reader, &in, step == entry.Submit); err != nil {
		return err
	}
	if stops := check.Stops(check.Run(in, p.Policy.V), p.Policy.V, step); len(stops) > 0 {
		return &Stopped{Step: step, Problems: stops}
	}
	if step != entry.Publish {
		return nil
	}
	// Whatever the policy says, what is on the shelf can be filled in.
	src, err := in.Parsed(v.Slug, v.Number)
	if err == nil {
		_, err = fill.Compile(in.Lookup, src)
	}
	return err
}
