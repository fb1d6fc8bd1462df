package server

import (
	"bytes"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/places"
	"goldshelf/internal/gather"
)

const longText = "Tell households in the street when their water will be back, what to do until then, and whom to call. Say it in three sentences at most. Begin with the time, then say what to run first, and end with the number of the control room.\n"

func TestReadAndTurn(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	w.publish(of(entry.Prompt, "burst", longText))
	text := "You are calm. Please " + strings.ToLower(longText[:1]) + longText[1:] + "Streets: [Street Name], by <hour>; `[code]` stays."
	read := step[api.TextRead](t, "read")(writer.ReadText(ctx, api.TextOf{Body: text}))
	if read.Title != "Tell households in the street when their water will be…" || !strings.HasPrefix(read.Summary, "Tell households") {
		t.Errorf("suggested %q and %q", read.Title, read.Summary)
	}
	if len(read.Places) != 2 || read.Places[0].Name != "street_name" || read.Places[1].Notation != "<name>" {
		t.Fatalf("got the places %+v", read.Places)
	}
	if len(read.Similar) != 1 || read.Similar[0].Slug != "burst" || read.Similar[0].Contains < 90 {
		t.Errorf("got the look-alikes %+v", read.Similar)
	}
	turned := step[api.BlanksMade](t, "turn")(writer.MakeBlanks(ctx, api.BlanksRequest{Body: text, Places: read.Places[:1]}))
	if !strings.Contains(turned.Body, "Streets: {{street_name}}, by <hour>; `[code]` stays.") || len(turned.Blanks) != 1 {
		t.Errorf("turned into %q with %+v", turned.Body, turned.Blanks)
	}
	wrong := []places.Place{{Start: 3, End: 2, Text: "x", Name: "a"}, {Start: 4, End: 7, Text: "are", Name: "Bad Name"}}
	_, err := writer.MakeBlanks(ctx, api.BlanksRequest{Body: text, Places: wrong})
	refused(t, "places that are not there", err, http.StatusUnprocessableEntity, `does not have "x" from byte 3 to 2`, `"Bad Name" cannot be the name`)
	_, err = writer.ReadText(ctx, api.TextOf{Body: "a\x00"})
	refused(t, "a text with NUL", err, http.StatusUnprocessableEntity, "NUL")
}

func TestAlike(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, second, reviewer, curator := w.as("contributor"), w.as("second"), w.as("reviewer"), w.as("curator")
	w.publish(of(entry.Prompt, "first", longText))
	w.publish(of(entry.Snippet, "part", "Begin with the time, then say what to run first, and end with the number of the control room.\n"))
	w.publish(of(entry.Prompt, "unlike", "Compare two tenders by price and by time, and put them in a table with one row for each bidder.\n"))
	step[api.Entry](t, "create")(writer.Create(ctx, of(entry.Prompt, "draft-of-mine", strings.Replace(longText, "three", "four", 1))))

	slugs := func(who string, body string) string {
		t.Helper()
		got := step[api.SimilarList](t, "alike")(w.as(who).Similar(ctx, api.TextOf{Slug: "first", Body: body}))
		var all []string
		for _, it := range got.Items {
			all = append(all, it.Slug)
		}
		return strings.Join(all, " ")
	}
	if got := slugs("contributor", longText); got != "part draft-of-mine" {
		t.Errorf("their writer sees %q", got)
	}
	if got := slugs("second", longText); got != "part" {
		t.Errorf("someone else sees %q; the draft is not theirs to see", got)
	}
	if got := slugs("reviewer", strings.ToUpper(longText)); got != "part draft-of-mine" {
		t.Errorf("a reviewer sees %q for the same words in capitals", got)
	}
	if got := slugs("reviewer", "Nothing like any of it at all, I should say."); got != "" {
		t.Errorf("another text has the look-alikes %q", got)
	}
	near := step[api.SimilarList](t, "alike")(reviewer.Similar(ctx, api.TextOf{Body: longText})).Items
	if near[0].Slug != "first" || near[0].Likeness != 100 || len(near[0].Passages) != 1 || near[0].Passages[0].Start != 0 {
		t.Errorf("the same text is told as %+v", near[0])
	}

	// A save is known at once, and so is what is no longer there.
	draft, etag, err := writer.Draft(ctx, "draft-of-mine")
	if err != nil {
		t.Fatal(err)
	}
	draft.Body = "Something else altogether, about meters and their readings in the spring.\n"
	step[api.Entry](t, "save")(first(writer.SaveDraft(ctx, "draft-of-mine", etag, api.NewEntry{Content: draft.Content})))
	if got := slugs("contributor", longText); got != "part" {
		t.Errorf("after the draft was changed its writer sees %q", got)
	}
	w.publish(of(entry.Prompt, "unlike", longText))
	if got := slugs("second", longText); got != "part unlike" && got != "unlike part" {
		t.Errorf("after publishing someone sees %q", got)
	}

	_, err = second.SimilarGroups(ctx)
	refused(t, "groups for a contributor", err, http.StatusForbidden, "only a curator")
	groups := step[api.Groups](t, "groups")(curator.SimilarGroups(ctx))
	if len(groups.Groups) != 1 || len(groups.Groups[0].Items) != 2 || groups.Groups[0].Items[1].Likeness != 100 {
		t.Errorf("got the groups %+v", groups)
	}
	_, err = reviewer.RecurringPassages(ctx)
	refused(t, "passages for a reviewer", err, http.StatusForbidden, "only a curator")
	passages := step[api.Recurring](t, "passages")(curator.RecurringPassages(ctx)).Passages
	if len(passages) != 1 || len(passages[0].In) != 3 || !strings.HasPrefix(passages[0].Text, "Begin with the time") {
		t.Errorf("got the passages %+v", passages)
	}
}

