package lifecycle_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/people"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// inBulk plans an action and takes it as it was shown.
func inBulk(t *testing.T, life *lifecycle.Service, by work.Caller, req api.Bulk) (api.BulkPlan, api.BulkDone) {
	t.Helper()
	plan, err := life.PlanBulk(t.Context(), by, req)
	if err != nil {
		t.Fatal(err)
	}
	req.Digest = plan.Digest
	done, err := life.ApplyBulk(t.Context(), by, req)
	if err != nil {
		t.Fatal(err)
	}
	return plan, done
}

func slugsOf(items []api.BulkItem) (slugs []string) {
	for _, it := range items {
		slugs = append(slugs, it.Slug)
	}
	return slugs
}

// stateOf gives the state of the newest version of an entry.
func stateOf(w *testdb.World, slug string) string {
	var states []string
	w.Select(&states, `select state from versions where entry_id = (select id from entries where slug = '`+slug+`') order by number desc`)
	return states[0]
}

// Entries go their whole life together: what was shown is what is done, what cannot go
// along is told with its reason, and what others name comes first and goes last.
func TestALifeInBulk(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, ctx := lifecycle.New(w.DB), t.Context()
	writer, curator := w.By("contributor"), w.By("curator")
	// The slug of what is included comes after that of what includes it.
	w.Create(testdb.Prompt("a-notice", "Write to {{area}}. {{include z-close}}\n"), testdb.Part(entry.Snippet, "z-close", "Close kindly.\n"), testdb.Prompt("b-empty", "Write to {{area}} of {{nothing-asked}}.\n"))
	w.Publish(testdb.Prompt("c-there", "Write to {{area}} again.\n"))
	all := []string{"z-close", "c-there", "b-empty", "a-notice"}

	before := w.Rows()
	req := api.Bulk{Action: entry.Submit, Slugs: all, Note: "For winter."}
	plan, err := life.PlanBulk(ctx, writer, req)
	if err != nil || !slices.Equal(slugsOf(plan.Items), []string{"a-notice", "z-close"}) || plan.Items[0].Title != "Prompt a-notice" || plan.Items[0].State != entry.Draft {
		t.Fatalf("the plan is %+v, %v", plan, err)
	}
	left := map[string]string{}
	for _, l := range plan.Left {
		left[l.Slug] = l.Why.String()
	}
	if len(left) != 2 || !strings.Contains(left["b-empty"], "nothing-asked") || !strings.Contains(left["c-there"], "no open version") {
		t.Errorf("left are %v", left)
	}
	if after := w.Rows(); fmt.Sprint(before) != fmt.Sprint(after) || stateOf(w, "a-notice") != "draft" {
		t.Errorf("the plan changed %v to %v", before, after)
	}

	var outdated *work.Outdated
	if _, err := life.ApplyBulk(ctx, writer, req); !errors.As(err, &outdated) {
		t.Errorf("without what was shown: %v", err)
	}
	req.Digest = plan.Digest
	changed := testdb.Prompt("a-notice", "Write kindly to {{area}}. {{include z-close}}\n")
	w.Save("a-notice", changed)
	if _, err := life.ApplyBulk(ctx, writer, req); !errors.As(err, &outdated) || stateOf(w, "z-close") != "draft" {
		t.Errorf("where a text is another by then: %v, and the other is %s", err, stateOf(w, "z-close"))
	}
	if _, done := inBulk(t, life, writer, req); len(done.Done) != 2 || len(done.Left) != 2 || done.Undo != entry.Withdraw {
		t.Errorf("submitted: %+v", done)
	}
	if _, done := inBulk(t, life, writer, api.Bulk{Action: entry.Withdraw, Slugs: all}); len(done.Done) != 2 || stateOf(w, "a-notice") != "draft" {
		t.Errorf("withdrawn: %+v", done)
	}

	w.Review("a-notice")
	w.Review("z-close")
	both := []string{"a-notice", "z-close"}
	forgot := 0
	w.DB.OnForget(work.Shelf, func() { forgot++ })
	publish := api.Bulk{Action: entry.Publish, Slugs: both}
	if _, err := life.PlanBulk(ctx, curator, publish); err != nil || forgot != 0 {
		t.Errorf("a plan has services forget the shelf %d times, %v", forgot, err)
	}
	if plan, done := inBulk(t, life, curator, publish); len(done.Done) != 2 || plan.Items[0].Seen == "" || forgot == 0 {
		t.Errorf("published: %+v after %+v", done, plan)
	}
	if _, done := inBulk(t, life, curator, api.Bulk{Action: entry.Renew, Slugs: both}); len(done.Done) != 2 || done.Undo != "" {
		t.Errorf("renewed: %+v", done)
	}
	// What others use goes only with them, or after them.
	if _, done := inBulk(t, life, curator, api.Bulk{Action: entry.Retire, Slugs: []string{"z-close"}, Because: "Done."}); len(done.Done) != 0 || !strings.Contains(done.Left[0].Why.String(), "Prompt a-notice") {
		t.Errorf("retired under what uses it: %+v", done)
	}
	retire := api.Bulk{Action: entry.Retire, Slugs: both, Because: "Winter is over.", Instead: "c-there"}
	plan, done := inBulk(t, life, curator, retire)
	if len(done.Done) != 1 || !strings.Contains(done.Left[0].Why.String(), "takes the place of") {
		t.Errorf("retired with what takes the place of prompts: %+v after %+v", done, plan)
	}
	retire.Instead = ""
	if _, done := inBulk(t, life, curator, retire); len(done.Done) != 1 || w.Count("events where action = 'retire'") != 2 {
		t.Errorf("retired: %+v", done)
	}
	if _, done := inBulk(t, life, curator, api.Bulk{Action: entry.Restore, Slugs: both}); len(done.Done) != 2 || done.Undo != entry.Retire {
		t.Errorf("restored: %+v", done)
	}
	if _, done := inBulk(t, life, curator, api.Bulk{Action: entry.Unpublish, Slugs: both, Because: "Too early."}); len(done.Done) != 2 {
		t.Errorf("unpublished: %+v", done)
	}
}

