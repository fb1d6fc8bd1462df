package search

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
)

func TestWords(t *testing.T) {
	t.Parallel()
	for text, want := range map[string][]string{
		"Hello, World!":             {"hello", "world"},
		"don't we’re 'quoted'":      {"dont", "were", "quoted"},
		"Crème brûlée à la carte":   {"creme", "brulee", "a", "la", "carte"},
		"Ελλάδα Привет":             {"ελλαδα", "привет"},
		"水道管 burst":                 {"水", "道", "管", "burst"},
		"a-b_c/d 12.5":              {"a", "b", "c", "d", "12", "5"},
		"":                          nil,
		"!?… 🙂":                     nil,
		"burst" + "\xff" + "main":   {"burst", "main"},
		strings.Repeat("x", 100):    {strings.Repeat("x", longestWord)},
		"Straße straße STRASSE":     {"straße", "straße", "strasse"},
		"e\u0301te\u0301 followed":  {"ete", "followed"},
		"ends with an apostrophe' ": {"ends", "with", "an", "apostrophe"},
	} {
		if got := Words(text); !slices.Equal(got, want) {
			t.Errorf("the words of %q are %q, want %q", text, got, want)
		}
		eachWord(text, func(_ []byte, start, end int) {
			if start < 0 || end > len(text) || start >= end {
				t.Errorf("a word of %q stands at %d to %d", text, start, end)
			}
		})
	}
}

func isFacet(name string) bool {
	return slices.Contains([]string{"kind", "owner", "state", "department"}, name)
}

func TestParse(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]Query{
		"burst main":                       {Words: []string{"burst", "main"}, Whole: "burst main"},
		`"run first" water `:               {Words: []string{"run", "first", "water"}, Phrases: []string{"run first"}, Whole: "run first water", Ends: true},
		`"left open`:                       {Words: []string{"left", "open"}, Phrases: []string{"left open"}, Whole: "left open"},
		`-meter notice`:                    {Words: []string{"notice"}, Without: []Need{{Text: "meter"}}, Whole: "notice"},
		`-"not this" notice`:               {Words: []string{"notice"}, Without: []Need{{"not this", true}}, Whole: "notice"},
		`kind:prompt Department:"Field Op`: {Filters: []Filter{{"kind", "prompt", false}, {"department", "Field Op", false}}},
		`-owner:maren x`:                   {Words: []string{"x"}, Filters: []Filter{{"owner", "maren", true}}, Whole: "x"},
		`mood:calm`:                        {Words: []string{"mood", "calm"}, Whole: "mood calm"},
		`https://a.example/b?c`:            {Words: []string{"https", "a", "example", "b", "c"}, Whole: "https a example b c"},
		`- -- kind: :x`:                    {Words: []string{"kind", "x"}, Whole: "kind x"},
		`a a b`:                            {Words: []string{"a", "b"}, Whole: "a a b"},
		`'; drop table versions; --`:       {Words: []string{"drop", "table", "versions"}, Whole: "drop table versions", Ends: true},
		"":                                 {Ends: true},
		"🙂":                                {Ends: true},
	} {
		if got := Parse(text, isFacet); !reflect.DeepEqual(got, want) {
			t.Errorf("%q is %+v, want %+v", text, got, want)
		}
	}
	if q := Parse(strings.Repeat("word ", 3000)+numbered(100), isFacet); len(q.Words) != mostWords || !q.Cut {
		t.Errorf("a long query has %d words, cut: %v", len(q.Words), q.Cut)
	}
}

func numbered(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprintf("n%d", i))
	}
	return strings.Join(all, " ")
}

