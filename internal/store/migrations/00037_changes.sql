-- A trial may run an earlier one again, or show what another entry's version would change: what
-- it has found of that is kept with it, as are its counts once it has ended. A relay is tried by
-- runs of it, each of which brings one reply.

-- +goose Up
alter table trials
    add again       uuid   references trials on delete set null, -- the trial that it runs again
    add about_entry bigint references entries on delete cascade, -- another entry, of which it shows what a version would change
    add about       int,                                         -- that version's number
    add change      text   not null default '' check (change in ('', 'none', 'better', 'worse', 'too-few')),
    add tally       jsonb;                                       -- how many replies there are of each sort, while nothing is awaited
create index on trials (about_entry, started_at desc) where about_entry is not null;

alter table register add changed_at timestamptz; -- in a way that may change what is answered

alter table runs
    add trial_id uuid references trials on delete cascade,  -- that it is a reply of
    add reply_id uuid references replies on delete cascade; -- which one
create unique index on runs (reply_id) where reply_id is not null;
alter table cells add run jsonb; -- what a run of a relay does, in place of what is sent
alter table replies add by_run boolean not null default false; -- a run brings it, whose own replies are counted
create index on replies (asked_at, id) where by_run and state = 'waiting';

-- Whoever sees a trial of a relay sees the runs that it is made of.
drop policy own on runs;
create policy own on runs using (current_setting('goldshelf.person', true) in (person_id::text, 'all')
    or trial_id is not null and exists (select from trials where id = trial_id));
insert into schema_needs values (37, 36);

-- +goose Down
delete from schema_needs where migration = 37;
delete from runs where trial_id is not null;
delete from replies where by_run;
drop policy own on runs;
create policy own on runs using (current_setting('goldshelf.person', true) in (person_id::text, 'all'));
alter table runs drop trial_id, drop reply_id;
alter table replies drop by_run;
alter table cells drop run;
alter table register drop changed_at;
alter table trials drop again, drop about_entry, drop about, drop change, drop tally;
