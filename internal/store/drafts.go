package store

import (
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/likeness"
	"goldshelf/core/sheet"
)

// Mention is what a version names.
type Mention struct {
	How    string `json:"how"` // include, persona, style, sheet, step or fact
	Slug   string `json:"slug"`
	Number int    `json:"number"`
}

// Draft is the text of an open version with all that belongs to it.
type Draft struct {
	ID int64 `json:"id"` // of the version
	entry.Content
	Mentions []Mention      `json:"mentions"`
	Parts    string         `json:"parts"` // a hash of blanks and mentions, in hexadecimal
	Print    likeness.Print `json:"-"`
}

const saveDrafts = `
update versions v
set title = d.title, summary = d.summary, code = d.code, language = d.language, plain = d.plain,
    persona = d.persona, style = d.style, sheets = array(select jsonb_array_elements_text(d.sheets)),
    steps = d.steps, source = d.source, pictures = d.pictures, body = d.body,
    set_name = nullif(split_part(d.set, '@', 1), ''), set_number = nullif(split_part(d.set, '@', 2), '')::int, answers = d.answers,
    sheet_of = array(select jsonb_array_elements_text(d.sheet_of)), saved_by = $2, saved_at = $3,
    parts = decode(d.parts, 'hex'), indexed = true
from jsonb_to_recordset($1::jsonb) as d (id bigint, title text, summary text, code text, language text, plain boolean,
         persona text, style text, sheets jsonb, steps jsonb, source jsonb, pictures jsonb, body text, parts text, "set" text, answers jsonb, sheet_of jsonb)
where v.id = d.id`

const clearParts = `
with b as (delete from blanks where version_id = any ($1)),
     p as (delete from prints where version_id = any ($1))
delete from mentions where version_id = any ($1)`

const addParts = `
with d as (
    select * from jsonb_to_recordset($1::jsonb) as d (id bigint, blanks jsonb, mentions jsonb)
),
b as (
    insert into blanks (version_id, position, name, ask, hint, type, options, default_value, optional, sample, least, most)
    select d.id, position, b ->> 'name', coalesce(b ->> 'ask', ''), coalesce(b ->> 'hint', ''), coalesce(b ->> 'type', ''),
           array(select jsonb_array_elements_text(coalesce(b -> 'options', '[]'))),
           b -> 'default', coalesce((b ->> 'optional')::boolean, false), b -> 'sample',
           (b ->> 'min')::double precision, (b ->> 'max')::double precision
    from d, jsonb_array_elements(d.blanks) with ordinality as list (b, position)
),
m as (
    insert into mentions (version_id, how, slug, number)
    select d.id, m.how, m.slug, m.number
    from d, jsonb_to_recordset(d.mentions) as m (how text, slug text, number int)
    on conflict do nothing
)
insert into writers (version_id, person_id)
select id, $2 from d
on conflict do nothing`

const addPrints = `
insert into prints (version_id, bands, units)
select (p ->> 'id')::bigint, array(select jsonb_array_elements_text(p -> 'bands')::bigint),
       array(select jsonb_array_elements_text(p -> 'units')::bigint)
from jsonb_array_elements($1::jsonb) p`

// SaveDrafts replaces the texts of drafts and all that belongs to them, but for the
// labels of their entries, and counts by among their writers.
func (tx Tx) SaveDrafts(drafts []Draft, by int64, at time.Time) error {
	type print struct {
		ID    int64   `json:"id"`
		Bands []int64 `json:"bands"`
		Units []int64 `json:"units"`
	}
	ids, rows, prints := make([]int64, len(drafts)), make([]Draft, len(drafts)), make([]print, len(drafts))
	for i, d := range drafts {
		ids[i], prints[i] = d.ID, print{d.ID, append([]int64{}, d.Print.Bands...), append([]int64{}, d.Print.Units...)}
		d.Sheets, d.Steps = append([]string{}, d.Sheets...), append([]entry.Step{}, d.Steps...)
		d.Blanks, d.Mentions = append([]fill.Blank{}, d.Blanks...), append([]Mention{}, d.Mentions...)
		rows[i] = d
	}
	texts, err := jsonText(wholeDrafts(rows))
	if err != nil {
		return err
	}
	small, err := jsonText(prints)
	if err != nil {
		return err
	}
	for _, s := range []struct {
		statement string
		args      []any
	}{
		{saveDrafts, []any{texts, by, at}},
		{clearParts, []any{ids}},
		{addParts, []any{texts, by}},
		{addPrints, []any{small}},
	} {
		if err := tx.exec(s.statement, s.args...); err != nil {
			return err
		}
	}
	return nil
}

// OpenDraft is an entry with what is known of its open version, but for its text
// and its parts.
type OpenDraft struct {
	Entry
	V       Version                   `db:"v"`
	Parts   string                    `db:"parts"` // as Draft has it; empty where it is not known
	Writers JSON[[]int64]             `db:"writers"`
	Labels  JSON[map[string][]string] `db:"labels"`
}

