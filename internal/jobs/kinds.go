package jobs

import (
	"context"
	"errors"
	"log/slog"
	"strconv"
	"sync"
	"time"

	"goldshelf/core/likeness"
	"goldshelf/internal/asking"
	"goldshelf/internal/gather"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/people"
	"goldshelf/internal/relays"
	"goldshelf/internal/shelf"
	"goldshelf/internal/similar"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
)

const (
	everySecond = time.Second
	everyMinute = time.Minute
	everyHour   = time.Hour

	everyTenMinutes = 10 * time.Minute

	picturesLast = 24 * time.Hour // that no version has

	lastWrite = 5 * time.Second // when the service ends

	rowsLast    = 30 * 24 * time.Hour // replies to the rows of a table
	asidesLast  = 7 * 24 * time.Hour  // that nothing has tried again
	answersLast = 24 * time.Hour      // for whoever sends a request again
)

// Publications publishes what is due.
func Publications(life *lifecycle.Service) *Job {
	return New("publications", everySecond, func(ctx context.Context) error {
		for {
			if one, err := life.PublishDue(ctx); err != nil || !one {
				return err
			}
		}
	})
}

// What is done at the same time at most: channels told, and models asked.
const (
	sendAtOnce = 64
	askAtOnce  = 256
)

// claimEvery is how often something is taken on at most.
const claimEvery = 10 * time.Millisecond

// Deliveries tells channels what is due, each one thing at a time. A channel that does
// not answer holds up nothing but what waits for itself.
func Deliveries(n *notify.Service, log *slog.Logger) *Job {
	return claiming("deliveries", sendAtOnce, log, func(ctx context.Context, most int) ([]notify.Delivery, error) {
		resumeErr := n.Resume(ctx)
		due, err := n.ClaimDue(ctx, most)
		return due, errors.Join(resumeErr, err)
	}, n.Send)
}

// Replies asks models what they are to be asked.
func Replies(a *asking.Asking, log *slog.Logger) *Job {
	return claiming("replies", askAtOnce, log, a.ClaimDue, a.Ask)
}

// HeldReplies says of the replies that are asked for that they are still awaited.
func HeldReplies(a *asking.Asking) *Job { return New("held replies", everySecond, a.Hold) }

// TrialReplies looks whether replies of trials hold to what is expected of them.
func TrialReplies(t *trials.Service) *Job {
	return New("replies of trials", everySecond, func(ctx context.Context) error {
		for {
			if n, err := t.Look(ctx); err != nil || n == 0 {
				return err
			}
		}
	})
}

// Relays has the steps of relays be asked that wait for others.
func Relays(r *relays.Service) *Job {
	return New("relays", everySecond, func(ctx context.Context) error {
		for {
			if n, err := r.GoOn(ctx); err != nil || n == 0 {
				return err
			}
		}
	})
}

// Listening forgets what other services on the same database change.
func Listening(db *work.DB) *Job { return New("listening", everySecond, db.Listen) }

// ShelfChanges has it told when other entries are on the shelf, whichever service has put
// them there, if anyone listens.
func ShelfChanges(db *work.DB, listens func() bool, tell func()) *Job {
	var last int64
	return New("changes of the shelf", everySecond, func(ctx context.Context) error {
		now, err := work.Ask(ctx, db, func(v work.View) (int64, error) { return v.ShelfNumber() })
		if err == nil && last != 0 && now != last && listens() {
			tell()
		}
		if err == nil {
			last = now
		}
		return err
	})
}

// Demo does what the demo's people do once the service serves.
func Demo(do func(context.Context) error) *Job { return New("the demo", everySecond, do) }

// claiming is a job that takes on what is due, so much at the same time at most, and does
// each by itself: one that hangs holds up no other.
func claiming[T any](name string, atOnce int, log *slog.Logger, claim func(context.Context, int) ([]T, error), do func(context.Context, T) error) *Job {
	var (
		job   *Job
		doing sync.WaitGroup
		free  = make(chan struct{}, atOnce) // has a place for each that is being done
		last  time.Time                     // that something was taken on
	)
	job = New(name, everySecond, func(ctx context.Context) error {
		// Where one ends after the other, they are not taken on one by one.
		if pause := claimEvery - time.Since(last); pause > 0 {
			time.Sleep(pause)
		}
		last = time.Now()
		room := atOnce - len(free)
		if room == 0 {
			return nil
		}
		due, err := claim(ctx, room)
		for _, one := range due {
			free <- struct{}{} // there is room: nobody else puts anything in
			doing.Go(func() {
				err := recovered(func() error { return do(ctx, one) })
				if err != nil && ctx.Err() == nil {
					log.Error("how it ended was not kept", "job", name, "error", err)
				}
				<-free
				job.Wake() // there is room for more
			})
		}
		return err
	})
	job.ended = doing.Wait
	return job
}