// Two that do the same at once do it once, whatever order they name it in; and where one
// retires what the other publishes around it, the shelf stays whole.
func TestBulkAtOnce(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	var slugs []string
	for i := range 20 {
		slug := fmt.Sprintf("notice-%02d", i)
		slugs = append(slugs, slug)
		w.Approve(testdb.Prompt(slug, fmt.Sprintf("Write notice %d to {{area}}.\n", i)))
	}
	one, other := lifecycle.New(w.DB), lifecycle.New(w.Second())
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	req := api.Bulk{Action: entry.Publish, Slugs: slugs}
	plan, err := one.PlanBulk(ctx, w.By("curator"), req)
	if err != nil {
		t.Fatal(err)
	}
	req.Digest = plan.Digest
	backwards := req
	backwards.Slugs = slices.Clone(slugs)
	slices.Reverse(backwards.Slugs)
	won := 0
	for _, err := range testdb.Race(
		func() error { _, err := one.ApplyBulk(ctx, w.By("curator"), req); return err },
		func() error { _, err := other.ApplyBulk(ctx, w.By("chief"), backwards); return err },
	) {
		var outdated *work.Outdated
		switch {
		case err == nil:
			won++
		case !errors.As(err, &outdated):
			t.Error(err)
		}
	}
	if n := w.Count("events where action = 'publish'"); won != 1 || n != len(slugs) {
		t.Errorf("%d came through, and %d were published", won, n)
	}
}

