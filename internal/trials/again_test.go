package trials_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/trial"
	"goldshelf/internal/testdb"
	"goldshelf/internal/trials"
)

// limited is a library with a prompt that takes its limit from a snippet, and a trial of it
// against its test bed that has ended.
func limited(t *testing.T) (w *world, first api.Trial) {
	t.Helper()
	w = newWorld(t)
	w.Publish(testdb.Part(entry.Snippet, "limit", "Use at most 60 words.\n"))
	w.Publish(testdb.Prompt("note", "Write about the burst main in {{area}}.\n{{include limit}}\n"), testdb.Prompt("card", "Write a card about {{area}}.\n{{include limit}}\n"))
	short := trial.Bed{Fills: fills(8), Expectations: []trial.Expectation{{Kind: trial.Words, Most: most(80)}}}
	if _, err := w.trials.SetTestBed(t.Context(), w.By("contributor"), "note", 0, short); err != nil {
		t.Fatal(err)
	}
	return w, w.ended(t, "note", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 2})
}

// ended is a trial that has been answered in full.
func (w *world) ended(t *testing.T, slug string, in api.NewTrial) api.Trial {
	t.Helper()
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), slug, in)
	if err != nil {
		t.Fatal(err)
	}
	ask(t, w.Asking, w.trials)
	return w.trial(t, begun.ID)
}

func (w *world) loosen() {
	w.Save("limit", testdb.Part(entry.Snippet, "limit", "Use at least 150 words.\n"))
}

func TestUsersOfASnippetAreTriedWithItsDraft(t *testing.T) {
	t.Parallel()
	w, _ := limited(t)
	ctx, by := t.Context(), w.By("contributor")
	in := api.NewUserTrials{Model: "heron-2", Times: 2}
	if _, err := w.trials.StartUsers(ctx, by, "limit", in); err == nil || !strings.Contains(err.Error(), "no open version") {
		t.Errorf("nothing is open: %v", err)
	}
	w.loosen()
	before := w.Count("trials")
	for name, wrong := range map[string]api.NewUserTrials{
		"no model": {}, "a model that is not there": {Model: "nobody"}, "too often": {Model: "heron-2", Times: 1000}, "no such version": {Model: "heron-2", Version: "9"},
	} {
		if _, err := w.trials.StartUsers(ctx, by, "limit", wrong); err == nil {
			t.Errorf("%s: it began", name)
		}
	}
	if _, err := w.trials.StartUsers(ctx, w.By("reader"), "limit", in); err == nil {
		t.Error("a reader began it")
	}
	if now := w.Count("trials"); now != before {
		t.Errorf("%d trials, %d before", now, before)
	}
	estimate, err := w.trials.EstimateUsers(ctx, by, "limit", in)
	if err != nil || estimate.Trials != 1 || estimate.Replies != 32 {
		t.Errorf("%+v, %v", estimate, err)
	}
	begun, err := w.trials.StartUsers(ctx, by, "limit", in)
	if err != nil || len(begun.Items) != 2 || begun.Of.Version != 2 {
		t.Fatalf("%+v, %v", begun, err)
	}
	ask(t, w.Asking, w.trials)
	users, err := w.trials.Users(ctx, by, "limit")
	if err != nil {
		t.Fatal(err)
	}
	card, note := users.Items[0], users.Items[1]
	if card.Slug != "card" || card.Trial != nil || card.Why.String() != "its test bed has no fills" {
		t.Errorf("%+v", card)
	}
	if note.Trial == nil || note.Trial.Change != trial.Worse || note.Trial.About == nil || note.Trial.About.Version != 2 {
		t.Fatalf("%+v", note.Trial)
	}
	// What a draft would do is no business of those who do not see it, and no pass of the text.
	if got, err := w.trials.List(ctx, w.By("reader"), trials.Wanted{Entry: "note"}); err != nil || len(got.Items) != 1 {
		t.Errorf("a reader is shown %+v, %v", got.Items, err)
	}
	if _, err := w.trials.Trial(ctx, w.By("reader"), note.Trial.ID); err == nil {
		t.Error("a reader reads it")
	}
	var passes []int
	if w.Select(&passes, "select set_up from passes where trial_id = '"+note.Trial.ID+"'"); !slices.Equal(passes, []int{0}) {
		t.Errorf("set-ups %v count as passes", passes)
	}
	if got, err := w.trials.List(ctx, by, trials.Wanted{Change: trial.Worse}); err != nil || len(got.Items) != 1 || got.Items[0].ID != note.Trial.ID {
		t.Errorf("%+v, %v", got, err)
	}
	if _, err := w.trials.List(ctx, by, trials.Wanted{Change: "odd"}); err == nil {
		t.Error("an odd change")
	}
}

