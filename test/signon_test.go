package test

import (
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/pquerna/otp/totp"

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

// Somebody turns one-time codes on in the console, and from then on signs in with one there and
// at a terminal.
func TestOneTimeCodesInTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "reader", 1280, 900)
	w.do(chromedp.Navigate(s.URL+"/account"), browser.Press("Turn codes on"), browser.Type("#password-again", demo.Password), browser.Press("Go on"),
		browser.Until(`document.querySelector("img[alt='The same as a QR code']")?.complete`))
	secret, err := browser.Ask[string](w.ctx, `document.querySelector("main code").innerText`)
	if err != nil {
		t.Fatal(err)
	}
	code := func(at time.Time) string {
		t.Helper()
		c, err := totp.GenerateCode(secret, at)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	first := time.Now()
	w.do(browser.Type("#code", code(first)), browser.Press("Turn codes on"), browser.See("shown this once"))
	spare, err := browser.Ask[string](w.ctx, `document.querySelector("section[aria-label='Spare codes'] li").innerText`)
	if err != nil || len(spare) != 11 {
		t.Fatalf("a spare code is %q, %v", spare, err)
	}
	w.do(browser.Press("I have kept them"), browser.See("10 spare codes are left"))

	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); !client.NeedsCode(err) {
		t.Errorf("the password alone: %v", err)
	}
	later := openBrowser(t, s.URL, 1280, 800)
	later.do(chromedp.Navigate(s.URL+"/sign-in"), browser.Type("#name", "reader"), browser.Type("#password", demo.Password), browser.Press("Sign in"),
		browser.See("Your password is right"), browser.Type("#code", spare), browser.Press("Sign in"), browser.Until(`document.querySelector("button[aria-haspopup=menu]")`))
	term := &terminal{t: t, home: t.TempDir(), url: s.URL}
	if out, status := term.run(demo.Password+"\n"+code(first.Add(30*time.Second))+"\n", "login", "reader"); status != 0 {
		t.Errorf("at a terminal: %d %s", status, out)
	}
	if out, status := term.run(demo.Password+"\n000000\n", "login", "reader"); status == 0 {
		t.Errorf("by a code that is none: %s", out)
	}
	curator := open(t, s.URL, "curator")
	if out, status := curator.run("", "people", "--codes-off", "reader"); status != 0 {
		t.Errorf("turned off by a curator: %s", out)
	}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Errorf("after that: %v", err)
	}
}
