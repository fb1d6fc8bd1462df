package store

import (
	"strings"
	"time"

	"goldshelf/core/check"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
)

// Talk is one person's exchange with models.
type Talk struct {
	ID      string    `db:"id"`
	Person  int64     `db:"person_id"`
	EntryID int64     `db:"entry_id"` // 0 for none
	Slug    string    `db:"slug"`
	Title   string    `db:"title"`
	At      time.Time `db:"created_at"`
	AskedAt time.Time `db:"asked_at"`
	Kept    bool      `db:"kept"`
	Said    string    `db:"said"` // how its last reply begins
	Replies int       `db:"replies"`
}

const addTalk = `
insert into talks (id, person_id, entry_id, title, created_at, asked_at)
values ($1, $2, nullif($3::bigint, 0), $4, $5, $5)`

// AddTalk begins one. The transaction looks as its person does.
func (tx Tx) AddTalk(t Talk) error {
	return tx.exec(addTalk, t.ID, t.Person, t.EntryID, t.Title, tx.at)
}

const talkColumns = `
select t.id, t.person_id, coalesce(t.entry_id, 0) as entry_id, coalesce(e.slug, '') as slug, t.title, t.created_at, t.asked_at, t.kept,
       coalesce((select left(r.text, 200) from replies r where r.talk_id = t.id and r.text <> '' order by r.turn desc, r.place limit 1), '') as said,
       (select count(*) from replies r where r.talk_id = t.id) as replies
from talks t
left join entries e on e.id = t.entry_id`

const talkOf = talkColumns + `
where t.id = $1`

// Talk gives one of whoever is looked as, or ErrNotFound.
func (r Reader) Talk(id string) (t Talk, err error) { return t, r.get(&t, talkOf, id) }

const lockTalk = `select id from talks where id = $1 for update`

// LockTalk keeps others from changing a talk until the transaction ends, or gives ErrNotFound.
func (tx Tx) LockTalk(id string) error {
	var found string
	return tx.get(&found, lockTalk, id)
}

const talksOf = talkColumns + `
where t.person_id = $1
  and ($2 = '' or t.title ilike $2
       or exists (select from replies r where r.talk_id = t.id
                  and (r.text ilike $2 or exists (select from jsonb_array_elements(r.sent -> 'messages') m where m ->> 'text' ilike $2))))
order by t.asked_at desc, t.id
limit $3`

// likeSigns has what is a sign to LIKE stand for itself.
var likeSigns = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

// Talks gives someone's, the last asked first, of those that have words.
func (r Reader) Talks(person int64, words string, most int) (all []Talk, err error) {
	pattern := ""
	if words != "" {
		pattern = "%" + likeSigns.Replace(words) + "%"
	}
	return all, r.all(&all, talksOf, person, pattern, most)
}

const keepTalk = `update talks set kept = $2 where id = $1 returning id`

// KeepTalk says whether a talk of whoever is looked as is kept, or gives ErrNotFound.
func (tx Tx) KeepTalk(id string, kept bool) error {
	var found string
	return tx.get(&found, keepTalk, id, kept)
}

const talkReaders = `
select p.name, p.full_name
from talk_readers r
join people p on p.id = r.person_id
where r.talk_id = $1
order by p.full_name, p.name`

// TalkReader is somebody who may read a talk of somebody else's.
type TalkReader struct {
	Name     string `db:"name"`
	FullName string `db:"full_name"`
}

// TalkReaders gives whom a talk is shared with.
func (r Reader) TalkReaders(id string) (all []TalkReader, err error) {
	return all, r.all(&all, talkReaders, id)
}

const shareTalk = `insert into talk_readers (talk_id, person_id, at) values ($1, $2, $3) on conflict do nothing`

// ShareTalk lets somebody read a talk.
func (tx Tx) ShareTalk(id string, person int64) error { return tx.exec(shareTalk, id, person, tx.at) }

const unshareTalk = `delete from talk_readers where talk_id = $1 and person_id = $2`

// UnshareTalk lets somebody read a talk no longer.
func (tx Tx) UnshareTalk(id string, person int64) error { return tx.exec(unshareTalk, id, person) }

const dropTalks = `delete from talks where not kept and asked_at < $1`

// DropTalks forgets talks that were last asked before a time and are not kept. The
// transaction looks at all talks.
func (tx Tx) DropTalks(before time.Time) error { return tx.exec(dropTalks, before) }

const dropTalk = `delete from talks where id = $1 returning id`

// DropTalk deletes one of whoever is looked as, or gives ErrNotFound.
func (tx Tx) DropTalk(id string) error {
	var dropped string
	return tx.get(&dropped, dropTalk, id)
}

// Sent is exactly what a model was sent.
type Sent struct {
	Messages []endpoint.ModelMessage `json:"messages"`
	Settings endpoint.Settings       `json:"settings"`
	Within   int                     `json:"within,omitempty"` // seconds for the whole reply; 0 for as long as its connection waits
}

