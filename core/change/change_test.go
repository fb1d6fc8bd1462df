package change

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/test/intime"
)

// told writes a comparison as one line a line: its sign, then its words with
// [-removed-] and {+added+} in it.
func told(lines []Line) string {
	var out []string
	for _, l := range lines {
		text := ""
		for _, p := range l.Parts {
			switch {
			case l.Op == Changed && p.Op == Added:
				text += "{+" + p.Text + "+}"
			case l.Op == Changed && p.Op == Removed:
				text += "[-" + p.Text + "-]"
			default:
				text += p.Text
			}
		}
		sign := map[Op]string{Same: "=", Added: "+", Removed: "-", Changed: "~", Left: "<", Moved: ">"}[l.Op]
		out = append(out, fmt.Sprintf("%s%d/%d %s", sign, l.Old, l.New, text))
	}
	return strings.Join(out, "\n")
}

func TestTexts(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct{ name, old, now, want string }{
		{"the same", "a\nb\n", "a\nb\n", "=1/1 a\n=2/2 b"},
		{"nothing", "", "", ""},
		{"all new", "", "a\n", "+0/1 a"},
		{"all gone", "a\n", "", "-1/0 a"},
		{"a word", "Boil for one minute, then cool it.\n", "Boil for three minutes, then cool it.\n", "~1/1 Boil for [-one-]{+three+} [-minute-]{+minutes+}, then cool it."},
		{"a line between", "a one\nb two\n", "a one\nnew\nb two\n", "=1/1 a one\n+0/2 new\n=2/3 b two"},
		{"other words", "Nothing here stays.\n", "Entirely fresh words only.\n", "-1/0 Nothing here stays.\n+0/1 Entirely fresh words only."},
		{"moved", "First of all say when.\nTwo.\nThree.\nFour.\n", "Two.\nThree.\nFour.\nFirst of all say when.\n", "<1/4 First of all say when.\n=2/1 Two.\n=3/2 Three.\n=4/3 Four.\n>1/4 First of all say when."},
		{"short lines are not told as moved", "x\na\nb\n", "a\nb\nx\n", "-1/0 x\n=2/1 a\n=3/2 b\n+0/3 x"},
		{"a line before the changed one", "Say when water is back.\n", "Be kind.\nSay when the water is back.\n", "+0/1 Be kind.\n~1/2 Say when {+the +}water is back."},
		{"marks and letters of any kind", "Grüße an {{name}}\n", "Grüße an {{area}}\n", "~1/1 Grüße an {{[-name-]{+area+}}}"},
		{"without a last line end", "a b c", "a b c d", "~1/1 a b c{+ d+}"},
	} {
		if got := told(Texts(tt.old, tt.now)); got != tt.want {
			t.Errorf("%s: got\n%s\nwant\n%s", tt.name, got, tt.want)
		}
	}
}

// Long texts are taken apart at what stands once in both; what is the same stays so.
func TestLongTexts(t *testing.T) {
	t.Parallel()
	const n = 6000
	old := strings.Split(lines(n, 0, "Line %d says what to do.\n"), "\n")[:n]
	now := slices.Clone(old)
	now[10], now[4000] = "Entirely other words, ten.", "Entirely other words, four thousand."
	now = slices.Insert(now, 2000, "", "", "Two empty lines and this are new.")
	now = slices.Delete(now, 5000, 5003)
	count := map[Op]int{}
	for _, l := range texts(strings.Join(old, "\n"), strings.Join(now, "\n")) {
		count[l.Op]++
	}
	if count[Same] != n-2-3 || count[Added] != 3+2 || count[Removed] != 3+2 {
		t.Errorf("got %v", count)
	}
	// Nothing in common but lines that stand there again and again.
	again := strings.Repeat("---\n\n", 4000)
	if got := texts(again, "New.\n"+again); got[0].Op != Added || got[len(got)-1].Op != Same {
		t.Errorf("a line before: %v … %v", got[0], got[len(got)-1])
	}
}

