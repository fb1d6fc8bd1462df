package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// printed gives what an app prints for programs and what it says for people.
func printed(t *testing.T, do func(*app) error) (out, says string) {
	t.Helper()
	files := [2]*os.File{}
	for i := range files {
		f, err := os.Create(filepath.Join(t.TempDir(), "printed"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		files[i] = f
	}
	if err := do(&app{out: screen{files[0]}, errs: screen{files[1]}}); err != nil {
		t.Fatal(err)
	}
	var texts [2]string
	for i, f := range files {
		data, err := os.ReadFile(f.Name())
		if err != nil {
			t.Fatal(err)
		}
		texts[i] = string(data)
	}
	return texts[0], texts[1]
}

// What the service answers becomes an exit status, and its words stand on
// standard error.
func TestExitStatus(t *testing.T) {
	answer := 0
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(answer)
		fmt.Fprintf(w, `{"type": "/problems/x", "title": "T", "status": %d, "detail": "the service says why"}`, answer)
	}))
	defer service.Close()
	for status, want := range map[int]int{404: exitNotFound, 410: exitNotFound, 401: exitNotAllowed, 403: exitNotAllowed, 412: exitChanged, 422: exitFailed, 409: exitFailed, 503: exitFailed} {
		answer = status
		_, says := printed(t, func(a *app) error {
			if got := Run(t.Context(), []string{"goldshelf", "--server", service.URL, "--token", "t", "uses", "x"}, a.in, a.out.File, a.errs.File); got != want {
				t.Errorf("%d ends with %d, want %d", status, got, want)
			}
			return nil
		})
		if !strings.Contains(says, "the service says why") {
			t.Errorf("%d: it says %q", status, says)
		}
	}
	for _, c := range []struct {
		err  error
		want int
	}{
		{nil, exitDone}, {errStopped, exitStopped}, {fmt.Errorf("x: %w", wrongUse("y")), exitUsage}, {&changed{"z"}, exitChanged},
		{context.Canceled, exitFailed}, {errors.Join(errors.New("x"), errStopped), exitStopped},
	} {
		if got := statusOf(c.err); got != c.want {
			t.Errorf("%v ends with %d, want %d", c.err, got, c.want)
		}
	}
}

func TestReadTime(t *testing.T) {
	zone := time.FixedZone("east", 7*3600)
	now := time.Date(2026, 11, 30, 23, 30, 0, 0, zone)
	for text, want := range map[string]time.Time{
		"2026-12-01T08:00:00+03:00": time.Date(2026, 12, 1, 5, 0, 0, 0, time.UTC),
		"2026-12-01T08:00:30":       time.Date(2026, 12, 1, 8, 0, 30, 0, zone),
		"2026-12-01T08:00":          time.Date(2026, 12, 1, 8, 0, 0, 0, zone),
		"2026-12-01 08:00":          time.Date(2026, 12, 1, 8, 0, 0, 0, zone),
		"2026-12-01":                time.Date(2026, 12, 1, 0, 0, 0, 0, zone),
		"08:15":                     time.Date(2026, 11, 30, 8, 15, 0, 0, zone),
	} {
		if got, err := readTime(text, now); err != nil || !got.Equal(want) {
			t.Errorf("%s is %v (%v), want %v", text, got, err, want)
		}
	}
	for _, text := range []string{"", "soon", "25:00", "2026-02-30", "2026-12-01T8"} {
		if got, err := readTime(text, now); err == nil || statusOf(err) != exitUsage {
			t.Errorf("%q is %v (%v), want it refused", text, got, err)
		}
	}
}

func TestSlugAndNumber(t *testing.T) {
	for text, want := range map[string]string{"close": "close 0", "close@3": "close 3", "close@": "!", "close@x": "!", "close@0": "!", "close@-1": "!"} {
		slug, n, err := slugAndNumber(text)
		got := fmt.Sprint(slug, " ", n)
		if err != nil {
			got = "!"
		}
		if got != want {
			t.Errorf("%s is %s, want %s", text, got, want)
		}
	}
}

func TestWhatIsFollowed(t *testing.T) {
	for text, want := range map[string]api.Follow{
		"close": {What: "entry", Name: "close"}, "person:buyer": {What: "person", Name: "buyer"}, "department:": {What: "department"},
	} {
		if got := followed(text); got != want {
			t.Errorf("%s follows %+v, want %+v", text, got, want)
		}
	}
	for want, h := range map[string]api.Channel{
		"all": {}, "all in laboratory": {Departments: []string{"laboratory"}}, "publish, retire": {Actions: []string{"publish", "retire"}},
		"publish in a, b": {Actions: []string{"publish"}, Departments: []string{"a", "b"}},
	} {
		if got := (&app{}).toldOf(h); got != want {
			t.Errorf("told of %q, want %q", got, want)
		}
	}
}

// Problems of a file stand as compilers have it.
func TestProblemsInAFile(t *testing.T) {
	var list problem.List
	list.AddAt("/body", "a\n{{", 2, "mark", "the mark does not end")
	list.Add("/title", "missing", "the title is missing")
	if got := inFile("x.md", list).Error(); got != "x.md:2:1: the mark does not end\nx.md: the title is missing" {
		t.Errorf("it says %q", got)
	}
	if got := inFile("x.md", errors.New("gone")).Error(); got != "x.md: gone" {
		t.Errorf("it says %q", got)
	}
}

