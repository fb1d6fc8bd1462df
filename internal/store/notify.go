package store

import (
	"time"

	"goldshelf/core/entry"
)

// Follow is what someone follows: an entry by slug, a person's entries by sign-in
// name, or a department's by term.
type Follow struct {
	What string `db:"what"`
	Name string `db:"name"`
}

const follows = `select what, name from follows where person_id = $1 order by what, name`

// Follows gives what someone follows.
func (r Reader) Follows(person int64) (all []Follow, err error) {
	return all, r.all(&all, follows, person)
}

const addFollow = `
insert into follows (person_id, what, name)
values ($1, $2, $3)
on conflict do nothing`

// AddFollow has someone follow something.
func (tx Tx) AddFollow(person int64, f Follow) error {
	return tx.exec(addFollow, person, f.What, f.Name)
}

const dropFollow = `delete from follows where person_id = $1 and what = $2 and name = $3`

// DropFollow has someone follow something no longer.
func (tx Tx) DropFollow(person int64, f Follow) error {
	return tx.exec(dropFollow, person, f.What, f.Name)
}

const tell = `
with told as (
    select v.id, v.entry_id, v.number, v.detail, v.person_id, v.action, e.slug, e.department, e.owner_id, e.deputy_id, owner.name as owner, t.for_all
    from jsonb_to_recordset($1::jsonb) as t (number bigint, for_all boolean)
    join events v on v.id = t.number
    left join entries e on e.id = v.entry_id -- reports and thanks are of none
    left join people owner on owner.id = e.owner_id
),
queued as (
    insert into deliveries (hook_id, event_id, next_at)
    select h.id, told.id, $2
    from told
    join hooks h on h.active and told.action not in ('answer-report', 'thanks')
    where case when told.action = 'stocktake-report' then (h.report, h.language) = (told.detail ->> 'every', told.detail ->> 'language')
               else (h.actions = '{}' or told.action = any (h.actions)) and (h.departments = '{}' or told.department = any (h.departments)) end
    order by told.id
)
insert into news (person_id, event_id)
select p.id, told.id
from told
join people p on p.active and p.id is distinct from told.person_id
where told.action = 'thanks' and p.name = told.detail ->> 'to'
   or told.action not in ('answer-report', 'stocktake-report', 'thanks')
      and (p.id in (told.owner_id, told.deputy_id)
           or exists (select from follows f
                      where f.person_id = p.id and (f.what, f.name) in (('entry', told.slug), ('person', told.owner), ('department', told.department))))
      and (told.for_all or p.role in ('reviewer', 'curator') or p.id in (told.owner_id, told.deputy_id))
   or exists (select from reports r -- whoever said how it went hears what has become of it
              where r.entry_id = told.entry_id and r.person_id = p.id
                and (told.action = 'publish' and r.settled_in = told.number
                     or told.action = 'answer-report' and r.id = (told.detail ->> 'report')::bigint))`

// Told is an event that people and channels are told of: everyone, or only those who
// may see drafts.
type Told struct {
	Number int64 `json:"number"`
	ForAll bool  `json:"for_all"`
}

// Tell puts events before everyone who follows their entries, and has channels told.
func (tx Tx) Tell(events []Told) error {
	text, err := jsonText(events)
	if err != nil {
		return err
	}
	return tx.exec(tell, text, tx.at)
}

// News is an event that someone is told of.
type News struct {
	Record
	Title      string `db:"title"`
	Kind       string `db:"kind"`
	Department string `db:"department"`
	Note       string `db:"note"` // the version's change note
	Read       bool   `db:"read"`
}

const newsColumns = `
select v.id, v.at, coalesce(p.name, '') as by, coalesce(p.full_name, '') as by_name, v.via, v.action, coalesce(e.slug, '') as slug, coalesce(v.number, 0) as number,
       v.detail, '' as hash, '' as previous, coalesce(e.kind, '') as kind, coalesce(e.department, '') as department, coalesce(w.title, '') as title, coalesce(w.note, '') as note`

const newsJoins = ` join entries e on e.id = v.entry_id
left join people p on p.id = v.person_id
left join versions w on w.entry_id = v.entry_id and w.number = v.number`

