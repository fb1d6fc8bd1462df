package sheets_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/internal/gather"
	"goldshelf/internal/index"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/sheets"
	"goldshelf/internal/shelf"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

func audience(more ...string) api.NewQuestionSet {
	in := api.NewQuestionSet{Name: "audience", Title: "An audience", Groups: []sheet.Group{{Title: "Who", Questions: []sheet.Question{
		{Name: "households", Type: fill.Number}, {Name: "channels", Type: fill.PickMany, Options: []string{"post", "web"}, Optional: true},
	}}}}
	for _, name := range more {
		in.Groups[0].Questions = append(in.Groups[0].Questions, sheet.Question{Name: name, Optional: true})
	}
	return in
}

func answering(slug, set string, answers sheet.Answers) api.NewEntry {
	in := testdb.Part(entry.Sheet, slug, "Besides.\n")
	in.Set, in.Answers = set, answers
	return in
}

// A set has versions that never change, one after the other, whoever saves at once.
func TestVersionsOfASet(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := sheets.New(w.DB), w.By("curator")
	var refused *entry.Refusal
	if _, err := s.Add(ctx, w.By("reviewer"), audience()); !errors.As(err, &refused) {
		t.Errorf("by a reviewer: %v", err)
	}
	var taken *work.Taken
	errs := testdb.Race(
		func() error { _, err := s.Add(ctx, curator, audience()); return err },
		func() error { _, err := s.Add(ctx, curator, audience("more")); return err },
	)
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &taken) {
		t.Fatalf("added twice at once: %v", errs)
	}
	var outdated *work.Outdated
	errs = testdb.Race(
		func() error { _, err := s.Save(ctx, curator, "audience", 1, audience("age")); return err },
		func() error { _, err := s.Save(ctx, curator, "audience", 1, audience("income")); return err },
	)
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &outdated) {
		t.Errorf("saved on the same version at once: %v", errs)
	}
	now, err := s.Set(ctx, "audience")
	if err != nil || now.Version != 2 {
		t.Fatalf("%+v, %v", now, err)
	}
	same := api.NewQuestionSet{Title: now.Title, Groups: now.Groups}
	if again, err := s.Save(ctx, curator, "audience", 1, same); err != nil || again.Version != 2 {
		t.Errorf("sent twice: %+v, %v", again, err)
	}
	for _, statement := range []string{"update set_versions set title = 'x'", "delete from set_versions"} {
		if err := w.AsService(statement); err == nil {
			t.Errorf("the database lets the service %s", statement)
		}
	}
	var missing *work.Missing
	for _, ref := range []string{"gone", "audience@9", "audience@x", "audience@02"} {
		if _, err := s.Set(ctx, ref); !errors.As(err, &missing) {
			t.Errorf("%s: %v", ref, err)
		}
	}
}

func shelved(w *testdb.World) *shelf.Service { return shelf.New(w.DB, texts.New(w.DB), index.New()) }

// A sheet answers the version of its set that it names, also when the set has gone on:
// it says so, and a question that is gone is only missed when the sheet moves.
func TestASheetStaysAtItsVersion(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, curator := sheets.New(w.DB), w.By("curator")
	if _, err := s.Add(ctx, curator, audience("age")); err != nil {
		t.Fatal(err)
	}
	var wrong problem.List
	write := writing.New(w.DB)
	if _, err := write.Create(ctx, w.By("contributor"), answering("farms", "audience@2", nil)); !errors.As(err, &wrong) || !strings.Contains(wrong[0].Message.String(), "newest version is audience@1") {
		t.Errorf("a version that is not there: %v", err)
	}
	w.Publish(answering("farms", "audience@1", sheet.Answers{"households": fill.Single("1200"), "channels": fill.List("post", "web"), "age": fill.Single("old")}))
	filled := func() string {
		t.Helper()
		got, err := shelved(w).Fill(ctx, w.By("reader"), "farms", 0, api.FillRequest{})
		if err != nil {
			t.Fatal(err)
		}
		return got.Text
	}
	want := "## Who\n- Households: 1200\n- Channels: post and web\n- Age: old\n\nBesides.\n"
	if got := filled(); got != want {
		t.Errorf("got %q", got)
	}
	if _, err := s.Save(ctx, curator, "audience", 1, audience()); err != nil { // without age
		t.Fatal(err)
	}
	if got := filled(); got != want {
		t.Errorf("once the set has gone on: %q", got)
	}
	e, err := shelved(w).OnShelf(ctx, w.By("reader"), "farms", 0)
	if err != nil || e.SetNewest != 2 || e.Set != "audience@1" {
		t.Errorf("%+v, %v", e, err)
	}
	moved := answering("farms", "audience@2", e.Answers)
	w.Save("farms", moved)
	checked, err := write.CheckEntry(ctx, w.By("contributor"), "farms")
	if err != nil || len(checked.Findings) == 0 || !strings.Contains(checked.Findings[0].Message.String(), "audience@2 asks no question age") {
		t.Errorf("%+v, %v", checked.Findings, err)
	}
}

