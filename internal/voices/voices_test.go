package voices_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/voices"
	"goldshelf/internal/work"
)

const letter = "Your water is back. Run the tap in the kitchen first. If it is brown, let it run for ten minutes. Call us if it stays brown.\n\n"

func style(slug string) api.NewEntry {
	in := testdb.Prompt(slug, "## Guide\nShort sentences.\n")
	in.Kind = entry.Style
	return in
}

func add(ctx context.Context, s *voices.Service, by work.Caller, slug, name, text string) (api.Sample, error) {
	return s.AddSample(ctx, by, slug, voices.NewSample{Name: name, Text: []byte(text)})
}

func TestSamples(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, owner := voices.New(w.DB, texts.NewStyles()), w.By("contributor")
	w.Publish(style("plain"))
	f, err := s.Figures(ctx, w.By("reader"), "plain")
	if err != nil || f.Samples != 0 || f.Measured.Figures[0].Value != nil {
		t.Fatalf("without samples: %+v, %v", f, err)
	}
	one, err := add(ctx, s, owner, "plain", "letters", strings.Repeat(letter, 12))
	if err != nil || one.Words != 12*27 || one.Weight != 1 {
		t.Fatalf("%+v, %v", one, err)
	}
	if f, err = s.Figures(ctx, w.By("reader"), "plain"); err != nil || f.Samples != 1 || f.Measured.Figures[0].Value == nil || *f.Measured.Figures[0].Value != 6.75 || len(f.Guide) == 0 || f.Background != "shipped" {
		t.Fatalf("with one: %+v, %v", f, err)
	}
	// In the place of one that is called the same; the figures follow.
	again, err := add(ctx, s, owner, "plain", "letters", strings.Repeat("Call us.\n\n", 100))
	if err != nil || again.ID != one.ID {
		t.Fatalf("%+v, %v", again, err)
	}
	if f, err = s.Figures(ctx, w.By("reader"), "plain"); err != nil || f.Samples != 1 || *f.Measured.Figures[0].Value != 2 {
		t.Fatalf("replaced: %+v, %v", f.Measured.Figures[0], err)
	}
	text, err := s.Sample(ctx, owner, "plain", one.ID)
	if err != nil || !strings.HasPrefix(text.Text, "Call us.") {
		t.Fatalf("%.20q, %v", text.Text, err)
	}
	if err := s.RemoveSample(ctx, owner, "plain", one.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Sample(ctx, owner, "plain", one.ID); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("removed, and still there: %v", err)
	}
	if f, err = s.Figures(ctx, owner, "plain"); err != nil || f.Measured.Words != 0 {
		t.Errorf("removed, and still measured: %+v, %v", f.Measured, err)
	}
	// The record has the line, and not the text.
	var lines []string
	w.Select(&lines, "select detail::text from events where action = 'remove-sample'")
	if line := strings.Join(lines, ""); !strings.Contains(line, "letters") || strings.Contains(line, "Call us") {
		t.Errorf("recorded: %s", line)
	}
}

func TestBadSamples(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, owner := voices.New(w.DB, texts.NewStyles()), w.By("contributor")
	w.Publish(style("plain"))
	w.Publish(testdb.Prompt("notice", "Tell them.\n"))
	if _, err := add(ctx, s, owner, "plain", "first", letter); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		in   voices.NewSample
		want []string // fields
	}{
		{voices.NewSample{}, []string{"/name", "/text"}},
		{voices.NewSample{Name: "x", Text: []byte("\xff\xfe binary")}, []string{"/text"}},
		{voices.NewSample{Name: "x", Text: []byte("a\x00b")}, []string{"/text"}},
		{voices.NewSample{Name: strings.Repeat("x", 121), Weight: -1, Dated: "yesterday", Text: []byte("!!!")}, []string{"/name", "/weight", "/dated", "/text"}},
		{voices.NewSample{Name: "second", Text: []byte(letter)}, []string{"/text"}},
		{voices.NewSample{Name: "all that was ever written", Text: []byte(strings.Repeat("word ", 500_000))}, []string{"/text"}},
	} {
		_, err := s.AddSample(ctx, owner, "plain", c.in)
		var wrong problem.List
		if !errors.As(err, &wrong) {
			t.Errorf("%.30v: %v", c.in.Name, err)
			continue
		}
		var fields []string
		for _, p := range wrong {
			fields = append(fields, p.Field)
		}
		if fmt.Sprint(fields) != fmt.Sprint(c.want) {
			t.Errorf("%.30q: problems in %v, want %v: %v", c.in.Name, fields, c.want, err)
		}
	}
	for who, by := range map[string]work.Caller{"a reader": w.By("reader"), "a reviewer": w.By("reviewer")} {
		if _, err := add(ctx, s, by, "plain", "theirs", "Some words."); !errors.Is(err, entry.ErrNotAllowed) {
			t.Errorf("%s adds one: %v", who, err)
		}
		if _, err := s.Samples(ctx, by, "plain"); !errors.Is(err, entry.ErrNotAllowed) {
			t.Errorf("%s sees them: %v", who, err)
		}
	}
	if _, err := add(ctx, s, owner, "notice", "x", "Some words."); !errors.Is(err, entry.ErrWrongState) {
		t.Errorf("a sample of a prompt: %v", err)
	}
	if _, err := s.Figures(ctx, owner, "nothing-here"); !errors.Is(err, work.ErrNotFound) {
		t.Errorf("figures of nothing: %v", err)
	}
}