// indexAtOnce is how many versions are worked through in one unit.
const indexAtOnce = 200

// Indexing works out by what versions that were saved since are like others.
func Indexing(db *work.DB) *Job {
	return New("indexing", everySecond, func(ctx context.Context) error {
		for {
			if n, err := Index(ctx, db); err != nil || n < indexAtOnce {
				return err
			}
		}
	})
}

// Index does some of that, and gives how many versions it has looked at.
func Index(ctx context.Context, db *work.DB) (int, error) {
	versions, err := work.See(ctx, db, func(v work.View) ([]store.Version, error) {
		if err := v.LookAtAll(); err != nil {
			return nil, err
		}
		return v.Unindexed(indexAtOnce)
	})
	if err != nil || len(versions) == 0 {
		return 0, err
	}
	name := func(v store.Version) string { return strconv.FormatInt(v.ID, 10) }
	return len(versions), work.EachOf(ctx, db, "indexing", versions, name, func(ctx context.Context, some []store.Version) error {
		all := work.AtOnce(some, func(v store.Version) store.Indexed {
			return store.Indexed{ID: v.ID, Revision: v.Revision, Print: likeness.Read(v.Body).Print()}
		})
		return work.Run(ctx, db, work.Service(), func(u *work.Unit) error { return u.Index(all) })
	})
}

// SearchIndex reads what entries are found by, so that no search waits for what it can
// have read before.
func SearchIndex(db *work.DB, x *index.Index) *Job {
	return New("search index", everyMinute, func(ctx context.Context) error { return x.Read(ctx, db) })
}

// Uses writes what was used since, and at the end what waits then.
func Uses(s *shelf.Service, log *slog.Logger) *Job {
	j := New("uses", everySecond, s.WriteUses)
	j.ended = func() {
		ctx, cancel := context.WithTimeout(context.Background(), lastWrite)
		defer cancel()
		if err := s.WriteUses(ctx); err != nil {
			log.Error("the last uses were not counted", "error", err)
		}
	}
	return j
}

// Figures works out what is used and liked most.
func Figures(s *shelf.Service) *Job { return New("figures", everyTenMinutes, s.ReadFigures) }

// Stocktake rolls up what was used.
func Stocktake(s *stocktake.Service) *Job { return New("stocktake", everyTenMinutes, s.Keep) }

// Repetition works out ahead what the library says more than once, so that nobody waits for it.
func Repetition(s *similar.Service) *Job {
	return New("repetition", everyTenMinutes, func(ctx context.Context) error {
		_, err := s.Repetition(ctx, work.Service())
		return err
	})
}

// CleanUp forgets what has ended.
func CleanUp(db *work.DB) *Job {
	return New("clean-up", everyHour, func(ctx context.Context) error { return Clean(ctx, db) })
}

// Clean does it once: answers, sign-ins, links, imports, pictures that nothing has, and what
// the library keeps for so long.
func Clean(ctx context.Context, db *work.DB) error {
	return work.Run(ctx, db, work.Service(), func(u *work.Unit) error {
		keep, err := u.Library()
		if err != nil {
			return err
		}
		before := func(days int) time.Time { return u.Now().AddDate(0, 0, -days) }
		if err := u.DropAnswers(u.Now().Add(-answersLast)); err != nil {
			return err
		}
		if err := u.DropSearchChanges(index.KeepChanges); err != nil {
			return err
		}
		if err := u.DropPictures(u.Now().Add(-picturesLast)); err != nil {
			return err
		}
		if err := u.DropUses(before(keep.Uses)); err != nil {
			return err
		}
		if err := u.DropAsides(u.Now().Add(-asidesLast)); err != nil {
			return err
		}
		if err := u.DropMissed(before(keep.Missed)); err != nil {
			return err
		}
		if err := u.DropNews(before(keep.News)); err != nil {
			return err
		}
		if err := u.DropLabelChanges(u.Now().Add(-labels.UndoWithin)); err != nil {
			return err
		}
		if err := u.LookAtAll(); err != nil {
			return err
		}
		if err := u.DropTalks(before(keep.Talks)); err != nil {
			return err
		}
		if err := u.SumSpent(); err != nil {
			return err
		}
		if err := u.DropRuns(before(keep.Talks)); err != nil {
			return err
		}
		if err := u.DropPrivateTrials(u.Now().Add(-rowsLast)); err != nil {
			return err
		}
		return u.DropExpired(u.Now().Add(-people.FailuresCount), u.Now().Add(-gather.KeepFor))
	})
}
