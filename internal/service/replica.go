package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// replica opens the replica that the shelf is read from. One that does not answer may come
// later; one of another database never will do.
func (o Options) replica(ctx context.Context, db *work.DB) (*store.Replica, error) {
	r, err := store.OpenReplica(o.ReadURL, cmp.Or(o.Connections, store.Connections))
	if err != nil {
		return nil, err
	}
	p, err := db.Position(ctx, r)
	switch {
	case errors.Is(err, store.ErrStranger):
		return nil, errors.Join(fmt.Errorf("--read-database-url: %w", err), r.Close())
	case err != nil:
		o.Log.Warn("the replica does not answer or does not follow; the shelf is read from the database meanwhile", "error", err)
	default:
		o.Log.Info("what is on the shelf is read from the replica", "behind_seconds", p.Behind)
	}
	return r, nil
}

// position says where the replica stands.
func (o Options) position(ctx context.Context) (p store.Position, err error) {
	r, err := store.OpenReplica(o.ReadURL, 1)
	if err != nil {
		return p, err
	}
	defer r.Close()
	err = Look(ctx, o, func(db *store.DB) error {
		p, err = db.Position(ctx, r)
		return err
	})
	return p, err
}
