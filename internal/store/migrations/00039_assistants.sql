-- What an assistant does for somebody is recorded, and counted as a use, as done through it.
-- Uses know every way that events know.

-- +goose Up
alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import', 'assistant'));
alter table uses drop constraint uses_how_check;
alter table uses add constraint uses_how_check check (how in ('client', 'console', 'api', 'rows', 'service', 'import', 'assistant'));
insert into schema_needs values (39, 36);

-- +goose Down
delete from schema_needs where migration = 39;
alter table uses drop constraint uses_how_check;
alter table uses add constraint uses_how_check check (how in ('client', 'console', 'api', 'rows')) not valid;
alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import')) not valid;
