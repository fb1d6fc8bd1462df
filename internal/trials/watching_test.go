package trials_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/trial"
	"goldshelf/internal/testdb"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
)

// A trial that is watched tells how far it is whenever that changes, from where somebody reads
// on, and at last how it ended.
func TestATrialIsWatched(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(3))
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 2})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	var told []trials.Progress
	first := make(chan struct{})
	type ending struct {
		last trials.Progress
		err  error
	}
	ended := make(chan ending, 1)
	go func() {
		last, err := w.trials.Watch(ctx, w.Listener("reader"), begun.ID, 0, func(p trials.Progress) error {
			if told = append(told, p); len(told) == 1 {
				close(first)
			}
			return nil
		})
		ended <- ending{last, err}
	}()
	<-first
	ask(t, w.Asking, w.trials)
	end := <-ended
	if end.err != nil || end.last.State != "ended" || end.last.Done != 6 || told[0].Awaited != 6 {
		t.Fatalf("%+v, %v; told %+v", end.last, end.err, told)
	}
	for i, p := range told {
		if p.Number >= end.last.Number || i > 0 && p.Number <= told[i-1].Number {
			t.Errorf("the numbers do not grow: %d, then %d at last", p.Number, end.last.Number)
		}
	}
	// Whoever reads on from there is told nothing twice; whoever may not see it is told nothing.
	again, err := w.trials.Watch(ctx, w.Listener("reader"), begun.ID, end.last.Number, func(p trials.Progress) error {
		t.Errorf("told again: %+v", p)
		return nil
	})
	if err != nil || again.Number != end.last.Number {
		t.Errorf("%+v, %v", again, err)
	}
	var missing *work.Missing
	if _, err := w.trials.Watch(ctx, w.Listener("reader"), "nothing", 0, nil); !errors.As(err, &missing) {
		t.Errorf("no trial: %v", err)
	}
}

// Whoever has gone is not watched for any longer.
func TestAWatchEnds(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(1))
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	gone := errors.New("gone")
	if _, err := w.trials.Watch(t.Context(), w.Listener("reader"), begun.ID, 0, func(trials.Progress) error { return gone }); !errors.Is(err, gone) {
		t.Errorf("the reader has gone: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	_, err = w.trials.Watch(ctx, w.Listener("reader"), begun.ID, 0, func(trials.Progress) error { cancel(); return nil })
	if !errors.Is(err, context.Canceled) {
		t.Errorf("the service stops: %v", err)
	}
}

// A trial that is stopped and gone on with in the same moment is one or the other; so is one
// of a relay, whose runs go on meanwhile.
func TestStoppedAndResumedAtOnce(t *testing.T) {
	t.Parallel()
	w, r := relayed(t)
	ctx, by := t.Context(), w.By("contributor")
	begun, err := w.trials.Start(ctx, by, "both", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 3})
	if err != nil {
		t.Fatal(err)
	}
	for range 5 {
		for _, err := range testdb.Race(
			func() error { _, err := w.trials.Stop(ctx, by, begun.ID); return err },
			func() error { _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{}); return err },
			func() error { _, err := r.GoOn(ctx); return err },
			func() error { testdb.AskDue(t, w.Asking); return nil },
		) {
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{}); err != nil {
		t.Fatal(err)
	}
	askRuns(t, w, r)
	got := w.trial(t, begun.ID)
	if got.State != "ended" || got.Done != 6 || got.Failed+got.Stopped != 0 {
		t.Errorf("%+v", got.TrialItem)
	}
	var runs []int
	if w.Select(&runs, "select count(*)::int from runs group by reply_id"); len(runs) != 6 {
		t.Errorf("%d replies have runs", len(runs))
	}
	for id, n := range w.StandIn.Calls() {
		if n > 1 {
			t.Errorf("%s was asked for %d times", id, n)
		}
	}
}
