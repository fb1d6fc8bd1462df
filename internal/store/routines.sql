-- What the schema does by itself, and how it is read: the functions and views
-- that are put in place anew at every start, so that each is written once. A function that
-- looks into tables is in plpgsql, which keeps its plan: one in SQL that cannot become part
-- of what calls it is planned anew in every statement.

-- Whether this transaction moves a whole library in: only the owner of the database can
-- say so, and what it brings was published where it comes from.
create or replace function moves_in() returns boolean language plpgsql stable set search_path = public, pg_temp as $$
begin
    return exists (select from moving_in where xid = pg_current_xact_id());
end $$;

create or replace function guard_versions() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if tg_op = 'INSERT' then
        if (new.state, new.origin is null, new.published_at is null, new.submitted_at is null) <> ('draft', true, true, true) and not moves_in() then
            raise exception 'a version begins as a draft';
        end if;
        return new;
    end if;
    if tg_op = 'DELETE' then
        if old.published_at is not null then
            raise exception 'a version that was published cannot be removed';
        end if;
        return old;
    end if;
    if new.origin is distinct from old.origin and not moves_in() then
        raise exception 'where a version comes from never changes';
    end if;
    if old.state = 'draft' and new.state = 'draft' then
        if (new.entry_id, new.number, new.published_at is null, new.published_by is null)
           is distinct from (old.entry_id, old.number, true, true) then
            raise exception 'a draft stays the version that it is';
        end if;
        -- Whether it is found by what it says is no change of it.
        if new.indexed = old.indexed or
           (new.saved_by, new.saved_at, new.parts, new.note, new.returned, new.title, new.summary, new.code, new.language, new.plain,
            new.persona, new.style, new.sheets, new.steps, new.source, new.body)
           is distinct from
           (old.saved_by, old.saved_at, old.parts, old.note, old.returned, old.title, old.summary, old.code, old.language, old.plain,
            old.persona, old.style, old.sheets, old.steps, old.source, old.body) then
            new.revision := old.revision + 1;
        end if;
        return new;
    end if;
    if (old.state, new.state) not in (
        ('draft', 'in-review'), ('in-review', 'draft'), ('in-review', 'in-review'),
        ('in-review', 'approved'), ('approved', 'approved'), ('approved', 'draft'), ('approved', 'published'),
        ('published', 'published'), ('published', 'superseded'), ('superseded', 'superseded'),
        ('published', 'retired'), ('retired', 'retired'), ('retired', 'published'), ('retired', 'superseded'),
        ('superseded', 'published')
    ) then
        raise exception 'a version does not go from % to %', old.state, new.state;
    end if;
    if old.state <> 'draft' and new.state <> 'draft' and new.seen <> old.seen then
        raise exception 'what was submitted stays what it was';
    end if;
    if old.state <> 'draft' and
       (old.entry_id, old.number, old.title, old.summary, old.code, old.language, old.plain, old.persona,
        old.style, old.sheets, old.steps, old.source, old.body, old.created_by, old.created_at)
       is distinct from
       (new.entry_id, new.number, new.title, new.summary, new.code, new.language, new.plain, new.persona,
        new.style, new.sheets, new.steps, new.source, new.body, new.created_by, new.created_at) then
        raise exception 'the text of a version that is % is locked', old.state;
    end if;
    if old.published_at is not null and
       (old.published_at, old.published_by, old.note) is distinct from (new.published_at, new.published_by, new.note) then
        raise exception 'a published version never changes';
    end if;
    if old.state = 'in-review' and new.state in ('in-review', 'approved') and
       (new.approvals_needed < old.approvals_needed or not new.needed_from @> old.needed_from) and not moves_in() then
        raise exception 'what a version in review needs is never less than it was';
    end if;
    if old.state = 'in-review' and new.state = 'approved' and
       (select count(*) from approvals a join people p on p.id = a.person_id
        where a.version_id = new.id and p.active and p.role in ('reviewer', 'curator')) < new.approvals_needed and not moves_in() then
        raise exception 'a version is approved by as many as it needs';
    end if;
    if old.state = 'superseded' and new.state = 'published' and
       not exists (select from versions where entry_id = new.entry_id and number > new.number and taken_back_at is not null) then
        raise exception 'a version comes back on the shelf only where the one after it was taken back';
    end if;
    if new.indexed <> old.indexed and new.state = old.state then
        return new; -- the same
    end if;
    new.revision := old.revision + 1;
    return new;
end $$;

create or replace trigger guard before insert or update or delete on versions
for each row execute function guard_versions();

