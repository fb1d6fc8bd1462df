-- What jobs could not do of the many things that they do: each is tried again later, and the
-- others are done meanwhile.

-- +goose Up
create table set_aside (
    job    text        not null,
    item   text        not null, -- what it could not do
    tries  int         not null, -- how often it was begun
    reason text        not null,
    at     timestamptz not null, -- the newest try
    until  timestamptz not null, -- when it is tried again
    primary key (job, item)
);
insert into schema_needs values (52, 36);

-- +goose Down
delete from schema_needs where migration = 52;
drop table set_aside;
