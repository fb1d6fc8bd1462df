package history_test

import (
	"errors"
	"fmt"
	"testing"

	"goldshelf/api"
	"goldshelf/internal/history"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// A history by pages, what changed, and from which version each line comes.
func TestHistory(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, life := history.New(w.DB), lifecycle.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Publish(in)
	for n := 2; n <= 5; n++ {
		in.Body += fmt.Sprintf("Line %d.\n", n)
		w.Save("notice", in)
		w.Review("notice")
		if _, err := life.Publish(ctx, w.By("curator"), "notice", w.Seen("notice"), nil); err != nil {
			t.Fatal(err)
		}
	}
	page, err := s.Versions(ctx, w.By("reader"), "notice", 3, "")
	if err != nil || len(page.Items) != 3 || page.Items[0].Version != 5 || page.Next == "" {
		t.Fatalf("a page: %d versions, %v", len(page.Items), err)
	}
	rest, err := s.Versions(ctx, w.By("reader"), "notice", 3, page.Next)
	if err != nil || len(rest.Items) != 2 || rest.Items[1].Version != 1 {
		t.Errorf("and the rest: %d versions, %v", len(rest.Items), err)
	}
	d, err := s.Diff(ctx, w.By("reader"), "notice", 2, 4)
	if err != nil || len(d.Lines) != 4 || d.Lines[3].Op != "added" {
		t.Errorf("2 to 4: %+v, %v", d.Lines, err)
	}
	lines, err := s.Annotate(ctx, w.By("reader"), "notice", 5)
	if err != nil || len(lines.Items) != 5 || lines.Items[0].Version != 1 || lines.Items[3].Version != 4 {
		t.Errorf("line by line: %+v, %v", lines.Items, err)
	}
	if _, err := s.Version(ctx, w.By("reader"), "notice", 9); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("a version that is not there: %v", err)
	}
}

// What is said stays with its passage; of two who settle it at once both are answered,
// and it is recorded once.
func TestComments(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, other := history.New(w.DB), history.New(w.Second())
	w.Create(testdb.Prompt("notice", "Write to {{area}}, and be kind.\n"))
	c, err := s.AddComment(ctx, w.By("reviewer"), "notice", api.NewComment{Text: "Why kind?", Version: 1})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddComment(ctx, w.By("contributor"), "notice", api.NewComment{Text: "They wait.", AnswerTo: c.ID}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddComment(ctx, w.By("second"), "notice", api.NewComment{Text: "Me too.", AnswerTo: c.ID}); err == nil {
		t.Error("someone who sees no draft of it says something of one")
	}
	before := w.Rows()["events"]
	settle := func(s *history.Service, by string) func() error {
		return func() error { _, err := s.SettleComment(ctx, w.By(by), "notice", c.ID, true); return err }
	}
	for _, err := range testdb.Race(settle(s, "reviewer"), settle(other, "contributor")) {
		if err != nil {
			t.Error(err)
		}
	}
	if n := w.Rows()["events"] - before; n != 1 {
		t.Errorf("it was settled %d times", n)
	}
	all, err := s.Comments(ctx, w.By("curator"), "notice", 0)
	if err != nil || len(all.Items) != 1 || len(all.Items[0].Answers) != 1 || all.Items[0].SettledAt == nil {
		t.Errorf("said: %+v, %v", all.Items, err)
	}
}
