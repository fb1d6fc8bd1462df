-- Samples of a style: somebody's writing, which stands outside the versions, and which is
-- gone for good when it is removed.

-- +goose Up
create table samples (
    id       bigint generated always as identity primary key,
    entry_id bigint      not null references entries,
    name     text        not null check (length(name) between 1 and 120),
    dated    date,
    weight   float8      not null check (weight > 0 and weight <= 10),
    body     text        not null,
    words    int         not null,
    digest   text        not null check (digest ~ '^[0-9a-f]{64}$'), -- SHA-256 of the body
    added_by bigint      not null references people,
    added_at timestamptz not null,
    unique (entry_id, name),
    unique (entry_id, digest)
);
insert into schema_needs values (27, 16);

-- +goose Down
delete from schema_needs where migration = 27;
drop table samples;
