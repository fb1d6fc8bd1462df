package server

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/check"
	"goldshelf/core/entry"
)

// waits gives what waits on a desk, as what:slug.
func waits(t *testing.T, c *client.Client) []string {
	t.Helper()
	var all []string
	desk, err := c.Desk(context.Background(), 0, "")
	if err != nil {
		t.Fatal(err)
	}
	for _, it := range desk.Items {
		all = append(all, it.Waits+":"+it.Slug)
	}
	return all
}

func same(t *testing.T, what string, got []string, want ...string) {
	t.Helper()
	if !slices.Equal(got, want) {
		t.Errorf("%s: got %v, want %v", what, got, want)
	}
}

// submitted makes a draft and submits it.
func (w *world) submitted(in api.NewEntry) {
	w.t.Helper()
	ctx := context.Background()
	step[api.Entry](w.t, "create")(w.as("contributor").Create(ctx, in))
	step[api.Entry](w.t, "submit")(w.as("contributor").Submit(ctx, in.Slug, "Ready."))
}

func (w *world) setPolicy(r entry.Reviewing) {
	w.t.Helper()
	ctx := context.Background()
	now := step[api.Policy](w.t, "policy")(w.as("curator").Policy(ctx))
	step[api.Policy](w.t, "set policy")(w.as("curator").SetPolicy(ctx, now.Number, check.Policy{Review: r}))
}

func TestTwoApprovalsOneFromTheLaboratory(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.setPolicy(entry.Reviewing{Rules: []entry.ReviewRule{{
		Labels: map[string][]string{"department": {"laboratory"}}, Approvals: 2, From: []entry.From{{Department: "laboratory"}},
	}}})
	in := snippet("boil", "Boil it.\n")
	w.publish(in) // is not labelled so: one is enough
	in = snippet("boil-lab", "Boil it for a minute.\n")
	in.Labels = map[string][]string{"department": {"laboratory"}}
	w.submitted(in)
	first := step[api.Entry](t, "approve")(w.as("reviewer").Approve(ctx, "boil-lab", ""))
	if first.State != entry.InReview || first.Wanted != 1 || len(first.Approvals) != 1 {
		t.Errorf("after one approval of two: %s, %d wanted", first.State, first.Wanted)
	}
	if slices.Contains(first.Actions, entry.Approve) {
		t.Error("the one who has approved is offered to approve again")
	}
	_, err := w.as("reviewer").Approve(ctx, "boil-lab", "")
	refused(t, "approve twice", err, http.StatusConflict, "you have approved version 1 of boil-lab already")
	// Two from elsewhere are not enough: one has to be of the laboratory.
	second := step[api.Entry](t, "approve")(w.as("chief").Approve(ctx, "boil-lab", ""))
	if second.State != entry.InReview || second.Wanted != 1 {
		t.Errorf("after two from elsewhere: %s, %d wanted", second.State, second.Wanted)
	}
	if done := step[api.Entry](t, "approve")(w.as("tester").Approve(ctx, "boil-lab", "")); done.State != entry.Approved {
		t.Errorf("after one from the laboratory: %s", done.State)
	}
	// A change of the text takes them all back.
	back := step[api.Entry](t, "return")(w.as("reviewer").Return(ctx, "boil-lab", "Which pan?"))
	if back.State != entry.Draft || len(back.Approvals) != 0 {
		t.Errorf("returned: %s with %d approvals", back.State, len(back.Approvals))
	}
	w.clock.pass(time.Hour)
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "boil-lab", "Any pan."))
	if again := step[api.Entry](t, "approve")(w.as("tester").Approve(ctx, "boil-lab", "")); again.State != entry.InReview {
		t.Errorf("one approval after the return: %s, want it still in review", again.State)
	}
}

