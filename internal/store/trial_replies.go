package store

import (
	"fmt"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
)

// TrialReply is a reply of a trial, without what was sent.
type TrialReply struct {
	ID        string                    `db:"id"`
	Fill      int                       `db:"fill"`
	SetUp     int                       `db:"set_up"`
	Time      int                       `db:"time"`
	State     string                    `db:"state"`
	Attempts  int                       `db:"attempts"`
	Text      string                    `db:"text"`
	Words     int                       `db:"words"`
	Reason    string                    `db:"reason"`
	Problem   Said                      `db:"problem"`
	TokensIn  int                       `db:"tokens_in"`
	TokensOut int                       `db:"tokens_out"`
	Cost      *float64                  `db:"cost"`
	WholeMS   int                       `db:"whole_ms"`
	Outcomes  JSON[[]trial.Observation] `db:"outcomes"`
	Checked   bool                      `db:"checked"`
	Run       string                    `db:"run"` // of a relay, that brings it; or none
}

const trialReplies = `
select id, fill, set_up, time, state, attempts, case when $2 then text else '' end as text,
       words, reason, problem, tokens_in, tokens_out, cost::float8 as cost, whole_ms, coalesce(outcomes, '[]') as outcomes, outcomes is not null as checked,
       case when by_run then coalesce((select id::text from runs where reply_id = replies.id), '') else '' end as run
from replies
where trial_id = $1 and judges is null and ($3 < 0 or fill = $3) and ($4 < 0 or set_up = $4)
order by fill, set_up, time`

// TrialReplies gives those of a trial that is seen, or of one of its fills or set-ups (-1 for
// all), with their texts where these are wanted.
func (r Reader) TrialReplies(id string, texts bool, fill, setUp int) (all []TrialReply, err error) {
	return all, r.all(&all, trialReplies, id, texts, fill, setUp)
}

const cellOf = `select sent, used from cells where trial_id = $1 and fill = $2 and set_up = $3`

// CellSent gives what was sent for a cell, or ErrNotFound.
func (r Reader) CellSent(id string, fillAt, setUp int) (Sent, []fill.Ref, error) {
	var c struct {
		Sent JSON[Sent]       `db:"sent"`
		Used JSON[[]fill.Ref] `db:"used"`
	}
	err := r.get(&c, cellOf, id, fillAt, setUp)
	return c.Sent.V, c.Used.V, err
}

const uncheckedTrials = `
select t.id::text
from trials t
where exists (select from replies where trial_id = t.id and state = 'done' and outcomes is null)
  and not exists (select from set_aside where job = 'replies of trials' and item = t.id::text and until > $2)
order by t.started_at, t.id
limit $1`

// UncheckedTrials gives some trials of which replies have come that nobody has looked at. The
// transaction looks at all trials.
func (r Reader) UncheckedTrials(most int) (ids []string, err error) {
	return ids, r.all(&ids, uncheckedTrials, most, r.at)
}

const plansOf = `select t.id, t.plan, e.slug from trials t join entries e on e.id = t.entry_id where t.id = any ($1::uuid[]) order by t.started_at, t.id`

// PlansOf gives trials: id, plan and the entry's slug. The transaction looks at all trials.
func (r Reader) PlansOf(ids []string) (all []Trial, err error) {
	return all, r.all(&all, plansOf, ids)
}

// Unchecked is a reply whose expectations nobody has looked at.
type Unchecked struct {
	ID       string           `db:"id"`
	Trial    string           `db:"trial_id"`
	Text     string           `db:"text"`
	Sent     JSON[Sent]       `db:"sent"`
	Used     JSON[[]fill.Ref] `db:"used"` // all that went into what was sent
	SetUp    int              `db:"set_up"`
	Language string           `db:"language"` // of the trial's entry
}

const unchecked = `
select r.id, r.trial_id, r.text, c.sent, c.used, r.set_up,
       (select v.language from trials t join versions v on v.entry_id = t.entry_id where t.id = r.trial_id order by v.number desc limit 1) as language
from replies r
join cells c on c.trial_id = r.trial_id and c.fill = r.fill and c.set_up = r.set_up
where r.trial_id = any ($1) and r.state = 'done' and r.outcomes is null and r.judges is null
order by r.ended_at, r.id
limit $2
for update of r skip locked`

// Unchecked gives some of trials, and keeps others from looking at them until the transaction ends. The
// transaction looks at all trials.
func (tx Tx) Unchecked(trials []string, most int) (all []Unchecked, err error) {
	return all, tx.all(&all, unchecked, trials, most)
}

const keepOutcomes = `
update replies r set outcomes = o.outcomes, words = o.words
from jsonb_to_recordset($1::jsonb) as o (id uuid, outcomes jsonb, words int)
where r.id = o.id and r.state = 'done'`

// Outcomes are what came of a reply's expectations.
type Outcomes struct {
	ID       string              `json:"id"`
	Outcomes []trial.Observation `json:"outcomes"`
	Words    int                 `json:"words"`
}

// KeepOutcomes keeps what came of expectations.
func (tx Tx) KeepOutcomes(all []Outcomes) error {
	text, err := jsonText(all)
	if err != nil {
		return err
	}
	return tx.exec(keepOutcomes, text)
}

