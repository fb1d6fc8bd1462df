-- The report of the stocktake: made once a week or a month in each language that a channel
-- wants it in, and told to those channels.

-- +goose Up
alter table hooks
    add report   text not null default '' check (report in ('', 'week', 'month')),
    add language text not null default '' check (language ~ '^[a-z]{0,8}$');

create table stocktake_reports (
    id       bigint generated always as identity primary key,
    every    text not null check (every in ('week', 'month')),
    language text not null,
    since    date not null, -- a Monday
    until    date not null, -- the Monday after the last day
    made_at  timestamptz not null,
    text     text not null,
    unique (every, language, since),
    check (until > since)
);
insert into schema_needs values (48, 36);

-- +goose Down
delete from schema_needs where migration = 48;
drop table stocktake_reports;
alter table hooks drop language, drop report;