func TestFields(t *testing.T) {
	t.Parallel()
	num := func(n float64) *float64 { return &n }
	old := entry.Content{
		Title: "Notice", Labels: map[string][]string{"department": {"laboratory"}, "model": {"heron-2"}}, Persona: "duty-officer", Sheets: []string{"a1", "b1"},
		Blanks: []fill.Blank{{Name: "hours", Ask: "In how many hours?", Max: num(48)}, {Name: "gone"}, {Name: "kept"}, {Name: "kind", Type: fill.Pick, Options: []string{"farm", "home"}}},
	}
	now := entry.Content{
		Title: "Notice of a burst", Summary: "S", Labels: map[string][]string{"department": {"laboratory", "customer-care"}}, Sheets: []string{"b1", "a1"}, Plain: true,
		Blanks: []fill.Blank{{Name: "hours", Ask: "In how many hours?", Type: fill.Number, Max: num(72), Min: num(1), Optional: true}, {Name: "kept"},
			{Name: "kind", Type: fill.Pick, Options: []string{"home", "shop"}, Default: fill.Single("home")}, {Name: "area", Type: fill.LongText}},
		Source: &entry.Source{Place: "Team chat"},
	}
	var got []string
	for _, f := range Fields(old, now) {
		got = append(got, f.Field+" "+f.Says.String())
	}
	want := `/title title: Notice of a burst, was Notice
/summary summary: S
/plain the text has no marks now, whatever it holds
/labels/department department: + customer-care
/labels/model model: − heron-2
/persona no recommended persona any more, was duty-officer
/sheets recommended sheets: in another order: b1, a1
/blanks/0 blank hours: a number, was a line; now at least 1; at most 72, was 48; need not be given
/blanks/2 blank kind: options: + shop, − farm; “home” if nothing is given
/blanks/3 new blank area: a text
/blanks/1 the blank gone is gone
/source/place where it came from: Team chat`
	if strings.Join(got, "\n") != want {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), want)
	}
	if same := Fields(now, now); same != nil {
		t.Errorf("nothing differs, and it says %v", same)
	}
}

func TestStepsThatDiffer(t *testing.T) {
	t.Parallel()
	relay := func(steps ...entry.Step) entry.Content { return entry.Content{Steps: steps} }
	half := 0.5
	facts := entry.Step{Name: "facts", Use: "tender-facts", With: map[string]string{"tender": "{{tender}}"}, Temperature: &half}
	plain := entry.Step{Name: "plain", Use: "plain-words", Over: &entry.Over{Step: "facts", Sections: "all"}}
	first := plain
	first.Over = &entry.Over{Step: "facts", Sections: "first"}
	again := half
	sameFacts := facts
	sameFacts.Temperature = &again
	for name, c := range map[string]struct {
		old, now entry.Content
		want     string
	}{
		"the same":      {relay(facts, plain), relay(sameFacts, entry.Step{Name: "plain", Use: "plain-words", Over: &entry.Over{Step: "facts", Sections: "all"}}), ""},
		"none":          {relay(), entry.Content{Steps: []entry.Step{}}, ""},
		"new and gone":  {relay(facts), relay(plain), "/steps/0 step plain, which uses plain-words, is new; /steps step facts is gone"},
		"another":       {relay(facts, plain), relay(facts, first), "/steps/1 step plain is another"},
		"another order": {relay(facts, plain), relay(plain, facts), "/steps the steps stand in another order"},
	} {
		var got []string
		for _, f := range Fields(c.old, c.now) {
			got = append(got, f.Field+" "+f.Says.String())
		}
		if said := strings.Join(got, "; "); said != c.want {
			t.Errorf("%s: %q", name, said)
		}
	}
}

