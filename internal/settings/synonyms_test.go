package settings_test

import (
	"errors"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/index"
	"goldshelf/internal/settings"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Words that mean the same are found at once, by any of them; two curators who change
// the lists at once do not undo each other's.
func TestSynonyms(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, finder := settings.New(w.DB), shelf.New(w.DB, texts.New(w.DB), index.New())
	w.Publish(testdb.Prompt("advert-notice", "Write an advert for {{area}}.\n"))
	finds := func(text string, want int) {
		t.Helper()
		list, err := finder.Shelf(ctx, work.Service(), shelf.Query{Text: text})
		if err != nil || list.Total != want || list.Partial {
			t.Errorf("%q finds %d, %v; want %d", text, list.Total, err, want)
		}
	}
	lists := [][]string{{"advert", "xqvacancy", "opening for a xqjob"}}
	finds("xqvacancies", 0)
	set, err := s.SetSynonyms(ctx, w.By("curator"), 1, api.Synonyms{Lists: lists})
	if err != nil || set.Number != 2 {
		t.Fatal(set, err)
	}
	finds("xqvacancies", 1)
	finds("an opening for a xqjob", 1)
	var outdated *work.Outdated
	if _, err := s.SetSynonyms(ctx, w.By("chief"), 1, api.Synonyms{}); !errors.As(err, &outdated) {
		t.Errorf("the other curator: %v", err)
	}
	if now, err := s.Synonyms(ctx); err != nil || len(now.Lists) != 1 {
		t.Errorf("the lists are %v, %v", now.Lists, err)
	}
	if _, err := s.SetSynonyms(ctx, w.By("chief"), 2, api.Synonyms{}); err != nil {
		t.Error(err)
	}
	finds("xqvacancies", 0)
	var refused *entry.Refusal
	if _, err := s.SetSynonyms(ctx, w.By("reviewer"), 3, api.Synonyms{}); !errors.As(err, &refused) {
		t.Errorf("a reviewer: %v", err)
	}
}

func TestSynonymsThatDoNotHold(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	_, err := settings.New(w.DB).SetSynonyms(ctx, w.By("curator"), 1, api.Synonyms{Lists: [][]string{
		{"alone"}, {"vacancy", "Vacancies"}, {"?!", "fine"}, {"one two three four five", "fine"}, {"two\nlines", "fine"}, {strings.Repeat("long", 20), "fine"}, make([]string, 41),
	}})
	var wrong problem.List
	if !errors.As(err, &wrong) {
		t.Fatal(err)
	}
	for _, want := range []string{"list 1 has 1", `"Vacancies" stands in list 2 already`, `"?!" in list 3 has no words`, "has 5 words", "line", "has 80 characters", "list 7 has 41"} {
		if !strings.Contains(wrong.Error(), want) {
			t.Errorf("nothing says %q: %v", want, wrong)
		}
	}
}
