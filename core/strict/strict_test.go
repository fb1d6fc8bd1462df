package strict

import (
	"errors"
	"strings"
	"testing"
	"time"

	"goldshelf/core/problem"
)

type part struct {
	Name string         `json:"name"`
	Min  *float64       `json:"min"`
	Any  any            `json:"any"`
	More map[string]int `json:"more"`
}

type whole struct {
	part
	Parts  []part    `json:"parts"`
	At     time.Time `json:"at"`
	On     bool      `json:"on"`
	hidden int
	Kept   string `json:"-"`
}

func TestJSONTakes(t *testing.T) {
	var got whole
	if err := JSON([]byte(`{"name": "A", "min": 1.5, "any": {"x": [1, null]}, "parts": [{"more": {"a": 1}}, {}], "at": "2026-11-30T08:00:00Z", "on": true}`), &got); err != nil {
		t.Fatal(err)
	}
	if got.Name != "A" || *got.Min != 1.5 || got.Any == nil || len(got.Parts) != 2 || got.Parts[0].More["a"] != 1 || got.At.Hour() != 8 || !got.On || got.hidden != 0 {
		t.Errorf("read %+v", got)
	}
	var list []int
	if err := JSON([]byte(` [1, 2] `), &list); err != nil || len(list) != 2 {
		t.Errorf("read %v, %v", list, err)
	}
}

// What cannot be read is named by its place, all of it at once.
func TestJSONNamesProblems(t *testing.T) {
	for name, c := range map[string]struct {
		json string
		want []string // pointer and code of each
	}{
		"unknown":       {`{"nam": 1, "parts": [{}, {"nmae": "x"}]}`, []string{"/nam unknown", "/parts/1/nmae unknown"}},
		"other letters": {`{"Name": "x", "hidden": 1, "Kept": ""}`, []string{"/Name unknown", "/hidden unknown", "/Kept unknown"}},
		"twice":         {`{"on": true, "parts": [{"name": "", "name": ""}], "on": false}`, []string{"/parts/0/name twice", "/on twice"}},
		"types":         {`{"name": 1, "min": "1", "parts": {}, "on": [], "more": {"a/b": "x"}}`, []string{"/name type", "/min type", "/parts type", "/on type", "/more/a~1b type"}},
		"the whole":     {`[]`, []string{" type"}},
		"a time":        {`{"at": "soon"}`, []string{" type"}},
		"NUL":           {`{"name": "a\u0000b", "any": {"x": "\u0000"}, "more": {"\u0000": 1}}`, []string{"/name nul", "/any/x nul", "/more/\x00 nul"}},
		"bytes":         {"{\"name\": \"a\xffb\", \"parts\": [{\"name\": \"\xfe\"}]}", []string{"/name utf8", "/parts/0/name utf8"}},
	} {
		t.Run(name, func(t *testing.T) {
			var into whole
			err := JSON([]byte(c.json), &into)
			var list problem.List
			if !errors.As(err, &list) {
				t.Fatalf("got %v, want a list of problems", err)
			}
			var got []string
			for _, p := range list {
				got = append(got, p.Field+" "+p.Code)
			}
			if strings.Join(got, "\n") != strings.Join(c.want, "\n") {
				t.Errorf("got %q, want %q", got, c.want)
			}
		})
	}
}

func TestJSONThatIsNone(t *testing.T) {
	for text, want := range map[string]string{
		"":                         "line 1, column 1: it ends in the middle",
		"{":                        "line 1, column 2: it ends in the middle",
		"{\n  \"name\": nope}":     "line 2, column 12: invalid character",
		"{} {}":                    "line 1, column 4: there is more after the end",
		strings.Repeat("[", 1<<16): "more than 64 deep",
	} {
		var into any
		err := JSON([]byte(text), &into)
		var bad *Unreadable
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), want) {
			t.Errorf("%.40q: got %v, want %q", text, err, want)
		}
	}
}

func BenchmarkJSON4KiB(b *testing.B) {
	data := []byte(`{"name": "` + strings.Repeat("Say what happened.\\n", 200) + `", "parts": [{"name": "a", "min": 1}, {"name": "b", "more": {"x": 1}}], "on": true}`)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		var into whole
		if err := JSON(data, &into); err != nil {
			b.Fatal(err)
		}
	}
}
