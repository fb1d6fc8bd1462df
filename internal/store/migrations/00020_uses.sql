-- What is used, by whom as nobody can tell, and what those who used it say of it.

-- +goose Up
create table use_key (
    only_one boolean primary key default true check (only_one),
    key      bytea   not null check (octet_length(key) = 32)
);

create table uses (
    at          timestamptz not null,
    entry_id    bigint      not null,
    number      int         not null,
    person      bytea       not null check (octet_length(person) = 16), -- a keyed hash
    own         boolean     not null, -- of an entry that they answer for, or wrote
    application text        not null default '',
    department  text        not null default '', -- theirs
    how         text        not null check (how in ('client', 'console', 'api', 'rows'))
);
create index on uses (at);

create table reports (
    id         bigint generated always as identity primary key,
    entry_id   bigint      not null references entries,
    number     int         not null,
    person_id  bigint      not null references people,
    at         timestamptz not null,
    worked     boolean     not null,
    model      text        not null default '',
    words      text        not null default '' check (octet_length(words) <= 4000),
    reply      text        not null default '' check (octet_length(reply) <= 65536),
    settled_in int,         -- the version that is to settle it
    settled_at timestamptz, -- when that was published, or whoever answers for the entry answered
    answer     text        not null default ''
);
create index on reports (entry_id, id);
create index on reports (entry_id) where settled_at is null and not worked;
insert into schema_needs values (20, 16);

-- +goose Down
delete from schema_needs where migration = 20;
drop table reports, uses, use_key;