const news = newsColumns + `, n.read
from news n
join events v on v.id = n.event_id left` + newsJoins + `
where n.person_id = $1 and ($2::bigint = 0 or n.event_id < $2) and ` + stillForThem + `
order by n.event_id desc
limit $3`

// stillForThem says of news (v, e) whether whoever was told may still see what they are
// about: $4 all, $5 what is of their own, and of other entries only what all may see, as
// $6 lists it.
const stillForThem = `(v.entry_id is null or v.action = any ($6) and exists (select from versions s where s.entry_id = e.id and s.published_at is not null)
       or $4 or e.owner_id = $5 or e.deputy_id = $5)`

// News gives what someone was told of and may still see, the newest first, below an
// event's number or, with 0, from the newest on.
func (r Reader) News(person, before int64, limit int, sight Sight) (all []News, err error) {
	return all, r.all(&all, news, person, before, limit, sight.All, sight.Own, entry.ToldToAll())
}

const eventNews = newsColumns + `, true as read
from events v left` + newsJoins + `
where v.id = $1`

// EventNews gives one event as it is told, or ErrNotFound.
func (r Reader) EventNews(event int64) (n News, err error) {
	return n, r.get(&n, eventNews, event)
}

const unread = `
select count(*) as n
from news n
join events v on v.id = n.event_id
left join entries e on e.id = v.entry_id
where n.person_id = $1 and not n.read and $2::bigint = 0 and $3::bigint = 0 and ` + stillForThem

// Unread gives how much someone has not read of what they may still see.
func (r Reader) Unread(person int64, sight Sight) (n int, err error) {
	return n, r.get(&n, unread, person, 0, 0, sight.All, sight.Own, entry.ToldToAll())
}

const dropNews = `
with old as (select max(id) as id from events where at < $1)
delete from news using old where event_id <= old.id`

const dropDeliveries = `
with old as (select max(id) as id from events where at < $1)
delete from deliveries using old where event_id <= old.id and state in ('done', 'given-up')`

// DropNews forgets what people and channels were told of before a time.
func (tx Tx) DropNews(before time.Time) error {
	if err := tx.exec(dropNews, before); err != nil {
		return err
	}
	return tx.exec(dropDeliveries, before)
}

const readNews = `update news set read = true where person_id = $1 and event_id <= $2 and not read`

// ReadNews says that someone has read what they were told up to an event.
func (tx Tx) ReadNews(person, upTo int64) error {
	return tx.exec(readNews, person, upTo)
}

const setFeed = `
insert into feeds (person_id, hash)
values ($1, $2)
on conflict (person_id) do update
set hash = excluded.hash`

// SetFeed keeps the hash of the private part of someone's feed's address.
func (tx Tx) SetFeed(person int64, hash []byte) error {
	return tx.exec(setFeed, person, hash)
}

const feedHolder = `
select p.id, p.name, p.full_name, p.department, p.role, p.password, p.active, p.language, p.away_from, p.away_until
from feeds f
join people p on p.id = f.person_id
where f.hash = $1 and p.active`

// FeedHolder gives whose feed has an address with this hash, or ErrNotFound.
func (r Reader) FeedHolder(hash []byte) (p Person, err error) {
	return p, r.get(&p, feedHolder, hash)
}

// Channel is a channel that is told of what happens.
type Channel struct {
	ID          int64          `db:"id"`
	Title       string         `db:"title"`
	URL         string         `db:"url"`
	Secret      string         `db:"secret"`
	Actions     JSON[[]string] `db:"actions"`
	Departments JSON[[]string] `db:"departments"`
	Report      string         `db:"report"`   // week, month or nothing
	Language    string         `db:"language"` // of the report
	Active      bool           `db:"active"`
	SetBy       string         `db:"set_by"`
	SetAt       time.Time      `db:"set_at"`
	Waiting     int            `db:"waiting"`
	GivenUp     int            `db:"given_up"`
}

