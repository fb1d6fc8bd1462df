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

create table spent (
    month      date           not null, -- its first day
    person_id  bigint         not null references people,
    department text           not null, -- that they were of then
    words      bigint         not null,
    cost       numeric(16, 6) not null, -- of what has a price
    replies    bigint         not null,
    primary key (month, person_id, department)
);
create index on spent (month, department);
insert into schema_needs values (36, 28);

-- +goose Down
delete from schema_needs where migration = 36;
drop trigger if exists count_spent on replies;
drop table spent, allowances;