func TestATrialIsOfferedAndRunAgain(t *testing.T) {
	t.Parallel()
	w, first := limited(t)
	ctx, by := t.Context(), w.By("contributor")
	offer := func() *api.TrialOffer {
		t.Helper()
		list, err := w.trials.List(ctx, by, trials.Wanted{Entry: "note"})
		if err != nil {
			t.Fatal(err)
		}
		return list.Again
	}
	if got := offer(); got != nil {
		t.Errorf("nothing has changed: %+v", got)
	}
	w.loosen()
	if got := offer(); got != nil {
		t.Errorf("a draft changes nothing: %+v", got)
	}
	w.Review("limit")
	w.PublishNow("limit")
	got := offer()
	if got == nil || got.Trial != first.ID || fmt.Sprint(got.Because) != "[limit is version 2 by now, and was 1 then]" {
		t.Fatalf("%+v", got)
	}
	if _, err := w.trials.Start(ctx, by, "note", api.NewTrial{Again: first.ID, Times: 3}); err == nil || !strings.Contains(err.Error(), "as it was") {
		t.Errorf("otherwise than it was: %v", err)
	}
	if _, err := w.trials.Start(ctx, by, "notice", api.NewTrial{Again: first.ID}); err == nil || !strings.Contains(err.Error(), "a trial of note") {
		t.Errorf("of another entry: %v", err)
	}
	again := w.ended(t, "note", api.NewTrial{Again: first.ID})
	if again.Change != trial.Worse || again.Again != first.ID || again.Title != first.Title || len(again.Changes) != 1 {
		t.Fatalf("%+v", again)
	}
	if c := again.Changes[0]; c.Before < 0.9 || c.Now > 0.1 || c.Verdict != trial.Difference || !strings.Contains(c.Text.String(), "heron-2 keeps to 80 words at most less often than before, in 8 of 8 fills") {
		t.Errorf("%+v", c)
	}
	if got := offer(); got != nil {
		t.Errorf("it was run again: %+v", got)
	}
	var told []string
	if w.Select(&told, "select detail ->> 'trial' from events where action = 'got-worse'"); !slices.Equal(told, []string{again.ID}) {
		t.Errorf("the record says it of %v", told)
	}
	// The same texts and seeds again: the same replies.
	w.Exec("update register set changed_at = now() + interval '1 day' where term = 'heron-2'")
	if got := offer(); got != nil {
		t.Errorf("a model that nobody has registered: %+v", got)
	}
	if same := w.ended(t, "note", api.NewTrial{Again: again.ID, Title: "Once more"}); same.Title != "Once more" || same.Changes[0].Verdict == trial.Difference || same.Change == trial.Worse {
		t.Errorf("%+v", same.Changes)
	}
	// The earlier one is gone: there is nothing to compare with.
	if err := w.trials.Delete(ctx, by, first.ID); err != nil {
		t.Fatal(err)
	}
	if got := w.trial(t, again.ID); got.Changes != nil || got.Again != "" {
		t.Errorf("%+v", got.Changes)
	}
}

// Trials of all that uses a snippet have the room of one trial together.
func TestUserTrialsHaveTheRoomOfOne(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.Publish(testdb.Part(entry.Snippet, "limit", "Use at most 60 words.\n"))
	long := strings.Repeat("word ", 40_000) // 200 kB, 100 fills, two set-ups: 40 MB
	for _, slug := range []string{"one", "two"} {
		w.Publish(testdb.Prompt(slug, long+"{{area}}\n{{include limit}}\n"))
		bed := trial.Bed{Fills: fills(100), Expectations: []trial.Expectation{{Kind: trial.Words, Most: most(80)}}}
		if _, err := w.trials.SetTestBed(t.Context(), w.By("contributor"), slug, 0, bed); err != nil {
			t.Fatal(err)
		}
		w.loosen()
		_, err := w.trials.EstimateUsers(t.Context(), w.By("contributor"), "limit", api.NewUserTrials{Model: "heron-2"})
		if slug == "one" && err != nil || slug == "two" && (err == nil || !strings.Contains(err.Error(), "64 MiB")) {
			t.Errorf("with %s: got %v", slug, err)
		}
	}
}
