-- A library that was restored from a backup does nothing by itself until someone says so: what
-- is due in it may have been done since, by the one that it is a copy of.

-- +goose Up
alter table library add held_since timestamptz;
insert into schema_needs values (41, 36);

-- +goose Down
delete from schema_needs where migration = 41;
alter table library drop held_since;
