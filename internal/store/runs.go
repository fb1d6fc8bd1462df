package store

import (
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

// RunPlan is what a run of a relay does.
type RunPlan struct {
	Steps    []entry.Step `json:"steps"`  // each with the version that it uses
	Blanks   []fill.Blank `json:"blanks"` // that the relay asks for
	Language string       `json:"language,omitempty"`
	Values   fill.Values  `json:"values"`
	Model    string       `json:"model,omitempty"` // of steps that name none
	Seed     *int64       `json:"seed,omitempty"`
}

// Run is one that somebody began.
type Run struct {
	ID      string        `db:"id"`
	Person  int64         `db:"person_id"`
	EntryID int64         `db:"entry_id"`
	Slug    string        `db:"slug"`
	Title   string        `db:"title"` // the entry's, of that version
	Version int           `db:"version"`
	Plan    JSON[RunPlan] `db:"plan"`
	Number  int           `db:"number"`
	Kept    bool          `db:"kept"`
	At      time.Time     `db:"started_at"`

	// Of one that brings a reply of a trial.
	Trial   string `db:"trial_id"` // or none
	Awaited bool   `db:"awaited"`  // the reply still is
}

// The states of a run's step.
const (
	StepWaiting = "waiting" // for earlier steps
	StepAsked   = "asked"
	StepDone    = "done"
	StepFailed  = "failed"
	StepStopped = "stopped"
)

// RunStep is how far a step of a run is.
type RunStep struct {
	Place   int        `db:"place"`
	State   string     `db:"state"`
	Round   int        `db:"round"` // how often it was asked
	Text    string     `db:"text"`
	Problem Said       `db:"problem"`
	EndedAt *time.Time `db:"ended_at"`
}

// StepReply is a reply of a run's step.
type StepReply struct {
	Reply
	Step    int `db:"step"`
	Round   int `db:"round"`
	Section int `db:"section"` // that it is of, from 0; -1 where the step is no pass
}

const addRun = `insert into runs (id, person_id, entry_id, version, plan, started_at) values ($1, $2, $3, $4, $5, $6)`

const addRunSteps = `insert into run_steps (run_id, place) select $1, n from generate_series(0, $2 - 1) n`

// AddRun begins one, all of whose steps wait. The transaction looks as its person does.
func (tx Tx) AddRun(r Run) error {
	plan, err := jsonText(r.Plan.V)
	if err != nil {
		return err
	}
	if err := tx.exec(addRun, r.ID, r.Person, r.EntryID, r.Version, plan, tx.at); err != nil {
		return err
	}
	return tx.exec(addRunSteps, r.ID, len(r.Plan.V.Steps))
}

const runColumns = `
select r.id, r.person_id, r.entry_id, e.slug, v.title, r.version, r.plan, r.number, r.kept, r.started_at,
       coalesce(r.trial_id::text, '') as trial_id,
       exists (select from replies where id = r.reply_id and state in ('waiting', 'running')) as awaited
from runs r
join entries e on e.id = r.entry_id
join versions v on v.entry_id = r.entry_id and v.number = r.version`

const runOf = runColumns + `
where r.id = $1`

// Run gives one of whoever is looked as, or ErrNotFound.
func (r Reader) Run(id string) (run Run, err error) { return run, r.get(&run, runOf, id) }

const runsOf = runColumns + `
where r.person_id = $1 and r.trial_id is null and ($2 = '' or e.slug = $2)
order by r.started_at desc, r.id
limit $3`

// Runs gives someone's, the last begun first, of one relay or of all.
func (r Reader) Runs(person int64, slug string, most int) (all []Run, err error) {
	return all, r.all(&all, runsOf, person, slug, most)
}

const runSteps = `
select place, state, round, text, problem, ended_at
from run_steps
where run_id = $1
order by place`

// RunSteps gives those of a run in their order.
func (r Reader) RunSteps(id string) (all []RunStep, err error) { return all, r.all(&all, runSteps, id) }

const runReplies = `
select` + replyFields + `, r.step, r.round, r.section
from replies r
where r.run_id = $1
order by r.step, r.round, r.section`

// RunReplies gives all replies to a run's steps, those of earlier rounds included.
func (r Reader) RunReplies(id string) (all []StepReply, err error) {
	return all, r.all(&all, runReplies, id)
}

const changeRun = `update runs set number = number + 1 where id = $1 and number = $2 returning number`

// ChangeRun says that a run of a number changes, and keeps others from changing it until the
// transaction ends, or gives ErrNotFound where it is another by now.
func (tx Tx) ChangeRun(id string, number int) error {
	var now int
	return tx.get(&now, changeRun, id, number)
}

const keepRun = `update runs set kept = $2 where id = $1 returning id`

// KeepRun says whether a run is kept beyond the time after which they are forgotten, or gives
// ErrNotFound.
func (tx Tx) KeepRun(id string, kept bool) error {
	var found string
	return tx.get(&found, keepRun, id, kept)
}

const dropRun = `delete from runs where id = $1 returning id`

// DropRun deletes one of whoever is looked as, or gives ErrNotFound.
func (tx Tx) DropRun(id string) error {
	var dropped string
	return tx.get(&dropped, dropRun, id)
}

const dropRuns = `delete from runs where not kept and trial_id is null and started_at < $1`

// DropRuns forgets runs that were begun before a time and are not kept. The transaction looks
// at all runs.
func (tx Tx) DropRuns(before time.Time) error { return tx.exec(dropRuns, before) }

const setRunStep = `
update run_steps set state = $3, round = $4, text = $5, problem = $6,
    ended_at = case when $3 in ('done', 'failed', 'stopped') then $7::timestamptz end
where run_id = $1 and place = $2`

// SetRunStep says how far a step is. The run is being changed.
func (tx Tx) SetRunStep(run string, s RunStep) error {
	return tx.exec(setRunStep, run, s.Place, s.State, s.Round, s.Text, s.Problem, tx.at)
}

const addStepReply = `
insert into replies (id, run_id, asked_by, step, round, section, title, connection_id, model, sent, used, state, due_at, asked_at)
values ($1, $2, (select person_id from runs where id = $2), $3, $4, $5, $6, $7, $8, $9, $10, 'waiting', $11, $11)`

// AddStepReply has a model be asked for a step of a run.
func (tx Tx) AddStepReply(run string, r StepReply) error {
	sent, err := jsonText(r.Sent.V)
	if err != nil {
		return err
	}
	used, err := jsonText(append([]fill.Ref{}, r.Used.V...))
	if err != nil {
		return err
	}
	return tx.exec(addStepReply, r.ID, run, r.Step, r.Round, r.Section, r.Title, r.ConnectionID, r.Model, sent, used, tx.at)
}

const runsToGoOn = `
with aside as materialized (select item from set_aside where job = 'relays' and until > $2)
select distinct s.run_id
from run_steps s
where s.state = 'asked' and s.run_id::text not in (select item from aside)
  and not exists (select from replies r where r.run_id = s.run_id and r.step = s.place and r.round = s.round and r.state in ('waiting', 'running'))
union
(select r.run_id
 from (select id as run_id from runs where trial_id is not null and number = 1 and id::text not in (select item from aside) order by started_at, id limit $1) r)
limit $1`

// RunsToGoOn gives some runs of which a step has all its replies, or of a trial none was asked
// yet, and nobody has gone on. The transaction looks at all runs.
func (r Reader) RunsToGoOn(most int) (ids []string, err error) {
	return ids, r.all(&ids, runsToGoOn, most, r.at)
}

const addTrialRuns = `
insert into runs (id, person_id, entry_id, version, plan, trial_id, reply_id, started_at)
select gen_random_uuid(), t.started_by, t.entry_id, (t.plan -> 'set_ups' -> r.set_up ->> 'number')::int,
       case when r.seed is null then c.run else jsonb_set(c.run, '{seed}', to_jsonb(r.seed)) end, t.id, r.id, $2
from trials t
join replies r on r.trial_id = t.id and r.by_run and r.state = 'waiting'
join cells c on c.trial_id = t.id and c.fill = r.fill and c.set_up = r.set_up
where t.id = $1 and not exists (select from runs where reply_id = r.id)`

const addTrialSteps = `
insert into run_steps (run_id, place)
select r.id, n
from runs r
cross join lateral generate_series(0, jsonb_array_length(r.plan -> 'steps') - 1) n
where r.trial_id = $1 and not exists (select from run_steps where run_id = r.id)`

// AddTrialRuns begins a run for each reply of a trial that is awaited of one, and has none.
func (tx Tx) AddTrialRuns(trial string) error {
	if err := tx.exec(addTrialRuns, trial, tx.at); err != nil {
		return err
	}
	return tx.exec(addTrialSteps, trial)
}

const endByRun = `
update replies r
set state = $2, text = $3, problem = $4, reason = 'end', attempts = 1, ended_at = $5,
    tokens_in = s.tokens_in, tokens_out = s.tokens_out, cost = s.cost, whole_ms = s.whole_ms
from (select coalesce(sum(tokens_in), 0) as tokens_in, coalesce(sum(tokens_out), 0) as tokens_out, coalesce(sum(whole_ms), 0) as whole_ms,
             case when bool_and(cost is not null or state <> 'done') then sum(cost) end as cost
      from replies where run_id = $1) s
where r.id = (select reply_id from runs where id = $1) and r.state in ('waiting', 'running')`

// EndByRun ends the reply that a run brings: with what all the run's replies have taken.
func (tx Tx) EndByRun(run, state, text string, why message.Text) error {
	return tx.exec(endByRun, run, state, text, Said{why}, tx.at)
}
