package texts

import (
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Read gives one version of an entry as the caller sees it.
func Read(r store.Reader, by work.Caller, e store.Entry, number int) (api.Entry, error) {
	v, err := r.Version(e.ID, number)
	if err != nil {
		return api.Entry{}, work.Found(err, NoVersion(e.Slug, number))
	}
	return View(r, by, e, v), nil
}

// ReadAgain is Read of an entry that has just been changed.
func ReadAgain(r store.Reader, by work.Caller, slug string, number int) (api.Entry, error) {
	e, err := r.EntryBySlug(slug)
	if err != nil {
		return api.Entry{}, work.Found(err, NoEntry(slug))
	}
	return Read(r, by, e, number)
}

// View is a version as JSON shows it to the caller.
func View(r store.Reader, by work.Caller, e store.Entry, v store.Version) api.Entry {
	s := StatusWith(r, e, v)
	out := api.Entry{
		Slug: e.Slug, Content: v.Content(), Owner: v.Owner, OwnerName: v.OwnerName, Deputy: v.Deputy, DeputyName: v.DeputyName,
		Version: v.Number, State: entry.State(v.State), Note: v.Note, Returned: v.Returned, Actions: []entry.Action{},
		Author: v.Author, CreatedAt: v.CreatedAt.UTC(), SavedBy: v.Saver, SavedByName: v.SaverName, SavedAt: v.SavedAt.UTC(),
		SubmittedBy: v.Submitter, SubmittedAt: UTC(v.SubmittedAt), PublishedBy: v.Publisher, PublishedAt: UTC(v.PublishedAt),
	}
	if len(e.Formerly.V) > 0 {
		out.Formerly = e.Formerly.V
	}
	out.Private = e.Private
	if e.Gone != "" {
		out.Gone = strings.Split(e.Gone, "\n")
	}
	if a := v.Answering.V; a.Questions != nil && a.Newest > a.Questions.Version {
		out.SetNewest = a.Newest
	}
	if e.OriginID != 0 {
		out.Origin = &api.Origin{Slug: e.OriginSlug, How: e.OriginHow, Version: e.OriginNumber, Now: e.OriginNow, Purpose: e.Purpose}
		if e.OriginHow == "rendition" {
			out.RenditionOf = e.OriginSlug
		}
	}
	if m := v.Measured.V; m != nil {
		out.Measured = &api.MeasuredFrom{Samples: []api.MeasuredSample{}, Figures: m.Figures}
		for _, s := range m.Samples {
			out.Measured.Samples = append(out.Measured.Samples, api.MeasuredSample(s))
		}
	}
	if v.AuthorThere {
		out.Author = there(out.Author)
	}
	if v.Elsewhere {
		out.SubmittedBy, out.PublishedBy = there(out.SubmittedBy), there(out.PublishedBy)
	}
	if s.Shelf == entry.Published {
		out.Published = e.Published
		if e.ReviewBy != nil {
			out.ReviewBy, out.Stale = e.ReviewBy.Format(time.DateOnly), e.Stale
		}
	}
	if s.State == entry.InReview || s.State == entry.Approved {
		if v.Number == e.Open {
			out.Seen = Digest(v)
		}
	}
	if s.State == entry.InReview && v.Number == e.Open {
		out.Wanted = max(v.Needed-len(Approvers(v)), 1)
	}
	if e.OfferAt != nil && (entry.LooksAfter(by.Actor(), s) || e.OfferToID == by.ID) {
		out.Offer = &api.Offer{To: e.OfferTo, By: e.OfferBy, At: e.OfferAt.UTC()}
	}
	out.Department, out.Unpublished, out.PublishAt = e.Department, v.TakenBack, UTC(v.PublishAt)
	if e.RetiredAt != nil {
		out.Retired = &api.Retired{At: e.RetiredAt.UTC(), By: e.RetiredBy, Because: e.Because, Instead: e.Instead}
	}
	for _, a := range v.Approvals.V {
		out.Approvals = append(out.Approvals, api.Approval{By: approver(v, a), Comment: a.Comment, At: a.At.UTC(), MadeBy: a.MadeBy})
	}
	if entry.MaySeeDrafts(by.Actor(), s) {
		out.Open = e.Open
	} else {
		withoutReview(&out)
	}
	// Each action stands with the version that it is on.
	for _, a := range entry.Actions(by.Actor(), s) {
		if a.OnShelf() && v.Number == e.Published || !a.OnShelf() && (v.Number == e.Open || e.Open == 0) {
			out.Actions = append(out.Actions, a)
		}
	}
	return out
}

// withoutReview leaves out what was said while a version was reviewed: that is for those
// who may see drafts, also once it is published.
func withoutReview(e *api.Entry) {
	e.Returned, e.Unpublished, e.PublishAt = "", "", nil
	for i := range e.Approvals {
		e.Approvals[i].Comment, e.Approvals[i].MadeBy = "", ""
	}
}

// there is somebody of the library that a version came from: not one of ours, even of
// the same name.
func there(name string) string {
	if name == "" {
		return ""
	}
	return name + " (elsewhere)"
}

func approver(v store.Version, a store.Approval) string {
	if v.Elsewhere {
		return there(a.By)
	}
	return a.By
}

// Item is a version in a list.
func Item(v store.Version) api.Item {
	return api.Item{
		Slug: v.Slug, Kind: entry.Kind(v.Kind), Title: v.Title, Summary: v.Summary, Labels: v.Labels.V, Code: v.Code,
		Owner: v.Owner, OwnerName: v.OwnerName, Version: v.Number, State: entry.State(v.State), SavedAt: v.SavedAt.UTC(), PublishedAt: UTC(v.PublishedAt),
	}
}

// UTC is a time in UTC, or nil.
func UTC(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	u := t.UTC()
	return &u
}
