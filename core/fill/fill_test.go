package fill

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// shelf is a library for tests: texts by slug, all of them version 1 unless
// the key says otherwise.
type shelf map[string]Source

func (s shelf) lookup(slug string, version int) (Source, error) {
	key := slug
	if version > 0 {
		key = fmt.Sprintf("%s@%d", slug, version)
	}
	src, ok := s[key]
	if !ok {
		return Source{}, Absent{Why: message.Say("there is no published entry %s; check the slug, or publish it first", key)}
	}
	return src, nil
}

func source(t testing.TB, slug string, version int, text string, blanks ...Blank) Source {
	t.Helper()
	parsed, err := Parse(text)
	if err != nil {
		t.Fatalf("Parse(%q): %v", text, err)
	}
	return Source{Ref: Ref{slug, version}, Text: parsed, Blanks: blanks}
}

func fillText(t testing.TB, src Source, lib shelf, values Values) (Result, error) {
	t.Helper()
	form, err := Compile(lib.lookup, src)
	if err != nil {
		return Result{}, err
	}
	result, err := form.Fill(values)
	if err == nil {
		checkSpans(t, result)
	}
	return result, err
}

// checkSpans holds spans against their promise: in order, without gap or
// overlap, covering the text.
func checkSpans(t testing.TB, r Result) {
	t.Helper()
	at := 0
	for i, s := range r.Spans {
		if s.Start != at || s.End <= s.Start {
			t.Fatalf("span %d is %d to %d, want it to start at %d and be not empty", i, s.Start, s.End, at)
		}
		at = s.End
	}
	if at != len(r.Text) {
		t.Fatalf("spans end at %d, want %d", at, len(r.Text))
	}
}

func num(n float64) *float64 { return &n }

var topics = Blank{Name: "topics", Type: PickMany, Options: []string{"leak", "billing", "pressure"}}