func TestReviewersAreAskedInTurn(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	ask := map[string][]string{"customer-care": {"reviewer", "tester"}}
	w.setPolicy(entry.Reviewing{Ask: ask, RemindAfter: 2, NextAfter: 4})
	care := func(slug string) api.NewEntry {
		in := snippet(slug, "Text of "+slug+".\n")
		in.Labels = map[string][]string{"department": {"customer-care"}}
		return in
	}
	w.submitted(care("first"))
	w.clock.pass(time.Hour)
	w.submitted(care("second"))
	same(t, "the first in turn", waits(t, w.as("reviewer")), "review:first")
	same(t, "the second in turn", waits(t, w.as("tester")), "review:second")
	if got := waits(t, w.as("curator")); len(got) > 0 {
		t.Errorf("a curator who is not asked has %v", got)
	}
	w.clock.pass(3 * 24 * time.Hour)
	same(t, "after three days", waits(t, w.as("reviewer")), "overdue:first")
	w.clock.pass(2 * 24 * time.Hour)
	same(t, "after five days, the next is asked too", waits(t, w.as("tester")), "overdue:first", "overdue:second")

	// Who is away is passed over.
	today := w.clock.now()
	from, until := today.Format(time.DateOnly), today.AddDate(0, 0, 3).Format(time.DateOnly)
	step[api.Colleague](t, "away")(w.as("tester").ChangePerson(ctx, "tester", api.PersonChange{AwayFrom: &from, AwayUntil: &until}))
	step[api.Entry](t, "approve")(w.as("chief").Approve(ctx, "first", ""))
	step[api.Entry](t, "approve")(w.as("chief").Approve(ctx, "second", ""))
	w.submitted(care("third"))
	w.clock.pass(time.Minute)
	w.submitted(care("fourth"))
	same(t, "with the other away", waits(t, w.as("reviewer")), "review:third", "review:fourth")

	for name, bad := range map[string]struct {
		review entry.Reviewing
		says   string
	}{
		"nobody":        {entry.Reviewing{Ask: map[string][]string{"customer-care": {"nobody"}}}, `no reviewer "nobody"`},
		"a contributor": {entry.Reviewing{Ask: map[string][]string{"customer-care": {"contributor"}}}, `no reviewer "contributor"`},
		"no department": {entry.Reviewing{Ask: map[string][]string{"moon": {"reviewer"}}}, `no department "moon"`},
		"no approvals":  {entry.Reviewing{Rules: []entry.ReviewRule{{Approvals: 0}}}, "1 to 9"},
		"from a reader": {entry.Reviewing{Rules: []entry.ReviewRule{{Approvals: 1, From: []entry.From{{Role: entry.Reader}}}}}, "a reader approves nothing"},
		"no such term":  {entry.Reviewing{Rules: []entry.ReviewRule{{Approvals: 1, Labels: map[string][]string{"model": {"kite"}}}}}, `no term "kite"`},
		"negative days": {entry.Reviewing{NextAfter: -1}, "1 to 3650"},
	} {
		_, err := w.as("curator").SetPolicy(ctx, 1, check.Policy{Review: bad.review})
		refused(t, name, err, http.StatusUnprocessableEntity, bad.says)
	}
}

func TestApproveAndReturnAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.submitted(snippet("both", "Text.\n"))
	// Two approvals by one person from two windows, and a return by another.
	calls := []func() error{
		func() error { _, err := w.as("reviewer").Approve(ctx, "both", ""); return err },
		func() error { _, err := w.as("reviewer").Approve(ctx, "both", ""); return err },
		func() error { _, err := w.as("chief").Return(ctx, "both", "No."); return err },
	}
	w.as("reviewer")
	w.as("chief")
	var wg sync.WaitGroup
	errs := make([]error, len(calls))
	for i, call := range calls {
		wg.Go(func() { errs[i] = call() })
	}
	wg.Wait()
	for i, err := range errs {
		if err != nil && client.Status(err) != http.StatusConflict {
			t.Errorf("call %d: %v", i, err)
		}
	}
	now := step[api.Entry](t, "read")(w.as("curator").Entry(ctx, "both"))
	if want := map[entry.State]int{entry.Approved: 1, entry.Draft: 0}; len(now.Approvals) != want[now.State] {
		t.Errorf("it is %s with %d approvals", now.State, len(now.Approvals))
	}
}

func TestPublishTwiceAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.submitted(snippet("once", "Text.\n"))
	step[api.Entry](t, "approve")(w.as("reviewer").Approve(ctx, "once", ""))
	curators := []*client.Client{w.as("curator"), w.as("chief")}
	errs := make([]error, 8)
	var wg sync.WaitGroup
	for n := range errs {
		wg.Go(func() { _, errs[n] = curators[n%2].Publish(ctx, "once") })
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
		step[api.Entry](t, "approve")(w.as("reviewer").Approve(ctx, in.Slug, ""))
	}
	approved(snippet("close", "Kind regards.\n"))
	approved(notice("Say it in {{area}} within {{hours}}.\n{{include close}}\n"))
	_, err := curator.Publish(ctx, "burst-main-notice")
	refused(t, "alone, without what it includes", err, http.StatusUnprocessableEntity, "close")
	_, err = curator.PublishTogether(ctx, []string{"burst-main-notice", "gone"}, nil)
	refused(t, "with what is not there", err, http.StatusNotFound, "gone")
	if e := step[api.Entry](t, "read")(curator.Entry(ctx, "burst-main-notice")); e.State != entry.Approved {
		t.Errorf("after a refusal one of them is %s", e.State)
	}
	out := step[api.Published](t, "together")(curator.PublishTogether(ctx, []string{"burst-main-notice", "close"}, nil))
	if len(out.Items) != 2 || out.Items[0].State != entry.Published || out.Items[1].State != entry.Published {
		t.Errorf("published together: %+v", out.Items)
	}

	// At a time, together; one of them is returned before it.
	approved(snippet("early", "Early.\n"))
	approved(snippet("late", "Late.\n"))
	at := w.clock.now().Add(time.Hour)
	_, err = curator.PublishTogether(ctx, []string{"early"}, new(at.Add(-2*time.Hour)))
	refused(t, "in the past", err, http.StatusUnprocessableEntity, "is past")
	_, err = w.as("reviewer").PublishAt(ctx, "early", at)
	refused(t, "by a reviewer", err, http.StatusForbidden, "only a curator may publish")
	set := step[api.Published](t, "at a time")(curator.PublishTogether(ctx, []string{"early", "late"}, &at))
	if set.Items[0].PublishAt == nil || !set.Items[0].PublishAt.Equal(at.Truncate(time.Microsecond)) || set.Items[0].State != entry.Approved {
		t.Errorf("set for a time: %+v", set.Items[0])
	}
	due := func(want int) {
		t.Helper()
		if n, err := w.lib.PublishDue(ctx); err != nil || n != want {
			t.Fatalf("%d were due (%v), want %d", n, err, want)
		}
	}
	due(0)
	step[api.Entry](t, "return")(w.as("reviewer").Return(ctx, "late", "Not yet."))
	same(t, "a curator's desk", waits(t, curator), "failed:early")
	w.clock.pass(2 * time.Hour)
	due(0) // it waits for a word
	same(t, "and still", waits(t, curator), "failed:early")
	list := step[api.Publications](t, "publications")(curator.Publications(ctx))
	if len(list.Items) != 1 || !strings.Contains(list.Items[0].Failed, "late, which was to be published with it, was returned") {
		t.Errorf("publications: %+v", list.Items)
	}
	if err := curator.DropPublication(ctx, list.Items[0].ID); err != nil {
		t.Fatal(err)
	}
	refused(t, "drop it twice", curator.DropPublication(ctx, list.Items[0].ID), http.StatusNotFound, "no publication")

	at = w.clock.now().Add(time.Hour)
	step[api.Entry](t, "at a time")(curator.PublishAt(ctx, "early", at))
	w.clock.pass(2 * time.Hour)
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
	step[api.Entry](t, "approve")(w.as("reviewer").Approve(ctx, "burst-main-notice", ""))
	step[api.Entry](t, "schedule")(w.as("curator").PublishAt(ctx, "burst-main-notice", w.clock.now().Add(time.Hour)))
	step[api.Entry](t, "retire")(w.as("curator").Retire(ctx, "close", api.Retirement{Because: "Old."}))
	w.clock.pass(2 * time.Hour)
	if n, err := w.lib.PublishDue(ctx); n != 1 || err != nil {
		t.Fatalf("%d were due (%v)", n, err)
	}
	e := step[api.Entry](t, "read")(w.as("curator").Entry(ctx, "burst-main-notice"))
	if e.State != entry.Approved || e.Published != 0 {
		t.Errorf("it is %s, want it approved and not on the shelf", e.State)
	}
	desk := step[api.Desk](t, "desk")(w.as("curator").Desk(ctx, 0, ""))
	if len(desk.Items) != 1 || !strings.Contains(desk.Items[0].Why, "could not be published at its time") || !strings.Contains(desk.Items[0].Why, "close") {
		t.Errorf("the curator's desk: %+v", desk.Items)
	}
}

