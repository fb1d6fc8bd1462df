// Command pictures takes the pictures of docs/screenshots from a service that
// serves the demo: pictures [-out DIR] [-only NAME] URL.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

func main() {
	out := flag.String("out", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "take one picture alone")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "pictures: name the service, as in pictures http://127.0.0.1:7420")
		os.Exit(2)
	}
	if err := take(context.Background(), flag.Arg(0), *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "pictures:", err)
		os.Exit(1)
	}
}

// shot is one picture: who looks, at which address, what they do first, and
// the sign that the page is there.
type shot struct {
	name, who, path string
	sign            string
	do              []browser.Action
	dark, narrow    bool
}

func shots() []shot {
	fillIn := []browser.Action{
		chromedp.SendKeys("#blank-area", "Mill Lane and Ferry Row"),
		chromedp.SendKeys("#blank-hours", "6"),
		browser.Choose("#blank-boil", "yes"),
		browser.See("Mill Lane and Ferry Row."),
		browser.See("within 6 hours"),
		browser.See("rolling boil"),
	}
	return []shot{
		{name: "shelf", who: "reader", path: "/", sign: browser.Says("your department")},
		{name: "find", who: "reader", path: `/?q=water+back&department=customer-care`, sign: browser.Says("for “water back”"),
			do: []browser.Action{chromedp.Focus("[data-result]")}},
		{name: "entry", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Which streets"), do: fillIn},
		{name: "style", who: "reader", path: "/entries/plain-river/voice", sign: browser.Says("In plain words"), dark: true, do: []browser.Action{
			browser.Paste("#beside", "Your water is off until six. It is anticipated that reinstatement of the carriageway will be undertaken by contractors. Fill a jug before we start. We don’t knock twice! Call us if it is brown."), browser.Press("Compare"), browser.See("What stands out most")}},
		{name: "entry-narrow", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Which streets"), narrow: true},
		{name: "register", who: "curator", path: "/settings/register", sign: browser.Says("Nearly at the cap")},
		{name: "stocktake", who: "curator", path: "/stocktake/figures", sign: browser.Says("Departments by applications") + "&&" + browser.Says("Make an entry")},
		{name: "boxes", who: "reader", path: "/entries/priority-list-letter", sign: browser.Says("Sluice Desk"), do: []browser.Action{
			browser.Until(`[...document.querySelectorAll("#sheet-of-audience option")].some((o) => o.value === "farm-customers")`), browser.Choose("#sheet-of-audience", "farm-customers"), browser.Choose("#for-application", "sluice-desk"),
			browser.Type("#blank-reason", "Planned work in Mill Lane on 14 March"), browser.See("Planned work in Mill Lane on 14 March")}},
		{name: "sheet", who: "contributor", path: "/entries/holiday-parks/edit", sign: browser.Says("gone on to version 2"), do: []browser.Action{browser.Press("Answer version 2"), browser.See("5 of 7 answered"), browser.Press("One by one"), browser.See("question 6 of 7"), browser.See("saved a moment ago")}},
		{name: "try", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Try it"), do: []browser.Action{
			browser.Type("#blank-area", "Mill Lane"), browser.Type("#blank-hours", "6"), browser.Choose("#try-beside", "persona"),
			browser.Script(`[...document.querySelectorAll("section[aria-labelledby=try-it] button")].find((b) => b.innerText === "Ask").click()`),
			browser.Until(`[...document.querySelectorAll("article")].filter((a) => a.innerText.includes("tokens in")).length === 2`),
			browser.Script(`document.querySelector("section[aria-labelledby=try-it]").scrollIntoView()`)}},
		{name: "trial", who: "contributor", path: "/entries/burst-main-notice/trials", sign: browser.Says("Is the small model good enough?"), do: []browser.Action{
			browser.Until(`!document.body.innerText.includes("so far")`), browser.Script(`[...document.querySelectorAll("ul[aria-label=Trials] a")].at(-1).click()`), browser.See("unlikely to be chance")}},
		{name: "run", who: "reader", path: "/entries/tender-comparison", sign: browser.Says("Run it"), do: []browser.Action{
			browser.Type("#blank-tender", "Tender A: 38.20 a metre, in 21 days [3]. Tender B: 41.00 a metre, in 14 days [2]. Neither says for how long its price holds."), browser.Press("Run"),
			browser.Until(`document.body.innerText.includes("Done · begun") || document.body.innerText.includes("Not every step is done")`), browser.See("Show what it changed"), browser.Press("Show what it changed in page"), browser.See("Show it as it reads now"),
			browser.Script(`document.querySelector("section[aria-label='Step page']").scrollIntoView()`)}},
		{name: "compare", who: "reviewer", path: "/entries/burst-for-the-regulator/origin", sign: browser.Says("Both changed this")},
		{name: "desk", who: "contributor", path: "/desk", sign: browser.Says("Complaint in five lines")},
		{name: "editor", who: "contributor", path: "/entries/meter-dispute-reply/edit", sign: browser.Says("Decide") + "||" + browser.Says("As filled"),
			do: []browser.Action{browser.See("checks pass")}},
		{name: "review", who: "reviewer", path: "/entries/boil-water-wording/review", sign: browser.Says("Approve version 4")},
		{name: "new-entry", who: "contributor", path: "/new", sign: browser.Says("Create draft"),
			do: []browser.Action{browser.Paste("#text", "Tell households in [area] that their water has been back since {since}. Thank them in one sentence. Then say what to do first. Say that cloudy water is air, is safe to drink, and clears from the bottom of a glass within two minutes."), browser.See("Something like it")}},
	}
}

func take(ctx context.Context, url, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	ctx, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	for _, s := range shots() {
		if only != "" && only != s.name {
			continue
		}
		if err := one(ctx, url, out, s); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		fmt.Println(s.name)
	}
	return nil
}

func one(ctx context.Context, url, out string, s shot) error {
	ctx, closed, err := browser.Tab(ctx)
	if err != nil {
		return err
	}
	defer closed()
	width, height := int64(1280), int64(800)
	if s.narrow {
		width, height = 390, 844
	}
	theme := "light"
	if s.dark {
		theme = "dark"
	}
	actions := []browser.Action{browser.Size(width, height), chromedp.Navigate(url + "/sign-in"), browser.See("Sign in"),
		browser.Script(`localStorage.setItem("goldshelf.theme", JSON.stringify("` + theme + `"))`)}
	if s.who != "" {
		actions = append(actions,
			chromedp.SendKeys("#name", s.who),
			chromedp.SendKeys("#password", demo.Password+kb.Enter),
			browser.See("The shelf"))
	}
	actions = append(actions, chromedp.Navigate(url+s.path), browser.Until(s.sign))
	actions = append(actions, s.do...)
	actions = append(actions, chromedp.Sleep(400*time.Millisecond))
	if err := browser.Do(ctx, actions...); err != nil {
		return err
	}
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644)
}
