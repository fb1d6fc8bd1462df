-- Entries are found by an index that each service keeps in memory: what it has to read
-- anew stands here, by the transaction that changed it.

-- +goose Up
create table search_changes (
    entry_id bigint      not null references entries on delete cascade,
    changed  xid8        not null default pg_current_xact_id(),
    at       timestamptz not null default now()
);
create index on search_changes (changed);
create index on search_changes (at);

drop view if exists whole_versions; -- routines.sql makes it anew
drop trigger if exists reindex_added on labels;
drop trigger if exists reindex_removed on labels;
drop trigger if exists reindex on terms;
drop trigger if exists reindex on entries;
drop trigger if exists reindex on people;
drop function if exists reindex_labelled, reindex_renamed_term, reindex_owned, reindex_renamed_person, search_of;
alter table versions drop search;
drop function search_query, search_text;

-- Words that mean the same, a list of texts each.
create table synonyms (
    one    boolean primary key default true check (one),
    lists  jsonb not null default '[]',
    number int   not null default 1 -- grows with every change
);
insert into synonyms default values;
insert into schema_needs values (16, 16);

-- +goose Down
delete from schema_needs where migration = 16;
drop table synonyms, search_changes cascade;
alter table versions add search tsvector not null default '';
create index versions_search on versions using gin (search) where state = 'published';