func TestTakeBackAndBringBack(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator, author := w.as("curator"), w.as("contributor")
	in := snippet("wording", "First.\n")
	in.Code = "wrd"
	w.publish(in)
	in.Body, in.Code = "Second.\n", ""
	w.publish(in)
	_, err := author.TakeBack(ctx, "wording", "Wrong.")
	refused(t, "by a contributor", err, http.StatusForbidden, "only a curator may take back")
	_, err = curator.TakeBack(ctx, "wording", "")
	refused(t, "without a reason", err, http.StatusUnprocessableEntity, "the reason is missing")
	back := step[api.Entry](t, "take back")(curator.TakeBack(ctx, "wording", "Wrong text."))
	if back.Version != 2 || back.State != entry.Superseded || back.TakenBack != "Wrong text." || back.Published != 1 {
		t.Errorf("taken back: version %d, %s, %q, %d on the shelf", back.Version, back.State, back.TakenBack, back.Published)
	}
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "wrd")); e.Body != "First.\n" {
		t.Errorf("on the shelf by its short code: %q, want the first again", e.Body)
	}
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "wording@2")); e.Body != "Second.\n" {
		t.Errorf("version 2: %q, want it kept", e.Body)
	}
	w.clock.pass(entry.TakeBackWithin + time.Minute)
	_, err = curator.TakeBack(ctx, "wording", "Again.")
	refused(t, "too late", err, http.StatusConflict, "over 15 minutes ago")

	// The first version of an entry has none before it: it is retired.
	w.publish(snippet("hasty", "Text.\n"))
	gone := step[api.Entry](t, "take back")(curator.TakeBack(ctx, "hasty", "Too soon."))
	if gone.State != entry.Retired || gone.Retired == nil || gone.Retired.Because != "Too soon." {
		t.Errorf("a first version taken back is %s", gone.State)
	}
	_, err = curator.TakeBack(ctx, "hasty", "Again.")
	refused(t, "twice", err, http.StatusConflict, "hasty is retired")

	// An old version's text begins the next one.
	next := step[api.Entry](t, "bring back")(author.BringBack(ctx, "wording", 2))
	if next.Version != 3 || next.State != entry.Draft || next.Body != "Second.\n" || next.Note == "" {
		t.Errorf("brought back: version %d, %s, %q, note %q", next.Version, next.State, next.Body, next.Note)
	}
	_, err = author.BringBack(ctx, "wording", 1)
	refused(t, "while one is open", err, http.StatusConflict, "version 3 of wording is a draft")
	_, err = author.BringBack(ctx, "wording", 9)
	refused(t, "what is not there", err, http.StatusNotFound, "no version 9")
	_, err = w.as("second").BringBack(ctx, "wording", 1)
	refused(t, "somebody else's", err, http.StatusForbidden, "its owner, its deputy or a curator")
	_, err = author.BringBack(ctx, "hasty", 7)
	refused(t, "a version that never was", err, http.StatusNotFound, "no version 7")
}

