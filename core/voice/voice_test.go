package voice

import (
	"bytes"
	"cmp"
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

func read(text string) []Sample { return []Sample{{Read(text, ""), 1}} }

// shape shows a text's paragraphs, sentences and words.
func shape(text string) string {
	var paragraphs []string
	read := Read(text, "")
	for _, p := range read.Paragraphs {
		var sentences []string
		for _, s := range p.Sentences {
			var words []string
			for _, w := range s.Words {
				words = append(words, read.lexicon[w.lexeme].text)
			}
			sentences = append(sentences, strings.Join(words, " ")+string(rune(cmp.Or(s.Stop, '_'))))
		}
		one := strings.Join(sentences, " | ")
		if p.Item {
			one = "* " + one
		}
		paragraphs = append(paragraphs, one)
	}
	return strings.Join(paragraphs, " / ")
}

func TestRead(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"":                               "",
		"The pipe burst. We came!":       "the pipe burst. | we came!",
		"Mr. Pike came, e.g. at 18.00. ": "mr pike came e.g at 18.00.",
		"It’s 3.5 bar, isn't it? “Yes.” He left.":          "it's 3.5 bar isn't it? | yes. | he left.",
		"## Heading\nA line\nthat goes on.\n\nAnother one": "a line that goes on. / another one_",
		"- One thing\n- Two things.\n1. Three.":            "* one thing_ / * two things. / * three.",
		"0610. Called out.":                                "0610. | called out.",
		"Write to {{area}} today.":                         "write to today.",
		"```\ncode here.\n```\nProse.":                     "prose.",
		"Well-known words... and more; (so).":              "well-known words and more so.",
		"“Stop!” he said. Then silence…":                   "stop he said. | then silence.",
		"断水。请等待。":                                          "断 水. | 请 等 待.",
		"| a | b |\n|---|---|\n| 1 | 2 |":                  "",
		"J. Moss dug. A. B. Finch watched.":                "j moss dug. | a b finch watched.",
		"!!! ??? ... ---":                                  "",
	} {
		if got := shape(text); got != want {
			t.Errorf("%q:\ngot  %s\nwant %s", text, got, want)
		}
	}
}

func TestSyllables(t *testing.T) {
	t.Parallel()
	wrong, all := []string{}, 0
	for n, words := range map[int]string{
		1: "the cat pipe burst street names closed watched leaves stayed through house you tax planned height length clothes",
		2: "water table little simple needed wanted houses boxes people quiet doing being didn't wasn't system hundred pressure valve-box loudly hopeful trouble measure orange pages",
		3: "hospital reservoir area idea created beautiful radio compliance carrying customer separate committee important seventeen videos animal",
		4: "information community variety situation appropriate arbitration ordinary material immediate consequential interrupted originate",
		5: "communication organisation deterioration examination university opportunity",
	} {
		for w := range strings.FieldsSeq(words) {
			all++
			if got := Syllables(w); got != n {
				wrong = append(wrong, fmt.Sprintf("%s: %d, not %d", w, got, n))
			}
		}
	}
	if len(wrong) > all/10 {
		t.Errorf("%d of %d are wrong: %s", len(wrong), all, strings.Join(wrong, "; "))
	}
}

// counted by hand.
const byHand = `You can't miss it! Is the pipe (the old one) broken? We think it may be; perhaps not.

The valve was closed on Monday — and it was very stiff.

- Turn it slowly.
- Wait.
`