const openDrafts = entryColumns + `,
       o.id as "v.id", o.number as "v.number", o.state as "v.state", o.revision as "v.revision", o.code as "v.code", o.note as "v.note",
       o.returned as "v.returned", o.created_at as "v.created_at", o.saved_at as "v.saved_at", o.submitted_at as "v.submitted_at",
       coalesce(o.origin ->> 'author', author.full_name) as "v.author", coalesce(o.origin ->> 'submitted_by', submitter.full_name, '') as "v.submitter",
       owner.name as "v.owner", owner.full_name as "v.owner_name", coalesce(deputy.name, '') as "v.deputy", coalesce(deputy.full_name, '') as "v.deputy_name",
       coalesce(encode(o.parts, 'hex'), '') as parts,
       (select coalesce(jsonb_agg(person_id), '[]') from writers where version_id = o.id) as writers, labels_of(e.id) as labels
` + entryJoins + `
join people owner on owner.id = e.owner_id
left join people deputy on deputy.id = e.deputy_id
join people author on author.id = o.created_by
left join people submitter on submitter.id = o.submitted_by
where e.slug = any ($1)`

// OpenDrafts gives the entries of those slugs that have an open version, in no order.
func (r Reader) OpenDrafts(slugs []string) (all []OpenDraft, err error) {
	return all, r.all(&all, openDrafts, slugs, r.at)
}

const saveTexts = `
with d as (
    select * from jsonb_to_recordset($1::jsonb) as d (id bigint, revision int, title text, summary text, language text, plain boolean,
           persona text, style text, sheets jsonb, steps jsonb, source jsonb, body text, by bigint, at timestamptz)
),
held as (
    -- In one order always, so that two who hold several never wait for each other;
    -- by ids, here and below, so that these rows are looked up and no others read.
    select id from versions where id = any ($2) order by id for update
),
saved as (
    update versions v
    set title = d.title, summary = d.summary, language = d.language, plain = d.plain, persona = d.persona, style = d.style,
        sheets = array(select jsonb_array_elements_text(d.sheets)), steps = d.steps, source = d.source, body = d.body,
        saved_by = d.by, saved_at = d.at, indexed = false
    from d join held on held.id = d.id
    where v.id = any ($2) and v.id = d.id and v.revision = d.revision and v.state = 'draft'
      and (v.title, v.summary, v.language, v.plain, v.persona, v.style, v.steps, v.source, v.body, to_jsonb(v.sheets))
          is distinct from (d.title, d.summary, d.language, d.plain, d.persona, d.style, d.steps, d.source, d.body, d.sheets)
    returning v.id
)
select id from saved`

// Text is a draft's text alone, saved by one of its writers on a revision.
type Text struct {
	ID       int64
	Revision int
	Content  entry.Content
	By       int64
	At       time.Time
}

// SaveTexts replaces the texts of drafts that are still at their revision, if they
// say something else. Their codes, blanks and what they name stay; what they are
// like follows with Index. It gives the ids of those that were saved.
func (tx Tx) SaveTexts(texts []Text) (ids []int64, err error) {
	type row struct {
		ID       int64         `json:"id"`
		Revision int           `json:"revision"`
		Title    string        `json:"title"`
		Summary  string        `json:"summary"`
		Language string        `json:"language"`
		Plain    bool          `json:"plain"`
		Persona  string        `json:"persona"`
		Style    string        `json:"style"`
		Sheets   []string      `json:"sheets"`
		Steps    []entry.Step  `json:"steps"`
		Source   *entry.Source `json:"source"`
		Body     string        `json:"body"`
		By       int64         `json:"by"`
		At       time.Time     `json:"at"`
	}
	rows, of := make([]row, len(texts)), make([]int64, len(texts))
	for i, t := range texts {
		c := t.Content
		of[i] = t.ID
		rows[i] = row{
			t.ID, t.Revision, c.Title, c.Summary, c.Language, c.Plain, c.Persona, c.Style,
			append([]string{}, c.Sheets...), append([]entry.Step{}, c.Steps...), c.Source, c.Body, t.By, t.At,
		}
	}
	text, err := jsonText(rows)
	if err != nil {
		return nil, err
	}
	return ids, tx.all(&ids, saveTexts, text, of)
}

var unindexed = columns + `
where id in (
    select id from versions
    where not indexed and not exists (select from set_aside where job = 'indexing' and item = versions.id::text and until > $2)
    order by id limit $1
)`

// Unindexed gives some of the versions that are not found as like another by what they
// say now.
func (r Reader) Unindexed(most int) (all []Version, err error) {
	return all, r.all(&all, unindexed, most, r.at)
}