// library is a small one, of prompts but for one persona.
func library() *Index {
	x := New()
	for i, d := range []Document{
		{Slug: "burst-main-notice", Code: "bmn", Title: "Notice of a burst main", Summary: "Tells households what happened.", Body: "Write a notice for the streets that have no water.\nSay when water is back.\n"},
		{Slug: "supply-restored", Title: "Water is back", Summary: "Tells the same households that supply is restored.", Body: "Run the cold kitchen tap first."},
		{Slug: "meter-dispute-reply", Title: "Reply to a meter dispute", Summary: "Weighs a reading against the history.", Body: "Answer the customer.", Labels: []Label{{"department", "care"}}},
		{Slug: "reading-reminder", Title: "Reminder to read the meter", Summary: "Asks for a reading.", Body: "Be kind. Add the hosepipe limit.", Labels: []Label{{"department", "care"}, {"model", "heron"}}},
		{Slug: "duty-officer", Kind: "persona", Title: "Duty officer", Summary: "Calm, short, exact.", Body: "Speaks when a main has burst.", Labels: []Label{{"department", "field"}}},
	} {
		d.ID, d.Entry, d.Shelf, d.State, d.Owner, d.OwnerName, d.At = int64(i+1), int64(i+1), true, published, "lead", "Maren Oake", int64(i)
		if d.Kind == "" {
			d.Kind = "prompt"
		}
		x.Add(d)
	}
	x.Done()
	return x
}

func slugs(r Result) (all []string) {
	for _, h := range r.Hits {
		all = append(all, h.Slug)
	}
	return all
}

func ask(text string) Ask {
	return Ask{Query: Parse(text, isFacet), Sight: Sight{Shelf: true}, Limit: 10}
}

func TestFind(t *testing.T) {
	t.Parallel()
	x := library()
	for text, want := range map[string]string{
		"burst main":             "burst-main-notice duty-officer",       // the title before the text
		"bmn":                    "burst-main-notice",                    // by its short code
		"readings":               "reading-reminder meter-dispute-reply", // another form
		"met":                    "reading-reminder meter-dispute-reply", // as it is typed
		"metre dispute":          "meter-dispute-reply reading-reminder", // forgiven
		"hose pipe":              "reading-reminder",                     // one word there
		"officer on duty":        "duty-officer",                         // a small word
		"meter -dispute":         "reading-reminder",                     // without
		"-meter -water":          "duty-officer",                         // nothing but without
		"vacancies":              "",                                     // nothing
		"when the burst is over": "burst-main-notice duty-officer",       // nobody has over, nobody needs to
		"":                       "duty-officer burst-main-notice reading-reminder meter-dispute-reply supply-restored",
	} {
		r := x.Find(ask(text))
		if got := strings.Join(slugs(r), " "); got != want {
			t.Errorf("%q finds %q; want %q", text, got, want)
		}
	}
}

// What no document has whole is answered by those that have most of it, and said.
func TestMostOfIt(t *testing.T) {
	t.Parallel()
	x := library()
	r := x.Find(ask("meter dispute helicopter"))
	if !r.Partial || slugs(r)[0] != "meter-dispute-reply" || !slices.Equal(r.Hits[0].Missing, []string{"helicopter"}) {
		t.Errorf("most of it: %+v", r)
	}
	if r := x.Find(ask("meter dispute")); r.Partial || r.Hits[0].Missing != nil {
		t.Errorf("all of it: %+v", r)
	}
	if r := x.Find(ask("hosepipw")); !slices.Equal(r.Instead, []Instead{{"hosepipw", "hosepipe"}}) {
		t.Errorf("misspelt: %+v", r)
	}
}

// An exact title comes before everything, whatever else is said how often.
func TestAnExactTitleIsFirst(t *testing.T) {
	t.Parallel()
	x := library()
	x.Replace([]int64{9}, []Document{{ID: 9, Entry: 9, Shelf: true, State: published, Kind: "prompt", Slug: "water", Title: "Water is back water is back water", Code: "back", Summary: "Water is back.", Body: strings.Repeat("water is back ", 50)}})
	if r := x.Find(ask("water is BACK!")); slugs(r)[0] != "supply-restored" {
		t.Errorf("first comes %v", slugs(r))
	}
}

