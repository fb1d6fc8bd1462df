-- What a facet is like: whether an entry has one term of it at most, which kinds need one,
-- and who may add terms.

-- +goose Up
alter table facets add column single       boolean not null default false;
alter table facets add column required_for text[]  not null default '{}';
alter table facets add column open         boolean not null default false; -- contributors add terms too

-- +goose StatementBegin
create function keep_single() returns trigger language plpgsql as $$
begin
    if exists (select from changed c
               join facets f on f.name = c.facet and f.single
               join labels l on l.entry_id = c.entry_id and l.facet = c.facet
               group by l.entry_id, l.facet having count(distinct l.term) > 1) then
        -- The facet has become so in between: whoever labels looks at it again.
        raise exception 'an entry has one term of a facet that is single' using errcode = 'serialization_failure';
    end if;
    return null;
end $$;
-- +goose StatementEnd
create trigger keep_single after insert on labels referencing new table as changed for each statement execute function keep_single();
insert into schema_needs values (24, 16);

-- +goose Down
delete from schema_needs where migration = 24;
drop trigger keep_single on labels;
drop function keep_single;
alter table facets drop column single, drop column required_for, drop column open;
