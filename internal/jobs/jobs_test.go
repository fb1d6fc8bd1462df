package jobs_test

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/audit"
	"goldshelf/internal/channel"
	"goldshelf/internal/jobs"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/settings"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Channels that do not answer hold up neither what is to be published nor each other.
func TestHungChannelsHoldNothingUp(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	hang := make(chan struct{})
	var hung, told atomic.Int32
	hanging := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { hung.Add(1); <-hang }))
	defer hanging.Close()
	defer close(hang)
	answering := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) { told.Add(1) }))
	defer answering.Close()

	n := notify.New(w.DB, channel.NewSender("127.0.0.1"))
	for i := range 50 {
		if _, err := n.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: fmt.Sprintf("Hung %d", i), URL: hanging.URL}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := n.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: answering.URL}); err != nil {
		t.Fatal(err)
	}
	life := lifecycle.New(w.DB)
	w.Publish(testdb.Prompt("first", "Write to {{area}}.\n")) // what all of them are to be told
	w.Approve(testdb.Prompt("second", "Write soon to {{area}}.\n"))
	at := w.Clock.Now().Add(10 * time.Second)
	if _, err := life.PublishTogether(ctx, w.By("curator"), w.AllSeen("second"), &at); err != nil {
		t.Fatal(err)
	}

	running, stop := context.WithCancel(ctx)
	ended := make(chan struct{})
	log := slog.New(slog.DiscardHandler)
	deliveries := jobs.Deliveries(n, log)
	go func() {
		defer close(ended)
		jobs.Run(running, log, jobs.Publications(life), deliveries, jobs.Indexing(w.DB), jobs.CleanUp(w.DB))
	}()
	within(t, "50 channels hang, and one was told", func() bool { return hung.Load() == 50 && told.Load() == 1 })
	w.Clock.Pass(10 * time.Second)
	within(t, "what was due is published", func() bool {
		left, err := life.Publications(ctx, w.By("curator"))
		return err == nil && len(left.Items) == 0
	})
	within(t, "and the channel that answers is told", func() bool { return told.Load() == 2 })
	stop()
	<-ended
}

// within waits, five seconds at most, for something to come about.
func within(t *testing.T, what string, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(5 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if is() {
			return
		}
	}
	t.Fatal("it never came about: " + what)
}

// A job that panics is logged, and done again; the others go on.
func TestAPanicEndsNothing(t *testing.T) {
	t.Parallel()
	var log strings.Builder
	var panicked, done atomic.Int32
	ctx, stop := context.WithCancel(t.Context())
	wild := jobs.New("wild", time.Hour, func(context.Context) error {
		if panicked.Add(1) == 2 {
			stop()
		}
		panic("oh")
	})
	calm := jobs.New("calm", time.Hour, func(context.Context) error { done.Add(1); wild.Wake(); return nil })
	jobs.Run(ctx, slog.New(slog.NewTextHandler(&log, nil)), wild, calm)
	if panicked.Load() < 2 || done.Load() == 0 || !strings.Contains(log.String(), "job=wild") || !strings.Contains(log.String(), "panic: oh") {
		t.Errorf("panicked %d times, calm was done %d times, and the log says %s", panicked.Load(), done.Load(), log.String())
	}
}

// What several services find to do is done by one of them.
func TestSeveralServicesShareTheWork(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	var told atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { told.Add(1) }))
	defer server.Close()
	services := []*work.DB{w.DB, w.Second(), w.Second()}
	sender := channel.NewSender("127.0.0.1")
	if _, err := notify.New(w.DB, sender).AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: server.URL}); err != nil {
		t.Fatal(err)
	}
	const entries = 6
	at := w.Clock.Now().Add(time.Minute)
	for i := range entries {
		in := testdb.Prompt(fmt.Sprintf("notice-%d", i), fmt.Sprintf("Write %d to {{area}}.\n", i))
		w.Approve(in)
		if _, err := lifecycle.New(w.DB).Publish(ctx, w.By("curator"), in.Slug, w.Seen(in.Slug), &at); err != nil {
			t.Fatal(err)
		}
	}
	before := w.Rows()["events"]
	w.Clock.Pass(time.Hour)
	running, stop := context.WithCancel(ctx)
	log := slog.New(slog.DiscardHandler)
	ended := make(chan struct{}, len(services))
	for _, db := range services {
		go func() {
			jobs.Run(running, log, jobs.Publications(lifecycle.New(db)), jobs.Deliveries(notify.New(db, sender), log))
			ended <- struct{}{}
		}()
	}
	within(t, "all were told", func() bool { return told.Load() >= entries })
	time.Sleep(200 * time.Millisecond)
	stop()
	for range services {
		<-ended
	}
	if got := w.Rows()["events"] - before; told.Load() != entries || got != entries {
		t.Errorf("of %d publications %d were recorded and %d told", entries, got, told.Load())
	}
}

