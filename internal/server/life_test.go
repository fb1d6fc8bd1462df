package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
)

func notice(body string) api.NewEntry {
	most := 72.0
	return api.NewEntry{Slug: "burst-main-notice", Content: entry.Content{
		Kind: entry.Prompt, Title: "Notice of a burst main", Summary: "Tells households what to do now and when water is back.",
		Labels: map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
		Blanks: []fill.Blank{{Name: "area", Ask: "Which streets?"}, {Name: "hours", Ask: "In how many hours?", Type: fill.Number, Max: &most, Sample: fill.Single("6")}},
		Body:   body,
	}}
}

const firstText = "Write to {{area}}: water is back in {{hours}} hours.\n"

// step fails the test if a call that should work does not.
func step[T any](t *testing.T, what string) func(T, error) T {
	return func(v T, err error) T {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		return v
	}
}

// refused holds an error against the status and the words it should have.
func refused(t *testing.T, what string, err error, status int, words ...string) {
	t.Helper()
	if client.Status(err) != status {
		t.Errorf("%s: got %v (status %d), want status %d", what, err, client.Status(err), status)
		return
	}
	for _, w := range words {
		if !strings.Contains(err.Error(), w) {
			t.Errorf("%s: got %q, want it to say %q", what, err, w)
		}
	}
}

// publish takes a new draft all the way to the shelf.
func (w *world) publish(in api.NewEntry) {
	w.t.Helper()
	ctx := context.Background()
	author := w.as("contributor")
	var err error
	if _, getErr := author.Entry(ctx, in.Slug); client.Status(getErr) == http.StatusNotFound {
		_, err = author.Create(ctx, in)
	} else {
		_, _, err = author.SaveDraft(ctx, in.Slug, "", in)
	}
	if err == nil {
		_, err = author.Submit(ctx, in.Slug, "Ready.")
	}
	if err == nil {
		_, err = approve(w.as("reviewer"), in.Slug, "")
	}
	if err == nil {
		_, err = publish(w.as("curator"), in.Slug)
	}
	if err != nil {
		w.t.Fatalf("publish %s: %v", in.Slug, err)
	}
}

