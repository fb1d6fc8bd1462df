-- What comes in: prints of texts, by which look-alikes are found, and imports
-- between their plan and their end.

-- +goose Up
create table prints (
    version_id bigint primary key references versions on delete cascade,
    bands      bigint[] not null,
    units      bigint[] not null
);
create index prints_bands on prints using gin (bands);
create index prints_units on prints using gin (units);

create table imports (
    id         uuid primary key,
    person_id  bigint      not null references people,
    name       text        not null, -- of the file or folder
    data       bytea       not null, -- as it came
    reading    jsonb       not null, -- how to read it: format, columns and the like
    alike      jsonb       not null default '{}', -- what the new ones of its plan are like
    at         timestamptz not null
);
create index on imports (at);

create table mappings (
    name    text primary key check (name <> ''),
    reading jsonb       not null,
    set_by  bigint      not null references people,
    at      timestamptz not null
);

create table starters (
    department text primary key,
    content    jsonb       not null,
    set_by     bigint      not null references people,
    at         timestamptz not null
);

alter table entries add helper boolean not null default false; -- a prompt that writes prompts

alter table events drop constraint events_via_check;
alter table events add constraint events_via_check check (via in ('client', 'console', 'api', 'service', 'import'));
-- +goose StatementBegin
create or replace function guard_versions() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' then
        if old.published_at is not null then
            raise exception 'a version that was published cannot be removed';
        end if;
        return old;
    end if;
    if (old.state, new.state) not in (
        ('draft', 'draft'), ('draft', 'in-review'), ('in-review', 'draft'), ('in-review', 'in-review'),
        ('in-review', 'approved'), ('approved', 'approved'), ('approved', 'draft'), ('approved', 'published'),
        ('published', 'published'), ('published', 'superseded'), ('superseded', 'superseded'),
        ('published', 'retired'), ('retired', 'retired'), ('retired', 'published'), ('retired', 'superseded')
    ) then
        raise exception 'a version does not go from % to %', old.state, new.state;
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
    if old.state = 'approved' and new.state = 'published' then
        -- What colleagues search as they type is found by the beginnings of its words too.
        new.search := new.search || setweight(to_tsvector('simple', new.body), 'D');
    end if;
    new.revision := old.revision + 1;
    return new;
end $$;
-- +goose StatementEnd

-- Texts are kept and read faster under lz4, where the server has it.
-- +goose StatementBegin
do $$ begin
    alter table versions alter column body set compression lz4, alter column search set compression lz4;
exception when feature_not_supported then null;
end $$;
-- +goose StatementEnd

-- Parts are guarded a statement at a time: an import adds a great many at once.
-- +goose StatementBegin
create function guard_added_parts() returns trigger language plpgsql as $$
begin
    if exists (select from added a join versions v on v.id = a.version_id where v.state <> 'draft') then
        raise exception 'the text of a version that is no draft is locked';
    end if;
    return null;
end $$;
-- +goose StatementEnd
drop trigger guard on blanks;
drop trigger guard on labels;
drop trigger guard on writers;
create trigger guard before update or delete on blanks for each row execute function guard_parts();
create trigger guard before update or delete on labels for each row execute function guard_parts();
create trigger guard before update or delete on writers for each row execute function guard_parts();
create trigger guard_added after insert on blanks referencing new table as added for each statement execute function guard_added_parts();
create trigger guard_added after insert on labels referencing new table as added for each statement execute function guard_added_parts();
create trigger guard_added after insert on writers referencing new table as added for each statement execute function guard_added_parts();

-- search_query asks for every word, in any of its forms or as the beginning of a
-- word, but for those that stand in every text.
-- +goose StatementBegin
create or replace function search_query(words text[]) returns tsquery language sql immutable
return (
    select string_agg('(' || (to_tsquery('english', word || ':*') || to_tsquery('simple', word || ':*'))::text || ')', ' & ')
    from unnest(words) word
    where numnode(to_tsquery('english', word || ':*')) > 0
       or not exists (select from unnest(words) other where numnode(to_tsquery('english', other || ':*')) > 0)
)::tsquery;
-- +goose StatementEnd

