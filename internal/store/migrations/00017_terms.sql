-- Terms under others, terms that nobody chooses any more, and terms that became part of
-- another: what was called by their names is called by its name.

-- +goose Up
alter table terms
    add under   text,
    add retired boolean not null default false,
    add foreign key (facet, under) references terms (facet, name) on update cascade,
    add check (under <> name);
create table past_terms (
    facet text not null,
    name  text not null,
    term  text not null, -- what it is now
    primary key (facet, name),
    foreign key (facet, term) references terms (facet, name) on update cascade
);
create index on past_terms (facet, term);

-- Changes of many labels at once, as long as they can be undone.
create table label_changes (
    id        uuid primary key,
    person_id bigint      not null references people,
    at        timestamptz not null,
    change    jsonb       not null
);
create index on label_changes (at);
insert into schema_needs values (17, 16);

-- +goose Down
delete from schema_needs where migration = 17;
drop table label_changes, past_terms;
alter table terms drop under, drop retired;
