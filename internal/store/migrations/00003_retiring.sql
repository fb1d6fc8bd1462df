-- Entries are taken off the shelf with a reason, and brought back.

-- +goose Up
alter table entries
    add retired_at      timestamptz,
    add retired_by      bigint references people,
    add retired_because text not null default '',
    add instead_id      bigint references entries check (instead_id <> id),
    add check ((retired_at is null) = (retired_by is null)),
    add check (retired_at is null or retired_because <> '');

alter table versions
    drop constraint versions_state_check,
    drop constraint versions_check1,
    add constraint versions_state_check check (state in ('draft', 'in-review', 'approved', 'published', 'superseded', 'retired')),
    add constraint versions_published_at check ((state in ('published', 'superseded', 'retired')) = (published_at is not null));
drop index one_published_version;
create unique index one_published_version on versions (entry_id) where state in ('published', 'retired');

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
    new.revision := old.revision + 1;
    return new;
end $$;
-- +goose StatementEnd
