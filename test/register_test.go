package test

import (
	"testing"

	"goldshelf/test/browser"
)

// The cap is warned of before it is passed; an application that is gone has its entries
// moved with one press, and a layout is made beside what it makes of an entry.
func TestTheRegisterAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "curator", 1280, 900)
	w.visit("/settings/register", "Nearly at the cap: 230 left")
	w.do(
		browser.Press("Register an application"), browser.See("What people call it"),
		browser.Type("#reg-title", "Reed Notes"), browser.Type("#reg-cost_month", "300"), browser.Press("Save"),
		browser.See("This passes the cap"), browser.See("Fieldpad (690)"), browser.Press("Save all the same"),
		browser.See("70 over the cap"), browser.See("this would have to go: Fieldpad (690)"),
		browser.Press("Fieldpad"), browser.See("Who looks after it"), browser.Choose("#reg-status", "gone"), browser.Press("Save"),
		browser.See("Move its entries to"), browser.See("620 left"),
		browser.Choose("#move-fieldpad", "reed-notes"), browser.Press("Move"), browser.See("are labelled anew"),
		browser.Until(`!document.body.innerText.includes("Move its entries to")`),
	)
	w.visit("/settings/layouts", "Reed Notes as it is")
	w.do(
		browser.Press("Reed Notes as it is"), browser.Until(`location.search.includes("of=reed-notes")`),
		browser.Press("Boxes"), browser.Type("fieldset input", "Everything"), browser.Press("Add a box"), browser.See("Box 2"),
		browser.Pick(`[aria-label="An entry to try it on"]`, "Notice of a burst"), browser.See("the box takes nothing"),
		browser.Script(`[...document.querySelectorAll("fieldset")].find((f) => f.innerText.startsWith("Box 2")).querySelector("input").focus()`),
		browser.Press("Remove box 2"), browser.See("Everything"), browser.See("Write a notice for"),
		browser.Press("Save"), browser.See("Stacks are delivered to Reed Notes by it"),
	)
	reader := openWindowAt(t, s.URL, "reader", 1280, 800)
	reader.visit("/entries/burst-main-notice", "Fill in")
	reader.do(browser.Until(`[...document.querySelectorAll("#for-application option")].some((o) => o.value === "reed-notes")`), browser.Choose("#for-application", "reed-notes"), browser.See("Everything"))
}

// A style's samples are brought and removed at the console, its guide is drawn anew where
// nobody has edited it, and another style stands beside it.
func TestAStyleAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "curator", 1280, 900)
	w.visit("/entries/plain-river/voice", "Letters to households")
	w.do(
		browser.Pick(`[aria-label="Another style"]`, "Board brief"), browser.See("further apart than chance"),
		browser.Press("Add samples"), browser.Paste("#sample-text", "We knock on your door. Then we turn the water off. It takes an hour."), browser.Type("#sample-name", "A card"), browser.Press("Add"),
		browser.See("2 samples"), browser.Press("Remove A card"), browser.See("Gone for good?"), browser.Press("Remove A card"),
		browser.Until(`!document.body.innerText.includes("A card")`),
	)
	w.visit("/entries/plain-river/edit", "Draft of version 3")
	w.do(
		browser.PressTab("Samples"), browser.Press("Draw the guide anew"), browser.See("Take it"), browser.Press("Take it"),
		browser.Until(`document.querySelector(".cm-content").innerText.includes("Sentences run to about 8 words")`), browser.See("saved a moment ago"),
		browser.Press("Draw the guide anew"), browser.See("The texts say the same."),
		browser.Press("+ your"), browser.Until(`[...document.querySelectorAll(".cm-content")].some((c) => c.innerText.includes("“your”."))`),
	)
}
