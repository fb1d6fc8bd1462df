package store

import (
	"time"

	"goldshelf/core/fill"
	"goldshelf/core/trial"
)

// TestBed is an entry's fills, and what replies to them must hold to.
type TestBed struct {
	Bed    JSON[trial.Bed] `db:"bed"`
	Number int             `db:"number"`
	By     string          `db:"by"` // a full name
	At     time.Time       `db:"changed_at"`
}

const testBed = `
select b.bed, b.number, coalesce(p.full_name, '') as by, b.changed_at
from test_beds b
left join people p on p.id = b.changed_by
where b.entry_id = $1`

// TestBed gives an entry's, or ErrNotFound.
func (r Reader) TestBed(entryID int64) (b TestBed, err error) { return b, r.get(&b, testBed, entryID) }

const setTestBed = `
insert into test_beds (entry_id, bed, changed_by, changed_at) select $1, $3, nullif($4::bigint, 0), $5 where $2 = 0
on conflict (entry_id) do nothing
returning number`

const changeTestBed = `
update test_beds set bed = $3, changed_by = nullif($4::bigint, 0), changed_at = $5, number = number + 1
where entry_id = $1 and number = $2
returning number`

// SetTestBed changes one that has a number, 0 for the first, or gives ErrNotFound.
func (tx Tx) SetTestBed(entryID int64, number int, b trial.Bed, by int64) (now int, err error) {
	text, err := jsonText(b)
	if err != nil {
		return 0, err
	}
	query := changeTestBed
	if number == 0 {
		query = setTestBed
	}
	return now, tx.get(&now, query, entryID, number, text, by, tx.at)
}

// BedSize is how large an entry's test bed is; nothing where it has none.
type BedSize struct {
	EntryID      int64  `db:"id"`
	Slug         string `db:"slug"`
	Kind         string `db:"kind"`
	Fills        int    `db:"fills"`
	Expectations int    `db:"expectations"`
}

const bedSizes = `
select e.id, e.slug, e.kind,
       coalesce(jsonb_array_length(nullif(b.bed -> 'fills', 'null')), 0) as fills,
       coalesce(jsonb_array_length(nullif(b.bed -> 'expectations', 'null')), 0) as expectations
from entries e
left join test_beds b on b.entry_id = e.id
where e.slug = any ($1)`

// BedSizes gives those of entries, by slug. What is not seen is left out.
func (r Reader) BedSizes(slugs []string) (map[string]BedSize, error) {
	var rows []BedSize
	err := r.all(&rows, bedSizes, slugs)
	all := map[string]BedSize{}
	for _, row := range rows {
		all[row.Slug] = row
	}
	return all, err
}

// Trial is one that was begun.
type Trial struct {
	ID       string             `db:"id"`
	EntryID  int64              `db:"entry_id"`
	Slug     string             `db:"slug"`
	Kind     string             `db:"kind"` // of the entry
	Title    string             `db:"title"`
	Plan     JSON[trial.Design] `db:"plan"`
	Versions JSON[[]int]        `db:"versions"`
	Private  bool               `db:"private"` // seen by whoever began it alone
	Drafts   bool               `db:"drafts"`  // readers may not see one of those: it was never published, or taken back
	Again    string             `db:"again"`   // the trial that it runs again, or none
	Change   string             `db:"change"`  // what became of that, or of what another entry's version changes, or nothing yet

	// Another entry, of which it shows what a version would change; 0 where it does not.
	AboutID     int64  `db:"about_entry"`
	About       int    `db:"about"` // that version's number
	AboutSlug   string `db:"about_slug"`
	AboutDraft  bool   `db:"about_draft"` // readers may not see it
	AboutOwner  int64  `db:"about_owner"`
	AboutDeputy int64  `db:"about_deputy"`

	StartedBy int64     `db:"started_by"`
	By        string    `db:"by"` // a full name
	At        time.Time `db:"started_at"`
	Replies   int       `db:"replies"`
	Awaited   int       `db:"awaited"`
	Done      int       `db:"done"`
	Failed    int       `db:"failed"`
	Stopped   int       `db:"stopped"`
	Unchecked int       `db:"unchecked"`
}

