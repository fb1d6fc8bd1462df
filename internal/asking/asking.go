// Package asking has models be asked. What is to be asked waits in the database, where any
// service takes it on, asks under its own id, and keeps the reply. Who may ask what, and what
// for, is the use cases' work.
package asking

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"goldshelf/core/endpoint"
	"goldshelf/core/message"
	"goldshelf/internal/models"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	// A reply that nobody has said to be awaited for so long was a stopped service's: it is
	// asked again, under the same id.
	heldFor = 20 * time.Second

	mostAttempts = 5
	keepWithin   = 5 * time.Second
)

// Asking asks models for a library.
type Asking struct {
	db      *work.DB
	asker   *models.Asker
	secrets Secrets
	live    live
	ends    work.Batch[store.Reply, error]
	wake    func() // has what waits be asked
	kept    func() // something has been answered
	watch   Watch
}

// Watch is told of each reply that a connection is asked for, and of how that ended.
type Watch func(ctx context.Context, connection string) (of context.Context, ended func(error))

// New gives the asking of a library.
func New(db *work.DB, asker *models.Asker, secrets Secrets) *Asking {
	a := &Asking{db: db, asker: asker, secrets: secrets, wake: func() {}, kept: func() {}, watch: unwatched}
	a.ends.Do = a.keepAll
	return a
}

// OnAsk has f run once something is to be asked, and OnKept once something has been answered.
// They are for those who build the service, before it serves.
func (a *Asking) OnAsk(f func()) { a.wake = f }

// OnKept has f run once something has been answered.
func (a *Asking) OnKept(f func()) { a.kept = f }

// OnEach has each reply that is asked for be watched. It is for those who build the service,
// before it serves.
func (a *Asking) OnEach(w Watch) { a.watch = w }

func unwatched(ctx context.Context, _ string) (context.Context, func(error)) {
	return ctx, func(error) {}
}

// Wake has what was added be asked, once the unit is kept. It is for what the service adds by
// itself to what somebody has had be asked; what people ask goes through Asked.
func (a *Asking) Wake(u *work.Unit) { u.After(func() { a.wake() }) }

// Check says what is wrong with an endpoint's address, as far as that can be said without
// reaching for it.
func (a *Asking) Check(address string) error { return a.asker.Check(address) }

// HasSecret reports whether a connection's secret is there, for its address.
func (a *Asking) HasSecret(c store.Connection) bool {
	secret, err := a.secret(c)
	return err == nil && secret != ""
}

// Secrets is where the secrets of connections are kept.
func (a *Asking) Secrets() Secrets { return a.secrets }

func (a *Asking) secret(c store.Connection) (string, error) {
	if c.Sealed != nil {
		return a.secrets.Open(c.Details.V.Place(), c.Sealed)
	}
	return a.secrets.Get(c.Details.V.Secret, c.Details.V.Place())
}

func (a *Asking) endpoint(of store.Connection) (models.Endpoint, error) {
	secret, err := a.secret(of)
	if err != nil {
		err = &models.Failure{Message: message.Of(err)}
	}
	c := of.Details.V
	return models.Endpoint{Address: c.Address, Secret: secret, Mapping: c.Spoken(), FirstWithin: c.First(), WholeWithin: c.Whole()}, err
}

// Probe asks a model of a connection once, and shows how. Its error is a [models.Failure].
func (a *Asking) Probe(ctx context.Context, c store.Connection, r endpoint.Request) (models.Exchange, error) {
	e, err := a.endpoint(c)
	if err != nil {
		return models.Exchange{}, err
	}
	return a.asker.Probe(ctx, e, uuid.NewString(), r)
}

// pauseAfter is how long to wait after so many attempts, where the endpoint does not say.
func pauseAfter(attempts int) time.Duration {
	return min(time.Second<<min(attempts, 6), time.Minute)
}

// Due is a reply that is about to be asked for, and where.
type Due struct {
	row store.Reply
	at  *store.Connection // nothing where the connection is gone
}

// ClaimDue takes on what is to be asked, so many at most, so that no other service asks too.
func (a *Asking) ClaimDue(ctx context.Context, most int) ([]Due, error) {
	return work.Do(ctx, a.db, work.Service(), func(u *work.Unit) ([]Due, error) {
		if err := u.LookAtAll(); err != nil {
			return nil, err
		}
		rows, err := u.ClaimReplies(most, u.Now().Add(heldFor))
		if err != nil || len(rows) == 0 {
			return nil, err
		}
		if rows, err = withoutSpentUp(u, rows); err != nil {
			return nil, err
		}
		all, err := u.Connections()
		due := make([]Due, len(rows))
		for i, r := range rows {
			due[i].row = r
			if at := slices.IndexFunc(all, func(c store.Connection) bool { return c.ID == r.ConnectionID }); at >= 0 {
				due[i].at = &all[at]
			}
		}
		return due, err
	})
}

