package test

import (
	"archive/zip"
	"encoding/base64"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// What is copied is on the clipboard byte for byte, in each form; a link carries the
// values in its fragment, and the next time the last values are offered.
func TestCopyInEveryForm(t *testing.T) {
	t.Parallel()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	values := fill.Values{"area": fill.Single("Mill Lane & Fen Road"), "hours": fill.Single("6")}
	want, err := c.FillStack(t.Context(), "burst-main-notice", api.FillRequest{Values: values, As: []string{"plain", "html", "messages"}})
	if err != nil {
		t.Fatal(err)
	}
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/burst-main-notice", "Which streets or postcodes?")
	w.do(
		browser.Clipboard(service.URL),
		browser.Type("#blank-area", "Mill Lane & Fen Road"), browser.Type("#blank-hours", "6"),
		browser.Press("Copy"), browser.See("Copied, with its formatting"),
	)
	read := func(kind string) string {
		t.Helper()
		got, err := browser.Ask[string](w.ctx, `navigator.clipboard.read().then((all) => all[0].getType("`+kind+`")).then((b) => b.text())`)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	if got := read("text/plain"); got != want.Text {
		t.Errorf("as Markdown: %q, want %q", got, want.Text)
	}
	as := func(item string) {
		t.Helper()
		w.do(browser.Script(`navigator.clipboard.writeText("none yet")`), browser.PressMenuNamed("Copy in another form"), browser.PressMenuItem(item),
			browser.Script(`window.now = ""; var look = () => navigator.clipboard.readText().then((t) => { window.now = t; if (t === "none yet") setTimeout(look, 50) }); look()`),
			browser.Until(`window.now && window.now !== "none yet"`))
	}
	as("Copy as plain text")
	if got := read("text/plain"); got != want.Plain {
		t.Errorf("as plain text: %q, want %q", got, want.Plain)
	}
	as("Copy as rich text")
	if got := read("text/plain"); got != want.Plain {
		t.Errorf("beside the rich text: %q, want %q", got, want.Plain)
	}
	if got := read("text/html"); !strings.Contains(got, "<h2") || !strings.Contains(got, "<li") || !strings.Contains(got, "Mill Lane &amp; Fen Road") {
		t.Errorf("as rich text: %q", got)
	}
	as("Copy as JSON messages")
	if got := read("text/plain"); !strings.Contains(got, `"role": "system"`) || !strings.Contains(got, `"role": "user"`) || want.Messages[1].Role != "user" {
		t.Errorf("as messages: %q", got)
	}
	as("Copy a link with these values")
	link := read("text/plain")
	other := openWindow(t, "reader", 1280, 800)
	other.do(chromedp.Navigate(link+"&gone=x"), browser.See("values that this entry no longer asks for: gone"),
		browser.Until(`document.querySelector("#blank-area").value === "Mill Lane & Fen Road" && document.querySelector("#blank-hours").value === "6"`))

	w.visit("/entries/burst-main-notice", "As last time: Mill Lane & Fen Road")
	w.do(browser.Press("As last time: Mill Lane & Fen Road"), browser.Until(`document.querySelector("#blank-area").value === "Mill Lane & Fen Road"`),
		browser.Press("Forget what I filled in last"), browser.Until(`!document.body.innerText.includes("As last time")`))
}

// A table is filled in row by row; a row that does not hold is told by its number.
func TestFillRowsAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/burst-main-notice", "For each row of a table")
	w.do(
		browser.Script(`window.made = []; const make = URL.createObjectURL; URL.createObjectURL = (b) => { b.text().then((t) => window.made.push(t)); return make(b) }`),
		browser.Press("For each row of a table…"), browser.Press("One document"),
		browser.Upload("#rows-file", write(t, "bad.csv", "area,hours\nMill Lane,many\n")), browser.See("Row 1: hours is a number"),
		browser.Upload("#rows-file", write(t, "good.csv", "area,hours\nMill Lane,6\nQuay Street,4\n")), browser.See("among your downloads"),
		browser.Until(`window.made.length === 1 && window.made[0].includes("Mill Lane") && window.made[0].includes("Quay Street")`),
	)
}

// Entries are grouped by what somebody uses them for, in their browser alone; and Ctrl K
// does what can be done on the page.
func TestUsedFor(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/site-names", "Used for")
	w.do(browser.Press("Used for…"), browser.Type(`[aria-label="A new project or area"]`, "Open day"), browser.Press("Add"), browser.See("Used for Open day"))
	w.visit("/", "what you use for it")
	w.do(browser.Until(`document.querySelector("section[aria-label='Open day']").innerText.includes("Names of our sites")`))
	w.visit("/entries/site-names", "Used for")
	w.do(
		browser.Script(`navigator.clipboard.writeText = async (t) => { window.copied = t }`),
		browser.Script(`document.body.dispatchEvent(new KeyboardEvent("keydown", {key: "k", ctrlKey: true, bubbles: true}))`),
		browser.Until(`document.querySelector("[role=dialog] input")`), chromedp.KeyEvent("as plain"),
		browser.Until(`document.querySelectorAll("[role=dialog] [role=option]").length > 0`), chromedp.KeyEvent(kb.Enter),
		browser.Until(`(window.copied ?? "").includes("Ferry Row")`),
		browser.Script(`document.body.dispatchEvent(new KeyboardEvent("keydown", {key: "k", ctrlKey: true, bubbles: true}))`),
		browser.Until(`document.querySelector("[role=dialog] input")`), chromedp.KeyEvent("maribel"),
		browser.See("Maribel Stroud: their entries"), chromedp.KeyEvent(kb.Enter),
		browser.Until(`new URLSearchParams(location.search).get("q") === "owner:care-lead"`),
	)
}

// A reader says that an entry fell short, its owner submits a version that settles it.
func TestReportsAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/supply-restored", "How it went")
	w.do(browser.Press("It fell short"), browser.Choose("#report-model", "heron-2"), browser.Type("#report-words", "It thanks nobody."), browser.Press("Send"),
		browser.See("whoever answers for it reads this"), browser.See("It thanks nobody."), browser.See("Waits"))
	owner := openWindow(t, "contributor", 1280, 800)
	owner.visit("/desk", "says that it fell short")
	owner.visit("/entries/supply-restored", "Make the next version")
	owner.do(browser.Press("Make the next version"), browser.See("Draft of version 2"), browser.PressTab("Details"), browser.Type("#summary", "Tells everyone that water is back, and thanks them."), browser.See("saved a moment ago"),
		browser.Press("Submit for review"), browser.Type("#note", "Thanks them."), browser.See("It thanks nobody."),
		browser.Script(`[...document.querySelectorAll("[role=dialog] label")].find((l) => l.innerText.startsWith("It thanks nobody")).click()`),
		browser.Press("Submit"), browser.Until(`location.pathname === "/desk"`))
	w.visit("/entries/supply-restored", "Version 2 is to settle it")
	best := openWindow(t, "reader", 1280, 800)
	best.visit("/best", "Used most")
	best.do(browser.See("Reply to a meter dispute"), browser.See("Whose entries others use"))
}

