package demo

import (
	"context"
	"fmt"
	"strings"

	"goldshelf/api"
)

// adapted is an entry that somebody made their own.
type adapted struct {
	slug, own, who, purpose string
	daysAgo                 int
	changes                 [][2]string // of the text
	private                 bool
}

func adaptations() []adapted {
	table := [2]string{"as a line: who, what, by when.", "as a row of a table: who, what, by when."}
	return []adapted{
		{"minutes-to-actions", "minutes-of-interviews", "people-lead", "interview panels", 22, [][2]string{table, {"An action without a person", "What the candidate has to do comes last. An action without a person"}}, false},
		{"minutes-to-actions", "minutes-of-tenders", "buyer", "tender meetings", 22, [][2]string{table, {"## Limits\n", "## Limits\nNo prices. "}}, false},
		{"burst-main-notice", "burst-for-the-regulator", "reviewer", "the regulator", 18, [][2]string{{"households in {{area}}", "the regulator about {{area}}"}, {"No more than 120 words.", "No more than 80 words."}}, false},
		{"minutes-to-actions", "minutes-of-talks", "field-lead", "toolbox talks", 15, [][2]string{table}, false},
		{"reading-reminder", "reminder-for-parks", "contributor", "the holiday parks", 8, [][2]string{{"## Limits\n", "## Limits\nSay where the meter of a pitch is.\n"}}, true},
	}
}

// adapt has somebody make an entry their own, change it and, mostly, share it.
func (l *loader) adapt(ctx context.Context, a adapted) error {
	l.daysAgo(a.daysAgo)
	by := l.by[a.who]
	own, err := l.lib.Writing.Adapt(ctx, by, a.slug, api.NewAdaptation{Slug: a.own, Purpose: a.purpose})
	if err != nil {
		return fmt.Errorf("%s, adapted: %w", a.slug, err)
	}
	text := own.Content
	for _, c := range a.changes {
		if !strings.Contains(text.Body, c[0]) {
			return fmt.Errorf("%s, adapted: there is no %q in it", a.slug, c[0])
		}
		text.Body = strings.Replace(text.Body, c[0], c[1], 1)
	}
	d, err := l.lib.Writing.Draft(ctx, by, own.Slug)
	if err != nil {
		return err
	}
	if _, err := l.lib.Writing.SaveDraft(ctx, by, own.Slug, d.Revision, api.NewEntry{Content: text}); err != nil || a.private {
		return err
	}
	_, err = l.lib.Writing.Share(ctx, by, own.Slug)
	return err
}