// A sheet cannot leave out an answer that published entries follow, whichever of the two
// is published first.
func TestFactsAreKept(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	if _, err := sheets.New(w.DB).Add(ctx, w.By("curator"), audience()); err != nil {
		t.Fatal(err)
	}
	full := sheet.Answers{"households": fill.Single("1200"), "channels": fill.List("post")}
	w.Publish(answering("farms", "audience@1", full))
	w.Publish(testdb.Prompt("letter", "Write to {{fact farms households}} homes in {{area}}.\n"), testdb.Prompt("pinned", "By {{fact farms@1 channels}} to {{area}}.\n"))
	got, err := shelved(w).Fill(ctx, w.By("reader"), "letter", 0, api.FillRequest{Values: fill.Values{"area": fill.Single("Fen End")}})
	if err != nil || got.Text != "Write to 1200 homes in Fen End.\n" || len(got.Used) != 2 {
		t.Fatalf("%+v, %v", got, err)
	}
	uses, err := shelved(w).Uses(ctx, w.By("reader"), "farms")
	if err != nil || len(uses.Items) != 2 || uses.Items[0].How != "fact" {
		t.Errorf("%+v, %v", uses, err)
	}
	approve := func(slug string, answers sheet.Answers) {
		t.Helper()
		w.Save(slug, answering(slug, "audience@1", answers))
		w.Review(slug)
	}
	life := lifecycle.New(w.DB)
	publish := func(slug string) error {
		_, err := life.Publish(ctx, w.By("curator"), slug, w.Seen(slug), nil)
		return err
	}
	approve("farms", sheet.Answers{"channels": fill.List("post")})
	var used *lifecycle.InUse
	if err := publish("farms"); !errors.As(err, &used) || len(used.Problems) != 1 || !strings.Contains(used.Problems[0].Message.String(), "letter@1") {
		t.Fatalf("without an answer that letter follows: %v", err)
	}
	if _, err := life.Retire(ctx, w.By("curator"), "farms", api.Retirement{Because: "Old."}); !errors.As(err, &used) {
		t.Errorf("retired while facts of it stand: %v", err)
	}
	// Published together with a letter that no longer follows it, it goes.
	next := testdb.Prompt("letter", "Write to homes in {{area}}.\n")
	w.Save("letter", next)
	w.Review("letter")
	if _, err := life.PublishTogether(ctx, w.By("curator"), w.AllSeen("farms", "letter"), nil); err != nil {
		t.Fatalf("together: %v", err)
	}
	// The letter follows again, and the sheet leaves the answer out, at the same moment.
	approve("farms", full)
	if err := publish("farms"); err != nil {
		t.Fatal(err)
	}
	w.Save("letter", testdb.Prompt("letter", "Write to {{fact farms households}} homes in {{area}}.\n"))
	w.Review("letter")
	approve("farms", sheet.Answers{"channels": fill.List("post")})
	seen := map[string]entry.Digest{"letter": w.Seen("letter"), "farms": w.Seen("farms")}
	race := func(slug string) func() error {
		return func() error {
			_, err := life.Publish(ctx, w.By("curator"), slug, seen[slug], nil)
			return err
		}
	}
	errs := testdb.Race(race("letter"), race("farms"))
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("at the same moment: %v", errs)
	}
}

