-- An approval says of what it is and who made its giver's account, what a version needs
-- is fixed when it is submitted, and what an entry was in another library stands apart.

-- +goose Up
drop view if exists whole_versions; -- routines.sql makes it anew

alter table approvals
    add seen    text not null default '', -- the digest of what was read
    add made_by text not null default ''; -- who of its writers had made the giver's account, role or link, and when

alter table versions
    add seen        text  not null default '', -- the digest of what was submitted: it is that until it is a draft again
    add needed_from jsonb not null default '[]'; -- whom an approval must come from, beside approvals_needed

-- What an entry brought along of its life in another library. Nothing of it counts here.
create table elsewhere (
    entry_id bigint not null references entries on delete cascade,
    number   int    not null,
    life     jsonb  not null, -- its state, note, people and days there
    digest   text   not null, -- of what it said
    primary key (entry_id, number)
);

-- A transaction that moves a whole library in, by whoever owns the database.
create table moving_in (xid xid8 primary key);

-- +goose Down
drop view if exists whole_versions;
drop table moving_in, elsewhere;
alter table versions drop needed_from, drop seen;
alter table approvals drop seen, drop made_by;
