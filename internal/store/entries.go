package store

import (
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/sheet"
)

// Entry is an entry without its text: who answers for it, and which versions
// it has.
type Entry struct {
	ID        int64  `db:"id"`
	Slug      string `db:"slug"`
	Kind      string `db:"kind"`
	OwnerID   int64  `db:"owner_id"`
	DeputyID  int64  `db:"deputy_id"` // 0 without one
	Open      int    `db:"open"`      // the open version's number; 0 without one
	State     string `db:"state"`     // the open version's
	Published int    `db:"published"` // the number of the version on the shelf, or of the one that was retired; 0 without one
	Shelf     string `db:"shelf"`     // that version's state, published or retired
	Newest    int    `db:"newest"`    // the highest number
	Code      string `db:"code"`      // of the version on the shelf, or none

	Formerly JSON[[]string] `db:"formerly"` // slugs that it had
	Private  bool           `db:"private"`  // it is its owner's alone
	Gone     string         `db:"gone"`     // titles of applications and models that it is labelled with and that are gone, a line each

	// Of an entry that came of another.
	OriginID     int64  `db:"origin_id"`
	OriginSlug   string `db:"origin_slug"`
	OriginHow    string `db:"origin_how"`    // adaptation or rendition
	OriginNumber int    `db:"origin_number"` // of the other's version that was last taken into account
	OriginNow    int    `db:"origin_now"`    // of the one that is on the shelf; 0 where none is
	Purpose      string `db:"purpose"`

	// Of a retired entry.
	RetiredAt *time.Time `db:"retired_at"`
	RetiredBy string     `db:"retired_by"`
	Because   string     `db:"because"`
	Instead   string     `db:"instead"` // a slug, or none

	Department string     `db:"department"` // a term, or none
	ReviewBy   *time.Time `db:"review_by"`
	Stale      bool       `db:"stale"`      // it was to be looked at again by now
	ShelvedAt  *time.Time `db:"shelved_at"` // when what is on the shelf was published

	// Of an entry that is offered to a new owner.
	OfferTo   string     `db:"offer_to"`
	OfferToID int64      `db:"offer_to_id"`
	OfferBy   string     `db:"offer_by"`
	OfferAt   *time.Time `db:"offer_at"`
}

// What is read of an entry, and from where. o is its open version, p what it has on
// the shelf; $2 is the time.
const (
	entryColumns = `
select e.id, e.slug, e.kind, e.owner_id, coalesce(e.deputy_id, 0) as deputy_id,
       coalesce(o.number, 0) as open, coalesce(o.state, '') as state, coalesce(p.number, 0) as published, coalesce(p.state, '') as shelf,
       e.retired_at, coalesce(r.full_name, '') as retired_by, e.retired_because as because, coalesce(i.slug, '') as instead,
       e.department, e.review_by, coalesce(e.review_by < library_day(now_at), false) as stale, p.published_at as shelved_at,
       coalesce(ot.full_name, '') as offer_to, coalesce(ot.id, 0) as offer_to_id, coalesce(ob.full_name, '') as offer_by, f.at as offer_at,
       (select coalesce(max(number), 0) from versions where entry_id = e.id) as newest, coalesce(e.code, '') as code,
       (select coalesce(jsonb_agg(name order by name), '[]') from names where entry_id = e.id and how = 'slug' and name <> e.slug) as formerly, e.private,
       coalesce((select string_agg(t.title, E'\n' order by t.facet, t.position)
                 from labels l join register g on g.facet = l.facet and g.term = l.term and g.details ->> 'status' = 'gone'
                 join terms t on t.facet = l.facet and t.name = l.term
                 where l.entry_id = e.id), '') as gone,
       coalesce(og.of_id, 0) as origin_id, coalesce(oe.slug, '') as origin_slug, coalesce(og.how, '') as origin_how, coalesce(og.number, 0) as origin_number,
       coalesce((select number from versions where entry_id = og.of_id and state = 'published'), 0) as origin_now, coalesce(og.purpose, '') as purpose`
	entryJoins = `from (select $2::timestamptz as now_at) moment
cross join entries e
left join versions o on o.entry_id = e.id and o.state in ('draft', 'in-review', 'approved')
left join versions p on p.entry_id = e.id and p.state in ('published', 'retired')
left join people r on r.id = e.retired_by
left join entries i on i.id = e.instead_id
left join offers f on f.entry_id = e.id
left join people ot on ot.id = f.to_id
left join people ob on ob.id = f.by_id
left join origins og on og.entry_id = e.id
left join entries oe on oe.id = og.of_id`
)

