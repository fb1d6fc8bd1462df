package test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// A sheet is answered one question after the other, by keys alone; one that is put off
// comes again at the end, and what stays open says so.
func TestASheetIsAnsweredOneByOne(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "contributor", 1280, 800)
	w.visit("/new", "New entry")
	w.do(
		browser.Script(`[...document.querySelectorAll("input[name=kind]")].find((i) => i.closest("label").innerText.startsWith("Sheet")).click()`),
		browser.Until(`[...document.querySelectorAll("#set option")].some((o) => o.value === "audience@2")`),
		browser.Choose("#set", "audience@2"), browser.Type("#title", "Who the allotments are"),
		browser.Press("Create draft"), browser.See("question 1 of 7"), browser.See("0 of 7 answered"), browser.See("Such as: Farms with cattle"),
		browser.Type("#blank-who", "Gardeners on rented plots."), chromedp.KeyEvent(kb.Enter),
		browser.See("question 2 of 7"), browser.Press("Later"),
		browser.See("question 3 of 7"), chromedp.KeyEvent("All summer"+kb.Enter),
		browser.See("question 4 of 7"), chromedp.KeyEvent("A ban in July.\nAnd theft."), browser.Press("Next"),
		browser.See("How do they want to hear from us?"), browser.See("question 5 of 7"),
	)
	w.do(browser.Script(`[...document.querySelectorAll("label")].find((l) => l.innerText.includes("letter")).querySelector("input").click()`),
		browser.See("4 of 7 answered"), browser.Press("Next"), browser.Press("Leave it open"), browser.See("question 7 of 7"), browser.Press("Leave it open"),
		// What was put off.
		browser.See("question 2 of 7"), chromedp.KeyEvent("many"), browser.See("How many is a number, not"),
		browser.Until(`document.activeElement.id === "blank-how_many"`),
		browser.Type("#blank-how_many", "340"), browser.See("5 of 7 answered"), browser.See("saved a moment ago"),
		browser.PressTab("As filled"), browser.See("How many: 340"), browser.See("Channels: letter"),
	)
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	e, err := c.Entry(t.Context(), "who-the-allotments-are")
	if err != nil || e.Set != "audience@2" || strings.TrimSpace(e.Answers["worry"].String()) != "A ban in July.\nAnd theft." || e.Answers["how_many"].String() != "340" || len(e.Answers) < 5 {
		t.Errorf("saved %+v, %v", e.Answers, err)
	}
}

// The questions of a set go on; a sheet says so, is moved to the newest and loses nothing.
func TestASetGoesOn(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator := openWindowAt(t, s.URL, "curator", 1280, 900)
	curator.visit("/settings/sets", "A service")
	curator.do(
		browser.Press("Change A service"), browser.See("A service, version 2"),
		browser.Press("Remove question 3"), browser.Press("Add a question"),
		browser.Until(`document.querySelectorAll("fieldset")[0].querySelectorAll("li").length === 3`),
		browser.Type(`fieldset li:nth-child(3) input`, "Since when?"),
		browser.Type("#set-note", "Prices are on the bill."), browser.Press("Save as the next version"), browser.See("service@2"),
	)
	reader := openWindowAt(t, s.URL, "reader", 1280, 800)
	reader.visit("/entries/leak-repairs", "questions have gone on to service@2")
	reader.do(browser.See("Nothing for the first leak")) // as it was
	owner := openWindowAt(t, s.URL, "curator", 1280, 900)
	owner.visit("/entries/leak-repairs/edit", "gone on to version 2")
	owner.do(
		browser.Press("Answer version 2"), browser.See("does not ask these any more"), browser.See("price"), browser.See("asks no question price"),
		browser.Press("Take price out"), browser.Until(`!document.body.innerText.includes("does not ask these any more")`),
		browser.Press("Read from a text…"), browser.Paste("#answers-text", "Since when? 2019\nPrice: nothing\n"), browser.Press("Read"),
	)
	owner.do(browser.See("is no question of A service"), browser.Press("Take these answers"), browser.Until(`document.querySelector("#blank-since")?.value === "2019"`), browser.See("saved a moment ago"))
}

