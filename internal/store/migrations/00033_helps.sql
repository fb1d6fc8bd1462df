-- What a prompt of the library itself helps with: writing prompts, as before, or changing a
-- reply of a model.

-- +goose Up
alter table entries add helps text not null default '' check (helps in ('', 'draft', 'refinement'));
update entries set helps = 'draft' where helper;
insert into schema_needs values (33, 28);

-- +goose Down
delete from schema_needs where migration = 33;
alter table entries drop helps;