func TestFill(t *testing.T) {
	t.Parallel()
	lib := shelf{
		"house-tone":   source(t, "house-tone", 4, "Plain and calm.\n"),
		"house-tone@3": source(t, "house-tone", 3, "Plain.\n"),
		"close":        source(t, "close", 2, "Yours,\n{{signed}}\n\nfor {{name or \"the team\"}}\n", Blank{Name: "signed"}, Blank{Name: "name"}),
		"outer":        source(t, "outer", 1, "<{{include close signed=\"Care\" name=agent}}>"),
		"paste":        source(t, "paste", 1, "{{notes}}", Blank{Name: "notes", Type: LongText}),
		"crlf":         source(t, "crlf", 1, "a\r\nb\r\n"),
		"empty":        source(t, "empty", 1, ""),
		"ends":         source(t, "ends", 1, "x\n{{if not no_such}}\ny\n{{end}}\n"),
	}
	tests := []struct {
		name, text string
		blanks     []Blank
		values     Values
		want       string
	}{
		{"no marks", "a } { }} \r\n\tb\n", nil, nil, "a } { }} \r\n\tb\n"},
		{"empty", "", nil, nil, ""},
		{"quoted", `{{"{{"}}x{{ "a\"\\\n}}" }}`, nil, nil, "{{xa\"\\\n}}"},
		{"comment in a line", "a{{# note }}b", nil, nil, "ab"},
		{"comment alone", "a\n  {{# note }}  \nb", nil, nil, "a\nb"},
		{"comment at the end", "a\n{{# note }}", nil, nil, "a\n"},
		{"comment alone, CRLF", "a\r\n{{# note }}\r\nb", nil, nil, "a\r\nb"},
		{"two marks on a line are not alone", "{{# a }}{{# b }}\nc", nil, nil, "\nc"},
		{"blank", "Dear {{guest_name}},", nil, Values{"guest_name": Single("Wren")}, "Dear Wren,"},
		{"blank keeps its line", "{{a}}\nb", nil, Values{"a": Single("x")}, "x\nb"},
		{"marks in a value are text", "{{a}}", nil, Values{"a": Single("{{b}} {{include x}}")}, "{{b}} {{include x}}"},
		{"or, not given", `{{tone or "plain and calm"}}`, nil, nil, "plain and calm"},
		{"or, given", `{{tone or "plain"}}`, nil, Values{"tone": Single("warm")}, "warm"},
		{"or, given empty", `{{tone or "plain"}}`, nil, Values{"tone": Single("")}, "plain"},
		{"a default goes before or", `{{tone or "plain"}}`, []Blank{{Name: "tone", Default: Single("brisk")}}, nil, "brisk"},
		{"optional and not given", "[{{a}}]", []Blank{{Name: "a", Optional: true}}, nil, "[]"},
		{"numbers stay as given", "{{n}}", []Blank{{Name: "n", Type: Number}}, Values{"n": Single("006.50")}, "006.50"},
		{"yes-no", "{{a}} {{b}}", []Blank{{Name: "a", Type: YesNo}, {Name: "b", Type: YesNo}}, Values{"a": Single("true"), "b": Single("No")}, "yes no"},
		{"date", "{{d}}", []Blank{{Name: "d", Type: Date}}, Values{"d": Single("2028-02-29")}, "2028-02-29"},
		{"list of one", "{{topics}}", []Blank{topics}, Values{"topics": List("leak")}, "leak"},
		{"list of three", "{{topics}}", []Blank{topics}, Values{"topics": List("leak", "billing", "pressure")}, "leak, billing and pressure"},
		{"one text for a pick-many", "{{topics}}", []Blank{topics}, Values{"topics": Single("leak")}, "leak"},
		{"if", "{{if a}}x{{else}}y{{end}}", nil, Values{"a": Single("1")}, "x"},
		{"if, not given", "{{if a}}x{{else}}y{{end}}", nil, nil, "y"},
		{"if, no", "{{if a}}x{{else}}y{{end}}", []Blank{{Name: "a", Type: YesNo}}, Values{"a": Single("no")}, "y"},
		{"if, empty list", "{{if topics}}x{{else}}y{{end}}", []Blank{topics}, Values{"topics": List()}, "y"},
		{"if not", "{{if not a}}x{{end}}", nil, nil, "x"},
		{"if is", `{{if a is "farm"}}x{{end}}{{if not a is "farm"}}y{{end}}`, nil, Values{"a": Single("farm")}, "x"},
		{"if has", `{{if topics has "leak"}}x{{end}}{{if topics has "billing"}}y{{end}}`, []Blank{topics}, Values{"topics": List("billing")}, "y"},
		{"lone lines of a choice", "a\n{{if x}}\nb\n{{else}}\nc\n{{end}}\nd\n", nil, Values{"x": Single("1")}, "a\nb\nd\n"},
		{"a blank inside its own if need not be given", "a{{if x}}: {{x}}{{end}}", nil, nil, "a"},
		{"nested choice", "{{if a}}{{if b}}1{{else}}2{{end}}{{else}}3{{end}}", nil, Values{"a": Single("x")}, "2"},
		{"each", "{{each topics as topic}}\n- {{topic}}{{if topic is \"leak\"}} (urgent){{end}}\n{{end}}\n.", []Blank{topics}, Values{"topics": List("billing", "leak")}, "- billing\n- leak (urgent)\n."},
		{"each, none", "a{{each topics as t}}{{t}}{{end}}b", []Blank{{Name: "topics", Type: PickMany, Options: []string{"x"}, Optional: true}}, nil, "ab"},
		{"each in each", "{{each topics as a}}{{each topics as b}}{{a}}{{b}} {{end}}{{end}}", []Blank{{Name: "topics", Type: PickMany, Options: []string{"1", "2"}}}, Values{"topics": List("1", "2")}, "11 12 21 22 "},
		{"include follows", "{{include house-tone}}\nx", nil, nil, "Plain and calm.\nx"},
		{"include stays", "{{include house-tone@3}}", nil, nil, "Plain."},
		{"include in a line", "Tone: {{include house-tone}} End.", nil, nil, "Tone: Plain and calm. End."},
		{"include alone, indented", "- x\n    {{include close signed=\"Care\"}}\nz", nil, nil, "- x\n    Yours,\n    Care\n\n    for the team\nz"},
		{"indentation reaches into values", "> {{include paste}}\n  {{include paste}}\n", nil, Values{"notes": Single("a\n\nb\n")}, "> a\n\nb\n\n  a\n\n  b\n\n"},
		{"include with values two deep", "{{include outer}}", nil, Values{"agent": Single("Wren")}, "<Yours,\nCare\n\nfor Wren>"},
		{"include, CRLF", "  {{include crlf}}\r\n.", nil, nil, "  a\r\n  b\r\n."},
		{"include of nothing", "a\n  {{include empty}}\nb", nil, nil, "a\n\nb"},
		{"last line end before a lone mark", "{{include ends}}.", nil, nil, "x\ny."},
		{"include given a repeat's item", "{{each topics as t}}{{include close signed=t}};{{end}}", []Blank{topics}, Values{"topics": List("leak", "billing")}, "Yours,\nleak\n\nfor the team;Yours,\nbilling\n\nfor the team;"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			got, err := fillText(t, source(t, "it", 1, tt.text, tt.blanks...), lib, tt.values)
			if err != nil {
				t.Fatalf("fill %q with %v: %v", tt.text, tt.values, err)
			}
			if got.Text != tt.want {
				t.Errorf("fill %q with %v\n got %q\nwant %q", tt.text, tt.values, got.Text, tt.want)
			}
		})
	}
}

