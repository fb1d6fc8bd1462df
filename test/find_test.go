package test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
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

// Whatever a word that was found is written with, it is marked as it stands there.
func TestWordsFoundAreMarkedAsTheyAreWritten(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/?q=d%E2%80%99abord", "for “d’abord”")
	w.do(browser.Until(`[...document.querySelectorAll("mark")].some((m) => m.innerText.toLowerCase() === "d’abord")`))
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

// Many entries are labelled from a search, as it was shown; a term is merged; and both are
// undone from their notices.
func TestLabelsOnMany(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	for _, l := range []api.NewLabel{{Facet: "season", Title: "Season"}, {Facet: "season", Term: "winter", Title: "Winter"}, {Facet: "season", Term: "frost", Title: "Frost"}} {
		if _, err := c.AddLabel(ctx, l); err != nil {
			t.Fatal(err)
		}
	}
	// A notice may say it a moment before it is done.
	total := func(term string, want int) {
		t.Helper()
		var list api.List
		for range 50 {
			var err error
			if list, err = c.Shelf(ctx, client.Query{Labels: map[string][]string{"season": {term}}}); err != nil {
				t.Fatal(err)
			}
			if list.Total == want {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
		t.Errorf("of %s there are %d; want %d", term, list.Total, want)
	}
	w := openWindow(t, "curator", 1280, 800)
	label := func() {
		t.Helper()
		w.visit("/?q=tender+kind%3Aprompt", "for “tender")
		w.do(
			browser.PressMenu("Change all"), browser.PressMenuItem("Label…"),
			browser.Until(`document.querySelector("[aria-label=Label]")`), browser.Choose("[aria-label=Label]", "season/frost"),
			browser.Press("Preview"), browser.See("none → Frost"),
			browser.Script(`[...document.querySelectorAll("[role=dialog] button")].find((b) => /^Label \d+$/.test(b.innerText)).click()`),
			browser.See("labelled"),
		)
	}
	label()
	list, err := c.Shelf(ctx, client.Query{Labels: map[string][]string{"season": {"frost"}}})
	if err != nil || list.Total < 2 {
		t.Fatalf("of frost there are %d, %v", list.Total, err)
	}
	n := list.Total
	w.do(browser.Press("Undo"))
	total("frost", 0)
	label()
	w.visit("/settings/labels", "Another facet")
	w.do(
		browser.Press("Change\nFrost"), browser.Choose("#term-into", "winter"), browser.Press("Merge into Winter"),
		browser.See("Frost is part of Winter now"),
	)
	total("winter", n)
	total("frost", n) // by its old name
	w.do(browser.Press("Undo"))
	total("winter", 0)
	total("frost", n)
}

// A favourite stands on the first page, wherever one signs in; and an address that leads
// nowhere offers what is nearest by name.
func TestFavouritesAndNearNames(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reviewer", 1280, 800)
	w.visit("/entries/site-nams", "This entry is not on the shelf")
	w.do(browser.See("Nearest by name"), browser.Press("Names of our sites"), browser.See("The one spelling"),
		browser.Press("Favourite"), browser.See("Among your favourites now"))
	other := openWindow(t, "reviewer", 390, 844)
	other.visit("/", "Favourites")
	other.do(browser.Until(`document.querySelector("section[aria-label=Favourites]").innerText.includes("Names of our sites")`))
	w.do(browser.Press("Favourite"), browser.See("No favourite any more"), browser.Press("Undo"), browser.Until(`document.querySelector("button[aria-pressed=true]")`))
}

// What rests in the search field and is not found is counted, and shown to curators.
func TestWhatIsNotFoundIsCounted(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/?q=qzsubmarine", "Nothing on the shelf matches")
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	for range 60 {
		all, err := c.MissedSearches(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if slices.ContainsFunc(all, func(m api.MissedSearch) bool { return m.Words == "qzsubmarine" }) {
			curator := openWindow(t, "curator", 1280, 800)
			curator.visit("/settings/synonyms", "qzsubmarine")
			curator.visit("/stocktake/figures", "pump fault report")
			curator.do(browser.Script(`[...document.querySelectorAll("a")].find((a) => a.innerText.includes("Make an entry")).click()`), browser.Until(`document.querySelector("#title")?.value === "Pump fault report"`))
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Error("it is not counted")
}

// So is what is found, rests there and is left without a result being opened; and not what
// somebody goes on to narrow, or opens something of.
func TestWhatIsLeftUnopenedIsCounted(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "reader", 1280, 800)
	rest := func() { time.Sleep(2300 * time.Millisecond) }
	w.visit("/?q=letter", "for “letter”")
	w.do(browser.Until(`document.querySelector("[data-result]")`))
	rest()
	w.do(browser.Script(`document.querySelector("[data-result]").click()`), browser.Until(`location.pathname.startsWith("/entries/")`), browser.Script("history.back()"), browser.See("for “letter”"))
	rest()
	w.do(browser.Type("[role=search] input", "meter"), browser.See("for “meter”"))
	rest()
	w.do(browser.Type("[role=search] input", "meter reading"), browser.See("for “meter reading”"))
	rest()
	w.do(browser.Script(`[...document.querySelectorAll("a")].find((a) => a.innerText.includes("Clear all")).click()`), browser.Until(`!location.search.includes("q=")`))
	curator := open(t, s.URL, "curator")
	for n := 0; ; n++ {
		// Figures are remembered for a while: each time others are asked for.
		since := time.Now().AddDate(0, 0, -30-n).Format(time.DateOnly)
		out, _ := curator.run("", "stocktake", "gaps", "--csv", "--since", since)
		if strings.Contains(out, "meter reading,0,1,") {
			if strings.Contains(out, "letter,0") || strings.Contains(out, "meter,0") {
				t.Errorf("counted is what was gone on with:\n%s", out)
			}
			return
		}
		if n == 60 {
			t.Fatalf("it is not counted:\n%s", out)
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// What a curator says means the same is found with the next search; what is typed meanwhile
// stays, whoever else changes the lists.
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
	w.do(
		toEnd, chromedp.KeyEvent(kb.Enter+"lonely"), browser.Press("Save"), browser.See("what means the same as what?"),
	)

	other := &client.Client{Server: service.URL}
	if _, err := other.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	lists, etag, err := other.Synonyms(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	lists.Lists = append(lists.Lists, []string{"valve", "qxstopcock"})
	if _, err := other.SetSynonyms(t.Context(), etag, lists); err != nil {
		t.Fatal(err)
	}
	w.do(
		toEnd, chromedp.KeyEvent(", qxforlorn"), browser.Press("Save"), browser.See("Somebody has changed this since"),
		browser.Until(`document.querySelector("#synonyms").value.endsWith("lonely, qxforlorn")`),
		browser.Press("Show what is there now"), browser.Until(`document.querySelector("#synonyms").value.endsWith("qxstopcock")`),
		toEnd, chromedp.KeyEvent(", qxtap"), browser.Press("Save"), browser.See("Saved"),
	)
}
