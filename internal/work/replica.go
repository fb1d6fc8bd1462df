package work

import (
	"context"
	"errors"
	"sync/atomic"

	"goldshelf/internal/store"
	"goldshelf/internal/telemetry"
)

// replica answers for the database what is on the shelf.
type replica struct {
	*store.Replica
	written Batch[struct{}, store.Written]

	answered, passedOn atomic.Int64
}

// UseReplica has what is on the shelf be read from a replica. It is for those who build the
// service, before it serves.
func (d *DB) UseReplica(r *store.Replica) {
	d.replica = &replica{Replica: r}
	d.replica.written.Do = func(ctx context.Context, all []struct{}) ([]store.Written, error) {
		w, err := d.db.Written(ctx)
		out := make([]store.Written, len(all))
		for i := range out {
			out[i] = w
		}
		return out, err
	}
}

// HasReplica says whether there is a replica to read from.
func (d *DB) HasReplica() bool { return d.replica != nil }

// ReplicaReads says how often the replica has answered, and how often the database has in its
// place.
func (d *DB) ReplicaReads() (answered, passedOn int64) {
	if d.replica == nil {
		return 0, 0
	}
	return d.replica.answered.Load(), d.replica.passedOn.Load()
}

// Position says where a replica of the database stands.
func (d *DB) Position(ctx context.Context, r *store.Replica) (store.Position, error) {
	return d.db.Position(ctx, r)
}

// ReplicaReading tells how the replica does.
func (d *DB) ReplicaReading(ctx context.Context) ([]telemetry.Reading, error) {
	const name, help = "goldshelf_shelf_reads", "How often the shelf was read, and from where."
	answered, passedOn := d.ReplicaReads()
	all := []telemetry.Reading{
		{Name: name, Help: help, Label: "from", Value: "replica", Number: float64(answered)},
		{Name: name, Help: help, Label: "from", Value: "database", Number: float64(passedOn)},
	}
	if p, err := d.Position(ctx, d.replica.Replica); err == nil {
		all = append(all, telemetry.Reading{Name: "goldshelf_replica_behind_seconds", Help: "How far the replica is behind the database.", Number: p.Behind})
	}
	return all, nil
}

// SeeShelf is See of what is on the shelf. Where there is a replica it answers, once it has
// all that was committed anywhere before it is asked: so everyone reads what they have
// written, whichever service wrote it. Where it has not, or does not answer, the database does.
func SeeShelf[T any](ctx context.Context, d *DB, see func(View) (T, error)) (T, error) {
	if d.replica == nil {
		return See(ctx, d, see)
	}
	out, err := fromReplica(ctx, d, see)
	if errors.Is(err, errPassedOn) {
		d.replica.passedOn.Add(1)
		return See(ctx, d, see)
	}
	d.replica.answered.Add(1)
	return out, err
}

var errPassedOn = errors.New("the replica does not answer this")

func fromReplica[T any](ctx context.Context, d *DB, see func(View) (T, error)) (out T, err error) {
	if d.replica.Rests() {
		return out, errPassedOn
	}
	ctx, ended := telemetry.Part(ctx, "read from the replica")
	defer func() { ended(err) }()
	has, err := d.replica.written.Call(ctx, struct{}{})
	if err != nil {
		return out, errPassedOn // the database says why
	}
	err = d.replica.View(ctx, d.now(), has, func(s store.Snapshot) (err error) {
		out, err = see(View{s})
		return err
	})
	if errors.Is(err, store.ErrBehind) || errors.Is(err, store.ErrAway) || errors.Is(err, store.ErrTryAgain) {
		return out, errPassedOn
	}
	return out, err
}
