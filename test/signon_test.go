package test

import (
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/signon"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// Somebody signs in at a provider on another site and is in the console; somebody who is there
// already links their account, signs out, and comes in by the provider as themselves.
func TestSignOnInTheConsole(t *testing.T) {
	t.Parallel()
	var standIn *signon.StandIn
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { standIn.ServeHTTP(w, r) }))
	t.Cleanup(at.Close)
	_, port, err := net.SplitHostPort(at.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	issuer := "http://localhost:" + port // another site than 127.0.0.1
	standIn, err = signon.NewStandIn(issuer, "shelf", []signon.Account{
		{Subject: "1", Name: "wen.orrin", FullName: "Wen Orrin", Groups: []string{"prompt-writers"}}, {Subject: "2", Name: "idris", FullName: "Idris at work"},
	}, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	s, err := run.Serve(dir, "--oidc-issuer", issuer, "--oidc-client-id", "shelf", "--oidc-name", "Larkfen sign-on")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	w := openBrowser(t, s.URL, 1280, 800)
	w.do(chromedp.Navigate(s.URL+"/sign-in"), browser.Press("Sign in by Larkfen sign-on"), browser.See("Who are you?"), browser.Press("Wen Orrin"),
		browser.PressMenu("Signed in as Wen Orrin"), browser.See("contributor"), browser.PressMenuItem("Your account"), browser.See("by sign-on"))

	own := openWindowAt(t, s.URL, "contributor", 1280, 800)
	own.do(chromedp.Navigate(s.URL+"/account"), browser.Press("Link Larkfen sign-on"), browser.See("Who are you?"), browser.Press("Idris at work"), browser.See("knows you as 2"))
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	if links, err := c.SignOnLinks(t.Context()); err != nil || len(links.Items) != 1 || links.Items[0].Issuer != issuer || links.Items[0].Subject != "2" {
		t.Errorf("the account is linked by %+v, %v", links.Items, err)
	}
	later := openBrowser(t, s.URL, 1280, 800)
	later.do(chromedp.Navigate(s.URL+"/sign-in"), browser.Press("Sign in by Larkfen sign-on"), browser.Press("Idris at work"),
		browser.PressMenu("Signed in as Idris Fenn"), browser.PressMenuItem("Sign out"), browser.Until(`location.href.startsWith(`+"`"+s.URL+`/sign-in`+"`"+`)`), browser.See("Sign in by Larkfen sign-on"))
}