const index = `
with d as (
    select * from jsonb_to_recordset($1::jsonb) as d (id bigint, revision int, bands jsonb, units jsonb)
),
free as (
    -- What is being saved at this moment is indexed the next time.
    select v.id from versions v join d on d.id = v.id order by v.id for update of v skip locked
),
done as (
    update versions v
    set indexed = true
    from d join free on free.id = d.id
    where v.id = d.id and v.revision = d.revision and not v.indexed
    returning v.id
)
insert into prints (version_id, bands, units)
select d.id, array(select jsonb_array_elements_text(d.bands)::bigint), array(select jsonb_array_elements_text(d.units)::bigint)
from d join done on done.id = d.id
on conflict (version_id) do update
set bands = excluded.bands, units = excluded.units`

// Indexed is by what a version is found to be like another, worked out from its text as
// it was at a revision.
type Indexed struct {
	ID       int64
	Revision int
	Print    likeness.Print
}

// Index keeps by what versions are like others. One that has changed since stays unindexed.
func (tx Tx) Index(all []Indexed) error {
	rows := make([]map[string]any, len(all))
	for i, d := range all {
		rows[i] = map[string]any{"id": d.ID, "revision": d.Revision, "bands": append([]int64{}, d.Print.Bands...), "units": append([]int64{}, d.Print.Units...)}
	}
	text, err := jsonText(rows)
	if err != nil {
		return err
	}
	return tx.exec(index, text)
}

// wholeDrafts gives rows in which nothing is left out because it is empty.
func wholeDrafts(drafts []Draft) []any {
	type row struct {
		Draft
		Code     string          `json:"code"`
		Language string          `json:"language"`
		Plain    bool            `json:"plain"`
		Persona  string          `json:"persona"`
		Style    string          `json:"style"`
		Sheets   []string        `json:"sheets"`
		Steps    []entry.Step    `json:"steps"`
		Source   *entry.Source   `json:"source"`
		Pictures []entry.Picture `json:"pictures"`
		Set      string          `json:"set"`
		Answers  sheet.Answers   `json:"answers"`
		SheetOf  []string        `json:"sheet_of"`
	}
	rows := make([]any, len(drafts))
	for i, d := range drafts {
		row := row{d, d.Code, d.Language, d.Plain, d.Persona, d.Style, d.Sheets, d.Steps, d.Source, append([]entry.Picture{}, d.Pictures...), d.Set, d.Answers, append([]string{}, d.SheetOf...)}
		if d.Answers == nil {
			row.Answers = sheet.Answers{}
		}
		rows[i] = row
	}
	return rows
}

const addEntries = `
insert into entries (slug, kind, owner_id, department, created_by, created_at)
select slug, kind, owner_id, department, $2, $3
from jsonb_to_recordset($1::jsonb) as e (slug text, kind text, owner_id bigint, department text)
returning id, slug`

const addVersions = `
insert into versions (entry_id, number, title, summary, body, note, created_by, created_at, saved_by, saved_at)
select entry_id, number, '', '', '', note, $2, $3, $2, $3
from jsonb_to_recordset($1::jsonb) as v (entry_id bigint, number int, note text)
returning id, entry_id`

// NewEntry is an entry to be made with its first draft.
type NewEntry struct {
	Slug       string `json:"slug"`
	Kind       string `json:"kind"`
	OwnerID    int64  `json:"owner_id"`
	Department string `json:"department"` // a term, or none
}

// NewVersion is a version to be begun, empty. SaveDrafts fills it.
type NewVersion struct {
	EntryID int64  `json:"entry_id"`
	Number  int    `json:"number"`
	Note    string `json:"note"`
}

// AddEntries makes entries without versions and gives their ids by slug, or
// ErrTaken if a slug is in use.
func (tx Tx) AddEntries(entries []NewEntry, by int64, at time.Time) (map[string]int64, error) {
	text, err := jsonText(entries)
	if err != nil {
		return nil, err
	}
	var rows []struct {
		ID   int64  `db:"id"`
		Slug string `db:"slug"`
	}
	ids := map[string]int64{}
	err = tx.all(&rows, addEntries, text, by, at)
	for _, r := range rows {
		ids[r.Slug] = r.ID
	}
	return ids, err
}

// AddVersions begins empty drafts and gives their ids by the ids of their
// entries, or ErrTaken if an entry has an open version.
func (tx Tx) AddVersions(versions []NewVersion, by int64, at time.Time) (map[int64]int64, error) {
	text, err := jsonText(versions)
	if err != nil {
		return nil, err
	}
	var rows []struct {
		ID      int64 `db:"id"`
		EntryID int64 `db:"entry_id"`
	}
	ids := map[int64]int64{}
	err = tx.all(&rows, addVersions, text, by, at)
	for _, r := range rows {
		ids[r.EntryID] = r.ID
	}
	return ids, err
}
