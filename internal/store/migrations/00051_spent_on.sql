-- What asking models has cost by entry and by what it was for, without saying who had them be
-- asked. It is added row by row as spent is; see count_spent.

-- +goose Up
create table spent_on (
    month    date           not null, -- its first day
    entry_id bigint, -- none of a talk that began with no entry
    way      text           not null check (way in ('talk', 'trial', 'run')),
    words    bigint         not null,
    cost     numeric(16, 6) not null, -- of what has a price
    replies  bigint         not null
);
create index on spent_on (month);
select set_config('goldshelf.person', 'all', true);
insert into spent_on
select date_trunc('month', r.ended_at at time zone coalesce((select zone from library), 'UTC'))::date, coalesce(t.entry_id, l.entry_id, u.entry_id),
       case when t.id is not null or u.reply_id is not null then 'trial' when l.id is not null then 'talk' else 'run' end,
       sum(case when r.words > 0 then r.words else regexp_count(r.text, '\S+') end), sum(coalesce(r.cost, 0)), count(*)
from replies r
left join trials t on t.id = r.trial_id
left join talks l on l.id = r.talk_id
left join runs u on u.id = r.run_id
where r.state not in ('waiting', 'running') and r.ended_at is not null and (r.text <> '' or r.tokens_in > 0) and not r.by_run
group by 1, 2, 3;
select set_config('goldshelf.person', '', true);
insert into schema_needs values (51, 36);

-- +goose Down
delete from schema_needs where migration = 51;
drop table spent_on;
