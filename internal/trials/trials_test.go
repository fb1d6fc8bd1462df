package trials_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/trial"
	"goldshelf/internal/asking"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
)

// world is a library with a connection to the simulated models, and trials.
type world struct {
	*testdb.Models
	trials *trials.Service
}

func newWorld(t *testing.T) *world {
	t.Helper()
	w := &world{Models: databases.Models(t, nil)}
	w.trials = trialsOf(w.DB, w.Asking)
	w.Publish(testdb.Prompt("notice", "Write about the burst main in {{area}}. Use at most 80 words.\n"),
		api.NewEntry{Slug: "names-it", Content: entry.Content{Kind: entry.Prompt, Title: "Does it name a street", Summary: "Says whether a text names a street.",
			Labels: map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
			Blanks: []fill.Blank{{Name: "reply", Type: fill.LongText}}, Body: "Does this text name a street? Answer yes or no.\n\n---\n{{reply}}\n---\n"}})
	return w
}

func trialsOf(db *work.DB, a *asking.Asking) *trials.Service {
	return trials.New(db, texts.New(db), texts.NewStyles(), a)
}

// second is another service on the same library.
func (w *world) second() (*asking.Asking, *trials.Service) {
	db := w.Second()
	a := w.AskingOf(db)
	return a, trialsOf(db, a)
}

