-- Telling people: what they follow, what they have not read yet, where their feed
-- is, and the channels that hear of it.

-- +goose Up
create table follows (
    person_id bigint not null references people,
    what      text   not null check (what in ('entry', 'person', 'department')),
    name      text   not null, -- a slug, a sign-in name or a term
    primary key (person_id, what, name)
);
create index on follows (what, name);

create table news (
    person_id bigint not null references people,
    event_id  bigint not null references events,
    read      boolean not null default false,
    primary key (person_id, event_id)
);
create index on news (person_id) where not read;

create table feeds (
    person_id bigint primary key references people,
    hash      bytea not null unique check (octet_length(hash) = 32) -- of the private part of its address
);

create table hooks (
    id          bigint generated always as identity primary key,
    title       text        not null check (title <> ''),
    url         text        not null check (url <> ''),
    secret      text        not null, -- whsec_ and base64
    actions     text[]      not null default '{}', -- empty is all that is told
    departments text[]      not null default '{}', -- empty is all
    active      boolean     not null default true,
    set_by      bigint      not null references people,
    set_at      timestamptz not null
);

create table deliveries (
    id       bigint generated always as identity primary key,
    hook_id  bigint      not null references hooks on delete cascade,
    event_id bigint      not null references events,
    state    text        not null default 'waiting' check (state in ('waiting', 'sending', 'done', 'given-up', 'unclear')),
    attempts int         not null default 0,
    next_at  timestamptz not null,
    sent_at  timestamptz,
    status   int         not null default 0, -- of the last answer
    failed   text        not null default '', -- why the last attempt did
    unique (hook_id, event_id)
);
create index on deliveries (next_at) where state in ('waiting', 'sending');
create index on deliveries (hook_id, id);

-- +goose Down
drop table deliveries, hooks, feeds, news, follows;
