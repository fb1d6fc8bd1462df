package store

import (
	"time"

	"goldshelf/core/change"
)

// Comment is what someone said about a version, or in answer to another.
type Comment struct {
	ID        int64                 `db:"id"`
	EntryID   int64                 `db:"entry_id"`
	VersionID int64                 `db:"version_id"`
	Version   int                   `db:"version"`   // its number
	AnswerTo  int64                 `db:"answer_to"` // 0 where it begins a thread
	ByID      int64                 `db:"person_id"`
	By        string                `db:"by_name"`
	ByLogin   string                `db:"by"`
	At        time.Time             `db:"at"`
	Text      string                `db:"body"`
	Passage   JSON[*change.Passage] `db:"passage"`
	SettledAt *time.Time            `db:"settled_at"`
	SettledBy string                `db:"settled_by"`
}

const comments = `
select c.id, c.entry_id, c.version_id, v.number as version, coalesce(c.answer_to, 0) as answer_to, c.person_id, p.full_name as by_name, p.name as by,
       c.at, c.body, c.passage, c.settled_at, coalesce(s.full_name, '') as settled_by
from comments c
join versions v on v.id = c.version_id
join people p on p.id = c.person_id
left join people s on s.id = c.settled_by`

const commentsOf = comments + `
where c.entry_id = $1 and v.number <= $2
order by c.id`

// Comments gives what was said about an entry's versions up to a number, the oldest first.
func (r Reader) Comments(entryID int64, upTo int) (all []Comment, err error) {
	return all, r.all(&all, commentsOf, entryID, upTo)
}

const commentByID = comments + `
where c.entry_id = $1 and c.id = $2`

// Comment gives one thing that was said about an entry, or ErrNotFound.
func (r Reader) Comment(entryID, id int64) (c Comment, err error) {
	return c, r.get(&c, commentByID, entryID, id)
}

const addComment = `
insert into comments (entry_id, version_id, answer_to, person_id, at, body, passage)
values ($1, $2, nullif($3::bigint, 0), $4, $5, $6, $7)
returning id`

// AddComment keeps what was said, and gives its id.
func (tx Tx) AddComment(c Comment) (id int64, err error) {
	var passage *string
	if c.Passage.V != nil {
		text, err := jsonText(c.Passage.V)
		if err != nil {
			return 0, err
		}
		passage = &text
	}
	return id, tx.get(&id, addComment, c.EntryID, c.VersionID, c.AnswerTo, c.ByID, c.At, c.Text, passage)
}

const settleComment = `
update comments
set settled_at = $2, settled_by = nullif($3::bigint, 0)
where id = $1`

// SettleComment says that a thread is done with, or with nobody that it is open again.
func (tx Tx) SettleComment(id int64, at *time.Time, by int64) error {
	return tx.exec(settleComment, id, at, by)
}
