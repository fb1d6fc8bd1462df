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

func shots(untidy string) []shot {
	fillIn := []browser.Action{
		chromedp.SendKeys("#blank-area", "Mill Lane and Ferry Row"),
		chromedp.SendKeys("#blank-hours", "6"),
		browser.Choose("#blank-boil", "yes"),
		browser.See("Mill Lane and Ferry Row."),
		browser.See("within 6 hours"),
		browser.See("rolling boil"),
	}
	return []shot{
		{name: "setup", who: "curator", path: "/setup", sign: browser.Says("What is it called?"), do: []browser.Action{browser.Press("Save"), browser.See("Another facet")}},
		{name: "shelf", who: "reader", path: "/", sign: browser.Says("your department")},
		{name: "find", who: "reader", path: `/?q=water+back&department=customer-care`, sign: browser.Says("for “water back”"),
			do: []browser.Action{chromedp.Focus("[data-result]")}},
		{name: "entry", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Which streets"), do: fillIn},
		{name: "entry-dark", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Which streets"), do: fillIn, dark: true},
		{name: "entry-narrow", who: "reader", path: "/entries/burst-main-notice", sign: browser.Says("Which streets"), narrow: true},
		{name: "labels", who: "curator", path: "/settings/labels", sign: browser.Says("Another facet")},
		{name: "similar", who: "curator", path: "/stocktake/similar", sign: browser.Says("Passages that could be snippets")},
		{name: "record", who: "curator", path: "/stocktake/record", sign: browser.Says("set-starter"), do: []browser.Action{browser.Press("Verify"), browser.See("records hold")}},
		{name: "news", who: "contributor", path: "/desk", sign: browser.Says("Waiting"), do: []browser.Action{browser.Press("News (2)"), browser.See("What I follow")}},
		{name: "desk", who: "contributor", path: "/desk", sign: browser.Says("Complaint in five lines")},
		{name: "editor", who: "contributor", path: "/entries/meter-dispute-reply/edit", sign: browser.Says("Decide") + "||" + browser.Says("As filled"),
			do: []browser.Action{browser.See("checks pass")}},
		{name: "review", who: "reviewer", path: "/entries/boil-water-wording/review", sign: browser.Says("Approve version 4")},
		{name: "new-entry", who: "contributor", path: "/new", sign: browser.Says("Create draft"),
			do: []browser.Action{browser.Paste("#text", "Tell households in [area] that their water has been back since {since}. Thank them in one sentence. Then say what to do first. Say that cloudy water is air, is safe to drink, and clears from the bottom of a glass within two minutes."), browser.See("Something like it")}},
		{name: "import", who: "curator", path: "/stocktake/import", sign: browser.Says("Drop a file here"),
			do: []browser.Action{browser.Upload("input[type=file]", untidy), browser.See("What the columns hold"), browser.See("Moon Base")}},
	}
}

func take(ctx context.Context, url, out, only string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	untidy, err := filepath.Abs("test/untidy/prompts.csv")
	if err != nil {
		return err
	}
	ctx, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	for _, s := range shots(untidy) {
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
	ctx, cancel := browser.Tab(ctx)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil { // opens the tab, for as long as ctx lives
		return err
	}
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
