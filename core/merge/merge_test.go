package merge_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/merge"
	"goldshelf/core/problem"
)

func ExampleLines() {
	for _, h := range merge.Lines("one\ntwo\nthree\n", "one\n2\nthree\n", "zero\none\ntwo\nthree\n") {
		fmt.Printf("%s: %q\n", h.Outcome, h.Base+"|"+h.Ours+"|"+h.Theirs)
	}
	// Output:
	// theirs: "||zero\n"
	// same: "one\n|one\n|one\n"
	// ours: "two\n|2\n|two\n"
	// same: "three\n|three\n|three\n"
}

func TestLines(t *testing.T) {
	t.Parallel()
	const base = "a\nb\nc\nd\ne\n"
	for name, c := range map[string]struct{ ours, theirs, outcomes, joined string }{
		"nothing":            {base, base, "same", base},
		"theirs alone":       {base, "a\nb\nC\nd\ne\n", "same theirs same", "a\nb\nC\nd\ne\n"},
		"far apart":          {"A\nb\nc\nd\ne\n", "a\nb\nc\nd\nE\n", "ours same theirs", "A\nb\nc\nd\nE\n"},
		"the same change":    {"a\nb\nX\nd\ne\n", "a\nb\nX\nd\ne\n", "same alike same", "a\nb\nX\nd\ne\n"},
		"a conflict":         {"a\nb\nX\nd\ne\n", "a\nb\nY\nd\ne\n", "same conflict same", ""},
		"taken out, changed": {"a\nb\nd\ne\n", "a\nb\nY\nd\ne\n", "same conflict same", ""},
		"added at one place": {"a\nb\nc\nd\ne\nf\n", "a\nb\nc\nd\ne\ng\n", "same conflict", ""},
		"without a line end": {"a\nb\nc\nd\ne", base, "same ours", "a\nb\nc\nd\ne"},
		"all taken out":      {"", base, "ours", ""},
	} {
		hunks := merge.Lines(base, c.ours, c.theirs)
		var got []string
		for _, h := range hunks {
			got = append(got, string(h.Outcome))
		}
		if strings.Join(got, " ") != c.outcomes {
			t.Errorf("%s: %q, want %q", name, got, c.outcomes)
		}
		joined, err := merge.Join(hunks, nil)
		var list problem.List
		if conflict := strings.Contains(c.outcomes, "conflict"); conflict != errors.As(err, &list) || !conflict && joined != c.joined {
			t.Errorf("%s: joined %q, %v; want %q", name, joined, err, c.joined)
		}
	}
	hunks := merge.Lines(base, "a\nX\nc\nd\ne", "a\nY\nc\nd\ne\n")
	for side, want := range map[merge.Side]string{merge.TakeOurs: "a\nX\nc\nd\ne", merge.TakeTheirs: "a\nY\nc\nd\ne", merge.TakeBoth: "a\nX\nY\nc\nd\ne"} {
		if got, err := merge.Join(hunks, map[int]merge.Side{1: side}); err != nil || got != want {
			t.Errorf("%s: %q, %v; want %q", side, got, err, want)
		}
	}
	if _, err := merge.Join(hunks, map[int]merge.Side{1: merge.TakeOurs, 99: merge.TakeOurs}); err == nil {
		t.Error("a hunk that is not there is taken")
	}
}

func TestContents(t *testing.T) {
	t.Parallel()
	area, hours, boil := fill.Blank{Name: "area", Ask: "Which streets?"}, fill.Blank{Name: "hours", Type: fill.Number}, fill.Blank{Name: "boil", Type: fill.YesNo}
	base := entry.Content{Body: "To {{area}}.\n", Blanks: []fill.Blank{area, hours}, Persona: "officer"}
	ours, theirs := base, base
	asked, other := area, area
	asked.Ask, other.Ask = "Which lanes?", "Which roads?"
	ours.Blanks = []fill.Blank{asked}                // hours is taken out
	theirs.Blanks = []fill.Blank{other, hours, boil} // boil is new
	theirs.Persona, ours.Style = "desk", "plain"
	m := merge.Contents(base, ours, theirs)
	got := ""
	for _, p := range append(m.Blanks, m.Fields...) {
		got += fmt.Sprintf("%s %s, ", p.Name, p.Outcome)
	}
	if want := "area conflict, hours ours, boil theirs, persona theirs, style ours, "; got != want || !m.Moved() {
		t.Errorf("%q, want %q", got, want)
	}
	var list problem.List
	if _, err := merge.Take(base, ours, theirs, merge.Choices{}); !errors.As(err, &list) || len(list) != 1 || list[0].Field != "/blanks/area" {
		t.Errorf("with a conflict: %v", err)
	}
	out, err := merge.Take(base, ours, theirs, merge.Choices{Blanks: map[string]merge.Side{"area": merge.TakeTheirs}, Fields: map[string]merge.Side{"persona": merge.TakeOurs}})
	if err != nil || len(out.Blanks) != 2 || out.Blanks[0].Ask != "Which roads?" || out.Blanks[1].Name != "boil" || out.Persona != "officer" || out.Style != "plain" {
		t.Errorf("taken: %+v, %v", out, err)
	}
}

func TestChanges(t *testing.T) {
	t.Parallel()
	got := merge.Changes("a\nb\nc\n", "a\nB\nc\nd\n")
	if fmt.Sprintf("%q", got) != `[{"b\n" "B\n"} {"" "d\n"}]` {
		t.Errorf("%q", got)
	}
}

// Whatever the texts, every side joined is its text, and what only one changed is kept.
func FuzzLines(f *testing.F) {
	f.Add("a\nb\nc\n", "a\nX\nc\n", "a\nY\nc")
	f.Add("", "a", "b\n\n")
	f.Add("a\na\na\n", "a\na\n", "a\na\na\na\n")
	f.Fuzz(func(t *testing.T, base, ours, theirs string) {
		var b, o, th strings.Builder
		ourSide, theirSide := map[int]merge.Side{}, map[int]merge.Side{}
		hunks := merge.Lines(base, ours, theirs)
		for i, h := range hunks {
			b.WriteString(h.Base)
			o.WriteString(h.Ours)
			th.WriteString(h.Theirs)
			ourSide[i], theirSide[i] = merge.TakeOurs, merge.TakeTheirs
		}
		if b.String() != base || o.String() != ours || th.String() != theirs {
			t.Errorf("the hunks of %q, %q, %q are not these texts", base, ours, theirs)
		}
		if got, err := merge.Join(hunks, ourSide); err != nil || got != ours {
			t.Errorf("all ours: %q, %v", got, err)
		}
		if got, err := merge.Join(hunks, theirSide); err != nil || got != theirs {
			t.Errorf("all theirs: %q, %v", got, err)
		}
		if got, err := merge.Join(merge.Lines(base, base, theirs), nil); err != nil || got != theirs {
			t.Errorf("ours as it was: %q, %v", got, err)
		}
		if got, err := merge.Join(merge.Lines(base, ours, base), nil); err != nil || got != ours {
			t.Errorf("theirs as it was: %q, %v", got, err)
		}
	})
}
