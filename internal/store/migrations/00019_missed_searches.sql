-- What was searched for and not found, without anybody's name.

-- +goose Up
create table missed_searches (
    day   date not null,
    words text not null check (words <> '' and char_length(words) <= 200),
    times int  not null default 1,
    primary key (day, words)
);
insert into schema_needs values (19, 16);

-- +goose Down
delete from schema_needs where migration = 19;
drop table missed_searches;
