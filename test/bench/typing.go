package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// timed has the console type a letter into the search field and waits until the list that is
// found for it is drawn: the milliseconds between the two.
const timed = `(async (letter) => {
	const field = document.querySelector("[type=search]");
	const answered = () => performance.getEntriesByType("resource").some((e) => e.name.includes("/shelf?") && e.name.includes("q=" + letter) && e.responseEnd > 0);
	const drawn = new Promise((done) => {
		const look = () => requestAnimationFrame(() => {
			if (!answered() || !document.querySelector("main mark")) return look();
			requestAnimationFrame(() => done(performance.now()));
		});
		look();
	});
	const start = performance.now();
	field.focus();
	Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(field, letter);
	field.dispatchEvent(new Event("input", { bubbles: true }));
	return (await drawn) - start;
})(%q)`

// firstLetter gives how long it takes in the console from the first letter of a search to
// its results, drawn: the middle of several letters.
func firstLetter(ctx context.Context, url string) (middle time.Duration, err error) {
	chrome, stop, err := browser.Start(ctx)
	if err != nil {
		return 0, err
	}
	defer stop()
	tab, closed, err := browser.Tab(chrome)
	if err != nil {
		return 0, err
	}
	defer closed()
	if err := chromedp.Do(tab, chromedp.Navigate(url+"/sign-in")); err != nil {
		return 0, err
	}
	if err := browser.Do(tab, browser.Size(1280, 800), browser.Type("#name", "reader"), browser.Type("#password", demo.Password+kb.Enter), browser.See("The shelf")); err != nil {
		return 0, err
	}
	var took []float64
	for _, letter := range []string{"w", "b", "m", "t", "s", "l", "r"} {
		if err := browser.Do(tab, chromedp.Navigate(url+"/"), browser.See("your department")); err != nil {
			return 0, err
		}
		ms, err := browser.Ask[float64](tab, fmt.Sprintf(timed, letter))
		if err != nil {
			return 0, err
		}
		took = append(took, ms)
	}
	if len(took) == 0 {
		return 0, errors.New("no letter was typed")
	}
	slices.Sort(took)
	return time.Duration(took[len(took)/2] * float64(time.Millisecond)), nil
}
