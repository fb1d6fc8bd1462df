-- What people and departments may use up in a month by asking models, and what they have. A
-- reply is counted where it ends, in the same transaction: see count_spent.

-- +goose Up
create table allowances (
    id         bigint generated always as identity primary key,
    person_id  bigint unique references people,
    department text   unique,
    words      bigint         check (words >= 0), -- of replies; nothing for as many as one likes
    money      numeric(14, 2) check (money >= 0), -- in the register's currency; the same
    number     int         not null default 1,
    changed_by bigint      references people,
    changed_at timestamptz not null,
    check (num_nonnulls(person_id, department) = 1)
);

-- What was used up is added row by row, so that nobody waits for another who ends a reply in
-- the same moment; rows of past months are put together.
create table spent (
    month      date           not null, -- its first day
    person_id  bigint         not null,
    department text           not null, -- that they were of then
    words      bigint         not null,
    cost       numeric(16, 6) not null, -- of what has a price
    replies    bigint         not null
);
create index on spent (month, person_id);
create index on spent (month, department);

-- Who had a model be asked, and has it counted.
alter table replies add asked_by bigint references people;
update replies r set asked_by = coalesce(
    (select person_id from talks where id = r.talk_id), (select started_by from trials where id = r.trial_id), (select person_id from runs where id = r.run_id));
create index on replies (asked_by) where state in ('waiting', 'running');
insert into schema_needs values (36, 36);

-- +goose Down
delete from schema_needs where migration = 36;
drop trigger if exists count_spent on replies;
alter table replies drop asked_by;
drop table spent, allowances;