// What people leave behind is kept for as long as the library says, and no longer.
func TestWhatIsLeftBehindIsKeptForSoLong(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	ctx := t.Context()
	w.Publish(testdb.Prompt("first", "One.\n"))
	if err := notify.New(w.DB, nil).Follow(ctx, w.By("reader"), api.Follow{What: "entry", Name: "first"}, true); err != nil {
		t.Fatal(err)
	}
	w.Exec(`insert into missed_searches (day, words) values (library_day(now()), 'sandbags')`)
	set := settings.New(w.DB)
	for _, tt := range []struct {
		days    int // that pass
		missed  int
		hasNews bool
	}{{9, 1, true}, {2, 0, false}} {
		lib, err := set.Library(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := set.SetLibrary(ctx, w.By("curator"), lib.Number, api.Library{Name: "Larkfen Water", Zone: "UTC", Keep: &api.Keep{Missed: 10, News: 10}}); err != nil {
			t.Fatal(err)
		}
		w.Clock.Pass(time.Duration(tt.days) * 24 * time.Hour)
		if err := jobs.Clean(ctx, w.DB); err != nil {
			t.Fatal(err)
		}
		if n := w.Count("missed_searches"); n != tt.missed {
			t.Errorf("%d days later %d searches are kept, want %d", tt.days, n, tt.missed)
		}
		if n := w.Count("news"); n > 0 != tt.hasNews {
			t.Errorf("%d days later there are %d news", tt.days, n)
		}
	}
	lib, err := set.Library(ctx)
	if err != nil || lib.Keep.Missed != 10 || lib.Keep.Talks != 90 {
		t.Errorf("what was not said has changed too: %+v, %v", lib.Keep, err)
	}
	_, err = set.SetLibrary(ctx, w.By("curator"), lib.Number, api.Library{Name: "Larkfen Water", Zone: "UTC", Keep: &api.Keep{Uses: 4000, Talks: -1}})
	if err == nil || !strings.Contains(err.Error(), "keep/uses is 4000") {
		t.Errorf("too long: %v", err)
	}
}

// A clock that jumps publishes what is due once, whichever way it jumps, and the record of
// changes holds; entries go on through their lives on either side of the jump.
func TestAClockThatJumps(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, ctx := lifecycle.New(w.DB), t.Context()
	publications := func() (published int) {
		t.Helper()
		for {
			one, err := life.PublishDue(ctx)
			if err != nil {
				t.Fatal(err)
			}
			if !one {
				return published
			}
			published++
		}
	}
	for n, jump := range []time.Duration{90 * 24 * time.Hour, -100 * 24 * time.Hour, time.Hour} {
		slug := fmt.Sprintf("due%d", n)
		w.Approve(testdb.Prompt(slug, "Write to {{area}}.\n"))
		at := w.Clock.Now().Add(time.Hour)
		if _, err := life.PublishTogether(ctx, w.By("curator"), w.AllSeen(slug), &at); err != nil {
			t.Fatal(err)
		}
		if n := publications(); n != 0 {
			t.Errorf("%d are published before their time", n)
		}
		w.Clock.Pass(jump)
		if n, want := publications(), map[bool]int{true: 1}[jump >= time.Hour]; n != want {
			t.Errorf("after a jump of %s %d are published, want %d", jump, n, want)
		}
		if err := jobs.Clean(ctx, w.DB); err != nil {
			t.Fatal(err)
		}
	}
	if v, err := audit.Verify(ctx, w.DB, ""); err != nil || v.Broken != 0 {
		t.Errorf("the record is %+v, %v", v, err)
	}
}
