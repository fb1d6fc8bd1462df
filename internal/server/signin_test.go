package server

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
)

// signIn tries to sign in with headers, and gives the status and the cookies that are set.
func (w *world) signIn(t *testing.T, name, password string, headers ...string) (int, map[string]*http.Cookie, http.Header) {
	t.Helper()
	body, _ := json.Marshal(api.Credentials{Name: name, Password: password}) // strings always marshal
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, w.url+"/api/v1/session", bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := crowd.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	cookies := map[string]*http.Cookie{}
	for _, c := range res.Cookies() {
		cookies[c.Name] = c
	}
	return res.StatusCode, cookies, res.Header
}

// Thirty guesses at once are not thirty looks at the password: each is counted before it
// is looked at.
func TestGuessesAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var looked, soon atomic.Int32
	var all sync.WaitGroup
	for range 30 {
		all.Go(func() {
			switch status, _, _ := w.signIn(t, "reader", "wrong wrong wrong"); status {
			case http.StatusUnauthorized:
				looked.Add(1)
			case http.StatusTooManyRequests:
				soon.Add(1)
			}
		})
	}
	all.Wait()
	if looked.Load() > 6 || looked.Load()+soon.Load() != 30 {
		t.Errorf("of 30 guesses at once %d were looked at, and %d put off", looked.Load(), soon.Load())
	}
	record := step[api.Audit](t, "record")(w.as("curator").Audit(t.Context(), client.AuditQuery{Action: "sign-in-failed"})).Items
	if len(record) != int(looked.Load()) || record[0].Detail["person"] != "reader" || record[0].Detail["address"] != "127.0.0.1" {
		t.Errorf("recorded: %+v", record)
	}
}

// Somebody else's guesses from another address keep nobody out, and a browser that has
// signed in before gets through from wherever guesses come. Only a proxy that is trusted
// says where a request comes from.
func TestNobodyIsKeptOutByOthers(t *testing.T) {
	t.Parallel()
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), Proxies: []netip.Addr{netip.MustParseAddr("127.0.0.1")}})
	from := func(address string) []string { return []string{"X-Forwarded-For", address, "Origin", w.url} }
	status, cookies, _ := w.signIn(t, "reader", password, from("198.51.100.7")...)
	browser := cookies["goldshelf-browser"]
	if status != http.StatusOK || browser == nil || !browser.HttpOnly {
		t.Fatalf("signed in: %d, %+v", status, cookies)
	}
	guess := func(address string) (last int) {
		for range 12 {
			last, _, _ = w.signIn(t, "reader", "wrong wrong wrong", from(address)...)
		}
		return last
	}
	if last := guess("203.0.113.9"); last != http.StatusTooManyRequests {
		t.Fatalf("after twelve guesses: %d", last)
	}
	if status, _, _ := w.signIn(t, "reader", password, from("203.0.113.9")...); status != http.StatusTooManyRequests {
		t.Errorf("the right one from there: %d", status)
	}
	if status, _, _ := w.signIn(t, "reader", password, from("198.51.100.8")...); status != http.StatusOK {
		t.Errorf("from another address: %d", status)
	}
	known := append(from("203.0.113.9"), "Cookie", browser.Name+"="+browser.Value)
	if status, _, _ := w.signIn(t, "reader", password, known...); status != http.StatusOK {
		t.Errorf("from there, in a browser that is known: %d", status)
	}
	if status, _, _ := w.signIn(t, "curator", password, known...); status == http.StatusTooManyRequests {
		t.Errorf("another name in that browser: %d", status)
	}
	// One address under many names is slowed too, after more: some wait, and the rest are refused.
	// Who has the right password from there waits a moment, and comes in.
	last := 0
	for n := range 30 {
		last, _, _ = w.signIn(t, fmt.Sprintf("nobody-%d", n), "wrong wrong wrong", from("203.0.113.77")...)
	}
	if last != http.StatusUnauthorized {
		t.Errorf("the thirtieth name from one address: %d", last)
	}
	if status, _, _ := w.signIn(t, "reader", password, from("203.0.113.77")...); status != http.StatusOK {
		t.Errorf("the right password from there: %d", status)
	}
	var refused atomic.Int32
	var all sync.WaitGroup
	for n := range 40 {
		all.Go(func() {
			if status, _, _ := w.signIn(t, fmt.Sprintf("other-%d", n), "wrong wrong wrong", from("203.0.113.77")...); status == http.StatusTooManyRequests {
				refused.Add(1)
			}
		})
	}
	all.Wait()
	if n := refused.Load(); n < 20 || n > 33 {
		t.Errorf("of forty at once %d are refused", n)
	}
	// A clock that is set back locks nobody out.
	w.Clock.Pass(-24 * time.Hour)
	if status, _, _ := w.signIn(t, "reader", password, from("203.0.113.9")...); status != http.StatusOK {
		t.Errorf("after the clock was set back a day: %d", status)
	}
	w.Clock.Pass(24 * time.Hour)
	// A proxy that is none of ours is not believed.
	other := newWorld(t)
	for n := range 12 {
		last, _, _ = other.signIn(t, "reader", "wrong wrong wrong", "X-Forwarded-For", fmt.Sprintf("198.51.100.%d", n))
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("twelve guesses, each said to be from elsewhere: %d", last)
	}
}

