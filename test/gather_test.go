package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// alone serves a demo of its own to a test that changes much of it.
func alone(t *testing.T) *run.Service {
	t.Helper()
	s, _ := aloneIn(t)
	return s
}

// aloneIn is alone, with the data directory.
func aloneIn(t *testing.T) (s *run.Service, dir string) {
	t.Helper()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	s, err = run.Serve(dir, "--demo")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s, dir
}

// A folder, a table, a chat and another library come in as a curator would wish:
// seen first, with what is wrong by line, what is like something and what clashes.
func TestUntidyThingsComeIn(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reader")
	reader.says(4, []string{"only a curator may import"}, "import", "untidy/folder")
	curator.says(0, []string{"pressure-note", "new", "supply-back", "the same as supply-restored", "no-guessing", "changed", "broken.md:5:", "1 new, 1 changed, 1 similar, 1 wrong"}, "import", "--dry-run", "untidy/folder")
	curator.says(1, []string{"1 entry cannot come in, so nothing was imported"}, "import", "untidy/folder")
	curator.says(0, []string{"1 entry created, 1 entry changed, 2 left as they are"}, "import", "untidy/folder", "--skip-wrong", "--from", "Depot wiki")
	curator.says(0, []string{"place: Depot wiki", "Explain to {{name}} why pressure is low at {{address}} , and"}, "show", "pressure-note")
	curator.says(0, []string{"2 the same, 1 similar, 1 wrong"}, "import", "--dry-run", "untidy/folder")

	curator.says(0, []string{"Prompt text  text", "Where from   source.place", "burst-reply", "the same as supply-restored", `"Moon Base"; it has`, "line 6: the row has 6 cells"}, "import", "--dry-run", "untidy/prompts.csv")
	curator.says(0, []string{"3 entries created"}, "import", "untidy/prompts.csv", "--column", "Team=", "--skip-wrong", "--keep-mapping", "team table")
	curator.says(0, []string{"3 the same, 1 similar, 1 wrong"}, "import", "--dry-run", "untidy/prompts.csv", "--mapping", "team table")

	curator.says(0, []string{"with 1 place to fill in", "--make-blanks makes blanks of"}, "import", "--dry-run", "untidy/chat.json")
	curator.says(0, []string{"chat-persona", "Duty officer of the night shift", "2 entries created"}, "import", "untidy/chat.json", "--make-blanks")
	curator.says(0, []string{"follow in the dark: {{what_the_crew_says}}", "- name: what_the_crew_says"}, "show", "chat")
	curator.says(0, []string{"persona: chat-persona", "## Examples", "> Valve 114 is stuck, what now?"}, "show", "chat")

	curator.says(0, []string{"skipped: both libraries have changed it", "department: fen-depot", "1 entry created"}, "import", "untidy/sister.json")
	curator.says(0, []string{"1        draft", "Elsewhere, before it was imported; nothing of it counts here", "2        published   6 Mar 2026  Ede Marlock", "Times first.", "1        superseded"}, "history", "depot-log")
	reader.says(3, []string{"no entry"}, "fill", "depot-log", "notes=Pump 3 oiled.")
	curator.says(0, []string{"each line with its time first"}, "show", "depot-log")
	curator.says(0, []string{"1 entry created"}, "import", "untidy/sister.json", "--both", "no-guessing=fen-no-guessing")
	curator.says(0, []string{"write “not given”"}, "show", "fen-no-guessing")
	curator.says(0, []string{"the same"}, "import", "untidy/sister.json")
}

