package browser

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/chromedp/chromedp"
)

// A tab that another had open has nothing left in it of what was done there; one that asked
// to stay, or that was told what cannot be taken back, is not opened again.
func TestATabLeavesNothing(t *testing.T) {
	t.Parallel()
	chrome, stop, err := Start(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer stop()
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte("<p>" + r.Header.Get("Cookie") + "</p><input>")) // Chromium is there as long as the test
	}))
	defer site.Close()
	other := httptest.NewServer(site.Config.Handler)
	defer other.Close()
	tab := func() (context.Context, func()) {
		ctx, closed, err := Tab(chrome)
		if err != nil {
			t.Fatal(err)
		}
		return ctx, closed
	}
	do := func(ctx context.Context, actions ...Action) {
		t.Helper()
		if err := Do(ctx, actions...); err != nil {
			t.Fatal(err)
		}
	}
	const traces = `[document.body.innerText, localStorage.length, sessionStorage.length, history.length, typeof left].join()`
	first, closed := tab()
	for _, at := range []string{other.URL, site.URL} {
		do(first, chromedp.Navigate(at), Cookie(at, "who", "somebody"), Script(`localStorage.setItem("text", "half"); sessionStorage.setItem("text", "half"); left = "much"`), chromedp.Navigate(at+"/further"))
	}
	if got, err := Ask[string](first, traces); err != nil || got != "who=somebody,1,1,5,undefined" {
		t.Fatalf("it has %q to leave (%v)", got, err)
	}
	closed()
	again, closed := tab()
	if again != first {
		t.Error("a tab that was closed is not opened again")
	}
	second, close2 := tab()
	if second == again {
		t.Fatal("two have the same tab")
	}
	for _, at := range []string{site.URL, other.URL} {
		do(again, chromedp.Navigate(at))
		do(second, chromedp.Navigate(at))
		got, err := Ask[string](again, traces)
		fresh, err2 := Ask[string](second, traces)
		if err != nil || err2 != nil || got != fresh {
			t.Errorf("%s has %q left, and a new tab %q (%v, %v)", at, got, fresh, err, err2)
		}
	}
	close2()

	// A page that asks whether it may be left, once somebody has typed into it.
	do(again, Script(`addEventListener("beforeunload", (e) => e.preventDefault())`), chromedp.SendKeys("input", "words"))
	closed()
	third, close3 := tab()
	if third != second {
		t.Error("the tab that was closed and left nothing is not the next")
	}
	fourth, close4 := tab()
	if fourth == again {
		t.Error("a page that asked to stay is still there")
	}
	do(third, Speaks("fr-FR"))
	close3()
	close4()
	for range 2 {
		if ctx, _ := tab(); ctx == third {
			t.Error("a tab that speaks another language is opened again")
		}
	}
}