// counted gives how many entries of a plan are in each state.
func counted(p api.Plan) string {
	var parts []string
	for _, s := range []api.PlanState{api.PlanNew, api.PlanChanged, api.PlanSame, api.PlanSimilar, api.PlanClash, api.PlanWrong} {
		if p.Counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%s %d", s, p.Counts[s]))
		}
	}
	return strings.Join(parts, ", ")
}

const table = `Name,Prompt,Team,Kind
Burst notice,"Write to [street], now.",Customer Care,prompt
Closing,"Yours, the team.",customer-care; laboratory,snippet
Nowhere,"Text.",Moon Base,prompt
`

func TestImportOfATable(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	curator := w.as("curator")
	_, err := w.as("contributor").CreateImport(ctx, "t.csv", []byte(table), bundle.Reading{}, "")
	refused(t, "a contributor", err, http.StatusForbidden, "only a curator")

	before := w.Rows()
	plan := step[api.Plan](t, "bring")(curator.CreateImport(ctx, "t.csv", []byte(table), bundle.Reading{Source: &entry.Source{Place: "Team notes"}}, ""))
	if got := counted(plan); got != "new 2, wrong 1" {
		t.Errorf("the plan is %s", got)
	}
	if plan.Columns[2] != (api.Column{Heading: "Team", Holds: "label:department"}) || !strings.Contains(plan.Items[2].Problems[0].Message.String(), `"Moon Base"`) {
		t.Errorf("columns %+v; the wrong one: %+v", plan.Columns, plan.Items[2])
	}
	if after := w.Rows(); fmt.Sprint(before) != fmt.Sprint(after) {
		t.Errorf("a plan changes the library: %v, then %v", before, after)
	}
	plan = step[api.Plan](t, "read again")(curator.RereadImport(ctx, plan.ID, api.PlanReading{
		Reading: bundle.Reading{Columns: map[string]string{"Team": ""}, Source: plan.Reading.Source}, KeepAs: "team notes"}))
	if got := counted(plan); got != "new 3" {
		t.Errorf("without the teams the plan is %s", got)
	}
	_, err = curator.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 9, Do: api.Skip}, {Number: 0, Do: "burn"}}})
	refused(t, "wrong choices", err, http.StatusUnprocessableEntity, "no entry 9", `"burn" cannot be done`)
	taken := step[api.Applied](t, "take")(curator.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 2, Do: api.Skip}}}))
	if fmt.Sprint(taken.Created, taken.Changed, taken.Skipped) != "[burst-notice closing] [] 1" {
		t.Errorf("took %+v", taken)
	}
	got := step[api.Entry](t, "entry")(curator.Entry(ctx, "burst-notice"))
	if got.State != entry.Draft || got.Owner != "curator" || got.Source.Place != "Team notes" || got.Body != "Write to [street], now." {
		t.Errorf("it came in as %+v", got)
	}
	_, err = curator.Plan(ctx, plan.ID)
	refused(t, "the plan afterwards", err, http.StatusNotFound, "create it again")

	// Where it came from is found, and a kept mapping reads the next one.
	list := step[api.List](t, "find")(curator.Entries(ctx, client.Query{Words: "team notes"}))
	if list.Total != 2 {
		t.Errorf("%d entries are found by their source, want 2", list.Total)
	}
	again := step[api.Plan](t, "bring with a mapping")(curator.CreateImport(ctx, "t.csv", []byte(table), bundle.Reading{}, "team notes"))
	if got := counted(again); got != "new 1, same 2" {
		t.Errorf("brought again the plan is %s", got)
	}
	_, err = curator.CreateImport(ctx, "t.csv", []byte(table), bundle.Reading{}, "nope")
	refused(t, "an unknown mapping", err, http.StatusUnprocessableEntity, `under the name "nope"`, "team notes")

	// What has changed since the plan is seen, and nothing is half-done.
	draft, etag, err := curator.Draft(ctx, "closing")
	if err != nil {
		t.Fatal(err)
	}
	draft.Body = "Kind regards."
	step[api.Entry](t, "save")(first(curator.SaveDraft(ctx, "closing", etag, api.NewEntry{Content: draft.Content})))
	before = w.Rows()
	_, err = curator.ApplyImport(ctx, again.ID, api.ApplyRequest{Digest: again.Digest})
	refused(t, "an old plan", err, http.StatusPreconditionFailed, "the library has changed")
	if after := w.Rows(); fmt.Sprint(before) != fmt.Sprint(after) {
		t.Errorf("rows were %v, now %v", before, after)
	}
	again = step[api.Plan](t, "plan")(curator.Plan(ctx, again.ID))
	if got := counted(again); got != "new 1, changed 1, same 1" {
		t.Errorf("now the plan is %s", got)
	}
	diff := step[api.PlanDifference](t, "difference")(curator.CompareImport(ctx, again.ID, 1))
	if !strings.Contains(diff.Incoming, "Yours, the team.") || !strings.Contains(diff.Here, "Kind regards.") {
		t.Errorf("got the difference %+v", diff)
	}
	_, err = w.as("chief").Plan(ctx, again.ID)
	refused(t, "somebody else's import", err, http.StatusNotFound, "no such import of yours")
	if err := curator.DeleteImport(ctx, again.ID); err != nil {
		t.Error(err)
	}
}