// A text from standard input is a draft at once, under a suggested title, and
// what is like it is told.
func TestCaptureByClient(t *testing.T) {
	t.Parallel()
	writer := open(t, service.URL, "contributor")
	text := "You are kind. Please remind [name] of the meter reading by <date>.\r\n\r\nKeep it *short*.\n"
	out, status := writer.run(text, "put", "-", "--from", "Care chat", "--person", "Maribel Stroud")
	if status != 0 || !strings.Contains(out, "remind-name-of-the-meter-reading-by: version 1, draft, made") || !strings.Contains(out, "2 places to fill in, such as [name]") {
		t.Fatalf("put -: %d, %s", status, out)
	}
	shown, _ := writer.run("", "show", "remind-name-of-the-meter-reading-by")
	if !strings.HasSuffix(shown, "---\n"+text) || !strings.Contains(shown, "place: Care chat") || !strings.Contains(shown, "title: ") {
		t.Errorf("it is kept as %q", shown)
	}
	out, status = writer.run(text, "put", "-", "--make-blanks", "--title", "Reading reminder again")
	if status != 0 || !strings.Contains(out, "Something like it is there already") || !strings.Contains(out, "remind-name-of") {
		t.Errorf("put --places: %d, %s", status, out)
	}
	writer.says(0, []string{"remind {{name}} of the meter reading by {{date}}", "- name: name"}, "show", "reading-reminder-again")
	writer.says(0, []string{"remind-name-of-the-meter-reading-by"}, "find", "--all-states", "care", "chat")
	writer.says(0, []string{"remind-name-of-the-meter-reading-by", "100 %"}, "similar", write(t, "same.txt", strings.ToUpper(text)))
}

// Entries go out into a git checkout, are changed there and committed, and what
// comes back is only what was changed, with the commit's message as its note.
func TestWithVersionControl(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator := open(t, s.URL, "curator")
	dir := t.TempDir()
	git := func(args ...string) {
		t.Helper()
		cmd := exec.Command("git", append([]string{"-C", dir, "-c", "user.name=Curator", "-c", "user.email=curator@larkfen.example"}, args...)...)
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("git %v: %v\n%s", args, err, out)
		}
	}
	git("init", "-q")
	curator.says(0, nil, "export", dir)
	git("add", "-A")
	git("commit", "-qm", "As it is on the shelf")
	curator.says(0, []string{"0 of them written"}, "export", dir)
	out, err := exec.Command("git", "-C", dir, "status", "--porcelain").Output()
	if err != nil || len(out) > 0 {
		t.Errorf("a second export changes the checkout: %s %v", out, err)
	}
	curator.says(0, []string{"the same"}, "import", "--dry-run", dir)

	path := filepath.Join(dir, "no-guessing.md")
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, append(text, "Say where you looked.\n"...), 0o644); err != nil {
		t.Fatal(err)
	}
	git("commit", "-qam", "Say where one looked")
	curator.says(0, []string{"no-guessing", "changed: Say where one looked", "1 entry changed"}, "import", dir, "--commit-notes")
	curator.says(0, []string{"2        draft", "Say where one looked"}, "history", "no-guessing")
	curator.says(0, []string{"is in review"}, "submit", "no-guessing")
	curator.says(1, []string{"version 2 of no-guessing is in review, so its text is locked", "nothing was imported"}, "import", write(t, "no-guessing.md", string(text)+"More.\n"))
}