// A prompt that wants a sheet says so, is filled with one, and comes in the boxes that the
// application wants, each copied byte for byte.
func TestATextInItsBoxes(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.do(browser.Clipboard(service.URL))
	w.visit("/entries/priority-list-letter", "it wants a sheet of audience")
	w.do(
		browser.Until(`[...document.querySelectorAll("#sheet-of-audience option")].some((o) => o.value === "holiday-parks")`), browser.Choose("#sheet-of-audience", "holiday-parks"),
		browser.Until(`[...document.querySelectorAll("#for-application option")].some((o) => o.value === "sluice-desk")`), browser.Choose("#for-application", "sluice-desk"),
		browser.Type("#blank-reason", "New list"), browser.See("of 1,500 characters"), browser.See("of 4,000 characters"), browser.See("The reason to write now: New list"),
		browser.Press("Copy How to answer"), browser.See("Copied: How to answer"),
		// The sheets of the set are offered once, in its own field.
		browser.See("Larkfen Water in figures"), browser.Until(`![...document.querySelectorAll("fieldset label")].some((l) => l.innerText.includes("holiday parks"))`),
	)
	copied, err := browser.Ask[string](w.ctx, `navigator.clipboard.readText()`)
	if err != nil {
		t.Fatal(err)
	}
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	got, err := c.FillStack(t.Context(), "priority-list-letter", api.FillRequest{Values: fill.Values{"reason": fill.Single("New list")}, Sheets: []string{"holiday-parks"}, For: "sluice-desk"})
	if err != nil || len(got.Boxes) != 2 || got.Boxes[1].Text != copied {
		t.Errorf("copied %q, want the second of %+v, %v", copied, got.Boxes, err)
	}
	// The application is chosen the next time, too.
	w.visit("/entries/burst-main-notice", "How to answer")
	w.do(browser.Choose("#for-application", "brook-chat"), browser.See("system"), browser.Press("Copy"))
}

// Two personas beside each other, with the same blanks: the one that was used last is offered first.
func TestTwoPersonasSideBySide(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/burst-main-notice", "Fill in")
	w.do(
		browser.Type("#blank-area", "Quay Street"), browser.Press("Side by side"), browser.See("The network, its crews"),
		browser.Pick(`[aria-label="Persona on the right"]`, "Spokes"), browser.See("You speak for Larkfen Water to reporters"), browser.See("The network, its crews"),
		browser.Until(`[...document.querySelectorAll("[data-testid=side-by-side] p")].filter((p) => p.innerText.includes("Quay Street")).length >= 2`),
	)
	w.visit("/entries/meter-dispute-reply", "Fill in")
	w.do(
		browser.Script(`document.querySelector("#stack-persona").click()`),
		browser.Until(`[...document.querySelector("#stack-persona").parentElement.querySelectorAll("[role=option]")].findIndex((o) => o.innerText === "Spokesperson") === 1`),
	)
}