func TestImportSeesLookAlikes(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.publish(of(entry.Prompt, "first", longText))
	files := map[string][]byte{
		"copied.md": []byte("---\ntitle: Copied\n---\n" + strings.Replace(longText, "three", "four", 1)),
		"own.md":    []byte("---\ntitle: Own\n---\nCompare two tenders by price and by time, in a table with one row for each of the bidders.\n"),
		"twin.md":   []byte("---\ntitle: Twin\n---\nCompare two tenders by price and by time, in a table with one row for each of the bidders!\n"),
		"first.md":  []byte("---\ntitle: first\nsummary: S\n---\n" + longText),
	}
	data, err := bundle.WriteZip(files)
	if err != nil {
		t.Fatal(err)
	}
	curator := w.as("curator")
	plan := step[api.Plan](t, "bring")(curator.CreateImport(ctx, "t.zip", data, bundle.Reading{}, ""))
	if got := counted(plan); got != "new 1, same 1, similar 2" {
		t.Fatalf("the plan is %s: %+v", got, plan.Items)
	}
	if a := plan.Items[0].Similar; len(a) != 1 || a[0].Slug != "first" || a[0].Incoming || a[0].Likeness < 80 {
		t.Errorf("copied is like %+v", a)
	}
	if a := plan.Items[3].Similar; len(a) != 1 || a[0].Slug != "own" || !a[0].Incoming {
		t.Errorf("twin is like %+v", a)
	}
	taken := step[api.Applied](t, "take")(curator.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 3, Do: api.Import}}}))
	if fmt.Sprint(taken.Created, taken.Skipped) != "[own twin] 2" {
		t.Errorf("took %+v", taken)
	}
}