// What an application has pulled fills with no service, and is known by its pins.
func TestPull(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reviewer, writer := open(t, s.URL, "curator"), open(t, s.URL, "reviewer"), open(t, s.URL, "contributor")
	dir := filepath.Join(t.TempDir(), "entries")
	writer.says(0, []string{"planned-work-letter", "asked for", "boil-water-wording", "opening-hours", "front-desk", "used by the others"}, "pull", "--to", dir, "planned-work-letter")
	writer.says(0, nil, "pull", "--to", dir, "--check")
	if _, err := os.Stat(filepath.Join(dir, "boil-water-wording@3.md")); err != nil {
		t.Errorf("a pinned include is not there: %v", err)
	}
	values := fill.Values{
		"area": fill.Single("Mill Lane"), "work": fill.Single("relining"), "from_day": fill.Single("2026-12-07"), "days": fill.Single("4"),
		"effects": fill.List("low pressure"), "must_boil": fill.Single("yes"),
	}
	folder, err := client.OpenFolder(dir, "")
	if err != nil {
		t.Fatal(err)
	}
	got, err := folder.Fill("planned-work-letter", api.FillRequest{Values: values})
	if err != nil {
		t.Fatal(err)
	}
	want, status := writer.run("", "fill", "planned-work-letter", "area=Mill Lane", "work=relining", "from_day=2026-12-07", "days=4", "effects=low pressure", "must_boil=yes")
	if status != 0 || got.Text != want || len(got.Layers) != 4 || got.Layers[0].Title != "Front desk" {
		t.Errorf("from the folder:\n%s\nfrom the service:\n%s", got.Text, want)
	}
	if _, err := folder.Fill("planned-work-letter", api.FillRequest{Persona: "none", Style: "plain-river"}); err == nil || !strings.Contains(err.Error(), "area is missing") {
		t.Errorf("without values: %v", err)
	}
	if _, err := folder.Fill("burst-main-notice", api.FillRequest{}); err == nil || !strings.Contains(err.Error(), "not in this folder") {
		t.Errorf("what was not pulled: %v", err)
	}
	if _, err := folder.Fill("planned-work-letter", api.FillRequest{Values: values, Style: "front-desk"}); err == nil || !strings.Contains(err.Error(), "a style is wanted") {
		t.Errorf("a persona as the style: %v", err)
	}

	// A newer version is seen, and taken when it is asked for.
	show, _ := writer.run("", "show", "opening-hours")
	path := write(t, "opening-hours.md", strings.TrimSuffix(show, "\n")+" and on holidays\n")
	curator.says(0, nil, "put", path)
	curator.says(0, nil, "submit", "opening-hours", "--note", "Holidays.")
	reviewer.decides(0, nil, "approve", "opening-hours")
	curator.decides(0, nil, "publish", "opening-hours")
	writer.says(5, []string{"opening-hours  1     2", "1 entry is newer"}, "pull", "--to", dir, "--check")
	writer.says(0, []string{"opening-hours"}, "pull", "--to", dir)
	writer.says(0, nil, "pull", "--to", dir, "--check")

	if err := os.WriteFile(filepath.Join(dir, "opening-hours.md"), []byte("tampered"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := client.OpenFolder(dir, ""); err == nil || !strings.Contains(err.Error(), "opening-hours.md is not the file that was pulled") {
		t.Errorf("a changed file: %v", err)
	}
	writer.says(1, []string{"goldshelf pull --to"}, "pull", "--to", t.TempDir(), "--check")
	writer.says(3, []string{"no entry"}, "pull", "--to", dir, "nothing-there")
}

// A curator brings a table at the console, says what a column holds, and takes it in.
func TestImportAtTheConsole(t *testing.T) {
	t.Parallel()
	path, err := filepath.Abs("untidy/prompts.csv")
	if err != nil {
		t.Fatal(err)
	}
	w := openWindow(t, "curator", 1280, 800)
	w.visit("/stocktake/import", "Drop a file here")
	w.do(browser.Upload(`input[type=file]`, path), browser.See("What the columns hold"), browser.See("52 % like"), browser.See("Moon Base"))
	w.do(browser.Script(`{const s = [...document.querySelectorAll("label")].find((l) => l.innerText.startsWith("Team")).querySelector("select"); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, ""); s.dispatchEvent(new Event("change", {bubbles: true}))}`),
		browser.Until(`!`+browser.Says("Moon Base")), browser.Choose(`[aria-label="What becomes of moon-letter"]`, "skip"),
		browser.Press("Compare"), browser.See("As it comes in, and as it is here"), browser.Press("Close"),
		browser.Press("Import 2 entries"), browser.See("2 created, 0 changed"))
	w.visit("/entries/burst-reply/edit", "Draft of version 1")
	w.do(browser.PressTab("Similar"), browser.See("places to fill in"), browser.Press("Make blanks of 2"), browser.See("Made blanks of them"),
		browser.Until(`document.querySelector(".cm-content").innerText.includes("at {{address}}")`))
}

// What is pasted is read at once: a title is suggested, places are shown before
// anything changes, and what is like it can be held against it.
func TestPastingAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/new", "Create draft")
	w.do(browser.Paste("#text", "Tell households in [area] that their water has been back since {since}. Thank them in one sentence. Then say what to do first. Say that cloudy water is air, is safe to drink, and clears from the bottom of a glass within two minutes."),
		browser.See("Suggested from the text."), browser.Until(`document.querySelector("#title").value.startsWith("Tell households in")`),
		browser.See("2 places to fill in"), browser.See("Something like it is there already"), browser.Press("Compare with Water is back: all clear"), browser.See("This text"), browser.Press("Close"),
		browser.Press("Make blanks of 2"), browser.Until(`document.querySelector("#text").value.includes("in {{area}} that") && document.querySelector("#text").value.includes("since {{since}}")`),
		browser.Script(`document.querySelector("form details summary").click()`), browser.Type("#source-place", "Night chat"), browser.Type("#title", "Back again"),
		browser.Press("Create draft"), browser.See("Draft of version 1"), browser.PressTab("Blanks"), browser.See("since"))
}

// An import that is killed half-way leaves nothing behind, and can be run again.
func TestAKilledImportLeavesNothing(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	defer remove()
	first, err := run.Serve(dir, "--demo")
	if err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	c := &client.Client{Server: first.URL}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{}
	for i := range 3000 {
		files[fmt.Sprintf("many-%d.md", i)] = fmt.Appendf(nil, "---\ntitle: Many %d\n---\nText %d of many, as long as any other: %s\n", i, i, strings.Repeat(fmt.Sprintf("word%d ", i), 120))
	}
	data, err := bundle.WriteZip(files)
	if err != nil {
		t.Fatal(err)
	}
	plan, err := c.CreateImport(ctx, "many.zip", data, bundle.Reading{}, "")
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() {
		_, err := c.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest})
		done <- err
	}()
	for {
		p, err := c.ImportProgress(ctx, plan.ID)
		if err != nil {
			t.Fatal(err)
		}
		if p.Done >= 500 && p.Done < p.All {
			break
		}
		select {
		case err := <-done:
			t.Fatalf("it was over before it could be killed: %v", err)
		default:
		}
	}
	if err := first.Kill(); err != nil {
		t.Fatal(err)
	}
	<-done
	second, err := run.Serve(dir, "--demo")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := second.Stop(); err != nil {
			t.Error(err)
		}
	})
	c.Server = second.URL
	list, err := c.Entries(ctx, client.Query{Words: "text many long other", State: entry.Draft})
	if err != nil || list.Total != 0 && !list.Partial {
		t.Errorf("of the killed import %d entries are there, %v", list.Total, err)
	}
	again, err := c.Plan(ctx, plan.ID)
	if err != nil || again.Digest != plan.Digest {
		t.Fatalf("the plan is not what it was: %v", err)
	}
	applied, err := c.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: again.Digest})
	if err != nil || len(applied.Created) != 3000 {
		t.Errorf("run again it makes %d entries, %v", len(applied.Created), err)
	}
}