var entryBySlug = entryColumns + `
` + entryJoins + `
where e.id = ` + byName("$1")

// EntryBySlug gives the entry that has or had a slug or, where none has, a short code; or
// ErrNotFound.
func (r Reader) EntryBySlug(slug string) (e Entry, err error) {
	return e, r.get(&e, entryBySlug, slug, r.at)
}

// Not for update: that would have records of changes, which name the entry, wait too.
var lockEntry = `select id from entries where id = ` + bySlug("$1") + ` for no key update`

// LockEntry keeps others from changing an entry, by slug, until the transaction
// ends, and gives its id; or ErrNotFound.
func (tx Tx) LockEntry(slug string) (id int64, err error) { return id, tx.get(&id, lockEntry, slug) }

const lockOpenVersions = `
select id
from versions
where entry_id = any ($1) and state in ('draft', 'in-review', 'approved')
order by id
for update`

// LockOpenVersions keeps others from changing the open versions of entries, by id: also
// those who save the text of a draft alone, and lock no entry for that. All who hold
// several versions take them in this order.
func (tx Tx) LockOpenVersions(entries []int64) error {
	var ids []int64
	return tx.all(&ids, lockOpenVersions, entries)
}

// For key share would let an entry be retired, which changes no key.
var shareEntry = `select id from entries where id = ` + bySlug("$1") + ` for share`

// ShareEntry keeps others from changing an entry, by slug, until the transaction ends,
// but not from doing the same. One that is not there is passed over.
func (tx Tx) ShareEntry(slug string) error {
	var ids []int64
	return tx.all(&ids, shareEntry, slug)
}

const addEntry = `
insert into entries (slug, kind, owner_id, deputy_id, department, created_by, created_at)
values ($1, $2, $3, nullif($4::bigint, 0), $5, $6, $7)
returning id`

// AddEntry makes an entry without versions and gives its id, or ErrTaken.
func (tx Tx) AddEntry(e Entry, by int64, at time.Time) (id int64, err error) {
	return id, tx.get(&id, addEntry, e.Slug, e.Kind, e.OwnerID, e.DeputyID, e.Department, by, at)
}