// After a large import queries are planned by what there is now.
func TestALargeImportIsSurveyed(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	files := map[string][]byte{}
	for n := range 500 {
		files[fmt.Sprintf("entry-%d.md", n)] = fmt.Appendf(nil, "---\ntitle: Entry %d\n---\nThe text of entry %d alone.\n", n, n*n)
	}
	data, err := bundle.WriteZip(files)
	if err != nil {
		t.Fatal(err)
	}
	curator := w.as("curator")
	plan := step[api.Plan](t, "bring")(curator.CreateImport(ctx, "t.zip", data, bundle.Reading{}, ""))
	taken := step[api.Applied](t, "take")(curator.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest}))
	if len(taken.Created) != 500 {
		t.Fatalf("took %d entries, want 500", len(taken.Created))
	}
	w.Exec(`do $$ begin
		assert (select reltuples from pg_class where oid = 'versions'::regclass) >= 500, 'the versions are not surveyed';
	end $$`)
}

// What a bundle brings is a draft here, whatever it was there: its history is shown as
// elsewhere and counts for nothing. Taken twice it changes nothing; and where both
// libraries have gone on it is chosen.
func TestBetweenLibraries(t *testing.T) {
	t.Parallel()
	from, to, ctx := newWorld(t), newWorld(t), t.Context()
	theirs, ours := from.as("curator"), to.as("curator")
	from.publish(snippet("close", "Yours.\n"))
	from.publish(snippet("close", "Kind regards.\n"))
	from.publish(notice("Say it to {{area}} in {{hours}}.\n{{include close}}\n"))
	from.publish(snippet("old", "Old words.\n"))
	step[api.Entry](t, "retire")(theirs.Retire(ctx, "old", api.Retirement{Because: "Too old.", Instead: "close"}))
	step[api.Entry](t, "create")(from.as("contributor").Create(ctx, of(entry.Sheet, "facts", "### How many?\nSeven.\n")))

	_, err := from.as("reviewer").Export(ctx, bundle.JSON, nil, client.Query{})
	refused(t, "a reviewer takes histories out", err, http.StatusForbidden, "only a curator")
	data := step[[]byte](t, "export")(theirs.Export(ctx, bundle.JSON, nil, client.Query{}))
	again := step[[]byte](t, "export")(theirs.Export(ctx, bundle.JSON, nil, client.Query{}))
	if !bytes.Equal(data, again) {
		t.Error("two exports of one library differ")
	}
	take := func(want string) api.Applied {
		t.Helper()
		plan := step[api.Plan](t, "bring")(ours.CreateImport(ctx, "theirs.json", data, bundle.Reading{}, ""))
		if got := counted(plan); got != want {
			t.Errorf("the plan is %s, want %s: %+v", got, want, plan.Items)
		}
		return step[api.Applied](t, "take")(ours.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest}))
	}
	take("new 4")
	history := step[api.Versions](t, "history")(ours.Versions(ctx, "close"))
	if len(history.Items) != 1 || history.Items[0].State != entry.Draft || history.Items[0].Author != "Curator" || history.Items[0].Approvals != nil {
		t.Errorf("its history came in as %+v", history.Items)
	}
	if there := history.Elsewhere; len(there) != 2 || there[0].State != entry.Published || there[1].State != entry.Superseded || there[0].Author != "Contributor" ||
		len(there[0].Approvals) != 1 || there[0].Approvals[0].By != "Reviewer" || there[0].Note != "Ready." {
		t.Errorf("elsewhere it was %+v", there)
	}
	for _, slug := range []string{"close", "burst-main-notice", "old", "facts"} {
		if e := step[api.Entry](t, slug)(ours.Entry(ctx, slug)); e.State != entry.Draft || e.Published != 0 || e.Retired != nil || e.Version != 1 {
			t.Errorf("%s came in as version %d, %s", slug, e.Version, e.State)
		}
	}
	// What was approved there is approved by nobody here.
	step[api.Entry](t, "submit")(ours.Submit(ctx, "close", ""))
	_, err = publish(ours, "close")
	refused(t, "published by the word of others", err, http.StatusConflict, "in review")
	_, err = approve(ours, "close", "")
	refused(t, "approved by whoever imported it", err, http.StatusForbidden, "you wrote some")
	step[api.Entry](t, "approve")(approve(to.as("reviewer"), "close", ""))
	step[api.Entry](t, "publish")(publish(ours, "close"))
	if v := step[api.Versions](t, "by the writer")(to.as("reader").Versions(ctx, "close")); v.Elsewhere != nil {
		t.Errorf("a reader sees what it was elsewhere: %+v", v.Elsewhere)
	}
	rows := to.Rows()
	if taken := take("same 4"); len(taken.Created)+len(taken.Changed) != 0 || fmt.Sprint(rows) != fmt.Sprint(to.Rows()) {
		t.Errorf("taken twice it changes %+v", taken)
	}

	// They go on: ours follows, as a draft beside what is on the shelf.
	from.publish(snippet("close", "Warm regards.\n"))
	data = step[[]byte](t, "export")(theirs.Export(ctx, bundle.JSON, nil, client.Query{}))
	take("changed 1, same 3")
	if now := step[api.Entry](t, "close")(ours.Entry(ctx, "close")); now.Version != 2 || now.State != entry.Draft || now.Body != "Warm regards.\n" || now.Published != 1 {
		t.Errorf("ours is version %d, %s, %q", now.Version, now.State, now.Body)
	}
	// Both go on: it is chosen.
	step[api.Entry](t, "submit")(ours.Submit(ctx, "close", "Theirs."))
	step[api.Entry](t, "approve")(approve(to.as("reviewer"), "close", ""))
	step[api.Entry](t, "publish")(publish(ours, "close"))
	to.publish(snippet("close", "Our own regards.\n"))
	from.publish(snippet("close", "Their own regards.\n"))
	data = step[[]byte](t, "export")(theirs.Export(ctx, bundle.JSON, []string{"close"}, client.Query{}))
	plan := step[api.Plan](t, "bring")(ours.CreateImport(ctx, "theirs.json", data, bundle.Reading{}, ""))
	if got := counted(plan); got != "clash 1" || plan.Items[0].Selected {
		t.Fatalf("the plan is %s: %+v", got, plan.Items)
	}
	_, err = ours.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 0, Do: api.Both}}})
	refused(t, "both without another slug", err, http.StatusUnprocessableEntity, "another slug")
	step[api.Applied](t, "both")(ours.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 0, Do: api.Both, Slug: "their-close"}}}))
	if both := step[api.Entry](t, "both")(ours.Entry(ctx, "their-close")); both.State != entry.Draft || both.Body != "Their own regards.\n" {
		t.Errorf("kept both: %s, %q", both.State, both.Body)
	}
	plan = step[api.Plan](t, "bring")(ours.CreateImport(ctx, "theirs.json", data, bundle.Reading{}, ""))
	step[api.Applied](t, "theirs")(ours.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: []api.Choice{{Number: 0, Do: api.Import}}}))
	mine := step[api.Entry](t, "close")(ours.Entry(ctx, "close"))
	if mine.Version != 4 || mine.State != entry.Draft || mine.Body != "Their own regards.\n" {
		t.Errorf("took theirs: version %d, %s, %q; want it as our next draft", mine.Version, mine.State, mine.Body)
	}
}

