-- What a version of a style was measured from when it was submitted: of each sample its name,
-- length and digest, and the figures. The samples themselves stand outside the versions. And
-- the lines of guides that were drawn from figures, so that drawing one anew leaves alone what
-- somebody has written.

-- +goose Up
alter table versions add column measured jsonb;

create table drawn_lines (
    entry_id bigint not null references entries,
    line     text   not null,
    figure   text   not null,
    primary key (entry_id, line)
);
insert into schema_needs values (30, 28);

-- +goose Down
delete from schema_needs where migration = 30;
drop table drawn_lines;
alter table versions drop column measured;
