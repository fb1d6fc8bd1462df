package server

import (
	"context"
	"net/http"
	"slices"
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
	first := step[api.Entry](t, "approve")(approve(w.as("reviewer"), "boil-lab", ""))
	if first.State != entry.InReview || first.Wanted != 1 || len(first.Approvals) != 1 {
		t.Errorf("after one approval of two: %s, %d wanted", first.State, first.Wanted)
	}
	if slices.Contains(first.Actions, entry.Approve) {
		t.Error("the one who has approved is offered to approve again")
	}
	_, err := approve(w.as("reviewer"), "boil-lab", "")
	refused(t, "approve twice", err, http.StatusConflict, "you have approved version 1 of boil-lab already")
	// Two from elsewhere are not enough: one has to be of the laboratory.
	second := step[api.Entry](t, "approve")(approve(w.as("chief"), "boil-lab", ""))
	if second.State != entry.InReview || second.Wanted != 1 {
		t.Errorf("after two from elsewhere: %s, %d wanted", second.State, second.Wanted)
	}
	if done := step[api.Entry](t, "approve")(approve(w.as("tester"), "boil-lab", "")); done.State != entry.Approved {
		t.Errorf("after one from the laboratory: %s", done.State)
	}
	// A change of the text takes them all back.
	back := step[api.Entry](t, "return")(giveBack(w.as("reviewer"), "boil-lab", "Which pan?"))
	if back.State != entry.Draft || len(back.Approvals) != 0 {
		t.Errorf("returned: %s with %d approvals", back.State, len(back.Approvals))
	}
	w.Clock.Pass(time.Hour)
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "boil-lab", "Any pan."))
	if again := step[api.Entry](t, "approve")(approve(w.as("tester"), "boil-lab", "")); again.State != entry.InReview {
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
	w.Clock.Pass(time.Hour)
	w.submitted(care("second"))
	same(t, "the first in turn", waits(t, w.as("reviewer")), "review:first")
	same(t, "the second in turn", waits(t, w.as("tester")), "review:second")
	if got := waits(t, w.as("curator")); len(got) > 0 {
		t.Errorf("a curator who is not asked has %v", got)
	}
	w.Clock.Pass(3 * 24 * time.Hour)
	same(t, "after three days", waits(t, w.as("reviewer")), "overdue:first")
	w.Clock.Pass(2 * 24 * time.Hour)
	same(t, "after five days, the next is asked too", waits(t, w.as("tester")), "overdue:first", "overdue:second")

	// Who is away is passed over.
	today := w.Clock.Now()
	from, until := today.Format(time.DateOnly), today.AddDate(0, 0, 3).Format(time.DateOnly)
	step[api.Colleague](t, "away")(w.as("tester").ChangePerson(ctx, "tester", api.PersonChange{AwayFrom: &from, AwayUntil: &until}))
	step[api.Entry](t, "approve")(approve(w.as("chief"), "first", ""))
	step[api.Entry](t, "approve")(approve(w.as("chief"), "second", ""))
	w.submitted(care("third"))
	w.Clock.Pass(time.Minute)
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
		func() error { _, err := approve(w.as("reviewer"), "both", ""); return err },
		func() error { _, err := approve(w.as("reviewer"), "both", ""); return err },
		func() error { _, err := giveBack(w.as("chief"), "both", "No."); return err },
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

func TestStaleEntriesAndRenew(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author := w.as("contributor")
	w.publish(snippet("hours", "Seven to eight.\n"))
	e := step[api.Entry](t, "read")(author.Entry(ctx, "hours"))
	if want := w.Clock.Now().AddDate(0, 0, 180).Format(time.DateOnly); e.ReviewBy != want || e.Stale {
		t.Errorf("published: to be looked at again by %q (stale %t), want %q", e.ReviewBy, e.Stale, want)
	}
	if got := waits(t, author); len(got) > 0 {
		t.Errorf("the desk of its owner has %v", got)
	}
	w.Clock.Pass(182 * 24 * time.Hour)
	w.clients = map[string]*client.Client{} // they have been signed out since
	author = w.as("contributor")
	same(t, "half a year on", waits(t, author), "stale:hours")
	if e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "hours")); !e.Stale {
		t.Error("readers are not told that it is stale")
	}
	_, err := w.as("second").Renew(ctx, "hours", "")
	refused(t, "by somebody else", err, http.StatusForbidden, "its owner, its deputy or a curator")
	kept := step[api.Entry](t, "still good")(author.Renew(ctx, "hours", "Asked the desk."))
	if want := w.Clock.Now().AddDate(0, 0, 180).Format(time.DateOnly); kept.Stale || kept.ReviewBy != want {
		t.Errorf("still good until %q (stale %t), want %q", kept.ReviewBy, kept.Stale, want)
	}
	if got := waits(t, author); len(got) > 0 {
		t.Errorf("the desk of its owner still has %v", got)
	}
	_, err = author.Renew(ctx, "burst-main-notice", "")
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
	w.Clock.Pass(31 * 24 * time.Hour)
	w.clients = map[string]*client.Client{}
	author = w.as("contributor")
	curator := w.as("curator")
	step[api.Entry](t, "create")(author.Create(ctx, snippet("fresh", "New.\n")))
	w.submitted(snippet("back", "Text.\n"))
	step[api.Entry](t, "return")(giveBack(w.as("reviewer"), "back", "Why?"))
	w.submitted(snippet("good", "Text of it.\n"))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "good", ""))
	same(t, "an author's desk", waits(t, author), "returned:back", "draft:fresh", "untouched:lying")
	same(t, "a curator's desk", waits(t, curator), "approved:good")

	// What an entry uses goes, in a way that the service itself would refuse.
	w.Exec(`update versions v set state = 'retired' from entries e where e.id = v.entry_id and e.slug = 'clerk'`)
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
