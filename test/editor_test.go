package test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// draftOf opens an entry of the contributor's with a text in the editor.
func draftOf(t *testing.T, slug, body string) (*window, *client.Client) {
	t.Helper()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Create(t.Context(), api.NewEntry{Slug: slug, Content: entry.Content{Kind: entry.Prompt, Title: slug, Body: body}}); err != nil {
		t.Fatal(err)
	}
	w := openWindow(t, "contributor", 1280, 800)
	w.visit("/entries/"+slug+"/edit", "Draft of version 1")
	w.do(browser.Until(`document.querySelector(".cm-content")`))
	return w, c
}

// becomes waits for the draft that is kept to have a text.
func becomes(t *testing.T, c *client.Client, slug, want string) {
	t.Helper()
	got := ""
	for deadline := time.Now().Add(10 * time.Second); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		d, _, err := c.Draft(t.Context(), slug)
		if err != nil {
			t.Fatal(err)
		}
		if got = d.Body; got == want {
			return
		}
	}
	t.Fatalf("the draft of %s is %q, want %q", slug, got, want)
}

// marked selects a passage, from one text of the editor to another.
func marked(text string) browser.Action {
	quoted, _ := json.Marshal(text) // a string always marshals
	return browser.Until(`(() => { const e = document.querySelector(".cm-content"); e.focus();
		const walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT); let n;
		while ((n = walk.nextNode()) && !n.data.includes(` + string(quoted) + `));
		if (!n) return false;
		const at = n.data.indexOf(` + string(quoted) + `);
		document.getSelection().setBaseAndExtent(n, at, n, at + ` + string(quoted) + `.length);
		return ` + browser.Says("Make a blank") + ` })()`)
}

// toEnd puts the caret at the end of an editor, and waits for the editor to know itself to
// be there: a caret that only the page has set is noticed later than the first key.
func toEnd(selector string) browser.Action {
	return browser.Until(fmt.Sprintf(`(() => { const e = document.querySelector(%q); if (!e) return false; e.focus();
		e.dispatchEvent(new KeyboardEvent("keydown", {key: "End", keyCode: 35, ctrlKey: true, bubbles: true, cancelable: true}));
		return e.lastElementChild.contains(document.getSelection().focusNode) })()`, selector))
}

// typeAtEnd types at the end of the editor's text.
func typeAtEnd(text string) browser.Action {
	return chromedp.Steps(toEnd(".cm-content"), chromedp.KeyEvent(text))
}

// A blank is made of whole passages outside marks: neither inside another mark nor in
// the middle of a word.
func TestBlanksAreMadeOfWholePassages(t *testing.T) {
	t.Parallel()
	const rest = ` to the Miller {{name or "a Mill }} of Mill"}} {{# the Mill }}, at the `
	w, c := draftOf(t, "whole-passages", "Mill"+rest+"Mill.\n")
	w.do(marked("Mill"), browser.Press("Make a blank"), browser.See("Made the blank mill, in 2 places"))
	becomes(t, c, "whole-passages", "{{mill}}"+rest+"{{mill}}.\n")
	w.do(browser.Press("Undo"))
	becomes(t, c, "whole-passages", "Mill"+rest+"Mill.\n")
}

// A text keeps its own line ends, whatever is typed into it.
func TestLineEndsStay(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "line-ends", "One\r\nTwo\nThree\r\n")
	w.do(typeAtEnd("Four"))
	becomes(t, c, "line-ends", "One\r\nTwo\nThree\r\nFour")
}

