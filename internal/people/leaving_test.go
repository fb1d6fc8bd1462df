package people_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/audit"
	"goldshelf/internal/history"
	"goldshelf/internal/notify"
	"goldshelf/internal/ownership"
	"goldshelf/internal/people"
	"goldshelf/internal/shelf"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Whatever the database has of people is listed: what becomes of it when they are deleted, and
// what they are told of it. What is listed can be read.
func TestEveryTraceOfAPersonIsListed(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	var there []string
	w.Select(&there, `
		select c.conrelid::regclass || '.' || a.attname
		from pg_constraint c
		join pg_attribute a on a.attrelid = c.conrelid and a.attnum = any (c.conkey)
		where c.contype = 'f' and c.confrelid = 'people'::regclass`)
	listed := map[string]bool{}
	for _, trace := range store.Traces() {
		name := trace.Table + "." + trace.Column
		if listed[name] {
			t.Errorf("%s is listed twice", name)
		}
		listed[name] = true
		if !slices.Contains(there, name) {
			t.Errorf("%s is listed, and names nobody", name)
		}
		if trace.Kind == "" {
			continue
		}
		if _, err := work.See(t.Context(), w.DB, func(v work.View) (store.Traced, error) { return v.Traced(trace, 1, 0) }); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, name := range there {
		if !listed[name] {
			t.Errorf("%s is of people: list in store.Traces what becomes of it", name)
		}
	}
}

// leaver adds someone who has worked in the library, been worked with, and left, with nothing
// of theirs left to own.
func leaver(t *testing.T, w *testdb.World, name, fullName string) {
	t.Helper()
	ctx, all, curator := t.Context(), people.New(w.DB), w.By("curator")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(all.AddWithPassword(ctx, api.Person{Name: name, FullName: fullName, Role: entry.Reviewer, Department: "laboratory"}, "a long password of theirs"))
	session, err := all.SignIn(ctx, people.Origin{Address: "192.0.2.7", Agent: "a browser of " + fullName}, api.Credentials{Name: name, Password: "a long password of theirs"})
	must(err)
	by, _, err := all.Holder(ctx, session.Token, work.ViaAPI)
	must(err)
	slug := "of-" + fmt.Sprint(by.ID)
	w.Publish(testdb.Prompt(slug, "One.\n"))
	_, err = history.New(w.DB).AddComment(ctx, by, slug, api.NewComment{Text: "I have read it."})
	must(err)
	_, err = ownership.New(w.DB).Transfer(ctx, curator, slug, name)
	must(err)
	_, err = ownership.New(w.DB).Transfer(ctx, by, slug, "second")
	must(err)
	_, err = ownership.New(w.DB).Accept(ctx, w.By("second"), slug)
	must(err)
	_, err = ownership.New(w.DB).SetOwners(ctx, curator, slug, api.Owners{Deputy: &name})
	must(err)
	must(shelf.New(w.DB, nil, nil).Favour(ctx, by, slug, true))
	must(notify.New(w.DB, nil).Follow(ctx, w.By("reader"), api.Follow{What: "person", Name: name}, true))
	_, _ = all.SignIn(ctx, people.Origin{Address: "192.0.2.7"}, api.Credentials{Name: name, Password: "another password"})
	left := false
	_, err = all.Change(ctx, curator, name, api.PersonChange{Active: &left})
	must(err)
}

// Who is deleted is named nowhere in the database any more, and what they did stays; the record
// of changes still holds, whoever was deleted before and after them.
func TestWhoIsDeletedIsNamedNowhere(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	all := people.New(w.DB)
	leaver(t, w, "zebedee", "Zebedee Quill")
	leaver(t, w, "xanthe", "Xanthe Orr")
	// One record names both of them.
	w.Exec(`set goldshelf.callers = ''; insert into events (at, via, action, detail) values (now(), 'service', 'change-owners', '{"person": "zebedee", "deputy": "xanthe"}')`)
	comments := w.Count("comments")
	for n, name := range []string{"zebedee", "xanthe"} {
		if err := all.Delete(t.Context(), w.By("curator"), name); err != nil {
			t.Fatal(err)
		}
		v, err := audit.Verify(t.Context(), w.DB, "")
		if err != nil || v.Broken != 0 || v.Nameless < int64(3*(n+1)) {
			t.Errorf("once %s is deleted the record is %+v, %v", name, v, err)
		}
	}
	var tables []string
	w.Select(&tables, `select tablename from pg_tables where schemaname = 'public'`)
	for _, table := range tables {
		if table == "sign_in_tries" {
			continue // addresses alone, for an hour
		}
		var rows []string
		w.Select(&rows, fmt.Sprintf(`select to_jsonb(t)::text from %q t where to_jsonb(t)::text ~* 'zebedee|quill|xanthe|orr"|192\.0\.2\.7'`, table))
		for _, row := range rows {
			t.Errorf("%s still says %s", table, row)
		}
	}
	if n := w.Count("comments"); n != comments {
		t.Errorf("%d of %d comments are left", n, comments)
	}
	list, err := all.All(t.Context(), w.By("curator"))
	if err != nil || slices.ContainsFunc(list.Items, func(c api.Colleague) bool { return strings.HasPrefix(c.Name, "left-") }) {
		t.Errorf("the people are %+v, %v", list.Items, err)
	}
	active := true
	if err := all.Delete(t.Context(), w.By("curator"), "zebedee"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("deleted once more: %v", err)
	}
	if _, err := all.Change(t.Context(), w.By("curator"), list.Items[0].Name, api.PersonChange{}); err != nil {
		t.Fatal(err)
	}
	var called []string
	w.Select(&called, `select name from people where nameless_at is not null`)
	if _, err := all.Change(t.Context(), w.By("curator"), called[0], api.PersonChange{Active: &active}); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("let in again: %v", err)
	}
	if err := all.AddWithPassword(t.Context(), api.Person{Name: "zebedee", FullName: "Another", Role: entry.Reader}, "a long password of theirs"); err != nil {
		t.Errorf("the name is not free: %v", err)
	}
}