// ask asks for what is due, until nothing is, and looks at what has come.
func ask(t *testing.T, a *asking.Asking, s *trials.Service) (asked int) {
	t.Helper()
	for {
		due := testdb.AskDue(t, a)
		asked += due
		looked, err := s.Look(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if due+looked == 0 {
			return asked
		}
	}
}

func fills(n int) (all []trial.TestFill) {
	for i := range n {
		all = append(all, trial.TestFill{Name: fmt.Sprintf("street %d", i+1), Values: fill.Values{"area": fill.Single(fmt.Sprintf("Mill Lane %d", i+1))}})
	}
	return all
}

func most(n float64) *float64 { return &n }

func bed(n int) trial.Bed {
	return trial.Bed{Fills: fills(n), Expectations: []trial.Expectation{{Kind: trial.Holds, Text: "Mill Lane"}, {Kind: trial.Words, Most: most(400)}}}
}

func (w *world) setBed(t *testing.T, b trial.Bed) {
	t.Helper()
	was, err := w.trials.TestBed(t.Context(), w.By("contributor"), "notice")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.trials.SetTestBed(t.Context(), w.By("contributor"), "notice", was.Number, b); err != nil {
		t.Fatal(err)
	}
}

func (w *world) trial(t *testing.T, id string) api.Trial {
	t.Helper()
	got, err := w.trials.Trial(t.Context(), w.By("contributor"), id)
	if err != nil {
		t.Fatal(err)
	}
	return got
}

func two() api.NewTrial {
	return api.NewTrial{Title: "Two", SetUps: []trial.SetUp{{Model: "heron-2"}, {Model: "heron-2", Persona: "none"}}, Times: 2}
}

func TestATrial(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	w.setBed(t, bed(3))
	estimate, err := w.trials.Estimate(ctx, by, "notice", two())
	if err != nil || estimate.Replies != 12 || estimate.TokensIn < 12*10 || estimate.TokensOut < 12*50 || estimate.Cost != nil {
		t.Errorf("%+v, %v", estimate, err)
	}
	begun, err := w.trials.Start(ctx, by, "notice", two())
	if err != nil || begun.State != "running" || begun.Awaited != 12 || len(begun.Cells) != 6 || begun.Cells[0].Awaited != 2 {
		t.Fatalf("%+v, %v", begun, err)
	}
	if n := ask(t, w.Asking, w.trials); n != 12 {
		t.Errorf("%d were asked", n)
	}
	got := w.trial(t, begun.ID)
	if got.State != "ended" || got.Done != 12 || got.Unchecked != 0 || len(got.Figures.Rates) != 6 || got.Cells[5].Known != 2 || got.Cells[5].ByEach[0] != 2 {
		t.Errorf("%+v", got)
	}
	if r := got.Figures.Rates[0]; r.Expectation != trial.Every || r.Of != 6 || r.Fills != 3 || r.Interval.Low <= 0 {
		t.Errorf("%+v", r)
	}
	if len(got.Sentences) != 3 || !strings.Contains(got.Sentences[0].Text.String(), "too few to tell") {
		t.Errorf("%+v", got.Sentences)
	}
	cell, err := w.trials.Cell(ctx, by, begun.ID, 2, 1)
	if err != nil || len(cell.Replies) != 2 || !strings.Contains(cell.Messages[len(cell.Messages)-1].Text, "Mill Lane 3") || len(cell.Replies[0].Outcomes) != 2 {
		t.Fatalf("%+v, %v", cell, err)
	}
	first := cell.Replies[0]
	if o := first.Outcomes[0]; o.State != trial.Met || len(o.At) == 0 || first.Text[o.At[0].Start:o.At[0].End] != "Mill Lane" || first.Words < 10 {
		t.Errorf("%+v", first)
	}
	// What was found is kept so that everyone reads it in their language.
	if note := first.Outcomes[1].Note; !strings.HasSuffix(note.In(message.German), " Wörter") || !strings.HasSuffix(note.String(), " words") {
		t.Errorf("of the words it says %q in German, and %q", note.In(message.German), note)
	}
	if first.Text == cell.Replies[1].Text {
		t.Error("both times have the same seed")
	}
	if _, err := w.trials.Cell(ctx, by, begun.ID, 3, 0); err == nil {
		t.Error("a cell that is not there")
	}
	whole, all, err := w.trials.Replies(ctx, by, begun.ID)
	if table := string(trials.CSV(whole, all)); err != nil || strings.Count(table, "street") != 12 || !strings.HasPrefix(table, "fill,set_up,time,state,text,") || !strings.Contains(table, "holds “Mill Lane”") {
		t.Errorf("%s, %v", table, err)
	}
	list, err := w.trials.List(ctx, by, trials.Wanted{Entry: "notice"})
	if err != nil || len(list.Items) != 1 || list.Items[0].Title != "Two" || !slices.Equal(list.Items[0].SetUps, []string{"the usual persona", "no persona"}) {
		t.Errorf("%+v, %v", list, err)
	}
	if err := w.trials.Delete(ctx, by, begun.ID); err != nil || w.Count("replies") != 0 || w.Count("cells") != 0 {
		t.Errorf("%v: %d replies are left", err, w.Count("replies"))
	}
}

// A trial of many replies is asked by two services, one of which stops in the middle: nothing
// is lost, and nothing that was kept is asked again.
func TestAServiceThatStopsInATrial(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(50))
	in := two()
	in.Times = 3
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", in)
	if err != nil {
		t.Fatal(err)
	}
	due, err := w.Asking.ClaimDue(t.Context(), 100)
	if err != nil || len(due) != 100 {
		t.Fatal(len(due), err)
	}
	for _, d := range due[:40] { // the other 60 are never heard of again
		if err := w.Asking.Ask(t.Context(), d); err != nil {
			t.Fatal(err)
		}
	}
	other, looks := w.second()
	asked := ask(t, other, looks)
	w.Clock.Pass(time.Minute)
	asked += ask(t, other, looks)
	got := w.trial(t, begun.ID)
	if asked != 260 || got.Done != 300 || got.State != "ended" || got.Unchecked != 0 {
		t.Errorf("%d were asked: %+v", asked, got.TrialItem)
	}
	calls := w.StandIn.Calls()
	if len(calls) != 300 {
		t.Errorf("%d ids were asked for", len(calls))
	}
	for id, n := range calls {
		if n != 1 {
			t.Errorf("%s was asked for %d times", id, n)
		}
	}
}

func TestATrialIsStoppedAndResumed(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	w.setBed(t, bed(2))
	begun, err := w.trials.Start(ctx, by, "notice", two())
	if err != nil {
		t.Fatal(err)
	}
	var refused *entry.Refusal
	if _, err := w.trials.Stop(ctx, w.By("reviewer"), begun.ID); !errors.As(err, &refused) {
		t.Errorf("stopped by somebody else: %v", err)
	}
	// Two stop it at once, and two go on with it at once: each once.
	for _, do := range []func() error{
		func() error { _, err := w.trials.Stop(ctx, by, begun.ID); return err },
		func() error { _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{}); return err },
	} {
		for _, err := range testdb.Race(do, do) {
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if got := w.trial(t, begun.ID); got.Awaited != 8 || got.State != "running" {
		t.Errorf("%+v", got.TrialItem)
	}
	if n := ask(t, w.Asking, w.trials); n != 8 {
		t.Errorf("%d were asked", n)
	}
	w.Exec("update trials set tally = null; update replies set state = 'failed', outcomes = null where time = 2 and set_up = 0 and fill = 1")
	if got := w.trial(t, begun.ID); got.Failed != 1 || got.Cells[2].Failed != 1 {
		t.Errorf("%+v", got)
	}
	if _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{Failed: true}); err != nil {
		t.Fatal(err)
	}
	if n := ask(t, w.Asking, w.trials); n != 1 || w.trial(t, begun.ID).Done != 8 {
		t.Errorf("%d were asked again", n)
	}
}

