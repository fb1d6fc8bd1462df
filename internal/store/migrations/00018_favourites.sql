-- What people like to have at hand.

-- +goose Up
create table favourites (
    person_id bigint      not null references people,
    entry_id  bigint      not null references entries on delete cascade,
    at        timestamptz not null,
    primary key (person_id, entry_id)
);
create index on favourites (entry_id);
insert into schema_needs values (18, 16);

-- +goose Down
delete from schema_needs where migration = 18;
drop table favourites;
