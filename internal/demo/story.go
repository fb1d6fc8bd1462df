package demo

import (
	"context"
	"io/fs"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/internal/work"
)

// rules is what Larkfen's curators have decided about checks and reviews.
func rules() check.Policy {
	return check.Policy{
		Required: []string{"department"},
		Avoid:    []string{"unfortunately", "going forward", "please be advised"},
		Models:   map[string]check.Model{"marsh-local": {Tokens: 2000}, "heron-2-mini": {Tokens: 3000}},
		// One review of the story is overdue on any date, and none has waited for the next reviewer.
		Review: entry.Reviewing{
			RemindAfter: 10, NextAfter: 20,
			Rules: []entry.ReviewRule{{
				Labels: map[string][]string{"department": {"regulatory-affairs"}}, Approvals: 2, From: []entry.From{{Department: "regulatory-affairs"}},
			}},
			Ask: map[string][]string{
				"customer-care": {"reviewer"}, "field-operations": {"reviewer"}, "regulatory-affairs": {"reviewer", "regs-lead"},
			},
		},
	}
}

// story is what happened around the versions: who said what of them, who left,
// what is handed over, and what could not be published in time.
func (l *loader) story(ctx context.Context) error {
	curator, reviewer := l.by["curator"], l.by["reviewer"]

	l.daysAgo(6)
	if err := l.moved(ctx); err != nil {
		return err
	}

	l.daysAgo(5)
	at := l.dayAgo(2)
	if _, err := l.lib.Lifecycle.PublishTogether(ctx, curator, []api.SeenEntry{
		{Slug: "incident-timeline", Seen: l.seen(ctx, "incident-timeline")}, {Slug: "school-visit-talk", Seen: l.seen(ctx, "school-visit-talk")},
	}, &at); err != nil {
		return err
	}
	l.daysAgo(4)
	if _, err := l.lib.Lifecycle.Return(ctx, reviewer, "school-visit-talk", l.seen(ctx, "school-visit-talk"), "Say how long each part takes, and what the pupils do in it."); err != nil {
		return err
	}

	l.daysAgo(3)
	gone := false
	if _, err := l.lib.People.Change(ctx, curator, "intake-lead", api.PersonChange{Active: &gone}); err != nil {
		return err
	}

	l.daysAgo(1)
	if err := l.say(ctx, reviewer, "boil-water-wording", "{{minutes}} minutes", "The works at Fen Road may ask for longer. Is three always enough?"); err != nil {
		return err
	}
	_, err := l.lib.Ownership.Transfer(ctx, l.by["care-lead"], "reading-reminder", "contributor")
	return err
}

// moved takes in what one of the depots had in a library of its own: an entry with
// its history, whose snippet was left behind.
func (l *loader) moved(ctx context.Context) error {
	const slug = "contractor-visit"
	data, err := fs.ReadFile(files, "moved/"+slug+"@1.md")
	if err != nil {
		return err
	}
	file, err := bundle.Read(data)
	if err != nil {
		return err
	}
	written := l.dayAgo(140)
	submitted, approved, published := written.Add(2*time.Hour), written.Add(20*time.Hour), written.Add(26*time.Hour)
	whole := bundle.Whole{Slug: slug, Owner: file.Owner, Versions: []bundle.Version{{
		Number: 1, Content: file.Content, Life: bundle.Life{
			State: entry.Published, Note: "What the depot at Fen Road has sent since spring.", Author: "Joss Penhale",
			CreatedAt: written, SavedAt: written, SubmittedBy: "Joss Penhale", SubmittedAt: &submitted,
			Approvals:   []bundle.Approval{{By: "Oona Birch", At: approved}},
			PublishedBy: "Tamsin Hale", PublishedAt: &published,
		},
	}}}
	if data, err = bundle.WriteLibrary(nil, []bundle.Whole{whole}, bundle.Beside{}); err != nil {
		return err
	}
	plan, err := l.lib.Gather.Create(ctx, l.by["curator"], "fen-road.json", data, bundle.Reading{}, "")
	if err != nil {
		return err
	}
	_, err = l.lib.Gather.Apply(ctx, l.by["curator"], plan.ID, api.ApplyRequest{Digest: plan.Digest})
	return err
}

// seen names the text of an entry for whoever decides about it; nothing where it is not
// to be decided about, which the step itself then says.
func (l *loader) seen(ctx context.Context, slug string) entry.Digest {
	e, err := l.lib.Shelf.Entry(ctx, l.by["reviewer"], slug)
	if err != nil {
		return ""
	}
	return e.Seen
}

// say comments on a passage of an entry's newest version.
func (l *loader) say(ctx context.Context, by work.Caller, slug, passage, text string) error {
	e, err := l.lib.Shelf.Entry(ctx, by, slug)
	if err != nil {
		return err
	}
	start := strings.Index(e.Body, passage)
	_, err = l.lib.History.AddComment(ctx, by, slug, api.NewComment{Text: text, Start: start, End: start + len(passage)})
	return err
}
