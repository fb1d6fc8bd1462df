package writing_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// The same save sent twice, under the same revision, is one save; another's is a clash
// that shows it.
func TestTheSameSaveTwice(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	write := writing.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Create(in)
	read, err := write.Draft(ctx, w.By("contributor"), "notice")
	if err != nil {
		t.Fatal(err)
	}
	in.Body = "Write kindly to {{area}}.\n"
	save := func(by string) (writing.Draft, error) {
		return write.SaveDraft(ctx, w.By(by), "notice", read.Revision, in)
	}
	first, err := save("contributor")
	if err != nil {
		t.Fatal(err)
	}
	again, err := save("contributor")
	if err != nil || again.Revision != first.Revision {
		t.Errorf("sent again it is revision %v, %v; want %v", again.Revision, err, first.Revision)
	}
	in.Body = "Write briefly to {{area}}.\n"
	var clash *writing.Clash
	if _, err := save("curator"); !errors.As(err, &clash) || clash.On != first.Revision || clash.Now.Body != "Write kindly to {{area}}.\n" {
		t.Errorf("another text under the same revision: %v", err)
	}
}

// Of eight who save other texts on one revision, one is saved, and the rest are shown it;
// of eight entries under one slug, one is made.
func TestSavesAndEntriesRace(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	services := []*writing.Service{writing.New(w.DB), writing.New(w.Second())}
	w.Create(testdb.Prompt("notice", "Write to {{area}}.\n"))
	read, err := services[0].Draft(ctx, w.By("contributor"), "notice")
	if err != nil {
		t.Fatal(err)
	}
	var saves, creates []func() error
	for i := range 8 {
		in := testdb.Prompt("notice", fmt.Sprintf("Text %d for {{area}}.\n", i))
		saves = append(saves, func() error {
			_, err := services[i%2].SaveDraft(ctx, w.By("contributor"), "notice", read.Revision, in)
			return err
		})
		creates = append(creates, func() error {
			_, err := services[i%2].Create(ctx, w.By("second"), testdb.Prompt("another", fmt.Sprintf("Other %d for {{area}}.\n", i)))
			return err
		})
	}
	saved, made := 0, 0
	for _, err := range testdb.Race(saves...) {
		var clash *writing.Clash
		if err == nil {
			saved++
		} else if !errors.As(err, &clash) {
			t.Error(err)
		}
	}
	for _, err := range testdb.Race(creates...) {
		var taken *work.Taken
		if err == nil {
			made++
		} else if !errors.As(err, &taken) {
			t.Error(err)
		}
	}
	if saved != 1 || made != 1 {
		t.Errorf("%d saves on one revision, and %d entries under one slug", saved, made)
	}
}

// Labels are the entry's: a save without any leaves them, and one with some sets them
// for the entry as it is on the shelf.
func TestASaveLeavesLabelsAlone(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	write := writing.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Publish(in)
	in.Labels, in.Body = nil, "Write kindly to {{area}}.\n"
	d, err := write.SaveDraft(ctx, w.By("contributor"), "notice", texts.Revision{}, in)
	if err != nil || fmt.Sprint(d.Entry.Labels["department"]) != "[customer-care]" {
		t.Errorf("saved without labels it has %v, %v", d.Entry.Labels, err)
	}
	in.Labels = map[string][]string{"department": {"laboratory"}}
	d, err = write.SaveDraft(ctx, w.By("contributor"), "notice", d.Revision, in)
	if err != nil || fmt.Sprint(d.Entry.Labels) != "map[department:[laboratory]]" {
		t.Errorf("saved with one label it has %v, %v", d.Entry.Labels, err)
	}
	in.Labels = map[string][]string{"department": {"moon"}}
	if _, err = write.SaveDraft(ctx, w.By("contributor"), "notice", d.Revision, in); err == nil || !strings.Contains(err.Error(), "moon") {
		t.Errorf("a term that is not there: %v", err)
	}
}

// What a save leaves out can be taken up again, and a caller who has left saves nothing.
func TestRestoreAVersion(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	write := writing.New(w.DB)
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	w.Publish(in)
	back, err := write.RestoreVersion(ctx, w.By("contributor"), "notice", 1)
	if err != nil || back.Version != 2 || back.Body != in.Body || back.State != entry.Draft {
		t.Errorf("brought back: %d %s %q, %v", back.Version, back.State, back.Body, err)
	}
	if _, err := write.RestoreVersion(ctx, w.By("contributor"), "notice", 1); err == nil {
		t.Error("a draft was overwritten unasked")
	}
	gone, cancel := context.WithCancel(ctx)
	cancel()
	d, err := write.Draft(ctx, w.By("contributor"), "notice")
	if err != nil {
		t.Fatal(err)
	}
	in.Body = "Never seen.\n"
	if _, err := write.SaveDraft(gone, w.By("contributor"), "notice", d.Revision, in); err == nil {
		t.Error("a caller who has left was told that it is saved")
	}
}

func TestOutline(t *testing.T) {
	t.Parallel()
	body := "Before.\r\n## Task\nDo it.\n---\n## Not a part\n---\n"
	out, err := writing.Outline(api.OutlineRequest{Body: body, Kind: entry.Prompt})
	if err != nil {
		t.Fatal(err)
	}
	joined := ""
	var titles []string
	for _, p := range out.Parts {
		joined += p.Heading + p.Text
		titles = append(titles, p.Title)
	}
	if joined != body || fmt.Sprintf("%q", titles) != `["" "Task"]` {
		t.Errorf("the parts are %q, and joined %q", titles, joined)
	}
	out, err = writing.Outline(api.OutlineRequest{Body: body, Kind: entry.Prompt, Add: "Role"})
	if err != nil || out.Parts[1].Title != "Role" {
		t.Errorf("with a role: %+v, %v", out.Parts, err)
	}
}

// An owner or a deputy is somebody who may do what they are asked to: a reader is neither.
func TestNewEntryHasOwnersWhoMayWrite(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	write := writing.New(w.DB)
	for name, in := range map[string]api.NewEntry{"deputy": {Deputy: "reader"}, "owner": {Owner: "reader"}} {
		req := testdb.Prompt("of-a-reader", "Text.\n")
		req.Owner, req.Deputy = in.Owner, in.Deputy
		if _, err := write.Create(t.Context(), w.By("curator"), req); err == nil || !strings.Contains(err.Error(), "who could be its "+name) {
			t.Errorf("a reader as %s: %v", name, err)
		}
	}
	req := testdb.Prompt("of-two", "Text.\n")
	req.Owner, req.Deputy = "second", "contributor"
	if _, err := write.Create(t.Context(), w.By("curator"), req); err != nil {
		t.Errorf("two contributors: %v", err)
	}
}