// What is wrong is said all at once, and nothing is begun.
func TestTrialProblems(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	for name, c := range map[string]struct {
		in   api.NewTrial
		want []string
	}{
		"no test bed": {two(), []string{"/fills"}},
		"everything": {api.NewTrial{
			Fills:  []trial.TestFill{{Name: " "}, {Name: "a"}, {Name: "a"}},
			SetUps: []trial.SetUp{{}, {Model: "heron-2", Settings: endpoint.Settings{MaxTokens: -1}}}, Times: 101, Matters: 2,
			Expectations: []trial.Expectation{{Kind: "magic"}, {Kind: trial.Matches, Text: "("}, {Kind: trial.Words}, {Kind: trial.JSON, Schema: map[string]any{"type": "nonsense"}}, {Kind: trial.JSON, Schema: map[string]any{"$ref": "https://schemas.example/other.json"}}},
		}, []string{"/fills/0/name", "/fills/2/name", "/set_ups/0/model", "/set_ups/1/settings/max_tokens", "/times", "/matters", "/expectations/0/kind", "/expectations/1/text", "/expectations/2/most", "/expectations/3/schema", "/expectations/4/schema"}},
		"a million": {api.NewTrial{Fills: fills(1000), SetUps: slices.Repeat([]trial.SetUp{{Model: "heron-2"}}, 8), Times: 100}, []string{""}},
		"values that do not fit": {api.NewTrial{Fills: []trial.TestFill{{Name: "none"}, {Name: "more", Values: fill.Values{"area": fill.Single("x"), "zone": fill.Single("y")}}}, SetUps: []trial.SetUp{{Model: "heron-2"}}},
			[]string{"/fills/0/values/area"}},
		"no such blank":       {api.NewTrial{Fills: []trial.TestFill{{Name: "more", Values: fill.Values{"area": fill.Single("x"), "zone": fill.Single("y")}}}, SetUps: []trial.SetUp{{Model: "heron-2"}}}, []string{"/fills/0/values/zone"}},
		"no such model":       {api.NewTrial{Fills: fills(2), SetUps: []trial.SetUp{{Model: "swan"}, {Model: "osprey-70"}}}, []string{"/set_ups/0/model", "/set_ups/1/model"}},
		"no open version":     {api.NewTrial{Fills: fills(1), SetUps: []trial.SetUp{{Model: "heron-2", Version: "open"}, {Model: "heron-2", Version: "9"}, {Model: "heron-2", Version: "new"}}}, []string{"/set_ups/0/version", "/set_ups/1/version", "/set_ups/2/version"}},
		"no such style":       {api.NewTrial{Fills: fills(1), SetUps: []trial.SetUp{{Model: "heron-2"}}, Expectations: []trial.Expectation{{Kind: trial.Style, Text: "gold"}, {Kind: trial.ByPrompt, Text: "notice-x"}}}, []string{"/expectations/0/text", "/expectations/1/text"}},
		"no such persona":     {api.NewTrial{Fills: fills(1), SetUps: []trial.SetUp{{Model: "heron-2", Persona: "nobody"}}}, []string{"/set_ups/0/persona"}},
		"a pattern that ends": {api.NewTrial{Fills: fills(1), SetUps: []trial.SetUp{{Model: "heron-2"}}, Expectations: []trial.Expectation{{Kind: trial.Matches, Text: "(a+)+$"}}}, nil},
	} {
		_, err := w.trials.Start(ctx, by, "notice", c.in)
		var wrong problem.List
		if errors.As(err, &wrong) != (c.want != nil) {
			t.Errorf("%s: %v", name, err)
			continue
		}
		for _, field := range c.want {
			if !slices.ContainsFunc(wrong, func(p problem.Problem) bool { return p.Field == field }) {
				t.Errorf("%s: nothing is said of %s: %v", name, field, wrong)
			}
		}
	}
	if n := w.Count("trials"); n != 1 {
		t.Errorf("%d trials were begun, want the one that is right", n)
	}
	if _, err := w.trials.Start(ctx, w.By("reader"), "notice", two()); err == nil {
		t.Error("a reader begins one")
	}
}

