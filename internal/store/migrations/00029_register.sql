-- The register of applications and models, whose names are terms, and how each application
-- wants a stack delivered. A term that becomes part of another leaves its details behind,
-- unseen, so that undoing it brings them back.

-- +goose Up
create table register (
    facet   text  not null check (facet in ('application', 'model')),
    term    text  not null,
    details jsonb not null,
    primary key (facet, term)
);

-- What all applications may cost in a month, and a number that grows with every change of
-- the register.
create table register_budget (
    one      boolean primary key default true check (one),
    cap      numeric(14, 4) check (cap >= 0),
    currency text not null default 'EUR' check (currency ~ '^[A-Z]{3}$'),
    number   int  not null default 1
);
insert into register_budget default values;

create table layouts (
    application text primary key,
    layout      jsonb       not null,
    number      int         not null,
    set_by      bigint      not null references people,
    at          timestamptz not null
);

-- What is filled for an application is remembered for as long as the shelf is as it was: its
-- layout, and what it is called, are part of that.
-- +goose StatementBegin
create function count_layout_change() returns trigger language plpgsql as $$
begin
    update shelf_changes set number = number + 1;
    return null;
end $$;
-- +goose StatementEnd
create trigger count_change after insert or update or delete on layouts for each statement execute function count_layout_change();
create trigger count_renamed after delete or update of name on terms for each statement execute function count_layout_change();
insert into schema_needs values (29, 28);

-- +goose Down
delete from schema_needs where migration = 29;
drop trigger count_renamed on terms;
drop table layouts, register_budget, register;
drop function count_layout_change;
