package trials_test

import (
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/relays"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// relayed is a library with a relay of two steps, and what goes on with its runs.
func relayed(t *testing.T) (*world, *relays.Service) {
	t.Helper()
	w := newWorld(t)
	plain := testdb.Prompt("plain", "Say what stands between the lines in plain words. Use at most 60 words.\n\n---\n{{page}}\n---\n")
	plain.Blanks = []fill.Blank{{Name: "page", Ask: "What page?", Type: fill.LongText}}
	w.Publish(plain)
	e := testdb.Part(entry.Relay, "both", "Give the streets.\n")
	e.Steps = []entry.Step{{Name: "first", Use: "notice", With: map[string]string{"area": "{{area}}"}}, {Name: "second", Use: "plain", With: map[string]string{"page": "{{from first}}"}}}
	w.Publish(e)
	if _, err := w.trials.SetTestBed(t.Context(), w.By("contributor"), "both", 0, bed(2)); err != nil {
		t.Fatal(err)
	}
	return w, relays.New(w.DB, texts.New(w.DB), w.Asking)
}

// askRuns is ask with runs that go on.
func askRuns(t *testing.T, w *world, r *relays.Service) (asked int) {
	t.Helper()
	for {
		went, err := r.GoOn(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		n := ask(t, w.Asking, w.trials)
		if asked += n; went+n == 0 {
			return asked
		}
	}
}

func TestARelayIsTried(t *testing.T) {
	t.Parallel()
	w, r := relayed(t)
	ctx, by := t.Context(), w.By("contributor")
	in := api.NewTrial{Title: "Both", SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 3}
	estimate, err := w.trials.Estimate(ctx, by, "both", in)
	if err != nil || estimate.Replies != 6 || estimate.TokensOut != 2*6*300 {
		t.Errorf("%+v, %v", estimate, err)
	}
	begun, err := w.trials.Start(ctx, by, "both", in)
	if err != nil || begun.Awaited != 6 {
		t.Fatalf("%+v, %v", begun, err)
	}
	if n := askRuns(t, w, r); n != 12 {
		t.Errorf("%d were asked", n)
	}
	got := w.trial(t, begun.ID)
	if got.State != "ended" || got.Done != 6 || got.Unchecked != 0 || got.Figures.Rates[0].Of != 6 {
		t.Fatalf("%+v", got)
	}
	cell, err := w.trials.Cell(ctx, by, begun.ID, 1, 0)
	if err != nil || len(cell.Replies) != 3 || !strings.Contains(cell.Messages[0].Text, "area: Mill Lane 2") {
		t.Fatalf("%+v, %v", cell, err)
	}
	for _, want := range []fill.Ref{{Entry: "both", Version: 1}, {Entry: "notice", Version: 1}, {Entry: "plain", Version: 1}} {
		if !slices.Contains(cell.Used, want) {
			t.Errorf("%v is not among what it used: %v", want, cell.Used)
		}
	}
	if cell.Replies[0].Text == cell.Replies[1].Text || cell.Replies[0].Tokens.Out == 0 {
		t.Errorf("%+v", cell.Replies)
	}
	// Whoever sees the trial sees its runs, and changes nothing about them; nobody lists them.
	run, err := r.Run(ctx, w.By("curator"), cell.Replies[0].Run)
	if err != nil || run.State != "done" || run.Steps[1].Text != cell.Replies[0].Text {
		t.Fatalf("%+v, %v", run, err)
	}
	for name, do := range map[string]func(by work.Caller) error{
		"stop":   func(by work.Caller) error { _, err := r.Stop(ctx, by, run.ID); return err },
		"keep":   func(by work.Caller) error { _, err := r.Keep(ctx, by, run.ID, true); return err },
		"again":  func(by work.Caller) error { _, err := r.Again(ctx, by, run.ID, "second", api.Again{}); return err },
		"delete": func(by work.Caller) error { return r.Delete(ctx, by, run.ID) },
	} {
		for _, who := range []string{"contributor", "curator"} {
			if do(w.By(who)) == nil {
				t.Errorf("%s: %s", who, name)
			}
		}
	}
	if mine, err := r.Runs(ctx, by, ""); err != nil || len(mine.Items) != 0 {
		t.Errorf("%+v, %v", mine, err)
	}
	if err := w.trials.Delete(ctx, by, begun.ID); err != nil || w.Count("runs")+w.Count("replies")+w.Count("run_steps") != 0 {
		t.Errorf("%v: %d runs are left, %d replies", err, w.Count("runs"), w.Count("replies"))
	}
}

func TestATrialOfARelayIsStoppedAndResumed(t *testing.T) {
	t.Parallel()
	w, r := relayed(t)
	ctx, by := t.Context(), w.By("contributor")
	begun, err := w.trials.Start(ctx, by, "both", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 2})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := r.GoOn(ctx); err != nil {
		t.Fatal(err)
	}
	if n := testdb.AskDue(t, w.Asking); n != 4 {
		t.Fatalf("%d were asked", n)
	}
	stopped, err := w.trials.Stop(ctx, by, begun.ID)
	if err != nil || stopped.Stopped != 4 {
		t.Fatalf("%+v, %v", stopped, err)
	}
	if n := askRuns(t, w, r); n != 0 {
		t.Errorf("%d were asked of what was stopped", n)
	}
	if got := w.trial(t, begun.ID); got.State != "stopped" || got.Stopped != 4 {
		t.Errorf("%+v", got.TrialItem)
	}
	if _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{}); err != nil {
		t.Fatal(err)
	}
	if n := askRuns(t, w, r); n != 8 {
		t.Errorf("%d were asked", n)
	}
	if got := w.trial(t, begun.ID); got.State != "ended" || got.Done != 4 {
		t.Errorf("%+v", got.TrialItem)
	}
}

// What a step cannot do is a failure of the reply, which says of which step; and what a relay
// has of its own is not said again in a set-up.
func TestWhatKeepsARelayFromBeingTried(t *testing.T) {
	t.Parallel()
	w, r := relayed(t)
	ctx, by := t.Context(), w.By("contributor")
	for name, set := range map[string]trial.SetUp{
		"own": {Model: "heron-2", Persona: "none"}, "have their own": {Model: "heron-2", With: "plain@1"}, "no version": {Model: "heron-2", Version: "nine"}, "published version 9": {Model: "heron-2", Version: "9"},
	} {
		if _, err := w.trials.Start(ctx, by, "both", api.NewTrial{SetUps: []trial.SetUp{set}}); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("%s: %v", name, err)
		}
	}
	wrong := api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Fills: []trial.TestFill{{Name: "none", Values: fill.Values{}}}}
	if _, err := w.trials.Start(ctx, by, "both", wrong); err == nil || !strings.Contains(err.Error(), "none: ") {
		t.Errorf("a missing value: %v", err)
	}
	begun, err := w.trials.Start(ctx, by, "both", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	w.Exec(`update connections set details = jsonb_set(details, '{models}', '[]')`)
	askRuns(t, w, r)
	got := w.trial(t, begun.ID)
	if got.State != "ended" || got.Failed != 2 {
		t.Fatalf("%+v", got.TrialItem)
	}
	cell, err := w.trials.Cell(ctx, by, begun.ID, 0, 0)
	if err != nil || cell.Replies[0].State != store.ReplyFailed || !strings.HasPrefix(cell.Replies[0].Problem.String(), "first: ") {
		t.Errorf("%+v, %v", cell.Replies, err)
	}
}
