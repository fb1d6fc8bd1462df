package test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// window is somebody at the console.
type window struct {
	t   *testing.T
	ctx context.Context
	url string
}

func openWindow(t *testing.T, name string, width, height int64) *window {
	t.Helper()
	return openWindowAt(t, service.URL, name, width, height)
}

// openBrowser is somebody at the console who has opened nothing yet.
func openBrowser(t *testing.T, url string, width, height int64) *window {
	t.Helper()
	ctx, closed, err := browser.Tab(chrome)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(closed)
	w := &window{t, ctx, url}
	w.do(browser.Unwatched(), browser.Size(width, height))
	return w
}

// openWindowAt is openWindow at a service of its own. The window has opened no page yet, but
// its browser is signed in, as if somebody had been at it earlier.
func openWindowAt(t *testing.T, url, name string, width, height int64) *window {
	t.Helper()
	w := openBrowser(t, url, width, height)
	if name != "" {
		c := &client.Client{Server: url}
		if _, err := c.SignIn(t.Context(), name, demo.Password); err != nil {
			t.Fatal(err)
		}
		w.do(browser.Cookie(url, "goldshelf", c.Token))
	}
	return w
}

func (w *window) do(actions ...browser.Action) {
	w.t.Helper()
	if err := browser.Do(w.ctx, actions...); err != nil {
		w.t.Fatal(err)
	}
}

func (w *window) visit(path, sign string) {
	w.t.Helper()
	w.do(chromedp.Navigate(w.url+path), browser.See(sign))
}

