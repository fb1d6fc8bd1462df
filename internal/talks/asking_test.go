package talks_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/asking"
	"goldshelf/internal/talks"
	"goldshelf/internal/testdb"
)

// Two services take nothing on twice, and a connection is asked no more at once than it takes,
// all services together.
func TestAConnectionsLimitsHold(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.AtOnce = 3 })
	other, _ := w.second()
	for range 3 {
		w.try(t, trying(slices.Repeat([]api.TryColumn{{Model: "heron-2"}}, 4)...))
	}
	claimed := make([][]asking.Due, 2)
	for _, err := range testdb.Race(
		func() (err error) { claimed[0], err = w.Asking.ClaimDue(t.Context(), 100); return err },
		func() (err error) { claimed[1], err = other.ClaimDue(t.Context(), 100); return err },
	) {
		if err != nil {
			t.Fatal(err)
		}
	}
	if n := len(claimed[0]) + len(claimed[1]); n != 3 {
		t.Fatalf("%d are taken on, want 3", n)
	}
	for i, s := range []*asking.Asking{w.Asking, other} {
		for _, d := range claimed[i] {
			if err := s.Ask(t.Context(), d); err != nil {
				t.Fatal(err)
			}
		}
	}
	for n := 3; n < 12; n += 3 {
		if got := testdb.AskDue(t, other); got != 3 {
			t.Fatalf("then %d are taken on", got)
		}
	}
}

func TestTokensAMinute(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.AtOnce, c.TokensMinute = 1, 10 })
	w.try(t, trying(slices.Repeat([]api.TryColumn{{Model: "heron-2"}}, 2)...))
	if n := testdb.AskDue(t, w.Asking); n != 1 {
		t.Fatalf("%d", n)
	}
	if n := testdb.AskDue(t, w.Asking); n != 0 {
		t.Errorf("%d more in the same minute", n)
	}
	w.Clock.Pass(61 * time.Second)
	if n := testdb.AskDue(t, w.Asking); n != 1 {
		t.Errorf("a minute later %d", n)
	}
}

// What a service had taken on and did not end is asked again, under the same id: the endpoint
// answers it as before. What was kept is not asked again.
func TestAServiceThatStopsLosesNothing(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.AtOnce = 100 })
	talk := w.try(t, trying(slices.Repeat([]api.TryColumn{{Model: "heron-2"}}, 4)...))
	due, err := w.Asking.ClaimDue(t.Context(), 100)
	if err != nil || len(due) != 4 {
		t.Fatal(len(due), err)
	}
	if err := w.Asking.Ask(t.Context(), due[0]); err != nil {
		t.Fatal(err)
	}
	// One has asked and is stopped before it keeps the answer, which is as if it had not asked.
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := w.Asking.Ask(ctx, due[1]); err != nil {
		t.Fatal(err)
	}
	other, _ := w.second()
	if n := testdb.AskDue(t, other); n != 1 {
		t.Errorf("%d are due at once, want the one that was given back", n)
	}
	w.Clock.Pass(time.Minute) // the two that nobody says are awaited
	if n := testdb.AskDue(t, other); n != 2 {
		t.Errorf("a minute later %d are due", n)
	}
	before, again := map[string]api.TalkReply{}, 0
	for _, r := range talk.Replies {
		got := w.reply(t, r.ID)
		if got.State != "done" {
			t.Errorf("%d is %s: %s", r.Place, got.State, got.Problem)
		}
		before[r.ID] = got
		again += got.Attempts - 1
	}
	if again != 3 {
		t.Errorf("%d were asked again, want 3", again)
	}
	// The first service comes back late: what it brings is not kept, and nothing is lost.
	for _, d := range due[2:] {
		if err := w.Asking.Ask(t.Context(), d); err != nil {
			t.Error(err)
		}
	}
	for id, was := range before {
		if is := w.reply(t, id); is.Text != was.Text || is.Attempts != was.Attempts || !is.EndedAt.Equal(*was.EndedAt) {
			t.Errorf("%+v, and then %+v", was, is)
		}
	}
}

