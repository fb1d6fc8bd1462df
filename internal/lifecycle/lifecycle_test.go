package lifecycle_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/audit"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/ownership"
	"goldshelf/internal/people"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// Thirty submissions at once, where nothing is remembered yet, all come through: none
// holds a connection and waits for a second one.
func TestSubmissionsAtOnce(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	var all []api.NewEntry
	for i := range 30 {
		persona := testdb.Part(entry.Persona, fmt.Sprintf("voice-%d", i), fmt.Sprintf("You are the officer on shift %d.\n", i))
		in := testdb.Prompt(fmt.Sprintf("notice-%d", i), fmt.Sprintf("Write notice %d to {{area}}. {{include close-%d}}\n", i, i))
		in.Persona = persona.Slug
		w.Publish(testdb.Part(entry.Snippet, fmt.Sprintf("close-%d", i), fmt.Sprintf("Close kindly, as in %d.\n", i)), persona)
		all = append(all, in)
	}
	w.Create(all...)
	life := lifecycle.New(w.Second()) // as a service that has only just begun
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	var calls []func() error
	for _, in := range all {
		calls = append(calls, func() error { _, err := life.Submit(ctx, w.By("contributor"), in.Slug, "Ready."); return err })
	}
	for i, err := range testdb.Race(calls...) {
		if err != nil {
			t.Errorf("%s: %v", all[i].Slug, err)
		}
	}
}

// Whoever publishes what includes a snippet, and whoever retires the snippet, never
// both succeed.
func TestRetireAgainstPublish(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, other := lifecycle.New(w.DB), lifecycle.New(w.Second())
	won := map[string]int{}
	for i := range 20 {
		part := fmt.Sprintf("close-%d", i)
		in := testdb.Prompt(fmt.Sprintf("notice-%d", i), fmt.Sprintf("Write to {{area}}. {{include %s}}\n", part))
		w.Publish(testdb.Part(entry.Snippet, part, "Close kindly.\n"))
		w.Approve(in)
		errs := testdb.Race(
			func() error {
				_, err := life.Publish(t.Context(), w.By("curator"), in.Slug, w.Seen(in.Slug), nil)
				return err
			},
			func() error {
				_, err := other.Retire(t.Context(), w.By("chief"), part, api.Retirement{Because: "Old."})
				return err
			},
		)
		var stops *entry.Refusal
		var list problem.List
		var used *lifecycle.InUse
		switch {
		case errs[0] == nil && errors.As(errs[1], &used):
			won["publish"]++
		case errs[1] == nil && (errors.As(errs[0], &list) || errs[0] != nil && !errors.As(errs[0], &stops)):
			won["retire"]++
		default:
			t.Fatalf("publishing came to %v, and retiring to %v", errs[0], errs[1])
		}
	}
	t.Logf("won: %v", won)
}

// What is put back on the shelf must still be whole: what it includes may be gone.
func TestWhatComesBackIsWhole(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, ctx, curator := lifecycle.New(w.DB), t.Context(), w.By("curator")
	in := testdb.Prompt("notice", "Write to {{area}}. {{include close-kindly}}\n")
	w.Publish(testdb.Part(entry.Snippet, "close-kindly", "Close kindly.\n"), in)
	in.Body = "Write to {{area}}.\n"
	w.Save("notice", in)
	w.Review("notice")
	if _, err := life.Publish(ctx, curator, "notice", w.Seen("notice"), nil); err != nil {
		t.Fatal(err)
	}
	if _, err := life.Retire(ctx, curator, "close-kindly", api.Retirement{Because: "Old."}); err != nil {
		t.Fatal(err)
	}
	_, err := life.Unpublish(ctx, curator, "notice", "Too short.")
	if err == nil || !strings.Contains(err.Error(), "close-kindly was retired") {
		t.Errorf("version 1 would be on the shelf again, without what it includes: %v", err)
	}
}