// The states of a reply.
const (
	ReplyWaiting = "waiting" // to be asked for
	ReplyRunning = "running" // asked for
	ReplyDone    = "done"
	ReplyFailed  = "failed"
	ReplyStopped = "stopped" // by whoever asked
)

// Ended says whether nothing more comes.
func (p Reply) Ended() bool { return p.State != ReplyWaiting && p.State != ReplyRunning }

// Reply is one question to a model, and what came of it.
type Reply struct {
	ID           string            `db:"id"`
	Talk         string            `db:"talk_id"`
	Turn         int               `db:"turn"`
	Place        int               `db:"place"`
	Trial        string            `db:"trial_id"` // that it is of, or that it judges a reply of
	Run          string            `db:"run_id"`   // whose step it is of
	Title        string            `db:"title"`
	ConnectionID int64             `db:"connection_id"` // 0 once that is gone
	Model        string            `db:"model"`
	Sent         JSON[Sent]        `db:"sent"`
	Given        JSON[fill.Values] `db:"given"` // the values that were filled in
	Used         JSON[[]fill.Ref]  `db:"used"`
	Seed         *int64            `db:"seed"` // in place of the settings'
	State        string            `db:"state"`
	Attempts     int               `db:"attempts"`
	Text         string            `db:"text"`
	Reason       string            `db:"reason"`
	Problem      Said              `db:"problem"`
	TokensIn     int               `db:"tokens_in"`
	TokensOut    int               `db:"tokens_out"`
	Cost         *float64          `db:"cost"` // nothing where the price is not known
	FirstMS      int               `db:"first_ms"`
	WholeMS      int               `db:"whole_ms"`
	AskedAt      time.Time         `db:"asked_at"`
	EndedAt      *time.Time        `db:"ended_at"`
	DueAt        time.Time         `db:"due_at"`
}

const addReply = `
with asked as (update talks set asked_at = $10 where id = $2)
insert into replies (id, talk_id, asked_by, turn, place, title, connection_id, model, sent, used, state, due_at, asked_at, given)
values ($1, $2, (select person_id from talks where id = $2), $3, $4, $5, $6, $7, $8, $9, 'waiting', $10, $10, $11)`

// AddReply has a model be asked.
func (tx Tx) AddReply(r Reply) error {
	sent, err := jsonText(r.Sent.V)
	if err != nil {
		return err
	}
	used, err := jsonText(r.Used.V)
	if err != nil {
		return err
	}
	if r.Given.V == nil {
		r.Given.V = fill.Values{}
	}
	given, err := jsonText(r.Given.V)
	if err != nil {
		return err
	}
	return tx.exec(addReply, r.ID, r.Talk, r.Turn, r.Place, r.Title, r.ConnectionID, r.Model, sent, used, tx.at, given)
}

const replyFields = `
       r.id, coalesce(r.talk_id::text, '') as talk_id, coalesce(r.trial_id::text, '') as trial_id, coalesce(r.run_id::text, '') as run_id, coalesce(r.turn, 0) as turn, coalesce(r.place, 0) as place, r.title, coalesce(r.connection_id, 0) as connection_id, r.model,
       coalesce(r.sent, (select c.sent from cells c where c.trial_id = r.trial_id and c.fill = r.fill and c.set_up = r.set_up), '{}') as sent,
       coalesce(r.used, '[]') as used, r.given, r.seed, r.state, r.attempts,
       r.text, r.reason, r.problem, r.tokens_in, r.tokens_out, r.cost::float8 as cost, r.first_ms, r.whole_ms, r.asked_at, r.ended_at, r.due_at`

const replyColumns = `
select` + replyFields + `
from replies r`

const repliesOf = replyColumns + `
where r.talk_id = $1
order by r.turn, r.place`

// Replies gives those of a talk in their order.
func (r Reader) Replies(talk string) (all []Reply, err error) {
	return all, r.all(&all, repliesOf, talk)
}

const replyOf = replyColumns + `
where r.id = $1`

// Reply gives one of whoever is looked as, or ErrNotFound.
func (r Reader) Reply(id string) (p Reply, err error) { return p, r.get(&p, replyOf, id) }

const lockConnections = `select id from connections order by id for update`

const claimReplies = `
with room as (
    select c.id, (c.details ->> 'at_once')::int - (select count(*) from replies where connection_id = c.id and state = 'running' and due_at > $2) as free
    from connections c
    where (select held_since from library) is null
      and (coalesce((c.details ->> 'tokens_minute')::int, 0) = 0
       or (select coalesce(sum(tokens_in + tokens_out), 0) from replies where connection_id = c.id and ended_at > $2 - interval '1 minute')
          < (c.details ->> 'tokens_minute')::int)
),
taken as (
    select due.id
    from room
    cross join lateral (
        select id, rank, due_at from replies
        where connection_id = room.id and state in ('waiting', 'running') and due_at <= $2
        order by rank, due_at, id
        limit greatest(room.free, 0)
        for update skip locked
    ) due
    order by due.rank, due.due_at, due.id
    limit $1
)
update replies r
set state = 'running', attempts = attempts + 1, due_at = $3
where id in (select id from taken)
returning ` + replyFields

