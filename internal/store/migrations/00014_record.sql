-- What the record of changes hashes names entries and people as they were called, so that
-- it says by itself what happened; names stand apart, so that someone can be made
-- nameless. And the schema says which programs can live with it.

-- +goose Up
alter table events
    add formula int not null default 1, -- by which the hash was worked out
    add slug    text,
    add who     bytea; -- sha256 of the person's salt and sign-in name

create table salts (
    person_id bigint primary key references people,
    salt      bytea not null check (octet_length(salt) = 16)
);

update deliveries set state = 'waiting', failed = '' where state = 'unclear';

delete from answers; -- what is kept of an answer is another thing from here on

-- Which programs can live with the schema: each migration says the oldest, by the newest
-- migration that a program knows.
create table schema_needs (
    migration int primary key,
    oldest    int not null
);
insert into schema_needs values (14, 14);

-- Which functions and views are in place.
create table schema_routines (
    one    boolean primary key default true check (one),
    number int not null
);
insert into schema_routines (number) values (0);

-- +goose Down
drop table schema_routines, schema_needs, salts;
alter table events drop who, drop slug, drop formula;
