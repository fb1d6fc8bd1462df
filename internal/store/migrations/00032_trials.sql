-- What replies of models to an entry are held to. A test bed is an entry's fills and what
-- replies to them must hold to. A trial asks models for all fills under all set-ups, so many
-- times each; every reply is one of the queue.

-- +goose Up
create table test_beds (
    entry_id   bigint      primary key references entries on delete cascade,
    bed        jsonb       not null,
    number     int         not null default 1,
    changed_by bigint      references people,
    changed_at timestamptz not null
);

create table trials (
    id         uuid        primary key,
    entry_id   bigint      not null references entries on delete cascade,
    title      text        not null,
    plan       jsonb       not null, -- fills, set-ups, times, expectations
    versions   int[]       not null, -- of the entry, that its set-ups are of
    private    boolean     not null default false, -- seen by whoever began it alone
    started_by bigint      references people,
    started_at timestamptz not null
);
create index on trials (entry_id, started_at desc);

-- What is sent for one fill under one set-up, as often as the trial asks.
create table cells (
    trial_id uuid  not null references trials on delete cascade,
    fill     int   not null,
    set_up   int   not null,
    sent     jsonb not null,
    used     jsonb not null,
    primary key (trial_id, fill, set_up)
);

alter table replies
    alter talk_id drop not null,
    alter turn drop not null,
    alter place drop not null,
    alter sent drop not null,
    alter used drop not null,
    add trial_id    uuid references trials on delete cascade,
    add fill        int,
    add set_up      int,
    add time        int, -- of the same fill under the same set-up, from 1
    add judges      uuid references replies on delete cascade, -- the reply of which a prompt says yes or no
    add expectation int, -- that it says it of
    add outcomes    jsonb, -- of each expectation, once that was looked at
    add words       int not null default 0, -- the same
    add seed        bigint, -- in place of that of the cell
    add constraint of_one check (num_nonnulls(talk_id, trial_id) = 1);
create unique index on replies (trial_id, fill, set_up, time) where judges is null;
create unique index on replies (judges, expectation);
create index on replies (trial_id) where trial_id is not null and state = 'done' and outcomes is null;

-- What people say of a reply: whether it holds to an expectation.
create table marks (
    reply_id    uuid        not null references replies on delete cascade,
    expectation int         not null,
    person_id   bigint      not null references people,
    met         boolean     not null,
    at          timestamptz not null,
    primary key (reply_id, expectation, person_id)
);

-- Which of two replies somebody finds better, without knowing whose they are.
create table preferences (
    trial_id  uuid        not null references trials on delete cascade,
    first     uuid        not null references replies on delete cascade,
    second    uuid        not null references replies on delete cascade,
    person_id bigint      not null references people,
    better    text        not null check (better in ('first', 'second', 'neither')),
    at        timestamptz not null,
    primary key (first, second, person_id)
);
create index on preferences (trial_id);

-- How well a text has done in a trial that has ended: what policies ask for.
create table passes (
    trial_id uuid             not null references trials on delete cascade,
    set_up   int              not null,
    entry_id bigint           not null references entries on delete cascade,
    text     text             not null, -- the digest of exactly that text
    low      double precision not null, -- the lower bound of its pass rate
    bed      int              not null, -- the number of the entry's test bed that it was held to
    primary key (trial_id, set_up)
);
create index on passes (entry_id, text);

-- Whoever does not see an entry sees none of what was tried with it.
alter table test_beds enable row level security;
alter table test_beds force row level security;
create policy own on test_beds using (exists (select from entries where id = entry_id));
alter table trials enable row level security;
alter table trials force row level security;
create policy own on trials using ((not private or current_setting('goldshelf.person', true) in (started_by::text, 'all'))
    and exists (select from entries where id = entry_id));
drop policy own on replies;
create policy own on replies using (current_setting('goldshelf.person', true) = 'all'
    or talk_id is not null and exists (select from talks where id = talk_id and person_id::text = current_setting('goldshelf.person', true))
    or trial_id is not null and exists (select from trials where id = trial_id));
insert into schema_needs values (32, 28);

-- +goose Down
delete from schema_needs where migration = 32;
drop policy own on replies;
delete from replies where talk_id is null;
alter table replies
    drop constraint of_one, drop trial_id, drop fill, drop set_up, drop time, drop judges, drop expectation, drop outcomes,
    alter talk_id set not null, alter turn set not null, alter place set not null, alter sent set not null, alter used set not null;
create policy own on replies using (current_setting('goldshelf.person', true) = 'all'
    or exists (select from talks where id = talk_id and person_id::text = current_setting('goldshelf.person', true)));
drop table passes, preferences, marks, cells, trials, test_beds;
