package test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

type axeResult struct {
	ID    string `json:"id"`
	Help  string `json:"help"`
	Nodes []struct {
		HTML    string `json:"html"`
		Summary string `json:"failureSummary"`
	} `json:"nodes"`
}

// axe-core finds nothing on any page, in light and dark, wide and narrow.
func TestNothingKeepsAnyoneOut(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../bin/axe/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	untidy, err := filepath.Abs("untidy/prompts.csv")
	if err != nil {
		t.Fatal(err)
	}
	// Somebody's title is one long word: no page is wider for it. Two say the same.
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	for _, slug := range []string{"long-word", "long-word-again"} {
		_, err := c.Create(t.Context(), api.NewEntry{Slug: slug, Content: entry.Content{
			Kind: entry.Snippet, Title: "Trinkwasserzählerablesungserinnerungsschreibenvorlage", Body: "Please read the meter of your drinking water by the end of the week, and send us what it shows, with the day.\n",
		}})
		if err != nil {
			t.Fatal(err)
		}
	}
	people := map[string][]page{}
	for _, p := range everyPage(untidy) {
		people[p.who] = append(people[p.who], p)
	}
	for who, pages := range people {
		for some := range slices.Chunk(pages, atOneWindow) {
			t.Run(fmt.Sprintf("as %q from %s", who, some[0].path), func(t *testing.T) {
				t.Parallel()
				w := openWindow(t, who, 1280, 800)
				w.visit("/nowhere", nowhere)
				w.do(browser.Script(string(axe)), browser.Script(`document.head.append(Object.assign(document.createElement("style"), {textContent: "* { transition: none !important }"}))`))
				for _, p := range some {
					w.keepsNobodyOut(p)
				}
			})
		}
	}
}

// atOneWindow is how many pages are looked at in one window, one after the other, while others
// are in another.
const atOneWindow = 15

