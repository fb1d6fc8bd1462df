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
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
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
			func() error { _, err := life.Publish(t.Context(), w.By("curator"), in.Slug, nil); return err },
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
	if _, err := life.Publish(ctx, curator, "notice", nil); err != nil {
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
	e, err := life.Approve(ctx, w.By("reviewer"), "sample-note", "")
	if err != nil || e.State != entry.InReview {
		t.Errorf("approved by someone of no laboratory it is %s, %v", e.State, err)
	}
	if e, err = life.Approve(ctx, w.By("tester"), "sample-note", ""); err != nil || e.State != entry.Approved {
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
