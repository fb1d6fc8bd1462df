-- Runs of relays. A run is its person's alone, as a talk is. What a model is asked for one
-- step, or for one section that a step goes over, is one of the replies of the queue.

-- +goose Up
create table runs (
    id         uuid        primary key,
    person_id  bigint      not null references people,
    entry_id   bigint      not null references entries on delete cascade,
    version    int         not null,
    plan       jsonb       not null, -- the steps with the versions that they use, and what they were given
    number     int         not null default 1, -- another with each change
    kept       boolean     not null default false,
    started_at timestamptz not null
);
create index on runs (person_id, started_at desc);
create index on runs (started_at) where not kept;

create table run_steps (
    run_id   uuid        not null references runs on delete cascade,
    place    int         not null, -- among the steps, from 0
    state    text        not null default 'waiting' check (state in ('waiting', 'asked', 'done', 'failed', 'stopped')),
    round    int         not null default 0, -- how often it has been asked
    text     text        not null default '', -- the reply; of a pass, all of what it went over
    problem  text        not null default '',
    ended_at timestamptz,
    primary key (run_id, place)
);
create index on run_steps (run_id) where state = 'asked';

alter table replies
    drop constraint of_one,
    add run_id  uuid references runs on delete cascade,
    add step    int,
    add round   int,
    add section int, -- of those that a pass goes over, from 0; -1 where it is no pass
    add constraint of_one check (num_nonnulls(talk_id, trial_id, run_id) = 1);
create unique index on replies (run_id, step, round, section) where run_id is not null;

alter table runs enable row level security;
alter table runs force row level security;
create policy own on runs using (current_setting('goldshelf.person', true) in (person_id::text, 'all'));
alter table run_steps enable row level security;
alter table run_steps force row level security;
create policy own on run_steps using (exists (select from runs where id = run_id));
drop policy own on replies;
create policy own on replies using (current_setting('goldshelf.person', true) = 'all'
    or talk_id is not null and exists (select from talks where id = talk_id and person_id::text = current_setting('goldshelf.person', true))
    or trial_id is not null and exists (select from trials where id = trial_id)
    or run_id is not null and exists (select from runs where id = run_id));
insert into schema_needs values (34, 28);

-- +goose Down
delete from schema_needs where migration = 34;
drop policy own on replies;
delete from replies where run_id is not null;
alter table replies drop constraint of_one, drop run_id, drop step, drop round, drop section,
    add constraint of_one check (num_nonnulls(talk_id, trial_id) = 1);
create policy own on replies using (current_setting('goldshelf.person', true) = 'all'
    or talk_id is not null and exists (select from talks where id = talk_id and person_id::text = current_setting('goldshelf.person', true))
    or trial_id is not null and exists (select from trials where id = trial_id));
drop table run_steps, runs;