// One entry from a pasted text to the shelf and on to its second version, all
// at the console.
func TestStoryAtTheConsole(t *testing.T) {
	t.Parallel()
	const text = "Tell people in {{area}} that the fountain runs again for {{hours}} hours a day."
	writer := openWindow(t, "contributor", 1280, 800)
	writer.visit("/", "The shelf")
	writer.do(
		browser.Press("New entry"),
		browser.Type("#title", "Fountain notice"),
		browser.Type("#text", text),
		browser.Press("Create draft"),
		browser.Until(`location.pathname === "/entries/fountain-notice/edit"`),
		browser.Type("#summary", "Tells people when the fountain runs."),
		browser.PressTab("Blanks"),
		browser.See("area is in the text and asks nothing yet"),
		browser.Press("Declare it"),
		browser.Until(`document.querySelector("details summary")`),
		browser.Script(`document.querySelector("details summary").click()`),
		browser.Type("#blank-0-ask", "Which square?"),
		browser.Type("#blank-0-sample", "Ferry Square"),
		browser.PressTab("Details"),
		browser.Until(`[...document.querySelectorAll("label")].some((l) => l.innerText.trim() === "Weir Mail")`),
		browser.Script(`[...document.querySelectorAll("label")].find((l) => l.innerText.trim() === "Weir Mail").click()`),
		browser.PressTab("As filled"),
		browser.See("Tell people in Ferry Square"),
		browser.See("saved a moment ago"),
		browser.Press("Submit for review"),
		browser.Type("#note", "For the summer."),
		browser.Press("Submit"),
		browser.See("a reviewer has it on their desk"),
	)

	reader := openWindow(t, "reader", 1280, 800)
	reader.do(chromedp.Navigate(service.URL+"/entries/fountain-notice"), browser.See("This entry is not on the shelf"))

	reviewer := openWindow(t, "reviewer", 1280, 800)
	reviewer.visit("/desk", "For the summer.")
	reviewer.visit("/entries/fountain-notice/review", "Approve version 1")
	reviewer.do(
		browser.See("Tell people in {{area}}"),
		browser.Press("Approve version 1"),
		browser.Type("#word", "Good."),
		browser.Press("Approve"),
		browser.Until(`location.pathname === "/desk"`),
	)
	curator := openWindow(t, "curator", 1280, 800)
	curator.visit("/entries/fountain-notice/review", "Publish version 1")
	curator.do(browser.Press("Publish version 1"), browser.See("✓ Published"))

	// Three steps from the home page to a copied text: search, open, copy.
	reader.visit("/", "The shelf")
	reader.do(
		browser.Script(`document.body.dispatchEvent(new KeyboardEvent("keydown", {key: "/", bubbles: true}))`),
		browser.Until(`document.activeElement.type === "search"`),
		chromedp.KeyEvent("fountain runs"),
		browser.See("for “fountain runs”"),
		browser.Until(`document.querySelectorAll("[data-result]").length === 1`),
		browser.Script(`[...document.querySelectorAll("label")].find((l) => l.innerText.startsWith("Customer Care")).click()`),
		browser.See("in Customer Care"),
		chromedp.KeyEvent(kb.ArrowDown),
		browser.Script(`document.querySelector("[data-result]").focus()`),
		chromedp.KeyEvent(kb.Enter),
		browser.See("Which square?"),
		browser.Press("Copy"),
		browser.See("Area is missing: Which square?"),
		browser.Type("#blank-area", "Mill Square"),
		browser.Type("#blank-hours", "6"),
		browser.See("Tell people in Mill Square that the fountain runs again for 6 hours a day."),
		browser.Script(`window.copied = ""; navigator.clipboard.writeText = async (t) => { window.copied = t }`),
		browser.Press("Copy"),
		browser.See("Copied, with its formatting"),
	)
	copied, err := browser.Ask[string](reader.ctx, "window.copied")
	if err != nil || copied != "Tell people in Mill Square that the fountain runs again for 6 hours a day." {
		t.Errorf("copied %q, %v", copied, err)
	}
	reader.visit("/", "At hand")

	writer.visit("/entries/fountain-notice", "Make the next version")
	writer.do(
		browser.Press("Make the next version"),
		browser.See("Draft of version 2"),
		browser.Write(".cm-content", "Kindly t"+strings.TrimPrefix(text, "T")),
		browser.See("saved a moment ago"),
	)
	reader.visit("/entries/fountain-notice", "version 1 ·")
	writer.do(browser.Press("Submit for review"), browser.Type("#note", "Kinder."), browser.Press("Submit"), browser.Until(`location.pathname === "/desk"`))
	reviewer.visit("/entries/fountain-notice/review", "On the shelf: 1")
	reviewer.do(browser.Press("Return with reasons"), browser.Type("#word", "Say how kindly."), browser.Press("Return"), browser.Until(`location.pathname === "/desk"`))
	writer.visit("/entries/fountain-notice/edit", "Returned: Say how kindly.")
	writer.do(browser.Press("Submit for review"), browser.Type("#note", "Kinder."), browser.Press("Submit"), browser.Until(`location.pathname === "/desk"`))
	reviewer.visit("/entries/fountain-notice/review", "Approve version 2")
	reviewer.do(browser.Press("Approve version 2"), browser.Press("Approve"), browser.Until(`location.pathname === "/desk"`))
	curator.visit("/desk", "Fountain notice")
	curator.do(browser.Script(`[...document.querySelectorAll("li")].find((l) => l.innerText.includes("Fountain notice")).querySelector("button").click()`),
		browser.See("Fountain notice is on the shelf"))
	reader.visit("/entries/fountain-notice", "version 2 ·")
	reader.do(browser.See("Kindly tell people"), browser.See("For the summer."), browser.See("Kinder."))
}

// Two people in one draft: nothing is overwritten unasked, and both texts are
// at hand.
func TestConflictShowsBothTexts(t *testing.T) {
	t.Parallel()
	writer := openWindow(t, "contributor", 1280, 800)
	writer.visit("/", "The shelf")
	writer.do(browser.Press("New entry"), browser.Type("#title", "Clash of two"), browser.Type("#text", "First."), browser.Press("Create draft"), browser.See("Draft of version 1"))
	curator := openWindow(t, "curator", 1280, 800)
	curator.visit("/entries/clash-of-two/edit", "Draft of version 1")
	curator.do(browser.Write(".cm-content", "What the curator wrote."), browser.See("saved a moment ago"))
	writer.do(browser.Write(".cm-content", "What the writer wrote."),
		browser.See("Tamsin Hale saved this draft too"), browser.See("What the curator wrote."), browser.See("What the writer wrote."))
	curator.do(chromedp.Navigate(service.URL+"/entries/clash-of-two/edit"), browser.Until(`document.querySelector(".cm-content")?.innerText.trim() === "What the curator wrote."`))
	writer.do(browser.Press("Go on with mine"), browser.See("saved a moment ago"))
	curator.do(chromedp.Navigate(service.URL+"/entries/clash-of-two/edit"), browser.Until(`document.querySelector(".cm-content")?.innerText.trim() === "What the writer wrote."`))
}