// wantProblems holds an error against what it should say: one problem for each
// line of want, each "line:column part of the message" or a part alone.
func wantProblems(t *testing.T, err error, want []string) {
	t.Helper()
	var found problem.List
	if !errors.As(err, &found) || len(found) != len(want) {
		t.Fatalf("got %d problems (%v), want %d: %q", len(found), err, len(want), want)
	}
	for i, w := range want {
		got := fmt.Sprintf("%d:%d %s %s", found[i].Line, found[i].Column, found[i].Field, found[i].Message)
		place, part, _ := strings.Cut(w, " ")
		if !strings.HasPrefix(got, place+" ") || !strings.Contains(got, part) {
			t.Errorf("problem %d is\n     %s\nwant %s", i, got, w)
		}
	}
}

func TestFillErrors(t *testing.T) {
	t.Parallel()
	blanks := []Blank{
		{Name: "area", Ask: "Which streets?", Max: num(10)},
		{Name: "hours", Type: Number, Min: num(1), Max: num(72)},
		{Name: "kind", Type: Pick, Options: []string{"farm", "home"}},
		{Name: "urgent", Type: YesNo}, {Name: "day", Type: Date},
		{Name: "notes", Type: LongText, Min: num(3)},
		{Name: "topics", Type: PickMany, Options: []string{"a", "b", "c"}, Max: num(2)},
	}
	text := "{{area}}{{hours}}{{kind}}{{urgent}}{{day}}{{notes}}{{topics}}{{undeclared}}"
	good := Values{
		"area": Single("Mill Lane"), "hours": Single("6"), "kind": Single("farm"), "urgent": Single("yes"),
		"day": Single("2026-03-31"), "notes": Single("abc"), "topics": List("a"), "undeclared": Single("x"),
	}
	tests := []struct {
		name string
		set  Values
		want []string
	}{
		{"a list for a line", Values{"area": List("a", "b")}, []string{"0:0 a list of 2 was given"}},
		{"too long", Values{"area": Single("Mill Lane E")}, []string{"0:0 has 11 characters; the most is 10"}},
		{"200,000 characters", Values{"area": Single(strings.Repeat("é", 200000))}, []string{"0:0 has 200000 characters"}},
		{"two lines for a line", Values{"area": Single("a\nb")}, []string{"1:2 has a line end"}},
		{"NUL", Values{"area": Single("a\x00b")}, []string{"1:2 NUL"}},
		{"NUL in a list", Values{"topics": List("a", "\x00")}, []string{"1:1 /values/topics/1 the text holds the character NUL"}},
		{"not UTF-8", Values{"notes": Single("abc\xff")}, []string{"1:4 0xFF is not UTF-8"}},
		{"not a number", Values{"hours": Single("six")}, []string{`0:0 is a number, not "six"`}},
		{"a number of another notation", Values{"hours": Single("0x10")}, []string{`0:0 is a number, not "0x10"`}},
		{"out of range", Values{"hours": Single("73")}, []string{"0:0 hours is 73; the most is 72"}},
		{"no option", Values{"kind": Single("shop")}, []string{`0:0 no option "shop"; it has "farm", "home"`}},
		{"neither yes nor no", Values{"urgent": Single("maybe")}, []string{`0:0 yes or no`}},
		{"a date that is none", Values{"day": Single("2026-02-30")}, []string{`0:0 one that the calendar has`}},
		{"too short", Values{"notes": Single("a")}, []string{"0:0 the least is 3"}},
		{"an option twice", Values{"topics": List("a", "a")}, []string{"0:0 twice"}},
		{"too many", Values{"topics": List("a", "b", "c")}, []string{"0:0 has 3 options; the most is 2"}},
		{"unknown", Values{"aera": Single("x"), "b": Single("y")}, []string{"0:0 no blank named aera", "0:0 no blank named b"}},
		{"missing", Values{"area": {}, "undeclared": Single("")}, []string{"0:0 area is missing: Which streets?", "0:0 undeclared is missing: Undeclared"}},
		{"all at once", Values{"area": {}, "hours": Single("x"), "zz": Single("")}, []string{"0:0 /values/area", "0:0 /values/hours", "0:0 /values/zz"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			values := Values{}
			for _, set := range []Values{good, tt.set} {
				for k, v := range set {
					values[k] = v
				}
			}
			_, err := fillText(t, source(t, "it", 1, text, blanks...), nil, values)
			wantProblems(t, err, tt.want)
		})
	}
	t.Run("the good values are good", func(t *testing.T) {
		if _, err := fillText(t, source(t, "it", 1, text, blanks...), nil, good); err != nil {
			t.Error(err)
		}
	})
	t.Run("a result over 1 MiB", func(t *testing.T) {
		src := source(t, "it", 1, strings.Repeat("{{a}}", 6), Blank{Name: "a", Type: LongText})
		_, err := fillText(t, src, nil, Values{"a": Single(strings.Repeat("x", 200_000))})
		wantProblems(t, err, []string{"0:0 longer than 1 MiB"})
		if _, err := fillText(t, src, nil, Values{"a": Single(strings.Repeat("x", 170_000))}); err != nil {
			t.Errorf("170,000 six times: %v", err)
		}
	})
	t.Run("repeats that write nothing end", func(t *testing.T) {
		options := make([]string, 300)
		for i := range options {
			options[i] = fmt.Sprint(i)
		}
		src := source(t, "it", 1, "{{each l as a}}{{each l as b}}{{each l as c}}{{end}}{{end}}{{end}}", Blank{Name: "l", Type: PickMany, Options: options})
		_, err := fillText(t, src, nil, Values{"l": List(options...)})
		wantProblems(t, err, []string{"0:0 repeats too often"})
	})
}

