-- People and groups as the company's directory keeps them here (SCIM, RFC 7643). A person who was
-- deleted there has left; who they were stays, since the record names them.

-- +goose Up
create table provisioned (
    person_id   bigint      primary key references people,
    user_name   text        not null,
    external_id text        not null default '',
    at          timestamptz not null,
    changed_at  timestamptz not null,
    deleted_at  timestamptz
);
create unique index on provisioned (lower(user_name)) where deleted_at is null;
create table provisioned_groups (
    id          bigint      generated always as identity primary key,
    name        text        not null unique,
    external_id text        not null default '',
    at          timestamptz not null,
    changed_at  timestamptz not null
);
create table provisioned_members (
    group_id  bigint not null references provisioned_groups on delete cascade,
    person_id bigint not null references people,
    primary key (group_id, person_id)
);
create index on provisioned_members (person_id);
insert into schema_needs values (44, 36);

-- +goose Down
delete from schema_needs where migration = 44;
drop table provisioned_members, provisioned_groups, provisioned;
