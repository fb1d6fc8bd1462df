-- The record of changes as a chain: each record carries the hash of the one
-- before it, so that none can be changed or taken out unseen. The role that the
-- service works as can add to it and do nothing else.

-- +goose Up
alter table events
    alter column id drop identity,
    alter column person_id drop not null,
    add previous bytea,
    add hash     bytea,
    add check (person_id is not null or via = 'service');

-- What a record's hash is of. It never changes: old records are held against it.
-- +goose StatementBegin
create function event_hash(previous bytea, id bigint, at timestamptz, person bigint, via text, action text, entry bigint, number int, detail jsonb)
returns bytea language sql stable
return sha256(previous || convert_to(
    jsonb_build_array(id, to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US'), person, via, action, entry, number, detail)::text, 'UTF8'));
-- +goose StatementEnd

-- A new record takes the next number, and its place at the end of the chain.
-- +goose StatementBegin
create function seal_events() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
declare
    last_id   bigint;
    last_hash bytea;
begin
    perform pg_advisory_xact_lock(7420, 1); -- one after the other, until each is committed
    select id, hash into last_id, last_hash from events order by id desc limit 1;
    new.id := coalesce(last_id, 0) + 1;
    new.previous := coalesce(last_hash, ''::bytea);
    new.hash := event_hash(new.previous, new.id, new.at, new.person_id, new.via, new.action, new.entry_id, new.number, new.detail);
    return new;
end $$;
-- +goose StatementEnd

alter table events disable trigger guard;
-- +goose StatementBegin
do $$
declare
    e record;
    n bigint := 0;
    h bytea  := '';
    p bytea;
begin
    for e in select * from events order by id loop
        n := n + 1;
        p := h;
        h := event_hash(p, n, e.at, e.person_id, e.via, e.action, e.entry_id, e.number, e.detail);
        update events set id = n, previous = p, hash = h where id = e.id;
    end loop;
end $$;
-- +goose StatementEnd
alter table events enable trigger guard;
alter table events alter column previous set not null, alter column hash set not null;
create trigger seal before insert on events for each row execute function seal_events();
create index on events (person_id, id);
create index on events (action, id);

-- Roles are the whole server's, so another library there may have made it.
-- +goose StatementBegin
do $$ begin
    create role goldshelf_service nologin;
exception
    when duplicate_object or unique_violation then null;
    when insufficient_privilege then
        raise notice 'there is no role goldshelf_service, and this one may not make it';
end $$;
-- +goose StatementEnd

-- +goose Down
drop trigger seal on events;
drop function seal_events, event_hash;
alter table events drop previous, drop hash, alter column id add generated always as identity;
