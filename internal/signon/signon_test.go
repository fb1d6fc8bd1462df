package signon

import (
	"context"
	"encoding/base64"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// clock is one that the test sets.
type clock struct {
	mu sync.Mutex
	at time.Time
}

func (c *clock) now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.at
}

func (c *clock) pass(d time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(d)
}

const back = "https://shelf.example/sign-on/back"

// company is a provider with two people, and the service's side of it.
func company(t *testing.T) (*Provider, *StandIn, *clock) {
	t.Helper()
	c := &clock{at: time.Now()}
	var s *StandIn
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { s.ServeHTTP(w, r) }))
	t.Cleanup(at.Close)
	s, err := NewStandIn(at.URL+"/id", "shelf", []Account{{"1", "maren.oake", "Maren Oake", []string{"curators", "lab"}}, {"2", "jo", "Jo", nil}}, c.now)
	if err != nil {
		t.Fatal(err)
	}
	return New(Config{Issuer: at.URL + "/id", ClientID: "shelf", Name: "Larkfen sign-on", GroupsClaim: "groups"}, c.now), s, c
}

// chosen goes where a sign-on leads, chooses somebody, and gives what comes back.
func chosen(t *testing.T, address, as string) url.Values {
	t.Helper()
	follow := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := follow.Get(address + "&as=" + as)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	to, err := res.Location()
	if err != nil {
		text, _ := io.ReadAll(res.Body)
		t.Fatalf("%s %s", res.Status, text)
	}
	return to.Query()
}

func TestASignOn(t *testing.T) {
	t.Parallel()
	p, s, _ := company(t)
	for range 2 { // and once more after it has changed its keys
		b, err := p.Begin(t.Context(), back)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(b.Address, "code_challenge_method=S256") || strings.Contains(b.Address, b.Verifier) {
			t.Errorf("it leads to %s", b.Address)
		}
		came := chosen(t, b.Address, "1")
		if came.Get("state") != b.State {
			t.Errorf("the state that came back is another")
		}
		who, err := p.Finish(t.Context(), back, came.Get("code"), b)
		if err != nil || who.Subject != "1" || who.FullName != "Maren Oake" || who.Name != "maren.oake" || !slices.Equal(who.Groups, []string{"curators", "lab"}) || !who.SaysGroups || who.Issuer != p.Issuer {
			t.Errorf("it is %+v, %v", who, err)
		}
		if _, err := p.Finish(t.Context(), back, came.Get("code"), b); !errors.Is(err, ErrRefused) {
			t.Errorf("a code that was used is good: %v", err)
		}
		if err := s.Rotate(); err != nil {
			t.Fatal(err)
		}
	}
	if to := p.SignOut("https://shelf.example/"); !strings.HasPrefix(to, p.Issuer+"/end?") || !strings.Contains(to, "post_logout_redirect_uri=https%3A%2F%2Fshelf.example%2F") {
		t.Errorf("signing out leads to %s", to)
	}
}

// What does not belong together, or is too old, is refused.
func TestSignOnsThatDoNotHold(t *testing.T) {
	t.Parallel()
	for what, spoil := range map[string]func(b *Begun, code *string, redirect *string, c *clock){
		"another nonce":    func(b *Begun, _, _ *string, _ *clock) { b.Nonce = "another" },
		"another verifier": func(b *Begun, _, _ *string, _ *clock) { b.Verifier = strings.Repeat("x", 43) },
		"no such code":     func(_ *Begun, code, _ *string, _ *clock) { *code = "made-up" },
		"another address":  func(_ *Begun, _, redirect *string, _ *clock) { *redirect = "https://elsewhere.example/" },
		"an old code":      func(_ *Begun, _, _ *string, c *clock) { c.pass(2 * time.Minute) },
	} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			p, _, c := company(t)
			b, err := p.Begin(t.Context(), back)
			if err != nil {
				t.Fatal(err)
			}
			code, redirect := chosen(t, b.Address, "1").Get("code"), back
			spoil(&b, &code, &redirect, c)
			if who, err := p.Finish(t.Context(), redirect, code, b); !errors.Is(err, ErrRefused) {
				t.Errorf("it gives %+v, %v", who, err)
			}
		})
	}
}

