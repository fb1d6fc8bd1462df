-- Pictures beside an entry: drawn anew, in three sizes, by what they show.

-- +goose Up
create table pictures (
    id     text primary key check (id ~ '^[0-9a-f]{64}$'), -- a hash of the largest size
    type   text        not null check (type in ('image/png', 'image/jpeg')),
    width  int         not null,
    height int         not null,
    large  bytea       not null,
    medium bytea       not null,
    small  bytea       not null,
    at     timestamptz not null
);

alter table versions add column pictures jsonb not null default '[]' check (jsonb_array_length(pictures) <= 8);
create index on versions using gin (pictures jsonb_path_ops) where pictures <> '[]';

-- +goose StatementBegin
create function guard_pictures() returns trigger language plpgsql as $$
begin
    raise exception 'the text of a version that is no draft is locked, and its pictures with it';
end $$;
-- +goose StatementEnd
create trigger guard_pictures before update of pictures on versions for each row
when (old.state <> 'draft' and old.pictures is distinct from new.pictures) execute function guard_pictures();
insert into schema_needs values (25, 16);

-- +goose Down
delete from schema_needs where migration = 25;
drop trigger guard_pictures on versions;
drop function guard_pictures;
alter table versions drop column pictures;
drop table pictures;
