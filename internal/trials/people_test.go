package trials_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/jobs"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// A prompt judges replies, people mark some of them, and compare others blind.
func TestPromptsAndPeopleJudge(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	b := trial.Bed{Fills: fills(4), Expectations: []trial.Expectation{{Kind: trial.ByPrompt, Text: "names-it"}, {Kind: trial.ByPerson, Text: "Would you send it?"}}}
	w.setBed(t, b)
	in := two()
	in.Times = 1
	begun, err := w.trials.Start(ctx, by, "notice", in)
	if err != nil {
		t.Fatal(err)
	}
	if n := ask(t, w.Asking, w.trials); n != 16 {
		t.Errorf("%d were asked, want 8 replies and 8 verdicts", n)
	}
	cell, err := w.trials.Cell(ctx, by, begun.ID, 0, 0)
	if err != nil || cell.Replies[0].Outcomes[0].State == trial.Unknown || cell.Replies[0].Outcomes[1].State != trial.Unknown {
		t.Fatalf("%+v, %v", cell.Replies, err)
	}
	reply := cell.Replies[0].ID
	for _, who := range []string{"contributor", "reviewer", "curator"} {
		for e := range 2 {
			if _, err := w.trials.Mark(ctx, w.By(who), begun.ID, reply, e, api.NewMark{Met: who != "curator"}); err != nil {
				t.Fatal(err)
			}
		}
	}
	got := w.trial(t, begun.ID)
	if got.Cells[0].ByEach[1] != 1 || len(got.Judges) != 1 || got.Judges[0].Marked != 1 {
		t.Errorf("%+v, %+v", got.Cells[0], got.Judges)
	}
	if cell, err = w.trials.Cell(ctx, by, begun.ID, 0, 0); err != nil || len(cell.Replies[0].Marks) != 6 || cell.Replies[0].Outcomes[1].Note.String() != "2 say yes, 1 no" {
		t.Errorf("%+v", cell.Replies[0])
	}
	if _, err := w.trials.Mark(ctx, by, begun.ID, reply, 2, api.NewMark{}); err == nil {
		t.Error("marked for what is not expected")
	}

	for _, who := range []string{"contributor", "reviewer"} {
		for left := 4; left > 0; left-- {
			p, err := w.trials.Pair(ctx, w.By(who), begun.ID)
			if err != nil || p.Left != left || p.First.Text == "" {
				t.Fatalf("%s: %+v, %v", who, p, err)
			}
			if err := w.trials.Prefer(ctx, w.By(who), begun.ID, api.NewPreference{First: p.First.ID, Second: p.Second.ID, Better: "first"}); err != nil {
				t.Fatal(err)
			}
		}
		var missing *work.Missing
		if _, err := w.trials.Pair(ctx, w.By(who), begun.ID); !errors.As(err, &missing) {
			t.Errorf("another pair: %v", err)
		}
	}
	if p := w.trial(t, begun.ID).Preference; p == nil || p.People != 2 || p.ForFirst+p.ForOther != 8 {
		t.Errorf("%+v", p)
	}
	if err := w.trials.Prefer(ctx, by, begun.ID, api.NewPreference{First: reply, Second: reply, Better: "first"}); err == nil {
		t.Error("preferred to itself")
	}
}

