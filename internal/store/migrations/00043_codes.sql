-- One-time codes (RFC 6238) beside a password. What they are made of is sealed under a key that
-- is not here; of each code for an emergency only a hash is kept.

-- +goose Up
create table one_time_codes (
    person_id    bigint      primary key references people,
    sealed       bytea       not null,
    added_at     timestamptz not null,
    confirmed_at timestamptz,               -- nothing until the first code was right
    last_step    bigint      not null default 0 -- of the last code that was used: it is good once
);
create table spare_codes (
    hash      bytea  primary key,
    person_id bigint not null references people
);
create index on spare_codes (person_id);
insert into schema_needs values (43, 36);

-- +goose Down
delete from schema_needs where migration = 43;
drop table spare_codes, one_time_codes;