// What stands for something else counts, and less than the thing itself.
func TestAlike(t *testing.T) {
	t.Parallel()
	x := library()
	a := ask("rupture")
	a.Alike = map[string][]Alternative{"ruptur": {{[]string{"burst"}, 0.9}}}
	if r := x.Find(a); strings.Join(slugs(r), " ") != "burst-main-notice duty-officer" {
		t.Errorf("found %v", slugs(r))
	}
	a = ask("back to normal")
	a.Alike = map[string][]Alternative{"back to normal": {{[]string{"supply", "restored"}, 0.9}}}
	r := x.Find(a)
	if strings.Join(slugs(r), " ") != "supply-restored" || r.Partial {
		t.Errorf("several words for several: %v", slugs(r))
	}
	if got := r.Found.Marks("A supply of restored chairs, back to normal"); slices.Contains(got, "supply") {
		t.Errorf("a part of what stands for it is marked: %q", got)
	}
}

func TestChoicesAndCounts(t *testing.T) {
	t.Parallel()
	x := library()
	for _, c := range []struct {
		name    string
		choices []Choice
		total   int
		care    int // counted in its own facet
		persona int
	}{
		{"none", nil, 5, 2, 1},
		{"of a facet", []Choice{{"department", []string{"field"}, false, false}}, 1, 2, 1},
		{"of two facets", []Choice{{"department", []string{"care"}, false, false}, {"kind", []string{"persona"}, false, false}}, 0, 0, 0},
		{"any of two terms", []Choice{{"department", []string{"field", "care"}, false, false}}, 3, 2, 1},
		{"not", []Choice{{"department", []string{"care"}, true, false}}, 3, 0, 1},
		{"of a term that nothing has", []Choice{{"department", []string{"none"}, false, false}}, 0, 2, 0},
		{"within one, of another", []Choice{{"department", []string{"field"}, false, true}, {"department", []string{"care"}, false, false}}, 0, 0, 0},
		{"within one", []Choice{{"department", []string{"field"}, false, true}}, 1, 0, 1},
		{"by owner", []Choice{{"owner", []string{"mar"}, false, false}}, 5, 2, 1},
		{"by another owner", []Choice{{"owner", []string{"mars"}, false, false}}, 0, 0, 0},
		{"by state", []Choice{{"state", []string{"published"}, false, false}}, 5, 2, 1},
	} {
		a := ask("")
		a.Choices = c.choices
		r := x.Find(a)
		if got := [3]int{r.Total, r.Counts[Label{"department", "care"}], r.Counts[Label{"kind", "persona"}]}; got != [3]int{c.total, c.care, c.persona} {
			t.Errorf("%s: found, in care and personas %v; want %v", c.name, got, [3]int{c.total, c.care, c.persona})
		}
	}
}

// Who may see drafts finds the newest version of an entry, and others what is published.
func TestSight(t *testing.T) {
	t.Parallel()
	x := New()
	both := []Document{
		{ID: 1, Entry: 1, Shelf: true, State: published, Slug: "a", Title: "Old words", People: [2]int64{7, 8}},
		{ID: 2, Entry: 1, State: "draft", Slug: "a", Title: "New words", People: [2]int64{7, 8}},
	}
	x.Replace([]int64{1, 2, 3}, append(both,
		Document{ID: 3, Entry: 2, State: "draft", Slug: "b", Title: "Draft words", People: [2]int64{9, 0}},
		Document{ID: 4, Entry: 3, Shelf: true, State: "retired", Slug: "c", Title: "Retired words", People: [2]int64{9, 0}}))
	for sight, want := range map[Sight]string{
		{Shelf: true}: "1", {All: true}: "3 2 4", {Own: 7}: "2", {Own: 8}: "2", {Own: 9}: "3 1 4", {Own: 5}: "1", {}: "1",
	} {
		r := x.Find(Ask{Query: Parse("words", isFacet), Sight: sight, Limit: 9})
		var got []string
		for _, h := range r.Hits {
			got = append(got, fmt.Sprint(h.ID))
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%+v finds %v; want %s", sight, got, want)
		}
	}
	if r := x.Find(Ask{Sight: Sight{All: true, Own: 9}, Mine: true, Limit: 9}); r.Total != 2 {
		t.Errorf("of their own there are %d", r.Total)
	}
	// The draft is gone: the published one is the newest again.
	x.Replace([]int64{1}, both[:1])
	if r := x.Find(Ask{Query: Parse("old words", isFacet), Sight: Sight{All: true}, Limit: 9}); r.Hits[0].ID != 1 {
		t.Errorf("after the draft: %+v", r)
	}
}