// An entry that had a label when it was published needs those who answer for that label
// also after it was taken off; and of two policies on one, one is set.
func TestPastLabelsKeepTheirNeed(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, ctx := lifecycle.New(w.DB), t.Context()
	in := testdb.Prompt("sample-note", "Write to {{area}} about the sample.\n")
	in.Labels["department"] = []string{"laboratory"}
	w.Publish(in)

	rules := check.Policy{Review: entry.Reviewing{Rules: []entry.ReviewRule{{
		Labels: map[string][]string{"department": {"laboratory"}}, Approvals: 1, From: []entry.From{{Department: "laboratory"}},
	}}}}
	var clashed *work.Outdated
	errs := testdb.Race(
		func() error { _, err := life.SetPolicy(ctx, w.By("curator"), 0, rules); return err },
		func() error { _, err := life.SetPolicy(ctx, w.By("chief"), 0, rules); return err },
	)
	if errs[0] == nil && !errors.As(errs[1], &clashed) || errs[0] != nil && (errs[1] != nil || !errors.As(errs[0], &clashed)) {
		t.Errorf("two policies on one: %v", errs)
	}

	if _, err := labels.New(w.DB).SetOf(ctx, w.By("contributor"), "sample-note", map[string][]string{"department": {"customer-care"}}); err != nil {
		t.Fatal(err)
	}
	in.Body, in.Labels = "Write to {{area}} about the sample, kindly.\n", nil
	w.Save("sample-note", in)
	if _, err := life.Submit(ctx, w.By("contributor"), "sample-note", "Kinder."); err != nil {
		t.Fatal(err)
	}
	e, err := life.Approve(ctx, w.By("reviewer"), "sample-note", w.Seen("sample-note"), "")
	if err != nil || e.State != entry.InReview {
		t.Errorf("approved by someone of no laboratory it is %s, %v", e.State, err)
	}
	if e, err = life.Approve(ctx, w.By("tester"), "sample-note", w.Seen("sample-note"), ""); err != nil || e.State != entry.Approved {
		t.Errorf("approved by the laboratory it is %s, %v", e.State, err)
	}
}

// Submitted without a note, a draft is submitted with the one that it has, and that is
// what the record says.
func TestTheDraftsOwnNoteIsRecorded(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	life := lifecycle.New(w.DB)
	w.Create(testdb.Prompt("notice", "Write to {{area}}.\n"))
	if _, err := life.Submit(ctx, w.By("contributor"), "notice", "The first one."); err != nil {
		t.Fatal(err)
	}
	if _, err := life.Withdraw(ctx, w.By("contributor"), "notice"); err != nil {
		t.Fatal(err)
	}
	if _, err := life.Submit(ctx, w.By("contributor"), "notice", ""); err != nil {
		t.Fatal(err)
	}
	got, err := audit.New(w.DB).Records(ctx, w.By("curator"), audit.Query{Slug: "notice", Action: "submit"})
	if err != nil || len(got.Items) != 2 {
		t.Fatalf("%d submissions are recorded, %v", len(got.Items), err)
	}
	for _, r := range got.Items {
		if r.Detail["note"] != "The first one." {
			t.Errorf("recorded: %v", r.Detail)
		}
	}
}