// Taking what is not removed gives the new text's lines, and what is not added
// the old one's.
func FuzzTexts(f *testing.F) {
	f.Add("a\nb c d e\nf", "b c d e\na\nf g")
	f.Add("", "\n\n")
	f.Add("é {{x}}\r\n", "é {{y}}\r\n")
	f.Fuzz(func(t *testing.T, old, now string) {
		intime.Do(t, len(old)+len(now), func() { Texts(old, now) })
		tellsBoth(t, old, now)
	})
}

// Lines that recur past counting, and none of them in its place: no anchor helps.
func TestTextsWithoutAnchors(t *testing.T) {
	t.Parallel()
	tellsBoth(t,
		strings.Repeat("a\nb\n", 1200)+"c\n"+strings.Repeat("d\ne\n", 300),
		strings.Repeat("b\na\n", 1200)+"c\n"+strings.Repeat("e\nd\n", 300))
}

// tellsBoth fails where a difference does not hold each of the two texts whole.
func tellsBoth(t *testing.T, old, now string) {
	t.Helper()
	var was, is []string
	for _, l := range texts(old, now) {
		before, after := "", ""
		for _, p := range l.Parts {
			if p.Op != Added {
				before += p.Text
			}
			if p.Op != Removed {
				after += p.Text
			}
		}
		if l.Op != Added && l.Op != Moved {
			was = append(was, before)
		}
		if l.Op != Removed && l.Op != Left {
			is = append(is, after)
		}
	}
	if got, want := strings.Join(was, "\n"), strings.Join(Lines(old), "\n"); got != want {
		t.Fatalf("the old text %q is told as %q", want, got)
	}
	if got, want := strings.Join(is, "\n"), strings.Join(Lines(now), "\n"); got != want {
		t.Fatalf("the new text %q is told as %q", want, got)
	}
}

func lines(n, from int, format string) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, format, from+i)
	}
	return b.String()
}

// shuffled is lines in an order that keeps hardly any two together.
func shuffled(n int, format string) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, format, i*7919%n)
	}
	return b.String()
}

func BenchmarkTexts(b *testing.B) {
	const line = "Line %d says what to do when water is back, and whom to call first.\n"
	for name, texts := range map[string][2]string{
		"100KiB":             {lines(1500, 0, line), strings.ReplaceAll(lines(1500, 0, line), "7 says", "7 tells")},
		"1MiB_all_changed":   {lines(15000, 0, line), lines(15000, 20000, "Other words stand in number %d, and nothing of it is as it was before.\n")},
		"1MiB_shuffled":      {lines(15000, 0, line), shuffled(15000, line)},
		"1MiB_one_long_line": {strings.Repeat("word one two ", 80000), strings.Repeat("word three four ", 65000)},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				Texts(texts[0], texts[1])
			}
		})
	}
}

// A long comparison shows each change with the lines around it, and counts the lines that it omits.
// If the texts differ everywhere, it shows the beginning.
func TestLongComparisonIsAbridged(t *testing.T) {
	t.Parallel()
	many := strings.Repeat("\n", 250_000)
	for name, tt := range map[string]struct {
		old, now string
		shown    int
	}{
		"one line in the middle": {many + "said\n" + many, many + "not said\n" + many, 2*shownAround + 3},
		"nothing":                {many, many, 1},
		"everything":             {strings.Repeat("a\n", 125_000), strings.Repeat("b\n", 125_000), mostShown + 1},
		"a short one":            {"a\nb\n", "a\nc\n", 3},
	} {
		got := Texts(tt.old, tt.now)
		if len(got) != tt.shown {
			t.Errorf("%s: %d lines are shown, not %d", name, len(got), tt.shown)
		}
		all := 0
		for _, l := range got {
			all += max(1, l.Omitted)
			if (l.Op == Omitted) != (l.Omitted > 0) || l.Parts == nil {
				t.Errorf("%s: got %+v", name, l)
			}
		}
		if name != "a short one" && all < 250_000 {
			t.Errorf("%s: it stands for %d lines", name, all)
		}
	}
}
