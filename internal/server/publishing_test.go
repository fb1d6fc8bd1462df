package server

import (
	"context"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

func TestPublishTwiceAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.submitted(snippet("once", "Text.\n"))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "once", ""))
	curators := []*client.Client{w.as("curator"), w.as("chief")}
	errs := make([]error, 8)
	var wg sync.WaitGroup
	for n := range errs {
		wg.Go(func() { _, errs[n] = publish(curators[n%2], "once") })
	}
	wg.Wait()
	done := 0
	for _, err := range errs {
		if err == nil {
			done++
			continue
		}
		refused(t, "a second time", err, http.StatusConflict, "once has no open version")
	}
	if done != 1 {
		t.Errorf("it was published %d times", done)
	}
	step[api.Entry](t, "create")(w.as("contributor").Create(ctx, snippet("never", "Draft.\n")))
	_, err := w.as("curator").Restore(ctx, "never")
	refused(t, "restore what was never published", err, http.StatusConflict, "never was never published")
}

func TestPublishTogetherAndAtATime(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator := w.as("curator")
	approved := func(in api.NewEntry) {
		w.submitted(in)
		step[api.Entry](t, "approve")(approve(w.as("reviewer"), in.Slug, ""))
	}
	approved(snippet("close", "Kind regards.\n"))
	approved(notice("Say it in {{area}} within {{hours}}.\n{{include close}}\n"))
	_, err := publish(curator, "burst-main-notice")
	refused(t, "alone, without what it includes", err, http.StatusUnprocessableEntity, "close")
	_, err = publishTogether(curator, nil, "burst-main-notice", "gone")
	refused(t, "with what is not there", err, http.StatusNotFound, "gone")
	if e := step[api.Entry](t, "read")(curator.Entry(ctx, "burst-main-notice")); e.State != entry.Approved {
		t.Errorf("after a refusal one of them is %s", e.State)
	}
	out := step[api.Published](t, "together")(publishTogether(curator, nil, "burst-main-notice", "close"))
	if len(out.Items) != 2 || out.Items[0].State != entry.Published || out.Items[1].State != entry.Published {
		t.Errorf("published together: %+v", out.Items)
	}

	// At a time, together; one of them is returned before it.
	approved(snippet("early", "Early.\n"))
	approved(snippet("late", "Late.\n"))
	at := w.Clock.Now().Add(time.Hour)
	_, err = publishTogether(curator, new(at.Add(-2*time.Hour)), "early")
	refused(t, "in the past", err, http.StatusUnprocessableEntity, "is past")
	_, err = w.as("reviewer").PublishAt(ctx, "early", seenBy(w.as("reviewer"), "early"), at)
	refused(t, "by a reviewer", err, http.StatusForbidden, "only a curator may publish")
	set := step[api.Published](t, "at a time")(publishTogether(curator, &at, "early", "late"))
	if set.Items[0].PublishAt == nil || !set.Items[0].PublishAt.Equal(at.Truncate(time.Microsecond)) || set.Items[0].State != entry.Approved {
		t.Errorf("set for a time: %+v", set.Items[0])
	}
	due := func(want int) {
		t.Helper()
		if n := w.publishDue(); n != want {
			t.Fatalf("%d were due, want %d", n, want)
		}
	}
	due(0)
	step[api.Entry](t, "return")(giveBack(w.as("reviewer"), "late", "Not yet."))
	same(t, "a curator's desk", waits(t, curator), "failed:early")
	w.Clock.Pass(2 * time.Hour)
	due(0) // it waits for a word
	same(t, "and still", waits(t, curator), "failed:early")
	list := step[api.Publications](t, "publications")(curator.Publications(ctx))
	if len(list.Items) != 1 || !strings.Contains(list.Items[0].Failed.String(), "late, which was to be published with it, was returned") {
		t.Errorf("publications: %+v", list.Items)
	}
	if err := curator.CancelPublication(ctx, list.Items[0].ID); err != nil {
		t.Fatal(err)
	}
	refused(t, "drop it twice", curator.CancelPublication(ctx, list.Items[0].ID), http.StatusNotFound, "no publication")

	at = w.Clock.Now().Add(time.Hour)
	step[api.Entry](t, "at a time")(curator.PublishAt(ctx, "early", seenBy(w.as("reviewer"), "early"), at))
	w.Clock.Pass(2 * time.Hour)
	due(1)
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "early")); e.PublishedBy != "Curator" {
		t.Errorf("published at its time by %q, want Curator, who set it", e.PublishedBy)
	}
	due(0)
}