const addTrial = `
insert into trials (id, entry_id, title, plan, versions, started_by, started_at, private, again, about_entry, about)
values ($1, $2, $3, $4, $5, nullif($6::bigint, 0), $7, $8, nullif($9, '')::uuid, nullif($10::bigint, 0), nullif($11::int, 0))`

// AddTrial begins one.
func (tx Tx) AddTrial(t Trial) error {
	plan, err := jsonText(t.Plan.V)
	if err != nil {
		return err
	}
	return tx.exec(addTrial, t.ID, t.EntryID, t.Title, plan, append([]int{}, t.Versions.V...), t.StartedBy, tx.at, t.Private, t.Again, t.AboutID, t.About)
}

// Cell is what is sent for one fill under one set-up, and to which connection.
type Cell struct {
	Fill       int
	SetUp      int
	Sent       Sent
	Run        *RunPlan // of a relay, where it is one: runs of it bring the replies, and what is sent says what they are given
	Used       []fill.Ref
	Connection int64
	Model      string
	Title      string   // of its set-up
	Seed       *int64   // of the first reply, each later one having the next; nothing where that is said already
	IDs        []string // of its replies, in order
}

const dropPrivateTrials = `delete from trials where private and started_at < $1`

// DropPrivateTrials forgets those begun before a time that their people alone see. The
// transaction looks at all trials.
func (tx Tx) DropPrivateTrials(before time.Time) error { return tx.exec(dropPrivateTrials, before) }

const addCells = `
with cell as (
    select * from jsonb_to_recordset($2::jsonb) as c (fill int, set_up int, sent jsonb, run jsonb, used jsonb, connection bigint, model text, title text, seed bigint, ids uuid[])
),
kept as (
    insert into cells (trial_id, fill, set_up, sent, run, used) select $1, fill, set_up, sent, nullif(run, 'null'), used from cell
)
insert into replies (id, trial_id, asked_by, fill, set_up, time, seed, rank, title, connection_id, model, state, due_at, asked_at, by_run)
select id, $1, (select started_by from trials where id = $1), cell.fill, cell.set_up, n, cell.seed + n - 1, 1, cell.title, nullif(cell.connection, 0), cell.model, 'waiting', $3, $3, nullif(cell.run, 'null') is not null
from cell
cross join lateral unnest(cell.ids) with ordinality as u (id, n)`

// AddCells has models be asked what cells say. Those that somebody waits for come before them.
func (tx Tx) AddCells(trial string, all []Cell) error {
	type row struct {
		Fill       int        `json:"fill"`
		SetUp      int        `json:"set_up"`
		Sent       Sent       `json:"sent"`
		Run        *RunPlan   `json:"run"`
		Used       []fill.Ref `json:"used"`
		Connection int64      `json:"connection"`
		Model      string     `json:"model"`
		Title      string     `json:"title"`
		Seed       *int64     `json:"seed"`
		IDs        []string   `json:"ids"`
	}
	rows := make([]row, len(all))
	for i, c := range all {
		rows[i] = row{c.Fill, c.SetUp, c.Sent, c.Run, append([]fill.Ref{}, c.Used...), c.Connection, c.Model, c.Title, c.Seed, c.IDs}
	}
	text, err := jsonText(rows)
	if err != nil {
		return err
	}
	return tx.exec(addCells, trial, text, tx.at)
}