// A token lets its person in only for our audience, in its time, and signed by the provider.
func TestBearers(t *testing.T) {
	t.Parallel()
	p, s, c := company(t)
	const ours = "https://shelf.example/mcp"
	sign := func(claims map[string]any) string {
		t.Helper()
		raw, err := s.Sign(claims)
		if err != nil {
			t.Fatal(err)
		}
		return raw
	}
	good := sign(map[string]any{"sub": "1", "aud": []string{ours, "else"}, "groups": "lab"})
	if who, until, err := p.Bearer(t.Context(), good, ours); err != nil || who.Subject != "1" || !until.After(c.now()) || !slices.Equal(who.Groups, []string{"lab"}) {
		t.Errorf("a good one: %+v, %v", who, err)
	}
	other, err := NewStandIn(s.Issuer, s.ClientID, nil, c.now)
	if err != nil {
		t.Fatal(err)
	}
	foreign, err := other.Sign(map[string]any{"sub": "1", "aud": ours})
	if err != nil {
		t.Fatal(err)
	}
	payload := strings.Split(good, ".")[1]
	none := base64.RawURLEncoding.EncodeToString([]byte(`{"alg":"none","typ":"JWT"}`)) + "." + payload + "."
	secretly, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.HS256, Key: []byte(strings.Repeat("k", 32))}, nil)
	if err != nil {
		t.Fatal(err)
	}
	shared, err := secretly.Sign([]byte(`{"iss":"` + s.Issuer + `","sub":"1","aud":"` + ours + `","exp":99999999999}`))
	if err != nil {
		t.Fatal(err)
	}
	symmetric, err := shared.CompactSerialize()
	if err != nil {
		t.Fatal(err)
	}
	for what, raw := range map[string]string{
		"of another audience": sign(map[string]any{"sub": "1", "aud": "https://elsewhere.example"}),
		"for the sign-on":     sign(map[string]any{"sub": "1"}),
		"that says who it is": sign(map[string]any{"sub": "1", "aud": ours, "nonce": "n"}),
		"of another issuer":   sign(map[string]any{"sub": "1", "aud": ours, "iss": "https://elsewhere.example"}),
		"that has ended":      sign(map[string]any{"sub": "1", "aud": ours, "exp": c.now().Add(-time.Hour).Unix()}),
		"not yet begun":       sign(map[string]any{"sub": "1", "aud": ours, "nbf": c.now().Add(time.Hour).Unix()}),
		"of nobody":           sign(map[string]any{"aud": ours}),
		"by a key unknown":    foreign,
		"signed by nobody":    none,
		"by a shared secret":  symmetric,
		"changed":             good[:len(good)-8] + "AAAAAAAA",
		"nonsense":            "a.b.c",
		"empty":               "",
	} {
		if who, _, err := p.Bearer(t.Context(), raw, ours); !errors.Is(err, ErrRefused) {
			t.Errorf("one %s: %+v, %v", what, who, err)
		}
	}
	c.pass(time.Hour)
	if _, _, err := p.Bearer(t.Context(), good, ours); !errors.Is(err, ErrRefused) {
		t.Errorf("an hour later: %v", err)
	}
}

func TestThatSomebodyHasSignedOutThere(t *testing.T) {
	t.Parallel()
	p, s, _ := company(t)
	event := map[string]any{"http://schemas.openid.net/event/backchannel-logout": map[string]any{}}
	for what, c := range map[string]struct {
		claims map[string]any
		want   string
	}{
		"good":          {map[string]any{"sub": "1", "events": event}, "1"},
		"of nobody":     {map[string]any{"events": event}, ""},
		"a sign-on":     {map[string]any{"sub": "1", "nonce": "n", "events": event}, ""},
		"without event": {map[string]any{"sub": "1"}, ""},
	} {
		raw, err := s.Sign(c.claims)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := p.Ended(t.Context(), raw); got != c.want || (err == nil) != (c.want != "") {
			t.Errorf("%s: %q, %v", what, got, err)
		}
	}
}

// A provider that is down, slow or nonsense is said to be away, and is asked again later.
func TestAProviderThatIsAway(t *testing.T) {
	t.Parallel()
	c := &clock{at: time.Now()}
	answers := make(chan http.HandlerFunc, 1)
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		f := <-answers
		answers <- f
		f(w, r)
	}))
	defer at.Close()
	set := func(f http.HandlerFunc) {
		select {
		case <-answers:
		default:
		}
		answers <- f
	}
	p := New(Config{Issuer: at.URL, ClientID: "shelf", GroupsClaim: "groups"}, c.now)
	for what, f := range map[string]http.HandlerFunc{
		"down":     func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no", http.StatusBadGateway) },
		"nonsense": func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "<html>") },
		"another": func(w http.ResponseWriter, _ *http.Request) {
			_, _ = io.WriteString(w, `{"issuer":"https://elsewhere.example"}`)
		},
	} {
		set(f)
		if _, err := p.Begin(t.Context(), back); !errors.Is(err, ErrAway) {
			t.Errorf("%s: %v", what, err)
		}
		c.pass(time.Minute)
	}
	set(func(_ http.ResponseWriter, r *http.Request) { <-r.Context().Done() })
	began := time.Now()
	ctx, stop := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer stop()
	p.caller.Timeout = 200 * time.Millisecond
	if _, err := p.Begin(ctx, back); !errors.Is(err, ErrAway) || time.Since(began) > 3*time.Second {
		t.Errorf("slow: %v after %s", err, time.Since(began))
	}
	s, err := NewStandIn(at.URL, "shelf", nil, c.now)
	if err != nil {
		t.Fatal(err)
	}
	set(s.ServeHTTP)
	if _, err := p.Begin(t.Context(), back); !errors.Is(err, ErrAway) {
		t.Errorf("it is asked at once again: %v", err)
	}
	c.pass(time.Minute)
	if _, err := p.Begin(t.Context(), back); err != nil {
		t.Errorf("back again: %v", err)
	}
}
