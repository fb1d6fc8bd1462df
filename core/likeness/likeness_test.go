package likeness

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"goldshelf/test/intime"
)

func TestWords(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		a, b string
		want float64
	}{
		{"Water is back.", "water IS  back", 1},
		{"## Water\n\n* is back", "Water is back!", 1},
		{"the customer's tap", "the customers tap", 1},
		{"Write to {{area}} now", `Write to {{ street or "x" }} now`, 1},
		{"", "", 1},
		{"", "water", 0},
		{"one", "one", 1},
		{"one", "two", 0},
		// a b c, b c d, c d e against b c d, c d e, d e f: two of four.
		{"a b c d e", "b c d e f", 0.5},
		{"Grüße aus dem Moor", "GRÜSSE aus dem Moor", 1.0 / 3}, // ß and SS are not folded
	} {
		if got := Jaccard(Read(tt.a), Read(tt.b)); math.Abs(got-tt.want) > 1e-9 {
			t.Errorf("Jaccard(%q, %q) is %g, want %g", tt.a, tt.b, got, tt.want)
		}
	}
	for _, tt := range []struct {
		part, whole string
		want        float64
	}{
		{"c d e", "a b c d e f", 1},
		{"c d e x", "a b c d e f", 0.5},
		{"", "a b c", 0},
	} {
		if got := Contained(Read(tt.part), Read(tt.whole)); got != tt.want {
			t.Errorf("Contained(%q, %q) is %g, want %g", tt.part, tt.whole, got, tt.want)
		}
	}
}

func TestCommon(t *testing.T) {
	t.Parallel()
	a := "First of all. Tell people in {{area}} when the water is back, and what to run first. Then stop."
	b := "Nothing here.\n\n> tell PEOPLE in {{street}} when the water is back and what to run first\n\nAnd first of all then."
	got := Common(Read(a), Read(b), 4)
	if len(got) != 1 {
		t.Fatalf("got %+v, want one passage", got)
	}
	if p := got[0]; a[p.Start:p.End] != "Tell people in {{area}} when the water is back, and what to run first" ||
		b[p.OtherStart:p.OtherEnd] != "tell PEOPLE in {{street}} when the water is back and what to run first" || p.Words != 14 {
		t.Errorf("got %q and %q, %d words", a[p.Start:p.End], b[p.OtherStart:p.OtherEnd], p.Words)
	}
	if got := Common(Read("a b"), Read("a b"), 1); got != nil {
		t.Errorf("two words in common are a passage: %+v", got)
	}
}

func TestFindRecurring(t *testing.T) {
	t.Parallel()
	shared := "If something is not in what you were given, say so. Do not guess at any of it, ever."
	texts := []string{
		"Alone.\n" + shared + "\nMore here.",
		strings.ToUpper(shared),
		"Before: it stands so.\n\n- " + shared,
		"Only once in two texts, this line of words.",
		"Only once in two texts, this line of words.",
	}
	var read []*Text
	for _, s := range texts {
		read = append(read, Read(s))
	}
	got := FindRecurring(read, 3)
	if len(got) != 1 || got[0].Text != shared || !slices.Equal(got[0].In, []int{0, 1, 2}) {
		t.Fatalf("got %+v, want the shared passage in the first three", got)
	}
	if got := FindRecurring(read, 2); len(got) != 2 || got[0].Text != shared {
		t.Errorf("got %+v, want both, the one that saves more first", got)
	}
}

func TestPrintIsTheSameEverywhere(t *testing.T) {
	t.Parallel()
	p := Read("Write a notice for households in Mill Lane, and say when water is back.").Print()
	if len(p.Bands) != Bands || len(p.Units) == 0 {
		t.Fatalf("got %d bands and %d units", len(p.Bands), len(p.Units))
	}
	const band, unit = 8616624087811906341, -7962701571689486244
	// Prints are kept: what makes them must not change unnoticed.
	if p.Bands[0] != band || p.Units[0] != unit {
		t.Errorf("the print is %d, %d; want %d, %d. If that is meant, every kept print must be made anew", p.Bands[0], p.Units[0], band, unit)
	}
	if p := Read(" \n ## ").Print(); p.Bands != nil || p.Units != nil {
		t.Errorf("a text without words has the print %+v", p)
	}
}

// vary replaces some of a text's words.
func vary(r *rand.Rand, words []string, share float64) string {
	out := slices.Clone(words)
	for i := range out {
		if r.Float64() < share {
			out[i] = fmt.Sprintf("new%d", r.IntN(1e6))
		}
	}
	return strings.Join(out, " ")
}

func randomWords(r *rand.Rand, n int) []string {
	words := make([]string, n)
	for i := range words {
		words[i] = fmt.Sprintf("word%d", int(math.Abs(r.NormFloat64()*400)))
	}
	return words
}

// Nearly all pairs that are alike share a band, and hardly any that are not.
func TestBandsFindWhatIsAlike(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(1, 2))
	alike, found, other, wrong := 0, 0, 0, 0
	for range 2000 {
		words := randomWords(r, 60+r.IntN(300))
		a, b := Read(strings.Join(words, " ")), Read(vary(r, words, 0.3*r.Float64()*r.Float64()))
		shares := shareBand(a.Print(), b.Print())
		if j := Jaccard(a, b); j > 0.8 {
			alike++
			if shares {
				found++
			}
		}
		c := Read(strings.Join(randomWords(r, 200), " "))
		if Jaccard(a, c) < 0.1 {
			other++
			if shareBand(a.Print(), c.Print()) {
				wrong++
			}
		}
	}
	if alike < 300 || float64(found) < 0.99*float64(alike) {
		t.Errorf("of %d pairs over 0.8, %d share a band; want 99 in 100 at least", alike, found)
	}
	if other < 1000 || float64(wrong) > 0.01*float64(other) {
		t.Errorf("of %d pairs under 0.1, %d share a band; want 1 in 100 at most", other, wrong)
	}
}

func shareBand(a, b Print) bool {
	for i := range a.Bands {
		if a.Bands[i] == b.Bands[i] {
			return true
		}
	}
	return false
}

func FuzzRead(f *testing.F) {
	for _, seed := range []string{"", "{{", "{{a}} b", "a'b’c", "\xff\xfe", "é", "one two three four five six. seven"} {
		f.Add(seed, "other words")
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		intime.Do(t, len(a)+len(b), func() { Common(Read(a), Read(b), 3) })
		x, y := Read(a), Read(b)
		if j := Jaccard(x, x); j != 1 {
			t.Fatalf("%q is not like itself: %g", a, j)
		}
		if j, k := Jaccard(x, y), Jaccard(y, x); j != k || j < 0 || j > 1 {
			t.Fatalf("the likeness of %q and %q is %g and %g", a, b, j, k)
		}
		end := 0
		for _, p := range Common(x, y, 3) {
			if p.Start < end || p.End <= p.Start || p.End > len(a) || p.OtherEnd > len(b) {
				t.Fatalf("%q and %q have the passage %+v", a, b, p)
			}
			end = p.End
		}
		x.Print()
	})
}

func BenchmarkPrint2KiB(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	text := strings.Join(randomWords(r, 300), " ")
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		Read(text).Print()
	}
}
