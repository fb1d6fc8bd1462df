-- Prompts of the library help whoever writes a draft: what comes back is a proposal, and which
-- model helped with which version is kept.

-- +goose Up
alter table entries drop constraint entries_helps_check,
    add constraint entries_helps_check check (helps in ('', 'draft', 'refinement', 'editing'));

create table helped (
    entry_id bigint      not null references entries on delete cascade,
    number   int         not null, -- of the version
    model    text        not null,
    helper   text        not null, -- the prompt and its version, as improve-a-prompt@2
    by       bigint      references people,
    at       timestamptz not null,
    primary key (entry_id, number, model, helper)
);
insert into schema_needs values (35, 28);

-- +goose Down
delete from schema_needs where migration = 35;
update entries set helps = '' where helps = 'editing';
drop table helped;
alter table entries drop constraint entries_helps_check,
    add constraint entries_helps_check check (helps in ('', 'draft', 'refinement'));