// An approval, a return and a publication are of the text that was read: a version that
// was opened and submitted again with other words is decided about by nobody who read
// the ones before, also where the two come at the same moment.
func TestADecisionIsAboutWhatWasRead(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	life := lifecycle.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Create(in)
	submit := func() entry.Digest {
		t.Helper()
		e, err := life.Submit(ctx, w.By("contributor"), "notice", "Ready.")
		if err != nil || e.Seen == "" {
			t.Fatalf("submitted: %q, %v", e.Seen, err)
		}
		return e.Seen
	}
	rewrite := func(body string) {
		t.Helper()
		if _, err := life.Withdraw(ctx, w.By("contributor"), "notice"); err != nil {
			t.Fatal(err)
		}
		in.Body = body
		w.Save("notice", in)
	}
	read := submit()
	rewrite("Write to {{area}}, and promise money.\n")
	now := submit()
	var other *texts.OtherText
	for name, decide := range map[string]func(seen entry.Digest) error{
		"approve": func(seen entry.Digest) error {
			_, err := life.Approve(ctx, w.By("reviewer"), "notice", seen, "")
			return err
		},
		"return": func(seen entry.Digest) error {
			_, err := life.Return(ctx, w.By("reviewer"), "notice", seen, "No.")
			return err
		},
	} {
		if err := decide(read); !errors.As(err, &other) || other.Now != now {
			t.Errorf("%s of what was read before: %v", name, err)
		}
	}
	// The same words again are what was read.
	rewrite("Write to {{area}}.\n")
	if again := submit(); again != read {
		t.Errorf("the same text is %s and %s", again, read)
	}
	// Rewritten while it is approved: either comes first, and the approval is never of
	// the other text.
	errs := testdb.Race(
		func() error { _, err := life.Approve(ctx, w.By("reviewer"), "notice", read, ""); return err },
		func() error {
			if _, err := life.Withdraw(ctx, w.By("contributor"), "notice"); err != nil {
				return err
			}
			in.Body = "Write to {{area}}, and promise money.\n"
			w.Save("notice", in)
			_, err := life.Submit(ctx, w.By("contributor"), "notice", "Ready.")
			return err
		},
	)
	if e := w.Seen("notice"); e == now && errs[0] == nil && errs[1] == nil {
		t.Errorf("what was approved is another text: %v", errs)
	}
	if _, err := life.Publish(ctx, w.By("curator"), "notice", "somethingelse", nil); err == nil {
		t.Error("another text was published than was read")
	}
}

// A first approval does not make the second reviewer read again.
func TestTheSecondApprovalIsOfTheSameText(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	life := lifecycle.New(w.DB)
	twoFromTheLaboratory(t, w)
	in := testdb.Prompt("sample", "Say of {{area}} how it is boiled.\n")
	in.Labels["department"] = []string{"laboratory"}
	w.Create(in)
	e, err := life.Submit(ctx, w.By("contributor"), "sample", "Ready.")
	if err != nil {
		t.Fatal(err)
	}
	for i, by := range []string{"reviewer", "tester"} {
		now, err := life.Approve(ctx, w.By(by), "sample", e.Seen, "")
		if err != nil || (now.State == entry.Approved) != (i == 1) {
			t.Errorf("%s: %s, %v", by, now.State, err)
		}
	}
}

func twoFromTheLaboratory(t *testing.T, w *testdb.World) {
	t.Helper()
	p := check.Policy{Review: entry.Reviewing{Rules: []entry.ReviewRule{
		{Departments: []string{"laboratory"}, Approvals: 2, From: []entry.From{{Department: "laboratory"}}},
	}}}
	if _, err := lifecycle.New(w.DB).SetPolicy(t.Context(), w.By("curator"), 0, p); err != nil {
		t.Fatal(err)
	}
}

// An approval counts while its person may review: not for the next approval, and not for the
// publication, once they lost the role or left.
func TestApprovalEndsWithItsApproversRole(t *testing.T) {
	t.Parallel()
	for name, loss := range map[string]string{
		"lost the role": "update people set role = 'contributor' where name = '%s'",
		"left":          "update people set active = false where name = '%s'",
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w, ctx := databases.World(t, nil), t.Context()
			life := lifecycle.New(w.DB)
			p := check.Policy{Review: entry.Reviewing{Rules: []entry.ReviewRule{{Approvals: 2}}}}
			if _, err := life.SetPolicy(ctx, w.By("curator"), 0, p); err != nil {
				t.Fatal(err)
			}
			w.Create(testdb.Prompt("sample", "Say it to {{area}}.\n"))
			e, err := life.Submit(ctx, w.By("contributor"), "sample", "Ready.")
			if err != nil {
				t.Fatal(err)
			}
			approve := func(who string, want entry.State) {
				t.Helper()
				if e, err = life.Approve(ctx, w.By(who), "sample", e.Seen, ""); err != nil || e.State != want {
					t.Fatalf("approved by %s: %s, %v, want %s", who, e.State, err, want)
				}
			}
			approve("reviewer", entry.InReview)
			w.Exec(fmt.Sprintf(loss, "reviewer"))
			approve("tester", entry.InReview)
			approve("chief", entry.Approved)
			w.Exec(fmt.Sprintf(loss, "tester"))
			if _, err := life.Publish(ctx, w.By("curator"), "sample", e.Seen, nil); !errors.Is(err, entry.ErrWrongState) || !strings.Contains(err.Error(), "1 approval more") {
				t.Errorf("published: %v", err)
			}
			if _, err := life.Return(ctx, w.By("curator"), "sample", e.Seen, "An approver has left."); err != nil {
				t.Errorf("returned: %v", err)
			}
		})
	}
}