func TestPhrases(t *testing.T) {
	t.Parallel()
	x := library()
	a := ask(`"cold kitchen tap" -"hot tap"`)
	c := x.Candidates(a)
	if !slices.Equal(c.IDs, []int64{2}) || !slices.Equal(c.All, []string{"cold kitchen tap"}) || !slices.Equal(c.None, []string{"hot tap"}) {
		t.Errorf("it asks for %+v", c)
	}
	if r := x.Find(a); r.Total != 0 {
		t.Errorf("what does not hold it is found: %+v", r)
	}
	a.Held = c.IDs
	if r := x.Find(a); r.Total != 1 {
		t.Errorf("what holds it is not found: %+v", r)
	}
	if c := x.Candidates(ask("kitchen tap")); c.IDs != nil {
		t.Errorf("without phrases it asks for %+v", c)
	}
}

// Page after page gives everything once, whichever order and whatever comes between.
func TestPages(t *testing.T) {
	t.Parallel()
	x := large(t, 300)
	for _, a := range []Ask{ask("water"), ask("burst households"), ask(""), {Sight: Sight{Shelf: true}, Newest: true}} {
		a.Limit = 500
		whole := x.Find(a)
		if whole.Total < 20 || whole.More {
			t.Fatalf("%q: %d", a.Whole, whole.Total)
		}
		var got []string
		a.Limit = 7
		for {
			r := x.Find(a)
			if r.Total != whole.Total {
				t.Fatalf("%q: a page of %d", a.Whole, r.Total)
			}
			got = append(got, slugs(r)...)
			if !r.More {
				break
			}
			a.After = &r.Hits[len(r.Hits)-1].Place
		}
		if !slices.Equal(got, slugs(whole)) {
			t.Errorf("%q: page by page %v, at once %v", a.Whole, got, slugs(whole))
		}
	}
}

// Whatever is changed in whichever order, the index finds what one made anew finds.
func TestChangesLeaveNothingBehind(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(1, 2))
	words := strings.Fields("burst main water meter reading notice letter tap pipe valve")
	text := func(n int) string {
		var all []string
		for range n {
			all = append(all, words[random.IntN(len(words))])
		}
		return strings.Join(all, " ")
	}
	x, now := New(), map[int64][]Document{}
	id := int64(0)
	for round := range 1500 {
		entry := int64(random.IntN(40) + 1)
		docs := []Document{}
		for _, shelf := range []bool{true, false} {
			if random.IntN(3) > 0 {
				id++
				state := "draft"
				if shelf {
					state = published
				}
				docs = append(docs, Document{ID: id, Entry: entry, Shelf: shelf, State: state, Kind: "prompt", Slug: fmt.Sprintf("e%d", entry), Title: text(2), Body: text(9), At: id,
					People: [2]int64{int64(random.IntN(3) + 1), 0}, Labels: []Label{{"f", words[random.IntN(4)]}}})
			}
		}
		x.Replace([]int64{entry}, docs)
		now[entry] = docs
		if round%300 != 299 {
			continue
		}
		anew := New()
		for _, docs := range now {
			for _, d := range docs {
				anew.Add(d)
			}
		}
		anew.Done()
		if x.Len() != anew.Len() {
			t.Fatalf("after %d changes there are %d documents, want %d", round, x.Len(), anew.Len())
		}
		for _, sight := range []Sight{{Shelf: true}, {All: true}, {Own: 2}} {
			for _, q := range []string{"", "burst main", "pipe", "letter -tap", "wat"} {
				a := Ask{Query: Parse(q, isFacet), Sight: sight, Limit: 100}
				got := x.Find(a)
				want := anew.Find(a)
				// Ranks follow how many documents were counted, the dead among them.
				ids := func(r Result) (all []int64) {
					for _, h := range r.Hits {
						all = append(all, h.ID)
					}
					slices.Sort(all)
					return all
				}
				if !slices.Equal(ids(got), ids(want)) || !reflect.DeepEqual(got.Counts, want.Counts) {
					t.Errorf("%q by %+v after %d changes finds %v %v, want %v %v", q, sight, round, ids(got), got.Counts, ids(want), want.Counts)
				}
			}
		}
	}
}

