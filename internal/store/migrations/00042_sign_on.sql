-- Signing in by the company's OpenID Connect provider. A person is known by issuer and subject
-- alone: a name or an address may be anybody's next year.

-- +goose Up
create table identities (
    issuer    text        not null,
    subject   text        not null,
    person_id bigint      not null references people,
    added_at  timestamptz not null,
    primary key (issuer, subject)
);
create index on identities (person_id);

-- A sign-on that was begun: good once, for minutes, and in the browser that began it.
create table sign_ons (
    state     bytea       primary key, -- a hash
    browser   bytea       not null,    -- a hash
    nonce     text        not null,
    verifier  text        not null,
    person_id bigint      references people, -- who is signed in and links their account
    until     timestamptz not null
);

-- Which groups of the provider mean which role and department.
create table sign_on_groups (
    one    boolean primary key default true check (one),
    groups jsonb   not null default '[]',
    "only" boolean not null default false, -- whoever is in none of them does not come in
    number int     not null default 1
);
insert into sign_on_groups default values;

alter table tokens
    add sign_on boolean not null default false,
    add agent   text    not null default ''; -- the program that somebody signed in with
insert into schema_needs values (42, 36);

-- +goose Down
delete from schema_needs where migration = 42;
alter table tokens drop agent, drop sign_on;
drop table sign_on_groups, sign_ons, identities;
