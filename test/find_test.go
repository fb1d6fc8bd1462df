package test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// A search is narrowed where it is typed, by keyboard alone, and says how it was
// understood.
func TestASearchIsNarrowedAsItIsTyped(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/", "The shelf")
	w.do(
		browser.Script(`document.querySelector("[type=search]").focus()`),
		chromedp.KeyEvent("meter depa"), browser.See("department:"),
		chromedp.KeyEvent(kb.ArrowDown+kb.Enter), browser.Until(`document.querySelector("[type=search]").value === "meter department:"`),
		chromedp.KeyEvent("cus"), browser.Until(`[...document.querySelectorAll("[role=option]")].length === 1`),
		chromedp.KeyEvent(kb.ArrowDown+kb.Tab), browser.Until(`document.querySelector("[type=search]").value === "meter department:customer-care "`),
		browser.Until(`[...document.querySelectorAll("[data-result]")].some((r) => r.innerText.includes("Reply to a meter dispute"))`),
		browser.Until(`[...document.querySelectorAll("[data-result]")].every((r) => r.innerText.includes("Customer Care"))`),
		browser.Type("[type=search]", "brust"),
		browser.See("“burst” was looked for instead"),
		browser.Until(`document.querySelector("mark").innerText.toLowerCase() === "burst"`),
		browser.Type("[type=search]", "department:zoo"),
		browser.See("Department has no term"),
	)
}

// On a small screen the labels are behind one button, which says how many are chosen.
func TestLabelsOnASmallScreen(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 390, 844)
	w.visit("/?q=water", "for “water”")
	w.do(
		browser.Press("Labels"), browser.See("Show the results"),
		browser.Script(`[...document.querySelectorAll("[role=dialog] label")].find((l) => l.innerText.startsWith("Laboratory")).click()`),
		browser.Until(`location.search.includes("department=laboratory")`),
		browser.Press("Show the results"), browser.Press("Labels: 1 chosen"),
	)
}

// What a curator says means the same is found with the next search.
func TestSynonymsCountAtOnce(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "curator", 1280, 800)
	reader := &client.Client{Server: service.URL}
	if _, err := reader.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	w.visit("/settings/synonyms", "One list a line")
	toEnd := browser.Script(`{const f = document.querySelector("#synonyms"); f.focus(); f.setSelectionRange(f.value.length, f.value.length)}`)
	w.do(
		toEnd,
		chromedp.KeyEvent(kb.Enter+"burst, qxeruption"), browser.Press("Save"), browser.See("Saved"),
	)
	list, err := reader.Shelf(t.Context(), client.Query{Words: "qxeruption"})
	if err != nil || list.Total == 0 || list.Items[0].Slug != "burst-main-notice" {
		t.Errorf("found %v, %v", fmt.Sprint(list.Items), err)
	}
	w.do(browser.Until(`document.querySelector("#synonyms").value.endsWith("qxeruption")`), toEnd, chromedp.KeyEvent(kb.Enter+"lonely"), browser.Press("Save"), browser.See("what means the same as what?"))
}
