package testdb

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// large makes published entries out of the lines and words of the library's own, with
// terms of four facets, ten each. They are the same each time.
const large = `
insert into facets (name, title, position) select 'facet-' || f, 'Facet ' || f, 100 + f from generate_series(0, 3) f on conflict do nothing;
insert into terms (facet, name, title, position)
select 'facet-' || f, 'term-' || t, 'Term ' || t, t from generate_series(0, 3) f, generate_series(0, 9) t on conflict do nothing;
set session_replication_role = replica; -- what follows holds without its being checked row by row

create temporary table lines as
select (row_number() over (order by line) - 1)::int as n, line
from (select distinct regexp_split_to_table(body, E'\n') as line from versions where published_at is not null) l
where length(line) between 30 and 120;
create temporary table vocabulary as
select (row_number() over (order by word) - 1)::int as n, word
from (select distinct lower((regexp_matches(line, '[A-Za-z]{4,}', 'g'))[1]) as word from lines) w;
alter table lines add primary key (n);
alter table vocabulary add primary key (n);
analyze lines, vocabulary;

with made as (
    insert into entries (slug, kind, owner_id, created_by)
    select 'made-' || n, (array['prompt', 'persona', 'style', 'snippet', 'sheet', 'relay'])[1 + n %% 6], p.id, p.id
    from generate_series(%[1]d, %[2]d - 1) n, (select min(id) as id from people) p
    returning id, substr(slug, 6)::int as n, owner_id
),
counted as (select (select count(*) from vocabulary)::int as words, (select count(*) from lines)::int as lines)
insert into versions (entry_id, number, state, note, submitted_at, submitted_by, published_at, published_by, title, summary, body, created_by, saved_by)
select id, 1, 'published', 'First.', now(), owner_id, now(), owner_id,
       (select initcap(string_agg(v.word, ' ')) from generate_series(1, 4) i join vocabulary v on v.n = abs(hashint4(m.n * 31 + i)) %% c.words),
       (select l.line from lines l where l.n = abs(hashint4(m.n * 17 + 5)) %% c.lines),
       (select left(string_agg(l.line, E'\n'), %[3]d) from generate_series(1, 1 + %[3]d / 50) i join lines l on l.n = abs(hashint4(m.n * 101 + i)) %% c.lines),
       owner_id, owner_id
from made m, counted c;

insert into labels (entry_id, facet, term, position)
select e.id, 'facet-' || f, 'term-' || abs(hashint4((e.id * 7 + f)::int)) %% 10, 1
from entries e, generate_series(0, 3) f
where e.slug like 'made-%%'
on conflict do nothing;
insert into names select 'slug', slug, id from entries where slug like 'made-%%' on conflict do nothing;
insert into search_changes (entry_id) select id from entries where slug like 'made-%%';
drop table lines, vocabulary;
set session_replication_role = default;
`

// Large fills a library, by a connection of its owner, up to so many more entries on the
// shelf, each of some bytes. From says how many it has been filled with before.
func Large(ctx context.Context, owner string, from, to, bytes int) error {
	conn, err := pgx.Connect(ctx, owner)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, fmt.Sprintf(large, from, to, bytes)); err != nil {
		return fmt.Errorf("fill a large library: %w", err)
	}
	// What is left to be written would be in the way of whoever measures next.
	for _, s := range []string{"vacuum (analyze)", "checkpoint"} {
		if _, err := conn.Exec(ctx, s); err != nil {
			return err
		}
	}
	return nil
}