func TestFiguresCountedByHand(t *testing.T) {
	t.Parallel()
	s := count(read(byHand))
	// Sentences: 4, 7, 7 | 11 | 3, 1 words.
	want := tally{words: 33, sentences: 6, wordsSquared: 16 + 49 + 49 + 121 + 9 + 1, contractions: 1, firstPerson: 1, secondPerson: 1,
		thirdPerson: 4, questions: 1, exclamations: 1, dashes: 1, semicolons: 1, brackets: 1, paragraphs: 4, listItems: 2, hedges: 2, intensifiers: 1, passives: 1}
	for _, k := range []int{words, sentences, wordsSquared, contractions, firstPerson, secondPerson, thirdPerson, questions, exclamations, dashes, semicolons, brackets, paragraphs, listItems, hedges, intensifiers, passives} {
		if s.all[k] != want[k] {
			t.Errorf("count %d: got %g, want %g", k, s.all[k], want[k])
		}
	}
	// you1 can't1 miss1 it1 is1 the1 pipe1 the1 old1 one1 bro2ken we1 think1 it1 may1 be1 per2haps not1
	// the1 valve1 was1 closed1 on1 Mon2day and1 it1 was1 ve2ry stiff1 turn1 it1 slow2ly wait1
	// More than six letters: perhaps.
	if s.all[syllables] != 38 || s.all[longWords] != 1 {
		t.Errorf("%g syllables and %g long words, want 38 and 1", s.all[syllables], s.all[longWords])
	}
	if got, want := readingEase(&s.all), 206.835-1.015*33/6-84.6*38/33; math.Abs(got-want) > 1e-9 {
		t.Errorf("reading ease %g, want %g", got, want)
	}
	if got, want := readingGrade(&s.all), 0.39*33/6+11.8*38/33-15.59; math.Abs(got-want) > 1e-9 {
		t.Errorf("reading grade %g, want %g", got, want)
	}
	if got, want := spread(&s.all), math.Sqrt((245-33.*33/6)/5); math.Abs(got-want) > 1e-9 {
		t.Errorf("spread %g, want %g", got, want)
	}
}

func TestVariety(t *testing.T) {
	t.Parallel()
	// Fifty different words, then the first of them again: 50 of 50, then again 50 of 50
	// since the first has left the window; then a word twice in the window.
	var text []string
	for i := range 50 {
		text = append(text, "w"+string(rune('a'+i/26))+string(rune('a'+i%26)))
	}
	text = append(text, text[0], text[0])
	got := windowRatios(Read(strings.Join(text, " "), ""))
	if want := []float64{100, 100, 98}; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}

func TestQuantile(t *testing.T) {
	t.Parallel()
	// The worked example of definition 7: the quartiles of 1, 2, 3, 4 are 1.75 and 3.25.
	if a, b := quantile([]float64{1, 2, 3, 4}, 0.25), quantile([]float64{1, 2, 3, 4}, 0.75); a != 1.75 || b != 3.25 {
		t.Errorf("got %g and %g", a, b)
	}
}

func TestG2(t *testing.T) {
	t.Parallel()
	// E1 = 1000·15/3000 = 5, E2 = 10: 2(10 ln 2 + 5 ln ½) = 10 ln 2.
	if got := G2(10, 1000, 5, 2000); math.Abs(got-10*math.Ln2) > 1e-9 {
		t.Errorf("got %g", got)
	}
	if got := G2(7, 100, 14, 200); math.Abs(got) > 1e-9 {
		t.Errorf("the same rate gives %g", got)
	}
}

// An interval holds what is true of what the samples were drawn from, about 95 times of a
// hundred.
func TestIntervalsHold(t *testing.T) {
	t.Parallel()
	held := 0
	seed := uint64(1)
	random := func(n uint64) int {
		seed = seed*6364136223846793005 + 1442695040888963407
		return int((seed >> 33) % n)
	}
	for range 100 {
		var text strings.Builder
		for range 30 {
			text.WriteString(strings.Repeat("word ", 5+random(11)) + "end. \n\n") // 6 to 16 words, 11 on average
		}
		f := Measured(read(text.String()), true).figure("sentence-length")
		if f.Low <= 11 && 11 <= f.High {
			held++
		}
	}
	if held < 88 || held == 100 {
		t.Errorf("%d of 100 intervals hold the truth", held)
	}
}

func TestTooShortToSay(t *testing.T) {
	t.Parallel()
	f := Measured(read("Only a few words stand here."), true)
	if one := f.figure("sentence-length"); one.Known || one.Note.String() != "too short to say: it wants 94 words more" {
		t.Errorf("%+v", one)
	}
	if one := f.figure("longest-sentence"); !one.Known || one.Value != 6 {
		t.Errorf("%+v", one)
	}
	one := Measured(read(strings.Repeat("The water is on again in the street. ", 40)), true).figure("sentence-length")
	if !one.Known || one.Range || !strings.HasPrefix(one.Note.String(), "no interval: it wants about") {
		t.Errorf("one paragraph: %+v", one)
	}
	if f := Measured(nil, true); f.Words != 0 || f.All[0].Known {
		t.Errorf("nothing: %+v", f)
	}
}