func TestOneEntrysWholeLife(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, reviewer, curator, reader := w.as("contributor"), w.as("reviewer"), w.as("curator"), w.as("reader")

	made := step[api.Entry](t, "create")(writer.Create(ctx, notice(firstText)))
	if made.State != entry.Draft || made.Version != 1 || fmt.Sprint(made.Actions) != "[save submit]" {
		t.Errorf("made: %s %d %v", made.State, made.Version, made.Actions)
	}
	_, err := reader.Entry(ctx, "burst-main-notice")
	refused(t, "a reader looks for a draft", err, 404)
	_, err = w.as("second").Entry(ctx, "burst-main-notice")
	refused(t, "another contributor looks for a draft", err, 404)
	_, err = reader.ShelfEntry(ctx, "burst-main-notice")
	refused(t, "a draft is not on the shelf", err, 404)
	_, err = writer.Submit(ctx, "burst-main-notice", "")
	refused(t, "submit without a note", err, 422, "the change note is missing")
	_, err = publish(curator, "burst-main-notice")
	refused(t, "publish a draft", err, 409, "version 1 of burst-main-notice is a draft", "save, submit")

	step[api.Entry](t, "submit")(writer.Submit(ctx, "burst-main-notice", "First version."))
	_, _, err = writer.SaveDraft(ctx, "burst-main-notice", `"1.2"`, notice("x"))
	refused(t, "save what is in review", err, 409, "in review", "withdraw")
	step[api.Entry](t, "withdraw")(writer.Withdraw(ctx, "burst-main-notice"))
	step[api.Entry](t, "submit again")(writer.Submit(ctx, "burst-main-notice", "First version."))

	desk := step[api.Desk](t, "desk")(reviewer.Desk(ctx, 0, ""))
	if len(desk.Items) != 1 || desk.Items[0].Action != entry.Approve || !strings.Contains(desk.Items[0].Why.String(), "First version.") {
		t.Errorf("the reviewer's desk: %+v", desk.Items)
	}
	_, err = approve(writer, "burst-main-notice", "")
	refused(t, "a contributor approves", err, 403, "a reviewer or curator who wrote none of it")
	_, err = approve(reader, "burst-main-notice", "")
	refused(t, "a reader approves", err, 404)
	_, err = giveBack(reviewer, "burst-main-notice", " ")
	refused(t, "return without a reason", err, 422, "the reason is missing")
	back := step[api.Entry](t, "return")(giveBack(reviewer, "burst-main-notice", "Say where."))
	if back.State != entry.Draft || back.Returned != "Say where." {
		t.Errorf("returned: %s %q", back.State, back.Returned)
	}
	step[api.Entry](t, "submit")(writer.Submit(ctx, "burst-main-notice", "First version."))
	approved := step[api.Entry](t, "approve")(approve(reviewer, "burst-main-notice", "Good."))
	if approved.State != entry.Approved || len(approved.Approvals) != 1 || approved.Approvals[0].Comment != "Good." {
		t.Errorf("approved: %s %+v", approved.State, approved.Approvals)
	}
	_, err = approve(reviewer, "burst-main-notice", "")
	refused(t, "approve twice", err, 409, "is approved")
	_, err = publish(reviewer, "burst-main-notice")
	refused(t, "a reviewer publishes", err, 403, "only a curator may publish")
	if desk := step[api.Desk](t, "desk")(curator.Desk(ctx, 0, "")); len(desk.Items) != 1 || desk.Items[0].Action != entry.Publish {
		t.Errorf("the curator's desk: %+v", desk.Items)
	}
	step[api.Entry](t, "publish")(publish(curator, "burst-main-notice"))
	_, err = publish(curator, "burst-main-notice")
	refused(t, "publish twice", err, 409, "no open version")

	found := step[api.List](t, "find")(reader.Shelf(ctx, client.Query{Words: "burst households", Labels: map[string][]string{"department": {"customer-care"}}}))
	if found.Total != 1 || found.Items[0].Slug != "burst-main-notice" {
		t.Errorf("found: %+v", found.Items)
	}
	filled := step[api.Filled](t, "fill")(reader.Fill(ctx, "burst-main-notice", fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6")}))
	if want := "Write to Mill Lane: water is back in 6 hours.\n"; filled.Text != want {
		t.Errorf("filled: %q, want %q", filled.Text, want)
	}

	second := notice("Now {{area}}, {{hours}} hours.\n")
	step[api.Entry](t, "version 2")(first(writer.SaveDraft(ctx, "burst-main-notice", "", second)))
	for _, ref := range []string{"burst-main-notice", "burst-main-notice@1"} {
		if e := step[api.Entry](t, ref)(reader.ShelfEntry(ctx, ref)); e.Body != firstText || e.Version != 1 {
			t.Errorf("%s while 2 is a draft: version %d, %q", ref, e.Version, e.Body)
		}
	}
	_, err = reader.ShelfEntry(ctx, "burst-main-notice@2")
	refused(t, "a version that is a draft", err, 404)
	_, err = reader.Version(ctx, "burst-main-notice", 2)
	refused(t, "a reader looks for version 2", err, 404)
	if h := step[api.Versions](t, "history")(reader.Versions(ctx, "burst-main-notice")); len(h.Items) != 1 {
		t.Errorf("a reader's history has %d versions, want 1", len(h.Items))
	}
	step[api.Entry](t, "submit 2")(writer.Submit(ctx, "burst-main-notice", "Shorter."))
	step[api.Entry](t, "approve 2")(approve(reviewer, "burst-main-notice", ""))
	step[api.Entry](t, "publish 2")(publish(curator, "burst-main-notice"))
	if e := step[api.Entry](t, "the shelf")(reader.ShelfEntry(ctx, "burst-main-notice")); e.Version != 2 || e.Body != second.Body {
		t.Errorf("the shelf has version %d, %q", e.Version, e.Body)
	}
	if e := step[api.Entry](t, "version 1")(reader.ShelfEntry(ctx, "burst-main-notice@1")); e.Body != firstText || e.State != entry.Superseded {
		t.Errorf("version 1 is %s, %q", e.State, e.Body)
	}
	h := step[api.Versions](t, "history")(reader.Versions(ctx, "burst-main-notice"))
	if len(h.Items) != 2 || h.Items[0].Note != "Shorter." || h.Items[1].Note != "First version." || h.Items[0].Author != "Contributor" || h.Items[0].PublishedAt == nil {
		t.Errorf("history: %+v", h.Items)
	}
}

// first drops the ETag of a save.
func first(e api.Entry, _ string, err error) (api.Entry, error) { return e, err }

func TestNobodyApprovesWhatTheyWrote(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	step[api.Entry](t, "create")(w.as("contributor").Create(ctx, notice(firstText)))
	_, etag, err := w.as("curator").Draft(ctx, "burst-main-notice")
	if err != nil {
		t.Fatal(err)
	}
	step[api.Entry](t, "the curator changes a word")(first(w.as("curator").SaveDraft(ctx, "burst-main-notice", etag, notice(firstText+"More.\n"))))
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "burst-main-notice", "Ready."))
	before := w.Rows()
	_, err = approve(w.as("curator"), "burst-main-notice", "")
	refused(t, "the curator approves", err, 403, "you wrote some of version 1")
	if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("rows were %v, now %v", before, after)
	}
	// Looking at a draft and saving it as it is makes nobody its writer.
	step[api.Entry](t, "the other curator approves")(approve(w.as("chief"), "burst-main-notice", ""))
}