// A table takes what the terminal lacks from its widest column, but never from a
// slug, which people copy.
func TestTableFitsTheTerminal(t *testing.T) {
	t.Setenv("COLUMNS", "60")
	slug := "a-slug-that-is-really-rather-long-to-read"
	out, _ := printed(t, func(a *app) error {
		g := a.table("SLUG", "WHY")
		g.row(slug, "It says what happened, where, and what to do now, at some length.")
		g.print()
		return nil
	})
	lines := strings.Split(strings.TrimRight(out, "\n"), "\n")
	if len(lines) < 4 || !strings.HasPrefix(lines[1], slug+"  ") {
		t.Errorf("it prints:\n%s", out)
	}
	for _, l := range lines {
		if len(l) > 60 || strings.TrimRight(l, " ") != l {
			t.Errorf("the line %q is %d wide", l, len(l))
		}
	}
	if out, _ := printed(t, func(a *app) error { a.table("X").print(); return nil }); out != "" {
		t.Errorf("a table without rows prints %q", out)
	}
}

func TestPrintDiff(t *testing.T) {
	line := func(op change.Op, from, to int, parts ...change.Part) change.Line {
		return change.Line{Op: op, Old: from, New: to, Parts: parts}
	}
	same := func(n int) change.Line { return line(change.Same, n, n, change.Part{Op: change.Same, Text: "same"}) }
	d := api.Diff{Slug: "close", From: 1, To: 2}
	for n := range 20 {
		d.Lines = append(d.Lines, same(n+1))
	}
	d.Lines[10] = line(change.Changed, 11, 11, change.Part{Op: change.Same, Text: "with "}, change.Part{Op: change.Removed, Text: "kind"}, change.Part{Op: change.Added, Text: "best"}, change.Part{Op: change.Same, Text: " regards"})
	d.Lines[19] = line(change.Moved, 3, 20, change.Part{Op: change.Same, Text: "moved here"})
	out, says := printed(t, func(a *app) error { return a.printDiff(d, false) })
	for _, want := range []string{"~ with [-kind-]{+best+} regards\n", "> moved here   (stood in line 3)\n", "…\n"} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not print %q but:\n%s", want, out)
		}
	}
	if !strings.Contains(says, "close, version 2 against version 1: 2 lines of the text, and 0 changes besides") {
		t.Errorf("it says %q", says)
	}
	if _, says := printed(t, func(a *app) error { return a.printDiff(api.Diff{Slug: "close", From: 1, To: 2}, false) }); !strings.Contains(says, "say the same") {
		t.Errorf("of what is the same it says %q", says)
	}
}

func TestWhatBecomesOfIt(t *testing.T) {
	for want, it := range map[string]api.PlanItem{
		"new": {State: api.PlanNew}, "new, with 2 places to fill in": {State: api.PlanNew, Places: 2}, "changed: Shorter.": {State: api.PlanChanged, Note: "Shorter."},
		"skipped: 91 % the same as close; 80 % the same as end, which comes in too": {State: api.PlanSimilar, Similar: []api.PlanMatch{{Slug: "close", Likeness: 91}, {Slug: "end", Likeness: 80, Incoming: true}}},
		"skipped: both libraries have changed it":                                   {State: api.PlanClash},
		"wrong: x.md:3:2: the mark does not end\nwrong: x.md: no title":             {State: api.PlanWrong, Where: "x.md", Problems: problem.List{{Line: 3, Column: 2, Message: message.Say("the mark does not end")}, {Message: message.Say("no title")}}},
	} {
		if got := (&app{language: message.English}).becomes(it); got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}

func TestEntryFiles(t *testing.T) {
	folder := t.TempDir()
	for _, name := range []string{"a.md", "deep/b.md", ".hidden.md", ".git/c.md", "d.txt"} {
		path := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if names, err := entryFiles(folder); err != nil || !slices.Equal(names, []string{"a.md", "deep/b.md"}) {
		t.Errorf("it finds %q, %v", names, err)
	}
	if _, err := entryFiles(filepath.Join(folder, ".git", "none")); err == nil {
		t.Error("a folder that is not there has entry files")
	}
	if _, err := entryFiles(t.TempDir()); err == nil || !strings.Contains(err.Error(), "ends in .md") {
		t.Errorf("of an empty folder it says %v", err)
	}
}

// Times are shown by the clock of the library, which is asked once.
func TestTimesAreTheLibrarys(t *testing.T) {
	asked := 0
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		asked++
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"zone": "Asia/Tokyo", "demo": false, "setup": false, "signed_in": true}`)
	}))
	defer service.Close()
	a := &app{server: service.URL, token: "x"}
	if _, err := a.client(); err != nil {
		t.Fatal(err)
	}
	at := time.Date(2026, 3, 31, 18, 0, 0, 0, time.UTC)
	for range 2 {
		if got := a.when(at, "2 Jan 15:04"); got != "1 Apr 03:00" {
			t.Errorf("it is shown as %s", got)
		}
	}
	if asked != 1 {
		t.Errorf("the zone was asked for %d times", asked)
	}
}

func TestAMomentIsWrittenAsTheReaderDoes(t *testing.T) {
	at := time.Date(2026, 5, 3, 14, 7, 0, 0, time.UTC)
	for l, want := range map[message.Language][]string{
		message.English: {"3 May 2026 14:07", "3 May 14:07", "3 May 2026", "3 May at 14:07"},
		message.German:  {"03.05.2026 14:07", "03.05. 14:07", "3. Mai 2026", "3. Mai um 14:07"},
		message.French:  {"03/05/2026 14:07", "03/05 14:07", "3\u00a0mai 2026", "3\u00a0mai à 14:07"},
	} {
		a := &app{language: l, zone: func() *time.Location { return time.UTC }}
		for i, layout := range []string{"2 Jan 2006 15:04", "2 Jan 15:04", "2 January 2006", "2 January at 15:04"} {
			if got := a.when(at, layout); got != want[i] {
				t.Errorf("%s: %q, want %q", l, got, want[i])
			}
		}
	}
}
