package jobs

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"goldshelf/core/likeness"
	"goldshelf/internal/gather"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/people"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	everySecond = time.Second
	everyMinute = time.Minute
	everyHour   = time.Hour

	answersLast = 24 * time.Hour // for whoever sends a request again
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

// sendAtOnce is how many channels are told at the same time.
const sendAtOnce = 64

// Deliveries tells channels what is due, each one thing at a time. A channel that does
// not answer holds up nothing but what waits for itself.
func Deliveries(n *notify.Service, log *slog.Logger) *Job {
	d := &deliveries{notify: n, log: log, free: make(chan struct{}, sendAtOnce)}
	d.job = New("deliveries", everySecond, d.claim)
	d.job.ended = d.sending.Wait
	return d.job
}

type deliveries struct {
	notify  *notify.Service
	log     *slog.Logger
	job     *Job
	free    chan struct{} // has a place for each that is being sent
	sending sync.WaitGroup
}

// claim takes on as much as can be sent now, and has it sent.
func (d *deliveries) claim(ctx context.Context) error {
	resumeErr := d.notify.Resume(ctx)
	due, err := d.notify.ClaimDue(ctx, sendAtOnce-len(d.free))
	for _, one := range due {
		d.free <- struct{}{} // there is room: nobody else puts anything in
		d.sending.Go(func() {
			err := recovered(func() error { return d.notify.Send(ctx, one) })
			if err != nil && ctx.Err() == nil {
				d.log.Error("how a delivery ended was not kept", "error", err)
			}
			<-d.free
			d.job.Wake() // there is room for more
		})
	}
	return errors.Join(resumeErr, err)
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
	versions, err := work.Ask(ctx, db, func(v work.View) ([]store.Version, error) { return v.Unindexed(indexAtOnce) })
	if err != nil || len(versions) == 0 {
		return 0, err
	}
	all := work.AtOnce(versions, func(v store.Version) store.Indexed {
		return store.Indexed{ID: v.ID, Revision: v.Revision, Print: likeness.Read(v.Body).Print()}
	})
	return len(versions), work.Run(ctx, db, work.Service(), func(u *work.Unit) error { return u.Index(all) })
}

// SearchIndex reads what entries are found by, so that no search waits for what it can
// have read before.
func SearchIndex(db *work.DB, x *index.Index) *Job {
	return New("search index", everyMinute, func(ctx context.Context) error { return x.Read(ctx, db) })
}

// CleanUp forgets what has ended: answers, sign-ins, links, imports.
func CleanUp(db *work.DB) *Job {
	return New("clean-up", everyHour, func(ctx context.Context) error {
		return work.Run(ctx, db, work.Service(), func(u *work.Unit) error {
			if err := u.DropAnswers(u.Now().Add(-answersLast)); err != nil {
				return err
			}
			if err := u.DropSearchChanges(index.KeepChanges); err != nil {
				return err
			}
			if err := u.DropMissed(u.Now().Add(-shelf.KeepMissed)); err != nil {
				return err
			}
			if err := u.DropLabelChanges(u.Now().Add(-labels.UndoWithin)); err != nil {
				return err
			}
			return u.DropExpired(u.Now().Add(-people.FailuresCount), u.Now().Add(-gather.KeepFor))
		})
	})
}
