package trials_test

import (
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/trial"
)

// Quality says of each entry and model what the newest trial and the one before have come to,
// as the trials themselves say it, and nothing of one that is not over.
func TestQualityIsWhatTheTrialsSay(t *testing.T) {
	t.Parallel()
	w, first := limited(t)
	one := api.NewTrial{SetUps: []trial.SetUp{{Model: "heron-2"}}, Times: 2}
	second := w.ended(t, "note", one)
	if _, err := w.trials.Start(t.Context(), w.By("contributor"), "note", one); err != nil { // nobody asks it
		t.Fatal(err)
	}
	got, err := w.trials.Quality(t.Context(), w.By("curator"))
	if err != nil || len(got.Items) != 1 || len(got.Models) != 1 {
		t.Fatalf("%+v, %v", got, err)
	}
	now, before := second.Figures.Rates[0], first.Figures.Rates[0]
	q := got.Items[0]
	if q.Slug != "note" || q.Title != "Prompt note" || q.Model != "heron-2" || q.Trial != second.ID || q.Met != now.Met || q.Of != now.Of || q.Of != 16 {
		t.Errorf("it is %+v, and the trial says %+v", q, now)
	}
	if q.Before == nil || q.Before.Trial != first.ID || q.Before.Met != before.Met || q.Before.Of != before.Of {
		t.Errorf("before it was %+v, and that trial says %+v", q.Before, before)
	}
	if m := got.Models[0]; m.Model != "heron-2" || m.Entries != 1 || m.Met != now.Met || m.Of != now.Of {
		t.Errorf("of the model it says %+v", m)
	}
	if _, err := w.trials.Quality(t.Context(), w.By("reviewer")); err == nil || !strings.Contains(err.Error(), "only a curator") {
		t.Errorf("a reviewer takes stock: %v", err)
	}
}
