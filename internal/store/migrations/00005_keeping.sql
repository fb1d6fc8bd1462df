-- Keeping: who answers for what and since when it should have been looked at
-- again, who is asked for a review, what is published when.

-- +goose Up
drop view whole_versions; -- routines.sql makes it anew

alter table people
    add away_from  date,
    add away_until date,
    add check (away_until >= away_from);

alter table entries
    add department text not null default '', -- a term of the facet department, or none
    add review_by  date; -- of what is on the shelf: when it is to be looked at again
update entries e
set department = coalesce(
        (select l.term from labels l join versions v on v.id = l.version_id
         where v.entry_id = e.id and l.facet = 'department' order by v.number desc, l.position limit 1),
        (select t.name from people p join terms t on t.facet = 'department' and p.department in (t.name, t.title)
         where p.id = e.owner_id limit 1),
        ''),
    review_by = (select published_at::date + 180 from versions where entry_id = e.id and state = 'published');
create index on entries (department);
create index on entries (review_by) where review_by is not null;

alter table versions
    add asked            bigint[] not null default '{}', -- the reviewers, in the order in which they are asked
    add approvals_needed int      not null default 1 check (approvals_needed > 0),
    add taken_back       text     not null default '', -- why its publication was taken back
    add taken_back_at    timestamptz,
    add taken_back_by    bigint references people,
    add check ((taken_back_at is null) = (taken_back = ''));

-- Entries that are offered to a new owner, who has not answered yet.
create table offers (
    entry_id bigint primary key references entries,
    to_id    bigint      not null references people,
    by_id    bigint      not null references people,
    at       timestamptz not null
);
create index on offers (to_id);

-- What is to be published at a time, together. One that failed says why.
create table publications (
    id      uuid primary key,
    at      timestamptz not null,
    set_by  bigint      not null references people,
    set_at  timestamptz not null,
    failed  text        not null default ''
);
create index on publications (at);
create table publication_versions (
    version_id     bigint primary key references versions on delete cascade,
    publication_id uuid not null references publications on delete cascade
);
create index on publication_versions (publication_id);

-- +goose Down
drop view if exists whole_versions;
drop table publication_versions, publications, offers;
alter table versions drop asked, drop approvals_needed, drop taken_back, drop taken_back_at, drop taken_back_by;
alter table entries drop department, drop review_by;
alter table people drop away_from, drop away_until;
