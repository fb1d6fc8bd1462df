package trials_test

import (
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/trial"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// A trial whose expectations cannot be held to, as one that was saved before there were limits,
// is set aside with the reason: another's is judged and ends.
func TestTrialThatCannotBeJudgedIsSetAside(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.setBed(t, bed(2))
	start := func(who string) string {
		got, err := w.trials.Start(t.Context(), w.By(who), "notice", api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}})
		if err != nil {
			t.Fatal(err)
		}
		return got.ID
	}
	poisoned, other := start("second"), start("contributor")
	refs := strings.Repeat(`{"$ref": "#/$defs/b"}, `, 59) + `{"$ref": "#/$defs/b"}`
	schema := fmt.Sprintf(`{"allOf": [%s], "$defs": {"b": {"allOf": [%s]}, "c": {"allOf": [%s]}, "d": {"type": "string"}}}`,
		refs, strings.ReplaceAll(refs, "/b", "/c"), strings.ReplaceAll(refs, "/b", "/d"))
	w.Exec(fmt.Sprintf(`update trials set plan = jsonb_set(plan, '{expectations,0}', '{"kind": "json", "schema": %s}') where id = '%s'`, schema, poisoned))
	ask(t, w.Asking, w.trials)
	if got := w.trial(t, other); got.State != "ended" || got.Unchecked != 0 || got.Figures.Rates[0].Of != 2 {
		t.Errorf("the other trial: %s, %d unchecked, %+v", got.State, got.Unchecked, got.Figures.Rates)
	}
	cell, err := w.trials.Cell(t.Context(), w.By("second"), poisoned, 0, 0)
	if err != nil || len(cell.Replies) != 1 || len(cell.Replies[0].Outcomes) != 2 {
		t.Fatalf("%+v, %v", cell.Replies, err)
	}
	if o := cell.Replies[0].Outcomes[0]; o.State != trial.Unknown || !strings.Contains(o.Note.String(), "cannot be judged") || !strings.Contains(o.Note.String(), "too long to check") {
		t.Errorf("the outcome: %s, %s", o.State, o.Note)
	}
}

// A trial whose plan cannot be read is set aside with the reason, and reported; another's replies
// are judged.
func TestTrialThatCannotBeReadStopsNoOther(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	begin := func() api.Trial {
		t.Helper()
		begun, err := w.trials.Start(t.Context(), w.By("contributor"), "notice", api.NewTrial{
			Fills: fills(2), Expectations: []trial.Expectation{{Kind: trial.Words, Most: most(80)}}, SetUps: []trial.SetUp{{Model: "heron-2"}},
		})
		if err != nil {
			t.Fatal(err)
		}
		return begun
	}
	bad, good := begin(), begin()
	w.Exec(fmt.Sprintf(`update trials set plan = plan || '{"expectations": 7}' where id = '%s'`, bad.ID))
	ask(t, w.Asking, w.trials)
	if got := w.trial(t, good.ID); got.State != "ended" {
		t.Errorf("the other is %s", got.State)
	}
	all, err := work.Ask(t.Context(), w.DB, func(v work.View) ([]store.Aside, error) { return v.Asides() })
	if err != nil || len(all) != 1 || all[0].Item != bad.ID || all[0].Reason == "" {
		t.Errorf("set aside are %+v, %v", all, err)
	}
}