// A library is moved as a whole into an empty one by whoever keeps the machine, on the
// owner's connection alone: published as it was, recorded, by people of elsewhere.
func TestAWholeLibraryMovesIn(t *testing.T) {
	t.Parallel()
	from, to, ctx := newWorld(t), newWorld(t), t.Context()
	theirs := from.as("curator")
	from.publish(snippet("close", "Yours.\n"))
	from.publish(snippet("close", "Kind regards.\n"))
	from.publish(notice("Say it to {{area}} in {{hours}}.\n{{include close}}\n"))
	from.publish(snippet("old", "Old words.\n"))
	step[api.Entry](t, "retire")(theirs.Retire(ctx, "old", api.Retirement{Because: "Too old.", Instead: "close"}))
	step[api.Entry](t, "create")(from.as("contributor").Create(ctx, of(entry.Sheet, "facts", "### How many?\nSeven.\n")))
	data := step[[]byte](t, "export")(theirs.Export(ctx, bundle.JSON, nil, client.Query{}))

	if _, err := gather.Load(ctx, to.DB, "theirs.json", data); err == nil || !strings.Contains(err.Error(), "permission denied") {
		t.Fatalf("on the service's own connection: %v", err)
	}
	loaded, err := gather.Load(ctx, to.Owner(), "theirs.json", data)
	if err != nil || len(loaded.Created) != 4 {
		t.Fatalf("moved in: %+v, %v", loaded, err)
	}
	if _, err := gather.Load(ctx, to.Owner(), "theirs.json", data); !errors.Is(err, gather.ErrNotEmpty) {
		t.Errorf("a second time: %v", err)
	}
	ours := to.as("curator")
	history := step[api.Versions](t, "history")(ours.Versions(ctx, "close")).Items
	if len(history) != 2 || history[0].State != entry.Published || history[0].Author != "Contributor (elsewhere)" || history[0].Approvals[0].By != "Reviewer (elsewhere)" {
		t.Errorf("its history came in as %+v", history)
	}
	if got := step[api.Filled](t, "fill")(to.as("reader").Fill(ctx, "burst-main-notice", fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6")})); !strings.HasSuffix(got.Text, "Kind regards.\n") {
		t.Errorf("it fills as %q", got.Text)
	}
	if old := step[api.Entry](t, "old")(ours.ShelfEntry(ctx, "old")); old.Retired == nil || old.Retired.Instead != "close" {
		t.Errorf("the retired one came in as %+v", old.Retired)
	}
	if facts := step[api.Entry](t, "facts")(ours.Entry(ctx, "facts")); facts.State != entry.Draft || facts.Owner != "contributor" {
		t.Errorf("the draft came in as %s of %s", facts.State, facts.Owner)
	}
	back := step[[]byte](t, "export")(ours.Export(ctx, bundle.JSON, nil, client.Query{}))
	if got, want := withoutTimes(t, back), withoutTimes(t, data); got != want {
		t.Errorf("out again it is\n%s\nnot\n%s", got, want)
	}
	record := step[api.Audit](t, "record")(ours.Audit(ctx, client.AuditQuery{Action: "load"})).Items
	if len(record) != 5 || record[0].Via != "service" || record[0].Detail["from"] != "theirs.json" {
		t.Errorf("recorded: %+v", record)
	}
	// What was approved there goes on here only by our own word.
	to.publish(snippet("close", "Our own regards.\n"))
}

// withoutTimes leaves out when things were saved and made: those days are ours.
func withoutTimes(t *testing.T, data []byte) string {
	t.Helper()
	return regexp.MustCompile(`"(created_at|saved_at|submitted_at|published_at|at)": "[^"]*"`).ReplaceAllString(string(data), `"$1": ""`)
}

// Files and tables that go out come back as they were, byte for byte.
func TestExportRoundTrips(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	curator := w.as("curator")
	w.publish(snippet("close", "=Yours,\r\n\tthe \"team\"; all of it\n"))
	w.publish(notice("Say it to {{area}} in {{hours}}.\n{{include close}}\n"))
	step[api.Entry](t, "create")(w.as("contributor").Create(ctx, of(entry.Sheet, "facts", "### How many?\nSeven.\n")))
	for format, name := range map[bundle.Format]string{bundle.Folder: "x.zip", bundle.CSV: "x.csv"} {
		data := step[[]byte](t, "export")(curator.Export(ctx, format, nil, client.Query{}))
		plan := step[api.Plan](t, "bring")(curator.CreateImport(ctx, name, data, bundle.Reading{}, ""))
		if got := counted(plan); got != "same 3" {
			t.Errorf("%s comes back as %s: %+v", format, got, plan.Items)
		}
		step[api.Applied](t, "take")(curator.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest}))
		if again := step[[]byte](t, "export")(curator.Export(ctx, format, nil, client.Query{})); !bytes.Equal(data, again) {
			t.Errorf("%s goes out as other bytes afterwards", format)
		}
	}
	reader := w.as("reader")
	all, err := bundle.Gather("x.zip", step[[]byte](t, "export")(reader.Export(ctx, bundle.Folder, nil, client.Query{Labels: map[string][]string{"kind": {"snippet"}}})), bundle.Reading{})
	if err != nil || len(all) != 1 || all[0].Slug != "close" {
		t.Errorf("a reader's selection is %+v, %v", all, err)
	}
	_, err = reader.Export(ctx, bundle.Folder, []string{"nothing"}, client.Query{})
	refused(t, "what is not there", err, http.StatusUnprocessableEntity, `no entry "nothing"`)
	if got := w.call("reader", http.MethodGet, "/api/v1/export?format=pdf", ""); got.status != http.StatusUnprocessableEntity {
		t.Errorf("an unknown format: %d", got.status)
	}
}