// Version is a row of whole_versions: a version with all that belongs to it.
type Version struct {
	ID          int64                     `db:"id"`
	EntryID     int64                     `db:"entry_id"`
	Slug        string                    `db:"slug"`
	Kind        string                    `db:"kind"`
	Number      int                       `db:"number"`
	State       string                    `db:"state"`
	Revision    int                       `db:"revision"`
	Title       string                    `db:"title"`
	Summary     string                    `db:"summary"`
	Code        string                    `db:"code"`
	Language    string                    `db:"language"`
	Plain       bool                      `db:"plain"`
	Persona     string                    `db:"persona"`
	Style       string                    `db:"style"`
	Sheets      JSON[[]string]            `db:"sheets"`
	Steps       JSON[[]entry.Step]        `db:"steps"`
	Source      JSON[*entry.Source]       `db:"source"`
	Pictures    JSON[[]entry.Picture]     `db:"pictures"`
	Answering   JSON[Answering]           `db:"answering"`
	Measured    JSON[*MeasuredFrom]       `db:"measured"` // of a style
	Body        string                    `db:"body"`
	Note        string                    `db:"note"`
	Returned    string                    `db:"returned"`
	CreatedAt   time.Time                 `db:"created_at"`
	SavedAt     time.Time                 `db:"saved_at"`
	SubmittedAt *time.Time                `db:"submitted_at"`
	PublishedAt *time.Time                `db:"published_at"`
	OwnerID     int64                     `db:"owner_id"`
	DeputyID    int64                     `db:"deputy_id"`
	Owner       string                    `db:"owner"`
	OwnerName   string                    `db:"owner_name"`
	Deputy      string                    `db:"deputy"`
	DeputyName  string                    `db:"deputy_name"`
	Author      string                    `db:"author"`
	Saver       string                    `db:"saver"`
	SaverName   string                    `db:"saver_name"`
	Submitter   string                    `db:"submitter"`
	Publisher   string                    `db:"publisher"`
	Labels      JSON[map[string][]string] `db:"labels"`
	Blanks      JSON[[]fill.Blank]        `db:"blanks"`
	Writers     JSON[[]int64]             `db:"writers"`
	Approvals   JSON[[]Approval]          `db:"approvals"`
	Department  string                    `db:"department"` // the entry's
	ReviewBy    *time.Time                `db:"review_by"`  // the entry's
	Needed      int                       `db:"approvals_needed"`
	NeededFrom  JSON[[]entry.From]        `db:"needed_from"`
	Seen        string                    `db:"seen"`      // the digest of what was submitted; empty of a draft
	Elsewhere   bool                      `db:"elsewhere"` // it came with a whole library: who reviewed and published it is of that one
	AuthorThere bool                      `db:"author_elsewhere"`
	TakenBack   string                    `db:"taken_back"` // why its publication was, or empty
	PublishAt   *time.Time                `db:"publish_at"`
}

// Answering is what a version has to do with question sets.
type Answering struct {
	Set       string        `json:"set"` // as audience@2, or none
	Answers   sheet.Answers `json:"answers"`
	SheetOf   []string      `json:"sheet_of"`
	Questions *sheet.Set    `json:"questions"` // of the set
	Newest    int           `json:"newest"`    // the number of the set's newest version
}

// Approval is one reviewer's word for a version.
type Approval struct {
	By         string    `json:"by"`
	ID         int64     `json:"id"`     // 0 for someone of another library
	Role       string    `json:"role"`   // now
	Active     bool      `json:"active"` // now; false for someone who has left
	Department string    `json:"department"`
	Comment    string    `json:"comment"`
	At         time.Time `json:"at"`
	Seen       string    `json:"seen"`    // the digest of what was read
	MadeBy     string    `json:"made_by"` // who of the text's writers had made the giver's account, role or link
}

// Content is what the version's writers gave.
func (v Version) Content() entry.Content {
	return entry.Content{
		Kind: entry.Kind(v.Kind), Title: v.Title, Summary: v.Summary, Labels: v.Labels.V, Code: v.Code,
		Language: v.Language, Plain: v.Plain, Persona: v.Persona, Style: v.Style, Sheets: v.Sheets.V,
		Blanks: v.Blanks.V, Steps: v.Steps.V, Source: v.Source.V, Pictures: v.Pictures.V, Body: v.Body,
		Set: v.Answering.V.Set, Answers: v.Answering.V.Answers, SheetOf: v.Answering.V.SheetOf, Questions: v.Answering.V.Questions,
	}
}

// SetContent is the reverse of Content.
func (v *Version) SetContent(c entry.Content) {
	v.Title, v.Summary, v.Labels.V, v.Code, v.Language, v.Plain, v.Persona, v.Style = c.Title, c.Summary, c.Labels, c.Code, c.Language, c.Plain, c.Persona, c.Style
	v.Sheets.V, v.Blanks.V, v.Steps.V, v.Source.V, v.Pictures.V, v.Body = c.Sheets, c.Blanks, c.Steps, c.Source, c.Pictures, c.Body
	v.Answering.V = Answering{c.Set, c.Answers, c.SheetOf, c.Questions, v.Answering.V.Newest}
}