const addJudged = `
insert into replies (id, trial_id, asked_by, rank, title, connection_id, model, sent, used, state, due_at, asked_at, judges, expectation)
values ($1, $2, (select started_by from trials where id = $2), 1, $3, $4, $5, $6, $7, 'waiting', $8, $8, $9, $10)
on conflict do nothing`

// AddJudged has a prompt be asked what it says of a reply to an expectation.
func (tx Tx) AddJudged(id, trial, title string, connection int64, model string, sent Sent, used []fill.Ref, judges string, expectation int) error {
	text, err := jsonText(sent)
	if err != nil {
		return err
	}
	refs, err := jsonText(append([]fill.Ref{}, used...))
	if err != nil {
		return err
	}
	return tx.exec(addJudged, id, trial, title, connection, model, text, refs, tx.at, judges, expectation)
}

// Judged is what a prompt has said of a reply.
type Judged struct {
	ID          string `db:"id"`
	Trial       string `db:"trial_id"`
	Judges      string `db:"judges"`
	Expectation int    `db:"expectation"`
	State       string `db:"state"`
	Text        string `db:"text"`
	Problem     Said   `db:"problem"`
}

const judged = `
select id, trial_id, judges, expectation, state, text, problem
from replies
where trial_id = any ($1) and judges is not null and outcomes is null and state in ('done', 'failed')
order by ended_at, id
limit $2
for update skip locked`

const judgedTrials = `
select distinct trial_id::text
from replies
where judges is not null and outcomes is null and state in ('done', 'failed')
  and not exists (select from set_aside where job = 'replies of trials' and item = trial_id::text and until > $2)
limit $1`

// JudgedTrials gives some trials of which prompts have said something that was not taken into
// account. The transaction looks at all trials.
func (r Reader) JudgedTrials(most int) (ids []string, err error) {
	return ids, r.all(&ids, judgedTrials, most, r.at)
}

// Judged gives some of what prompts have said of trials that was not taken into account, and keeps
// others from doing so until the transaction ends. The transaction looks at all trials.
func (tx Tx) Judged(trials []string, most int) (all []Judged, err error) {
	return all, tx.all(&all, judged, trials, most)
}

const takeJudged = `update replies set outcomes = '[]' where id = $1`

const keepOutcome = `update replies set outcomes = jsonb_set(outcomes, array[$2::text], $3::jsonb) where id = $1 and outcomes is not null`

// KeepOutcome keeps what came of one expectation of a reply that was looked at.
func (tx Tx) KeepOutcome(reply string, expectation int, o trial.Observation) error {
	text, err := jsonText(o)
	if err != nil {
		return err
	}
	return tx.exec(keepOutcome, reply, fmt.Sprint(expectation), text)
}

// TakeJudged takes into account what a prompt has said.
func (tx Tx) TakeJudged(j Judged, o trial.Observation) error {
	if err := tx.exec(takeJudged, j.ID); err != nil {
		return err
	}
	return tx.KeepOutcome(j.Judges, j.Expectation, o)
}

// Mark is what somebody says of a reply and an expectation.
type Mark struct {
	Reply       string `db:"reply_id"`
	Expectation int    `db:"expectation"`
	Person      int64  `db:"person_id"`
	Name        string `db:"name"` // in full
	Met         bool   `db:"met"`
}

const marksOf = `
select m.reply_id, m.expectation, m.person_id, p.full_name as name, m.met
from marks m
join replies r on r.id = m.reply_id
join people p on p.id = m.person_id
where r.trial_id = $1
order by m.at, m.person_id`

// Marks gives those of a trial, in the order in which they were made.
func (r Reader) Marks(trial string) (all []Mark, err error) { return all, r.all(&all, marksOf, trial) }

const setMark = `
insert into marks (reply_id, expectation, person_id, met, at) values ($1, $2, $3, $4, $5)
on conflict (reply_id, expectation, person_id) do update set met = excluded.met, at = excluded.at`

// SetMark keeps what somebody says, in place of what they said before.
func (tx Tx) SetMark(reply string, expectation int, person int64, met bool) error {
	return tx.exec(setMark, reply, expectation, person, met, tx.at)
}

// Preference is which of two replies somebody finds better.
type Preference struct {
	First  string `db:"first"`
	Second string `db:"second"`
	Person int64  `db:"person_id"`
	Better string `db:"better"` // first, second or neither
}

const preferencesOf = `select first, second, person_id, better from preferences where trial_id = $1 order by at, person_id`

// Preferences gives those of a trial.
func (r Reader) Preferences(trial string) (all []Preference, err error) {
	return all, r.all(&all, preferencesOf, trial)
}

const setPreference = `
insert into preferences (trial_id, first, second, person_id, better, at) values ($1, $2, $3, $4, $5, $6)
on conflict (first, second, person_id) do update set better = excluded.better, at = excluded.at`

// SetPreference keeps what somebody finds, in place of what they found before.
func (tx Tx) SetPreference(trial string, p Preference) error {
	return tx.exec(setPreference, trial, p.First, p.Second, p.Person, p.Better, tx.at)
}
