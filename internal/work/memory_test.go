package work_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// listen has a service hear what others change, until the test ends, and gives where it is
// told of each memory that it forgets.
func listen(t *testing.T, db *work.DB) (told chan work.Memory) {
	t.Helper()
	told = make(chan work.Memory, 100)
	for _, m := range []work.Memory{work.Shelf, work.Sessions} {
		db.OnForget(m, func() { told <- m })
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for ctx.Err() == nil {
			_ = db.Listen(ctx) // until it hears again
		}
	}()
	t.Cleanup(func() {
		stop()
		<-ended
	})
	forgets(t, told, 2) // all, as it begins
	return told
}

// forgets waits until so many memories were forgotten.
func forgets(t *testing.T, told chan work.Memory, n int) (all []work.Memory) {
	t.Helper()
	late := time.After(20 * time.Second)
	for range n {
		select {
		case m := <-told:
			all = append(all, m)
		case <-late:
			t.Fatalf("%v was forgotten, want %d memories", all, n)
		}
	}
	return all
}

// What one service changes every one forgets, once it is committed: this one before it
// answers, the others as they hear of it. What was undone nobody hears of.
func TestWhatOneChangesAllForget(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	other, own := w.Second(), 0
	told := listen(t, other)
	w.DB.OnForget(work.Sessions, func() { own++ })
	change := func(err error) {
		_ = work.Run(t.Context(), w.DB, w.By("curator"), func(u *work.Unit) error {
			u.Forget(work.Sessions)
			return err
		})
	}
	change(errors.New("undone"))
	if own != 0 {
		t.Error("what was undone was forgotten")
	}
	change(nil)
	if own != 1 {
		t.Errorf("the service itself forgot %d times, want once", own)
	}
	if got := forgets(t, told, 1); got[0] != work.Sessions {
		t.Errorf("the other one forgot %v", got)
	}
	w.Publish(testdb.Prompt("first", "One.\n"))
	if got := forgets(t, told, 1); got[0] != work.Shelf {
		t.Errorf("a publication has the other one forget %v", got)
	}
	if len(told) != 0 {
		t.Errorf("it forgot more: %v", <-told)
	}
}

// A service whose connection ends forgets everything, since it may have missed something.
func TestWhoMayHaveMissedSomethingForgetsEverything(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	told := listen(t, w.Second())
	w.Exec(`select pg_terminate_backend(pid) from pg_stat_activity where query = 'listen goldshelf' and datname = current_database()`)
	forgets(t, told, 2)
}
