-- Sections of the shelf: a saved search, or entries picked by hand.

-- +goose Up
create table sections (
    name         text primary key check (name ~ '^[a-z0-9][a-z0-9-]{1,63}$'),
    title        text  not null check (title <> ''),
    introduction text  not null default '',
    query        text  not null default '', -- as it is typed; empty for entries picked by hand
    position     int   not null,
    starter      jsonb, -- what a new entry of the section begins with
    number       int   not null default 1 -- grows with every change
);

create table section_entries (
    section  text   not null references sections on delete cascade on update cascade,
    entry_id bigint not null references entries,
    position int    not null,
    primary key (section, entry_id)
);
insert into schema_needs values (23, 16);

-- +goose Down
delete from schema_needs where migration = 23;
drop table section_entries, sections;
