-- What was used, by day and by week, worked out from the uses: it can be made again from them.
-- A day of the library is as long as its zone says; weeks begin on Mondays.

-- +goose Up
alter table uses add persona text not null default ''; -- used instead of the recommended one; none for without

create table use_days (
    day         date   not null,
    entry_id    bigint not null,
    application text   not null,
    department  text   not null, -- of who used it
    uses        int    not null,
    own         int    not null, -- of these, by who answers for the entry or wrote it
    primary key (day, entry_id, application, department)
);
create table use_weeks (
    week     date   not null,
    entry_id bigint not null,
    uses     int    not null,
    people   int    not null, -- other than who answers for it or wrote it
    primary key (week, entry_id)
);
create table use_week_people (
    week   date not null,
    facet  text not null check (facet in ('all', 'application', 'department', 'kind')),
    term   text not null,
    uses   int  not null,
    people int  not null,
    primary key (week, facet, term)
);
create table use_personas (
    week     date   not null,
    entry_id bigint not null,
    persona  text   not null,
    uses     int    not null,
    primary key (week, entry_id, persona)
);
create table use_rolled (
    day date        primary key,
    at  timestamptz not null
);
insert into schema_needs values (46, 36);

-- +goose Down
delete from schema_needs where migration = 46;
drop table use_rolled, use_personas, use_week_people, use_weeks, use_days;
alter table uses drop persona;