// A prompt that wants a sheet of a set is not filled in without one.
func TestASheetIsWanted(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := sheets.New(w.DB)
	if _, err := s.Add(ctx, w.By("curator"), audience()); err != nil {
		t.Fatal(err)
	}
	wants := testdb.Prompt("letter", "Write.\n")
	wants.SheetOf = []string{"audience"}
	w.Publish(wants, answering("farms", "audience@1", sheet.Answers{"households": fill.Single("7")}), testdb.Part(entry.Sheet, "free", "Words.\n"))
	sh, reader := shelved(w), w.By("reader")
	var wrong problem.List
	for _, chosen := range [][]string{nil, {"free"}} {
		if _, err := sh.Fill(ctx, reader, "letter", 0, api.FillRequest{Sheets: chosen}); !errors.As(err, &wrong) || wrong[0].Code != "sheet-of" || !strings.Contains(wrong[0].Message.String(), "farms") {
			t.Errorf("with %q: %v", chosen, err)
		}
	}
	if got, err := sh.Fill(ctx, reader, "letter", 0, api.FillRequest{Sketch: true}); err != nil || got.Text != "Write.\n" || len(got.Problems) != 1 {
		t.Errorf("a sketch: %+v, %v", got, err)
	}
	if got, err := sh.Fill(ctx, reader, "letter", 0, api.FillRequest{Sheets: []string{"farms"}}); err != nil || got.Text != "## Who\n- Households: 7\n\nBesides.\n\nWrite.\n" {
		t.Errorf("with one: %q, %v", got.Text, err)
	}
	for words, want := range map[string]int{"": 1, "far": 1, "barns": 0} {
		if all, err := s.Sheets(ctx, reader, "audience", words); err != nil || len(all.Items) != want {
			t.Errorf("sheets by %q: %+v, %v", words, all, err)
		}
	}
}

// A library's sheets go elsewhere with the sets that they answer, as a bundle and as a
// folder; where a set of that name asks something else, that is said.
func TestSetsTravel(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	if _, err := sheets.New(w.DB).Add(ctx, w.By("curator"), audience()); err != nil {
		t.Fatal(err)
	}
	w.Publish(answering("farms", "audience@1", sheet.Answers{"households": fill.Single("7")}))
	for _, format := range []bundle.Format{bundle.JSON, bundle.Folder} {
		data, err := shelved(w).Export(ctx, w.By("curator"), shelf.Outgoing{Format: format, Slugs: []string{"farms"}})
		if err != nil {
			t.Fatal(err)
		}
		bring := func(to *testdb.World) (api.Plan, error) {
			g := gather.New(to.DB)
			plan, err := g.Create(ctx, to.By("curator"), "library", data, bundle.Reading{}, "")
			if err != nil || plan.Items[0].State == api.PlanWrong {
				return plan, err
			}
			_, err = g.Apply(ctx, to.By("curator"), plan.ID, api.ApplyRequest{Digest: plan.Digest})
			return plan, err
		}
		empty := databases.World(t, nil)
		if plan, err := bring(empty); err != nil {
			t.Fatalf("%s: %+v, %v", format, plan, err)
		}
		set, err := sheets.New(empty.DB).Set(ctx, "audience@1")
		if err != nil || len(set.Questions()) != 2 {
			t.Errorf("%s: %+v, %v", format, set, err)
		}
		other := databases.World(t, nil)
		if _, err := sheets.New(other.DB).Add(ctx, other.By("curator"), audience("more")); err != nil {
			t.Fatal(err)
		}
		plan, err := bring(other)
		if err != nil || !slices.ContainsFunc(plan.Items[0].Problems, func(p problem.Problem) bool { return p.Code == "differs" }) {
			t.Errorf("%s, where the set asks something else: %+v, %v", format, plan, err)
		}
	}
}