func TestStaleEntriesAndStillGood(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author := w.as("contributor")
	w.publish(snippet("hours", "Seven to eight.\n"))
	e := step[api.Entry](t, "read")(author.Entry(ctx, "hours"))
	if want := w.clock.now().AddDate(0, 0, 180).Format(time.DateOnly); e.ReviewBy != want || e.Stale {
		t.Errorf("published: to be looked at again by %q (stale %t), want %q", e.ReviewBy, e.Stale, want)
	}
	if got := waits(t, author); len(got) > 0 {
		t.Errorf("the desk of its owner has %v", got)
	}
	w.clock.pass(182 * 24 * time.Hour)
	w.clients = map[string]*client.Client{} // they have been signed out since
	author = w.as("contributor")
	same(t, "half a year on", waits(t, author), "stale:hours")
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "hours")); !e.Stale {
		t.Error("readers are not told that it is stale")
	}
	_, err := w.as("second").StillGood(ctx, "hours", "")
	refused(t, "by somebody else", err, http.StatusForbidden, "its owner, its deputy or a curator")
	kept := step[api.Entry](t, "still good")(author.StillGood(ctx, "hours", "Asked the desk."))
	if want := w.clock.now().AddDate(0, 0, 180).Format(time.DateOnly); kept.Stale || kept.ReviewBy != want {
		t.Errorf("still good until %q (stale %t), want %q", kept.ReviewBy, kept.Stale, want)
	}
	if got := waits(t, author); len(got) > 0 {
		t.Errorf("the desk of its owner still has %v", got)
	}
	_, err = author.StillGood(ctx, "burst-main-notice", "")
	refused(t, "what is not there", err, http.StatusNotFound)
}

func TestDeskGathersAll(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author := w.as("contributor")
	w.publish(snippet("close", "Regards.\n"))
	w.publish(of(entry.Persona, "clerk", "You are a clerk.\n"))
	user := notice("Say it in {{area}} within {{hours}}.\n")
	user.Persona = "clerk"
	w.publish(user)
	step[api.Entry](t, "create")(author.Create(ctx, snippet("lying", "Left.\n")))
	w.clock.pass(31 * 24 * time.Hour)
	w.clients = map[string]*client.Client{}
	author = w.as("contributor")
	curator := w.as("curator")
	step[api.Entry](t, "create")(author.Create(ctx, snippet("fresh", "New.\n")))
	w.submitted(snippet("back", "Text.\n"))
	step[api.Entry](t, "return")(w.as("reviewer").Return(ctx, "back", "Why?"))
	w.submitted(snippet("good", "Text of it.\n"))
	step[api.Entry](t, "approve")(w.as("reviewer").Approve(ctx, "good", ""))
	same(t, "an author's desk", waits(t, author), "returned:back", "draft:fresh", "untouched:lying")
	same(t, "a curator's desk", waits(t, curator), "approved:good")

	// What an entry uses goes, in a way that the service itself would refuse.
	w.exec(`update versions v set state = 'retired' from entries e where e.id = v.entry_id and e.slug = 'clerk'`)
	same(t, "an author's desk", waits(t, author), "returned:back", "lost:burst-main-notice", "draft:fresh", "untouched:lying")

	// Who leaves is signed out, and what they own waits for a curator.
	no := false
	step[api.Colleague](t, "deactivate")(curator.ChangePerson(ctx, "contributor", api.PersonChange{Active: &no}))
	_, err := author.Desk(ctx, 0, "")
	refused(t, "after having left", err, http.StatusUnauthorized)
	got := waits(t, curator)
	for _, want := range []string{"approved:good", "orphan:burst-main-notice", "orphan:close", "orphan:lying"} {
		if !slices.Contains(got, want) {
			t.Errorf("a curator's desk has %v, and lacks %s", got, want)
		}
	}
	figures := step[api.Ownership](t, "ownership")(curator.Ownership(ctx))
	n := slices.IndexFunc(figures.Items, func(d api.DepartmentFigures) bool { return d.Department == "customer-care" })
	if n < 0 || figures.Items[n].Orphans != 1 || figures.Items[n].Entries != 1 || figures.Items[n].Published != 1 || figures.Items[n].NoDeputy != 1 {
		t.Errorf("ownership: %+v", figures.Items)
	}

	// Page by page it is the same, in the same order.
	var paged []string
	for cursor, more := "", true; more; more = cursor != "" {
		page := step[api.Desk](t, "page")(curator.Desk(ctx, 2, cursor))
		if len(page.Items) > 2 || page.Total != len(got) {
			t.Errorf("a page of %d, %d in all, want at most 2 of %d", len(page.Items), page.Total, len(got))
		}
		for _, it := range page.Items {
			paged = append(paged, it.Waits+":"+it.Slug)
		}
		cursor = page.Next
	}
	same(t, "page by page", paged, got...)
	_, err = curator.Desk(ctx, 0, "no-cursor")
	refused(t, "a cursor that is none", err, http.StatusUnprocessableEntity, "cursor")
}

