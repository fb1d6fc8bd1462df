-- What the library is called and by which clock it goes, how its first curator
-- gets in, and how people set a password of their own. What is on the shelf is
-- counted, so that a service knows when what it remembers of it is out of date.

-- +goose Up
create table library (
    one    boolean primary key default true check (one),
    name   text not null default '',
    zone   text not null default 'UTC', -- an IANA time zone: days are reckoned in it
    number int  not null default 1      -- grows with every change
);
insert into library default values;

-- By it whoever started the service becomes the first curator.
create table setup_codes (
    one   boolean primary key default true check (one),
    hash  bytea       not null check (octet_length(hash) = 32),
    until timestamptz not null,
    tries int         not null default 0
);

-- Links by which people set a password, once.
create table password_links (
    hash      bytea primary key check (octet_length(hash) = 32),
    person_id bigint      not null references people,
    by_id     bigint      references people, -- null where whoever runs the service made it
    until     timestamptz not null
);
create unique index on password_links (person_id);

create table shelf_changes (
    one    boolean primary key default true check (one),
    number bigint not null default 1
);
insert into shelf_changes default values;

-- An answer is kept in the transaction of what it tells of: there is none to wait for.
delete from answers where status = 0;


-- +goose Down

drop table shelf_changes, password_links, setup_codes, library;