// A lost connection loses no word: they are kept in the browser, and saved
// when the connection is back or the page is opened again.
func TestNoWordIsLostWithoutAConnection(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/", "The shelf")
	w.do(browser.Press("New entry"), browser.Type("#title", "Kept words"), browser.Type("#text", "First."), browser.Press("Create draft"), browser.See("Draft of version 1"),
		browser.Offline(true),
		browser.Write(".cm-content", "Words without a connection."),
		browser.See("no connection: kept in this browser"),
		browser.Offline(false),
		browser.See("saved a moment ago"),
		browser.Offline(true),
		browser.Write(".cm-content", "Words before the window closed."),
		browser.See("no connection: kept in this browser"),
	)
	// The same browser opens the page anew, in another tab.
	tab, cancel := chromedp.NewContext(w.ctx)
	defer cancel()
	if err := chromedp.Do(tab, chromedp.Navigate("about:blank")); err != nil {
		t.Fatal(err)
	}
	again := &window{t, tab, service.URL}
	again.visit("/entries/kept-words/edit", "Draft of version 1")
	again.do(browser.Until(`document.querySelector(".cm-content")?.innerText.trim() === "Words before the window closed."`), browser.See("saved a moment ago"))
}

func TestSignInSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "", 1280, 800)
	w.visit("/sign-in", "signs in as curator")
	w.do(browser.Type("#name", "night-shift"), browser.Type("#password", "wrong"+kb.Enter),
		browser.See("The name or the password is wrong."))
	w.do(chromedp.Navigate(service.URL+"/desk"), browser.Until(`location.pathname === "/sign-in"`))
}

// The editor makes a blank of a marked passage, everywhere it stands, and takes
// a passage out into a snippet; both can be undone, and no white space is lost
// between the parts and the whole text.
func TestEditorShapesAText(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/", "The shelf")
	// The editor looks at a selection in its own time, and a save may put it back.
	mark := func(text string) browser.Action {
		return browser.Until(`(() => { const e = document.querySelector(".cm-content"); e.focus();
			const walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT); let n;
			while ((n = walk.nextNode()) && !n.data.includes("` + text + `"));
			if (!n) return false;
			const at = n.data.indexOf("` + text + `");
			document.getSelection().setBaseAndExtent(n, at, n, at + ` + fmt.Sprint(len(text)) + `);
			return ` + browser.Says("Make a blank") + ` })()`)
	}
	body := func(want string) {
		t.Helper()
		w.do(browser.See("saved a moment ago"))
		for range 100 {
			got, err := browser.Ask[string](w.ctx, `fetch("/api/v1/entries/shaped-text/draft").then((r) => r.json()).then((e) => e.body)`)
			if err != nil {
				t.Fatal(err)
			}
			if got == want {
				return
			}
			w.do(chromedp.Sleep(50 * time.Millisecond))
		}
		got, _ := browser.Ask[string](w.ctx, `fetch("/api/v1/entries/shaped-text/draft").then((r) => r.json()).then((e) => e.body)`)
		t.Fatalf("the draft is %q, want %q", got, want)
	}
	const text = "Write to Mill Lane. Mill Lane waits. Close kindly, from all of us."
	w.do(browser.Press("New entry"), browser.Type("#title", "Shaped text"), browser.Type("#text", text), browser.Press("Create draft"), browser.See("Draft of version 1"),
		mark("Mill Lane"), browser.Press("Make a blank"), browser.See("Made the blank mill_lane, in 2 places"))
	body("Write to {{mill_lane}}. {{mill_lane}} waits. Close kindly, from all of us.")
	w.do(browser.PressTab("As filled"), browser.See("Write to Mill Lane. Mill Lane waits."), browser.PressTab("Checks"))
	w.do(browser.Press("Undo"))
	body(text)
	w.do(mark("Close kindly, from all of us."), browser.Press("Make a snippet"), browser.Type("#snippet-title", "Kind close of ours"), browser.Press("Create snippet"), browser.See("Taken out into kind-close-of-ours"))
	body("Write to Mill Lane. Mill Lane waits. {{include kind-close-of-ours}}")

	// By parts: a part of the outline is added, and what is odd stays as it is.
	w.do(browser.Press("By parts"), browser.Until(`[...document.querySelectorAll("button")].some((b) => b.innerText.startsWith("Task"))`),
		browser.Script(`[...document.querySelectorAll("button")].find((b) => b.innerText.startsWith("Task")).click()`),
		browser.Until(`document.querySelectorAll(".cm-content").length === 2`),
		browser.Write(`.cm-content[aria-label="Task"]`, "Do it."))
	body("Write to Mill Lane. Mill Lane waits. {{include kind-close-of-ours}}\n\n## Task\nDo it.")
}