func TestHandOver(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author, second, curator := w.as("contributor"), w.as("second"), w.as("curator")
	step[api.Entry](t, "create")(author.Create(ctx, snippet("mine", "Text.\n")))
	_, etag, err := author.Draft(ctx, "mine")
	if err != nil {
		t.Fatal(err)
	}
	for name, bad := range map[string]struct {
		to, says string
	}{
		"oneself": {"contributor", "owns mine already"}, "nobody": {"nobody", `nobody called "nobody"`}, "a reader": {"reader", "a reader owns nothing"},
	} {
		_, err := author.HandOver(ctx, "mine", bad.to)
		refused(t, name, err, http.StatusUnprocessableEntity, bad.says)
	}
	_, err = second.HandOver(ctx, "mine", "second")
	refused(t, "taking somebody else's", err, http.StatusNotFound)

	out := step[api.HandedOver](t, "offer")(author.HandOver(ctx, "mine", "second"))
	if !slices.Equal(out.Offered, []string{"mine"}) || len(out.Done) > 0 {
		t.Errorf("handed over: %+v, want it offered", out)
	}
	same(t, "the new owner's desk", waits(t, second), "offered:mine")
	_, err = w.as("chief").Accept(ctx, "mine")
	refused(t, "accepted by another", err, http.StatusNotFound, "not offered to you")
	step[api.Entry](t, "decline")(second.Decline(ctx, "mine"))
	_, err = second.Accept(ctx, "mine")
	refused(t, "accept what was declined", err, http.StatusNotFound, "not offered to you")
	step[api.HandedOver](t, "offer again")(author.HandOver(ctx, "mine", "second"))
	mine := step[api.Entry](t, "accept")(second.Accept(ctx, "mine"))
	if mine.Owner != "second" {
		t.Errorf("accepted, and owned by %s", mine.Owner)
	}
	// A draft that was read before the hand-over is read again before it is saved.
	_, _, err = second.SaveDraft(ctx, "mine", etag, snippet("mine", "Changed.\n"))
	refused(t, "save on what was read before", err, http.StatusPreconditionFailed)

	// By a curator's word it is done at once, also for all of a person's.
	step[api.Entry](t, "create")(second.Create(ctx, snippet("also-mine", "Text of it.\n")))
	no, yes := false, true
	step[api.Colleague](t, "deactivate")(curator.ChangePerson(ctx, "contributor", api.PersonChange{Active: &no}))
	_, err = curator.HandOver(ctx, "mine", "contributor")
	refused(t, "to someone who has left", err, http.StatusUnprocessableEntity, "has left")
	_, err = curator.HandOverAll(ctx, "second", "second")
	refused(t, "all to oneself", err, http.StatusUnprocessableEntity, "has these entries already")
	_, err = w.as("reviewer").HandOverAll(ctx, "second", "reviewer")
	refused(t, "all of another's", err, http.StatusForbidden, "only a curator")
	all := step[api.HandedOver](t, "all")(curator.HandOverAll(ctx, "second", "chief"))
	same(t, "handed over", all.Done, "also-mine", "mine")

	mineNow := func(who string) (slugs []string) {
		t.Helper()
		for _, it := range step[api.List](t, "mine")(w.as(who).Entries(ctx, client.Query{Mine: true})).Items {
			slugs = append(slugs, it.Slug)
		}
		slices.Sort(slugs)
		return slugs
	}
	same(t, "the new owner's", mineNow("chief"), "also-mine", "mine")
	same(t, "the old owner's", mineNow("second"))

	deputy := "second"
	kept := step[api.Entry](t, "keepers")(curator.SetKeepers(ctx, "mine", api.Keepers{Deputy: &deputy}))
	if kept.Deputy != "second" || kept.Owner != "chief" {
		t.Errorf("kept by %s and %s", kept.Owner, kept.Deputy)
	}
	same(t, "the deputy's", mineNow("second"), "mine")
	deputy = "chief"
	_, err = curator.SetKeepers(ctx, "mine", api.Keepers{Deputy: &deputy})
	refused(t, "owner and deputy in one", err, http.StatusUnprocessableEntity, "same person")
	where := "moon"
	_, err = curator.SetKeepers(ctx, "mine", api.Keepers{Department: &where})
	refused(t, "no such department", err, http.StatusUnprocessableEntity, `no department "moon"`)
	nobody := "nobody"
	_, err = curator.SetKeepers(ctx, "mine", api.Keepers{Department: &where, Deputy: &nobody})
	refused(t, "neither is there", err, http.StatusUnprocessableEntity, `no department "moon"`)
	refused(t, "neither is there", err, http.StatusUnprocessableEntity, `nobody called "nobody"`)

	// Who stands in is no answer to an offer; who answers for it is.
	step[api.HandedOver](t, "hand over")(curator.HandOver(ctx, "mine", "second"))
	step[api.HandedOver](t, "offer")(second.HandOver(ctx, "mine", "reviewer"))
	deputy = "chief"
	if kept = step[api.Entry](t, "keepers")(second.SetKeepers(ctx, "mine", api.Keepers{Deputy: &deputy})); kept.Offer == nil {
		t.Error("with another deputy the offer is gone")
	}
	step[api.HandedOver](t, "hand back")(curator.HandOver(ctx, "mine", "chief"))
	if kept = step[api.Entry](t, "entry")(curator.Entry(ctx, "mine")); kept.Offer != nil || kept.Owner != "chief" {
		t.Errorf("handed over, its owner is %s and its offer %+v", kept.Owner, kept.Offer)
	}

	// Somebody is always left who can put things right.
	step[api.Colleague](t, "one curator fewer")(curator.ChangePerson(ctx, "chief", api.PersonChange{Active: &no}))
	_, err = curator.ChangePerson(ctx, "curator", api.PersonChange{Active: &no})
	refused(t, "the last curator leaves", err, http.StatusUnprocessableEntity, "the last curator")
	step[api.Colleague](t, "and comes back")(curator.ChangePerson(ctx, "chief", api.PersonChange{Active: &yes}))
	_, err = w.as("reviewer").ChangePerson(ctx, "reader", api.PersonChange{Active: &no})
	refused(t, "a reviewer changes people", err, http.StatusForbidden, "only a curator")
	from, until := "2026-12-01", "2026-11-30"
	_, err = w.as("reviewer").ChangePerson(ctx, "reviewer", api.PersonChange{AwayFrom: &from, AwayUntil: &until})
	refused(t, "back before being away", err, http.StatusUnprocessableEntity, "is before the first")
	made := step[api.Colleague](t, "add")(curator.AddPerson(ctx, api.NewColleague{Person: api.Person{Name: "new.one", FullName: "New One", Role: entry.Contributor, Department: "laboratory"}}))
	if !made.Active || made.Role != entry.Contributor {
		t.Errorf("added: %+v", made)
	}
	_, err = curator.AddPerson(ctx, api.NewColleague{Person: api.Person{Name: "new.one", FullName: "X", Role: entry.Reader}})
	refused(t, "add twice", err, http.StatusConflict, "there is someone with the name")
}