// ClaimReplies takes on what is to be asked, so many at most and no more of a connection than
// it takes at once and a minute, until a time at which it counts as given up by whoever took
// it on. The transaction looks at all talks.
func (tx Tx) ClaimReplies(most int, until time.Time) (all []Reply, err error) {
	var ids []int64
	if err := tx.all(&ids, lockConnections); err != nil { // so that two services count one after the other
		return nil, err
	}
	return all, tx.all(&all, claimReplies, most, tx.at, until)
}

// Held is a reply that is still awaited by an attempt, with what has come of it where that is
// more than was kept.
type Held struct {
	ID      string  `json:"id"`
	Attempt int     `json:"attempt"`
	Text    *string `json:"text"`
}

// What changes several replies locks them in the order of their ids: two that have some of them
// in common wait for each other one way alone.
const holdReplies = `
with h as (
    select * from jsonb_to_recordset($1::jsonb) as h (id uuid, attempt int, text text)
),
locked as materialized (
    select r.id from replies r join h on h.id = r.id and h.attempt = r.attempts where r.state = 'running' order by r.id for update of r
)
update replies r
set due_at = $2, text = coalesce(h.text, r.text)
from h
join locked on locked.id = h.id
where r.id = h.id and r.attempts = h.attempt and r.state = 'running'
returning r.id`

// HoldReplies keeps what has come of replies so far, and says until when they are awaited. It
// gives the ids of those that still are, by these attempts.
func (tx Tx) HoldReplies(all []Held, until time.Time) (ids []string, err error) {
	text, err := jsonText(all)
	if err != nil {
		return nil, err
	}
	return ids, tx.all(&ids, holdReplies, text, until)
}

const endReplies = `
with e as (
    select * from jsonb_to_recordset($1::jsonb) as e (id uuid, attempts int, state text, text text, reason text, problem text,
                                                      words int, tokens_in int, tokens_out int, first_ms int, whole_ms int, due_at timestamptz)
),
locked as materialized (
    select r.id from replies r join e on e.id = r.id and e.attempts = r.attempts where r.state = 'running' order by r.id for update of r
)
update replies r
set state = e.state, text = e.text, reason = e.reason, problem = e.problem, words = e.words, tokens_in = e.tokens_in, tokens_out = e.tokens_out,
    cost = (select ((g.details ->> 'price_in')::numeric * e.tokens_in + (g.details ->> 'price_out')::numeric * e.tokens_out) / 1e6
            from register g where g.facet = 'model' and g.term = r.model),
    first_ms = e.first_ms, whole_ms = e.whole_ms, due_at = coalesce(e.due_at, r.due_at), ended_at = case when e.state = 'waiting' then null else $2::timestamptz end
from e
join locked on locked.id = e.id
where r.id = e.id and r.attempts = e.attempts and r.state = 'running'`

// EndReplies keeps what came of attempts, but where a reply is another's by now or was
// stopped. A state of waiting has it asked again when it is due. What one has cost is worked
// out by the register's prices. The transaction looks at all talks.
func (tx Tx) EndReplies(all []Reply) error {
	type end struct {
		ID        string    `json:"id"`
		Attempts  int       `json:"attempts"`
		State     string    `json:"state"`
		Text      string    `json:"text"`
		Reason    string    `json:"reason"`
		Problem   string    `json:"problem"`
		Words     int       `json:"words"`
		TokensIn  int       `json:"tokens_in"`
		TokensOut int       `json:"tokens_out"`
		FirstMS   int       `json:"first_ms"`
		WholeMS   int       `json:"whole_ms"`
		DueAt     time.Time `json:"due_at"`
	}
	ends := make([]end, len(all))
	for i, r := range all {
		why, err := r.Problem.column()
		if err != nil {
			return err
		}
		ends[i] = end{r.ID, r.Attempts, r.State, r.Text, r.Reason, why, check.Words(r.Text), r.TokensIn, r.TokensOut, r.FirstMS, r.WholeMS, r.DueAt}
	}
	text, err := jsonText(ends)
	if err != nil {
		return err
	}
	return tx.exec(endReplies, text, tx.at)
}

const stopReply = `
update replies set state = 'stopped', ended_at = $2, text = case when $3 = '' then text else $3 end
where id = $1 and state in ('waiting', 'running')
returning id`

// StopReply has a reply be awaited no longer, with what has come of it, or gives ErrNotFound
// where it is not awaited.
func (tx Tx) StopReply(id, text string) error {
	var stopped string
	return tx.get(&stopped, stopReply, id, tx.at, text)
}