// Behind HTTPS the cookies are the browser's to guard, and addresses go by the public one.
func TestThePublicAddress(t *testing.T) {
	t.Parallel()
	public := &url.URL{Scheme: "https", Host: "shelf.example"}
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), Public: public})
	status, cookies, header := w.signIn(t, "reader", password, "Origin", "https://shelf.example")
	session := cookies["__Host-goldshelf"]
	if status != http.StatusOK || session == nil || !session.Secure || !session.HttpOnly || session.SameSite != http.SameSiteStrictMode || session.Path != "/" || session.Domain != "" {
		t.Errorf("signed in: %d, %+v", status, cookies)
	}
	if header.Get("Strict-Transport-Security") == "" || header.Get("Cache-Control") != "no-store" {
		t.Errorf("headers: %v", header)
	}
	if status, _, _ := w.signIn(t, "reader", password, "Origin", w.url); status != http.StatusForbidden {
		t.Errorf("from another origin than the public one: %d", status)
	}
	req, err := http.NewRequest(http.MethodPost, w.url+"/api/v1/feed", strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	req.Host = "evil.example"
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+w.tokenOf("reader"))
	res, err := crowd.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, _ := io.ReadAll(res.Body)
	if !strings.Contains(string(text), "https://shelf.example/api/v1/feeds/") || res.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("a feed's address asked for under another host: %s, %v", text, res.Header)
	}
}