// A mend beside a finding puts pasted text between fences, and is undone.
func TestFixBesideAFinding(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/", "The shelf")
	w.do(browser.Press("New entry"), browser.Type("#title", "Mended text"), browser.Type("#text", "Sum up: {{thread}}"), browser.Press("Create draft"), browser.See("Draft of version 1"),
		browser.PressTab("Blanks"), browser.Press("Declare it"), browser.Choose("#blank-0-type", "text"), browser.PressTab("Checks"),
		browser.Press("Fence it"), browser.Until(`document.querySelector(".cm-content").innerText.trim() === "Sum up: \n---\n{{thread}}\n---"`),
		browser.Until(`!`+browser.Says("stands unfenced")),
		browser.Press("Undo"), browser.See("stands unfenced"))
}

// A curator retires an entry at the console; its page leads on, and it can be put back.
func TestRetireAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "curator", 1280, 800)
	w.visit("/entries/no-guessing", "Used by")
	w.do(browser.Press("Retire"), browser.Type("#because", "Too short."), browser.Press("Retire"), browser.See("It stays on the shelf"), browser.See("Reminder to read the meter"))
	w.visit("/entries/interview-questions", "Which post is it?")
	w.do(browser.Press("Retire"), browser.Type("#because", "The panel has its own."), browser.Pick("#instead", "Advert for a network technician"), browser.Press("Retire"), browser.See("Off the shelf"), browser.See("The panel has its own."))
	reader := openWindow(t, "reader", 1280, 800)
	reader.visit("/entries/interview-questions", "Retired on")
	reader.do(browser.Press("technician-advert"), browser.See("At which depot?"))
	w.do(browser.Press("Restore"), browser.See("Back on the shelf"), browser.See("Which post is it?"))
}

// A curator changes the policy at the console, and the checks follow it.
func TestPolicyAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "curator", 1280, 800)
	w.visit("/settings/policy", "Words the house avoids")
	severity := `[aria-label="How severe hard-to-read is"]`
	w.do(browser.Choose(severity, "stop"), browser.See("set by the house"), browser.Choose(`[aria-label="What hard-to-read stops"]`, "publish"),
		browser.Press("Save policy"), browser.See("The policy is in force"), browser.See("Policy 2"))
	w.visit("/settings/policy", "Policy 2")
	w.do(browser.Until(`document.querySelector('`+severity+`').value === "stop"`), browser.Choose(severity, "warning"),
		browser.Press("Save policy"), browser.See("Policy 3"))
}

// Two stops of a history that are picked show what changed between them; a
// reviewer sees what has changed first.
func TestWhatChangedAtTheConsole(t *testing.T) {
	t.Parallel()
	reader := openWindow(t, "reader", 1280, 800)
	reader.visit("/entries/burst-main-notice", "Pick a version")
	reader.do(browser.Press("Version 1"), browser.Press("Version 2"), browser.See("Version 1 to 2"), browser.Until(`document.querySelector("ins, del, .bg-added") !== null`),
		browser.Press("As filled"), browser.Until(`document.querySelectorAll("section[aria-label^='What changed'] li").length > 2`))
	reviewer := openWindow(t, "reviewer", 1280, 800)
	reviewer.visit("/entries/boil-water-wording/review", "Approve version 4")
	reviewer.do(browser.See("What changed"), browser.Until(`document.querySelector("ins") !== null && document.querySelector("del") !== null`))
}
