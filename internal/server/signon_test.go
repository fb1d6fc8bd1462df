package server

import (
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/signon"
)

// company is a world whose people sign in at a provider too.
func company(t *testing.T) (*world, *signon.StandIn, *httptest.Server) {
	t.Helper()
	var s *signon.StandIn
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { s.ServeHTTP(w, r) }))
	t.Cleanup(at.Close)
	provider := signon.New(signon.Config{Issuer: at.URL, ClientID: "shelf", Name: "Larkfen sign-on", GroupsClaim: "groups"}, time.Now)
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), SignOn: provider})
	var err error
	s, err = signon.NewStandIn(at.URL, "shelf", []signon.Account{{Subject: "1", Name: "wen.orrin", FullName: "Wen Orrin", Groups: []string{"lab"}}, {Subject: "2", Name: "jo", FullName: "Jo"}}, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	return w, s, at
}

// browserOf keeps cookies, and goes where it is led but back to the service: there the test
// decides.
func browserOf(t *testing.T, w *world) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
		if strings.HasPrefix(r.URL.String(), w.url) {
			return http.ErrUseLastResponse
		}
		return nil
	}}
}

func got(t *testing.T, b *http.Client, address string) (status int, text string, to string) {
	t.Helper()
	res, err := b.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, string(data), res.Header.Get("Location")
}

// choose begins a sign-on, is somebody, and gives the address that leads back.
func choose(t *testing.T, w *world, b *http.Client, as string) (back string) {
	t.Helper()
	once := *b
	once.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	status, text, to := got(t, &once, w.url+"/sign-on")
	if status != http.StatusSeeOther {
		t.Fatalf("%d %s", status, text)
	}
	_, text, back = got(t, &once, to+"&as="+as)
	if back == "" {
		t.Fatalf("the provider says %s", text)
	}
	return back
}

func (w *world) sessionOf(t *testing.T, b *http.Client) (s api.Session, status int) {
	t.Helper()
	status, text, _ := got(t, b, w.url+"/api/v1/session")
	if status == http.StatusOK {
		if err := json.Unmarshal([]byte(text), &s); err != nil {
			t.Fatal(err)
		}
	}
	return s, status
}

func TestSignOnInABrowser(t *testing.T) {
	t.Parallel()
	w, s, at := company(t)
	b := browserOf(t, w)
	if _, text, _ := got(t, b, w.url+"/api/v1/welcome"); !strings.Contains(text, `"sign_on":"Larkfen sign-on"`) {
		t.Errorf("the sign-in page is told %s", text)
	}
	back := choose(t, w, b, "1")
	status, text, _ := got(t, b, back)
	if status != http.StatusOK || !strings.Contains(text, `url=/"`) {
		t.Fatalf("%d %s", status, text)
	}
	session, _ := w.sessionOf(t, b)
	if session.Name != "wen.orrin" || !session.SignOn || !strings.HasPrefix(session.SignOut, at.URL+"/end?") {
		t.Errorf("the session is %+v", session)
	}
	if status, text, _ := got(t, b, back); status != http.StatusForbidden || !strings.Contains(text, "come back already") {
		t.Errorf("sent again: %d %s", status, text)
	}

	// Two who mix up what they bring back come in as nobody.
	first, second := browserOf(t, w), browserOf(t, w)
	toFirst, toSecond := choose(t, w, first, "1"), choose(t, w, second, "2")
	for _, c := range []struct {
		b    *http.Client
		back string
	}{{first, toSecond}, {second, toFirst}} {
		if status, _, _ := got(t, c.b, c.back); status != http.StatusForbidden {
			t.Errorf("what another brought back: %d", status)
		}
		if _, status := w.sessionOf(t, c.b); status != http.StatusUnauthorized {
			t.Errorf("somebody is signed in: %d", status)
		}
	}

	// The code of one with the state of another, and a word of the provider's.
	one, other := browserOf(t, w), browserOf(t, w)
	mixed, err := url.Parse(choose(t, w, one, "1"))
	if err != nil {
		t.Fatal(err)
	}
	foreign, err := url.Parse(choose(t, w, other, "2"))
	if err != nil {
		t.Fatal(err)
	}
	q := mixed.Query()
	q.Set("code", foreign.Query().Get("code"))
	mixed.RawQuery = q.Encode()
	if status, text, _ := got(t, one, mixed.String()); status != http.StatusForbidden || !strings.Contains(text, "does not hold") {
		t.Errorf("a code of another: %d %s", status, text)
	}
	denied, err := url.Parse(choose(t, w, one, "1"))
	if err != nil {
		t.Fatal(err)
	}
	q = denied.Query()
	q.Set("error", `access_denied<script>alert(1)</script>`)
	denied.RawQuery = q.Encode()
	if status, text, _ := got(t, one, denied.String()); status != http.StatusForbidden || strings.Contains(text, "<script>") || !strings.Contains(text, "access_denied") {
		t.Errorf("the provider says no: %d %s", status, text)
	}

	if err := s.Rotate(); err != nil {
		t.Fatal(err)
	}
	again := browserOf(t, w)
	if status, text, _ := got(t, again, choose(t, w, again, "1")); status != http.StatusOK {
		t.Errorf("after it has changed its keys: %d %s", status, text)
	}
	word, err := s.Sign(map[string]any{"sub": "1", "events": map[string]any{"http://schemas.openid.net/event/backchannel-logout": map[string]any{}}})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		word string
		want int
	}{{"nonsense", 400}, {word, 200}} {
		res, err := http.PostForm(w.url+"/sign-on/ended", url.Values{"logout_token": {c.word}})
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != c.want {
			t.Errorf("somebody has signed out there: %s, want %d", res.Status, c.want)
		}
	}
	if _, status := w.sessionOf(t, again); status != http.StatusUnauthorized {
		t.Errorf("who has signed out there is signed in here: %d", status)
	}
	at.Close()
	down := browserOf(t, w)
	late := comesLate(t, w, down)
	if status, text, _ := got(t, down, late); status != http.StatusBadGateway || !strings.Contains(text, "does not answer") {
		t.Errorf("while the provider is down: %d %s", status, text)
	}
}

