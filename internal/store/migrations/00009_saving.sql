-- A draft that is saved while someone writes is not worked through each time: what
-- it is found by follows when somebody looks, or a second later.

-- +goose Up
alter table versions
    add derived boolean not null default true, -- search and prints are those of the text
    add parts   bytea; -- a hash of its blanks, labels and what it names, as they were saved
create index on versions (id) where not derived;
create index versions_to_do on versions (state, submitted_at) where state in ('in-review', 'approved');

-- +goose Down
drop index versions_to_do;
alter table versions drop derived, drop parts;
