package shelf_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/index"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// following is a world that a replica follows, with a service that reads the shelf there.
type following struct {
	*testdb.World
	pair    *testdb.Pair
	replica *store.Replica
	db      *work.DB // of that service
	shelf   *shelf.Service
	t       *testing.T
}

func follow(t *testing.T) *following {
	t.Helper()
	dir, err := testdb.Dir("goldshelf-pair-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	pair, err := testdb.NewPair(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := pair.Stop(); err != nil {
			t.Error(err)
		}
	})
	f := &following{World: pair.World(t), pair: pair, t: t}
	replica, err := store.OpenReplica(pair.URL(pair.Second), 8)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { replica.Close() })
	f.replica, f.db = replica, f.Second()
	f.db.UseReplica(replica)
	f.shelf = shelf.New(f.db, texts.New(f.db), index.New())
	return f
}

// reads has a reader find, read and fill an entry that another service has published.
func (f *following) reads(slug, text string) {
	f.t.Helper()
	by := f.By("reader")
	list, err := f.shelf.Shelf(f.t.Context(), by, shelf.Query{Text: slug})
	if err != nil || len(list.Items) != 1 || list.Items[0].Slug != slug {
		f.t.Errorf("a search for %s finds %+v, %v", slug, list.Items, err)
	}
	if e, err := f.shelf.OnShelf(f.t.Context(), by, slug, 0); err != nil || e.Body != text {
		f.t.Errorf("%s reads %q, %v; want %q", slug, e.Body, err, text)
	}
	if got, err := f.shelf.Fill(f.t.Context(), by, slug, 0, api.FillRequest{}); err != nil || got.Text != text {
		f.t.Errorf("%s fills to %q, %v; want %q", slug, got.Text, err, text)
	}
}

// counted gives how often the replica has answered, and the database in its place, meanwhile.
func (f *following) counted(do func()) (answered, passedOn int64) {
	answered, passedOn = f.db.ReplicaReads()
	do()
	a, p := f.db.ReplicaReads()
	return a - answered, p - passedOn
}

// Whoever writes reads it at once, though it is read from a replica, and written through
// another service.
func TestOneReadsFromAReplicaWhatOneWrote(t *testing.T) {
	t.Parallel()
	f := follow(t)
	answered, _ := f.counted(func() {
		for n := range 30 {
			slug := fmt.Sprintf("written%d", n)
			f.Publish(testdb.Prompt(slug, slug+"\n"))
			f.reads(slug, slug+"\n")
			if n == 0 { // what is remembered of it is forgotten
				f.retire(slug)
			}
		}
	})
	if answered == 0 { // how often it has caught up in time is the machine's
		t.Error("the replica has answered nothing")
	}
}

// retire takes an entry from the shelf, and has a reader see that it is gone.
func (f *following) retire(slug string) {
	f.t.Helper()
	if _, err := lifecycle.New(f.DB).Retire(f.t.Context(), f.By("curator"), slug, api.Retirement{Because: "It was a try."}); err != nil {
		f.t.Fatal(err)
	}
	time.Sleep(150 * time.Millisecond) // it is remembered for less
	if _, err := f.shelf.Fill(f.t.Context(), f.By("reader"), slug, 0, api.FillRequest{}); err == nil {
		f.t.Errorf("%s is retired, and is filled in", slug)
	}
}

// A change that is committed long after it was begun is found, and others that came later and
// were seen before do not hide it.
func TestALongChangeIsFoundThroughAReplica(t *testing.T) {
	t.Parallel()
	f := follow(t)
	f.Once()
	f.Publish(testdb.Prompt("first", "One.\n"), testdb.Prompt("second", "Two.\n"))
	f.reads("first", "One.\n")
	begun, goOn, ended := make(chan struct{}), make(chan struct{}), make(chan error)
	go func() {
		ended <- work.Run(context.Background(), f.DB, f.By("curator"), func(u *work.Unit) error {
			all, err := u.Lock("first")
			if err != nil {
				return err
			}
			close(begun)
			<-goOn
			return u.Rename(all[0].ID, "renamed")
		})
	}()
	<-begun
	f.Publish(testdb.Prompt("third", "Three.\n"))
	f.reads("third", "Three.\n")
	close(goOn)
	if err := <-ended; err != nil {
		t.Fatal(err)
	}
	f.reads("renamed", "One.\n")
}

// A replica that is behind, dead or promoted is not read from, and nobody notices.
func TestAReplicaThatCannotAnswer(t *testing.T) {
	t.Parallel()
	f := follow(t)
	f.Publish(testdb.Prompt("first", "One.\n"))
	f.reads("first", "One.\n")
	do := func(statement string) {
		t.Helper()
		if err := f.pair.Exec(t.Context(), f.pair.Second, statement); err != nil {
			t.Fatal(err)
		}
	}
	published := 0
	unanswered := func(why string) {
		t.Helper()
		published++
		slug := fmt.Sprintf("other%d", published)
		f.Publish(testdb.Prompt(slug, "Another.\n"))
		if answered, passedOn := f.counted(func() { f.reads(slug, "Another.\n") }); answered != 0 || passedOn == 0 {
			t.Errorf("%s: the replica answered %d times, and the database %d", why, answered, passedOn)
		}
	}
	do(`select pg_wal_replay_pause()`)
	unanswered("behind")
	if p, err := f.DB.Position(t.Context(), f.replica); err != nil || p.Behind <= 0 {
		t.Errorf("a replica that is behind stands at %+v, %v", p, err)
	}
	do(`select pg_wal_replay_resume()`)
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		if answered, _ := f.counted(func() { f.reads("first", "One.\n") }); answered > 0 {
			break // it has caught up
		}
		if time.Now().After(end) {
			t.Fatal("the replica is not asked any more once it has caught up")
		}
	}
	do(`select pg_promote()`)
	time.Sleep(1100 * time.Millisecond) // it is asked again by then
	unanswered("promoted")
	if _, err := f.DB.Position(t.Context(), f.replica); !errors.Is(err, store.ErrNoFollower) {
		t.Errorf("of a replica that was promoted it is said: %v", err)
	}
	if _, err := databases.World(t, nil).DB.Position(t.Context(), f.replica); !errors.Is(err, store.ErrStranger) {
		t.Errorf("of another library's replica it is said: %v", err)
	}
	if err := f.pair.Kill(f.pair.Second); err != nil {
		t.Fatal(err)
	}
	time.Sleep(1100 * time.Millisecond)
	unanswered("dead")
}
