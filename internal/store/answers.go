package store

import "time"

// Answer is what was answered to a request that carried an Idempotency-Key.
type Answer struct {
	Request []byte `db:"request"` // hash of the request's body
	Status  int    `db:"status"`
	Body    []byte `db:"body"`
}

const answer = `select request, status, body from answers where key = $1`

// Answer gives what was answered under a key, or ErrNotFound.
func (r Reader) Answer(key string) (a Answer, err error) { return a, r.get(&a, answer, key) }

const claimAnswer = `
insert into answers (key, request, at)
values ($1, $2, $3)
on conflict (key) do nothing
returning key`

// ClaimAnswer takes a key for this transaction. Another that has it is waited for;
// where that one is kept, ClaimAnswer gives ErrTaken.
func (tx Tx) ClaimAnswer(key string, request []byte) error {
	err := tx.get(&key, claimAnswer, key, request, tx.at)
	if err == ErrNotFound {
		return ErrTaken
	}
	return err
}

const keepAnswer = `update answers set status = $2, body = $3 where key = $1`

// KeepAnswer keeps what is answered under a key that this transaction has claimed.
func (tx Tx) KeepAnswer(key string, a Answer) error {
	return tx.exec(keepAnswer, key, a.Status, append([]byte{}, a.Body...))
}

const dropAnswers = `delete from answers where at < $1`

// DropAnswers forgets what was answered before a time.
func (tx Tx) DropAnswers(before time.Time) error { return tx.exec(dropAnswers, before) }
