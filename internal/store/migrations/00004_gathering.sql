-- What comes in: prints of texts, by which look-alikes are found, and imports
-- between their plan and their end.

-- +goose Up
create table prints (
    version_id bigint primary key references versions on delete cascade,
    bands      bigint[] not null,
    units      bigint[] not null
);
create index prints_bands on prints using gin (bands);
create index prints_units on prints using gin (units);

create table imports (
    id         uuid primary key,
    person_id  bigint      not null references people,
    name       text        not null, -- of the file or folder
    data       bytea       not null, -- as it came
    reading    jsonb       not null, -- how to read it: format, columns and the like
    at         timestamptz not null
);
create index on imports (at);

create table mappings (
    name    text primary key check (name <> ''),
    reading jsonb       not null,
    set_by  bigint      not null references people,
    at      timestamptz not null
);

create table starters (
    department text primary key,
    content    jsonb       not null,
    set_by     bigint      not null references people,
    at         timestamptz not null
);

alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import'));
-- +goose Down
drop table starters, mappings, imports, prints;
