package texts_test

import (
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// filled is what a service gives for an entry now.
func filled(t *testing.T, on *texts.Texts, slug string) string {
	t.Helper()
	c, err := on.OnShelf(t.Context(), slug, 0, texts.Stack{})
	if err != nil {
		t.Fatal(err)
	}
	got, err := c.Form.Fill(fill.Values{"area": fill.Single("Mill Lane")})
	if err != nil {
		t.Fatal(err)
	}
	return got.Text
}

// A version whose publication was undone is not remembered: after it was returned,
// changed and published, its new words are served.
func TestARejectedTextIsNeverServed(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, ctx, curator := lifecycle.New(w.DB), t.Context(), w.By("curator")
	on := texts.New(w.DB)
	voice := testdb.Part(entry.Persona, "officer", "You are the duty officer.\n")
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	in.Persona = "officer"
	w.Publish(voice, in)

	voice.Body = "You are the REJECTED officer.\n"
	w.Save("officer", voice)
	w.Review("officer")
	in.Body = "Write some words to {{area}}.\n"
	w.Save("notice", in)
	w.Review("notice")
	stopping := check.Policy{Rules: map[string]check.Setting{"vague-word": {Severity: check.Stop, Stops: []entry.Action{entry.Publish}}}}
	if _, err := life.SetPolicy(ctx, curator, 0, stopping); err != nil {
		t.Fatal(err)
	}
	if _, err := life.PublishTogether(ctx, curator, w.AllSeen("officer", "notice"), nil); err == nil {
		t.Fatal("a check did not stop it")
	}
	if got := filled(t, on, "notice"); strings.Contains(got, "REJECTED") {
		t.Errorf("what was undone is served: %q", got)
	}
	if _, err := life.Return(ctx, w.By("reviewer"), "officer", w.Seen("officer"), "Not so."); err != nil {
		t.Fatal(err)
	}
	voice.Body = "You are the calm officer.\n"
	w.Save("officer", voice)
	w.Review("officer")
	if _, err := life.Publish(ctx, curator, "officer", w.Seen("officer"), nil); err != nil {
		t.Fatal(err)
	}
	if got := filled(t, on, "notice"); !strings.HasPrefix(got, "You are the calm officer.") {
		t.Errorf("version 2 is served as %q", got)
	}
}

// After a publication was answered nobody gets the old text from the service that
// answered, and after 200 ms nobody from another one, which is asked all the while.
func TestTwoServicesServeOneShelf(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	other := texts.New(w.Second())
	own, life := texts.New(w.DB), lifecycle.New(w.DB)
	in := testdb.Prompt("notice", "Version 1 for {{area}}.\n")
	w.Publish(in)
	var answered atomic.Int64 // which version, and
	var at atomic.Int64       // when
	answered.Store(1)
	stop, ended := make(chan struct{}), make(chan error, 1)
	go func() {
		for {
			select {
			case <-stop:
				ended <- nil
				return
			default:
			}
			want, since, asked := answered.Load(), time.Unix(0, at.Load()), time.Now()
			c, err := other.OnShelf(t.Context(), "notice", 0, texts.Stack{})
			if err != nil {
				ended <- err
				return
			}
			if got := versionIn(c); got < want && asked.Sub(since) > 200*time.Millisecond {
				ended <- fmt.Errorf("%s after version %d was answered the other service gives version %d", asked.Sub(since), want, got)
				return
			}
		}
	}()
	for n := 2; n <= 6; n++ {
		in.Body = fmt.Sprintf("Version %d for {{area}}.\n", n)
		w.Save("notice", in)
		w.Review("notice")
		if _, err := life.Publish(t.Context(), w.By("curator"), "notice", w.Seen("notice"), nil); err != nil {
			t.Fatal(err)
		}
		at.Store(time.Now().UnixNano()) // first: a reader that sees the version sees when it was answered
		answered.Store(int64(n))
		if got := filled(t, own, "notice"); !strings.HasPrefix(got, fmt.Sprintf("Version %d ", n)) {
			t.Errorf("the service that published version %d serves %q", n, got)
		}
		if n == 4 {
			// Whatever connections there are, they are cut.
			w.Exec("select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()")
		}
		time.Sleep(300 * time.Millisecond)
	}
	close(stop)
	if err := <-ended; err != nil {
		t.Error(err)
	}
}

// versionIn is which version of the notice is in a stack.
func versionIn(c texts.Composed) int64 {
	for ref := range c.By {
		if ref.Entry == "notice" {
			return int64(ref.Version)
		}
	}
	return 0
}

// Twenty callers read a shelf on which an entry is published again and again: none is
// given a version that is older than what was answered before they asked.
func TestNobodyReadsBack(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	on, life := texts.New(w.DB), lifecycle.New(w.DB)
	in := testdb.Prompt("notice", "Version 1 for {{area}}.\n")
	w.Publish(in)
	var answered atomic.Int64
	answered.Store(1)
	stop := make(chan struct{})
	readers := make([]func() error, 20)
	for i := range readers {
		readers[i] = func() error {
			for {
				select {
				case <-stop:
					return nil
				default:
				}
				least := answered.Load()
				c, err := on.OnShelf(t.Context(), "notice", 0, texts.Stack{})
				if err != nil {
					return err
				}
				if got := versionIn(c); got < least {
					return fmt.Errorf("version %d was served after version %d was answered", got, least)
				}
			}
		}
	}
	publish := func() error {
		defer close(stop)
		for n := 2; n <= 12; n++ {
			in.Body = fmt.Sprintf("Version %d for {{area}}.\n", n)
			w.Save("notice", in)
			w.Review("notice")
			if _, err := life.Publish(t.Context(), w.By("curator"), "notice", w.Seen("notice"), nil); err != nil {
				return err
			}
			answered.Store(int64(n))
		}
		return nil
	}
	for _, err := range testdb.Race(append(readers, publish)...) {
		if err != nil {
			t.Error(err)
		}
	}
}

// What is not on the shelf is told apart: never there, or retired and what to use
// instead. A lookup that the database does not answer is no fault of the text.
func TestWhatIsNotThere(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	on := texts.New(w.DB)
	var missing *work.Missing
	if _, err := on.OnShelf(t.Context(), "nowhere", 0, texts.Stack{}); !errors.As(err, &missing) {
		t.Errorf("what was never there: %v", err)
	}
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	w.Exec("alter table versions rename to gone")
	_, err := work.See(t.Context(), w.DB, func(v work.View) (*texts.Included, error) {
		text, err := fill.Parse("{{include gone}}")
		if err != nil {
			return nil, err
		}
		return texts.IncludedIn(v.Reader, text, store.Sight{})
	})
	if err == nil {
		t.Error("the database did not answer, and nothing is said")
	}
}
