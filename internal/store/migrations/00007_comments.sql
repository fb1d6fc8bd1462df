-- What people say about versions, and about passages of them.

-- +goose Up
create table comments (
    id         bigint generated always as identity primary key,
    entry_id   bigint      not null references entries,
    version_id bigint      not null references versions on delete cascade, -- on which it was said
    answer_to  bigint references comments on delete cascade,
    person_id  bigint      not null references people,
    at         timestamptz not null,
    body       text        not null check (body <> '' and length(body) <= 4000),
    passage    jsonb, -- as it was read then: exact, prefix, suffix
    settled_at timestamptz,
    settled_by bigint references people,
    check ((settled_at is null) = (settled_by is null)),
    check (answer_to is null or passage is null and settled_at is null)
);
create index on comments (entry_id, id);
create index on comments (answer_to);

-- +goose Down
drop table comments;
