-- Searches that found something, of which nothing was opened.

-- +goose Up
alter table missed_searches add unopened int not null default 0 check (unopened >= 0);
insert into schema_needs values (50, 36);

-- +goose Down
delete from schema_needs where migration = 50;
delete from missed_searches where times = 0;
alter table missed_searches drop unopened;