// Question sets, sheets and layouts at the terminal; what is pulled is filled without a
// service as with it.
func TestSheetsAndLayoutsByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader, writer := open(t, s.URL, "curator"), open(t, s.URL, "reader"), open(t, s.URL, "contributor")
	dir := t.TempDir()
	put := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	reader.says(0, []string{"audience", "An audience"}, "sets")
	set := put("brand.yaml", "name: brand\ntitle: A brand\ngroups:\n  - title: Names\n    questions:\n      - name: full_name\n      - name: colours\n        type: pick-many\n        options: [blue, green]\n")
	reader.says(4, []string{"curator"}, "sets", "--put", set)
	curator.says(0, []string{"brand@1 is there, with 2 questions"}, "sets", "--put", set)
	curator.says(1, []string{"the set has no question"}, "sets", "--put", put("empty.yaml", "name: empty\ntitle: E\ngroups: []\n"))
	reader.says(0, []string{`"colours"`, "2020-12"}, "sets", "brand", "--schema")
	qa := put("qa.txt", "Full name: Larkfen Water\nColours: Blue and green\n")
	reader.says(0, []string{"set: brand@1", "colours: [blue, green]"}, "sets", "brand", "--read", qa, "--title", "Our brand")
	reader.says(1, []string{"line 2", "is no question of A brand"}, "sets", "brand", "--read", put("bad.txt", "Full name: x\nHeight: tall\n"))
	sheet, _ := reader.run("", "sets", "brand", "--read", qa, "--title", "Our brand")
	sheet = strings.Replace(sheet, "title: Our brand", "title: Our brand\nsummary: Names and colours.\nowner: contributor\nlabels:\n  department: [communications]", 1)
	writer.says(0, []string{"our-brand: version 1, draft, made"}, "put", put("our-brand.md", sheet[strings.Index(sheet, "---"):]))
	writer.says(0, []string{"0 stops"}, "check", "our-brand")

	reader.says(1, []string{"wants a sheet of audience; name one, as"}, "fill", "priority-list-letter", "reason=x")
	with := []string{"fill", "priority-list-letter", "reason=x", "--sheet", "farm-customers", "--for", "brook-chat"}
	reader.says(0, []string{`"role": "system"`, "<who>", `\"how_many\": 1140`}, with...)
	reader.says(0, []string{"724 of 1500 characters"}, append(with[:len(with)-1:len(with)-1], "sluice-desk")...)
	reader.says(2, []string{"there is no box"}, append(with[:len(with)-1:len(with)-1], "sluice-desk", "--box", "nowhere")...)
	reader.says(0, []string{"lines differ"}, "compare", "burst-main-notice", "area=Mill Lane", "hours=6")

	curator.says(1, []string{"the layout has no box"}, "layouts", "fieldpad", "--set", put("none.yaml", "as: boxes\nboxes: []\n"))
	curator.says(0, []string{"Take care: the sheet is left out"}, "layouts", "fieldpad", "--set", put("some.yaml", "as: text\nboxes:\n  - limit: 5\n    takes: [{layer: prompt}, {layer: persona}, {layer: style}]\n"))
	reader.says(0, []string{"is over its limit", "Longest:"}, "fill", "burst-main-notice", "area=x", "hours=6", "--for", "fieldpad")
	curator.says(0, []string{"nearly reached"}, "register")
	curator.says(1, []string{"70 over the cap of 4,200", "Fieldpad (690)"}, "register", "--add", "application/reed-notes", "--title", "Reed Notes", "--cost", "300")
	curator.says(0, []string{"Reed Notes", "70 over the cap"}, "register", "--add", "application/reed-notes", "--title", "Reed Notes", "--cost", "300", "--over-cap")
	curator.says(1, []string{"it is 0 or more"}, "register", "--set", "application/reed-notes", "--cost", "-1")
	curator.says(0, []string{"gone"}, "register", "--set", "application/fieldpad", "--status", "gone")
	open(t, s.URL, "contributor").says(0, []string{"is for Fieldpad, which is gone"}, "desk")
	reader.says(0, []string{"is for Fieldpad, which is gone"}, "show", "toolbox-talk")
	reader.says(0, []string{"holiday-parks answers audience@1, and the questions have gone on to audience@2"}, "show", "holiday-parks")
	curator.says(0, []string{"entries have reed-notes now", "--undo"}, "register", "--move", "application/fieldpad", "--to", "reed-notes")

	folder := filepath.Join(dir, "pulled")
	reader.says(0, []string{"the question set that a sheet answers", "how the application wants stacks delivered"}, "pull", "priority-list-letter", "farm-customers", "--to", folder, "--for", "brook-chat")
	pulled, err := client.OpenFolder(folder, "")
	if err != nil {
		t.Fatal(err)
	}
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	req := api.FillRequest{Values: fill.Values{"reason": fill.Single("x")}, Sheets: []string{"farm-customers"}, For: "brook-chat"}
	there, err := c.FillStack(t.Context(), "priority-list-letter", req)
	if err != nil {
		t.Fatal(err)
	}
	here, err := pulled.Fill("priority-list-letter", req)
	if err != nil || len(here.Boxes) != 2 || here.Boxes[0].Text != there.Boxes[0].Text || here.Boxes[1].Text != there.Boxes[1].Text || here.Text != there.Text {
		t.Errorf("from the folder %+v, %v\nfrom the service %+v", here.Boxes, err, there.Boxes)
	}
}

// After the word fact the editor offers sheets that answer a set, and then their questions
// with what is said there.
func TestFactsAreOffered(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "offered-facts", "")
	chosen := func(what string) browser.Action {
		const first = ".cm-tooltip-autocomplete li[aria-selected]"
		return chromedp.Steps(browser.Until(`document.querySelector("`+first+`")?.innerText.includes("`+what+`")`), chromedp.Click(first))
	}
	w.do(typeAtEnd("They are: {{fact farm"), chosen("Who our farm customers are"),
		chromedp.KeyEvent(" wh"), chosen("Farms on the low ground"), chromedp.KeyEvent("}}"))
	becomes(t, c, "offered-facts", "They are: {{fact farm-customers who}}")
}
