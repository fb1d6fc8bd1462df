-- Where models answer, and what people have asked them. A talk is its person's alone: whatever
-- is asked of the database, nobody else is shown it. A reply is one question to a model, which
-- any service takes on, asks under the reply's own id, and keeps.

-- +goose Up
create table connections (
    id         bigint generated always as identity primary key,
    name       text        not null unique check (name ~ '^[a-z0-9][a-z0-9-]{0,63}$'),
    title      text        not null,
    details    jsonb       not null,
    number     int         not null default 1,
    changed_by bigint      references people,
    changed_at timestamptz not null
);

create table talks (
    id         uuid primary key,
    person_id  bigint      not null references people,
    entry_id   bigint      references entries on delete set null,
    title      text        not null,
    created_at timestamptz not null,
    asked_at   timestamptz not null,
    kept       boolean     not null default false -- beyond the time after which talks are forgotten
);
create index on talks (asked_at) where not kept;
create index on talks (person_id, asked_at desc);

-- Whom somebody lets read a talk of theirs.
create table talk_readers (
    talk_id   uuid        not null references talks on delete cascade,
    person_id bigint      not null references people,
    at        timestamptz not null,
    primary key (talk_id, person_id)
);

create table replies (
    id            uuid primary key,
    talk_id       uuid        not null references talks on delete cascade,
    rank          int         not null default 0, -- those of a lower rank are asked first
    turn          int         not null check (turn >= 1),
    place         int         not null check (place >= 1), -- beside others of the same turn
    title         text        not null,                    -- what sets it apart from those
    connection_id bigint      references connections, -- nothing once that is gone
    model         text        not null,
    sent          jsonb       not null, -- messages and settings
    given         jsonb       not null default '{}', -- the values that were filled in
    used          jsonb       not null, -- the entries and versions that went into them
    state         text        not null check (state in ('waiting', 'running', 'done', 'failed', 'stopped')),
    attempts      int         not null default 0,
    due_at        timestamptz not null,
    text          text        not null default '',
    reason        text        not null default '',
    problem       text        not null default '',
    tokens_in     int         not null default 0,
    tokens_out    int         not null default 0,
    cost          numeric(14, 6),
    first_ms      int         not null default 0,
    whole_ms      int         not null default 0,
    asked_at      timestamptz not null,
    ended_at      timestamptz,
    unique (talk_id, turn, place)
);
create index on replies (connection_id, rank, due_at, id) where state in ('waiting', 'running');
create index on replies (connection_id, ended_at);

alter table talks enable row level security;
alter table talks force row level security;
create policy own on talks using (current_setting('goldshelf.person', true) in (person_id::text, 'all'));
create policy shared on talks for select using (exists (
    select from talk_readers r where r.talk_id = id and r.person_id::text = current_setting('goldshelf.person', true)));
alter table replies enable row level security;
alter table replies force row level security;
create policy own on replies using (current_setting('goldshelf.person', true) = 'all'
    or exists (select from talks where id = talk_id and person_id::text = current_setting('goldshelf.person', true)));
create policy shared on replies for select using (exists (select from talks where id = talk_id));
insert into schema_needs values (31, 28);

-- +goose Down
delete from schema_needs where migration = 31;
drop table replies, talk_readers, talks, connections;