-- What follows of a version's step, in the owner's name: the service may not do it by
-- itself. A text that can change again is approved by nobody, and with a publication the
-- next review begins.
create or replace function follow_step() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
    if new.state = 'draft' then
        delete from approvals where version_id = new.id;
    elsif new.state = 'published' then
        delete from past_labels where entry_id = new.entry_id;
    end if;
    return null;
end $$;
create or replace trigger follow_step after update of state on versions
for each row when (old.state <> new.state and new.state = 'draft' or old.state = 'approved' and new.state = 'published')
execute function follow_step();

create or replace function guard_parts() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    -- A part that is moved is looked at where it was and where it is to be.
    if tg_op <> 'INSERT' and exists (select from versions where id = old.version_id and state <> 'draft') or
       tg_op <> 'DELETE' and not exists (select from versions where id = new.version_id and state = 'draft') then
        raise exception 'the text of a version that is no draft is locked';
    end if;
    return case when tg_op = 'DELETE' then old else new end;
end $$;

create or replace function guard_approvals() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if tg_op = 'UPDATE' then
        raise exception 'an approval stays what it was';
    end if;
    if not exists (select from versions where id = new.version_id and state = 'in-review') then
        raise exception 'only a version in review is approved';
    end if;
    if not exists (select from versions where id = new.version_id and seen in ('', new.seen)) then
        raise exception 'an approval is of what was submitted';
    end if;
    if exists (select from writers where version_id = new.version_id and person_id = new.person_id) then
        raise exception 'nobody approves a text that they wrote any of';
    end if;
    return new;
end $$;

-- Only make_nameless may change a record, as the owner of the tables, and nothing of it but a
-- name and an address.
create or replace function guard_events() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if tg_op = 'UPDATE' and tg_level = 'ROW' and current_setting('goldshelf.nameless', true) = pg_current_xact_id()::text
       and pg_has_role((select relowner from pg_class where oid = tg_relid), 'usage') then
        if to_jsonb(new) - array['detail', 'formula', 'nameless'] <> to_jsonb(old) - array['detail', 'formula', 'nameless']
           or new.nameless is null or new.formula <> 3 or not new.detail - 'address' ?& array(select jsonb_object_keys(old.detail - 'address')) then
            raise exception 'a record that is made nameless stays what it was otherwise';
        end if;
        return new;
    end if;
    raise exception 'the record of changes is only added to';
end $$;

