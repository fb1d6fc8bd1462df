package store_test

import (
	"context"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/internal/store"
)

// bigLibrary has 10,000 published entries: s0 is used by three, each of them by
// three more, five deep, and all others include some snippet too.
const bigLibrary = `
insert into moving_in values (pg_current_xact_id());
insert into people (name, full_name, role) values ('writer', 'Writer', 'curator');
insert into entries (slug, kind, owner_id, created_by)
select 's' || n, 'snippet', 1, 1 from generate_series(0, 9999) n;
insert into versions (entry_id, number, state, note, published_at, title, summary, body, created_by, saved_by)
select id, 1, 'published', 'n', now(), 'Title ' || id, 'Summary', repeat('text ', 400), 1, 1 from entries;
insert into mentions (version_id, how, slug)
select v.id, 'include', 's' || case when v.id <= 364 then (v.id - 2) / 3 else 400 + v.id % 5000 end
from versions v where v.id > 1;
analyze;`

func BenchmarkUsesFiveDeep(b *testing.B) {
	url := databases.URL(b)
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, databases.Owner(url))
	if err != nil {
		b.Fatal(err)
	}
	if _, err := conn.Exec(ctx, bigLibrary); err != nil {
		b.Fatal(err)
	}
	conn.Close(ctx)
	db, err := store.Open(url)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	users, err := db.Ask(ctx, time.Now()).UsersOf("s0", true)
	if err != nil || len(users) != 363 {
		b.Fatalf("%d users, %v; want 363 = 3 + 9 + 27 + 81 + 243", len(users), err)
	}
	for b.Loop() {
		if _, err := db.Ask(ctx, time.Now()).UsersOf("s0", true); err != nil {
			b.Fatal(err)
		}
	}
}