// answeringOf reads [Answering] of the version of an id.
func answeringOf(id string) string {
	return `coalesce((select jsonb_build_object('set', v.set_name || '@' || v.set_number, 'answers', v.answers, 'sheet_of', v.sheet_of,
                     'questions', case when s.name is not null then jsonb_build_object('name', s.name, 'version', s.number, 'title', s.title, 'groups', s.groups) end,
                     'newest', (select max(number) from set_versions n where n.name = v.set_name))
                 from versions v left join set_versions s on s.name = v.set_name and s.number = v.set_number
                 where v.id = ` + id + ` and (v.set_name is not null or v.sheet_of <> '{}')), '{}')`
}

// columns are those of Version; whole_versions has more.
var columns = `
select id, entry_id, slug, kind, number, state, revision, title, summary, code, language, plain, persona, style,
       sheets, steps, source, body, note, returned, created_at, saved_at, submitted_at, published_at,
       owner_id, deputy_id, owner, owner_name, deputy, deputy_name, author, saver, saver_name, submitter, publisher,
       labels, blanks, writers, approvals, department, review_by, approvals_needed, needed_from, seen, taken_back, elsewhere, author_elsewhere, publish_at,
       (select pictures from versions v where v.id = whole_versions.id) as pictures,
       coalesce((select measured from versions v where v.id = whole_versions.id), 'null') as measured,
       ` + answeringOf("whole_versions.id") + ` as answering
from whole_versions`

var version = columns + `
where entry_id = $1 and number = $2`

// onceShown selects the versions (v) that readers may see: those that were published, and
// whose publication was not taken back.
const onceShown = `v.published_at is not null and v.taken_back = ''`

// ShownToReaders reports whether readers may see the version: it was published, and its
// publication was not taken back.
func (v Version) ShownToReaders() bool { return v.PublishedAt != nil && v.TakenBack == "" }

// Version gives one version of an entry, or ErrNotFound.
func (r Reader) Version(entryID int64, number int) (v Version, err error) {
	return v, r.get(&v, version, entryID, number)
}

var versions = columns + `
where entry_id = $1 and ($2 or published_at is not null and taken_back = '') and ($3 = 0 or number < $3)
order by number desc
limit nullif($4, 0)`

// Versions gives the versions of an entry, newest first: also those that were never
// published, if they are wanted, below a number and so many at most, where these
// are not 0.
func (r Reader) Versions(entryID int64, unpublished bool, before, limit int) (all []Version, err error) {
	return all, r.all(&all, versions, entryID, unpublished, before, limit)
}

var versionsByID = columns + `
where id = any ($1)`

// VersionsByID gives versions by their ids, in no order.
func (r Reader) VersionsByID(ids []int64) (all []Version, err error) {
	return all, r.all(&all, versionsByID, ids)
}

var shelvedID = `
select v.id
from versions v
where v.entry_id = ` + byName("$1") + `
  and case when $2 > 0 then v.number = $2 and ` + onceShown + ` else v.state = 'published' end`

// ShelvedID gives the id of an entry's published version, by slug or short
// code, or with a number of the version of that number if it was ever
// published; or ErrNotFound.
func (r Reader) ShelvedID(slug string, number int) (id int64, err error) {
	return id, r.get(&id, shelvedID, slug, number)
}

const addVersion = `
insert into versions (entry_id, number, title, summary, body, created_by, created_at, saved_by, saved_at)
values ($1, $2, '', '', '', $3, $4, $3, $4)
returning id`

// AddVersion begins an empty draft and gives its id, or ErrTaken if the entry
// has an open version. SaveDraft fills it.
func (tx Tx) AddVersion(entryID int64, number int, by int64, at time.Time) (id int64, err error) {
	return id, tx.get(&id, addVersion, entryID, number, by, at)
}

const codeTaken = `
select e.slug
from entries e
left join versions v on v.entry_id = e.id and v.state in ('draft', 'in-review', 'approved')
where e.id <> $2 and (e.id = (select entry_id from names where how = 'code' and name = $1) or v.code = $1 and ($3 or e.owner_id = $4 or e.deputy_id = $4))
limit 1`

