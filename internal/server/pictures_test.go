package server

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/testdb"
)

func pngOf(t *testing.T, w, h int, shade uint8) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range img.Pix {
		img.Pix[i] = shade
	}
	img.Set(0, 0, color.White)
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A picture stands beside a version, is part of what is reviewed, locked with its text, and
// shown on the shelf's cards; it goes out and comes in with the entry.
func TestPicturesBesideAnEntry(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	p := step[api.UploadedPicture](t, "bring")(writer.AddPicture(ctx, pngOf(t, 2000, 500, 90)))
	if p.Width != 1600 || p.Type != "image/png" {
		t.Errorf("%+v", p)
	}
	for _, size := range []string{"small", "medium", "large"} {
		if data := step[[]byte](t, size)(w.as("reader").Picture(ctx, p.ID, size)); !bytes.HasPrefix(data, []byte("\x89PNG")) {
			t.Errorf("%s is no PNG", size)
		}
	}
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	in.Pictures = []entry.Picture{{ID: p.ID, Alt: "A notice on a door"}}
	w.publish(in)
	e := step[api.Entry](t, "read")(w.as("reader").ShelfEntry(ctx, "notice"))
	if len(e.Pictures) != 1 || e.Pictures[0].Alt != "A notice on a door" {
		t.Errorf("read: %+v", e.Pictures)
	}
	list := step[api.List](t, "list")(w.as("reader").Shelf(ctx, client.Query{}))
	if list.Items[0].Picture == nil || list.Items[0].Picture.ID != p.ID {
		t.Errorf("on its card: %+v", list.Items[0].Picture)
	}
	without := e.Content
	without.Pictures = nil
	if e.Digest() == without.Digest() {
		t.Error("what is reviewed does not name the picture")
	}
	if err := w.AsService("update versions set pictures = '[]'"); err == nil || !strings.Contains(err.Error(), "pictures with it") {
		t.Errorf("the database lets a published picture go: %v", err)
	}
	next, _, err := writer.SaveDraft(ctx, "notice", "", api.NewEntry{Content: without})
	if err != nil || len(next.Pictures) != 0 {
		t.Errorf("the next version: %+v, %v", next.Pictures, err)
	}
	diff := step[api.Diff](t, "diff")(writer.Diff(ctx, "notice", 0, 0))
	if len(diff.Fields) != 1 || diff.Fields[0].Field != "/pictures" {
		t.Errorf("what changed: %+v", diff.Fields)
	}

	other := newWorld(t)
	for _, format := range []bundle.Format{bundle.Folder, bundle.JSON} {
		data, err := w.as("curator").Export(ctx, format, []string{"notice"}, client.Query{})
		if err != nil {
			t.Fatal(err)
		}
		in := other.as("curator")
		plan := step[api.Plan](t, "plan")(in.CreateImport(ctx, "moved", data, bundle.Reading{}, ""))
		step[api.Applied](t, "apply")(in.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest}))
		if format == bundle.JSON {
			break // the newest version has none
		}
		e := step[api.Entry](t, "moved")(in.Entry(ctx, "notice"))
		if format == bundle.Folder && len(e.Pictures) > 0 {
			if data := step[[]byte](t, "moved")(in.Picture(ctx, e.Pictures[0].ID, "large")); len(data) == 0 {
				t.Error("the picture did not come along")
			}
		}
		other = newWorld(t)
	}
}

func TestNoSuchPictures(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	for name, data := range map[string][]byte{
		"an SVG": []byte("<svg xmlns='x'/>"), "a program": []byte("\x7fELF"), "half": pngOf(t, 50, 50, 1)[:60], "nothing": {},
	} {
		if _, err := writer.AddPicture(ctx, data); statusOf(err) != http.StatusUnprocessableEntity {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := writer.AddPicture(ctx, make([]byte, 5<<20)); statusOf(err) != http.StatusRequestEntityTooLarge {
		t.Errorf("five MiB: %v", err)
	}
	if _, err := w.as("reader").AddPicture(ctx, pngOf(t, 5, 5, 1)); statusOf(err) != http.StatusForbidden {
		t.Errorf("a reader: %v", err)
	}
	if _, err := writer.Picture(ctx, strings.Repeat("0", 64), "large"); statusOf(err) != http.StatusNotFound {
		t.Errorf("one that is not there: %v", err)
	}
	p := step[api.UploadedPicture](t, "bring")(writer.AddPicture(ctx, pngOf(t, 5, 5, 1)))
	bad := testdb.Prompt("notice", "Write to {{area}}.\n")
	bad.Pictures = []entry.Picture{{ID: p.ID}, {ID: strings.Repeat("1", 64), Alt: "x"}, {ID: "../x", Alt: "x"}}
	_, err := writer.Create(ctx, bad)
	if got := problemsOf(err); len(got) < 2 {
		t.Errorf("what is wrong: %v", got)
	}
	for range 8 {
		bad.Pictures = append(bad.Pictures, entry.Picture{ID: p.ID, Alt: "x"})
	}
	if _, err := writer.Create(ctx, bad); statusOf(err) != http.StatusUnprocessableEntity {
		t.Errorf("nine: %v", err)
	}
}

func statusOf(err error) int {
	var e *client.Error
	if errors.As(err, &e) {
		return e.Status
	}
	return 0
}

func problemsOf(err error) []problem.Problem {
	var e *client.Error
	if errors.As(err, &e) {
		return e.Problems
	}
	return nil
}
