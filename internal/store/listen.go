package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// channel is what services that share a database say to one another on.
const channel = "goldshelf"

const notify = `select pg_notify('` + channel + `', $1)`

// Notify says something to all who listen, if the transaction is kept.
func (tx Tx) Notify(what string) error { return tx.exec(notify, what) }

const closeWithin = time.Second

// Listen hears what is said, until ctx or the connection ends, which is one beside the
// others. It begins once it is heard by.
func (d *DB) Listen(ctx context.Context, begins func(), heard func(what string)) error {
	conn, err := pgx.ConnectConfig(ctx, d.how.Copy())
	if err != nil {
		return known(err)
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), closeWithin)
		defer cancel()
		_ = conn.Close(ctx) // it may have ended already
	}()
	if _, err := conn.Exec(ctx, "listen "+channel); err != nil {
		return known(err)
	}
	begins()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return known(err)
		}
		heard(n.Payload)
	}
}
