-- Every name that an entry has or had: whoever uses an old one finds it still, and no
-- other entry gets it.

-- +goose Up
create table names (
    how      text   not null check (how in ('slug', 'code')),
    name     text   not null,
    entry_id bigint not null references entries,
    primary key (how, name)
);
create index on names (entry_id);

insert into names select 'slug', slug, id from entries;
insert into names select 'code', code, id from entries where code is not null;

-- +goose StatementBegin
create function keep_names() returns trigger language plpgsql as $$
begin
    -- The key of names has two who want one name wait for each other.
    insert into names
    select 'slug', slug, id from changed union all select 'code', code, id from changed where code is not null
    on conflict do nothing;
    if exists (select from changed c join names n on (n.how, n.name) in (('slug', c.slug), ('code', c.code)) where n.entry_id <> c.id) then
        raise unique_violation using message = 'another entry has or had this name', constraint = 'names_pkey';
    end if;
    return null;
end $$;

create function guard_names() returns trigger language plpgsql as $$
begin
    raise exception 'a name that an entry had stays its own';
end $$;
-- +goose StatementEnd

create trigger keep_names after insert on entries referencing new table as changed for each statement execute function keep_names();
create trigger keep_changed_names after update on entries referencing new table as changed for each statement execute function keep_names();
create trigger guard before update or delete or truncate on names for each statement execute function guard_names();
insert into schema_needs values (21, 16);

-- +goose Down
delete from schema_needs where migration = 21;
drop trigger keep_names on entries;
drop trigger keep_changed_names on entries;
drop table names;
drop function keep_names, guard_names;