-- The chain of the record: each hash is over the one before and all that a record says.
create or replace function event_hash_2(previous bytea, id bigint, at timestamptz, person bigint, who bytea, via text, action text, entry bigint, slug text, number int, detail jsonb)
returns bytea language sql stable
return sha256(previous || convert_to(
    jsonb_build_array(2, id, to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US'), person, encode(who, 'hex'), via, action, entry, slug, number, detail)::text, 'UTF8'));

create or replace function name_hash(salt bytea, name text) returns bytea language sql immutable
return sha256(salt || convert_to(name, 'UTF8'));

-- How the record says who somebody is; null where they have no salt yet.
create or replace function who_is(person bigint) returns bytea language plpgsql stable as $$
begin
    return (select name_hash(s.salt, p.name) from salts s join people p on p.id = s.person_id where s.person_id = person);
end $$;

-- What a record says of somebody, under another name than they had; and no address of theirs.
create or replace function under_name(action text, detail jsonb, own boolean, was text, is_now text, full_name text) returns jsonb language sql immutable
return case when own or detail ->> 'person' = was then detail - 'address' else detail end
    || case when detail ->> 'person' = was then jsonb_build_object('person', is_now) else '{}' end
    || case when detail ->> 'person' = was and detail ? 'full_name' then jsonb_build_object('full_name', full_name) else '{}' end
    || case when detail ->> 'deputy' = was then jsonb_build_object('deputy', is_now) else '{}' end
    || case when detail ->> 'to' = was and action <> 'rename' then jsonb_build_object('to', is_now) else '{}' end
    || case when detail ->> 'for' = 'person' and detail ->> 'name' = was then jsonb_build_object('name', is_now) else '{}' end;

-- What is left of the records that were made nameless together: a record of the chain has it.
create or replace function nameless_left(of uuid) returns text language plpgsql stable as $$
begin
    return (select encode(sha256(convert_to(string_agg(jsonb_build_array(id, detail)::text, E'\n' order by id), 'UTF8')), 'hex')
            from events where nameless = of);
end $$;

-- Makes someone who has left nameless: they are called otherwise from then on, wherever they
-- are named. It gives by what the records are known that have said their name, and how many
-- those are. Records that were made nameless before with one of them go on with them.
create or replace function make_nameless(person bigint, is_now text, now_full_name text, since timestamptz, out together uuid, out records int)
language plpgsql security definer set search_path = public, pg_temp as $$
declare
    p people;
    named bigint[];
    before uuid[];
begin
    select * into p from people where id = person for update;
    if p.active or p.nameless_at is not null or exists (select from entries where owner_id = person) then
        raise exception 'only who has left, and owns nothing, is made nameless';
    end if;
    perform pg_advisory_xact_lock(7420, 1); -- nobody adds to the record meanwhile
    together := gen_random_uuid();
    select array_agg(e.id), array_agg(distinct e.nameless) filter (where e.nameless is not null) into named, before
    from events e
    where e.detail <> under_name(e.action, e.detail, e.person_id is not distinct from person, p.name, is_now, now_full_name);
    perform set_config('goldshelf.nameless', pg_current_xact_id()::text, true);
    update events e
    set detail = under_name(e.action, e.detail, e.person_id is not distinct from person, p.name, is_now, now_full_name), formula = 3, nameless = together
    where e.id = any (named) or e.nameless = any (before);
    get diagnostics records = row_count;
    perform set_config('goldshelf.nameless', '', true);
    delete from salts where person_id = person;
    update people
    set name = is_now, full_name = now_full_name, department = '', password = null, away_from = null, away_until = null, nameless_at = since
    where id = person;
end $$;

-- A record is in the name of one of the callers that the transaction says are at work:
-- one in another's name, by mistake, is refused. Its plans outlive the day on which the
-- record was a page long: they go by the keys.
create or replace function seal_events() returns trigger language plpgsql security definer set search_path = public, pg_temp set enable_seqscan = off as $$
begin
    if new.person_id is not null and new.person_id::text <> all (string_to_array(coalesce(current_setting('goldshelf.callers', true), ''), ',')) then
        raise exception 'a record is in the name of one who is at work';
    end if;
    perform pg_advisory_xact_lock(7420, 1); -- one after the other, until each is committed
    new.formula := 2;
    select coalesce(last.id, 0) + 1, coalesce(last.hash, ''), (select e.slug from entries e where e.id = new.entry_id), who_is(new.person_id)
    into new.id, new.previous, new.slug, new.who
    from (values (1)) one left join (select id, hash from events order by id desc limit 1) last on true;
    if new.who is null and new.person_id is not null then
        insert into salts values (new.person_id, uuid_send(gen_random_uuid()));
        new.who := who_is(new.person_id);
    end if;
    new.hash := event_hash_2(new.previous, new.id, new.at, new.person_id, new.who, new.via, new.action, new.entry_id, new.slug, new.number, new.detail);
    return new;
end $$;

-- What a review needs follows the labels and departments that an entry had, too.
create or replace function keep_past_labels() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
    insert into past_labels select entry_id, facet, term from gone on conflict do nothing;
    return null;
end $$;
create or replace trigger keep_past after delete on labels referencing old table as gone
for each statement execute function keep_past_labels();

create or replace function keep_past_department() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
    insert into past_labels values (old.id, 'department', old.department) on conflict do nothing;
    return null;
end $$;
create or replace trigger keep_past after update of department on entries
for each row when (old.department <> new.department and old.department <> '') execute function keep_past_department();

-- What entries are found by, when it changes: services read it anew.
create or replace function search_changed() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    insert into search_changes (entry_id) values (coalesce(new.entry_id, old.entry_id));
    return null;
end $$;
create or replace trigger search_added after insert or delete on versions for each row execute function search_changed();
create or replace trigger search_changed after update on versions
for each row when ((old.state, old.saved_at, old.published_at, old.title, old.summary, old.code, old.source)
    is distinct from (new.state, new.saved_at, new.published_at, new.title, new.summary, new.code, new.source) or old.body <> new.body)
execute function search_changed();

create or replace function search_relabelled() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    insert into search_changes (entry_id) select distinct entry_id from changed;
    return null;
end $$;
create or replace trigger search_added after insert on labels referencing new table as changed
for each statement execute function search_relabelled();
create or replace trigger search_removed after delete on labels referencing old table as changed
for each statement execute function search_relabelled();

create or replace function search_renamed_term() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    insert into search_changes (entry_id) select distinct entry_id from labels where facet = new.facet and term = new.name;
    return null;
end $$;
create or replace trigger search_changed after update of title on terms
for each row when (old.title <> new.title) execute function search_renamed_term();

create or replace function search_owned() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    insert into search_changes (entry_id) values (new.id);
    return null;
end $$;
create or replace trigger search_changed after update of owner_id, deputy_id, slug on entries
for each row when ((old.owner_id, old.deputy_id, old.slug) is distinct from (new.owner_id, new.deputy_id, new.slug)) execute function search_owned();

create or replace function search_renamed_person() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    insert into search_changes (entry_id) select id from entries where owner_id = new.id;
    return null;
end $$;
create or replace trigger search_changed after update of full_name, name on people
for each row when ((old.full_name, old.name) <> (new.full_name, new.name)) execute function search_renamed_person();

-- The entries that have changed in what they are found by since a moment, a pg_snapshot: read
-- from the newest on, so that however many there were before costs nothing.
create or replace function search_changes_since(moment pg_snapshot) returns jsonb language plpgsql stable as $$
declare
    change record;
    entries bigint[] := '{}';
begin
    for change in select entry_id, changed from search_changes order by changed desc loop
        exit when change.changed < pg_snapshot_xmin(moment);
        if not pg_visible_in_snapshot(change.changed, moment) then
            entries := entries || change.entry_id;
        end if;
    end loop;
    return (select coalesce(jsonb_agg(distinct id), '[]') from unnest(entries) id);
end $$;

-- What is on the shelf has changed: counted at the very end of a transaction, and
-- once in it, so that whoever reads the new number reads the new shelf.
create or replace function count_shelf_change() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if current_setting('goldshelf.shelf_change', true) is distinct from pg_current_xact_id()::text then
        perform set_config('goldshelf.shelf_change', pg_current_xact_id()::text, true);
        update shelf_changes set number = number + 1;
    end if;
    return null;
end $$;
do $$ begin
    if not exists (select from pg_trigger where tgname = 'count_shelf_change') then
        create constraint trigger count_shelf_change after update of state on versions deferrable initially deferred
        for each row when (old.state <> new.state and 'published' in (old.state, new.state)) execute function count_shelf_change();
    end if;
end $$;

-- What an entry on the shelf is called, and its labels, are part of what is filled: the labels say
-- which rendition an application gets.
create or replace function count_label_change() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if current_setting('goldshelf.shelf_change', true) is distinct from pg_current_xact_id()::text
       and exists (select from versions where entry_id = coalesce(new.entry_id, old.entry_id) and state = 'published') then
        perform set_config('goldshelf.shelf_change', pg_current_xact_id()::text, true);
        update shelf_changes set number = number + 1;
    end if;
    return null;
end $$;
do $$ begin
    if not exists (select from pg_trigger where tgname = 'count_label_change') then
        create constraint trigger count_label_change after insert or update or delete on labels deferrable initially deferred
        for each row execute function count_label_change();
        create constraint trigger count_renamed after update of slug on entries deferrable initially deferred
        for each row when (old.slug <> new.slug) execute function count_shelf_change();
    end if;
end $$;

-- library_day is the day that it is at a time in the library's zone.
create or replace function library_day(at timestamptz) returns date language plpgsql stable as $$
begin
    return (at at time zone (select zone from library))::date;
end $$;

-- What asking models has used up, by who had them be asked, and by what it was for: counted
-- where a reply ends, in whatever way that is, and nowhere else.
create or replace function count_spent() returns trigger language plpgsql set search_path = public, pg_temp as $$
begin
    if not exists (select from now_rows where state not in ('waiting', 'running')) then
        return null;
    end if;
    with ended as (
        select date_trunc('month', library_day(n.ended_at))::date as month, case when n.words > 0 then n.words else regexp_count(n.text, '\S+') end as words,
               coalesce(n.cost, 0) as cost, n.asked_by, n.talk_id, n.trial_id, n.run_id
        from now_rows n
        join old_rows o on o.id = n.id and o.state in ('waiting', 'running')
        where n.state not in ('waiting', 'running') and (n.text <> '' or n.tokens_in > 0) and not n.by_run
    ),
    by_entry as (
        insert into spent_on (month, entry_id, way, words, cost, replies)
        select e.month, coalesce(t.entry_id, l.entry_id, r.entry_id),
               case when t.id is not null or r.reply_id is not null then 'trial' when l.id is not null then 'talk' else 'run' end,
               sum(e.words), sum(e.cost), count(*)
        from ended e
        left join trials t on t.id = e.trial_id
        left join talks l on l.id = e.talk_id
        left join runs r on r.id = e.run_id
        group by 1, 2, 3
    )
    insert into spent (month, person_id, department, words, cost, replies)
    select e.month, p.id, coalesce(p.department, ''), sum(e.words), sum(e.cost), count(*)
    from ended e
    join people p on p.id = e.asked_by
    group by 1, 2, 3;
    return null;
end $$;
do $$ begin
    if not exists (select from pg_trigger where tgname = 'count_spent') then
        create trigger count_spent after update on replies referencing old table as old_rows new table as now_rows
        for each statement execute function count_spent();
    end if;
end $$;

-- The labels of an entry, by facet, as JSON.
create or replace function labels_of(entry bigint) returns jsonb language plpgsql stable as $$
begin
    return (select coalesce(jsonb_object_agg(facet, terms), '{}')
            from (select facet, jsonb_agg(term order by position) as terms from labels where entry_id = entry group by facet) l);
end $$;

-- Everything about a version that is read together.
create or replace view whole_versions as
select v.id, v.entry_id, e.slug, e.kind, v.number, v.state, v.revision, v.title, v.summary, v.code, v.language,
       v.plain, v.persona, v.style, to_jsonb(v.sheets) as sheets, v.steps, v.source, v.body, v.note, v.returned,
       v.created_at, v.saved_at, v.submitted_at, v.published_at,
       e.owner_id, coalesce(e.deputy_id, 0) as deputy_id, owner.name as owner, owner.full_name as owner_name,
       coalesce(deputy.name, '') as deputy, coalesce(deputy.full_name, '') as deputy_name,
       coalesce(v.origin ->> 'author', author.full_name) as author, saver.name as saver, saver.full_name as saver_name,
       coalesce(v.origin ->> 'submitted_by', submitter.full_name, '') as submitter,
       coalesce(v.origin ->> 'published_by', publisher.full_name, '') as publisher,
       labels_of(v.entry_id) as labels,
       (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object(
                   'name', name, 'ask', ask, 'hint', hint, 'type', type, 'options', options,
                   'default', default_value, 'optional', optional, 'sample', sample, 'min', least, 'max', most))
                   order by position), '[]')
          from blanks where version_id = v.id) as blanks,
       (select coalesce(jsonb_agg(person_id), '[]') from writers where version_id = v.id) as writers,
       coalesce(case when v.published_at is not null then v.origin -> 'approvals' end,
       (select coalesce(jsonb_agg(jsonb_build_object('by', p.full_name, 'id', p.id, 'role', p.role, 'active', p.active, 'department', p.department,
                   'comment', a.comment, 'at', a.at, 'seen', a.seen, 'made_by', a.made_by) order by a.at), '[]')
          from approvals a join people p on p.id = a.person_id where a.version_id = v.id)) as approvals,
       e.department, e.review_by, v.approvals_needed, v.needed_from, v.seen, v.taken_back, coalesce(v.origin ? 'author', false) as author_elsewhere, v.origin is not null and v.submitted_by is null as elsewhere,
       (select p.at from publication_versions pv join publications p on p.id = pv.publication_id where pv.version_id = v.id) as publish_at