// A new entry begins with its department's starter.
func TestStartersAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/new", "Begin with")
	w.do(browser.Press("Starter: Customer Care"), browser.Until(`document.querySelector("#text").value.includes("The customer's words:")`),
		browser.Type("#title", "Begun with a starter"), browser.Press("Create draft"), browser.See("Draft of version 1"), browser.PressTab("Details"),
		browser.Until(`document.querySelector("#persona").value === "front-desk"`))
	w.visit("/new", "Begin with")
	w.do(browser.Press("A prompt that writes prompts"), browser.See("What should the prompt achieve?"),
		browser.Paste("#reply", "```\nAsk {{name}} for a reading.\n```"), browser.Press("Use as the text"),
		browser.Until(`document.querySelector("#text").value.trim() === "Ask {{name}} for a reading."`))

	// What is pasted on any page becomes a new entry.
	w.visit("/desk", "wait")
	w.do(browser.Script(`{const d = new DataTransfer(); d.setData("text/plain", "Pasted somewhere: [topic]"); document.body.dispatchEvent(new ClipboardEvent("paste", {clipboardData: d, bubbles: true, cancelable: true}))}`),
		browser.See("Create draft"), browser.Until(`document.querySelector("#text").value === "Pasted somewhere: [topic]"`), browser.See("One place to fill in"))
}