-- Of a version that came from another library: who did what there.
alter table versions add origin jsonb;
create or replace view whole_versions as
select v.id, v.entry_id, e.slug, e.kind, v.number, v.state, v.revision, v.title, v.summary, v.code, v.language,
       v.plain, v.persona, v.style, to_jsonb(v.sheets) as sheets, v.steps, v.source, v.body, v.note, v.search, v.returned,
       v.created_at, v.saved_at, v.submitted_at, v.published_at,
       e.owner_id, coalesce(e.deputy_id, 0) as deputy_id, owner.name as owner, owner.full_name as owner_name,
       coalesce(deputy.name, '') as deputy, coalesce(deputy.full_name, '') as deputy_name,
       coalesce(v.origin ->> 'author', author.full_name) as author, saver.name as saver, saver.full_name as saver_name,
       coalesce(v.origin ->> 'submitted_by', submitter.full_name, '') as submitter,
       coalesce(v.origin ->> 'published_by', publisher.full_name, '') as publisher,
       (select coalesce(jsonb_object_agg(facet, terms), '{}')
          from (select facet, jsonb_agg(term order by position) as terms
                  from labels where version_id = v.id group by facet) l) as labels,
       (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object(
                   'name', name, 'ask', ask, 'hint', hint, 'type', type, 'options', options,
                   'default', default_value, 'optional', optional, 'sample', sample, 'min', least, 'max', most))
                   order by position), '[]')
          from blanks where version_id = v.id) as blanks,
       (select coalesce(jsonb_agg(person_id), '[]') from writers where version_id = v.id) as writers,
       coalesce(v.origin -> 'approvals',
       (select coalesce(jsonb_agg(jsonb_build_object('by', p.full_name, 'comment', a.comment, 'at', a.at) order by a.at), '[]')
          from approvals a join people p on p.id = a.person_id where a.version_id = v.id)) as approvals
from versions v
join entries e on e.id = v.entry_id
join people owner on owner.id = e.owner_id
left join people deputy on deputy.id = e.deputy_id
join people author on author.id = v.created_by
join people saver on saver.id = v.saved_by
left join people submitter on submitter.id = v.submitted_by
left join people publisher on publisher.id = v.published_by;

-- +goose Down
create or replace view whole_versions as
select v.id, v.entry_id, e.slug, e.kind, v.number, v.state, v.revision, v.title, v.summary, v.code, v.language,
       v.plain, v.persona, v.style, to_jsonb(v.sheets) as sheets, v.steps, v.source, v.body, v.note, v.search, v.returned,
       v.created_at, v.saved_at, v.submitted_at, v.published_at,
       e.owner_id, coalesce(e.deputy_id, 0) as deputy_id, owner.name as owner, owner.full_name as owner_name,
       coalesce(deputy.name, '') as deputy, coalesce(deputy.full_name, '') as deputy_name,
       author.full_name as author, saver.name as saver, saver.full_name as saver_name,
       coalesce(submitter.full_name, '') as submitter, coalesce(publisher.full_name, '') as publisher,
       (select coalesce(jsonb_object_agg(facet, terms), '{}')
          from (select facet, jsonb_agg(term order by position) as terms
                  from labels where version_id = v.id group by facet) l) as labels,
       (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object(
                   'name', name, 'ask', ask, 'hint', hint, 'type', type, 'options', options,
                   'default', default_value, 'optional', optional, 'sample', sample, 'min', least, 'max', most))
                   order by position), '[]')
          from blanks where version_id = v.id) as blanks,
       (select coalesce(jsonb_agg(person_id), '[]') from writers where version_id = v.id) as writers,
       (select coalesce(jsonb_agg(jsonb_build_object('by', p.full_name, 'comment', a.comment, 'at', a.at) order by a.at), '[]')
          from approvals a join people p on p.id = a.person_id where a.version_id = v.id) as approvals
from versions v
join entries e on e.id = v.entry_id
join people owner on owner.id = e.owner_id
left join people deputy on deputy.id = e.deputy_id
join people author on author.id = v.created_by
join people saver on saver.id = v.saved_by
left join people submitter on submitter.id = v.submitted_by
left join people publisher on publisher.id = v.published_by;
alter table versions drop origin;
alter table entries drop helper;
drop table starters, mappings, imports, prints;