func TestPassageAndMarks(t *testing.T) {
	t.Parallel()
	x := library()
	r := x.Find(ask("notice streets waters"))
	if len(r.Hits) == 0 {
		t.Fatal(r)
	}
	const body = "First line.\nWrite a notice for the streets that have no water.\nNo more.\n"
	if got, want := r.Found.Passage("Notice of a burst main", body), "Write a notice for the streets that have no water."; got != want {
		t.Errorf("the passage is %q, want %q", got, want)
	}
	if got, want := r.Found.Marks("Streets, STREETS and Water; watering"), []string{"Streets", "STREETS", "Water"}; !slices.Equal(got, want) {
		t.Errorf("marked are %q, want %q", got, want)
	}
	if got := r.Found.Passage("notice streets water", body); got != "" {
		t.Errorf("of what is shown anyway the passage is %q", got)
	}
	line := strings.Repeat("é ", 100) + "streets " + strings.Repeat("ü ", 100)
	if got := r.Found.Passage("", line); !strings.Contains(got, "streets") || !strings.HasPrefix(got, "… ") || !strings.HasSuffix(got, " …") {
		t.Errorf("of a long line the passage is %q", got)
	}
}

func TestDistance(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		a, b string
		want int
	}{{"main", "main", 0}, {"brust", "burst", 1}, {"metre", "meter", 1}, {"alowance", "allowance", 1}, {"kitten", "sitting", 3}, {"", "abc", 3}} {
		if got := distance(c.a, c.b, 5); got != c.want {
			t.Errorf("from %q to %q it is %d letters, want %d", c.a, c.b, got, c.want)
		}
	}
	if got := distance("completely", "otherwise", 2); got != 3 {
		t.Errorf("above the most it is %d, want one more than it", got)
	}
}

func FuzzFind(f *testing.F) {
	x := library()
	for _, s := range []string{"burst main", `"open -kind:x "`, "-", "::", "水", "metre disputee", strings.Repeat("a ", 50)} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		a := ask(text)
		a.Held = x.Candidates(a).IDs
		r := x.Find(a)
		if r.Total != len(r.Hits) || r.Total > 5 {
			t.Errorf("%q finds %d, gives %d", text, r.Total, len(r.Hits))
		}
		r.Found.Passage(text, text)
		r.Found.Marks(text)
	})
}

// Whoever looks for one form of a word finds the others of its language: where the entry says
// it is in that, and as it is written there, with or without accents.
func TestFormsFollowTheLanguageOfTheEntry(t *testing.T) {
	t.Parallel()
	x := New()
	for i, d := range []Document{
		{Language: "de-CH", Title: "Ablesung der Zähler", Body: "Bitte lesen Sie Ihre Zählerstände an der Hauptstraße ab. Rechnungen folgen."},
		{Language: "fr", Title: "Relevé des compteurs", Body: "Les factures arrivent après les travaux. Nous prévenons chaque cliente."},
		{Title: "Meter readings", Body: "Bills follow once the meters were read."},
		{Language: "xx", Title: "Pumps", Body: "Stations and depots."},
	} {
		d.ID, d.Entry, d.Shelf, d.State, d.Kind, d.Slug = int64(i+1), int64(i+1), true, published, "prompt", fmt.Sprint("entry-", i)
		x.Add(d)
	}
	x.Done()
	for typed, want := range map[string]int64{
		"rechnung": 1, "zählerstand": 1, "hauptstrasse": 1, "ablesungen": 1, "der zähler für die rechnung": 1,
		"facture": 2, "travail": 2, "clientes": 2, "les compteurs et la facture": 2, "arrivera": 2,
		"meter reading": 3, "billing": 3, "pump": 4, "station": 4,
	} {
		got := x.Find(ask(typed))
		if len(got.Hits) == 0 || got.Hits[0].Slug != fmt.Sprint("entry-", want-1) || got.Partial {
			t.Errorf("%q finds %v of %v; want entry %d whole", typed, got.Hits, got.Partial, want)
		}
	}
}
