-- What the curators have decided about checks: every decision is kept.

-- +goose Up
create table policies (
    number int generated always as identity primary key,
    policy jsonb       not null,
    set_by bigint      not null references people,
    at     timestamptz not null default now()
);

-- +goose Down
drop table policies;
