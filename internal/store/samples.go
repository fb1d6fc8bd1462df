package store

import "time"

// Sample is a text that a style is measured from. Lists leave its body out.
type Sample struct {
	ID      int64      `db:"id"`
	EntryID int64      `db:"entry_id"`
	Name    string     `db:"name"`
	Dated   *time.Time `db:"dated"`
	Weight  float64    `db:"weight"`
	Body    string     `db:"body"`
	Words   int        `db:"words"`
	Digest  string     `db:"digest"`
	AddedBy string     `db:"added_by"`
	AddedAt time.Time  `db:"added_at"`
}

const samples = `
select s.id, s.entry_id, s.name, s.dated, s.weight, s.words, s.digest, p.name as added_by, s.added_at
from samples s
join people p on p.id = s.added_by
where s.entry_id = $1
order by s.added_at, s.id`

// Samples gives the samples of a style in the order in which they came, without their bodies.
func (r Reader) Samples(entryID int64) (all []Sample, err error) {
	return all, r.all(&all, samples, entryID)
}

const sample = `
select s.id, s.entry_id, s.name, s.dated, s.weight, s.body, s.words, s.digest, p.name as added_by, s.added_at
from samples s
join people p on p.id = s.added_by
where s.entry_id = $1 and s.id = $2`

// Sample gives one, or ErrNotFound.
func (r Reader) Sample(entryID, id int64) (s Sample, err error) {
	return s, r.get(&s, sample, entryID, id)
}

const sampleBodies = `select entry_id, weight, body from samples where entry_id = any ($1) order by entry_id, added_at, id`

// SampleBodies gives the samples of styles with their weights, each style's together.
func (r Reader) SampleBodies(entries []int64) (all []Sample, err error) {
	return all, r.all(&all, sampleBodies, entries)
}

const wholeSamples = `select entry_id, name, dated, weight, body from samples where entry_id = any ($1) order by entry_id, added_at, id`

// WholeSamples gives the samples of styles with all that goes out of them.
func (r Reader) WholeSamples(entries []int64) (all []Sample, err error) {
	return all, r.all(&all, wholeSamples, append([]int64{}, entries...))
}

const sampledStyles = `
select s.entry_id, coalesce(v.language, '') as language, string_agg(s.digest || ' ' || s.weight, ',' order by s.added_at, s.id) as samples
from samples s
join entries e on e.id = s.entry_id
left join versions v on v.entry_id = e.id and v.state = 'published'
group by s.entry_id, v.language
order by s.entry_id`

// SampledStyle is a style that has samples, and what these are in one text.
type SampledStyle struct {
	EntryID  int64  `db:"entry_id"`
	Language string `db:"language"`
	Samples  string `db:"samples"`
}

// SampledStyles gives every style that has samples.
func (r Reader) SampledStyles() (all []SampledStyle, err error) {
	return all, r.all(&all, sampledStyles)
}

const addSample = `
insert into samples (entry_id, name, dated, weight, body, words, digest, added_by, added_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
on conflict (entry_id, name) do update
set dated = excluded.dated, weight = excluded.weight, body = excluded.body, words = excluded.words, digest = excluded.digest,
    added_by = excluded.added_by, added_at = excluded.added_at
returning id`

// AddSample adds a sample, in the place of one that is called the same. It gives ErrTaken
// where the style has the same text under another name.
func (tx Tx) AddSample(s Sample, by int64) (id int64, err error) {
	return id, tx.get(&id, addSample, s.EntryID, s.Name, s.Dated, s.Weight, s.Body, s.Words, s.Digest, by, tx.at)
}

const removeSample = `delete from samples where entry_id = $1 and id = $2 returning name, words, digest`

// RemoveSample removes a sample for good and gives what is left to say of it, or ErrNotFound.
func (tx Tx) RemoveSample(entryID, id int64) (s Sample, err error) {
	return s, tx.get(&s, removeSample, entryID, id)
}

// MeasuredFrom is what a version of a style was measured from, and what was measured.
type MeasuredFrom struct {
	Samples []MeasuredSample   `json:"samples"`
	Figures map[string]float64 `json:"figures"` // by name; what could not be said is left out
}

// MeasuredSample is what stays of a sample with a version.
type MeasuredSample struct {
	Name   string  `json:"name"`
	Words  int     `json:"words"`
	Digest string  `json:"digest"`
	Weight float64 `json:"weight"`
}

const setMeasured = `update versions set measured = $2 where id = $1 and state = 'draft'`

// SetMeasured keeps with a draft what its style is measured from.
func (tx Tx) SetMeasured(versionID int64, m MeasuredFrom) error {
	text, err := jsonText(m)
	if err != nil {
		return err
	}
	return tx.exec(setMeasured, versionID, text)
}

const drawnLines = `select line, figure from drawn_lines where entry_id = $1 order by line`

// DrawnLine is a line of a guide that was drawn from a figure.
type DrawnLine struct {
	Line   string `db:"line" json:"line"`
	Figure string `db:"figure" json:"figure"`
}

// DrawnLines gives every line that was ever drawn for a style.
func (r Reader) DrawnLines(entryID int64) (all []DrawnLine, err error) {
	return all, r.all(&all, drawnLines, entryID)
}

const addDrawnLines = `
insert into drawn_lines (entry_id, line, figure)
select $1, l.line, l.figure from jsonb_to_recordset($2::jsonb) as l (line text, figure text)
on conflict do nothing`

// AddDrawnLines keeps lines that were drawn for a style.
func (tx Tx) AddDrawnLines(entryID int64, lines []DrawnLine) error {
	text, err := jsonText(append([]DrawnLine{}, lines...))
	if err != nil {
		return err
	}
	return tx.exec(addDrawnLines, entryID, text)
}
