-- Entries that came of another: adapted for another use, or rendered for another language,
-- application or model. What somebody adapts is theirs alone until they share it.

-- +goose Up
alter table entries add column private boolean not null default false;
create index on entries (owner_id) where private;

create table origins (
    entry_id bigint primary key references entries,
    of_id    bigint      not null references entries check (of_id <> entry_id),
    how      text        not null check (how in ('adaptation', 'rendition')),
    number   int         not null, -- the version of the other that was last taken into account
    purpose  text        not null default '',
    at       timestamptz not null
);
create index on origins (of_id);

-- +goose StatementBegin
create function guard_private() returns trigger language plpgsql as $$
begin
    -- What is not shown to whoever asks is somebody's alone, too.
    if new.state <> 'draft' and not exists (select from entries where id = new.entry_id and not private) then
        raise exception 'an entry that is somebody''s alone is shared before it is reviewed';
    end if;
    return new;
end $$;
-- +goose StatementEnd
create trigger guard_private before insert or update of state on versions for each row execute function guard_private();

-- Whatever is asked, what is somebody's alone is there for them, and for what the service
-- does by itself.
alter table entries enable row level security;
alter table entries force row level security;
create policy shown on entries using (
    not private or current_setting('goldshelf.person', true) = owner_id::text or current_setting('goldshelf.person', true) = 'all'
);
insert into schema_needs values (22, 16);

-- +goose Down
delete from schema_needs where migration = 22;
drop policy shown on entries;
alter table entries disable row level security;
alter table entries no force row level security;
drop trigger guard_private on versions;
drop function guard_private;
drop table origins;
alter table entries drop column private;
