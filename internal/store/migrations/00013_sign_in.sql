-- Who tries to sign in from where is counted together, sessions end when they are left
-- idle, and a browser that someone has signed in with before is known again.

-- +goose Up
drop table failed_sign_ins;
create table sign_in_tries (
    source   text        not null, -- an address, or a browser that is known
    name     text        not null, -- that somebody tried to sign in as; empty counts all of an address
    failures int         not null,
    last_at  timestamptz not null,
    primary key (source, name)
);

create table known_browsers (
    hash      bytea primary key check (octet_length(hash) = 32),
    person_id bigint      not null references people,
    until     timestamptz not null
);
create index on known_browsers (person_id);

alter table tokens
    add cookie  boolean     not null default false, -- a browser's, that ends when it is left idle
    add used_at timestamptz not null default now();

alter table library
    add idle_hours   int not null default 12 check (idle_hours between 1 and 720), -- until a browser's session ends unused
    add session_days int not null default 30 check (session_days between 1 and 366); -- until any session ends

-- +goose Down
alter table library drop session_days, drop idle_hours;
alter table tokens drop used_at, drop cookie;
drop table known_browsers, sign_in_tries;
create table failed_sign_ins (
    name     text primary key,
    failures int         not null,
    last_at  timestamptz not null
);