func TestSavingOverSomeoneElse(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, curator := w.as("contributor"), w.as("curator")
	step[api.Entry](t, "create")(writer.Create(ctx, notice(firstText)))
	_, etag, err := writer.Draft(ctx, "burst-main-notice")
	if err != nil {
		t.Fatal(err)
	}
	_, newer, err := curator.SaveDraft(ctx, "burst-main-notice", etag, notice("Theirs {{area}} {{hours}}.\n"))
	if err != nil || newer == etag {
		t.Fatalf("the curator's save: %q, %v", newer, err)
	}
	before := w.Rows()
	_, _, err = writer.SaveDraft(ctx, "burst-main-notice", etag, notice("Mine.\n"))
	refused(t, "the second save", err, 412, "Curator saved version 1", "your text was not saved")
	if e, ok := err.(*client.Error); !ok || e.ETag != newer {
		t.Errorf("the refusal names the ETag %+v, want %s", err, newer)
	}
	if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("rows were %v, now %v", before, after)
	}
	d, now, err := writer.Draft(ctx, "burst-main-notice")
	if err != nil || d.Body != "Theirs {{area}} {{hours}}.\n" || now != newer {
		t.Errorf("the draft is %q under %s, %v", d.Body, now, err)
	}
	_, again, err := writer.SaveDraft(ctx, "burst-main-notice", now, notice(d.Body))
	if err != nil || again != now {
		t.Errorf("saving what is there: ETag %s, %v; want %s", again, err, now)
	}
	a := w.call("contributor", "PUT", "/api/v1/entries/burst-main-notice/draft", `{"kind":"prompt","body":"x"}`)
	if a.status != 428 || !strings.Contains(a.Detail.String(), "If-Match") {
		t.Errorf("no If-Match: %d %s", a.status, a.Detail)
	}
	a = w.call("contributor", "PUT", "/api/v1/entries/burst-main-notice/draft", `{"kind":"prompt","body":"x"}`, "If-None-Match", "*")
	if a.status != 412 || a.header.Get("ETag") != now {
		t.Errorf("begin where a version is open: %d, ETag %s; want 412, %s", a.status, a.header.Get("ETag"), now)
	}
}

