-- +goose Up
-- The facets and terms, as a number that grows with every change of one.
create table labels_number (
    one    boolean primary key default true check (one),
    number int not null default 1
);
insert into labels_number default values;

-- +goose StatementBegin
create function count_labels_change() returns trigger language plpgsql as $$
begin
    update labels_number set number = number + 1;
    return null;
end $$;
-- +goose StatementEnd
create trigger count_change after insert or update or delete on facets for each statement execute function count_labels_change();
create trigger count_change after insert or update or delete on terms for each statement execute function count_labels_change();
insert into schema_needs values (26, 16);

-- +goose Down
delete from schema_needs where migration = 26;
drop trigger count_change on terms;
drop trigger count_change on facets;
drop function count_labels_change;
drop table labels_number;