// By the client an entry is filled in in other forms and by rows, problems are told by row,
// and on a far terminal the text goes on its clipboard and the last values are offered.
func TestUseByClient(t *testing.T) {
	t.Parallel()
	term := open(t, service.URL, "reader")
	term.says(0, []string{"“", "Mill Lane"}[1:], "fill", "bmn", "area=Mill Lane", "hours=6", "--as", "plain", "--for", "weir-mail")
	term.says(0, []string{`"role": "system"`, `"role": "user"`}, "fill", "bmn", "area=Mill Lane", "hours=6", "--as", "messages")
	term.says(1, []string{"there is no form \"loud\""}, "fill", "bmn", "area=Mill Lane", "hours=6", "--as", "loud")
	term.says(1, []string{"there is no application \"nowhere\""}, "fill", "bmn", "area=Mill Lane", "hours=6", "--for", "nowhere")
	term.says(2, []string{"leave --copy out"}, "fill", "bmn", "area=Mill Lane", "hours=6", "--copy")

	table := write(t, "streets.csv", "area;hours;note\nMill Lane;6;x\nQuay Street;4;y\n")
	out := filepath.Join(t.TempDir(), "out.zip")
	term.says(0, []string{"has the texts"}, "fill", "bmn", "--rows", table, "--name-by", "area", "--out", out)
	z, err := zip.OpenReader(out)
	if err != nil || len(z.File) != 2 || z.File[1].Name != "2-quay-street.md" {
		t.Errorf("by rows: %v", err)
	}
	term.says(0, []string{"Mill Lane", "\n---\n", "Quay Street"}, "fill", "bmn", "--rows", table, "--format", "document")
	bad := write(t, "bad.csv", "area,hours\nMill Lane,many\n,4\n")
	term.says(1, []string{"line 2", "row 1: hours is a number", "row 2: area is missing"}, "fill", "bmn", "--rows", bad)
	term.says(1, []string{"no column hours"}, "fill", "bmn", "--rows", write(t, "short.csv", "area\nMill Lane\n"))
	term.says(0, []string{"meter-dispute-reply"}, "find", "--best", "365")
	term.says(0, []string{"as report"}, "report", "bmn", "--worked", "--words", "Good.")
	term.says(0, []string{"Good."}, "report", "burst-main-notice")

	first := term.terminal("Mill Lane\n6\n", "fill bmn --copy")
	if sent := clipboardOf(first); !strings.Contains(sent, "households in Mill Lane") {
		t.Errorf("on the clipboard: %q of %q", sent, first)
	}
	if again := term.terminal("\n\n", "fill bmn --copy"); !strings.Contains(again, "Enter alone: Mill Lane, as last time") || !strings.Contains(clipboardOf(again), "households in Mill Lane") {
		t.Errorf("the second time: %q", again)
	}
	file := filepath.Join(term.home, ".config", "goldshelf", "values.json")
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("last values are kept in %v, %v", info, err)
	}
	term.says(0, []string{"Forgotten"}, "fill", "--forget")
	if _, err := os.Stat(file); !os.IsNotExist(err) {
		t.Errorf("last values are still there: %v", err)
	}
}