// everyPage gives the pages of the console, and what is opened on them. The import page is given
// a file.
func everyPage(file string) []page {
	return []page{
		{"", "/sign-in", "signs in as curator", nil},
		{"reader", "/", "your department", nil},
		{"reader", "/?q=water", "for “water”", nil},
		{"reader", "/?q=xqzzt", "Nothing on the shelf matches", nil},
		{"reader", "/entries/burst-main-notice", "Which streets", nil},
		{"reader", "/entries/burst-main-notice", "Which streets", []browser.Action{browser.Press("As written"), browser.See("{{if boil}}")}},
		{"reader", "/entries/nothing-there", "This entry is not on the shelf", nil},
		{"reader", "/nowhere", nowhere, nil},
		{"contributor", "/desk", "wait", nil},
		{"contributor", "/new", "Create draft", nil},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", nil},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", []browser.Action{browser.PressTab("Blanks"), browser.See("Add a blank"), browser.Script(`document.querySelector("details summary").click()`)}},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", []browser.Action{browser.PressTab("Details"), browser.See("Short code")}},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", []browser.Action{browser.PressTab("As filled"), browser.See("Nobody has even moved in")}},
		{"contributor", "/entries/complaint-summary/edit", "left over", nil},
		{"contributor", "/entries/how-to-reach-us", "Used by", nil},
		{"reviewer", "/entries/boil-water-wording/review", "Publishing this changes one published entry", []browser.Action{browser.Press("P\nPrompt\nNotice of a burst main"), browser.See("Afterwards")}},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", []browser.Action{browser.Press("Submit for review"), browser.See("What has changed, and why?")}},
		{"contributor", "/", "your department", []browser.Action{chromedp.KeyEvent("k", chromedp.KeyModifiers(kb.ModifierCtrl)), browser.See("Go to or do")}},
		{"reviewer", "/entries/hosepipe-limit-questions/review", "Approve version 1", nil},
		{"curator", "/settings/policy", "Words the house avoids", nil},
		{"curator", "/settings/labels", "Another facet", nil},
		{"curator", "/settings/labels", "Another facet", []browser.Action{browser.Press("Change\nDepartment"), browser.See("Applications go on reading it as")}},
		{"curator", "/settings/labels", "Another facet", []browser.Action{browser.Press("Change\nLaboratory"), browser.See("Merge into")}},
		{"curator", "/settings/synonyms", "One list a line", nil},
		{"reader", "/?q=brust+main+elephant", "Does not say: elephant", nil},
		{"reader", "/", "The shelf", []browser.Action{browser.Script(`document.querySelector("[type=search]").focus()`), chromedp.KeyEvent("department:"), browser.Until(`location.search.includes("q=department") && document.querySelectorAll("[role=option]").length > 3 && document.querySelector("h1")`)}},
		{"curator", "/settings/library", "Time zone", nil},
		{"curator", "/settings/people", "From a table", []browser.Action{browser.Press("Password link…\nfor Wren Castell"), browser.See("They set a password with it")}},
		{"curator", "/stocktake", "Make an entry", nil},
		{"curator", "/stocktake/departments", "Owner left", nil},
		{"curator", "/stocktake/use", "With another persona", []browser.Action{browser.Choose("[aria-label='By what']", "department"), browser.See("Uses are counted")}},
		{"curator", "/stocktake/freshness", "From draft to shelf", nil},
		{"curator", "/stocktake/contributors", "People who used what is theirs", nil},
		{"curator", "/stocktake/quality", "of 100 replies", nil},
		{"curator", "/stocktake/costs", "Used by nobody", nil},
		{"curator", "/stocktake/report", "What has gone stale", nil},
		{"contributor", "/entries/contractor-visit", "Nothing of it counts here", nil},
		{"reader", "/", "your department", []browser.Action{browser.PressMenu("Signed in as"), browser.See("Your account"), browser.PressMenuItem("Your account"), browser.See("Sign out everywhere")}},
		{"curator", "/setup", "What is it called?", nil},
		{"", "/set-password#nothing", "Set your password", nil},
		{"curator", "/entries/burst-all-clear", "Retired on", nil},
		{"curator", "/stocktake/import", "Drop a file here", nil},
		{"curator", "/stocktake/import", "Drop a file here", []browser.Action{browser.Upload("input[type=file]", file), browser.See("What the columns hold")}},
		{"reader", "/entries/burst-main-notice", "Pick a version", []browser.Action{browser.Press("Version 1"), browser.Press("Version 2"), browser.See("Version 1 to 2"), browser.Until(`document.querySelector(".bg-added") !== null`)}},
		{"curator", "/settings/people", "From a table", nil},
		{"curator", "/settings/people", "From a table", []browser.Action{browser.Press("Add someone"), browser.See("Name to sign in with")}},
		{"curator", "/stocktake/record", "Record of changes", []browser.Action{browser.Press("Verify"), browser.See("records hold")}},
		{"curator", "/settings/channels", "Larkfen news board", []browser.Action{browser.Press("Add channel"), browser.See("What is it called?")}},
		{"curator", "/desk", "Questions for an interview", []browser.Action{browser.Press("Transfer"), browser.See("Who answers for it from now on?")}},
		{"contributor", "/desk", "Waiting", []browser.Action{browser.Press("Mine"), browser.See("You answer for")}},
		{"reader", "/desk", "What I follow", nil},
		{"contributor", "/entries/meter-dispute-reply", "Pick a version", []browser.Action{browser.Press("Version 2"), browser.See("Version 2, line by line")}},
		{"reviewer", "/entries/boil-water-wording/review", "Is three always enough?", []browser.Action{browser.Press("Answer"), browser.See("Send answer")}},
		{"reader", "/best", "Used most", nil},
		{"reader", "/entries/plain-river/voice", "In plain words", []browser.Action{browser.Paste("#beside", strings.Repeat("It is anticipated that reinstatement of the carriageway will be undertaken by contractors. ", 4)), browser.Press("Compare"), browser.See("What stands out most")}},
		{"curator", "/entries/plain-river/voice", "Letters to households", []browser.Action{browser.Press("Add samples"), browser.See("Or paste a text"), browser.Pick(`[aria-label="Another style"]`, "Board brief"), browser.See("further apart than chance")}},
		{"curator", "/entries/field-log/edit", "Draft of version", []browser.Action{browser.PressTab("Samples"), browser.See("To use")}},
		{"contributor", "/entries/holiday-parks/edit", "answered", []browser.Action{browser.Press("Read from a text…"), browser.See("A line is a question"), browser.See("gone on to version 2")}},
		{"contributor", "/entries/priority-list-letter/edit", "Checks", []browser.Action{browser.PressTab("Style"), browser.See("words.")}},
		{"contributor", "/new", "Begin with", []browser.Action{browser.Script(`[...document.querySelectorAll("input[name=kind]")][2].click()`), browser.Press("From a description…"), browser.See("Write it into the text")}},
		{"reader", "/entries/priority-list-letter", "it wants a sheet of audience", []browser.Action{browser.Until(`[...document.querySelectorAll("#for-application option")].some((o) => o.value === "sluice-desk")`), browser.Choose("#for-application", "sluice-desk"), browser.See("of 4,000 characters")}},
		{"reader", "/entries/burst-main-notice", "Fill in", []browser.Action{browser.Press("Side by side"), browser.See("The network, its crews")}},
		{"curator", "/settings/sets", "A service", []browser.Action{browser.Press("Change A service"), browser.See("A service, version 2")}},
		{"curator", "/settings/connections", "Simulated models", []browser.Action{browser.Press("Add connection"), browser.See("Mapping, in JSON")}},
		{"curator", "/settings/allowances", "Procurement", nil},
		{"curator", "/settings/keys", "fieldpad", nil},
		{"curator", "/settings/sign-on", "Only people in one of these groups come in", nil},
		{"contributor", "/account", "Where you are signed in", nil},
		{"curator", "/stocktake/trials", "What became of it", nil},
		{"reviewer", "/entries/boil-water-wording/review", "Trials of what uses it", []browser.Action{browser.See("Try all with this version")}},
		{"contributor", "/entries/minutes-for-all/trials", "Begin a trial", nil},
		{"reader", "/entries/minutes-for-all", "Run it", []browser.Action{browser.Type("#blank-minutes", "Ewan checks the drawing by Friday."), browser.Type("#blank-team", "the night shift"), browser.Press("Run"), browser.See("Done · begun"), browser.Press("Show what it changed in page")}},
		{"contributor", "/entries/meter-dispute-reply/edit", "As filled", []browser.Action{browser.PressTab("Help"), browser.See("Improve")}},
		{"curator", "/entries/tender-comparison/edit", "Steps", []browser.Action{browser.Press("Add a step"), browser.See("Step step5")}},
		{"reader", "/talks", "Your talks", nil},
		{"reader", "/entries/burst-main-notice", "Try it", []browser.Action{browser.Type("#blank-area", "Mill Lane"), browser.Type("#blank-hours", "6"), browser.Choose("#try-beside", "again"),
			browser.Script(`[...document.querySelectorAll("section[aria-labelledby=try-it] button")].find((b) => b.innerText === "Ask").click()`), browser.See("tokens in"), browser.Press("Mark what differs")}},
		{"contributor", "/entries/burst-main-notice/trials", "Begin a trial", []browser.Action{browser.Press("Add an expectation"), browser.Press("Add a set-up"), browser.Press("Edit Mill Lane"), browser.See("What is special about it")}},
		{"reader", "/entries/burst-main-notice/trials", "A reply", []browser.Action{browser.Script(`[...document.querySelectorAll("ul[aria-label=Trials] a")].at(-1).click()`), browser.See("Every fill under every set-up"), browser.Script(`document.querySelector("[aria-label^='Mill Lane, ']").click()`), browser.See("Reply 3")}},
		{"curator", "/settings/register", "Nearly at the cap", []browser.Action{browser.Press("Change the cap"), browser.See("Currency")}},
		{"curator", "/settings/register", "Nearly at the cap", []browser.Action{browser.Press("Fieldpad"), browser.See("Who looks after it")}},
		{"curator", "/settings/layouts?of=sluice-desk", "What it makes of an entry", []browser.Action{browser.Pick(`[aria-label="An entry to try it on"]`, "Notice of a burst"), browser.See("of 4,000 characters")}},
		{"reader", "/sections/how-we-sound", "How we sound", nil},
		{"curator", "/settings/sections", "Add a section", []browser.Action{browser.Press("Change When something breaks"), browser.See("Or what you pick")}},
		{"reviewer", "/entries/burst-for-the-regulator/origin", "What changed in", nil},
		{"curator", "/entries/minutes-to-actions", "changed this alike", nil},
		{"contributor", "/entries/reading-reminder", "How it went", []browser.Action{browser.Press("It fell short"), browser.See("What was wrong?")}},
		{"reader", "/entries/burst-main-notice", "Fill in", []browser.Action{browser.Press("For each row of a table…"), browser.See("The table")}},
		{"reader", "/entries/burst-main-notice", "Fill in", []browser.Action{browser.Press("Used for…"), browser.See("Only you see this")}},
		{"curator", "/stocktake/similar", "Passages that could be snippets", nil},
		{"contributor", "/new", "Begin with", []browser.Action{browser.Paste("#text", "Tell households in [area] that their water has been back since {since}. Thank them in one sentence. Then say what to do first. Say that cloudy water is air, is safe to drink, and clears from the bottom of a glass within two minutes."), browser.See("Something like it is there already")}},
		{"curator", "/entries/reading-reminder", "Retire", []browser.Action{browser.Press("Retire"), browser.See("What to use instead")}},
		{"reviewer", "/entries/hosepipe-limit-questions/review", "Approve version 1", []browser.Action{browser.Press("With samples"), browser.See("paddling pool")}},
	}
}