func TestOtherLanguages(t *testing.T) {
	t.Parallel()
	french := strings.Repeat("Nous avons coupé l’eau dans votre rue. Pouvez-vous attendre ?\n\n", 40)
	for _, language := range []string{"fr", ""} {
		f := Measured([]Sample{{Read(french, language), 1}}, true)
		if one := f.figure("reading-ease"); one.Known || one.Note.IsZero() {
			t.Errorf("%q: reading ease %+v", language, one)
		}
		if one := f.figure("questions"); !one.Known || math.Abs(one.Value-50) > 1e-9 {
			t.Errorf("%q: questions %+v", language, one)
		}
		if f.Note.IsZero() {
			t.Errorf("%q: nothing is said of it", language)
		}
	}
	f := Measured(read(strings.Repeat("水管破裂了。请等待。你好吗？\n\n", 80)), true)
	if one := f.figure("sentence-length"); one.Known || one.Note.String() != "words are not parted in this script" {
		t.Errorf("%+v", one)
	}
	if one := f.figure("questions"); !one.Known {
		t.Errorf("%+v", one)
	}
}

// A sample counts as much as its weight says.
func TestWeights(t *testing.T) {
	t.Parallel()
	long, short := strings.Repeat("The crew came to the street in the evening and dug a hole there. ", 20), strings.Repeat("It is on. ", 60)
	of := func(a, b float64) float64 {
		return Measured([]Sample{{Read(long, ""), a}, {Read(short, ""), b}}, false).figure("sentence-length").Value
	}
	if got, want := of(1, 0), 14.0; got != want {
		t.Errorf("the long ones alone: %g, want %g", got, want)
	}
	if got, want := of(3, 1), (3*20*14+60*3)/(3*20+60.); math.Abs(got-want) > 1e-9 {
		t.Errorf("three to one: %g, want %g", got, want)
	}
}

func TestDelta(t *testing.T) {
	t.Parallel()
	of := func(a, b int) *Profile {
		return NewProfile(read(strings.Repeat("alpha ", a)+strings.Repeat("beta ", b)), false)
	}
	p, text := of(8, 2), of(4, 6)
	// Rates of alpha 0.6 and 0.2: standard deviation 0.2·√2. The text is 0.4 away, in beta
	// too: (0.4 / 0.2√2 + the same) / 2 = √2.
	if got := p.delta(text, NewBackground([]*Profile{of(6, 4), of(2, 8)})); math.Abs(got-math.Sqrt2) > 1e-9 {
		t.Errorf("got %g", got)
	}
}

func writers(t testing.TB) (names []string, styles []*Profile, kept []string) {
	t.Helper()
	files, err := filepath.Glob("testdata/kept/*.md")
	if err != nil || len(files) < 6 {
		t.Fatal(files, err)
	}
	for _, f := range files {
		name := filepath.Base(f)
		own, err := os.ReadFile(filepath.Join("../../internal/demo/samples", name))
		if err != nil {
			t.Fatal(err)
		}
		rest, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		names, kept = append(names, strings.TrimSuffix(name, ".md")), append(kept, string(rest))
		styles = append(styles, NewProfile(read(string(own)), false))
	}
	return names, styles, kept
}

// passages cuts a text every so many words.
func passages(text string, length int) (all []string) {
	words := strings.Fields(text)
	for i := 0; i+length <= len(words); i += length {
		all = append(all, strings.Join(words[i:i+length], " "))
	}
	return all
}