// Whoever loses their role in the moment of a change of many has done all of it before, or
// none of it; what they have not begun by then they cannot do.
func TestARoleIsLostDuringBulk(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life, staff := lifecycle.New(w.DB), people.New(w.Second())
	ctx, contributor := t.Context(), entry.Contributor
	by, published := w.By("curator"), 0
	for round := range 6 {
		var slugs []string
		for i := range 10 {
			slug := fmt.Sprintf("notice-%d-%d", round, i)
			slugs = append(slugs, slug)
			w.Approve(testdb.Prompt(slug, fmt.Sprintf("Write notice %d of round %d to {{area}}.\n", i, round)))
		}
		req := api.Bulk{Action: entry.Publish, Slugs: slugs}
		plan, err := life.PlanBulk(ctx, by, req)
		if err != nil || len(plan.Items) != len(slugs) {
			t.Fatalf("%+v, %v", plan, err)
		}
		req.Digest = plan.Digest
		var done api.BulkDone
		errs := testdb.Race(
			func() (err error) { done, err = life.ApplyBulk(ctx, by, req); return err },
			func() error {
				time.Sleep(time.Duration(round) * 8 * time.Millisecond)
				_, err := staff.Change(ctx, w.By("chief"), by.Name, api.PersonChange{Role: &contributor})
				return err
			},
		)
		if errs[1] != nil {
			t.Fatal(errs[1])
		}
		if errs[0] == nil {
			published += len(done.Done)
		}
		if n := w.Count("events where action = 'publish'"); n != published || errs[0] == nil && len(done.Done) != len(slugs) {
			t.Errorf("round %d: %d are published after %v; want %d", round, n, errs[0], published)
		}
		var outdated *work.Outdated
		if _, err := life.ApplyBulk(ctx, by, req); err == nil || errs[0] != nil && errors.As(err, &outdated) {
			t.Errorf("round %d: without the role it ends with %v", round, err)
		}
		curator := entry.Curator
		if _, err := staff.Change(ctx, w.By("chief"), by.Name, api.PersonChange{Role: &curator}); err != nil {
			t.Fatal(err)
		}
	}
}

// Nobody does more in bulk than one by one, and what is asked wrongly is told at once.
func TestWhatBulkRefuses(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	life := lifecycle.New(w.DB)
	w.Create(testdb.Prompt("mine", "Write to {{area}}.\n"))
	w.Approve(testdb.Prompt("ready", "Write to {{area}} in time.\n"))
	for name, tt := range map[string]struct {
		by   string
		req  api.Bulk
		want string
		n    int // problems
	}{
		"a reader":       {"reader", api.Bulk{Action: entry.Submit, Slugs: []string{"mine"}}, "signed in as a reader", 0},
		"another's":      {"second", api.Bulk{Action: entry.Submit, Slugs: []string{"mine"}}, "no entry", 0},
		"approving":      {"reviewer", api.Bulk{Action: entry.Approve, Slugs: []string{"ready"}}, "one by one", 1},
		"no such action": {"curator", api.Bulk{Action: "shred", Slugs: []string{"ready"}}, "submit, withdraw, publish, unpublish, retire, restore and renew", 1},
		"nothing":        {"curator", api.Bulk{}, "there are none", 2},
		"too many":       {"curator", api.Bulk{Action: entry.Renew, Slugs: make([]string, 501)}, "at most 500", 1},
		"no reason":      {"curator", api.Bulk{Action: entry.Retire, Slugs: []string{"ready"}}, "reason", 1},
		"no entry":       {"curator", api.Bulk{Action: entry.Renew, Slugs: []string{"ready", "gone"}}, "no entry", 0},
		"named twice":    {"curator", api.Bulk{Action: entry.Renew, Slugs: []string{"ready", "ready"}}, "name it once", 1},
		"no characters":  {"curator", api.Bulk{Action: entry.Renew, Slugs: []string{"\x00", "\xff"}}, "", 2},
	} {
		_, err := life.PlanBulk(t.Context(), w.By(tt.by), tt.req)
		var wrong problem.List
		if errors.As(err, &wrong); err == nil || !strings.Contains(err.Error(), tt.want) || len(wrong) != tt.n {
			t.Errorf("%s: %v, want %q in %d problems", name, err, tt.want, tt.n)
		}
	}
	for by, action := range map[string]entry.Action{"contributor": entry.Publish, "reviewer": entry.Publish} {
		plan, err := life.PlanBulk(t.Context(), w.By(by), api.Bulk{Action: action, Slugs: []string{"ready"}})
		if err != nil || len(plan.Items) != 0 || !strings.Contains(plan.Left[0].Why.String(), "only a curator") {
			t.Errorf("%s: %+v, %v", by, plan, err)
		}
	}
}
