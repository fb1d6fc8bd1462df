package relays_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/relays"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

type world struct {
	*testdb.Models
	relays *relays.Service
}

// newWorld has a relay: facts and dates side by side, a page out of both, and a pass over the
// page's sections.
func newWorld(t *testing.T, change func(*endpoint.Spec)) *world {
	t.Helper()
	w := &world{Models: databases.Models(t, change)}
	w.relays = relays.New(w.DB, texts.New(w.DB), w.Asking)
	w.Publish(prompt("facts", "List what is known of the tender.\n\n---\n{{tender}}\n---\n", "tender"), prompt("dates", "List the dates in the tender.\n\n---\n{{tender}}\n---\n", "tender"),
		prompt("page", "Write a page about what stands between the lines.\n\n---\n{{facts}}\n{{dates}}\n---\n\nUse the headings \"What was found\" and \"What to do\".\n", "facts", "dates"),
		prompt("plain", "Say what stands between the lines in plain words.\n\n---\n{{section_text}}\n---\n", "section_text"))
	w.Publish(w.relay("comparison", steps()...))
	return w
}

func steps() []entry.Step {
	return []entry.Step{
		{Name: "facts", Use: "facts", With: map[string]string{"tender": "{{tender}}"}},
		{Name: "dates", Use: "dates", With: map[string]string{"tender": "The tender: {{tender}}"}},
		{Name: "page", Use: "page", With: map[string]string{"facts": "{{from facts}}", "dates": "Dates: {{from dates}}"}},
		{Name: "plain", Use: "plain", Over: &entry.Over{Step: "page", Sections: "all"}},
	}
}

// prompt is one whose blanks take texts.
func prompt(slug, body string, blanks ...string) api.NewEntry {
	e := testdb.Prompt(slug, body)
	e.Blanks = nil
	for _, name := range blanks {
		e.Blanks = append(e.Blanks, fill.Blank{Name: name, Ask: "What is it?", Type: fill.LongText})
	}
	return e
}

func (w *world) relay(slug string, all ...entry.Step) api.NewEntry {
	e := testdb.Part(entry.Relay, slug, "Give the tender whole.\n")
	e.Steps = all
	return e
}

func running(values fill.Values) api.NewRun {
	seed := int64(3)
	return api.NewRun{Ref: "comparison", Values: values, Model: "heron-2", Seed: &seed}
}

var given = fill.Values{"tender": fill.Single("Two pumps by 4 May.")}

