package test

import (
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/internal/pgserver"
	"goldshelf/test/run"
)

// While one service after the other is brought up to date, the oldest program that the schema
// says can live with it works on it beside today's: each does all of an entry's life, and has
// what the other has done.
func TestAnOlderProgramLivesWithTodaysSchema(t *testing.T) {
	t.Parallel()
	program, err := run.Program("goldshelfd-oldest")
	if err != nil {
		t.Skip("there is no older program to try: this checkout has no history, see scripts/build-oldest")
	}
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	pg, err := pgserver.Start(t.Context(), dir, pgserver.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := pg.Stop(); err != nil {
			t.Error(err)
		}
	})
	serve := func(program string) *run.Service {
		t.Helper()
		s, err := run.ServeProgram(program, filepath.Join(t.TempDir(), "none"), "--database-url", pg.URL("goldshelf"))
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() {
			if err := s.Stop(); err != nil {
				t.Error(err)
			}
		})
		return s
	}
	today, err := run.Program("goldshelfd")
	if err != nil {
		t.Fatal(err)
	}
	services := map[string]*run.Service{"older": serve(program), "newer": serve(today)}
	for here, there := range map[string]string{"older": "newer", "newer": "older"} {
		slug := here + "-program"
		livesThrough(t, services[here].URL, slug)
		reader := signedIn(t, services[there].URL, "reader")
		time.Sleep(200 * time.Millisecond) // what is remembered of the shelf is older than that nowhere
		got, err := reader.Fill(t.Context(), slug, fill.Values{"area": fill.Single("Mill Lane")})
		if err != nil || got.Text != "Second text for Mill Lane.\n" {
			t.Errorf("what the %s program has published the %s one fills in as %q, %v", here, there, got.Text, err)
		}
		found, err := reader.Shelf(t.Context(), client.Query{Words: slug})
		if err != nil || found.Total == 0 || found.Items[0].Slug != slug {
			t.Errorf("the %s program does not find what the %s one has published: %+v, %v", there, here, found, err)
		}
		curator := signedIn(t, services[there].URL, "curator")
		if e, err := curator.Retire(t.Context(), slug, api.Retirement{Because: "It was a try."}); err != nil || e.State != entry.Retired {
			t.Errorf("the %s program retires what the %s one has published: %+v, %v", there, here, e.State, err)
		}
	}
	for which, s := range services {
		if v, err := signedIn(t, s.URL, "curator").VerifyAudit(t.Context(), ""); err != nil || v.Broken != 0 {
			t.Errorf("the %s program finds the record %+v, %v", which, v, err)
		}
	}
}

func signedIn(t *testing.T, at, name string) *client.Client {
	t.Helper()
	c := &client.Client{Server: at}
	if _, err := c.SignIn(t.Context(), name, demo.Password); err != nil {
		t.Fatal(err)
	}
	return c
}

// livesThrough has an entry be written, reviewed, published, spoken of and changed.
func livesThrough(t *testing.T, at, slug string) {
	t.Helper()
	ctx, author, reviewer, curator := t.Context(), signedIn(t, at, "contributor"), signedIn(t, at, "reviewer"), signedIn(t, at, "curator")
	text := func(which string) api.NewEntry {
		return api.NewEntry{Slug: slug, Content: entry.Content{
			Kind: entry.Prompt, Title: "Of a program", Summary: "It is written by one of two programs.",
			Labels: map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
			Blanks: []fill.Blank{{Name: "area", Ask: "Which streets?"}}, Body: which + " text for {{area}}.\n",
		}}
	}
	must := func(what string, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %s: %v", slug, what, err)
		}
	}
	for n, which := range []string{"First", "Second"} {
		if n == 0 {
			_, err := author.Create(ctx, text(which))
			must("create", err)
		} else {
			_, _, err := author.SaveDraft(ctx, slug, "", text(which))
			must("save", err)
		}
		e, err := author.Submit(ctx, slug, fmt.Sprintf("The %s.", which))
		must("submit", err)
		_, err = reviewer.AddComment(ctx, slug, api.NewComment{Text: which + ": read."})
		must("comment", err)
		_, err = reviewer.Approve(ctx, slug, e.Seen, "")
		must("approve", err)
		_, err = curator.Publish(ctx, slug, e.Seen)
		must("publish", err)
	}
	_, err := reviewer.Desk(ctx, 0, "")
	must("desk", err)
}