const channels = `
select h.id, h.title, h.url, h.secret, to_jsonb(h.actions) as actions, to_jsonb(h.departments) as departments, h.report, h.language, h.active, p.full_name as set_by, h.set_at,
       (select count(*) from deliveries where hook_id = h.id and state in ('waiting', 'sending')) as waiting,
       (select count(*) from deliveries where hook_id = h.id and state in ('given-up', 'unclear')) as given_up
from hooks h
join people p on p.id = h.set_by
order by h.id`

// Channels gives all channels.
func (r Reader) Channels() (all []Channel, err error) {
	return all, r.all(&all, channels)
}

const addChannel = `
insert into hooks (title, url, secret, actions, departments, set_by, set_at, report, language)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
returning id`

// AddChannel adds a channel and gives its id.
func (tx Tx) AddChannel(h Channel, by int64) (id int64, err error) {
	return id, tx.get(&id, addChannel, h.Title, h.URL, h.Secret, append([]string{}, h.Actions.V...), append([]string{}, h.Departments.V...), by, tx.at, h.Report, h.Language)
}

const setChannel = `
update hooks
set title = $2, url = $3, actions = $4, departments = $5, active = $6, report = $7, language = $8
where id = $1
returning id`

// SetChannel changes a channel, but for its secret; or gives ErrNotFound.
func (tx Tx) SetChannel(h Channel) error {
	return tx.get(&h.ID, setChannel, h.ID, h.Title, h.URL, append([]string{}, h.Actions.V...), append([]string{}, h.Departments.V...), h.Active, h.Report, h.Language)
}

const dropChannel = `delete from hooks where id = $1 returning id`

// DropChannel removes a channel with what it was to be told, or gives ErrNotFound.
func (tx Tx) DropChannel(id int64) error { return tx.get(&id, dropChannel, id) }

// Delivery is one event on its way to one channel.
type Delivery struct {
	ID        int64      `db:"id"`
	ChannelID int64      `db:"hook_id"`
	EventID   int64      `db:"event_id"`
	State     string     `db:"state"`
	Attempts  int        `db:"attempts"`
	NextAt    time.Time  `db:"next_at"`
	SentAt    *time.Time `db:"sent_at"`
	Status    int        `db:"status"`
	Failed    string     `db:"failed"`
	Action    string     `db:"action"` // of the event
	Slug      string     `db:"slug"`
	URL       string     `db:"url"` // of the channel
	Secret    string     `db:"secret"`
}

const deliveries = `
select d.id, d.hook_id, d.event_id, d.state, d.attempts, d.next_at, d.sent_at, d.status, d.failed, v.action, coalesce(e.slug, '') as slug, h.url, h.secret
from deliveries d
join hooks h on h.id = d.hook_id
join events v on v.id = d.event_id
left join entries e on e.id = v.entry_id
where d.hook_id = $1 and ($2::bigint = 0 or d.id < $2)
order by d.id desc
limit $3`

// Deliveries gives what a channel was and is to be told, the newest first.
func (r Reader) Deliveries(hook, before int64, limit int) (all []Delivery, err error) {
	return all, r.all(&all, deliveries, hook, before, limit)
}

const claimDeliveries = `
with first as (
    -- What is not through yet holds back what came after it: a channel hears things in
    -- the order in which they happened.
    select distinct on (d.hook_id) d.id
    from deliveries d
    join hooks h on h.id = d.hook_id and h.active
    where d.state in ('waiting', 'sending')
    order by d.hook_id, d.id
),
mine as (
    select id from deliveries where id in (select id from first) and state = 'waiting' and next_at <= $1 and (select held_since from library) is null order by next_at, id limit $2 for update skip locked
)
update deliveries d
set state = 'sending', attempts = attempts + 1, sent_at = $1
from mine, hooks h, events v left join entries e on e.id = v.entry_id
where d.id = mine.id and h.id = d.hook_id and v.id = d.event_id
returning d.id, d.hook_id, d.event_id, d.state, d.attempts, d.next_at, d.sent_at, d.status, d.failed, v.action, coalesce(e.slug, '') as slug, h.url, h.secret`

// ClaimDeliveries takes on what is due, one a channel at most, so that no other
// service sends it too.
func (tx Tx) ClaimDeliveries(most int) (all []Delivery, err error) {
	return all, tx.all(&all, claimDeliveries, tx.at, most)
}