const trialColumns = `
select t.id, t.entry_id, e.slug, e.kind, t.title, t.plan, to_jsonb(t.versions) as versions, d.drafts, t.private, coalesce(t.started_by, 0) as started_by, coalesce(p.full_name, '') as by, t.started_at,
       coalesce(t.again::text, '') as again, t.change, coalesce(t.about_entry, 0) as about_entry, coalesce(t.about, 0) as about,
       coalesce(a.slug, '') as about_slug, coalesce(a.owner_id, 0) as about_owner, coalesce(a.deputy_id, 0) as about_deputy, d.about_draft,
       n.replies, n.awaited, n.done, n.failed, n.stopped, n.unchecked
from trials t
join entries e on e.id = t.entry_id
left join people p on p.id = t.started_by
left join entries a on a.id = t.about_entry
cross join lateral (
    select exists (select from versions v where v.entry_id = t.entry_id and v.number = any (t.versions) and (v.published_at is null or v.taken_back <> '')) as drafts,
           exists (select from versions v where v.entry_id = t.about_entry and v.number = t.about and (v.published_at is null or v.taken_back <> '')) as about_draft
) d
cross join lateral (
    select (t.tally ->> 'replies')::int as replies, 0 as awaited, (t.tally ->> 'done')::int as done, (t.tally ->> 'failed')::int as failed,
           (t.tally ->> 'stopped')::int as stopped, 0 as unchecked
    where t.tally is not null
    union all
    select count(*) filter (where judges is null),
           count(*) filter (where state in ('waiting', 'running')),
           count(*) filter (where judges is null and state = 'done'),
           count(*) filter (where state = 'failed'),
           count(*) filter (where state = 'stopped'),
           count(*) filter (where judges is null and state = 'done' and outcomes is null)
    from replies
    where t.tally is null and trial_id = t.id
    having t.tally is null
) n`

const trialOf = trialColumns + `
where t.id = $1`

// Trial gives one of an entry that is seen, or ErrNotFound.
func (r Reader) Trial(id string) (t Trial, err error) { return t, r.get(&t, trialOf, id) }

const trialsOf = trialColumns + `
where ($1 = 0 or t.entry_id = $1) and ($2 = 0 or t.about_entry = $2) and ($3 = '' or t.change = $3)
  and ($4 or (not d.drafts or $5 in (e.owner_id, e.deputy_id)) and (t.about_entry is null or not d.about_draft or $5 in (a.owner_id, a.deputy_id)))
  and (t.about_entry is null or a.id is not null)
order by t.started_at desc, t.id desc
limit $6`

// Wanted says which trials are listed.
type Wanted struct {
	Entry  int64  // of this one; 0 for all
	About  int64  // that show what this one's versions would change; 0 for all
	Change string // in which this became of it; empty for all
	Most   int
}

// Trials gives trials, the last begun first: those of drafts only where these are seen.
func (r Reader) Trials(w Wanted, sight Sight) (all []Trial, err error) {
	return all, r.all(&all, trialsOf, w.Entry, w.About, w.Change, sight.All, sight.Own, w.Most)
}

const trialGoesOn = `
select exists (select from replies where trial_id = $1 and state in ('waiting', 'running'))
    or exists (select from replies where trial_id = $1 and state = 'done' and outcomes is null and judges is null)`

// TrialGoesOn says whether replies of a trial are awaited, or still to be looked at.
func (r Reader) TrialGoesOn(id string) (goesOn bool, err error) {
	return goesOn, r.get(&goesOn, trialGoesOn, id)
}

const settleTrial = `
update trials set change = $2, tally = (
    select jsonb_build_object('replies', count(*) filter (where judges is null), 'done', count(*) filter (where judges is null and state = 'done'),
               'failed', count(*) filter (where state = 'failed'), 'stopped', count(*) filter (where state = 'stopped'))
    from replies where trial_id = $1)
where id = $1`

// SettleTrial keeps what a trial of which nothing is awaited has come to. The trial is locked.
func (tx Tx) SettleTrial(id, change string) error { return tx.exec(settleTrial, id, change) }

const usualTokens = `
select r.model, avg(r.tokens_out)::int as tokens
from trials t
join replies r on r.trial_id = t.id and r.state = 'done' and r.judges is null
where t.entry_id = $1
group by r.model`

// UsualTokens gives how long replies of an entry's trials have been so far, in tokens, by model.
func (r Reader) UsualTokens(entryID int64) (map[string]int, error) {
	var all []struct {
		Model  string `db:"model"`
		Tokens int    `db:"tokens"`
	}
	err := r.all(&all, usualTokens, entryID)
	usual := map[string]int{}
	for _, m := range all {
		usual[m.Model] = m.Tokens
	}
	return usual, err
}

const lockTrial = `select id from trials where id = $1 for update`

// LockTrial keeps others from changing a trial until the transaction ends, or gives ErrNotFound.
func (tx Tx) LockTrial(id string) error {
	var found string
	return tx.get(&found, lockTrial, id)
}