from versions v
join entries e on e.id = v.entry_id
join people owner on owner.id = e.owner_id
left join people deputy on deputy.id = e.deputy_id
join people author on author.id = v.created_by
join people saver on saver.id = v.saved_by
left join people submitter on submitter.id = v.submitted_by
left join people publisher on publisher.id = v.published_by;

-- Has queries planned by what the tables hold now. Only their owner may look
-- through them for that, so it is done in the owner's name.
create or replace function survey_tables() returns void language plpgsql security definer set search_path = public, pg_temp as $$
declare
    name text;
begin
    for name in select tablename from pg_tables where schemaname = 'public' order by tablename loop
        execute format('analyze public.%I', name);
    end loop;
end $$;

-- The role that the service works as reads and writes, but owns nothing: it cannot
-- put the guards aside. Of the record of changes it cannot undo any.
do $$ begin
    if exists (select from pg_roles where rolname = 'goldshelf_service') then
        grant usage on schema public to goldshelf_service;
        grant select, insert, update, delete on all tables in schema public to goldshelf_service;
        grant usage on all sequences in schema public to goldshelf_service;
        revoke insert, update, delete, truncate on events, goose_db_version, moving_in, salts, schema_needs, schema_routines from goldshelf_service;
        revoke update, delete, truncate on approvals, writers from goldshelf_service;
        revoke insert, update, delete, truncate on past_labels from goldshelf_service;
        revoke delete, truncate on entries, versions, policies, people from goldshelf_service;
        grant insert on events to goldshelf_service;
    end if;
end $$;