// A browser's session ends when it is left idle; a command's goes on until its day. Both
// times are the library's.
func TestIdleSessionsEnd(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	_, cookies, _ := w.signIn(t, "reader", password, "Origin", w.url)
	c := &client.Client{Server: w.url}
	if _, err := c.SignIn(ctx, "reader", password); err != nil {
		t.Fatal(err)
	}
	browse := func() int {
		req, err := http.NewRequest(http.MethodGet, w.url+"/api/v1/session", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.AddCookie(cookies["goldshelf"])
		res, err := crowd.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	for range 4 {
		w.Clock.Pass(11 * time.Hour)
		if got := browse(); got != http.StatusOK {
			t.Fatalf("used every eleven hours: %d", got)
		}
	}
	w.Clock.Pass(13 * time.Hour)
	if got := browse(); got != http.StatusUnauthorized {
		t.Errorf("after thirteen idle hours: %d", got)
	}
	if _, err := c.Session(ctx); err != nil {
		t.Errorf("a command's token: %v", err)
	}
}

// One's own password is changed with the old one; every other session and token ends.
func TestOnesOwnPassword(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	one, other := &client.Client{Server: w.url, HTTP: w.http}, &client.Client{Server: w.url, HTTP: w.http}
	for _, c := range []*client.Client{one, other} {
		if _, err := c.SignIn(ctx, "reader", password); err != nil {
			t.Fatal(err)
		}
	}
	for name, try := range map[string][3]string{
		"another old one":     {"not the old one", "a new long password", "is another"},
		"a short one":         {password, "short", "12 at least"},
		"one that is no text": {password, "aaaaaaaaaaaaaaaa\x00", "NUL"},
		"one that all try":    {password, "qwerty123456", "commonest"},
		"an endless one":      {password, strings.Repeat("a", 1025), "at most 1024"},
	} {
		_, err := one.ChangePassword(ctx, try[0], try[1])
		refused(t, name, err, http.StatusUnprocessableEntity, try[2])
	}
	if _, err := one.ChangePassword(ctx, password, "a new long password"); err != nil {
		t.Fatal(err)
	}
	if _, err := one.Session(ctx); err != nil {
		t.Errorf("here: %v", err)
	}
	_, err := other.Session(ctx)
	refused(t, "elsewhere", err, http.StatusUnauthorized, "sign in again")
	if _, err := other.SignIn(ctx, "reader", "a new long password"); err != nil {
		t.Errorf("with the new one: %v", err)
	}
	if err := other.SignOutEverywhere(ctx); err != nil {
		t.Fatal(err)
	}
	_, err = one.Session(ctx)
	refused(t, "after signing out everywhere", err, http.StatusUnauthorized, "sign in again")
}

// A secret stands neither in the log nor in what is kept to answer again, and what is
// kept of a filled or written text is where to read it.
func TestSecretsAndTextsAreNotKept(t *testing.T) {
	t.Parallel()
	var log bytes.Buffer
	w := newWorldWith(t, Options{Log: slog.New(slog.NewTextHandler(&log, nil))})
	ctx := t.Context()
	w.publish(notice("Say it in {{area}} within {{hours}}.\n"))
	feed := step[api.Feed](t, "feed")(w.as("reader").NewFeed(ctx))
	if res, err := http.Get(feed.Address); err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("the feed: %v, %v", res, err)
	}
	post := func(who, path, body string) answered {
		return w.call(who, http.MethodPost, path, body, "Idempotency-Key", "one-and-the-same")
	}
	const secretText = "Only the night shift may read this"
	first := post("contributor", "/api/v1/entries", `{"slug": "kept", "kind": "snippet", "title": "Kept", "summary": "S", "labels": {}, "blanks": [], "body": "`+secretText+`.\n"}`)
	again := post("contributor", "/api/v1/entries", `{"slug": "kept", "kind": "snippet", "title": "Kept", "summary": "S", "labels": {}, "blanks": [], "body": "`+secretText+`.\n"}`)
	if first.status != http.StatusCreated || again.status != first.status || again.body != first.body {
		t.Errorf("made: %d %s\nand again: %d %s", first.status, first.body, again.status, again.body)
	}
	link := post("curator", "/api/v1/people/reader/password-link", "{}")
	if twice := post("curator", "/api/v1/people/reader/password-link", "{}"); link.status != http.StatusCreated || twice.status != http.StatusConflict || !strings.Contains(twice.body, "a secret that is not kept") {
		t.Errorf("a link: %d, and again: %d %s", link.status, twice.status, twice.body)
	}
	if _, err := w.as("reader").Fill(ctx, "burst-main-notice", fill.Values{"area": fill.Single("Secret Lane"), "hours": fill.Single("6")}); err != nil {
		t.Fatal(err)
	}
	var made api.PasswordLink
	if err := json.Unmarshal([]byte(link.body), &made); err != nil {
		t.Fatal(err)
	}
	w.Exec(`do $$ begin
		if exists (select from answers where convert_from(body, 'UTF8') ~ 'night shift|Secret Lane|` + made.Code + `') then raise exception 'an answer keeps what it must not'; end if;
		if (select count(*) from answers) < 2 then raise exception 'no answers are kept'; end if;
	end $$`)
	private := feed.Address[strings.LastIndex(feed.Address, "/")+1:]
	for _, secret := range []string{private, strings.TrimSuffix(private, ".atom"), made.Code, "Secret Lane", secretText} {
		if strings.Contains(log.String(), secret) {
			t.Errorf("the log holds %q", secret)
		}
	}
	if !strings.Contains(log.String(), "route=/api/v1/feeds/:private") {
		t.Errorf("the log does not tell the route of the feed: %s", log.String())
	}
}

// A request that says its length in two ways is refused, whichever of them is meant.
func TestTwoLengthsAreRefused(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for name, head := range map[string]string{
		"two lengths":           "Content-Length: 2\r\nContent-Length: 40\r\n",
		"the same length twice": "Content-Length: 2\r\nContent-Length: 2\r\n",
		"a length and chunks":   "Content-Length: 2\r\nTransfer-Encoding: chunked\r\n",
	} {
		c, err := net.Dial("tcp", strings.TrimPrefix(w.url, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(c, "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n%s\r\n{}", head)
		_ = c.SetReadDeadline(time.Now().Add(10 * time.Second)) // it is open
		answer := make([]byte, 4096)
		n, _ := c.Read(answer) // closed without a word is refused too
		c.Close()
		if n > 0 && !strings.HasPrefix(string(answer[:n]), "HTTP/1.1 400") {
			t.Errorf("%s: %s", name, answer[:n])
		}
	}
}

// A reader who takes nothing is cut off; one who takes a little at a time is served.
func TestSlowReadersAreCut(t *testing.T) {
	t.Parallel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	own := limited(l, 1)
	t.Cleanup(func() { own.Close() })
	got := make(chan error, 1)
	go func() {
		c, err := own.Accept()
		if err != nil {
			got <- err
			return
		}
		defer c.Close()
		slow := c.(*connection)
		slow.within = 200 * time.Millisecond
		_, err = slow.Write(make([]byte, 64<<20))
		got <- err
	}()
	c, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	select {
	case err := <-got:
		if err == nil {
			t.Error("one who takes nothing was sent everything")
		}
	case <-time.After(10 * time.Second):
		t.Error("one who takes nothing is waited for")
	}
	// The place is free again, and for one at a time.
	second, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer second.Close()
	next, err := own.Accept()
	if err != nil {
		t.Fatal(err)
	}
	next.Close()
}

// A role that is lost while a change is under way changes nothing.
func TestARoleIsLostInBetween(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.submitted(notice("Say it in {{area}} within {{hours}}.\n"))
	reviewer := w.By("reviewer") // as the request began
	seen := seenBy(w.as("reviewer"), "burst-main-notice")
	w.Exec(`update people set role = 'reader' where name = 'reviewer'`)
	before := w.Rows()
	var refusal *entry.Refusal
	if _, err := w.lib.Lifecycle.Approve(ctx, reviewer, "burst-main-notice", seen, ""); !errors.As(err, &refusal) || !strings.Contains(err.Error(), "your role has changed") {
		t.Errorf("approved by one who was a reviewer: %v", err)
	}
	if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("rows were %v, now %v", before, after)
	}
	w.Exec(`update people set active = false where name = 'chief'`)
	role := entry.Curator
	if _, err := w.lib.People.Change(ctx, w.By("chief"), "reader", api.PersonChange{Role: &role}); !errors.As(err, &refusal) {
		t.Errorf("a role given by one who has left: %v", err)
	}
}