// Ask asks a model for a reply that was taken on, and keeps what came of it.
func (a *Asking) Ask(ctx context.Context, due Due) error {
	r := due.row
	if r.Attempts > mostAttempts {
		r.State, r.Problem.Text = store.ReplyFailed, message.Say("the service was stopped each time that it was asked for")
		return a.keep(ctx, r)
	}
	asking, stop := context.WithCancel(ctx)
	defer stop()
	l := a.live.begin(r.ID, r.Attempts, stop)
	defer a.live.end(r.ID, l)
	got, err := a.reply(asking, due, l)
	r.Text, r.Reason = got.Text, string(got.Reason)
	r.TokensIn, r.TokensOut = got.Tokens.In, got.Tokens.Out
	r.FirstMS, r.WholeMS = int(got.First.Milliseconds()), int(got.Whole.Milliseconds())
	r.State, r.Problem.Text = store.ReplyDone, message.Text{} // whatever went wrong before
	var failed *models.Failure
	switch {
	case errors.As(err, &failed):
		r.State, r.Problem.Text = store.ReplyFailed, failed.Message
		if failed.Again && r.Attempts < mostAttempts {
			r.State, r.DueAt = store.ReplyWaiting, a.db.Now().Add(max(failed.After, pauseAfter(r.Attempts)))
		}
	case err != nil && ctx.Err() != nil:
		// The service stops: that is no failure of the endpoint's.
		r.State, r.DueAt = store.ReplyWaiting, a.db.Now()
	case err != nil && l.stopped():
		return nil // and how far it came was kept when it was stopped
	case err != nil:
		r.State, r.Problem.Text = store.ReplyFailed, message.Of(err)
	}
	return a.keep(ctx, r)
}

// keep keeps how an attempt ended, whatever ends meanwhile: else it would be asked twice. One
// that was stopped, or deleted, in the same moment stays as it is.
func (a *Asking) keep(ctx context.Context, r store.Reply) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), keepWithin)
	defer cancel()
	failed, err := a.ends.Call(ctx, r)
	if err = errors.Join(err, failed); err == nil {
		a.live.kept(r.ID)
		a.kept()
	}
	return err
}

// keepAll keeps several, or, where one of them cannot be, each by itself.
func (a *Asking) keepAll(ctx context.Context, all []store.Reply) ([]error, error) {
	keep := func(some []store.Reply) error {
		return work.Run(ctx, a.db, work.Service(), func(u *work.Unit) error {
			if err := u.LookAtAll(); err != nil {
				return err
			}
			return u.EndReplies(some)
		})
	}
	failed := make([]error, len(all))
	if err := keep(all); err != nil {
		for i := range all {
			failed[i] = keep(all[i : i+1])
		}
	}
	return failed, nil
}

func (a *Asking) reply(ctx context.Context, due Due, l *liveReply) (models.Answer, error) {
	if due.at == nil {
		return models.Answer{}, &models.Failure{Message: message.Say("its connection is gone")}
	}
	e, err := a.endpoint(*due.at)
	if err != nil {
		return models.Answer{}, err
	}
	r := due.row
	if own := time.Duration(r.Sent.V.Within) * time.Second; own > 0 {
		e.FirstWithin, e.WholeWithin = min(e.FirstWithin, own), min(e.WholeWithin, own)
	}
	if r.Seed != nil {
		r.Sent.V.Settings.Seed = r.Seed
	}
	ctx, ended := a.watch(ctx, due.at.Name)
	got, err := a.asker.Ask(ctx, e, r.ID, endpoint.Request{Model: r.Model, Messages: r.Sent.V.Messages, Settings: r.Sent.V.Settings, Stream: true}, l.add)
	ended(err)
	return got, err
}

// Hold says of all replies that this service asks for that they are still awaited, and keeps
// how far they have come: for those who watch them at another service. What is awaited no
// longer is asked for no longer.
func (a *Asking) Hold(ctx context.Context) error {
	held := a.live.held()
	if len(held) == 0 {
		return nil
	}
	ids, err := work.Do(ctx, a.db, work.Service(), func(u *work.Unit) ([]string, error) {
		if err := u.LookAtAll(); err != nil {
			return nil, err
		}
		return u.HoldReplies(held, u.Now().Add(heldFor))
	})
	if err != nil {
		return err
	}
	for _, h := range held {
		if !slices.Contains(ids, h.ID) {
			a.live.stopAttempt(h.ID, h.Attempt)
		}
	}
	return nil
}

// Stop has a reply be awaited no longer, if it still is. What has come of it stays. The unit
// looks as those do who may stop it.
func (a *Asking) Stop(u *work.Unit, id string) error {
	so := ""
	if l := a.live.of(id); l != nil {
		so = l.text()
	}
	err := u.StopReply(id, so)
	if errors.Is(err, store.ErrNotFound) {
		return nil // it has ended: nothing is asked for any more
	}
	if err == nil {
		a.Forget(u, id)
	}
	return err
}

// Forget ends the asking for replies once the unit is kept, if this service does it.
func (a *Asking) Forget(u *work.Unit, ids ...string) {
	u.After(func() {
		for _, id := range ids {
			a.live.stop(id)
		}
	})
}