// terminal runs a command in a terminal that is far away, and gives what it showed.
func (term *terminal) terminal(in, command string) string {
	term.t.Helper()
	program, err := run.Program("goldshelf")
	if err != nil {
		term.t.Fatal(err)
	}
	cmd := exec.Command("script", "-qec", program+" "+command, "/dev/null")
	cmd.Env = []string{"HOME=" + term.home, "PATH=/usr/bin:/bin", "GOLDSHELF_SERVER=" + term.url, "SSH_TTY=/dev/pts/9", "TERM=xterm"}
	cmd.Stdin = strings.NewReader(in)
	out, err := cmd.CombinedOutput()
	if err != nil {
		term.t.Fatalf("%s: %v: %s", command, err, out)
	}
	return string(out)
}

// clipboardOf reads what a terminal was told to put on its clipboard (OSC 52).
func clipboardOf(shown string) string {
	_, rest, _ := strings.Cut(shown, "\x1b]52;c;")
	code, _, _ := strings.Cut(rest, "\a")
	text, err := base64.StdEncoding.DecodeString(code)
	if err != nil {
		return ""
	}
	return string(text)
}

// A renamed entry is found by its old address, and pulled under both names.
func TestRenamedEntries(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "curator", 1280, 800)
	w.visit("/entries/sample-point-note", "Rename")
	w.do(browser.Press("Rename"), browser.Type("#new-slug", "sampling-note"), browser.Press("Rename"), browser.See("sample-point-note leads here"),
		browser.Until(`location.pathname === "/entries/sampling-note"`))
	w.visit("/entries/sample-point-note", "Note on a sample point")
	w.do(browser.Until(`location.pathname === "/entries/sampling-note"`))

	term := open(t, service.URL, "curator")
	term.says(0, []string{"title: Note on a sample point"}, "show", "sample-point-note")
	term.says(0, []string{"title: Note on a sample point"}, "show", "sample-point-note@1")
	term.says(1, []string{"had the slug sample-point-note"}, "rename", "opening-hours", "sample-point-note")
	dir := t.TempDir()
	term.says(0, nil, "pull", "sample-point-note", "--to", dir)
	old, err := os.ReadFile(filepath.Join(dir, "sample-point-note.md"))
	if err != nil || !strings.Contains(string(old), "# This is called sampling-note now") {
		t.Errorf("pulled by its old name: %.200s, %v", old, err)
	}
	if _, err := os.Stat(filepath.Join(dir, "sampling-note.md")); err != nil {
		t.Error(err)
	}
	term.says(0, nil, "rename", "sampling-note", "sample-point-note")
}