func TestTestBeds(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := t.Context()
	var outdated *work.Outdated
	var refused *entry.Refusal
	got, err := w.trials.SetTestBed(ctx, w.By("contributor"), "notice", 0, bed(2))
	if err != nil || got.Number != 1 || fmt.Sprint(got.Says) != "[holds “Mill Lane” keeps to 400 words at most]" {
		t.Fatalf("%+v, %v", got, err)
	}
	for _, on := range []int{0, 2} {
		if _, err := w.trials.SetTestBed(ctx, w.By("curator"), "notice", on, bed(1)); !errors.As(err, &outdated) {
			t.Errorf("on %d: %v", on, err)
		}
	}
	if _, err := w.trials.SetTestBed(ctx, w.By("reader"), "notice", 1, bed(1)); !errors.As(err, &refused) {
		t.Errorf("by a reader: %v", err)
	}
	set := func() error { _, err := w.trials.SetTestBed(ctx, w.By("curator"), "notice", 1, bed(3)); return err }
	if errs := testdb.Race(set, set); (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("both at once: %v", errs)
	}
	read, err := w.trials.Fills("name,area\nA street,Mill Lane\n,Weir Road\n")
	if err != nil || len(read.Fills) != 2 || read.Fills[0].Name != "A street" || read.Fills[1].Name != "row 2" || read.Fills[1].Values["area"].String() != "Weir Road" {
		t.Errorf("%+v, %v", read, err)
	}
	for _, bad := range []string{"", "name\n\"", strings.Repeat("x", 5<<20)} {
		if _, err := w.trials.Fills(bad); err == nil {
			t.Errorf("%.20q is read", bad)
		}
	}
}

// The service looks at a reply once, whoever else does at the same time.
func TestRepliesAreLookedAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(20))
	if _, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", two()); err != nil {
		t.Fatal(err)
	}
	due, err := w.Asking.ClaimDue(t.Context(), 100)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range due {
		if err := w.Asking.Ask(t.Context(), d); err != nil {
			t.Fatal(err)
		}
	}
	_, other := w.second()
	counts := make([]int, 2)
	look := func(i int, s *trials.Service) func() error {
		return func() (err error) { counts[i], err = s.Look(context.Background()); return err }
	}
	for _, err := range testdb.Race(look(0, w.trials), look(1, other)) {
		if err != nil {
			t.Fatal(err)
		}
	}
	if counts[0]+counts[1] != len(due) {
		t.Errorf("%v of %d", counts, len(due))
	}
}

// What a whole trial sends has a limit, however few replies that is.
func TestATrialSendsSoMuchAtMost(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	long := testdb.Prompt("long", "{{area}}\n"+strings.Repeat("Say it again. ", 14_000))
	w.Publish(long)
	var wrong problem.List
	_, err := w.trials.Estimate(t.Context(), w.By("contributor"), "long", api.NewTrial{Fills: fills(400), SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if !errors.As(err, &wrong) || wrong[0].Code != "size" {
		t.Errorf("%v", err)
	}
}

// Who loses their role while a trial is planned begins none.
func TestWhoMayBeginTrials(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(1))
	ctx, by := t.Context(), w.By("contributor")
	w.Exec("update people set role = 'reader' where name = 'contributor'")
	var refused *entry.Refusal
	if _, err := w.trials.Start(ctx, by, "notice", two()); !errors.As(err, &refused) {
		t.Errorf("begun by who is a reader by now: %v", err)
	}
	if _, err := w.trials.SetTestBed(ctx, by, "notice", 1, bed(2)); !errors.As(err, &refused) {
		t.Errorf("changed by who is a reader by now: %v", err)
	}
	if n := w.Count("trials"); n != 0 {
		t.Errorf("%d trials", n)
	}
	// Nor does somebody mark who may not any more when the mark is kept.
	begun, err := w.trials.Start(ctx, w.By("curator"), "notice", api.NewTrial{Fills: fills(1), Expectations: []trial.Expectation{{Kind: trial.ByPerson, Text: "Good?"}}, SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	ask(t, w.Asking, w.trials)
	cell, err := w.trials.Cell(ctx, w.By("curator"), begun.ID, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.trials.Mark(ctx, by, begun.ID, cell.Replies[0].ID, 0, api.NewMark{Met: true}); !errors.As(err, &refused) || w.Count("marks") != 0 {
		t.Errorf("marked by who is a reader by now: %v", err)
	}
}
