package bundle

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/test/intime"
)

// told gives what was gathered in a line each: slug, kind, title and problems.
func told(all []Incoming, err error) string {
	var lines []string
	if err != nil {
		for _, p := range err.(problem.List) {
			lines = append(lines, fmt.Sprintf("%d:%d %s: %s", p.Line, p.Column, p.Code, p.Message))
		}
	}
	for _, in := range all {
		line := fmt.Sprintf("%s|%s|%s|%s", in.Slug, in.Kind, in.Title, in.Body)
		for _, p := range in.Wrong {
			line += fmt.Sprintf(" !%d:%d %s %s", p.Line, p.Column, p.Code, p.Message)
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

func utf16le(s string) []byte {
	out := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(s)) {
		out = append(out, byte(u), byte(u>>8))
	}
	return out
}

func TestTables(t *testing.T) {
	t.Parallel()
	wide := strings.Repeat("c,", 999) + "text\n"
	for _, tt := range []struct {
		name string
		data []byte
		how  Reading
		want []string // parts of what is told, in order
	}{
		{"by name", []byte("Name,Prompt,Departments\nBurst,\"Write, now\",\"customer-care; laboratory\"\n"), Reading{}, []string{"burst|prompt|Burst|Write, now"}},
		{"semicolons and a mark", []byte("\ufefftitle;text\nBurst;Write, now\n"), Reading{}, []string{"burst|prompt|Burst|Write, now"}},
		{"tabs", []byte("title\ttext\nBurst\tWrite; now\n"), Reading{}, []string{"|Burst|Write; now"}},
		{"UTF-16", utf16le("title,text\nBürst,Schreib\n"), Reading{}, []string{"b-rst|prompt|Bürst|Schreib"}},
		{"no UTF at all", []byte("title,text\nB\xfcrst,x\n"), Reading{}, []string{"neither UTF-8 nor UTF-16"}},
		{"half a character", append(utf16le("title,text\n"), 'x'), Reading{}, []string{"in the middle of a character"}},
		{"NUL", []byte("title,text\nB\x00,x\n"), Reading{}, []string{"2:2 nul: ", "NUL"}},
		{"no title", []byte("text\n\"Sum up the notes. Be short.\"\n"), Reading{}, []string{"sum-up-the-notes|prompt|Sum up the notes|"}},
		{"line ends in cells", []byte("title,text\r\nA1,\"one\r\ntwo\"\r\n"), Reading{}, []string{"a1|prompt|A1|one\r\ntwo"}},
		{"quoted quotes", []byte("title,text\nA1,\"say \"\"so\"\"\"\n"), Reading{}, []string{`|say "so"`}},
		{"odd quoting", []byte("title,text\nA1,say \"so\n"), Reading{}, []string{"2:8 csv", "quotation marks"}},
		{"a quote never closed", []byte("title,text\nA1,\"say\n"), Reading{}, []string{"csv"}},
		{"ragged", []byte("title,text\nA1,x,y\nB1\nC1,z\n"), Reading{}, []string{"a1|prompt|A1|x !2:0 ragged the row has 3 cells", "b1|prompt|B1|", "c1|prompt|C1|z"}},
		{"empty rows", []byte("title,text\n\n,\nA1,x\n\n"), Reading{}, []string{"no slug, and no title", "a1|prompt|A1|x"}},
		{"a thousand columns", []byte(wide), Reading{}, []string{"1000 columns, and 200 are the most"}},
		{"a huge cell", []byte("title,text\nA1,\"" + strings.Repeat("x", 10<<20) + "\"\nB1,y\n"), Reading{}, []string{"!2:0 size the cell under text has 10485760 bytes", "b1|prompt|B1|y"}},
		{"no text column", []byte("title,other\nA1,x\n"), Reading{}, []string{"no column holds the text"}},
		{"by hand", []byte("a,b,c\nBurst,Write now,sheet\n"), Reading{Columns: map[string]string{"a": "title", "b": "text", "c": "kind"}}, []string{"burst|sheet|Burst|Write now"}},
		{"by hand, wrongly", []byte("a,b\nx,y\n"), Reading{Columns: map[string]string{"z": "title", "a": "mood", "b": "text"}}, []string{"cannot hold \"mood\"", "no column headed \"z\""}},
		{"two columns for one", []byte("text,body\nx,y\n"), Reading{}, []string{`"text" and "body" both hold the text`}},
		{"a kind that is none", []byte("kind,title,text\npoem,A1,x\n"), Reading{}, []string{`a1|poem|A1|x !`, `the kind is "poem"`}},
		{"one slug twice", []byte("slug,title,text\naa,A1,x\naa,A2,y\n"), Reading{}, []string{"aa|prompt|A1|x\naa|prompt|A2|y !0:0 twice t.csv, line 2 has the slug aa too"}},
		{"blanks that are none", []byte("title,text,blanks\nA1,x,nonsense\n"), Reading{}, []string{"!2:0 json the cell with its blanks is no list"}},
		{"only a heading", []byte("title,text\n"), Reading{}, []string{"holds no entries"}},
		{"nothing", nil, Reading{}, []string{"csv"}},
		{"another split", []byte("title,text,labels\n"), Reading{}, []string{"holds no entries"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			got := told(Gather("t.csv", tt.data, tt.how))
			at := 0
			for _, want := range tt.want {
				i := strings.Index(got[at:], want)
				if i < 0 {
					t.Fatalf("got\n%.2000s\nwant %q in it", got, want)
				}
				at += i
			}
		})
	}
}

func full() []Incoming {
	most := 72.0
	return []Incoming{
		{Slug: "bb", File: File{Owner: "care-lead", Content: entry.Content{
			Kind: entry.Prompt, Title: "=SUM(A1)", Summary: "+1 \"quoted\", with; marks", Labels: map[string][]string{"department": {"customer-care", "laboratory"}},
			Code: "bb2", Persona: "duty-officer", Sheets: []string{"larkfen-facts"}, Source: &entry.Source{Place: "@chat", Date: "2026-03-02"},
			Blanks: []fill.Blank{{Name: "hours", Type: fill.Number, Max: &most, Sample: fill.Single("6.50")}, {Name: "topics", Type: fill.PickMany, Options: []string{"a", "b"}, Default: fill.List("a")}},
			Body:   "'= begins like a formula\r\nand {{hours}} has\nboth ends\r",
		}}},
		{Slug: "aa", File: File{Content: entry.Content{Kind: entry.Snippet, Title: "'quoted", Labels: map[string][]string{}, Plain: true, Body: "\t{{ not a mark\n"}}},
	}
}

// What is written as a table comes back as it was, and nothing in it runs.
func TestTableRoundTrip(t *testing.T) {
	t.Parallel()
	data, err := WriteTable(full(), []string{"department"})
	if err != nil {
		t.Fatal(err)
	}
	back, err := Gather("t.csv", data, Reading{})
	if err != nil || len(back) != 2 {
		t.Fatalf("%v, %+v from\n%s", err, back, data)
	}
	for i, want := range []Incoming{full()[1], full()[0]} {
		got, _ := json.Marshal(back[i].Content)
		wanted, _ := json.Marshal(want.Content)
		if string(got) != string(wanted) || back[i].Slug != want.Slug || back[i].Owner != want.Owner {
			t.Errorf("%s came back as\n%s, want\n%s", want.Slug, got, wanted)
		}
	}
	again, _ := WriteTable(back, []string{"department"})
	if !bytes.Equal(data, again) {
		t.Errorf("written again it is\n%q, not\n%q", again, data)
	}
	for _, cell := range []string{"=", "+", "@", "\t"} {
		if bytes.Contains(data, []byte(","+cell)) || bytes.Contains(data, []byte(`,"`+cell)) {
			t.Errorf("a cell begins with %q: %s", cell, data)
		}
	}
}

func zipOf(t *testing.T, files ...*zip.FileHeader) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range files {
		body := "---\ntitle: T\n---\nx\n"
		if strings.HasPrefix(f.Comment, "body:") {
			body, f.Comment = strings.TrimPrefix(f.Comment, "body:"), ""
		}
		f.Method = zip.Deflate
		part, err := w.CreateHeader(f)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := part.Write([]byte(body)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func TestZips(t *testing.T) {
	t.Parallel()
	link := &zip.FileHeader{Name: "link.md"}
	link.SetMode(os.ModeSymlink | 0o777)
	for _, tt := range []struct {
		name string
		data []byte
		want string
	}{
		{"files in folders", zipOf(t, &zip.FileHeader{Name: "b/care/aa.md", Comment: "Kinder."}, &zip.FileHeader{Name: "readme.txt"}, &zip.FileHeader{Name: ".git/x.md"}), "aa|prompt|T|x\n"},
		{"out of it", zipOf(t, &zip.FileHeader{Name: "../aa.md"}, &zip.FileHeader{Name: "b/../../c.md"}), "0:0 path: ../aa.md leads out of the zip; take such files out\n0:0 path: b/../../c.md leads"},
		{"absolute", zipOf(t, &zip.FileHeader{Name: "/etc/aa.md"}, &zip.FileHeader{Name: `c:\aa.md`}), "0:0 path: /etc/aa.md leads out of the zip; take such files out\n0:0 path: c:\\aa.md leads"},
		{"a link", zipOf(t, link), "0:0 link: link.md is no file"},
		{"two of one name", zipOf(t, &zip.FileHeader{Name: "aa.md"}, &zip.FileHeader{Name: "Aa.md"}), "0:0 twice: aa.md and Aa.md are one file"},
		{"two of one slug", zipOf(t, &zip.FileHeader{Name: "a/aa.md"}, &zip.FileHeader{Name: "b/aa.md"}), "aa|prompt|T|x\n\naa|prompt|T|x\n !0:0 twice a/aa.md has the slug aa too"},
		{"one that is huge", zipOf(t, &zip.FileHeader{Name: "aa.md", Comment: "body:" + strings.Repeat("x", 2<<20)}, &zip.FileHeader{Name: "bb.md"}), "aa|prompt|| !0:0 size it has 2097152 bytes"},
		{"one that is wrong", zipOf(t, &zip.FileHeader{Name: "aa.md", Comment: "body:---\nkind: prompt\n\tx: 1\n---\n"}), "aa|prompt|| !3:1 yaml"},
		{"anchors", zipOf(t, &zip.FileHeader{Name: "aa.md", Comment: "body:---\ntitle: &a [x, x]\nsummary: *a\n---\n"}), "anchor, alias or tag"},
		{"keys twice", zipOf(t, &zip.FileHeader{Name: "aa.md", Comment: "body:---\ntitle: a\ntitle: b\n---\n"}), "title stands twice"},
		{"empty", zipOf(t), "holds no entries"},
		{"cut off", zipOf(t, &zip.FileHeader{Name: "aa.md"})[:60], "0:0 zip: it is no zip that can be read"},
		{"a bad slug", zipOf(t, &zip.FileHeader{Name: "Bad Name.md"}), `"Bad Name" is no slug`},
	} {
		if got := told(Gather("t.zip", tt.data, Reading{})); !strings.Contains(got, tt.want) {
			t.Errorf("%s: got\n%.1000s\nwant %q in it", tt.name, got, tt.want)
		}
	}
	got, err := Gather("t.zip", zipOf(t, &zip.FileHeader{Name: "aa.md", Comment: " Kinder.\n"}), Reading{Source: &entry.Source{Place: "Team notes"}})
	if err != nil || got[0].Note != "Kinder." || got[0].Source.Place != "Team notes" {
		t.Errorf("got %+v, %v; want the note and the source", got, err)
	}
	files := map[string][]byte{"bb.md": []byte("b"), "aa.md": []byte("a")}
	one, _ := WriteZip(files)
	two, _ := WriteZip(files)
	if !bytes.Equal(one, two) {
		t.Error("the same files make two zips")
	}
}

// A zip whose files unpack to more than anyone would keep is not unpacked.
func TestBombs(t *testing.T) {
	t.Parallel()
	one := zipOf(t, &zip.FileHeader{Name: "f.md", Comment: "body:" + strings.Repeat("x", 500<<10)})
	r, err := zip.NewReader(bytes.NewReader(one), int64(len(one)))
	if err != nil {
		t.Fatal(err)
	}
	raw, err := r.File[0].OpenRaw()
	if err != nil {
		t.Fatal(err)
	}
	packed, err := io.ReadAll(raw)
	if err != nil {
		t.Fatal(err)
	}
	var bomb bytes.Buffer
	w := zip.NewWriter(&bomb)
	for i := range 560 {
		h := r.File[0].FileHeader
		h.Name = fmt.Sprintf("f%d.md", i)
		part, err := w.CreateRaw(&h)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := part.Write(packed); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if got := told(Gather("bomb.zip", bomb.Bytes(), Reading{})); !strings.Contains(got, "more than 256 MiB") {
		t.Errorf("got %.300s", got)
	}
}

func TestMessages(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct{ name, data, want string }{
		{"persona and prompt", `[{"role":"system","content":"You are the duty officer. Be short."},{"role":"user","content":"Write a notice for {{area}}."}]`,
			"chat-persona|persona|Duty officer|## Who\nYou are the duty officer. Be short.\n\nchat|prompt|Write a notice for|Write a notice for {{area}}.\n"},
		{"background and examples", `{"messages":[{"role":"system","content":"Prices are in euros."},{"role":"user","content":"Sum up 1."},{"role":"assistant","content":"One.\nDone."},{"role":"user","content":[{"type":"text","text":"Sum up 2."}]}]}`,
			"chat|prompt|Sum up 2|## Background\nPrices are in euros.\n\n## Task\nSum up 2.\n\n## Examples\nAsked:\n\n> Sum up 1.\n\nAnswered:\n\n> One.\n> Done.\n"},
		{"other braces", `[{"role":"user","content":"Fill {{#each x}} in."}]`, "chat|prompt|Fill in|"},
		{"two chats", `[{"messages":[{"role":"user","content":"Do this."}]},{"messages":[{"role":"user","content":"Do that."}]}]`, "chat-1|prompt|Do this|Do this.\n\nchat-2|prompt|Do that|Do that.\n"},
		{"no text", `[{"role":"user","content":" "}]`, "no message of this chat has a text"},
		{"no role", `[{"role":"user","content":"x"},{"content":"y"}]`, "the message at /1 has no role"},
		{"content is a number", `[{"role":"user","content":3}]`, "the message at /0 has no text"},
		{"not a chat", `{"a":1}`, "no bundle of a Gold Shelf"},
		{"200 deep", strings.Repeat("[", 200) + strings.Repeat("]", 200), "more than 64 deep"},
		{"cut off", `[{"role":"user","content":"x`, "1:29 json: it is no JSON: it ends in the middle"},
		{"keys twice", `[{"role":"user","role":"system","content":"x"}]`, "role stands twice"},
		{"nothing in it", `[]`, "holds no entries"},
	} {
		if got := told(Gather("chat.json", []byte(tt.data), Reading{})); !strings.Contains(got, tt.want) {
			t.Errorf("%s: got\n%s\nwant %q in it", tt.name, got, tt.want)
		}
	}
}

func TestLibraries(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)
	content := full()[0].Content
	whole := []Whole{
		{Slug: "bb", Owner: "care-lead", Versions: []Version{
			{Number: 1, Life: Life{State: entry.Superseded, Note: "First.", PublishedAt: &at, Approvals: []Approval{{By: "Oona Birch", At: at}}}, Content: content},
			{Number: 3, Life: Life{State: entry.Published, Note: "Next.", PublishedAt: &at}, Content: content},
			{Number: 4, Life: Life{State: entry.Draft}, Content: content},
		}},
		{Slug: "aa", Owner: "care-lead", Versions: []Version{{Number: 1, Life: Life{State: entry.Retired, Note: "N", PublishedAt: &at}, Content: content}}, Retired: &Retired{At: at, Because: "Old."}},
	}
	data, err := WriteLibrary([]Facet{{Name: "department", Title: "Department", Terms: []Term{{"laboratory", "Laboratory"}}}}, whole, Beside{})
	if err != nil {
		t.Fatal(err)
	}
	got, err := Gather("x.json", data, Reading{})
	if err != nil || len(got) != 2 || got[1].Slug != "bb" || len(got[1].Whole.Versions) != 3 || got[1].Wrong != nil {
		t.Fatalf("got %v, %+v", err, got)
	}
	var back []Whole
	for _, in := range got {
		back = append(back, *in.Whole)
	}
	again, _ := WriteLibrary([]Facet{{Name: "department", Title: "Department", Terms: []Term{{"laboratory", "Laboratory"}}}}, back, Beside{})
	if !bytes.Equal(data, again) {
		t.Error("a bundle read and written again has other bytes")
	}

	text := string(data)
	for _, tt := range []struct{ name, data, want string }{
		{"a newer format", strings.Replace(text, `"edition": 1`, `"edition": 2, "colour": "red"`, 1), "a bundle of edition 2, and this Gold Shelf reads up to 1"},
		{"another format", strings.Replace(text, libraryFormat, "recipes", 1), `its format is "recipes"`},
		{"no edition", strings.Replace(text, `"edition": 1,`, "", 1), "does not say which edition"},
		{"unknown fields", strings.Replace(text, `"edition": 1,`, `"edition": 1, "colour": "red",`, 1), `no field "colour"`},
		{"cut off", text[:len(text)/2], "ends in the middle"},
		{"keys twice", strings.Replace(text, `"edition": 1,`, `"edition": 1, "edition": 1,`, 1), "edition stands twice"},
		{"versions out of order", strings.Replace(text, `"version": 3,`, `"version": 1,`, 1), "version 1 stands after version 1"},
		{"two published", strings.Replace(text, `"superseded"`, `"published"`, 1), "2 on the shelf"},
		{"an unknown state", strings.Replace(text, `"draft"`, `"burnt"`, 1), `no state "burnt"`},
		{"two of one slug", strings.Replace(text, `"slug": "bb"`, `"slug": "aa"`, 1), "has the slug aa too"},
		{"a bad slug", strings.Replace(text, `"slug": "bb"`, `"slug": "../bb"`, 1), "is no slug"},
	} {
		if tt.data == text {
			t.Fatalf("%s: nothing was changed", tt.name)
		}
		if got := told(Gather("x.json", []byte(tt.data), Reading{})); !strings.Contains(got, tt.want) {
			t.Errorf("%s: got\n%.1500s\nwant %q in it", tt.name, got, tt.want)
		}
	}
}

func FuzzGather(f *testing.F) {
	data, _ := WriteTable(full(), []string{"department"})
	lib, _ := WriteLibrary(nil, []Whole{{Slug: "aa"}}, Beside{})
	for _, seed := range [][]byte{data, lib, []byte(`[{"role":"user","content":"x"}]`), []byte("---\ntitle: x\n---\ny"), []byte("PK\x03\x04"), {0xff, 0xfe, 'a', 0}} {
		f.Add("x.csv", seed)
		f.Add("x.md", seed)
	}
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		intime.Do(t, len(data), func() { _, _ = Gather(name, data, Reading{}) })
		all, err := Gather(name, data, Reading{})
		if _, told := err.(problem.List); err != nil && !told {
			t.Fatalf("failed with %T: %v", err, err)
		}
		for _, in := range all {
			if in.Wrong == nil && in.Slug == "" {
				t.Fatalf("%+v has no slug and nothing wrong", in)
			}
		}
	})
}