func TestSpansSayWhereTextCameFrom(t *testing.T) {
	t.Parallel()
	lib := shelf{"tone": source(t, "tone", 3, "Be {{manner or \"calm\"}}.\n")}
	src := source(t, "notice", 4, "For {{area}}: {{include tone}} By {{hour}}.", Blank{Name: "hour", Default: Single("noon")})
	got, err := fillText(t, src, lib, Values{"area": Single("Mill Lane")})
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for _, s := range got.Spans {
		fmt.Fprintf(&b, "%q %s@%d %s %v|", got.Text[s.Start:s.End], s.From.Entry, s.From.Version, s.From.Blank, s.From.Default)
	}
	want := `"For " notice@4  false|"Mill Lane" notice@4 area false|": " notice@4  false|"Be " tone@3  false|"calm" tone@3 manner true|"." tone@3  false|" By " notice@4  false|"noon" notice@4 hour true|"." notice@4  false|`
	if b.String() != want {
		t.Errorf("got  %s\nwant %s", b.String(), want)
	}
	if used := fmt.Sprint(got.Used); used != "[{notice 4} {tone 3}]" {
		t.Errorf("got used %s", used)
	}
}

func TestUsedLeavesOutBranchesNotTaken(t *testing.T) {
	t.Parallel()
	lib := shelf{"tone": source(t, "tone", 3, "x")}
	got, err := fillText(t, source(t, "it", 1, "{{if a}}{{include tone}}{{end}}"), lib, nil)
	if err != nil || fmt.Sprint(got.Used) != "[{it 1}]" {
		t.Errorf("got %v, %v; want only it 1", got.Used, err)
	}
}

func TestLayers(t *testing.T) {
	t.Parallel()
	form, err := Compile(shelf{}.lookup,
		source(t, "officer", 2, "You are calm.\n\n"),
		source(t, "empty", 1, "{{if a}}x{{end}}\n"),
		source(t, "notice", 4, "For {{area}}.\n"))
	if err != nil {
		t.Fatal(err)
	}
	got, layers, err := form.FillLayers(Values{"area": Single("Mill Lane")})
	if err != nil {
		t.Fatal(err)
	}
	checkSpans(t, got)
	if want := "You are calm.\n\nFor Mill Lane.\n"; got.Text != want {
		t.Errorf("got %q, want %q", got.Text, want)
	}
	for i, want := range []string{"You are calm.", "", "For Mill Lane.\n"} {
		if text := got.Text[layers[i].Start:layers[i].End]; text != want {
			t.Errorf("layer %d is %q, want %q", i, text, want)
		}
	}
}

func TestSketch(t *testing.T) {
	t.Parallel()
	form, err := Compile(shelf{}.lookup, source(t, "it", 1, `{{area}} {{hours}} {{tone or "calm"}}{{if area}}!{{end}}`, Blank{Name: "hours", Type: Number}))
	if err != nil {
		t.Fatal(err)
	}
	got, _, found, err := form.Sketch(Values{"hours": Single("soon"), "zz": Single("x")})
	if err != nil || got.Text != "‹area› ‹hours› calm" {
		t.Errorf("got %q, %v", got.Text, err)
	}
	checkSpans(t, got)
	wantProblems(t, found, []string{"0:0 /values/hours", "0:0 /values/area", "0:0 /values/zz"})
}