// Many saves at once on one revision: one wins, all others are told.
func TestManySavesAtOnce(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	step[api.Entry](t, "create")(writer.Create(ctx, notice(firstText)))
	_, etag, err := writer.Draft(ctx, "burst-main-notice")
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	got := map[int]int{}
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Go(func() {
			_, _, err := writer.SaveDraft(ctx, "burst-main-notice", etag, notice(fmt.Sprintf("Text %d.\n", i)))
			mu.Lock()
			defer mu.Unlock()
			got[client.Status(err)]++
		})
	}
	wg.Wait()
	if got[0] != 1 || got[412] != 19 {
		t.Errorf("got %v, want one save and 19 refusals with 412", got)
	}
}

func TestIdempotencyKey(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	body := `{"slug":"a-snippet","kind":"snippet","body":"x","title":"T","summary":"S"}`
	one := w.call("contributor", "POST", "/api/v1/entries", body, "Idempotency-Key", "k1")
	two := w.call("contributor", "POST", "/api/v1/entries", body, "Idempotency-Key", "k1")
	if one.status != 201 || two.status != 201 || one.body != two.body {
		t.Errorf("got %d and %d", one.status, two.status)
	}
	if n := w.Rows()["entries"]; n != 1 {
		t.Errorf("there are %d entries, want 1", n)
	}
	if other := w.call("contributor", "POST", "/api/v1/entries", `{"kind":"snippet","body":"y"}`, "Idempotency-Key", "k1"); other.status != 422 {
		t.Errorf("another request under the key: %d", other.status)
	}
	if else1 := w.call("curator", "POST", "/api/v1/entries", body, "Idempotency-Key", "k1"); else1.status != 409 {
		t.Errorf("somebody else's key is their own: %d", else1.status)
	}
	if fresh := w.call("contributor", "POST", "/api/v1/entries", body); fresh.status != 409 || !strings.Contains(fresh.Detail.String(), "choose another slug") {
		t.Errorf("the slug again: %d %s", fresh.status, fresh.Detail)
	}
}

func TestETagsOnReading(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.publish(notice(firstText))
	for _, path := range []string{"/shelf", "/shelf/burst-main-notice", "/entries", "/entries/burst-main-notice", "/entries/burst-main-notice/versions", "/desk", "/labels", "/session"} {
		a := w.call("reader", "GET", "/api/v1"+path, "")
		tag := a.header.Get("ETag")
		if a.status != 200 || tag == "" {
			t.Errorf("%s: status %d, ETag %q", path, a.status, tag)
			continue
		}
		if again := w.call("reader", "GET", "/api/v1"+path, "", "If-None-Match", tag); again.status != 304 || again.body != "" {
			t.Errorf("%s again: status %d, %d bytes", path, again.status, len(again.body))
		}
	}
}

func TestPagesStayRightWhileEntriesAreAdded(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	snippet := func(slug string) {
		w.publish(api.NewEntry{Slug: slug, Content: entry.Content{Kind: entry.Snippet, Title: slug, Summary: "S", Body: "a burst main\n"}})
	}
	for _, s := range []string{"bb", "dd", "ff", "hh", "jj"} {
		snippet(s)
	}
	for _, words := range []string{"", "burst"} {
		var got []string
		q := client.Query{Words: words, Limit: 2}
		for i := 0; ; i++ {
			list := step[api.List](t, "page")(w.as("reader").Shelf(ctx, q))
			for _, it := range list.Items {
				got = append(got, it.Slug)
			}
			if i == 0 && words == "" {
				snippet("aa") // before the place where we are
				snippet("ii") // behind it
			}
			if q.Cursor = list.Next; q.Cursor == "" {
				break
			}
		}
		want := "[bb dd ff hh ii jj]"
		if words != "" {
			want = "[aa bb dd ff hh ii jj]"
		}
		if fmt.Sprint(got) != want {
			t.Errorf("searching %q: got %v, want %s", words, got, want)
		}
	}
	_, err := w.as("reader").Shelf(ctx, client.Query{Cursor: "xyz"})
	refused(t, "a cursor of no page", err, 422, "the cursor is none of ours")
}

