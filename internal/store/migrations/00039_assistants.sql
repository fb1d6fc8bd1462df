-- What an assistant does for somebody is recorded as done through it.

-- +goose Up
alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import', 'assistant'));
insert into schema_needs values (39, 36);

-- +goose Down
delete from schema_needs where migration = 39;
alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import', 'assistant')) not valid;