// named says how many passages of a length are nearest to the style of whoever wrote them.
func named(t testing.TB, length int) (right, all int, wrong []string) {
	names, styles, kept := writers(t)
	backgrounds := make([]*Background, len(styles))
	for i := range styles {
		backgrounds[i] = NewBackground(slices.Delete(slices.Clone(styles), i, i+1))
	}
	for i := range kept {
		for _, passage := range passages(kept[i], length) {
			text := Read(passage, "")
			of := NewProfile([]Sample{{text, 1}}, false)
			nearest, least := 0, math.Inf(1)
			for j, style := range styles {
				if d := style.Fit(text, of, backgrounds[j]).Distance; d < least {
					nearest, least = j, d
				}
			}
			if all++; nearest == i {
				right++
			} else {
				wrong = append(wrong, fmt.Sprintf("%s is taken for %s: %.60s …", names[i], names[nearest], passage))
			}
		}
	}
	return right, all, wrong
}

// Of six writers, unseen passages are nearest to the style of whoever wrote them.
func TestFitNamesTheWriter(t *testing.T) {
	t.Parallel()
	for length, least := range map[int]float64{100: 0.90, 300: 0.97} {
		right, all, wrong := named(t, length)
		if float64(right) < least*float64(all) {
			t.Errorf("of %d passages of %d words %d are named:\n%s", all, length, right, strings.Join(wrong, "\n"))
		}
	}
}

func TestFit(t *testing.T) {
	t.Parallel()
	names, styles, kept := writers(t)
	at := slices.Index(names, "households")
	style, b := styles[at], NewBackground(slices.Delete(slices.Clone(styles), at, at+1))
	fit := func(text string) Fit {
		read := Read(text, "")
		return style.Fit(read, NewProfile([]Sample{{read, 1}}, false), b)
	}
	if f := fit(passages(kept[at], 300)[1]); f.Near != Near || f.Distance > f.Own {
		t.Errorf("their own: %s, %g of %g", f.Near, f.Distance, f.Own)
	}
	other := fit(passages(kept[slices.Index(names, "terms")], 300)[1])
	if other.Near != Far {
		t.Errorf("another's: %s, %g of %g", other.Near, other.Distance, other.Own)
	}
	where := map[string]Where{}
	for _, one := range other.Figures {
		where[one.Name] = one.Where
	}
	if where["sentence-length"] != Above || where["second-person"] != Below || where["exclamations"] != Inside {
		t.Errorf("figures: %v", where)
	}
	if f := fit("Too short."); f.Near != Unknown || f.Note.IsZero() {
		t.Errorf("two words: %+v", f)
	}
	if f := fit(passages(kept[at], 600)[0]); !f.HasDelta || f.Delta <= 0 {
		t.Errorf("600 words: Delta %g", f.Delta)
	}
	if f := new(Profile).Fit(Read("Hello there.", ""), NewProfile(read("Hello there."), false), b); f.Note.String() != "the style has no samples" {
		t.Errorf("no samples: %q", f.Note)
	}
}

func TestWhatStandsOut(t *testing.T) {
	t.Parallel()
	names, styles, _ := writers(t)
	at := slices.Index(names, "households")
	b := NewBackground(slices.Delete(slices.Clone(styles), at, at+1))
	text := "Your water is back. We don't know why! It is anticipated that reinstatement of the carriageway will be undertaken by contractors in accordance with the programme agreed with the authority. Run your tap."
	r := Read(text, "")
	var got []string
	for _, s := range styles[at].Fit(r, NewProfile([]Sample{{r, 1}}, false), b).Stands {
		var why []string
		for _, reason := range s.Reasons {
			why = append(why, reason.Why.String())
		}
		got = append(got, text[s.Start:s.Start+9]+": "+strings.Join(why, " "))
	}
	if len(got) != 2 || !strings.HasPrefix(got[0], "It is ant") || !strings.Contains(got[0], "passive") || !strings.Contains(got[0], "more than") ||
		!strings.HasPrefix(got[1], "We don't ") || !strings.Contains(got[1], "“don't”") || !strings.Contains(got[1], "exclaims") {
		t.Errorf("got %s", strings.Join(got, "\n"))
	}
}

