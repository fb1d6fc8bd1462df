-- The library: people, labels, entries and their versions, reviews, the record
-- of every change. What the database can guard by itself, it does: whatever
-- code writes to it, a published text stays as it was.

-- +goose Up

create table facets (
    name     text primary key check (name ~ '^[a-z][a-z0-9-]{0,39}$' and name <> 'kind'),
    title    text not null check (title <> ''),
    position int  not null unique
);

create table terms (
    facet    text not null references facets,
    name     text not null check (name ~ '^[a-z0-9][a-z0-9-]{0,63}$'),
    title    text not null check (title <> ''),
    position int  not null,
    primary key (facet, name)
);

create table people (
    id         bigint generated always as identity primary key,
    name       text        not null unique check (name ~ '^[a-z0-9][a-z0-9.-]{1,63}$'),
    full_name  text        not null check (full_name <> ''),
    department text        not null default '',
    role       text        not null check (role in ('reader', 'contributor', 'reviewer', 'curator')),
    password   text, -- an argon2id hash; without one nobody signs in
    active     boolean     not null default true,
    created_at timestamptz not null default now()
);

create table tokens (
    hash       bytea primary key check (octet_length(hash) = 32),
    person_id  bigint      not null references people,
    created_at timestamptz not null default now(),
    expires_at timestamptz not null
);
create index on tokens (person_id);

create table failed_sign_ins (
    name     text primary key,
    failures int         not null,
    last_at  timestamptz not null
);

create table entries (
    id         bigint generated always as identity primary key,
    slug       text        not null unique check (slug ~ '^[a-z0-9][a-z0-9-]{1,63}$'),
    kind       text        not null check (kind in ('prompt', 'persona', 'style', 'snippet', 'sheet', 'relay')),
    code       text unique check (code ~ '^[a-z0-9]{2,16}$'), -- the published version's
    owner_id   bigint      not null references people,
    deputy_id  bigint references people check (deputy_id <> owner_id),
    created_by bigint      not null references people,
    created_at timestamptz not null default now()
);
create index on entries (owner_id);
create index on entries (deputy_id);

create table versions (
    id           bigint generated always as identity primary key,
    entry_id     bigint      not null references entries,
    number       int         not null check (number > 0),
    state        text        not null default 'draft'
                 check (state in ('draft', 'in-review', 'approved', 'published', 'superseded')),
    revision     int         not null default 1, -- grows with every change of the row
    title        text        not null,
    summary      text        not null,
    code         text        not null default '',
    language     text        not null default '',
    plain        boolean     not null default false,
    persona      text        not null default '',
    style        text        not null default '',
    sheets       text[]      not null default '{}',
    steps        jsonb       not null default '[]',
    source       jsonb,
    body         text        not null check (octet_length(body) <= 262144),
    note         text        not null default '',
    search       tsvector    not null default '',
    created_by   bigint      not null references people,
    created_at   timestamptz not null default now(),
    saved_by     bigint      not null references people,
    saved_at     timestamptz not null default now(),
    submitted_by bigint references people,
    submitted_at timestamptz,
    returned     text        not null default '', -- why it was last returned
    published_by bigint references people,
    published_at timestamptz,
    unique (entry_id, number),
    check (state = 'draft' or note <> ''),
    check ((state in ('published', 'superseded')) = (published_at is not null))
);
create unique index one_open_version on versions (entry_id) where state in ('draft', 'in-review', 'approved');
create unique index one_published_version on versions (entry_id) where state = 'published';
create index versions_search on versions using gin (search) where state = 'published';

create table blanks (
    version_id    bigint  not null references versions on delete cascade,
    position      int     not null,
    name          text    not null check (name ~ '^[a-z][a-z0-9_]{0,39}$'),
    ask           text    not null default '',
    hint          text    not null default '',
    type          text    not null default ''
                  check (type in ('', 'line', 'text', 'number', 'yes-no', 'date', 'pick', 'pick-many')),
    options       text[]  not null default '{}',
    default_value jsonb,
    optional      boolean not null default false,
    sample        jsonb,
    least         double precision,
    most          double precision,
    primary key (version_id, position),
    unique (version_id, name)
);