// An entry is made one's own, and its origin moves on: what changed there is shown, a
// conflict with all three texts, and taken over.
func TestAnAdaptationAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reviewer", 1280, 800)
	w.visit("/desk", "has moved on")
	w.visit("/entries/burst-for-the-regulator", "It has moved on to version 2")
	w.do(browser.Press("It has moved on to version 2: see what changed"), browser.See("Both changed this"),
		browser.See("No more than 80 words."), browser.See("End with this line"), browser.See("One conflict waits"),
		browser.Script(`[...document.querySelectorAll("section")].find((s) => s.innerText.startsWith("Both changed this")).querySelectorAll("[role=radio]")[0].click()`),
		browser.Until(`!document.body.innerText.includes("One conflict waits")`),
		browser.Press("Take over into the draft"), browser.Until(`location.pathname.endsWith("/edit")`),
		browser.Until(`((text) => text.includes("No more than 80 words.") && text.includes("how-to-reach-us"))([...document.querySelectorAll(".cm-content, textarea")].map((f) => f.value ?? f.innerText).join(" "))`))

	mine := openWindow(t, "contributor", 1280, 800)
	mine.visit("/entries/tender-questions", "Make it mine")
	mine.do(browser.Press("Make it mine"), browser.Type("#adapt-purpose", "pumps"), browser.Press("Make it mine"), browser.Until(`location.pathname === "/entries/questions-to-bidders-for-pumps/edit"`))
	mine.visit("/entries/questions-to-bidders-for-pumps", "Only you see this")
	curator := openWindow(t, "curator", 1280, 800)
	curator.visit("/entries/questions-to-bidders-for-pumps", "This entry is not on the shelf")
	mine.do(browser.Press("Share"), browser.See("Whoever sees drafts sees it now"))
	curator.visit("/entries/questions-to-bidders-for-pumps", "Adapted from")
	curator.visit("/entries/minutes-to-actions", "3 of them changed this alike")
}

// The base's address answers with the rendition in the browser's language, which leads back.
func TestARenditionByTheBrowsersLanguage(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.do(browser.Speaks("fr-FR,fr"))
	w.visit("/entries/supply-restored", "Quelles rues")
	w.do(browser.Until(`location.pathname === "/entries/supply-restored-fr"`), browser.Press("English"), browser.See("Which streets or postcodes?"),
		browser.Press("French"), browser.See("Quelles rues"))
	term := open(t, service.URL, "reader")
	term.says(0, []string{"Tell households"}, "fill", "supply-restored", "area=Mill Lane", "since=18:40")
	term.languages = "fr_FR.UTF-8"
	term.says(0, []string{"en français"}, "fill", "supply-restored", "area=Mill Lane", "since=18 h 40")
	term.says(0, []string{"Tell households"}, "fill", "supply-restored@1", "area=Mill Lane", "since=18:40")
	term.says(0, []string{"Tell households"}, "fill", "supply-restored", "--base", "area=Mill Lane", "since=18:40")
}