func TestWhatFailsIsTriedAgain(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		change  func(*endpoint.Spec)
		asked   int // times
		problem string
	}{
		"too many calls": {testdb.Fault("429"), 5, "too many calls"},
		"an error":       {testdb.Fault("500"), 5, "fallen over"},
		"a cut stream":   {testdb.Fault("cut"), 5, "cut before it ended"},
		"a page":         {testdb.Fault("html"), 1, "a page for people"},
		"no secret":      {func(c *endpoint.Spec) { c.Secret = "GOLDSHELF_SECRET_NOWHERE" }, 1, "no secret GOLDSHELF_SECRET_NOWHERE for "},
		"a model that it has not": {func(c *endpoint.Spec) {
			own := endpoint.Own()
			own.Request.Body = map[string]any{"model": "swan", "messages": map[string]any{"from": "/messages"}}
			c.Mapping = &own
		}, 1, "no model"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, c.change)
			id := w.try(t, trying()).Replies[0].ID
			asked := 0
			for range 10 {
				asked += testdb.AskDue(t, w.Asking)
				if n := testdb.AskDue(t, w.Asking); n > 0 {
					t.Fatal("it is asked again at once")
				}
				w.Clock.Pass(2 * time.Minute)
			}
			got := w.reply(t, id)
			if asked != c.asked || got.State != "failed" || got.Attempts != c.asked || !strings.Contains(got.Problem.String(), c.problem) {
				t.Errorf("asked %d times: %+v", asked, got)
			}
			if got.Problem.In(message.French) == got.Problem.String() {
				t.Errorf("in French it says %q too", got.Problem)
			}
			if name == "a cut stream" && got.Text == "" {
				t.Error("what came is not shown")
			}
		})
	}
}

// What went wrong with an earlier attempt is not said of a reply that has come.
func TestReplyThatCameHasNoProblem(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	id := w.try(t, trying()).Replies[0].ID
	w.Exec(`update replies set problem = 'it answered 429', attempts = 1`)
	if n := testdb.AskDue(t, w.Asking); n != 1 {
		t.Fatalf("%d are asked", n)
	}
	if got := w.reply(t, id); got.State != "done" || got.Problem.String() != "" || got.Attempts != 2 {
		t.Errorf("it is %+v", got)
	}
}