// The policy asks for a trial of exactly the text, against the test bed as it is.
func TestAPolicyAsksForATrial(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	life, write := lifecycle.New(w.DB), writing.New(w.DB)
	draft := testdb.Prompt("again", "Write about the burst main in {{area}}, again. Use at most 80 words.\n")
	w.Create(draft)
	if _, err := lifecycle.New(w.DB).SetPolicy(ctx, w.By("curator"), 0, check.Policy{Review: entry.Reviewing{Rules: []entry.ReviewRule{{Approvals: 1, Trial: 0.5}}}}); err != nil {
		t.Fatal(err)
	}
	submit := func(want string) {
		t.Helper()
		_, err := life.Submit(ctx, by, "again", "Shorter.")
		var stopped *texts.Stopped
		switch {
		case want == "" && err != nil:
			t.Errorf("submitted: %v", err)
		case want != "" && (!errors.As(err, &stopped) || !strings.Contains(err.Error(), want)):
			t.Errorf("submitted: %v, want %s", err, want)
		}
	}
	setBed := func(b trial.Bed) {
		t.Helper()
		was, err := w.trials.TestBed(ctx, by, "again")
		if err == nil {
			_, err = w.trials.SetTestBed(ctx, by, "again", was.Number, b)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	run := func(in api.NewTrial) {
		t.Helper()
		in.SetUps, in.Times = []trial.SetUp{{Model: "heron-2", Version: "open"}}, 2
		if _, err := w.trials.Start(ctx, by, "again", in); err != nil {
			t.Fatal(err)
		}
		ask(t, w.Asking, w.trials)
	}
	submit("none has ended")
	// Another bed than the entry's is not enough, nor is one that is hardly met.
	setBed(trial.Bed{Fills: fills(8), Expectations: []trial.Expectation{{Kind: trial.Holds, Text: "zebra"}}})
	run(api.NewTrial{Fills: fills(9), Expectations: []trial.Expectation{{Kind: trial.Words, Least: most(1)}}})
	submit("none has ended")
	run(api.NewTrial{})
	submit("reaches 0.00")
	setBed(bed(8))
	submit("none has ended")
	run(api.NewTrial{})
	// One more word, and it is another text.
	d, err := write.Draft(ctx, by, "again")
	if err != nil {
		t.Fatal(err)
	}
	changed := draft
	changed.Body += "Be kind.\n"
	if d, err = write.SaveDraft(ctx, by, "again", d.Revision, changed); err != nil {
		t.Fatal(err)
	}
	submit("none has ended")
	if _, err = write.SaveDraft(ctx, by, "again", d.Revision, draft); err != nil {
		t.Fatal(err)
	}
	submit("")
}

// A trial is seen by whoever may see its versions.
func TestWhoSeesTrials(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	w.setBed(t, bed(1))
	shelf, err := w.trials.Start(ctx, by, "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	w.Create(testdb.Prompt("draft", "Write about {{area}}, again.\n"))
	draft, err := w.trials.Start(ctx, by, "draft", api.NewTrial{Fills: fills(1), Expectations: bed(1).Expectations, SetUps: []trial.SetUp{{Model: "heron-2", Version: "open"}}})
	if err != nil {
		t.Fatal(err)
	}
	for who, sees := range map[string][]bool{"reader": {true, false}, "reviewer": {true, true}, "curator": {true, true}, "contributor": {true, true}} {
		for i, id := range []string{shelf.ID, draft.ID} {
			if _, err := w.trials.Trial(ctx, w.By(who), id); (err == nil) != sees[i] {
				t.Errorf("%s and trial %d: %v", who, i, err)
			}
		}
		list, err := w.trials.List(ctx, w.By(who), trials.Wanted{})
		if want := map[bool]int{true: 2, false: 1}[sees[1]]; err != nil || len(list.Items) != want {
			t.Errorf("%s sees %d trials, %v", who, len(list.Items), err)
		}
	}
	for _, id := range []string{"", "x", "00000000-0000-0000-0000-000000000000"} {
		var missing *work.Missing
		if _, err := w.trials.Trial(ctx, by, id); !errors.As(err, &missing) {
			t.Errorf("%q: %v", id, err)
		}
	}
}

// A reply to each row of a table, for whoever asked alone, and for 30 days.
func TestRowsToReplies(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, reader := t.Context(), w.By("reader")
	in := api.NewTrial{Title: "streets.csv", Private: true, Fills: fills(5), SetUps: []trial.SetUp{{Model: "heron-2"}}}
	in.Fills[2].Name = "Mill/Lane: \\3?"
	begun, err := w.trials.Start(ctx, reader, "notice", in)
	if err != nil || !begun.Private || !begun.MayChange {
		t.Fatalf("%+v, %v", begun, err)
	}
	ask(t, w.Asking, w.trials)
	for _, who := range []string{"curator", "contributor"} {
		var missing *work.Missing
		if _, err := w.trials.Trial(ctx, w.By(who), begun.ID); !errors.As(err, &missing) {
			t.Errorf("%s sees it: %v", who, err)
		}
		if list, err := w.trials.List(ctx, w.By(who), trials.Wanted{Entry: "notice"}); err != nil || len(list.Items) != 0 {
			t.Errorf("%s lists %+v, %v", who, list, err)
		}
	}
	whole, all, err := w.trials.Replies(ctx, reader, begun.ID)
	if err != nil || len(all) != 5 || len(whole.Says) != 0 {
		t.Fatalf("%+v, %v", all, err)
	}
	data, err := trials.Zip(whole, all)
	if err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) != 5 || z.File[2].Name != "0003 Mill Lane   3.md" {
		t.Errorf("%v: %+v", err, z.File[2].Name)
	}
	w.Clock.Pass(31 * 24 * time.Hour)
	if err := jobs.Clean(ctx, w.DB); err != nil {
		t.Fatal(err)
	}
	if n := w.Count("trials"); n != 0 {
		t.Errorf("%d are there after 30 days", n)
	}
}

// A pass that rests on what people say is gone once they are of two minds.
func TestAPassIsUnmadeByMarks(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	w.setBed(t, trial.Bed{Fills: fills(6), Expectations: []trial.Expectation{{Kind: trial.ByPerson, Text: "Would you send it?"}}})
	begun, err := w.trials.Start(ctx, by, "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	ask(t, w.Asking, w.trials)
	mark := func(who string, fill int, met bool) {
		t.Helper()
		cell, err := w.trials.Cell(ctx, by, begun.ID, fill, 0)
		if err == nil {
			_, err = w.trials.Mark(ctx, w.By(who), begun.ID, cell.Replies[0].ID, 0, api.NewMark{Met: met})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	for fill := range 6 {
		if n := w.Count("passes"); n != 0 {
			t.Fatalf("%d passes after %d marks", n, fill)
		}
		mark("contributor", fill, true)
	}
	if n := w.Count("passes"); n != 1 {
		t.Fatalf("%d passes once all is marked", n)
	}
	mark("reviewer", 0, false) // yes and no: nobody knows
	if n := w.Count("passes"); n != 0 {
		t.Errorf("%d passes while people are of two minds", n)
	}
	mark("curator", 0, true)
	if n := w.Count("passes"); n != 1 {
		t.Errorf("%d passes once most say yes", n)
	}
	// Two mark at once: both are kept.
	cell, err := w.trials.Cell(ctx, by, begun.ID, 1, 0)
	if err != nil {
		t.Fatal(err)
	}
	says := func(who string) func() error {
		return func() error {
			_, err := w.trials.Mark(ctx, w.By(who), begun.ID, cell.Replies[0].ID, 0, api.NewMark{Met: false})
			return err
		}
	}
	for _, err := range testdb.Race(says("reviewer"), says("curator")) {
		if err != nil {
			t.Error(err)
		}
	}
	if got := w.trial(t, begun.ID); got.Cells[1].Met != 0 || got.Cells[1].Known != 1 || w.Count("passes") != 1 {
		t.Errorf("%+v", got.Cells[1])
	}
}

// A verdict that failed is asked for again, and then counts.
func TestAVerdictThatFailedIsAskedForAgain(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	w.setBed(t, trial.Bed{Fills: fills(2), Expectations: []trial.Expectation{{Kind: trial.ByPrompt, Text: "names-it"}}})
	begun, err := w.trials.Start(ctx, by, "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	testdb.AskDue(t, w.Asking)
	if _, err := w.trials.Look(ctx); err != nil {
		t.Fatal(err)
	}
	w.Exec("update replies set state = 'failed', problem = 'it has fallen over', ended_at = now() where judges is not null")
	if n := ask(t, w.Asking, w.trials); n != 0 {
		t.Errorf("%d are asked by themselves", n)
	}
	got := w.trial(t, begun.ID)
	cell, err := w.trials.Cell(ctx, by, begun.ID, 0, 0)
	if err != nil || got.Failed != 2 || got.Cells[0].Known != 0 || !strings.Contains(cell.Replies[0].Outcomes[0].Note.String(), "fallen over") {
		t.Errorf("%+v, %+v, %v", got.TrialItem, cell.Replies[0].Outcomes, err)
	}
	if _, err := w.trials.Resume(ctx, by, begun.ID, api.ResumeTrial{Failed: true}); err != nil {
		t.Fatal(err)
	}
	if n := ask(t, w.Asking, w.trials); n != 2 {
		t.Errorf("%d are asked again", n)
	}
	if got = w.trial(t, begun.ID); got.Failed != 0 || got.Cells[0].Known != 1 || got.Cells[1].Known != 1 {
		t.Errorf("%+v", got.Cells)
	}
}

// A prompt that judges may be gone, be asked of no model, or have no place for a reply: that is
// said with each reply, and holds up nothing.
func TestAPromptThatCannotJudge(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx, by := t.Context(), w.By("contributor")
	two := testdb.Prompt("two-blanks", "Does {{area}} stand in {{text}}? Yes or no.\n")
	two.Blanks = append(two.Blanks, fill.Blank{Name: "text", Ask: "Which text?", Sample: fill.Single("x")})
	w.Publish(two)
	for name, c := range map[string]struct {
		e    trial.Expectation
		gone bool
		note string
	}{
		"no place for a reply": {trial.Expectation{Kind: trial.ByPrompt, Text: "two-blanks"}, false, "no blank for the reply alone"},
		"a line is not enough": {trial.Expectation{Kind: trial.ByPrompt, Text: "notice"}, false, "cannot be filled in"},
		"gone by now":          {trial.Expectation{Kind: trial.ByPrompt, Text: "names-it"}, true, "cannot be asked"},
	} {
		begun, err := w.trials.Start(ctx, by, "notice", api.NewTrial{Fills: fills(1), Expectations: []trial.Expectation{c.e, {Kind: trial.Holds, Text: "Mill"}}, SetUps: []trial.SetUp{{Model: "heron-2"}}})
		if err != nil {
			t.Fatal(name, err)
		}
		if c.gone {
			if _, err := lifecycle.New(w.DB).Retire(ctx, w.By("curator"), "names-it", api.Retirement{Because: "Not needed."}); err != nil {
				t.Fatal(err)
			}
		}
		ask(t, w.Asking, w.trials)
		cell, err := w.trials.Cell(ctx, by, begun.ID, 0, 0)
		if err != nil || len(cell.Replies[0].Outcomes) != 2 {
			t.Fatalf("%s: %+v, %v", name, cell, err)
		}
		if o := cell.Replies[0].Outcomes; o[0].State != trial.Unknown || !strings.Contains(o[0].Note.String(), c.note) || o[1].State != trial.Met {
			t.Errorf("%s: %+v", name, o)
		}
	}
}

// A reply goes to a prompt that judges only where both that and what is tried may go.
func TestAReplyIsJudgedWhereItMayGo(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	judge := testdb.Prompt("of-the-lab", "Is this kind? Answer yes or no.\n\n---\n{{reply}}\n---\n")
	judge.Labels["department"] = []string{"laboratory"}
	judge.Blanks = []fill.Blank{{Name: "reply", Type: fill.LongText}}
	w.Publish(judge)
	w.setBed(t, trial.Bed{Fills: fills(1), Expectations: []trial.Expectation{{Kind: trial.ByPrompt, Text: "of-the-lab"}}})
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	testdb.AskDue(t, w.Asking)
	w.Exec(`update connections set details = jsonb_set(details, '{departments}', '["laboratory"]')`)
	if n := ask(t, w.Asking, w.trials); n != 0 {
		t.Errorf("%d were asked", n)
	}
	cell, err := w.trials.Cell(t.Context(), w.By("contributor"), begun.ID, 0, 0)
	if err != nil || !strings.Contains(cell.Replies[0].Outcomes[0].Note.String(), "it is for the entries of laboratory") {
		t.Errorf("%+v, %v", cell.Replies, err)
	}
}