// A curator adds a section, which stands on the shelf with its count, and a new entry of it
// begins with its starter.
func TestSectionsAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "curator", 1280, 800)
	w.visit("/settings/sections", "Add a section")
	w.do(browser.Press("Add a section"), browser.Type("#section-title", "For tenders"), browser.Type("#section-introduction", "What the buyers use."),
		browser.Type("#section-query", "department:zoo"), browser.Press("Save"), browser.See("It stays as it was"),
		browser.Type("#section-query", "tender department:procurement"), browser.Press("Save"), browser.See("“tender department:procurement”"))
	reader := openWindow(t, "reader", 390, 844)
	reader.visit("/", "For tenders")
	reader.do(browser.Script(`[...document.querySelectorAll("nav[aria-label=Sections] a")].find((a) => a.innerText.startsWith("For tenders")).click()`), browser.See("What the buyers use."), browser.See("Tender comparison"))
	w.do(browser.Press("Change For tenders"), browser.Press("Delete"), browser.See("its entries are where they were"))
	maker := openWindow(t, "contributor", 1280, 800)
	maker.visit("/sections/letters-and-replies", "New entry for this section")
	maker.do(browser.Press("New entry for this section"), browser.Until(`document.querySelector("#text")?.value.length > 40`))
	term := open(t, service.URL, "curator")
	term.says(0, []string{"when-something-breaks", "picked by hand"}, "sections")
	term.says(0, []string{"burst-main-notice"}, "sections", "when-something-breaks")
	term.says(1, []string{"has no term"}, "sections", "mine", "--title", "Mine", "--search", "department:zoo")
	term.says(0, []string{"Mine"}, "sections", "mine", "--title", "Mine", "--entry", "site-names")
	term.says(0, nil, "sections", "mine", "--delete")
}