// What a review needs does not shrink by moving the entry: before it is submitted, while
// it is in review, or by another policy meanwhile.
func TestWhatAReviewNeedsIsNotMovedAway(t *testing.T) {
	t.Parallel()
	for name, move := range map[string]func(t *testing.T, w *testdb.World, when string){
		"before it is submitted": func(t *testing.T, w *testdb.World, when string) {
			if when == "before" {
				toDepartment(t, w, "customer-care")
			}
		},
		"while it is in review": func(t *testing.T, w *testdb.World, when string) {
			if when == "after" {
				toDepartment(t, w, "customer-care")
			}
		},
		"by another policy": func(t *testing.T, w *testdb.World, when string) {
			if when != "after" {
				return
			}
			life := lifecycle.New(w.DB)
			p, err := life.Policy(t.Context())
			if err == nil {
				_, err = life.SetPolicy(t.Context(), w.By("curator"), p.Number, check.Policy{})
			}
			if err != nil {
				t.Fatal(err)
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w, ctx := databases.World(t, nil), t.Context()
			life := lifecycle.New(w.DB)
			twoFromTheLaboratory(t, w)
			in := testdb.Prompt("sample", "Say of {{area}} how it is boiled.\n")
			in.Labels["department"] = nil
			w.Create(in)
			toDepartment(t, w, "laboratory")
			move(t, w, "before")
			e, err := life.Submit(ctx, w.By("contributor"), "sample", "Ready.")
			if err != nil || e.Wanted != 2 {
				t.Fatalf("it wants %d, %v", e.Wanted, err)
			}
			move(t, w, "after")
			for _, by := range []string{"reviewer", "chief"} {
				if e, err = life.Approve(ctx, w.By(by), "sample", e.Seen, ""); err != nil || e.State != entry.InReview {
					t.Fatalf("approved by %s, it is %s, %v", by, e.State, err)
				}
			}
			if e, err = life.Approve(ctx, w.By("tester"), "sample", e.Seen, ""); err != nil || e.State != entry.Approved {
				t.Errorf("approved by one of the laboratory too, it is %s, %v", e.State, err)
			}
		})
	}
}

func toDepartment(t *testing.T, w *testdb.World, department string) {
	t.Helper()
	if _, err := ownership.New(w.DB).SetOwners(t.Context(), w.By("contributor"), "sample", api.Owners{Department: &department}); err != nil {
		t.Fatal(err)
	}
}

// Whoever wrote a text does not approve it when it is restored by somebody else.
func TestARestoredTextKeepsItsWriters(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	life, write := lifecycle.New(w.DB), writing.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	if _, err := write.Create(ctx, w.By("reviewer"), in); err != nil { // who may approve, but not this
		t.Fatal(err)
	}
	publish := func(by, approver string) {
		t.Helper()
		if _, err := life.Submit(ctx, w.By(by), "notice", "Ready."); err != nil {
			t.Fatal(err)
		}
		if _, err := life.Approve(ctx, w.By(approver), "notice", w.Seen("notice"), ""); err != nil {
			t.Fatal(err)
		}
		if _, err := life.Publish(ctx, w.By("curator"), "notice", w.Seen("notice"), nil); err != nil {
			t.Fatal(err)
		}
	}
	publish("reviewer", "tester")
	in.Body = "Write soon to {{area}}.\n"
	if _, err := write.SaveDraft(ctx, w.By("chief"), "notice", texts.Revision{}, in); err != nil {
		t.Fatal(err)
	}
	publish("chief", "tester")
	if _, err := write.RestoreVersion(ctx, w.By("chief"), "notice", 1); err != nil {
		t.Fatal(err)
	}
	if _, err := life.Submit(ctx, w.By("chief"), "notice", "As before."); err != nil {
		t.Fatal(err)
	}
	var refusal *entry.Refusal
	if _, err := life.Approve(ctx, w.By("reviewer"), "notice", w.Seen("notice"), ""); !errors.As(err, &refusal) || refusal.Kind != entry.ErrOwnWork {
		t.Errorf("its first writer: %v", err)
	}
	if _, err := life.Approve(ctx, w.By("tester"), "notice", w.Seen("notice"), ""); err != nil {
		t.Errorf("somebody else: %v", err)
	}
}