// comesLate begins a sign-on while the provider is down, and brings a code back that it never gave.
func comesLate(t *testing.T, w *world, b *http.Client) string {
	t.Helper()
	once := *b
	once.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	_, _, to := got(t, &once, w.url+"/sign-on")
	u, err := url.Parse(to)
	if err != nil {
		t.Fatal(err)
	}
	return w.url + "/sign-on/back?code=x&state=" + url.QueryEscape(u.Query().Get("state"))
}

// An assistant signs in by the company's provider: it is told where, and its tokens are good for
// it alone.
func TestAssistantsSignInByTheProvider(t *testing.T) {
	t.Parallel()
	w, s, at := company(t)
	b := browserOf(t, w)
	if status, text, _ := got(t, b, choose(t, w, b, "1")); status != http.StatusOK {
		t.Fatal(text)
	}
	const list = `{"jsonrpc":"2.0","id":1,"method":"tools/list"}`
	ask := func(token, path, method, body string) answered {
		return w.call("", method, path, body, "Authorization", "Bearer "+token, "Accept", "application/json, text/event-stream")
	}
	nobody := w.call("", "POST", "/mcp", list, "Accept", "application/json, text/event-stream")
	challenge := nobody.header.Get("WWW-Authenticate")
	_, where, _ := strings.Cut(challenge, `resource_metadata="`)
	status, text, _ := got(t, b, strings.TrimSuffix(where, `"`))
	var said struct {
		Resource string   `json:"resource"`
		Servers  []string `json:"authorization_servers"`
	}
	if err := json.Unmarshal([]byte(text), &said); err != nil || status != http.StatusOK || said.Resource != w.url+"/mcp" || len(said.Servers) != 1 || said.Servers[0] != at.URL {
		t.Fatalf("%s leads to %d %s", challenge, status, text)
	}
	sign := func(claims map[string]any) string {
		t.Helper()
		raw, err := s.Sign(claims)
		if err != nil {
			t.Fatal(err)
		}
		return raw
	}
	good := sign(map[string]any{"sub": "1", "aud": said.Resource})
	if got := ask(good, "/mcp", "POST", list); got.status != http.StatusOK || !strings.Contains(got.body, "fill_entry") || strings.Contains(got.body, "create_draft") {
		t.Errorf("a good token: %d %s", got.status, got.body)
	}
	for what, c := range map[string]struct{ token, path, method, body string }{
		"for the sign-on":       {sign(map[string]any{"sub": "1"}), "/mcp", "POST", list},
		"for another service":   {sign(map[string]any{"sub": "1", "aud": "https://elsewhere.example/mcp"}), "/mcp", "POST", list},
		"of nobody here":        {sign(map[string]any{"sub": "2", "aud": said.Resource}), "/mcp", "POST", list},
		"that has ended":        {sign(map[string]any{"sub": "1", "aud": said.Resource, "exp": 1}), "/mcp", "POST", list},
		"anywhere else":         {good, "/api/v1/shelf", "GET", ""},
		"as if called within":   {good, "/api/v1/session", "GET", ""},
		"with a part cut off":   {good[:len(good)-5], "/mcp", "POST", list},
		"with nothing but dots": {"..", "/mcp", "POST", list},
	} {
		if got := ask(c.token, c.path, c.method, c.body); got.status != http.StatusUnauthorized {
			t.Errorf("one %s: %d %s", what, got.status, got.body)
		}
	}
	w.Exec(`update people set active = false where name = 'wen.orrin'`)
	if got := ask(good, "/mcp", "POST", list); got.status != http.StatusUnauthorized {
		t.Errorf("of one who has left: %d %s", got.status, got.body)
	}
}