// A facet of more than eight terms is typed into, by keyboard alone; one that is single has
// one term, and the next takes its place.
func TestAFacetIsTypedInto(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	if _, err := c.AddLabel(ctx, api.NewLabel{Facet: "works", Title: "Works"}); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"Fen Road", "Quay", "Mill Lane", "Ferry Row", "Sallow Bridge", "Upper Larkfen", "Long Drove", "Heron Sluice", "Osier Bank"} {
		if _, err := c.AddLabel(ctx, api.NewLabel{Facet: "works", Term: strings.ReplaceAll(strings.ToLower(name), " ", "-"), Title: name}); err != nil {
			t.Fatal(err)
		}
	}
	curator := openWindow(t, "curator", 1280, 800)
	curator.visit("/settings/labels", "Another facet")
	curator.do(browser.Press("Change\nWorks"), browser.Script(`[...document.querySelectorAll("[role=dialog] label")].find((l) => l.innerText.includes("one of them at most")).click()`), browser.Press("Save"),
		browser.Until(`!document.querySelector("[role=dialog]")`))
	newDraft(t, "typed-into")
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/entries/typed-into/edit", "Draft of version 1")
	field := `document.querySelector("[aria-label='Add to Works']")`
	w.do(browser.PressTab("Details"), browser.Until(field), browser.Script(field+".focus()"),
		chromedp.KeyEvent("lane"), browser.Until(`[...document.querySelectorAll("[role=option]")].filter((o) => o.offsetParent).length === 1`), chromedp.KeyEvent(kb.Enter),
		browser.Until(`document.querySelector("[aria-label='Remove Mill Lane']")`), browser.Until("!"+field+".closest('fieldset').disabled"), browser.Script(field+".focus()"),
		chromedp.KeyEvent("osier"), chromedp.KeyEvent(kb.Enter), browser.Until(`document.querySelector("[aria-label='Remove Osier Bank']") && !document.querySelector("[aria-label='Remove Mill Lane']")`))
	for range 50 {
		e, err := c.Entry(ctx, "typed-into")
		if err != nil {
			t.Fatal(err)
		}
		if got := e.Labels["works"]; len(got) == 1 && got[0] == "osier-bank" {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Error("the label was not kept")
}

// A picture is added to a draft, told in words, and stands on the entry's page and card.
func TestPicturesAtTheConsole(t *testing.T) {
	t.Parallel()
	reader := openWindow(t, "reader", 1280, 800)
	reader.visit("/entries/burst-main-notice", "Which streets")
	reader.do(browser.Until(`document.querySelector("section[aria-label=Pictures] img")?.naturalWidth > 100`),
		browser.Script(`document.querySelector("section[aria-label=Pictures] button").click()`),
		browser.Until(`document.querySelector("[role=dialog] img")?.naturalWidth >= 900`))
	reader.visit("/sections/for-a-meeting", "For a meeting")
	reader.do(browser.Until(`[...document.querySelectorAll("a img")].some((i) => i.alt.startsWith("A table of three actions") && i.naturalWidth > 100)`))

	file, err := filepath.Abs("../internal/demo/pictures/minutes-to-actions.png")
	if err != nil {
		t.Fatal(err)
	}
	newDraft(t, "pictured")
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/entries/pictured/edit", "Draft of version 1")
	w.do(browser.PressTab("Details"), browser.Type("[aria-label='What the next picture shows']", "A summary"),
		browser.Upload("[aria-label='Add a picture']", write(t, "x.png", "<svg xmlns='x'></svg>")), browser.See("an SVG, which is a program"),
		browser.Upload("[aria-label='Add a picture']", file), browser.Until(`document.querySelector("fieldset img")?.naturalWidth > 100`),
		browser.See("saved a moment ago"))
	term := open(t, service.URL, "contributor")
	term.says(0, []string{"A summary"}, "pictures", "pictured")
	term.says(0, []string{"Another"}, "pictures", "pictured", "--add", file, "--alt", "Another")
	out := filepath.Join(t.TempDir(), "out.png")
	term.says(0, nil, "pictures", "pictured", "--get", "1", "--out", out)
	term.says(2, []string{"--get takes --out FILE"}, "pictures", "pictured", "--get", "1")
	if data, err := os.ReadFile(out); err != nil || !strings.HasPrefix(string(data), "\x89PNG") {
		t.Errorf("taken out: %.20q, %v", data, err)
	}
	term.says(1, []string{"say what picture 3 shows"}, "pictures", "pictured", "--add", file)
}

// newDraft has the contributor write a draft that only this test touches.
func newDraft(t *testing.T, slug string) {
	t.Helper()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	in := api.NewEntry{Slug: slug, Content: entry.Content{Kind: entry.Snippet, Title: "Draft " + slug, Summary: "A draft.", Body: "A text of its own.\n"}}
	if _, err := c.Create(t.Context(), in); err != nil {
		t.Fatal(err)
	}
}

// At the terminal an entry is made one's own, is nobody else's until it is shared, and is
// level with its origin at first.
func TestAdaptingAtTheTerminal(t *testing.T) {
	t.Parallel()
	term := open(t, service.URL, "contributor")
	term.says(2, []string{"adapt takes one slug"}, "adapt")
	term.says(0, []string{"Nobody has shared an adaptation of it."}, "adapt", "--list", "shift-handover")
	term.says(0, []string{"handover-for-nights is yours alone"}, "adapt", "shift-handover", "--slug", "handover-for-nights", "--title", "Handover of a night", "--for", "nights")
	term.says(0, []string{"Nobody has shared an adaptation of it."}, "adapt", "--list", "shift-handover")
	term.says(0, nil, "origin", "handover-for-nights")
	term.says(0, []string{"handover-for-nights is shared."}, "adapt", "--share", "handover-for-nights")
	term.says(0, []string{"handover-for-nights", "nights"}, "adapt", "--list", "shift-handover")
}
