-- Secrets of connections that are kept here, each sealed under a key that is not: a copy of the
-- database gives none of them away.

-- +goose Up
create table connection_secrets (
    connection_id bigint      primary key references connections on delete cascade,
    sealed        bytea       not null,
    at            timestamptz not null -- when it was given
);
insert into schema_needs values (38, 36);

-- +goose Down
delete from schema_needs where migration = 38;
drop table connection_secrets;
