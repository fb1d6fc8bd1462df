package talks_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/internal/asking"
	"goldshelf/internal/jobs"
	use "goldshelf/internal/register"
	"goldshelf/internal/talks"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// world is a library with a connection to the simulated models, and talks.
type world struct {
	*testdb.Models
	talks *talks.Service
}

func newWorld(t *testing.T, change func(*endpoint.Spec)) *world {
	t.Helper()
	w := &world{Models: databases.Models(t, change)}
	w.talks = talks.New(w.DB, texts.New(w.DB), w.Asking)
	w.Publish(testdb.Part(entry.Persona, "clerk", "You are the front desk.\n"), testdb.Prompt("notice", "Write about the burst main in {{area}}.\n"))
	return w
}

// second is another service on the same library.
func (w *world) second() (*asking.Asking, *talks.Service) {
	a := w.AskingOf(w.Second())
	return a, talks.New(w.Second(), texts.New(w.DB), a)
}

func trying(columns ...api.TryColumn) api.TryRequest {
	if columns == nil {
		columns = []api.TryColumn{{Model: "heron-2"}}
	}
	return api.TryRequest{Ref: "notice", Values: fill.Values{"area": fill.Single("Mill Lane")}, Columns: columns}
}

func (w *world) try(t *testing.T, in api.TryRequest) api.Talk {
	t.Helper()
	talk, err := w.talks.Try(t.Context(), w.By("reader"), in)
	if err != nil {
		t.Fatal(err)
	}
	return talk
}