const settleDelivery = `
update deliveries
set state = $2, next_at = $3, status = $4, failed = $5, attempts = $6
where id = $1`

// SettleDelivery keeps how an attempt ended.
func (tx Tx) SettleDelivery(d Delivery) error {
	return tx.exec(settleDelivery, d.ID, d.State, d.NextAt, d.Status, d.Failed, d.Attempts)
}

const resumeDeliveries = `
update deliveries
set state = 'waiting', next_at = $2
where state = 'sending' and sent_at < $1`

// ResumeDeliveries has sent again what was being sent when a service was stopped before a
// time. It may have arrived: it goes under the same id, by which its receiver knows.
func (tx Tx) ResumeDeliveries(before time.Time) error {
	return tx.exec(resumeDeliveries, before, tx.at)
}

const sendAgain = `
update deliveries
set state = 'waiting', attempts = 0, next_at = $3, failed = ''
where hook_id = $1 and id = $2 and state in ('given-up', 'unclear', 'done')
returning id`

// SendAgain has something told once more, or gives ErrNotFound.
func (tx Tx) SendAgain(channel, id int64) error {
	return tx.get(&id, sendAgain, channel, id, tx.at)
}

// StocktakeReport is a report of the stocktake.
type StocktakeReport struct {
	ID       int64     `db:"id"`
	Every    string    `db:"every"` // week or month
	Language string    `db:"language"`
	Since    time.Time `db:"since"`
	Until    time.Time `db:"until"` // the day after the last
	MadeAt   time.Time `db:"made_at"`
	Text     string    `db:"text"` // Markdown
}

const wantedReports = `
select distinct report as every, language
from hooks
where active and report <> '' and (select held_since from library) is null
order by every, language`

// WantedReports gives which reports there are channels for.
func (r Reader) WantedReports() (all []StocktakeReport, err error) {
	return all, r.all(&all, wantedReports)
}

const hasReport = `select exists (select from stocktake_reports where every = $1 and language = $2 and since >= $3)`

// HasReport says whether there is a report of a time, or of a later one.
func (r Reader) HasReport(every, language string, since time.Time) (has bool, err error) {
	return has, r.get(&has, hasReport, every, language, since)
}

const addStocktakeReport = `
insert into stocktake_reports (every, language, since, until, made_at, text)
values ($1, $2, $3, $4, $5, $6)
on conflict do nothing
returning id`

// AddStocktakeReport keeps a report and gives its id, or ErrNotFound where there is one already.
func (tx Tx) AddStocktakeReport(p StocktakeReport) (id int64, err error) {
	return id, tx.get(&id, addStocktakeReport, p.Every, p.Language, p.Since, p.Until, tx.at, p.Text)
}

const reportColumns = `select id, every, language, since, until, made_at, text from stocktake_reports`

const stocktakeReport = reportColumns + ` where id = $1`

// StocktakeReport gives a report, or ErrNotFound.
func (r Reader) StocktakeReport(id int64) (p StocktakeReport, err error) {
	return p, r.get(&p, stocktakeReport, id)
}

const newestReports = reportColumns + ` order by id desc limit $1`

// NewestReports gives the reports that were made last.
func (r Reader) NewestReports(limit int) (all []StocktakeReport, err error) {
	return all, r.all(&all, newestReports, limit)
}

const addThanks = `
insert into thanks (person_id, since, until, at, by_id)
values ($1, $2, $3, $4, $5)
on conflict do nothing
returning person_id`

// AddThanks keeps that somebody was thanked for weeks, or gives ErrTaken where they were before.
func (tx Tx) AddThanks(person int64, since, until time.Time, by int64) error {
	if err := tx.get(&person, addThanks, person, since, until, tx.at, by); err != ErrNotFound {
		return err
	}
	return ErrTaken
}

const thanked = `
select p.name
from thanks t
join people p on p.id = t.person_id
where t.since = $1 and t.until = $2`

// Thanked gives who was thanked for weeks, by sign-in name.
func (r Reader) Thanked(since, until time.Time) (names []string, err error) {
	return names, r.all(&names, thanked, since, until)
}