// A curator who writes a text and then makes its reviewer, or lets them in, is told of:
// in the review, the history and the record.
func TestWhoMadeTheReviewerIsTold(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	life, staff, curator := lifecycle.New(w.DB), people.New(w.DB), w.By("curator")
	reviewer, reader := entry.Reviewer, entry.Reader
	for slug, make := range map[string]func() error{
		"account": func() error { return nil },
		"link":    func() error { _, err := staff.NewPasswordLink(ctx, curator, "tester"); return err },
		"role": func() error {
			if _, err := staff.Change(ctx, curator, "tester", api.PersonChange{Role: &reader}); err != nil {
				return err
			}
			_, err := staff.Change(ctx, curator, "tester", api.PersonChange{Role: &reviewer})
			return err
		},
		"long ago": func() error {
			_, err := staff.NewPasswordLink(ctx, curator, "tester")
			w.Clock.Pass(31 * 24 * time.Hour)
			return err
		},
		"by another": func() error { _, err := staff.NewPasswordLink(ctx, w.By("chief"), "tester"); return err },
	} {
		w.Clock.Pass(40 * 24 * time.Hour)
		slug = strings.ReplaceAll(slug, " ", "-")
		if _, err := writing.New(w.DB).Create(ctx, curator, testdb.Prompt("notice-"+slug, "Write to {{area}}.\n")); err != nil {
			t.Fatal(err)
		}
		by := w.By("tester")
		if slug == "account" {
			if _, err := staff.Add(ctx, curator, api.Person{Name: "new.one", FullName: "New One", Role: reviewer}); err != nil {
				t.Fatal(err)
			}
			var err error
			if by, err = work.Ask(ctx, w.DB, func(v work.View) (work.Caller, error) {
				p, err := v.PersonByName("new.one")
				return work.CallerOf(p, "api"), err
			}); err != nil {
				t.Fatal(err)
			}
		}
		if err := make(); err != nil {
			t.Fatal(err)
		}
		if _, err := life.Submit(ctx, curator, "notice-"+slug, "Ready."); err != nil {
			t.Fatal(err)
		}
		e, err := life.Approve(ctx, by, "notice-"+slug, w.Seen("notice-"+slug), "")
		if err != nil {
			t.Fatal(err)
		}
		told := strings.Contains(e.Approvals[0].MadeBy, "Curator, who wrote some of it")
		if want := slug != "long-ago" && slug != "by-another"; told != want {
			t.Errorf("%s: told %q, want that: %v", slug, e.Approvals[0].MadeBy, want)
		}
	}
}

// A text that checks stop is never in review, however it is saved while it is submitted.
func TestSubmittingWhileSaving(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, write := lifecycle.New(w.DB), writing.New(w.Second())
	for n := range 12 {
		in := testdb.Prompt(fmt.Sprintf("notice-%d", n), "Write to {{area}}.\n")
		w.Create(in)
		d, err := write.Draft(t.Context(), w.By("contributor"), in.Slug)
		if err != nil {
			t.Fatal(err)
		}
		bad := in
		bad.Body = "Write to {{area}. It does not end.\n"
		testdb.Race(
			func() error { _, err := life.Submit(t.Context(), w.By("contributor"), in.Slug, "Ready."); return err },
			func() error {
				_, err := write.SaveDraft(t.Context(), w.By("contributor"), in.Slug, d.Revision, bad)
				return err
			},
		)
		e, err := write.Draft(t.Context(), w.By("reviewer"), in.Slug)
		if err != nil {
			t.Fatal(err)
		}
		if e.Entry.State == entry.InReview && e.Entry.Body != in.Body {
			t.Errorf("%s is in review and says %q", in.Slug, e.Entry.Body)
		}
	}
}