func (w *world) reply(t *testing.T, id string) api.TalkReply {
	t.Helper()
	r, err := w.talks.Reply(t.Context(), w.By("reader"), id)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestATry(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	r, err := use.New(w.DB).Register(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	price := 2.0
	if _, err := use.New(w.DB).Change(t.Context(), w.By("curator"), r.Number, "model", "heron-2", api.RegisteredChange{Details: register.Details{Status: register.Allowed, PriceIn: &price, PriceOut: &price}}); err != nil {
		t.Fatal(err)
	}
	talk := w.try(t, trying(api.TryColumn{Model: "heron-2"}, api.TryColumn{Model: "heron-2", Persona: "clerk"}))
	if len(talk.Replies) != 2 || talk.Slug != "notice" || talk.Replies[0].State != "waiting" || talk.Replies[0].Title != "the usual persona" || talk.Replies[1].Title != "clerk" {
		t.Fatalf("%+v", talk)
	}
	sent := talk.Replies[1]
	if len(sent.Messages) != 2 || sent.Messages[0].Role != endpoint.System || !strings.Contains(sent.Messages[1].Text, "Mill Lane") || len(sent.Used) != 2 {
		t.Errorf("sent %+v of %+v", sent.Messages, sent.Used)
	}
	if n := testdb.AskDue(t, w.Asking); n != 2 {
		t.Fatalf("%d were asked for", n)
	}
	got := w.reply(t, talk.Replies[0].ID)
	if got.State != "done" || !strings.Contains(got.Text, "Mill Lane") || got.Reason != "end" || got.Tokens.Out == 0 || got.EndedAt == nil ||
		got.Cost == nil || *got.Cost != 2*float64(got.Tokens.In+got.Tokens.Out)/1e6 {
		t.Errorf("got %+v", got)
	}

	// A follow-up has all that was said before.
	now, err := w.talks.FollowUp(t.Context(), w.By("reader"), talk.ID, api.FollowUp{After: got.ID, Text: "Make it shorter."})
	if err != nil || len(now.Replies) != 3 || now.Replies[2].Turn != 2 || len(now.Replies[2].Messages) != len(got.Messages)+2 {
		t.Fatalf("%+v, %v", now, err)
	}
	testdb.AskDue(t, w.Asking)
	if short := w.reply(t, now.Replies[2].ID); len(short.Text) >= len(got.Text) || short.Text == "" {
		t.Errorf("%q is not shorter than %q", short.Text, got.Text)
	}
	if _, err := w.talks.FollowUp(t.Context(), w.By("reader"), talk.ID, api.FollowUp{After: got.ID, Text: " "}); err == nil {
		t.Error("nothing is asked")
	}

	if whole, err := w.talks.Talk(t.Context(), w.By("reader"), talk.ID); err != nil || len(whole.Differences) != 1 || whole.Differences[0].Turn != 1 || len(whole.Differences[0].Lines) == 0 {
		t.Errorf("the two beside each other differ: %+v, %v", whole.Differences, err)
	}
	all, err := w.talks.Talks(t.Context(), w.By("reader"), "mill LANE")
	if err != nil || len(all.Items) != 1 || all.Items[0].Replies != 3 {
		t.Errorf("found %+v, %v", all, err)
	}
	for _, words := range []string{"%", "nowhere", `\`} {
		if all, err := w.talks.Talks(t.Context(), w.By("reader"), words); err != nil || len(all.Items) != 0 {
			t.Errorf("%q finds %+v, %v", words, all, err)
		}
	}
}

// Whatever is wrong is told at once, and nothing is begun.
func TestWhatCannotBeTried(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) { c.NoPersonal, c.Departments = true, []string{"customer-care"} })
	w.Publish(testdb.Prompt("with-mail", "Write to wren@larkfen.example in {{area}}.\n"))
	lab := testdb.Prompt("of-the-lab", "Write about {{area}}.\n")
	lab.Labels["department"] = []string{"laboratory"}
	w.Create(lab)
	hot := 3.0
	for name, c := range map[string]struct {
		in   api.TryRequest
		want string
	}{
		"no value":           {api.TryRequest{Ref: "notice", Columns: []api.TryColumn{{Model: "heron-2"}}}, "area is missing"},
		"no column":          {api.TryRequest{Ref: "notice"}, "0 models"},
		"five columns":       {trying(slices.Repeat([]api.TryColumn{{Model: "heron-2"}}, 5)...), "5 models"},
		"no model":           {trying(api.TryColumn{}), "say which model"},
		"another model":      {trying(api.TryColumn{Model: "swan"}), "no model \"swan\""},
		"no such persona":    {trying(api.TryColumn{Model: "heron-2", Persona: "nobody"}), "nobody is not on the shelf"},
		"no such entry":      {api.TryRequest{Ref: "nothing", Columns: []api.TryColumn{{Model: "heron-2"}}}, "nothing"},
		"no version":         {api.TryRequest{Ref: "notice@x", Columns: []api.TryColumn{{Model: "heron-2"}}}, "names no version"},
		"settings":           {func() api.TryRequest { r := trying(); r.Settings.Temperature = &hot; return r }(), "temperature is 3"},
		"personal data":      {func() api.TryRequest { r := trying(); r.Ref = "with-mail"; return r }(), "personal data"},
		"somebody's draft":   {func() api.TryRequest { r := trying(); r.Ref, r.Open = "of-the-lab", true; return r }(), "no entry \"of-the-lab\""},
		"an unknown value":   {func() api.TryRequest { r := trying(); r.Values["x"] = fill.Single("y"); return r }(), "x"},
		"text that is no ID": {func() api.TryRequest { r := trying(); r.Ref = "no\x00tice"; return r }(), "NUL"},
	} {
		if _, err := w.talks.Try(t.Context(), w.By("reader"), c.in); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	open := trying()
	open.Ref, open.Open = "of-the-lab", true
	if _, err := w.talks.Try(t.Context(), w.By("contributor"), open); err == nil || !strings.Contains(err.Error(), "for the entries of customer-care") {
		t.Errorf("of another department: %v", err)
	}
	if rows := w.Rows(); rows["talks"] != 0 || rows["replies"] != 0 {
		t.Errorf("begun all the same: %d talks, %d replies", rows["talks"], rows["replies"])
	}
}

// What a connection may be sent is said by labels too, and what is about nothing any more is not
// sent where that counts.
func TestAConnectionForSomeLabels(t *testing.T) {
	t.Parallel()
	w := newWorld(t, func(c *endpoint.Spec) {
		c.Labels = map[string][]string{"application": {"weir-mail"}, "department": {"customer-care", "laboratory"}}
	})
	other := testdb.Prompt("by-hand", "Write about {{area}}.\n")
	delete(other.Labels, "application")
	w.Publish(other)
	in := trying(api.TryColumn{Model: "heron-2"})
	talk, err := w.talks.Try(t.Context(), w.By("reader"), in)
	if err != nil {
		t.Fatal(err)
	}
	in.Ref = "by-hand"
	if _, err := w.talks.Try(t.Context(), w.By("reader"), in); err == nil || !strings.Contains(err.Error(), "it is for entries whose application is weir-mail") {
		t.Errorf("without the label: %v", err)
	}
	testdb.AskDue(t, w.Asking)
	w.Exec("update talks set entry_id = null")
	_, err = w.talks.FollowUp(t.Context(), w.By("reader"), talk.ID, api.FollowUp{After: talk.Replies[0].ID, Text: "Shorter."})
	if err == nil || !strings.Contains(err.Error(), "it is for entries whose application") {
		t.Errorf("of an entry that is gone: %v", err)
	}
}

// The open version is tried beside the one on the shelf.
func TestTheOpenVersionIsTried(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	w.Create(testdb.Prompt("draft", "Write a letter about the leak in {{area}}.\n"))
	in := trying(api.TryColumn{Model: "heron-2"})
	in.Ref, in.Open = "draft", true
	talk, err := w.talks.Try(t.Context(), w.By("contributor"), in)
	if err != nil || !strings.Contains(talk.Replies[0].Messages[0].Text, "leak in Mill Lane") || talk.Replies[0].Used[0] != (fill.Ref{Entry: "draft", Version: 1}) {
		t.Errorf("%+v, %v", talk, err)
	}
	if _, err := w.talks.Try(t.Context(), w.By("second"), in); err == nil {
		t.Error("somebody else tries it")
	}
}

// A talk is its person's alone: neither curators nor the database tell anybody else of it.
func TestATalkIsPrivate(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	talk := w.try(t, trying())
	testdb.AskDue(t, w.Asking)
	id := talk.Replies[0].ID
	var missing *work.Missing
	for _, who := range []string{"second", "reviewer", "curator"} {
		by := w.By(who)
		_, talkErr := w.talks.Talk(t.Context(), by, talk.ID)
		_, replyErr := w.talks.Reply(t.Context(), by, id)
		_, stopErr := w.talks.Stop(t.Context(), by, id)
		_, onErr := w.talks.FollowUp(t.Context(), by, talk.ID, api.FollowUp{After: id, Text: "Shorter."})
		_, watchErr := w.talks.Watch(t.Context(), w.Listener(by.Name), id, 0, func(api.ReplyPiece) error { t.Error("a piece comes"); return nil })
		for i, err := range []error{talkErr, replyErr, stopErr, onErr, watchErr, w.talks.Delete(t.Context(), by, talk.ID)} {
			if !errors.As(err, &missing) {
				t.Errorf("%s, %d: %v", who, i, err)
			}
		}
		if all, err := w.talks.Talks(t.Context(), by, ""); err != nil || len(all.Items) != 0 {
			t.Errorf("%s lists %+v, %v", who, all, err)
		}
	}
	for _, statement := range []string{
		`do $$ begin if exists (select from talks) or exists (select from replies) then raise 'seen'; end if; end $$`,
		`do $$ begin delete from talks; update replies set text = ''; end $$`,
	} {
		if err := w.AsService(statement); err != nil {
			t.Error(err)
		}
	}
	if got := w.reply(t, id); got.Text == "" {
		t.Error("it is gone")
	}
	if err := w.talks.Delete(t.Context(), w.By("reader"), talk.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := w.talks.Talk(t.Context(), w.By("reader"), talk.ID); !errors.As(err, &missing) || w.Count("replies") != 0 {
		t.Errorf("deleted, %v; %d replies are left", err, w.Count("replies"))
	}
}

// A talk is kept or forgotten, read by a colleague whom its person lets, who can change nothing
// of it, and made an entry of.
func TestATalkIsKeptSharedAndMadeAnEntry(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	ctx, by, colleague := t.Context(), w.By("reader"), w.By("contributor")
	talk := w.try(t, trying(api.TryColumn{Model: "heron-2", Persona: "clerk"}))
	testdb.AskDue(t, w.Asking)
	id := talk.Replies[0].ID
	var missing *work.Missing
	unseen := func(when string) {
		t.Helper()
		if _, err := w.talks.Talk(ctx, colleague, talk.ID); !errors.As(err, &missing) {
			t.Errorf("%s: %v", when, err)
		}
	}
	unseen("before it is shared")
	if _, err := w.talks.Share(ctx, colleague, talk.ID, "contributor", true); !errors.As(err, &missing) {
		t.Errorf("shared with oneself by a colleague: %v", err)
	}
	var wrong problem.List
	for _, with := range []string{"reader", "nobody", ""} {
		if _, err := w.talks.Share(ctx, by, talk.ID, with, true); !errors.As(err, &wrong) {
			t.Errorf("shared with %q: %v", with, err)
		}
	}
	for range 2 {
		if got, err := w.talks.Share(ctx, by, talk.ID, "contributor", true); err != nil || len(got.SharedWith) != 1 || !got.Mine {
			t.Fatalf("%+v, %v", got, err)
		}
	}
	got, err := w.talks.Talk(ctx, colleague, talk.ID)
	if err != nil || got.Mine || len(got.Replies) != 1 || got.Replies[0].Text == "" {
		t.Errorf("the colleague reads %+v, %v", got, err)
	}
	if list, err := w.talks.Talks(ctx, colleague, ""); err != nil || len(list.Items) != 0 {
		t.Errorf("it is among the colleague's own: %+v, %v", list, err)
	}
	for name, do := range map[string]func() error{
		"go on": func() error {
			_, err := w.talks.FollowUp(ctx, colleague, talk.ID, api.FollowUp{After: id, Text: "Shorter."})
			return err
		},
		"keep":   func() error { _, err := w.talks.Keep(ctx, colleague, talk.ID, true); return err },
		"delete": func() error { return w.talks.Delete(ctx, colleague, talk.ID) },
		"share":  func() error { _, err := w.talks.Share(ctx, colleague, talk.ID, "curator", true); return err },
	} {
		if err := do(); !errors.As(err, &missing) {
			t.Errorf("the colleague may %s: %v", name, err)
		}
	}
	running := w.try(t, trying()).Replies[0]
	if _, err := w.talks.Share(ctx, by, running.Talk, "contributor", true); err != nil {
		t.Fatal(err)
	}
	if r, err := w.talks.Stop(ctx, colleague, running.ID); err == nil && r.State == "stopped" {
		t.Error("the colleague stops a reply")
	}
	if _, err := w.talks.Share(ctx, by, talk.ID, "contributor", false); err != nil {
		t.Fatal(err)
	}
	unseen("once it is shared no longer")

	// As an entry: the values are blanks again.
	e, err := w.talks.AsEntry(ctx, by, id)
	if err != nil || e.Body != "Write about the burst main in {{area}}.\n" && e.Body != "Write about the burst main in {{area}}." || len(e.Blanks) != 1 || e.Blanks[0].Ask == "" || e.Blanks[0].Sample.String() != "Mill Lane" || e.Persona != "clerk" {
		t.Errorf("%+v, %v", e, err)
	}
	if _, err := w.talks.AsEntry(ctx, colleague, id); !errors.As(err, &missing) {
		t.Errorf("the colleague makes an entry of it: %v", err)
	}

	// What nobody keeps is forgotten.
	if got, err := w.talks.Keep(ctx, by, talk.ID, true); err != nil || !got.Kept {
		t.Errorf("%+v, %v", got, err)
	}
	testdb.AskDue(t, w.Asking)
	w.Clock.Pass(91 * 24 * time.Hour)
	if err := jobs.Clean(ctx, w.DB); err != nil {
		t.Fatal(err)
	}
	if list, err := w.talks.Talks(ctx, by, ""); err != nil || len(list.Items) != 1 || list.Items[0].ID != talk.ID || !list.Items[0].Kept {
		t.Errorf("%+v, %v", list, err)
	}
}

// A prompt that a curator has marked changes a reply.
func TestRefinements(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil)
	ctx, by := t.Context(), w.By("reader")
	shorter := testdb.Prompt("shorter", "Say the same in half as many words.\n")
	shorter.Blanks = nil
	w.Publish(shorter)
	talk := w.try(t, trying())
	testdb.AskDue(t, w.Asking)
	in := api.FollowUp{After: talk.Replies[0].ID, Refinement: "shorter"}
	var wrong problem.List
	if _, err := w.talks.FollowUp(ctx, by, talk.ID, in); !errors.As(err, &wrong) {
		t.Errorf("before it is marked: %v", err)
	}
	write := writing.New(w.DB)
	if _, err := write.SetHelper(ctx, w.By("curator"), "shorter", api.Helper{Helps: "nonsense"}); !errors.As(err, &wrong) {
		t.Errorf("helps with nonsense: %v", err)
	}
	marked, err := write.SetHelper(ctx, w.By("curator"), "shorter", api.Helper{Helps: "refinement"})
	if err != nil || len(marked.Refinements) != 1 || len(marked.Helpers) != 0 {
		t.Fatalf("%+v, %v", marked, err)
	}
	got, err := w.talks.FollowUp(ctx, by, talk.ID, in)
	if err != nil || len(got.Replies) != 2 {
		t.Fatalf("%+v, %v", got, err)
	}
	if sent := got.Replies[1].Messages; !strings.Contains(sent[len(sent)-1].Text, "half as many words") {
		t.Errorf("%+v", sent)
	}
}