// Whoever changes a record that was made nameless, or hides a change behind that, is found out.
func TestANamelessRecordIsStillHeldTo(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	leaver(t, w, "zebedee", "Zebedee Quill")
	if err := people.New(w.DB).Delete(t.Context(), w.By("curator"), "zebedee"); err != nil {
		t.Fatal(err)
	}
	behind := func(change string) {
		w.Exec("alter table events disable trigger guard; " + change + "; alter table events enable trigger guard")
	}
	for name, tt := range map[string][2]string{
		"another text":           {`update events set detail = detail || '{"role": "curator"}' where id = (select min(id) from events where formula = 3)`, `update events set detail = detail || '{"role": "reviewer"}' where id = (select min(id) from events where formula = 3)`},
		"one taken for nameless": {`update events set formula = 3, detail = '{}' where action = 'publish'`, `update events set formula = 2, detail = (select detail from kept where kept.id = events.id) where action = 'publish'`},
		"one more among them":    {`update events set formula = 3, nameless = (select nameless from events where formula = 3 limit 1) where action = 'publish'`, `update events set formula = 2, nameless = null where action = 'publish'`},
	} {
		w.Exec(`create table kept as select * from events`)
		behind(tt[0])
		if v, err := audit.Verify(t.Context(), w.DB, ""); err != nil || v.Broken == 0 || !strings.Contains(v.Why.String(), "was changed") {
			t.Errorf("%s: the record is %+v, %v", name, v, err)
		}
		behind(tt[1])
		if v, err := audit.Verify(t.Context(), w.DB, ""); err != nil || v.Broken != 0 {
			t.Errorf("%s, and back: the record is %+v, %v", name, v, err)
		}
		w.Exec(`drop table kept`)
	}
	if err := w.AsService(`select make_nameless((select id from people where name = 'reader'), 'x', 'X', now())`); err == nil {
		t.Error("the service makes someone nameless who has not left")
	}
	if err := w.AsService(`update events set detail = '{}', formula = 3 where id = 1`); err == nil {
		t.Error("the service changes a record")
	}
}

// Who is here, or owns something, is not deleted, and nobody but curators deletes anyone; two
// who do so at once do it once.
func TestWhoIsNotDeleted(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	all := people.New(w.DB)
	leaver(t, w, "zebedee", "Zebedee Quill")
	w.Create(testdb.Prompt("first", "One.\n"))
	left := false
	if _, err := all.Change(t.Context(), w.By("curator"), "contributor", api.PersonChange{Active: &left}); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ by, name, says string }{
		{"reviewer", "contributor", "only a curator"},
		{"curator", "reader", "has not left"},
		{"curator", "contributor", "owns entries, 1 in all"},
		{"curator", "nobody", "there is nobody called"},
	} {
		if err := all.Delete(t.Context(), w.By(tt.by), tt.name); err == nil || !strings.Contains(err.Error(), tt.says) {
			t.Errorf("%s deletes %s: %v, want %q", tt.by, tt.name, err, tt.says)
		}
	}
	del := func() error { return all.Delete(t.Context(), w.By("curator"), "zebedee") }
	done := 0
	for _, err := range testdb.Race(del, del) {
		switch {
		case err == nil:
			done++
		case !errors.Is(err, work.ErrNotFound):
			t.Error(err)
		}
	}
	if done != 1 {
		t.Errorf("deleted %d times", done)
	}
	var wrong problem.List
	if err := all.Delete(t.Context(), w.By("curator"), "reader"); !errors.As(err, &wrong) {
		t.Errorf("of whoever is here it gives %v", err)
	}
}

// Everybody is told all that the library has of them, and nothing of others or secret.
func TestOnesOwnData(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	leaver(t, w, "zebedee", "Zebedee Quill")
	data, err := people.New(w.DB).DataOf(t.Context(), "zebedee")
	if err != nil {
		t.Fatal(err)
	}
	text, err := json.Marshal(data)
	if err != nil {
		t.Fatal(err)
	}
	for _, has := range []string{"Zebedee Quill", "I have read it.", `"kind":"favourites"`, `"kind":"comments"`, `"kind":"record of changes"`, "192.0.2.7"} {
		if !strings.Contains(string(text), has) {
			t.Errorf("it does not say %s:\n%s", has, text)
		}
	}
	var hashes []string
	w.Select(&hashes, `select password from people where password is not null`)
	for _, secret := range append(hashes, "hash", "One.") {
		if strings.Contains(string(text), secret) {
			t.Errorf("it says %s:\n%s", secret, text)
		}
	}
	mine, err := people.New(w.DB).Data(t.Context(), w.By("contributor"))
	if err != nil || strings.Contains(fmt.Sprint(mine), "Zebedee") || mine.Person.Name != "contributor" {
		t.Errorf("of oneself it says %+v, %v", mine, err)
	}
}