const dropTrial = `delete from trials where id = $1 returning id`

// DropTrial deletes one with all its replies, or gives ErrNotFound.
func (tx Tx) DropTrial(id string) error {
	var dropped string
	return tx.get(&dropped, dropTrial, id)
}

const stopTrial = `
with runs as (
    update runs set number = number + 1 where trial_id = $1 returning id
)
update replies set state = 'stopped', ended_at = $2
where (trial_id = $1 or run_id in (select id from runs)) and state in ('waiting', 'running')
returning id`

// StopTrial has nothing more be awaited, and gives what was.
func (tx Tx) StopTrial(id string) (ids []string, err error) {
	return ids, tx.all(&ids, stopTrial, id, tx.at)
}

const askAgain = `
with told as (
    update trials set tally = null, change = '' where id = $1
),
gone as (
    delete from runs where reply_id in (select id from replies where trial_id = $1 and by_run and state = any ($2))
)
update replies set state = 'waiting', attempts = 0, due_at = $3, ended_at = null, text = '', problem = '', reason = '', outcomes = null
where trial_id = $1 and state = any ($2) and (connection_id is not null or by_run)
returning id`

// AskAgain has what ended in some states be asked again, and gives that.
func (tx Tx) AskAgain(trial string, states []string) (ids []string, err error) {
	return ids, tx.all(&ids, askAgain, trial, states, tx.at)
}

const setPass = `
insert into passes (trial_id, set_up, entry_id, text, low, bed) values ($1, $2, $3, $4, $5, $6)
on conflict (trial_id, set_up) do update set low = excluded.low`

// SetPass keeps how well exactly a text has done under a set-up, against the test bed of a
// number: the lower bound of its pass rate.
func (tx Tx) SetPass(trial string, setUp int, entryID int64, text string, low float64, bed int) error {
	return tx.exec(setPass, trial, setUp, entryID, text, low, bed)
}

const dropPasses = `delete from passes where trial_id = $1`

// DropPasses forgets how well texts have done in a trial that goes on.
func (tx Tx) DropPasses(trial string) error { return tx.exec(dropPasses, trial) }

const bestPass = `
select coalesce(max(p.low), -1)
from passes p
join test_beds b on b.entry_id = p.entry_id and b.number = p.bed
where p.entry_id = $1 and p.text = $2`

// BestPass gives how well exactly a text has done at best against the entry's test bed as it
// is, or -1 where no such trial has ended.
func (r Reader) BestPass(entryID int64, text string) (low float64, err error) {
	return low, r.get(&low, bestPass, entryID, text)
}

// UsedBySetUp is a version that went into what a trial sent under a set-up.
type UsedBySetUp struct {
	SetUp int `db:"set_up"`
	fill.Ref
}

const usedInTrial = `
select distinct c.set_up, u.entry, u.version
from cells c
cross join lateral jsonb_to_recordset(c.used) as u (entry text, version int)
where c.trial_id = $1
order by c.set_up, u.entry, u.version`

// UsedInTrial gives all that went into a trial that is seen.
func (r Reader) UsedInTrial(id string) (all []UsedBySetUp, err error) {
	var rows []struct {
		SetUp   int    `db:"set_up"`
		Entry   string `db:"entry"`
		Version int    `db:"version"`
	}
	err = r.all(&rows, usedInTrial, id)
	for _, row := range rows {
		all = append(all, UsedBySetUp{row.SetUp, fill.Ref{Entry: row.Entry, Version: row.Version}})
	}
	return all, err
}

const modelsChanged = `
select distinct m.name, m.title
from trials t
cross join lateral jsonb_array_elements(t.plan -> 'set_ups') as s
join terms m on m.facet = 'model' and m.name = s ->> 'model'
join register r on r.facet = m.facet and r.term = m.name and r.changed_at > t.started_at
where t.id = $1
order by m.title`

// ModelsChanged gives the models of a trial that were changed in the register since.
func (r Reader) ModelsChanged(trial string) (all []Registered, err error) {
	return all, r.all(&all, modelsChanged, trial)
}