func TestFacetsCountGivenTheRest(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	for i, labels := range []map[string][]string{
		{"department": {"customer-care"}, "model": {"heron-2"}},
		{"department": {"customer-care", "laboratory"}},
		{"department": {"laboratory"}, "model": {"heron-2"}},
	} {
		w.publish(api.NewEntry{Slug: fmt.Sprintf("e%d", i), Content: entry.Content{Kind: entry.Snippet, Title: "T", Summary: "S", Labels: labels, Body: "x"}})
	}
	list := step[api.List](t, "shelf")(w.as("reader").Shelf(ctx, client.Query{Labels: map[string][]string{"department": {"laboratory"}}}))
	got := map[string]int{}
	for _, f := range list.Facets {
		for _, term := range f.Terms {
			got[f.Name+"/"+term.Name] = term.Count
		}
	}
	for what, want := range map[string]int{"department/laboratory": 2, "department/customer-care": 2, "model/heron-2": 1, "kind/snippet": 2, "kind/prompt": 0, "application/weir-mail": 0} {
		if got[what] != want {
			t.Errorf("%s counts %d, want %d", what, got[what], want)
		}
	}
	if list.Total != 2 {
		t.Errorf("total is %d, want 2", list.Total)
	}
}

func TestSearchTakesWordsInAnyForm(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.publish(notice("Households are told about hosepipes. {{area}}{{hours}}\n"))
	for words, want := range map[string]int{
		"burst": 1, "BURST mains": 1, "bur": 1, "household": 1, "telling": 1, "hosepipe": 1, "contributor": 1, "customer care": 1,
		"burst-main-notice": 1, "the": 0, "elephant": 0, "!!!": 1, ":*&|": 1,
	} {
		if got := step[api.List](t, words)(w.as("reader").Shelf(ctx, client.Query{Words: words})); got.Total != want {
			t.Errorf("%q finds %d, want %d", words, got.Total, want)
		}
	}
	// What nothing has whole is answered by what has most of it, and said.
	got := step[api.List](t, "most of it")(w.as("reader").Shelf(ctx, client.Query{Words: "burst elephant"}))
	if got.Total != 1 || !got.Partial || len(got.Items[0].Missing) != 1 || got.Items[0].Missing[0] != "elephant" || !slices.Contains(got.Items[0].Marks, "burst") {
		t.Errorf("most of it: %+v", got)
	}
	got = step[api.List](t, "misspelt")(w.as("reader").Shelf(ctx, client.Query{Words: "hosepipw"}))
	if got.Total != 1 || len(got.Instead) != 1 || got.Instead[0].Taken != "hosepipes" {
		t.Errorf("misspelt: %+v", got)
	}
	got = step[api.List](t, "by fields")(w.as("reader").Shelf(ctx, client.Query{Words: `burst department:"customer care" -kind:persona owner:contributor`}))
	if got.Total != 1 || !got.Note.IsZero() {
		t.Errorf("by fields: %+v", got)
	}
	got = step[api.List](t, "no such term")(w.as("reader").Shelf(ctx, client.Query{Words: `burst department:zoo`}))
	if got.Total != 0 || !strings.Contains(got.Note.String(), "department has no term “zoo”") {
		t.Errorf("by a term that is none: %+v", got)
	}
	if _, err := w.as("reader").Shelf(ctx, client.Query{Words: "'; drop table entries; --"}); err != nil {
		t.Error(err)
	}
	if _, err := w.as("reader").Shelf(ctx, client.Query{Words: strings.Repeat("word ", 2100)}); err == nil || !strings.Contains(err.Error(), "10500 characters") {
		t.Errorf("of 10,500 characters: %v", err)
	}
}

