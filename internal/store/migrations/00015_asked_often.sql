-- What is asked at every submission and approval: whom a review was asked of last, and who
-- made an account, gave it its role or a link.

-- +goose Up
create index versions_asked on versions ((asked[1]), submitted_at) where asked <> '{}';
create index events_made on events ((detail ->> 'person'), at)
where action in ('add-person', 'import-person', 'change-person', 'password-link');
insert into schema_needs values (15, 14);

-- +goose Down
delete from schema_needs where migration = 15;
drop index events_made, versions_asked;