// page is a page of the console, and what is done there before it is looked at.
type page struct {
	who, path, sign string
	then            []browser.Action
}

func (w *window) keepsNobodyOut(p page) {
	w.t.Helper()
	w.do(browser.Size(1280, 800))
	w.turnTo(p.path, p.sign)
	w.do(p.then...)
	// Colours depend on the theme and layout on the width: two looks have them all.
	for theme, size := range map[string]browser.Action{"light": browser.Size(1280, 800), "dark": browser.Size(390, 844)} {
		w.do(size, browser.Script(`document.documentElement.dataset.theme = "`+theme+`"`))
		w.findNothing(p.path + ", " + theme)
	}
}

// nowhere is what the console says of an address that it does not have.
const nowhere = "There is no such page"

// turnTo is visit by a window that is at the console already, as its links go: what is loaded
// stays. It passes by a page that says nothing, so that the sign is not the page's before.
func (w *window) turnTo(path, sign string) {
	w.t.Helper()
	w.do(
		browser.Script(`history.pushState(null, "", "/nowhere")`), browser.See(nowhere),
		browser.Script(fmt.Sprintf(`history.pushState(null, "", %q)`, path)), browser.See(sign),
	)
}

func (w *window) findNothing(path string) {
	w.t.Helper()
	found, err := browser.Ask[[]axeResult](w.ctx, `axe.run(document, {preload: false, resultTypes: ["violations"], runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]}).then((r) => r.violations)`)
	if err != nil {
		w.t.Fatal(err)
	}
	for _, f := range found {
		nodes, _ := json.MarshalIndent(f.Nodes, "", " ") // strings always marshal
		w.t.Errorf("%s: %s: %s\n%.1200s", path, f.ID, f.Help, nodes)
	}
	wide, err := browser.Ask[string](w.ctx, `document.documentElement.scrollWidth <= innerWidth + 1 ? "" : [...document.querySelectorAll("body *")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1).map((e) => e.outerHTML.slice(0, 120)).slice(-3).join("\n")`)
	if err != nil || wide != "" {
		w.t.Errorf("%s: the page is wider than the window: %s (%v)", path, wide, err)
	}
}
