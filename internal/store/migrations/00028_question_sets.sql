-- Question sets, with versions that never change, and sheets that answer them.

-- +goose Up
create table question_sets (
    name       text primary key check (name ~ '^[a-z0-9][a-z0-9-]{1,63}$'),
    created_at timestamptz not null
);

create table set_versions (
    name       text        not null references question_sets,
    number     int         not null check (number > 0),
    title      text        not null check (title <> ''),
    groups     jsonb       not null,
    note       text        not null,
    created_by bigint      not null references people,
    created_at timestamptz not null,
    primary key (name, number)
);

-- +goose StatementBegin
create function guard_set_versions() returns trigger language plpgsql as $$
begin
    raise exception 'a version of a question set never changes';
end $$;
-- +goose StatementEnd
create trigger guard before update or delete on set_versions for each row execute function guard_set_versions();

alter table versions
    add column set_name   text,
    add column set_number int,
    add column answers    jsonb  not null default '{}',
    add column sheet_of   text[] not null default '{}', -- question sets of which a prompt wants a sheet
    add foreign key (set_name, set_number) references set_versions (name, number),
    add check ((set_name is null) = (set_number is null));
create index on versions (set_name, set_number) where set_name is not null;

-- +goose StatementBegin
create function guard_answers() returns trigger language plpgsql as $$
begin
    raise exception 'the text of a version that is no draft is locked, and its answers with it';
end $$;
-- +goose StatementEnd
create trigger guard_answers before update of set_name, set_number, answers, sheet_of on versions for each row
when (old.state <> 'draft' and (old.set_name, old.set_number, old.answers, old.sheet_of) is distinct from (new.set_name, new.set_number, new.answers, new.sheet_of))
execute function guard_answers();

alter table mentions drop constraint mentions_how_check;
alter table mentions add constraint mentions_how_check check (how in ('include', 'persona', 'style', 'sheet', 'step', 'fact'));
insert into schema_needs values (28, 28); -- a program that is older would read a sheet as having no answers

-- +goose Down
delete from schema_needs where migration = 28;
delete from mentions where how = 'fact';
alter table mentions drop constraint mentions_how_check;
alter table mentions add constraint mentions_how_check check (how in ('include', 'persona', 'style', 'sheet', 'step'));
drop trigger guard_answers on versions;
drop function guard_answers;
alter table versions drop column set_name, drop column set_number, drop column answers, drop column sheet_of;
drop table set_versions, question_sets;
drop function guard_set_versions;