// Two who bring the same text at once under two names bring it once.
func TestTheSameSampleTwiceAtOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := voices.New(w.DB, texts.NewStyles())
	w.Publish(style("plain"))
	var all sync.WaitGroup
	errs := make([]error, 6)
	for i := range errs {
		all.Go(func() { _, errs[i] = add(ctx, s, w.By("contributor"), "plain", fmt.Sprint("copy ", i), letter) })
	}
	all.Wait()
	added := 0
	for _, err := range errs {
		var wrong problem.List
		switch {
		case err == nil:
			added++
		case !errors.As(err, &wrong):
			t.Error(err)
		}
	}
	if list, err := s.Samples(ctx, w.By("curator"), "plain"); err != nil || added != 1 || len(list.Items) != 1 {
		t.Errorf("%d were added, and there are %d (%v)", added, len(list.Items), err)
	}
}

// From five other styles on the house is its own background; until then one is shipped.
func TestBackground(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := voices.New(w.DB, texts.NewStyles())
	for i := range 6 {
		slug := fmt.Sprint("style-", i)
		w.Publish(style(slug))
		text := strings.Repeat(letter, 4) + strings.Repeat(fmt.Sprintf("Word%c stands here for the writer.\n\n", 'a'+i), 8)
		if _, err := add(ctx, s, w.By("contributor"), slug, "own", text); err != nil {
			t.Fatal(err)
		}
		f, err := s.Figures(ctx, w.By("reader"), "style-0")
		if err != nil {
			t.Fatal(err)
		}
		if want := map[bool]string{true: "house", false: "shipped"}[i == 5]; f.Background != want {
			t.Errorf("with %d others the background is %s", i, f.Background)
		}
		if i == 5 && (len(f.Characteristic) == 0 || f.Characteristic[0].Text != "worda") {
			t.Errorf("before the house's others: %+v", f.Characteristic)
		}
	}
}

func TestMeasure(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, reader := voices.New(w.DB, texts.NewStyles()), w.By("reader")
	w.Publish(style("plain"))
	if _, err := add(ctx, s, w.By("contributor"), "plain", "letters", strings.Repeat(letter, 40)); err != nil {
		t.Fatal(err)
	}
	v, err := s.Measure(ctx, reader, api.TextToMeasure{Text: strings.Repeat(letter, 3), Style: "plain"})
	if err != nil || v.Measured.Words != 81 || v.Fit == nil || v.Fit.Near != "near" || len(v.Fit.Stands) != 0 {
		t.Errorf("their own: %+v, %v", v.Fit, err)
	}
	far := strings.Repeat("It is anticipated that reinstatement of the carriageway will be undertaken by contractors in accordance with the programme. ", 4)
	if v, err = s.Measure(ctx, reader, api.TextToMeasure{Text: far, Style: "plain"}); err != nil || v.Fit.Near != "far off" || len(v.Fit.Stands) == 0 || v.Fit.Stands[0].Text != far[:len(far)/4-1] {
		t.Errorf("another's: %+v, %v", v.Fit, err)
	}
	if v, err = s.Measure(ctx, reader, api.TextToMeasure{}); err != nil || v.Measured.Words != 0 || v.Fit != nil {
		t.Errorf("nothing: %+v, %v", v, err)
	}
	for name, in := range map[string]api.TextToMeasure{
		"a text too long":           {Text: strings.Repeat("word ", 60_000)},
		"a text with a zero byte":   {Text: "a\x00b"},
		"a style that is not there": {Text: "Words.", Style: "nothing"},
	} {
		if _, err := s.Measure(ctx, reader, in); err == nil {
			t.Errorf("%s is measured", name)
		}
	}
}