// What could not be saved waits for whoever wrote it, not for whoever signs in next.
func TestUnsavedTextIsItsWritersOwn(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "own-words", "First.\n")
	const key = "goldshelf.unsaved.contributor.own-words"
	w.do(browser.Offline(true), browser.Write(".cm-content", "Words of the writer."), browser.See("no connection: kept in this browser"))
	kept, err := browser.Ask[string](w.ctx, `localStorage.getItem("`+key+`") ?? ""`)
	if err != nil || !strings.Contains(kept, "Words of the writer.") {
		t.Fatalf("kept for the writer: %q, %v", kept, err)
	}
	w.do(browser.Offline(false), browser.See("saved a moment ago"))
	becomes(t, c, "own-words", "Words of the writer.")

	// The next person at the same browser, where the writer's words are still kept.
	again, _ := json.Marshal(strings.Replace(kept, "Words of", "More words of", 1)) // a string always marshals
	w.do(browser.Script(`localStorage.setItem("`+key+`", `+string(again)+`)`), browser.Script(`fetch("/api/v1/session", {method: "DELETE"})`),
		chromedp.Navigate(w.url+"/sign-in"), browser.Type("#name", "curator"), browser.Type("#password", demo.Password+kb.Enter), browser.See("The shelf"))
	w.visit("/entries/own-words/edit", "Draft of version 1")
	w.do(browser.Until(`document.querySelector(".cm-content")`), typeAtEnd(" Seen."), browser.See("saved a moment ago"))
	becomes(t, c, "own-words", "Words of the writer. Seen.")
}

// Nothing that is kept in a full browser stops what is typed from being saved.
func TestAFullBrowserSavesAllTheSame(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "full-browser", "First.\n")
	w.do(browser.Script(`Storage.prototype.setItem = () => { throw new DOMException("full", "QuotaExceededError") }`),
		browser.Write(".cm-content", "Saved without a copy."), browser.See("saved a moment ago"))
	becomes(t, c, "full-browser", "Saved without a copy.")
}

// A save whose answer is lost is sent again, and nobody is shown their own text as
// somebody else's.
func TestALostAnswerIsNoConflict(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "lost-answer", "First.\n")
	w.do(browser.Script(`{const send = window.fetch; window.lost = 0;
		window.fetch = async (r) => { const answer = await send(r); if (r.method === "PUT" && window.lost++ === 0) throw new TypeError("lost"); return answer; }}`),
		browser.Write(".cm-content", "Sent twice."), browser.Until(`window.lost >= 2`), browser.See("saved a moment ago"))
	if shown, err := browser.Ask[bool](w.ctx, `document.querySelector("[role=dialog]") !== null`); err != nil || shown {
		t.Errorf("a conflict is shown: %t, %v", shown, err)
	}
	becomes(t, c, "lost-answer", "Sent twice.")
}

// What is typed while an answer is awaited stays.
func TestAnAwaitedAnswerLeavesWhatWasTyped(t *testing.T) {
	t.Parallel()
	w, c := draftOf(t, "awaited", "Write to [street] now.\n")
	w.do(browser.PressTab("Similar"), browser.See("One place to fill in"),
		browser.Script(`{const send = window.fetch; window.fetch = async (r) => { if (r.url.endsWith("/blanks")) await new Promise((go) => { window.answer = go }); return send(r); }}`),
		browser.Press("Make it a blank"), browser.Until(`window.answer`), typeAtEnd("Typed meanwhile."), browser.Script(`window.answer()`), browser.See("The text has changed meanwhile"))
	becomes(t, c, "awaited", "Write to [street] now.\nTyped meanwhile.")

	// An undo goes over nothing that was typed since, either.
	w.do(browser.Press("Make it a blank"), browser.Script(`setTimeout(() => window.answer(), 100)`), browser.See("Made blanks of them"))
	becomes(t, c, "awaited", "Write to {{street}} now.\nTyped meanwhile.")
	w.do(typeAtEnd(" And more."), browser.Press("Undo"), browser.See("You have typed since"))
	becomes(t, c, "awaited", "Write to {{street}} now.\nTyped meanwhile. And more.")
}

