package allowances_test

import (
	"errors"
	"math"
	"slices"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/core/trial"
	"goldshelf/internal/allowances"
	"goldshelf/internal/people"
	use "goldshelf/internal/register"
	"goldshelf/internal/relays"
	"goldshelf/internal/talks"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
)

type world struct {
	*testdb.Models
	allowances *allowances.Service
	talks      *talks.Service
	trials     *trials.Service
	relays     *relays.Service
}

func newWorld(t *testing.T) *world {
	t.Helper()
	m := databases.Models(t, nil)
	all := texts.New(m.DB)
	w := &world{m, allowances.New(m.DB), talks.New(m.DB, all, m.Asking), trials.New(m.DB, all, texts.NewStyles(), m.Asking), relays.New(m.DB, all, m.Asking)}
	w.Publish(testdb.Prompt("notice", "Write about the burst main in {{area}}.\n"))
	relay := testdb.Part(entry.Relay, "twice", "Both.\n")
	relay.Steps = []entry.Step{{Name: "first", Use: "notice", With: map[string]string{"area": "{{area}}"}}}
	w.Publish(relay)
	r, err := use.New(m.DB).Register(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	price := 1000.0
	if _, err := use.New(m.DB).Change(t.Context(), w.By("curator"), r.Number, "model", "heron-2", api.RegisteredChange{Details: register.Details{Status: register.Allowed, PriceIn: &price, PriceOut: &price}}); err != nil {
		t.Fatal(err)
	}
	return w
}

func words(n int64) api.SetAllowance { return api.SetAllowance{Words: &n} }

func money(n float64) api.SetAllowance { return api.SetAllowance{Money: &n} }

func (w *world) set(t *testing.T, kind, name string, in api.SetAllowance) {
	t.Helper()
	now, err := w.allowances.List(t.Context(), w.By("curator"))
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range now.All {
		if a.Kind == kind && a.Name == name {
			in.Number = a.Number
		}
	}
	if _, err := w.allowances.Set(t.Context(), w.By("curator"), kind, name, in); err != nil {
		t.Fatal(err)
	}
}

var area = fill.Values{"area": fill.Single("Mill Lane")}

func (w *world) try(t *testing.T, who string) (api.Talk, error) {
	return w.talks.Try(t.Context(), w.By(who), api.TryRequest{Ref: "notice", Values: area, Columns: []api.TryColumn{{Model: "heron-2"}}})
}

func (w *world) mine(t *testing.T, who string) api.Allowance {
	t.Helper()
	now, err := w.allowances.List(t.Context(), w.By(who))
	if err != nil || len(now.Mine) != 1 {
		t.Fatalf("%+v, %v", now, err)
	}
	return now.Mine[0]
}

func passed(err error) bool {
	var wrong problem.List
	return errors.As(err, &wrong) && slices.ContainsFunc(wrong, func(p problem.Problem) bool { return p.Code == "allowance" })
}

// What replies have used up is counted where they end, once, whatever they are of.
func TestWhatIsUsedUp(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.set(t, "person", "curator", words(100_000))
	talk, err := w.try(t, "curator")
	if err != nil {
		t.Fatal(err)
	}
	run, err := w.relays.Start(t.Context(), w.By("curator"), api.NewRun{Ref: "twice", Values: area, Model: "heron-2"})
	if err != nil {
		t.Fatal(err)
	}
	begun, err := w.trials.Start(t.Context(), w.By("curator"), "notice", api.NewTrial{Times: 2, SetUps: []trial.SetUp{{Model: "heron-2"}}, Fills: []trial.TestFill{{Name: "a", Values: area}}, Expectations: []trial.Expectation{{Kind: trial.Numbers}}})
	if err != nil {
		t.Fatal(err)
	}
	testdb.AskDue(t, w.Asking)
	for range 2 {
		if _, err := w.relays.GoOn(t.Context()); err != nil {
			t.Fatal(err)
		}
		if _, err := w.trials.Look(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	total, cost := int64(0), 0.0
	add := func(text string, c *float64) { total, cost = total+int64(len(strings.Fields(text))), cost+*c }
	talk, err = w.talks.Talk(t.Context(), w.By("curator"), talk.ID)
	if err != nil {
		t.Fatal(err)
	}
	add(talk.Replies[0].Text, talk.Replies[0].Cost)
	if run, err = w.relays.Run(t.Context(), w.By("curator"), run.ID); err != nil {
		t.Fatal(err)
	}
	add(run.Steps[0].Text, run.Cost)
	cell, err := w.trials.Cell(t.Context(), w.By("curator"), begun.ID, 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range cell.Replies {
		add(r.Text, r.Cost)
	}
	a := w.mine(t, "curator")
	if a.SpentWords != total || a.SpentMoney < cost-0.001 || a.SpentMoney > cost+0.001 || total < int64(check.Words(talk.Replies[0].Text)) {
		t.Errorf("it counts %d words and %.4f; they are %d and %.4f", a.SpentWords, a.SpentMoney, total, cost)
	}
	// What is deleted was asked all the same.
	if err := w.talks.Delete(t.Context(), w.By("curator"), talk.ID); err != nil {
		t.Fatal(err)
	}
	if now := w.mine(t, "curator"); now.SpentWords != total {
		t.Errorf("after it was deleted it counts %d words, and counted %d", now.SpentWords, total)
	}
	w.Clock.Pass(32 * 24 * 60 * 60 * 1e9)
	if now := w.mine(t, "curator"); now.SpentWords != 0 {
		t.Errorf("in the next month it counts %d words", now.SpentWords)
	}
	const all = "notice talk 1, notice trial 2, twice run 1"
	w.countedByEntry(t, all)
	for range 2 { // what is put together stays the same
		if err := work.Run(t.Context(), w.DB, work.Service(), func(u *work.Unit) error { return u.SumSpent() }); err != nil {
			t.Fatal(err)
		}
		w.countedByEntry(t, all)
	}
}

// What would pass an allowance is not begun, by whatever way.
func TestAnAllowanceIsNotPassed(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for name, in := range map[string]api.SetAllowance{"words": words(50), "money": money(0.1)} {
		w.set(t, "person", "curator", in)
		_, err := w.try(t, "curator")
		if !passed(err) {
			t.Errorf("%s: a talk: %v", name, err)
		}
		if _, err = w.relays.Start(t.Context(), w.By("curator"), api.NewRun{Ref: "twice", Values: area, Model: "heron-2"}); !passed(err) {
			t.Errorf("%s: a run: %v", name, err)
		}
		if _, err = w.trials.Start(t.Context(), w.By("curator"), "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Fills: []trial.TestFill{{Name: "a", Values: area}}, Expectations: []trial.Expectation{{Kind: trial.Numbers}}}); !passed(err) {
			t.Errorf("%s: a trial: %v", name, err)
		}
	}
	all, err := w.talks.Talks(t.Context(), w.By("curator"), "")
	if n := testdb.AskDue(t, w.Asking); err != nil || len(all.Items) != 0 || n != 0 {
		t.Errorf("%d talks and %d questions are left of what was refused, %v", len(all.Items), n, err)
	}
	if _, err := w.try(t, "reader"); err != nil {
		t.Errorf("somebody else's: %v", err)
	}
	w.set(t, "person", "curator", api.SetAllowance{})
	if _, err := w.try(t, "curator"); err != nil {
		t.Errorf("without an allowance: %v", err)
	}
}

// Of several who ask at the same moment for what is left, as many are asked as that holds.
func TestSeveralAskForWhatIsLeft(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.set(t, "person", "reader", words(500)) // two replies, each thought to have 225
	var all sync.WaitGroup
	var mu sync.Mutex
	begun := 0
	for range 6 {
		all.Go(func() {
			_, err := w.try(t, "reader")
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				begun++
			} else if !passed(err) {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if begun != 2 {
		t.Errorf("%d were begun", begun)
	}
}

// Where an allowance is used up in the middle, what is left is not asked, and says so.
func TestUsedUpInTheMiddle(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	talk, err := w.try(t, "reader")
	if err != nil {
		t.Fatal(err)
	}
	w.set(t, "person", "reader", words(0))
	testdb.AskDue(t, w.Asking)
	if talk, err = w.talks.Talk(t.Context(), w.By("reader"), talk.ID); err != nil || talk.Replies[0].State != "failed" || !strings.Contains(talk.Replies[0].Problem.String(), "allowance") || len(w.StandIn.Calls()) != 0 {
		t.Errorf("%+v, %v; %v was asked", talk.Replies[0], err, w.StandIn.Calls())
	}
}

// A department's allowance is of all its people together.
func TestADepartmentsAllowance(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.set(t, "department", "laboratory", words(300))
	if _, err := w.try(t, "tester"); err != nil {
		t.Fatal(err)
	}
	_, err := people.New(w.DB).Change(t.Context(), w.By("curator"), "reader", api.PersonChange{Department: &[]string{"laboratory"}[0]})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.try(t, "reader"); !passed(err) {
		t.Errorf("what a colleague waits for: %v", err)
	}
	if _, err := w.try(t, "reviewer"); err != nil {
		t.Errorf("another department: %v", err)
	}
}

func TestWhoSetsAllowances(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var refused *entry.Refusal
	var outdated *work.Outdated
	if _, err := w.allowances.Set(t.Context(), w.By("reviewer"), "person", "reader", words(1)); !errors.As(err, &refused) {
		t.Errorf("by a reviewer: %v", err)
	}
	curator := w.By("curator")
	for name, c := range map[string]struct {
		kind, name string
		in         api.SetAllowance
		field      string
	}{
		"nobody":       {"person", "nobody", words(1), "/name"},
		"no room":      {"department", "zoo", words(1), "/name"},
		"a team":       {"team", "x", words(1), "/kind"},
		"less than 0":  {"person", "reader", words(-1), "/words"},
		"too much":     {"person", "reader", money(1e12), "/money"},
		"no number":    {"person", "reader", api.SetAllowance{Money: new(float64), Number: 3}, ""},
		"none to drop": {"person", "reader", api.SetAllowance{}, ""},
	} {
		_, err := w.allowances.Set(t.Context(), curator, c.kind, c.name, c.in)
		var wrong problem.List
		switch {
		case c.field == "" && !errors.As(err, &outdated):
			t.Errorf("%s: %v", name, err)
		case c.field != "" && (!errors.As(err, &wrong) || wrong[0].Field != c.field):
			t.Errorf("%s: %v", name, err)
		}
	}
	w.set(t, "person", "reader", words(5))
	if _, err := w.allowances.Set(t.Context(), curator, "person", "reader", words(9)); !errors.As(err, &outdated) {
		t.Errorf("twice from nothing: %v", err)
	}
	now, err := w.allowances.List(t.Context(), w.By("reader"))
	if err != nil || now.All != nil || len(now.Mine) != 1 {
		t.Errorf("a reader sees %+v, %v", now, err)
	}
}

// What had come of an awaited reply is counted, though its talk or its run is deleted.
func TestWhatIsDeletedInTheMiddleIsCounted(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.set(t, "person", "reader", words(10_000))
	talk, err := w.try(t, "reader")
	if err != nil {
		t.Fatal(err)
	}
	run, err := w.relays.Start(t.Context(), w.By("reader"), api.NewRun{Ref: "twice", Values: area, Model: "heron-2"})
	if err != nil {
		t.Fatal(err)
	}
	w.Exec("update replies set state = 'running', text = 'Four words so far'")
	if err := w.talks.Delete(t.Context(), w.By("reader"), talk.ID); err != nil {
		t.Fatal(err)
	}
	if err := w.relays.Delete(t.Context(), w.By("reader"), run.ID); err != nil {
		t.Fatal(err)
	}
	if got := w.mine(t, "reader"); got.SpentWords != 8 || w.Count("replies") != 0 {
		t.Errorf("%d words are counted, %d replies left", got.SpentWords, w.Count("replies"))
	}
	w.countedByEntry(t, "notice talk 1, twice run 1")
}

// A reply of a relay's trial is counted by what its run asks, once.
func TestARelaysTrialIsCountedOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.set(t, "person", "contributor", words(100_000))
	fills := []trial.TestFill{{Name: "one", Values: area}, {Name: "two", Values: area}}
	begun, err := w.trials.Start(t.Context(), w.By("contributor"), "twice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Fills: fills})
	if err != nil {
		t.Fatal(err)
	}
	for n := 1; n > 0; {
		went, err := w.relays.GoOn(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		n = went + testdb.AskDue(t, w.Asking)
	}
	ended, err := w.trials.Trial(t.Context(), w.By("contributor"), begun.ID)
	if err != nil || ended.Done != 2 {
		t.Fatalf("%+v, %v", ended.TrialItem, err)
	}
	whole, all, err := w.trials.Replies(t.Context(), w.By("contributor"), begun.ID)
	if err != nil || whole.Cost == nil {
		t.Fatal(err)
	}
	said := 0
	for _, r := range all {
		said += len(strings.Fields(r.Text))
	}
	if got := w.mine(t, "contributor"); got.SpentWords != int64(said) || math.Abs(got.SpentMoney-*whole.Cost) > 0.001 {
		t.Errorf("%d words and %.4f are counted of %d and %.4f", got.SpentWords, got.SpentMoney, said, *whole.Cost)
	}
	w.countedByEntry(t, "twice trial 2")
}

// countedByEntry holds what is counted by entry and by what it was for against what is wanted,
// as "notice talk 1", and against what is counted by who had it be asked.
func (w *world) countedByEntry(t *testing.T, want string) {
	t.Helper()
	var got []string
	w.Select(&got, `select coalesce(string_agg(line, ', ' order by line), '')
		from (select coalesce(e.slug, 'none') || ' ' || s.way || ' ' || sum(s.replies) as line from spent_on s left join entries e on e.id = s.entry_id group by e.slug, s.way) lines`)
	if got[0] != want {
		t.Errorf("counted by entry is %q, want %q", got[0], want)
	}
	var same []bool
	w.Select(&same, `select (select (sum(words), sum(cost), sum(replies)) from spent_on) = (select (sum(words), sum(cost), sum(replies)) from spent)`)
	if !same[0] {
		t.Error("counted by entry is something else than counted by person")
	}
}
