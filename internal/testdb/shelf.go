package testdb

import (
	"context"
	"errors"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/index"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/shelf"
	"goldshelf/internal/texts"
	"goldshelf/internal/writing"
)

// Prompt is a prompt of customer care that the checks let pass. Its body may ask for
// {{area}}.
func Prompt(slug, body string) api.NewEntry {
	return api.NewEntry{Slug: slug, Content: entry.Content{
		Kind: entry.Prompt, Title: "Prompt " + slug, Summary: "Tells households about " + slug + ".",
		Labels: map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
		Blanks: []fill.Blank{{Name: "area", Ask: "Which streets?"}}, Body: body,
	}}
}

// Part is what a prompt includes or recommends: a snippet, a persona, a style.
func Part(kind entry.Kind, slug, body string) api.NewEntry {
	return api.NewEntry{Slug: slug, Content: entry.Content{Kind: kind, Title: "Part " + slug, Summary: "A part.", Body: body}}
}

// Create has the contributor write entries.
func (w *World) Create(all ...api.NewEntry) {
	w.t.Helper()
	for _, in := range all {
		if _, err := writing.New(w.DB).Create(context.Background(), w.By("contributor"), in); err != nil {
			w.t.Fatal(err)
		}
	}
}

// Approve writes entries and has them reviewed.
func (w *World) Approve(all ...api.NewEntry) {
	w.t.Helper()
	w.Create(all...)
	for _, in := range all {
		w.Review(in.Slug)
	}
}

// Publish writes entries, has them reviewed and puts them on the shelf, one after the
// other.
func (w *World) Publish(all ...api.NewEntry) {
	w.t.Helper()
	for _, in := range all {
		w.Approve(in)
		w.PublishNow(in.Slug)
	}
}

// PublishNow puts an approved version on the shelf.
func (w *World) PublishNow(slug string) {
	w.t.Helper()
	if _, err := lifecycle.New(w.DB).Publish(context.Background(), w.By("curator"), slug, w.Seen(slug), nil); err != nil {
		w.t.Fatal(err)
	}
}

// Review has the open version of an entry submitted and approved.
func (w *World) Review(slug string) {
	w.t.Helper()
	life, ctx := lifecycle.New(w.DB), context.Background()
	if _, err := life.Submit(ctx, w.By("contributor"), slug, "Ready."); err != nil {
		w.t.Fatal(err)
	}
	if _, err := life.Approve(ctx, w.By("reviewer"), slug, w.Seen(slug), ""); err != nil {
		w.t.Fatal(err)
	}
}

// Seen is what names the text of an entry that is in review or approved.
func (w *World) Seen(slug string) entry.Digest {
	w.t.Helper()
	s := shelf.New(w.DB, texts.New(w.DB), index.New())
	e, err := s.Entry(context.Background(), w.By("chief"), slug)
	var renamed *texts.Renamed
	if errors.As(err, &renamed) {
		e, err = s.Entry(context.Background(), w.By("chief"), renamed.Now)
	}
	if err != nil {
		w.t.Fatal(err)
	}
	return e.Seen
}

// AllSeen is Seen of several entries, to publish together.
func (w *World) AllSeen(slugs ...string) []api.SeenEntry {
	w.t.Helper()
	all := make([]api.SeenEntry, len(slugs))
	for i, slug := range slugs {
		all[i] = api.SeenEntry{Slug: slug, Seen: w.Seen(slug)}
	}
	return all
}

// Save has the contributor put another text in an entry's draft, begun where there is
// none.
func (w *World) Save(slug string, in api.NewEntry) {
	w.t.Helper()
	write, ctx := writing.New(w.DB), context.Background()
	var on texts.Revision
	if d, err := write.Draft(ctx, w.By("contributor"), slug); err == nil {
		on = d.Revision
	}
	if _, err := write.SaveDraft(ctx, w.By("contributor"), slug, on, in); err != nil {
		w.t.Fatal(err)
	}
}

// Race runs the callers at the same moment, and gives what each came to.
func Race(callers ...func() error) []error {
	errs, start, done := make([]error, len(callers)), make(chan struct{}), make(chan struct{})
	for i, call := range callers {
		go func() {
			<-start
			errs[i] = call()
			done <- struct{}{}
		}()
	}
	close(start)
	for range callers {
		<-done
	}
	return errs
}
