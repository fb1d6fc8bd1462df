package pictures_test

import (
	"bytes"
	"errors"
	"image"
	"image/png"
	"os"
	"testing"
	"time"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/jobs"
	"goldshelf/internal/pictures"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

func picture(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// One picture brought by two at once is kept once, and forgotten a day later where no
// version has it; one that a version has stays.
func TestPicturesAreKeptOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, other := pictures.New(w.DB), pictures.New(w.Second())
	data := picture(t)
	add := func(s *pictures.Service) func() error {
		return func() error { _, err := s.Add(ctx, w.By("contributor"), data); return err }
	}
	for _, err := range testdb.Race(add(s), add(other), add(s)) {
		if err != nil {
			t.Error(err)
		}
	}
	p, err := s.Add(ctx, w.By("contributor"), data)
	if err != nil {
		t.Fatal(err)
	}
	kept := func() int {
		t.Helper()
		n, err := work.Ask(ctx, w.DB, func(v work.View) (int, error) { return v.Count("pictures") })
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := kept(); n != 1 {
		t.Errorf("%d are kept", n)
	}
	in := testdb.Prompt("notice", "Write to {{area}}.\n")
	in.Pictures = []entry.Picture{{ID: p.ID, Alt: "A door"}}
	w.Create(in)
	w.Clock.Pass(48 * time.Hour)
	if err := jobs.Clean(ctx, w.DB); err != nil || kept() != 1 {
		t.Errorf("one that a draft has is gone: %v", err)
	}
	in.Pictures = nil
	w.Save("notice", in)
	if err := jobs.Clean(ctx, w.DB); err != nil || kept() != 0 {
		t.Errorf("one that nothing has is kept: %v", err)
	}
	if _, _, err := s.Picture(ctx, p.ID, "large"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("asked for once it is gone: %v", err)
	}
}

func TestWhoBringsPictures(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := pictures.New(w.DB)
	var refused *entry.Refusal
	if _, err := s.Add(ctx, w.By("reader"), picture(t)); !errors.As(err, &refused) {
		t.Errorf("a reader: %v", err)
	}
	var wrong problem.List
	if _, err := s.Add(ctx, w.By("contributor"), []byte("no picture")); !errors.As(err, &wrong) {
		t.Errorf("no picture: %v", err)
	}
	for _, ask := range [][2]string{{"x", "large"}, {string(make([]byte, 64)), "huge"}} {
		if _, _, err := s.Picture(ctx, ask[0], ask[1]); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("%q: %v", ask, err)
		}
	}
}