// on asks and goes on until there is nothing to do.
func (w *world) on(t *testing.T, by string, id string) api.Run {
	t.Helper()
	for {
		asked := testdb.AskDue(t, w.Asking)
		went, err := w.relays.GoOn(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if asked+went == 0 {
			break
		}
	}
	run, err := w.relays.Run(t.Context(), w.By(by), id)
	if err != nil {
		t.Fatal(err)
	}
	return run
}

func (w *world) start(t *testing.T) api.Run {
	t.Helper()
	run, err := w.relays.Start(t.Context(), w.By("reader"), running(given))
	if err != nil {
		t.Fatal(err)
	}
	return run
}

func states(r api.Run) string {
	var all []string
	for _, s := range r.Steps {
		all = append(all, s.Name+" "+s.State)
	}
	return strings.Join(all, ", ")
}

func TestARunOfARelay(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	form, err := w.relays.Form(t.Context(), w.By("reader"), "comparison", false)
	if err != nil || len(form.Blanks) != 1 || form.Blanks[0].Name != "tender" || form.Steps[3].Wave != 2 || !slices.Equal(form.Steps[2].Takes, []string{"dates", "facts"}) {
		t.Fatalf("%+v, %v", form, err)
	}
	run := w.start(t)
	if got := states(run); got != "facts asked, dates asked, page waiting, plain waiting" || run.State != "running" {
		t.Fatal(got, run.State)
	}
	if got := run.Steps[1].Replies[0].Messages[0].Text; !strings.Contains(got, "The tender: Two pumps by 4 May.") {
		t.Errorf("dates is sent %q", got)
	}
	run = w.on(t, "reader", run.ID)
	if got := states(run); run.State != "done" {
		t.Fatal(got, run.Steps[3].Problem)
	}
	sent := run.Steps[2].Replies[0].Messages[0].Text
	if !strings.Contains(sent, strings.TrimSpace(run.Steps[0].Text)) || !strings.Contains(sent, "Dates: "+strings.TrimSpace(run.Steps[1].Text)) {
		t.Errorf("the page's prompt is sent %q", sent)
	}
	plain := run.Steps[3]
	if len(plain.Replies) != 2 || plain.Replies[0].Section != "What was found" || !strings.Contains(plain.Text, "## What was found\n") || !strings.Contains(plain.Text, "## What to do\n") || plain.Changes == nil {
		t.Errorf("a pass over the sections: %+v", plain)
	}
	if run.Steps[0].Use != "facts@1" {
		t.Errorf("it uses %s, which may change", run.Steps[0].Use)
	}

	// Whose it is not does not see it, whatever their role is.
	var missing *work.Missing
	if _, err := w.relays.Run(t.Context(), w.By("curator"), run.ID); !errors.As(err, &missing) {
		t.Errorf("a colleague's run: %v", err)
	}
	if _, err := w.relays.Again(t.Context(), w.By("curator"), run.ID, "page", api.Again{}); !errors.As(err, &missing) {
		t.Errorf("a colleague's run, again: %v", err)
	}
	all, err := w.relays.Runs(t.Context(), w.By("reader"), "comparison")
	if err != nil || len(all.Items) != 1 || all.Items[0].State != "done" {
		t.Errorf("%+v, %v", all, err)
	}
	if err := w.relays.Delete(t.Context(), w.By("reader"), run.ID); err != nil {
		t.Error(err)
	}
	if _, err := w.relays.Run(t.Context(), w.By("reader"), run.ID); !errors.As(err, &missing) {
		t.Errorf("after it was deleted: %v", err)
	}
}

func TestAStepRunsAgain(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	run := w.on(t, "reader", w.start(t).ID)
	by := w.By("reader")

	again, err := w.relays.Again(t.Context(), by, run.ID, "page", api.Again{})
	if err != nil || again.Steps[2].State != "asked" || again.Steps[3].State != "done" || again.State != "running" {
		t.Fatalf("%s, %v", states(again), err)
	}
	if _, err := w.relays.Again(t.Context(), by, run.ID, "facts", api.Again{}); !hasCode(err, "running") {
		t.Errorf("a step whose reply is being used: %v", err)
	}
	again = w.on(t, "reader", run.ID)
	page, plain := again.Steps[2], again.Steps[3]
	if page.Round != 2 || len(page.Before) != 1 || page.Before[0].Text != run.Steps[2].Text || !plain.Stale || plain.Text != run.Steps[3].Text || len(again.Steps[0].Before) != 0 {
		t.Errorf("one step alone: %+v; %v", page, plain.Stale)
	}

	if _, err = w.relays.Again(t.Context(), by, run.ID, "page", api.Again{On: true}); err != nil {
		t.Fatal(err)
	}
	if again = w.on(t, "reader", run.ID); again.Steps[3].Round != 2 || again.Steps[3].Stale || again.Steps[0].Round != 1 || again.State != "done" {
		t.Errorf("from one step on: %s, %+v", states(again), again.Steps[3])
	}
	var missing *work.Missing
	if _, err := w.relays.Again(t.Context(), by, run.ID, "nothing", api.Again{}); !errors.As(err, &missing) {
		t.Errorf("a step that is not there: %v", err)
	}
}

func hasCode(err error, code string) bool {
	var wrong problem.List
	return errors.As(err, &wrong) && slices.ContainsFunc(wrong, func(p problem.Problem) bool { return p.Code == code })
}

// Two services that go on with a run at once, and somebody who runs a step again in the same
// moment, ask nothing twice.
func TestNobodyGoesOnTwice(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	second := relays.New(w.Second(), texts.New(w.Second()), w.AskingOf(w.Second()))
	run := w.start(t)
	for range 4 {
		testdb.AskDue(t, w.Asking)
		var all sync.WaitGroup
		for _, s := range []*relays.Service{w.relays, second, w.relays, second} {
			all.Go(func() {
				if _, err := s.GoOn(t.Context()); err != nil {
					t.Error(err)
				}
			})
		}
		all.Wait()
	}
	run = w.on(t, "reader", run.ID)
	if run.State != "done" {
		t.Fatal(states(run))
	}
	for _, s := range run.Steps {
		if s.Round != 1 || len(s.Before) != 0 {
			t.Errorf("%s ran %d times", s.Name, s.Round)
		}
	}
	if calls := w.StandIn.Calls(); len(calls) != 5 {
		t.Errorf("%d questions were asked: %v", len(calls), calls)
	}
}

func TestWhatKeepsARelayFromRunning(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	faulty := steps()
	faulty[0].With = map[string]string{"tender": "{{tender}}", "colour": "blue"}
	faulty[3].Use = "facts"
	w.Publish(w.relay("faulty", faulty...))
	for name, c := range map[string]struct {
		in   api.NewRun
		want []string // fields
	}{
		"nothing given":   {running(nil), []string{"/values/tender"}},
		"another blank":   {running(fill.Values{"tender": fill.Single("x"), "colour": fill.Single("x")}), []string{"/values/colour"}},
		"no model":        {api.NewRun{Ref: "comparison", Values: given}, []string{"/model"}},
		"no such model":   {api.NewRun{Ref: "comparison", Values: given, Model: "swan"}, []string{"/model"}},
		"no relay":        {api.NewRun{Ref: "facts", Values: given, Model: "heron-2"}, []string{"/ref"}},
		"prompts and all": {api.NewRun{Ref: "faulty", Values: given, Model: "heron-2"}, []string{"/steps/0/with/colour", "/steps/3/use"}},
	} {
		_, err := w.relays.Start(t.Context(), w.By("reader"), c.in)
		var wrong problem.List
		if !errors.As(err, &wrong) {
			t.Errorf("%s: %v", name, err)
			continue
		}
		for _, field := range c.want {
			if !slices.ContainsFunc(wrong, func(p problem.Problem) bool { return p.Field == field }) {
				t.Errorf("%s: nothing at %s: %v", name, field, wrong)
			}
		}
	}
	if n, err := w.relays.Runs(t.Context(), w.By("reader"), ""); err != nil || len(n.Items) != 0 {
		t.Errorf("%d runs were left half begun, %v", len(n.Items), err)
	}
}

// A run goes on with the versions that it began with, whatever becomes of them. What begins
// later is told which step cannot run.
func TestAStepRetiredMeanwhile(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	run := w.start(t)
	life, by := lifecycle.New(w.DB), w.By("curator")
	for _, slug := range []string{"comparison", "page"} {
		if _, err := life.Retire(t.Context(), by, slug, api.Retirement{Because: "It is too long."}); err != nil {
			t.Fatal(err)
		}
	}
	if run = w.on(t, "reader", run.ID); run.State != "done" {
		t.Errorf("%s: %s", states(run), run.Steps[2].Problem)
	}
	var gone *texts.Gone
	if _, err := w.relays.Start(t.Context(), w.By("reader"), running(given)); !errors.As(err, &gone) {
		t.Errorf("a relay that is retired: %v", err)
	}
	w.Create(w.relay("another", entry.Step{Name: "first", Use: "page", With: map[string]string{"facts": "{{tender}}", "dates": "none"}}))
	in := running(given)
	in.Ref, in.Open = "another", true
	if _, err := w.relays.Start(t.Context(), w.By("contributor"), in); !hasCode(err, "missing") || !strings.Contains(err.Error(), "step first: page was retired") {
		t.Errorf("a step that is retired: %v", err)
	}
}

func TestAStepThatFails(t *testing.T) {
	t.Parallel()
	w := newWorld(t, testdb.Fault("html"))
	run := w.start(t)
	for range 6 { // it is tried again, with growing pauses
		testdb.AskDue(t, w.Asking)
		w.Clock.Pass(5 * time.Minute)
	}
	run = w.on(t, "reader", run.ID)
	if run.State != "failed" || run.Steps[0].State != "failed" || run.Steps[0].Problem.IsZero() || run.Steps[2].State != "waiting" {
		t.Errorf("%s: %s", states(run), run.Steps[0].Problem)
	}
	if _, err := w.relays.Again(t.Context(), w.By("reader"), run.ID, "page", api.Again{}); !hasCode(err, "early") {
		t.Errorf("a step before those that it takes: %v", err)
	}
	if _, err := w.relays.Again(t.Context(), w.By("reader"), run.ID, "facts", api.Again{}); err != nil {
		t.Errorf("what failed, again: %v", err)
	}
}

func TestARunIsStopped(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	run := w.start(t)
	run, err := w.relays.Stop(t.Context(), w.By("reader"), run.ID)
	if err != nil || run.State != "stopped" {
		t.Fatal(states(run), err)
	}
	if run = w.on(t, "reader", run.ID); run.State != "stopped" || len(w.StandIn.Calls()) != 0 {
		t.Errorf("%s; %v was asked", states(run), w.StandIn.Calls())
	}
	if run, err = w.relays.Again(t.Context(), w.By("reader"), run.ID, "facts", api.Again{On: true}); err != nil || run.Steps[0].State != "asked" {
		t.Error(states(run), err)
	}
}

func TestARunIsSavedAndRunAgain(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	run := w.on(t, "reader", w.start(t).ID)
	for _, as := range []string{"md", "json"} {
		name, data, err := w.relays.File(t.Context(), w.By("reader"), run.ID, as, true)
		if err != nil || name != "run-of-comparison."+as || !strings.Contains(string(data), "What was found") {
			t.Fatalf("%s: %s, %v", name, data, err)
		}
		in, err := w.relays.ReadFile(data)
		if err != nil || in.Ref != "comparison@1" || !in.Values["tender"].Equal(given["tender"]) || in.Model != "heron-2" {
			t.Errorf("%+v, %v", in, err)
		}
		if again, err := w.relays.Start(t.Context(), w.By("reader"), in); err != nil || again.Ref != run.Ref {
			t.Errorf("%+v, %v", again, err)
		}
		if _, data, err = w.relays.File(t.Context(), w.By("reader"), run.ID, as, false); err != nil || strings.Contains(string(data), "What was found") {
			t.Errorf("without replies: %s, %v", data, err)
		}
	}
}

// Whoever has left has nothing more asked in their name.
func TestARunWhosePersonHasLeft(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	run := w.start(t)
	w.Exec("update people set active = false where name = 'reader'")
	run = w.on(t, "reader", run.ID)
	if got := states(run); got != "facts done, dates done, page stopped, plain stopped" || run.State != "stopped" || !strings.Contains(run.Steps[2].Problem.String(), "has left") {
		t.Errorf("%s: %s, %q", got, run.State, run.Steps[2].Problem)
	}
	if n := len(w.StandIn.Calls()); n != 2 {
		t.Errorf("%d were asked", n)
	}
}

// A relay may have 20 steps, and a pass may go over 50 sections.
func TestTheLimitsOfARelay(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	long := func(n int) (all []entry.Step) {
		all = append(all, entry.Step{Name: "step_1", Use: "facts", With: map[string]string{"tender": "{{tender}}"}})
		for i := 2; i <= n; i++ {
			all = append(all, entry.Step{Name: fmt.Sprintf("step_%d", i), Use: "facts", With: map[string]string{"tender": fmt.Sprintf("{{from step_%d}}", i-1)}})
		}
		return all
	}
	w.Publish(w.relay("long", long(20)...))
	in := running(given)
	in.Ref = "long"
	run, err := w.relays.Start(t.Context(), w.By("reader"), in)
	if err != nil {
		t.Fatal(err)
	}
	if run = w.on(t, "reader", run.ID); run.State != "done" || len(run.Steps) != 20 {
		t.Errorf("%s: %s", run.State, states(run))
	}
	w.Create(w.relay("longer", long(21)...))
	in.Ref, in.Open = "longer", true
	if _, err := w.relays.Start(t.Context(), w.By("contributor"), in); err == nil || !strings.Contains(err.Error(), "20") {
		t.Errorf("21 steps: %v", err)
	}

	run = w.on(t, "reader", w.start(t).ID)
	for sections, want := range map[int]string{50: "done", 51: "failed"} {
		page := strings.Repeat("## Part\n\nSome words.\n\n", sections)
		w.Exec(fmt.Sprintf("update run_steps set text = '%s' where run_id = '%s' and place = 2", page, run.ID))
		_, err := w.relays.Again(t.Context(), w.By("reader"), run.ID, "plain", api.Again{})
		if sections > 50 {
			if err == nil || !strings.Contains(err.Error(), "50") {
				t.Errorf("%d sections: %v", sections, err)
			}
			continue
		}
		if got := w.on(t, "reader", run.ID); err != nil || got.Steps[3].State != want {
			t.Errorf("%d sections: %s, %s, %v", sections, got.Steps[3].State, got.Steps[3].Problem, err)
		}
	}
}

// What a step sends may go nowhere that its prompt may not go, whatever the relay itself may.
func TestAStepIsSentWhereItsPromptMayGo(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.Departments = []string{"customer-care"} })
	lab := prompt("lab", "Say what the laboratory found.\n\n---\n{{found}}\n---\n", "found")
	lab.Labels["department"] = []string{"laboratory"}
	w.Publish(lab)
	for slug, use := range map[string]string{"allowed": "facts", "withheld": "lab"} {
		blank := map[string]string{"facts": "tender", "lab": "found"}[use]
		r := w.relay(slug, entry.Step{Name: "first", Use: use, With: map[string]string{blank: "{{tender}}"}})
		r.Labels = map[string][]string{"department": {"customer-care"}}
		w.Publish(r)
		in := running(given)
		in.Ref = slug
		_, err := w.relays.Start(t.Context(), w.By("reader"), in)
		if slug == "allowed" && err != nil || slug == "withheld" && (err == nil || !strings.Contains(err.Error(), "for the entries of customer-care")) {
			t.Errorf("%s: %v", slug, err)
		}
	}
}
