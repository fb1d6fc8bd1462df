package test

import (
	"strings"
	"testing"

	"goldshelf/test/browser"
)

// A helper of each sort proposes something at the terminal; what is taken, the history says.
func TestHelpByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reader")
	curator.says(0, []string{"improve-a-prompt helps with the writing", "prompt-writer writes prompts"}, "starters")
	curator.says(0, []string{"+ ", "words,"}, "propose", "complaint-summary", "--by", "follow-an-instruction", "instruction=more professional", "--seed", "1")
	curator.says(1, []string{"instruction is missing"}, "propose", "complaint-summary", "--by", "follow-an-instruction")
	curator.says(1, []string{"layout is missing"}, "propose", "complaint-summary", "--by", "fit-the-boxes")
	curator.says(0, []string{"words,"}, "propose", "complaint-summary", "--by", "fit-the-boxes", "--for", "sluice-desk")
	curator.says(0, []string{"## Guide"}, "propose", "plain-river", "--by", "rules-from-samples", "--seed", "1")
	curator.says(0, []string{"how_many: 500000"}, "propose", "household-customers", "--by", "answers-to-a-sheet", "notes=There are 500000 of them.", "--seed", "1")
	curator.says(0, []string{"## Task"}, "propose", "complaint-summary", "--by", "prompt-writer", "aim=Sum up a complaint", "audience=a colleague", "answer_form=five lines", "length=thorough", "--seed", "1")
	curator.says(1, []string{"no curator has marked"}, "propose", "complaint-summary", "--by", "burst-main-notice", "area=x", "hours=1")
	curator.says(2, []string{"say which prompt helps"}, "propose", "complaint-summary")
	reader.says(3, []string{"complaint-summary"}, "propose", "complaint-summary", "--by", "improve-a-prompt")
	reader.says(4, []string{"for those who answer for it"}, "propose", "reading-reminder", "--by", "improve-a-prompt")
	curator.says(0, []string{"its history says that heron-2 helped, by improve-a-prompt@1"}, "propose", "complaint-summary", "--by", "improve-a-prompt", "--take", "--model", "heron-2", "--seed", "1")
	curator.says(0, []string{"## Task"}, "show", "complaint-summary@1")
	curator.says(0, []string{"heron-2 helped Tamsin Hale, by improve-a-prompt@1"}, "history", "complaint-summary")
}

// The same in the editor: what a model proposes is shown against the draft, a part of it is
// left out, and the rest put in place.
func TestHelpAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "contributor", 1280, 900)
	w.visit("/entries/complaint-summary/edit", "Draft of version 1")
	choose := func(selector, option string) browser.Action {
		return browser.Until(`(() => { const s = document.querySelector("` + selector + `"); if (![...(s?.options ?? [])].some((o) => o.value === "` + option + `")) return false;
			Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "` + option + `"); s.dispatchEvent(new Event("change", {bubbles: true})); return true })()`)
	}
	w.do(browser.PressTab("Help"), choose("#helper", "fit-the-boxes"), browser.Press("Ask"), browser.See("ayout is missing"),
		choose("#helper-for", "sluice-desk"), browser.Press("Ask"), browser.Press("See what would change"), browser.Press("Leave this out"), browser.See("the draft reads so"), browser.Press("Close"))
	w.do(choose("#helper", "improve-a-prompt"), browser.Press("Ask"), browser.Press("See what would change"), browser.Press("Put this in place"), browser.See("The proposal stands in the draft"),
		browser.Until(`[...document.querySelectorAll(".cm-content")].some((e) => e.innerText.includes("You write for a water company"))`), browser.See("saved a moment ago"))
	w.visit("/entries/complaint-summary", "helped Idris Fenn, by improve-a-prompt@1")
	if text, err := browser.Ask[string](w.ctx, `document.body.innerText`); err != nil || strings.Contains(text, "undefined") {
		t.Errorf("the page says undefined: %v", err)
	}
}