create table labels (
    version_id bigint not null references versions on delete cascade,
    facet      text   not null,
    term       text   not null,
    position   int    not null,
    primary key (version_id, facet, term),
    foreign key (facet, term) references terms
);
create index on labels (facet, term);

-- What a version names: the entries that it includes, recommends or runs.
create table mentions (
    version_id bigint not null references versions on delete cascade,
    how        text   not null check (how in ('include', 'persona', 'style', 'sheet', 'step')),
    slug       text   not null,
    number     int    not null default 0, -- 0 follows the published version
    primary key (version_id, how, slug, number)
);
create index on mentions (slug);

-- Who wrote any of a version's text, and so may not approve it.
create table writers (
    version_id bigint not null references versions on delete cascade,
    person_id  bigint not null references people,
    primary key (version_id, person_id)
);

create table approvals (
    version_id bigint      not null references versions,
    person_id  bigint      not null references people,
    comment    text        not null default '',
    at         timestamptz not null default now(),
    primary key (version_id, person_id)
);

create table events (
    id        bigint generated always as identity primary key,
    at        timestamptz not null default now(),
    person_id bigint      not null references people,
    via       text        not null check (via in ('client', 'console', 'api', 'service')),
    action    text        not null,
    entry_id  bigint references entries,
    number    int,
    detail    jsonb       not null default '{}'
);
create index on events (entry_id, id);

-- Answers to requests that carried an Idempotency-Key. One that is still being
-- worked out has the status 0.
create table answers (
    key     text primary key, -- hash of the caller, the call and the caller's key
    request bytea       not null, -- hash of the request's body
    status  int         not null default 0,
    etag    text        not null default '',
    body    bytea       not null default '',
    at      timestamptz not null
);
create index on answers (at);

-- +goose StatementBegin
create function guard_versions() returns trigger language plpgsql as $$
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
        ('published', 'published'), ('published', 'superseded'), ('superseded', 'superseded')
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
    new.revision := old.revision + 1;
    return new;
end $$;

create function guard_parts() returns trigger language plpgsql as $$
declare
    part record := case when tg_op = 'DELETE' then old else new end;
begin
    if (select state from versions where id = part.version_id) <> 'draft' then
        raise exception 'the text of a version that is no draft is locked';
    end if;
    return part;
end $$;

create function guard_approvals() returns trigger language plpgsql as $$
begin
    if (select state from versions where id = new.version_id) <> 'in-review' then
        raise exception 'only a version in review is approved';
    end if;
    if exists (select from writers where version_id = new.version_id and person_id = new.person_id) then
        raise exception 'nobody approves a text that they wrote any of';
    end if;
    return new;
end $$;

create function guard_events() returns trigger language plpgsql as $$
begin
    raise exception 'the record of changes is only added to';
end $$;
-- +goose StatementEnd

create trigger guard before update or delete on versions for each row execute function guard_versions();
create trigger guard before insert or update or delete on blanks for each row execute function guard_parts();
create trigger guard before insert or update or delete on labels for each row execute function guard_parts();
create trigger guard before insert or update or delete on writers for each row execute function guard_parts();
create trigger guard before insert or update on approvals for each row execute function guard_approvals();
create trigger guard before update or delete on events for each row execute function guard_events();
create trigger guard_all before truncate on events for each statement execute function guard_events();

-- search_query asks for every word, in any of its forms or as the beginning of a word.
create function search_query(words text[]) returns tsquery language sql immutable
return (
    select string_agg('(' || (to_tsquery('english', word || ':*') || to_tsquery('simple', word || ':*'))::text || ')', ' & ')
    from unnest(words) word
)::tsquery;

-- +goose StatementBegin
create function search_text(words text, weight "char") returns tsvector language sql immutable
return setweight(to_tsvector('english', words) || to_tsvector('simple', words), weight);
-- +goose StatementEnd

-- Everything about a version that is read together.
create view whole_versions as
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

-- +goose Down
drop view whole_versions;
drop table answers, events, approvals, writers, mentions, labels, blanks, versions, entries, failed_sign_ins, tokens, people, terms, facets;
drop function search_text, search_query, guard_events, guard_approvals, guard_parts, guard_versions;
