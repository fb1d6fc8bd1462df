-- How long what people leave behind is kept, and someone who has left made nameless. A record
-- that said a name says another one then, and which of those it was done with; its hash stays
-- what it was. A program from before takes such a record for changed when it verifies.

-- +goose Up
alter table library
    add keep_talks  int not null default 90  check (keep_talks between 1 and 3650), -- days
    add keep_missed int not null default 400 check (keep_missed between 1 and 3650),
    add keep_uses   int not null default 400 check (keep_uses between 1 and 3650),
    add keep_news   int not null default 400 check (keep_news between 1 and 3650);
alter table people add nameless_at timestamptz check (nameless_at is null or not active);
alter table events add nameless uuid;
create index on events (nameless) where nameless is not null;
insert into schema_needs values (45, 36);

-- +goose Down
delete from schema_needs where migration = 45;
alter table events drop nameless;
alter table people drop nameless_at;
alter table library drop keep_news, drop keep_uses, drop keep_missed, drop keep_talks;