func TestBlankProblems(t *testing.T) {
	t.Parallel()
	tests := []struct {
		blank Blank
		want  string
	}{
		{Blank{Name: "Area"}, "lower-case"},
		{Blank{Name: "if"}, "meaning of its own"},
		{Blank{Name: "a", Type: "colour"}, "the types are line, text"},
		{Blank{Name: "a", Type: Pick}, "has no options"},
		{Blank{Name: "a", Options: []string{"x"}}, "no options; make it a pick"},
		{Blank{Name: "a", Type: Pick, Options: []string{"x", "x"}}, "twice"},
		{Blank{Name: "a", Type: Pick, Options: []string{"x", ""}}, "empty option"},
		{Blank{Name: "a", Type: Pick, Options: []string{"x"}, Default: Single("y")}, "the default does not hold"},
		{Blank{Name: "a", Type: Number, Sample: Single("y")}, "the sample does not hold"},
		{Blank{Name: "a", Type: Number, Min: num(3), Max: num(2)}, "no value is both"},
		{Blank{Name: "a", Type: Date, Max: num(2)}, "no min or max"},
		{Blank{Name: "a", Type: PickMany, Options: []string{"x", "y"}, Sample: List("x", "y"), Max: num(2)}, ""},
	}
	for _, tt := range tests {
		err := tt.blank.Problems("/blanks/0").Err()
		if got := fmt.Sprint(err); tt.want == "" && err != nil || !strings.Contains(got, tt.want) {
			t.Errorf("%+v: got %s, want %q", tt.blank, got, tt.want)
		}
	}
}

func TestValueJSON(t *testing.T) {
	t.Parallel()
	for in, want := range map[string]string{
		`"a"`: `"a"`, `6.50`: `"6.50"`, `true`: `"yes"`, `false`: `"no"`, `null`: `""`, `["a",1]`: `["a","1"]`, `[]`: `[]`,
		`{}`: "error", `[{}]`: "error", `[[1]]`: "error",
	} {
		var v Value
		got := "error"
		if err := v.UnmarshalJSON([]byte(in)); err == nil {
			out, _ := v.MarshalJSON()
			got = string(out)
		}
		if got != want {
			t.Errorf("%s: got %s, want %s", in, got, want)
		}
	}
}

// A form is filled from many goroutines at once; the race detector watches.
func TestFillFromManyGoroutines(t *testing.T) {
	t.Parallel()
	lib := shelf{"tone": source(t, "tone", 3, "x {{a}}\n")}
	form, err := Compile(lib.lookup, source(t, "it", 1, "{{a}}{{include tone}}{{each topics as t}}{{t}}{{end}}", topics))
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for i := range 16 {
		wg.Go(func() {
			a := fmt.Sprint(i)
			got, err := form.Fill(Values{"a": Single(a), "topics": List("leak")})
			if want := a + "x " + a + "leak"; err != nil || got.Text != want {
				t.Errorf("got %q, %v; want %q", got.Text, err, want)
			}
		})
	}
	wg.Wait()
}

func TestFillIntoUsesItsRoomAgain(t *testing.T) {
	t.Parallel()
	form, err := Compile(shelf{"close": source(t, "close", 2, "Yours, {{name}}\n")}.lookup, source(t, "it", 1, "To {{area}}.\n\n  {{include close}}\n"))
	if err != nil {
		t.Fatal(err)
	}
	var room Room
	for _, area := range []string{"Mill Lane and Ferry Row", "Quay"} {
		values := Values{"area": Single(area), "name": Single("Care team")}
		want, err := form.Fill(values)
		if err != nil {
			t.Fatal(err)
		}
		if err := form.FillInto(&room, values); err != nil || string(room.Text) != want.Text || !slices.Equal(room.Spans, want.Spans) {
			t.Errorf("got %q with %v, %v; want %q with %v", room.Text, room.Spans, err, want.Text, want.Spans)
		}
	}
	at := &room.Text[0]
	wantProblems(t, form.FillInto(&room, Values{"area": Single("x")}), []string{"0:0 name is missing"})
	if err := form.FillInto(&room, Values{"area": Single("x"), "name": Single("y")}); err != nil || &room.Text[0] != at {
		t.Errorf("the second filling made room of its own (%v)", err)
	}
}
