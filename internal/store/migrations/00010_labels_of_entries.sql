-- Labels belong to entries, not to versions: relabelling makes no version, and a
-- published text is not locked by a term. What a review needs follows every label
-- and department that an entry had since it was last published.

-- +goose Up
drop view if exists whole_versions; -- routines.sql makes it anew

drop trigger guard on labels;
drop trigger guard_added on labels;
alter table labels rename to version_labels;
alter table version_labels rename constraint labels_pkey to version_labels_pkey;
create table labels (
    entry_id bigint not null references entries on delete cascade,
    facet    text   not null,
    term     text   not null,
    position int    not null,
    primary key (entry_id, facet, term),
    foreign key (facet, term) references terms on update cascade
);
create table past_labels (
    entry_id bigint not null references entries on delete cascade,
    facet    text   not null,
    term     text   not null,
    primary key (entry_id, facet, term)
);
insert into labels
select v.entry_id, l.facet, l.term, l.position
from version_labels l
join versions v on v.id = l.version_id
where v.number = (select max(number) from versions where entry_id = v.entry_id);
insert into past_labels
select distinct v.entry_id, l.facet, l.term
from version_labels l
join versions v on v.id = l.version_id and v.state = 'published'
where not exists (select from labels n where (n.entry_id, n.facet, n.term) = (v.entry_id, l.facet, l.term));
drop table version_labels;
create index on labels (facet, term);

alter table versions rename derived to indexed;

-- +goose Down
drop view if exists whole_versions;
alter table versions rename indexed to derived;
alter table labels rename to entry_labels;
alter table entry_labels rename constraint labels_pkey to entry_labels_pkey;
create table labels (
    version_id bigint not null references versions on delete cascade,
    facet      text   not null,
    term       text   not null,
    position   int    not null,
    primary key (version_id, facet, term),
    foreign key (facet, term) references terms
);
insert into labels select v.id, l.facet, l.term, l.position from entry_labels l join versions v on v.entry_id = l.entry_id;
drop table past_labels, entry_labels;
create index on labels (facet, term);
