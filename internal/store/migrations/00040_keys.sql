-- Keys by which applications call: what they may do, until when and how often. A key may have
-- two secrets at once, so that it is changed without a gap; of a secret only its hash is kept.

-- +goose Up
create table application_keys (
    id          bigint      generated always as identity primary key,
    name        text        not null unique,
    may         text[]      not null check (may <@ array['read', 'fill', 'watch', 'provision'] and cardinality(may) > 0),
    departments text[]      not null, -- only what is labelled with one of them; none for everything
    per_minute  int         not null check (per_minute between 1 and 1000000),
    until       timestamptz not null,
    number      int         not null default 1,
    created_by  bigint      references people,
    created_at  timestamptz not null
);
create table key_secrets (
    hash       bytea       primary key,
    key_id     bigint      not null references application_keys on delete cascade,
    created_at timestamptz not null,
    until      timestamptz, -- of one that another takes the place of
    used_at    timestamptz
);
create index on key_secrets (key_id);
insert into schema_needs values (40, 36);

-- +goose Down
delete from schema_needs where migration = 40;
drop table key_secrets;
drop table application_keys;
