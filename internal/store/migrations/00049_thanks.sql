-- Thanks to those whose entries others use: once for the same weeks.

-- +goose Up
create table thanks (
    person_id bigint not null references people,
    since     date not null,
    until     date not null,
    at        timestamptz not null,
    by_id     bigint not null references people,
    primary key (person_id, since, until)
);
insert into schema_needs values (49, 36);

-- +goose Down
delete from schema_needs where migration = 49;
drop table thanks;