func TestStarters(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	curator, writer := w.as("curator"), w.as("contributor")
	w.publish(notice("Say it to {{area}} in {{hours}}.\n"))
	w.publish(snippet("close", "Yours.\n"))
	starter := entry.Content{Kind: entry.Prompt, Labels: map[string][]string{"department": {"laboratory"}}, Body: "## Task\n"}
	_, err := writer.SetStarter(ctx, "laboratory", starter)
	refused(t, "a contributor keeps a starter", err, http.StatusForbidden, "only a curator")
	_, err = curator.SetStarter(ctx, "moon-base", starter)
	refused(t, "no such department", err, http.StatusUnprocessableEntity, `no department "moon-base"`)
	wrong := starter
	wrong.Labels = map[string][]string{"mood": {"calm"}}
	_, err = curator.SetStarter(ctx, "laboratory", wrong)
	refused(t, "a starter that could be no draft", err, http.StatusUnprocessableEntity, "no facet")
	step[api.Starters](t, "keep")(curator.SetStarter(ctx, "laboratory", starter))
	starter.Body = "## Task\nOnce more.\n"
	step[api.Starters](t, "keep again")(curator.SetStarter(ctx, "laboratory", starter))
	_, err = writer.SetHelper(ctx, "burst-main-notice", "draft")
	refused(t, "a contributor marks a helper", err, http.StatusForbidden, "only a curator")
	_, err = curator.SetHelper(ctx, "close", "draft")
	refused(t, "a snippet as a helper", err, http.StatusUnprocessableEntity, "no published prompt")
	step[api.Starters](t, "mark")(curator.SetHelper(ctx, "burst-main-notice", "draft"))
	got := step[api.Starters](t, "starters")(writer.Starters(ctx))
	if len(got.Starters) != 1 || got.Starters[0].Content.Body != "## Task\nOnce more.\n" || len(got.Helpers) != 1 || got.Helpers[0].Slug != "burst-main-notice" {
		t.Errorf("got %+v", got)
	}
	if err := curator.DeleteStarter(ctx, "laboratory"); err != nil {
		t.Fatal(err)
	}
	if got = step[api.Starters](t, "unmark")(curator.SetHelper(ctx, "burst-main-notice", "")); len(got.Starters)+len(got.Helpers) != 0 {
		t.Errorf("taken back, there are %+v", got)
	}
}