func TestPreview(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.publish(api.NewEntry{Slug: "tone", Content: entry.Content{Kind: entry.Snippet, Title: "T", Summary: "S", Body: "Calm, {{who}}.\n", Blanks: []fill.Blank{{Name: "who", Ask: "Who?"}}}})
	step[api.Entry](t, "draft")(w.as("contributor").Create(ctx, api.NewEntry{Slug: "newer", Content: entry.Content{Kind: entry.Snippet, Body: "new\n"}}))
	in := api.PreviewRequest{Body: "{{include tone}} {{a or \"b\"}}", Values: fill.Values{"who": fill.Single("all")}}
	got := step[api.Preview](t, "preview")(w.as("contributor").Preview(ctx, in))
	if got.Text != "Calm, all. b" || len(got.Blanks) != 2 || len(got.Problems) != 0 {
		t.Errorf("got %+v", got)
	}
	got = step[api.Preview](t, "faulty")(w.as("contributor").Preview(ctx, api.PreviewRequest{Body: "é {{A}}\n{{if b}}"}))
	if len(got.Problems) != 2 || got.Problems[0].Line != 1 || got.Problems[0].Column != 5 || got.Problems[1].Line != 2 {
		t.Errorf("got %+v", got.Problems)
	}
	include := api.PreviewRequest{Body: "{{include newer}}"}
	if got = step[api.Preview](t, "newer")(w.as("reviewer").Preview(ctx, include)); got.Text != "new" || fmt.Sprint(got.Newer) != "[{newer 1}]" {
		t.Errorf("a reviewer gets %q, newer %v", got.Text, got.Newer)
	}
	if got = step[api.Preview](t, "not newer")(w.as("second").Preview(ctx, include)); len(got.Problems) != 1 {
		t.Errorf("who sees no drafts gets %+v", got)
	}
}

func TestSigningInIsSlowedAfterFailures(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	c := &client.Client{Server: w.url, HTTP: w.http}
	statuses := map[int]int{}
	for range 10 {
		_, err := c.SignIn(ctx, "reader", "wrong")
		statuses[client.Status(err)]++
	}
	if statuses[401] < 5 || statuses[429] == 0 || statuses[401]+statuses[429] != 10 {
		t.Errorf("ten wrong passwords: %v", statuses)
	}
	_, err := c.SignIn(ctx, "reader", password)
	refused(t, "the right one, too soon", err, 429, "try again in")
	if e, ok := err.(*client.Error); !ok || e.RetryAfter < time.Second {
		t.Errorf("Retry-After: %+v", err)
	}
	w.Clock.Pass(time.Minute)
	if _, err := c.SignIn(ctx, "reader", password); err != nil {
		t.Errorf("after a minute: %v", err)
	}
	if _, err := c.SignIn(ctx, "nobody", "wrong"); client.Status(err) != 401 {
		t.Errorf("an unknown name: %v", err)
	}
	w.Clock.Pass(31 * 24 * time.Hour)
	_, err = c.Session(ctx)
	refused(t, "a token of last month", err, 401, "sign in again")
}

func TestSigningOutEndsTheToken(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	c := w.as("reader")
	token := c.Token
	if err := c.SignOut(ctx); err != nil {
		t.Fatal(err)
	}
	c.Token = token
	_, err := c.Session(ctx)
	refused(t, "a token that was signed out", err, 401, "sign in again")
}

// What another service on the same database changes is heard of within a second.
func TestASignInEndedElsewhere(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	c := w.as("reader")
	step[api.Session](t, "session")(c.Session(ctx))
	w.Exec(`delete from tokens`)
	w.Clock.Pass(time.Second)
	_, err := c.Session(ctx)
	refused(t, "a second later", err, 401, "sign in again")
}
