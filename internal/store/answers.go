package store

import (
	"context"
	"errors"
	"time"
)

// Answer is what was answered to a request that carried an Idempotency-Key.
type Answer struct {
	Request []byte `db:"request"` // hash of the request's body
	Status  int    `db:"status"`  // 0 while it is being worked out
	ETag    string `db:"etag"`
	Body    []byte `db:"body"`
}

const beginAnswer = `
with old as (delete from answers where at < $4 and key <> $1)
insert into answers (key, request, at)
values ($1, $2, $3)
on conflict (key) do update
set request = excluded.request, status = 0, etag = '', body = '', at = excluded.at
where answers.at < $4 or answers.status = 0 and answers.at < $5
returning key`

const answer = `select request, status, etag, body from answers where key = $1`

// BeginAnswer claims a key for a request, and gives nil; or it gives what is
// there under the key already. Answers from before old are forgotten, and
// claims from before stale, whose service must have died.
func (d *DB) BeginAnswer(ctx context.Context, key string, request []byte, now, old, stale time.Time) (*Answer, error) {
	var claimed string
	err := d.get(ctx, &claimed, beginAnswer, key, request, now, old, stale)
	if !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	var there Answer
	return &there, d.get(ctx, &there, answer, key)
}

const keepAnswer = `update answers set status = $2, etag = $3, body = $4 where key = $1`

// KeepAnswer keeps what was answered under a key that was claimed before.
func (d *DB) KeepAnswer(ctx context.Context, key string, a Answer) error {
	_, err := d.db.ExecContext(ctx, keepAnswer, key, a.Status, a.ETag, a.Body)
	return err
}

const dropAnswer = `delete from answers where key = $1`

// DropAnswer lets go of a key, so that the request can be sent again.
func (d *DB) DropAnswer(ctx context.Context, key string) error {
	_, err := d.db.ExecContext(ctx, dropAnswer, key)
	return err
}