func TestPublicationThatFailsAtItsTime(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.publish(snippet("close", "Kind regards.\n"))
	w.submitted(notice("Say it in {{area}} within {{hours}}.\n{{include close}}\n"))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "burst-main-notice", ""))
	step[api.Entry](t, "schedule")(w.as("curator").PublishAt(ctx, "burst-main-notice", seenBy(w.as("curator"), "burst-main-notice"), w.Clock.Now().Add(time.Hour)))
	step[api.Entry](t, "retire")(w.as("curator").Retire(ctx, "close", api.Retirement{Because: "Old."}))
	w.Clock.Pass(2 * time.Hour)
	if n := w.publishDue(); n != 1 {
		t.Fatalf("%d were due", n)
	}
	e := step[api.Entry](t, "read")(w.as("curator").Entry(ctx, "burst-main-notice"))
	if e.State != entry.Approved || e.Published != 0 {
		t.Errorf("it is %s, want it approved and not on the shelf", e.State)
	}
	desk := step[api.Desk](t, "desk")(w.as("curator").Desk(ctx, 0, ""))
	if len(desk.Items) != 1 || !strings.Contains(desk.Items[0].Why.String(), "could not be published at its time") || !strings.Contains(desk.Items[0].Why.String(), "close") {
		t.Errorf("the curator's desk: %+v", desk.Items)
	}
}

func TestUnpublishAndRestoreVersion(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator, author := w.as("curator"), w.as("contributor")
	in := snippet("wording", "First.\n")
	in.Code = "wrd"
	w.publish(in)
	in.Body, in.Code = "Second.\n", ""
	w.publish(in)
	_, err := author.Unpublish(ctx, "wording", "Wrong.")
	refused(t, "by a contributor", err, http.StatusForbidden, "only a curator may unpublish")
	_, err = curator.Unpublish(ctx, "wording", "")
	refused(t, "without a reason", err, http.StatusUnprocessableEntity, "the reason is missing")
	back := step[api.Entry](t, "take back")(curator.Unpublish(ctx, "wording", "Wrong text."))
	if back.Version != 2 || back.State != entry.Superseded || back.Unpublished != "Wrong text." || back.Published != 1 {
		t.Errorf("taken back: version %d, %s, %q, %d on the shelf", back.Version, back.State, back.Unpublished, back.Published)
	}
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "wrd")); e.Body != "First.\n" {
		t.Errorf("on the shelf by its short code: %q, want the first again", e.Body)
	}
	_, err = w.as("reader").ShelfEntry(ctx, "wording@2")
	refused(t, "version 2, by a reader", err, http.StatusNotFound, "no published version 2")
	if a := w.call("reviewer", http.MethodGet, "/api/v1/entries/wording/versions/2", ""); !strings.Contains(a.body, "Second.") {
		t.Errorf("version 2 for a reviewer: %s, want it kept", a.body)
	}
	w.Clock.Pass(entry.UnpublishWithin + time.Minute)
	_, err = curator.Unpublish(ctx, "wording", "Again.")
	refused(t, "too late", err, http.StatusConflict, "over 15 minutes ago")

	// The first version of an entry has none before it: it is retired.
	w.publish(snippet("hasty", "Text.\n"))
	gone := step[api.Entry](t, "take back")(curator.Unpublish(ctx, "hasty", "Too soon."))
	if gone.State != entry.Retired || gone.Retired == nil || gone.Retired.Because != "Too soon." {
		t.Errorf("a first version taken back is %s", gone.State)
	}
	_, err = curator.Unpublish(ctx, "hasty", "Again.")
	refused(t, "twice", err, http.StatusConflict, "hasty is retired")

	// An old version's text begins the next one.
	next := step[api.Entry](t, "bring back")(author.RestoreVersion(ctx, "wording", 2))
	if next.Version != 3 || next.State != entry.Draft || next.Body != "Second.\n" || next.Note == "" {
		t.Errorf("brought back: version %d, %s, %q, note %q", next.Version, next.State, next.Body, next.Note)
	}
	_, err = author.RestoreVersion(ctx, "wording", 1)
	refused(t, "while one is open", err, http.StatusConflict, "version 3 of wording is a draft")
	_, err = author.RestoreVersion(ctx, "wording", 9)
	refused(t, "what is not there", err, http.StatusNotFound, "no version 9")
	_, err = w.as("second").RestoreVersion(ctx, "wording", 1)
	refused(t, "somebody else's", err, http.StatusForbidden, "its owner, its deputy or a curator")
	_, err = author.RestoreVersion(ctx, "hasty", 7)
	refused(t, "a version that never was", err, http.StatusNotFound, "no version 7")
}
