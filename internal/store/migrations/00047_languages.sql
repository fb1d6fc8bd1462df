-- The language that somebody is spoken to in: none is what their browser or program asks for.

-- +goose Up
alter table people add language text not null default '' check (language ~ '^[a-z]{0,8}$');
insert into schema_needs values (47, 36);

-- +goose Down
delete from schema_needs where migration = 47;
alter table people drop language;