// A reply is watched as it comes, from where one left off, at whichever service; it can be
// stopped in the middle, or in the moment in which it ends.
func TestAReplyIsWatchedAndStopped(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	w.StandIn.Latency = 0.3
	_, other := w.second()
	var holding sync.WaitGroup
	defer holding.Wait()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	holding.Go(func() { // as a job does
		for ctx.Err() == nil {
			if err := w.Asking.Hold(ctx); err != nil && ctx.Err() == nil {
				t.Error(err)
			}
			time.Sleep(100 * time.Millisecond)
		}
	})
	id := w.try(t, trying()).Replies[0].ID
	watched := make([]string, 3)
	var all sync.WaitGroup
	for i, s := range []*talks.Service{w.talks, other, w.talks} {
		all.Go(func() {
			ended, err := s.Watch(t.Context(), w.Listener("reader"), id, 0, func(p api.ReplyPiece) error {
				if p.Text != "" && p.At != len(watched[i]) {
					t.Errorf("%d: a piece at %d after %d", i, p.At, len(watched[i]))
				}
				watched[i] += p.Text
				return nil
			})
			if err != nil || ended.State != "done" || ended.Text != watched[i] {
				t.Errorf("%d: watched %q, ended %+v, %v", i, watched[i], ended, err)
			}
		})
	}
	testdb.AskDue(t, w.Asking)
	all.Wait()
	rest := ""
	if _, err := other.Watch(t.Context(), w.Listener("reader"), id, 10, func(p api.ReplyPiece) error { rest += p.Text; return nil }); err != nil || rest != watched[0][10:] {
		t.Errorf("from 10 on: %q, %v", rest, err)
	}

	// Stopped in the middle, at another service: what has come stays.
	w.StandIn.Latency = 1
	id = w.try(t, trying()).Replies[0].ID
	var once sync.Once
	all.Go(func() { testdb.AskDue(t, w.Asking) })
	if _, err := w.talks.Watch(t.Context(), w.Listener("reader"), id, 0, func(p api.ReplyPiece) error {
		once.Do(func() {
			for end := time.Now().Add(20 * time.Second); w.reply(t, id).Text == "" && time.Now().Before(end); {
				time.Sleep(20 * time.Millisecond) // until something is kept of it
			}
			if _, err := other.Stop(t.Context(), w.By("reader"), id); err != nil {
				t.Error(err)
			}
		})
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	all.Wait()
	if got := w.reply(t, id); got.State != "stopped" || got.Text == "" || got.EndedAt == nil {
		t.Errorf("stopped: %+v", got)
	}
	// What is stopped is not asked for.
	waiting := w.try(t, trying()).Replies[0].ID
	if _, err := w.talks.Stop(t.Context(), w.By("reader"), waiting); err != nil {
		t.Fatal(err)
	}
	w.Clock.Pass(time.Hour)
	if n := testdb.AskDue(t, w.Asking); n != 0 || w.reply(t, waiting).State != "stopped" {
		t.Errorf("%d asked for, and it is %s", n, w.reply(t, waiting).State)
	}
	// Stop and end at once: one of the two, whole.
	w.StandIn.Latency = 0
	for range 10 {
		id := w.try(t, trying()).Replies[0].ID
		due, err := w.Asking.ClaimDue(t.Context(), 1)
		if err != nil || len(due) != 1 {
			t.Fatal(err)
		}
		for _, err := range testdb.Race(
			func() error { return w.Asking.Ask(t.Context(), due[0]) },
			func() error { _, err := w.talks.Stop(t.Context(), w.By("reader"), id); return err },
		) {
			if err != nil {
				t.Error(err)
			}
		}
		if got := w.reply(t, id); got.State != "stopped" && (got.State != "done" || got.Text == "") {
			t.Errorf("%+v", got)
		}
	}
}

// A connection that is awaited stays; one that is not takes nothing with it.
func TestAConnectionThatIsAwaitedStays(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	ctx, curator := t.Context(), w.By("curator")
	var wrong problem.List
	id := w.try(t, trying()).Replies[0].ID
	if err := w.Connect.Delete(ctx, curator, "simulated-models"); !errors.As(err, &wrong) {
		t.Errorf("deleted while a reply is awaited: %v", err)
	}
	testdb.AskDue(t, w.Asking)
	if err := w.Connect.Delete(ctx, curator, "simulated-models"); err != nil || w.reply(t, id).State != "done" {
		t.Errorf("%v, %+v", err, w.reply(t, id))
	}
}

// Of replies that end at the same moment one that cannot be kept takes no other with it.
func TestOneReplyThatCannotBeKept(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	w.Exec(`create function refuse() returns trigger language plpgsql as $$ begin
		if new.place = 2 and new.state = 'done' then raise exception 'not this one'; end if; return new; end $$;
		create trigger refuse before update on replies for each row execute function refuse()`)
	talk := w.try(t, trying(slices.Repeat([]api.TryColumn{{Model: "heron-2"}}, 4)...))
	due, err := w.Asking.ClaimDue(t.Context(), 10)
	if err != nil || len(due) != 4 {
		t.Fatal(len(due), err)
	}
	failed := make([]error, 4)
	var all sync.WaitGroup
	for i, d := range due {
		all.Go(func() { failed[i] = w.Asking.Ask(t.Context(), d) })
	}
	all.Wait()
	if n := len(slices.DeleteFunc(failed, func(err error) bool { return err == nil })); n != 1 {
		t.Errorf("%d fail: %v", n, failed)
	}
	for _, r := range talk.Replies {
		if got, want := w.reply(t, r.ID).State, map[bool]string{true: "running", false: "done"}[r.Place == 2]; got != want {
			t.Errorf("%d is %s, want %s", r.Place, got, want)
		}
	}
}