// CodeHolder gives the slug of another entry that has or had a short code, or claims it as far
// as may be seen; or ErrNotFound.
func (r Reader) CodeHolder(code string, entryID int64, sight Sight) (slug string, err error) {
	return slug, r.get(&slug, codeTaken, code, entryID, sight.All, sight.Own)
}

const submitVersion = `
update versions
set state = 'in-review', note = $2, submitted_by = $3, submitted_at = $4, approvals_needed = $5, needed_from = $6, asked = $7, seen = $8
where id = $1`

// SubmitVersion puts a draft in review, with what it needs and what it says. Asked are the reviewers in
// the order in which they are asked; none stands for all.
func (tx Tx) SubmitVersion(id int64, note string, by int64, at time.Time, need entry.Need, asked []int64, seen entry.Digest) error {
	from, err := jsonText(append([]entry.From{}, need.From...))
	if err != nil {
		return err
	}
	return tx.exec(submitVersion, id, note, by, at, need.Approvals, from, append([]int64{}, asked...), string(seen))
}

const lastAsked = `
select p.id, last.at
from unnest($1::bigint[]) p (id)
cross join lateral (select max(submitted_at) as at from versions where asked[1] = p.id and asked <> '{}') last
where last.at is not null`

// LastAsked gives when each of some people was last the first to be asked.
func (r Reader) LastAsked(people []int64) (map[int64]time.Time, error) {
	var rows []struct {
		ID int64     `db:"id"`
		At time.Time `db:"at"`
	}
	err := r.all(&rows, lastAsked, people)
	last := map[int64]time.Time{}
	for _, row := range rows {
		last[row.ID] = row.At
	}
	return last, err
}

const reopenVersion = `
update versions
set state = 'draft', returned = $2, asked = '{}', seen = ''
where id = $1`

// ReopenVersion makes a version a draft again, with the reason why it was
// returned or none, and takes its approvals back.
func (tx Tx) ReopenVersion(id int64, because string) error {
	return tx.exec(reopenVersion, id, because)
}

const addApproval = `
insert into approvals (version_id, person_id, comment, at, seen, made_by)
values ($1, $2, $3, $4, $5, $6)`

// AddApproval records one reviewer's word, or gives ErrTaken if they gave it before.
func (tx Tx) AddApproval(id int64, a Approval) error {
	return tx.exec(addApproval, id, a.ID, a.Comment, a.At, a.Seen, a.MadeBy)
}

const madeBy = `
select p.full_name as by, max(v.at) as at
from events v
join people p on p.id = v.person_id
join writers w on w.version_id = $1 and w.person_id = v.person_id
where v.action in ('add-person', 'import-person', 'change-person', 'password-link') and v.at >= $3
  and v.detail ->> 'person' = (select name from people where id = $2)
  and (v.action <> 'change-person' or v.detail ? 'role' or v.detail ? 'password' or v.detail ? 'active')
group by p.full_name
order by max(v.at) desc
limit 1`

// MadeBy is who made somebody's account, gave them their role or a link to set their
// password with, last.
type MadeBy struct {
	By string    `db:"by"`
	At time.Time `db:"at"`
}

// MadeBy gives which of a version's writers did so for a person since a time, or
// ErrNotFound.
func (r Reader) MadeBy(versionID, person int64, since time.Time) (m MadeBy, err error) {
	return m, r.get(&m, madeBy, versionID, person, since)
}

const addWritersOf = `
insert into writers (version_id, person_id)
select $2, person_id from writers where version_id = $1
on conflict do nothing`

// AddWritersOf counts the writers of one version among those of another, a draft.
func (tx Tx) AddWritersOf(from, to int64) error { return tx.exec(addWritersOf, from, to) }

const setNeed = `update versions set approvals_needed = $2, needed_from = $3 where id = $1`

// SetNeed says what a version in review needs in all: never less than before.
func (tx Tx) SetNeed(id int64, need entry.Need) error {
	from, err := jsonText(append([]entry.From{}, need.From...))
	if err != nil {
		return err
	}
	return tx.exec(setNeed, id, need.Approvals, from)
}