// The parts of a text are the core's: what stands between fences begins none. A check
// follows what is typed, not each key.
func TestPartsAndPauses(t *testing.T) {
	t.Parallel()
	const body = "## Task\nSum up:\n---\n## Not a part\n---\n\n## Limits\nNo guesses.\n"
	w, c := draftOf(t, "parts-and-pauses", body)
	w.do(browser.Until(`document.querySelectorAll(".cm-content").length === 2`), browser.Until(`document.querySelector('.cm-content[aria-label="Task"]').innerText.includes("## Not a part")`),
		browser.Script(`{const send = window.fetch; window.checks = 0; window.fetch = async (r) => { if (r.url.endsWith("/check")) window.checks++;
			if (r.url.endsWith("/outline")) await new Promise((go) => setTimeout(go, 500)); return send(r); }}`),
		toEnd(`.cm-content[aria-label="Limits"]`))
	// The parts are asked for in the pause, and answered while more is typed.
	for i, key := range " No names of people at all." {
		if i == 10 {
			w.do(chromedp.Sleep(400 * time.Millisecond))
		}
		w.do(chromedp.KeyEvent(string(key)), chromedp.Sleep(30*time.Millisecond))
	}
	becomes(t, c, "parts-and-pauses", body[:len(body)-1]+" No names of people at all.\n")
	if n, err := browser.Ask[int](w.ctx, "window.checks"); err != nil || n < 1 || n > 8 {
		t.Errorf("for 27 keys the checks ran %d times, %v", n, err)
	}
}

// A number is a word like any other, in the address too; and the command field finds
// what the service finds, and calls desk work by its name.
func TestSearchAndCommands(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reviewer", 1280, 800)
	w.visit("/?q=114", "for “114”")
	w.do(browser.Until(`document.querySelector("[type=search]").value === "114"`))
	w.visit("/", "The shelf")
	w.do(browser.Script(`{const send = window.fetch; window.asked = []; window.fetch = (r) => { window.asked.push(r.url); return send(r); }}`),
		chromedp.KeyEvent("k", chromedp.KeyModifiers(kb.ModifierCtrl)), browser.See("Go to or do"), browser.See("Review: "), browser.Until(`document.activeElement.matches("[role=dialog] input")`),
		chromedp.KeyEvent("burst main"), browser.Until(`[...document.querySelectorAll("[role=option]")].some((o) => o.innerText.includes("Notice of a burst main"))`),
		browser.Until(`window.asked.some((u) => u.includes("/shelf?q=burst"))`))
}

// A text that is rewritten while it is reviewed is decided about by nobody who has read
// the one before: both are shown first.
func TestRewrittenWhileReviewed(t *testing.T) {
	t.Parallel()
	s := alone(t)
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	in := api.NewEntry{Slug: "well-notice", Content: entry.Content{
		Kind: entry.Prompt, Title: "Notice of a new well", Summary: "Tells a village that its well is ready.",
		Labels: map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
		Body:   "Tell the village that its well is ready.\n",
	}}
	must := func(_ any, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(c.Create(t.Context(), in))
	must(c.Submit(t.Context(), in.Slug, "The first."))
	w := openWindowAt(t, s.URL, "reviewer", 1280, 800)
	w.visit("/entries/well-notice/review", "Approve version 1")
	w.do(browser.See("its well is ready"))
	must(c.Withdraw(t.Context(), in.Slug))
	_, etag, err := c.Draft(t.Context(), in.Slug)
	must(nil, err)
	in.Body = "Tell the village that its well costs twice as much.\n"
	_, _, err = c.SaveDraft(t.Context(), in.Slug, etag, in)
	must(nil, err)
	must(c.Submit(t.Context(), in.Slug, "The second."))
	w.do(browser.Press("Approve version 1"), browser.Press("Approve"), browser.See("is another text than the one you read"), browser.Press("Close"),
		browser.See("It was rewritten after you opened it"), browser.See("What you read"), browser.See("costs twice as much"))
	if still, err := browser.Ask[bool](w.ctx, `[...document.querySelectorAll("button")].some((b) => b.innerText.startsWith("Approve"))`); err != nil || still {
		t.Errorf("it can be approved before it is read (%v)", err)
	}
	e, err := c.Entry(t.Context(), in.Slug)
	if err != nil || e.State != entry.InReview || len(e.Approvals) != 0 {
		t.Errorf("it is %s, %v", e.State, err)
	}
	w.do(browser.Press("Go on with what it says now"), browser.Press("Approve version 1"), browser.Press("Approve"), browser.Until(`location.pathname === "/desk"`))
	if e, err = c.Entry(t.Context(), in.Slug); err != nil || e.State != entry.Approved {
		t.Errorf("read and approved, it is %s, %v", e.State, err)
	}
}
