package testdb

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// large makes published entries out of the lines and words of the library's own, with
// terms of four facets, ten each. They are the same each time.
const large = `
insert into moving_in values (pg_current_xact_id());
insert into facets (name, title, position) select 'facet-' || f, 'Facet ' || f, 100 + f from generate_series(0, 3) f on conflict do nothing;
insert into terms (facet, name, title, position)
select 'facet-' || f, 'term-' || t, 'Term ' || t, t from generate_series(0, 3) f, generate_series(0, 9) t on conflict do nothing;

create temporary table lines as
select row_number() over (order by line) - 1 as n, line
from (select distinct regexp_split_to_table(body, E'\n') as line from versions where published_at is not null) l
where length(line) between 30 and 120;
create temporary table vocabulary as
select row_number() over (order by word) - 1 as n, word
from (select distinct lower((regexp_matches(line, '[A-Za-z]{4,}', 'g'))[1]) as word from lines) w;

with made as (
    insert into entries (slug, kind, owner_id, created_by)
    select 'made-' || n, (array['prompt', 'persona', 'style', 'snippet', 'sheet', 'relay'])[1 + n %% 6], p.id, p.id
    from generate_series(%[1]d, %[2]d - 1) n, (select min(id) as id from people) p
    returning id, substr(slug, 6)::int as n, owner_id
),
texts as (
    select m.*, array(select word from vocabulary) as words, array(select line from lines) as lines from made m
)
insert into versions (entry_id, number, state, note, submitted_at, submitted_by, published_at, published_by, title, summary, body, created_by, saved_by)
select id, 1, 'published', 'First.', now(), owner_id, now(), owner_id,
       (select initcap(string_agg(words[1 + abs(hashint4(n * 31 + i)) %% array_length(words, 1)], ' ')) from generate_series(1, 4) i),
       (select lines[1 + abs(hashint4(n * 17 + 5)) %% array_length(lines, 1)]),
       (select left(string_agg(lines[1 + abs(hashint4(n * 101 + i)) %% array_length(lines, 1)], E'\n'), %[3]d) from generate_series(1, 1 + %[3]d / 50) i),
       owner_id, owner_id
from texts;

insert into labels (entry_id, facet, term, position)
select e.id, 'facet-' || f, 'term-' || abs(hashint4((e.id * 7 + f)::int)) %% 10, 1
from entries e, generate_series(0, 3) f
where e.slug like 'made-%%'
on conflict do nothing;
drop table lines, vocabulary;
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
	_, err = conn.Exec(ctx, "vacuum (analyze)")
	return err
}