const approveVersion = `update versions set state = 'approved' where id = $1`

// ApproveVersion makes a version in review approved.
func (tx Tx) ApproveVersion(id int64) error {
	return tx.exec(approveVersion, id)
}

const supersede = `
update versions
set state = 'superseded'
where entry_id = $1 and state in ('published', 'retired')`

const publishVersion = `
update versions
set state = 'published', published_by = $2, published_at = $3
where id = $1`

const publishCode = `
update entries e
set code = nullif(v.code, ''), retired_at = null, retired_by = null, retired_because = '', instead_id = null, review_by = library_day($2) + $3::int
from versions v
where v.id = $1 and e.id = v.entry_id`

// Supersede makes what an entry has on the shelf a version of the past.
func (tx Tx) Supersede(entryID int64) error {
	tx.shelf.changed = true
	if err := tx.exec(supersede, entryID); err != nil {
		return err
	}
	return tx.exec(dropPrints, entryID)
}

const setNote = `update versions set note = $2 where id = $1 and $2 <> '' and state = 'draft'`

// SetNote says of a draft why it differs from the version before; nothing is
// changed without a note.
func (tx Tx) SetNote(id int64, note string) error {
	return tx.exec(setNote, id, note)
}

// PublishVersion puts an approved version on the shelf in the place of the
// one that is there, to be looked at again after so many days. It gives ErrTaken if another
// entry has its short code.
func (tx Tx) PublishVersion(entryID, id, by int64, at time.Time, keepFor int) error {
	if err := tx.Supersede(entryID); err != nil {
		return err
	}
	if err := tx.exec(publishVersion, id, by, at); err != nil {
		return err
	}
	return tx.exec(publishCode, id, at, keepFor)
}

const retire = `
with off as (update versions set state = 'retired' where entry_id = $1 and state = 'published')
update entries
set retired_at = $2, retired_by = $3, retired_because = $4, instead_id = nullif($5::bigint, 0)
where id = $1`

// Retire takes an entry off the shelf, with a reason and the id of the entry
// to use instead, or 0.
func (tx Tx) Retire(entryID, by int64, at time.Time, because string, instead int64) error {
	tx.shelf.changed = true
	return tx.exec(retire, entryID, at, by, because, instead)
}

const restore = `
with on_shelf as (
    update versions set state = 'published', taken_back = '', taken_back_at = null, taken_back_by = null where entry_id = $1 and state = 'retired'
)
update entries
set retired_at = null, retired_by = null, retired_because = '', instead_id = null
where id = $1`

// Restore puts a retired entry back on the shelf.
func (tx Tx) Restore(entryID int64) error {
	tx.shelf.changed = true
	return tx.exec(restore, entryID)
}

const numberBefore = `
select coalesce(max(number), 0) as number
from versions
where entry_id = $1 and ($2 or published_at is not null and taken_back = '') and ($3 = 0 or number < $3)`

// NumberBefore gives the number of an entry's newest version, or of the newest before
// one, that was published or, if they are wanted, was not; 0 where there is none.
func (r Reader) NumberBefore(entryID int64, unpublished bool, before int) (number int, err error) {
	return number, r.get(&number, numberBefore, entryID, unpublished, before)
}

// Body is the text of a version with who wrote it, and why.
type Body struct {
	Number  int       `db:"number"`
	Body    string    `db:"body"`
	Author  string    `db:"author"`
	Note    string    `db:"note"`
	SavedAt time.Time `db:"saved_at"`
}

const bodies = `
select v.number, v.body, coalesce(v.origin ->> 'author', author.full_name) as author, v.note, v.saved_at
from versions v
join people author on author.id = v.created_by
where v.entry_id = $1 and ($2 or ` + onceShown + `) and v.number <= $3
order by v.number`

// Bodies gives the texts of an entry's versions up to one, the oldest first.
func (r Reader) Bodies(entryID int64, unpublished bool, upTo int) (all []Body, err error) {
	return all, r.all(&all, bodies, entryID, unpublished, upTo)
}