func TestCharacteristicWords(t *testing.T) {
	t.Parallel()
	names, styles, _ := writers(t)
	at := slices.Index(names, "fieldlog")
	b := NewBackground(slices.Delete(slices.Clone(styles), at, at+1))
	var got []string
	for _, w := range styles[at].Words(b) {
		got = append(got, w.Text)
	}
	if !slices.Contains(got, "shut") && !slices.Contains(got, "checked") || slices.Contains(got, "the") {
		t.Errorf("got %v", got)
	}
	if avoided := styles[at].Avoided(b); !slices.ContainsFunc(avoided, func(c Characteristic) bool { return c.Text == "the" }) {
		t.Errorf("a log has articles: %v", avoided)
	}
	at = slices.Index(names, "households")
	openings := styles[at].Openings(NewBackground(slices.Delete(slices.Clone(styles), at, at+1)))
	if !slices.ContainsFunc(openings, func(c Characteristic) bool { return c.Text == "if you" }) {
		t.Errorf("openings of letters to households: %v", openings)
	}
}

func TestGuide(t *testing.T) {
	t.Parallel()
	names, styles, _ := writers(t)
	says := map[string]string{}
	for i, name := range names {
		for _, l := range Guide(styles[i].Figures) {
			says[name] += l.Text + "\n"
		}
	}
	for name, want := range map[string][]string{
		"households": {"Sentences run to about 8 words", "One sentence in 15 is a question.", "spoken to as you", "Words are written out", "hardly a passive"},
		"terms":      {"Nobody is addressed", "Nearly every sentence is passive", "A semicolon stands about once in"},
		"column":     {"drawn together", "ends with an exclamation mark", "A dash stands"},
	} {
		for _, w := range want {
			if !strings.Contains(says[name], w) {
				t.Errorf("%s does not say %q:\n%s", name, w, says[name])
			}
		}
	}
}

func TestRedraw(t *testing.T) {
	t.Parallel()
	before := []Line{{"sentence-length", "About 12 words."}, {"questions", "Nothing is asked."}, {"dashes", "There are no dashes."}}
	now := []Line{{"sentence-length", "About 15 words."}, {"questions", "One in ten is a question."}, {"hedges", "It says things straight."}}
	guide := "## Guide\n- About 12 words.\n- Ask where the reader must act.\n- There are no dashes.\n"
	want := "## Guide\n- About 15 words.\n- Ask where the reader must act.\n- It says things straight.\n"
	if got := Redraw(guide, before, now); got != want {
		t.Errorf("got\n%swant\n%s", got, want)
	}
	if got := Redraw("", nil, now[:1]); got != "- About 15 words.\n" {
		t.Errorf("from nothing: %q", got)
	}
	if again := Redraw(want, now, now); again != want {
		t.Errorf("drawn anew from the same: %q", again)
	}
}

var update = flag.Bool("update", false, "write the shipped background anew")

// The shipped background is what the six writers are.
func TestShipped(t *testing.T) {
	t.Parallel()
	_, styles, _ := writers(t)
	all := make([]shippedStyle, len(styles))
	for i, p := range styles {
		all[i] = shippedOf(p)
	}
	want, err := json.MarshalIndent(all, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	want = append(want, '\n')
	if *update {
		if err := os.WriteFile("shipped.json", want, 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if !bytes.Equal(want, shippedJSON) {
		t.Error("shipped.json is not what the writers' samples are: go test ./core/voice -run TestShipped -update")
	}
	if b := Shipped(); b.sum.total < 9000 || len(b.usual) < 100 {
		t.Errorf("%d words, %d usual ones", b.sum.total, len(b.usual))
	}
}

func FuzzMeasured(f *testing.F) {
	for _, s := range []string{byHand, "", "a.b.c. D! ? ‘’ don’t", "{{", "- ", "1. ", "\x00\xff", "İstanbul’da. ß", "水。", "… !"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r := Read(text, "")
		for _, s := range r.Sentences() {
			if s.Start < 0 || s.End > len(text) || s.Start >= s.End || len(s.Words) == 0 {
				t.Fatalf("a sentence of %d to %d", s.Start, s.End)
			}
		}
		p := NewProfile([]Sample{{r, 1}}, len(text) < 1000)
		for _, one := range p.Figures.All {
			if math.IsNaN(one.Value) || math.IsInf(one.Value, 0) || math.IsNaN(one.Low) || math.IsNaN(one.High) {
				t.Fatalf("%+v", one)
			}
		}
		Guide(p.Figures)
		p.Fit(r, p, NewBackground(nil))
	})
}
