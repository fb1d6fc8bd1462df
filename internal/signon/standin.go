package signon

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// StandIn is a simulated provider, for the demo and for tests: it lets one choose who one is,
// and asks for no password.
type StandIn struct {
	Issuer   string // where it is, without a slash at the end
	ClientID string
	Accounts []Account
	Clock    func() time.Time

	mu    sync.Mutex
	keys  []jose.JSONWebKey // the newest last
	codes map[string]granted
}

// Account is somebody whom the stand-in knows.
type Account struct {
	Subject, Name, FullName string
	Groups                  []string
}

type granted struct {
	account                    Account
	redirect, nonce, challenge string
	until                      time.Time
}

const (
	codeLasts  = time.Minute
	tokenLasts = 10 * time.Minute
)

// NewStandIn gives a stand-in with a key of its own.
func NewStandIn(issuer, clientID string, accounts []Account, clock func() time.Time) (*StandIn, error) {
	s := &StandIn{Issuer: issuer, ClientID: clientID, Accounts: accounts, Clock: clock, codes: map[string]granted{}}
	return s, s.Rotate()
}

// Rotate has it sign by a new key, and no longer tell of the ones before.
func (s *StandIn) Rotate() error {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.keys = []jose.JSONWebKey{{Key: key, KeyID: secret()[:8], Algorithm: string(jose.RS256), Use: "sig"}}
	return nil
}

// Sign makes a token of claims; those that every token has are added where they are missing.
func (s *StandIn) Sign(claims map[string]any) (string, error) {
	s.mu.Lock()
	key := s.keys[len(s.keys)-1]
	s.mu.Unlock()
	now := s.Clock()
	all := map[string]any{"iss": s.Issuer, "aud": s.ClientID, "iat": now.Unix(), "exp": now.Add(tokenLasts).Unix()}
	for name, v := range claims {
		all[name] = v
	}
	data, err := json.Marshal(all)
	if err != nil {
		return "", err
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: key}, (&jose.SignerOptions{}).WithType("JWT"))
	if err != nil {
		return "", err
	}
	signed, err := signer.Sign(data)
	if err != nil {
		return "", err
	}
	return signed.CompactSerialize()
}

func (s *StandIn) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	at, err := url.Parse(s.Issuer)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	switch r.URL.Path {
	case at.Path + "/.well-known/openid-configuration":
		s.answer(w, http.StatusOK, map[string]any{
			"issuer": s.Issuer, "authorization_endpoint": s.Issuer + "/authorize", "token_endpoint": s.Issuer + "/token", "jwks_uri": s.Issuer + "/keys",
			"end_session_endpoint": s.Issuer + "/end", "response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
			"id_token_signing_alg_values_supported": []string{"RS256"}, "code_challenge_methods_supported": []string{"S256"}, "scopes_supported": []string{"openid", "profile", "email", "groups"},
		})
	case at.Path + "/keys":
		s.mu.Lock()
		set := jose.JSONWebKeySet{}
		for _, k := range s.keys {
			set.Keys = append(set.Keys, k.Public())
		}
		s.mu.Unlock()
		s.answer(w, http.StatusOK, set)
	case at.Path + "/authorize":
		s.authorize(w, r)
	case at.Path + "/token":
		s.token(w, r)
	case at.Path + "/end":
		http.Redirect(w, r, r.URL.Query().Get("post_logout_redirect_uri"), http.StatusFound)
	default:
		http.NotFound(w, r)
	}
}

func (s *StandIn) answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // whoever asked has gone
}

// authorize shows who one can be, and sends whoever has chosen back with a code.
func (s *StandIn) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	switch {
	case q.Get("client_id") != s.ClientID:
		http.Error(w, "this client is not known", http.StatusBadRequest)
		return
	case q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "":
		http.Error(w, "ask for a code, with a challenge by S256", http.StatusBadRequest)
		return
	}
	chosen := q.Get("as")
	for _, a := range s.Accounts {
		if a.Subject == chosen {
			s.sendBack(w, r, a)
			return
		}
	}
	type choice struct{ FullName, Address string }
	var all []choice
	for _, a := range s.Accounts {
		q.Set("as", a.Subject)
		all = append(all, choice{a.FullName, "?" + q.Encode()})
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = choicePage.Execute(w, all) // whoever asked has gone
}

func (s *StandIn) sendBack(w http.ResponseWriter, r *http.Request, a Account) {
	q := r.URL.Query()
	back, err := url.Parse(q.Get("redirect_uri"))
	if err != nil || back.Host == "" {
		http.Error(w, "there is nowhere to come back to", http.StatusBadRequest)
		return
	}
	code := secret()
	s.mu.Lock()
	s.codes[code] = granted{a, q.Get("redirect_uri"), q.Get("nonce"), q.Get("code_challenge"), s.Clock().Add(codeLasts)}
	s.mu.Unlock()
	to := back.Query()
	to.Set("code", code)
	to.Set("state", q.Get("state"))
	back.RawQuery = to.Encode()
	http.Redirect(w, r, back.String(), http.StatusFound)
}

// token gives tokens for a code, once.
func (s *StandIn) token(w http.ResponseWriter, r *http.Request) {
	if err := r.ParseForm(); err != nil {
		s.answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_request"})
		return
	}
	code := r.PostForm.Get("code")
	s.mu.Lock()
	g, is := s.codes[code]
	delete(s.codes, code)
	s.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostForm.Get("code_verifier")))
	if !is || s.Clock().After(g.until) || g.redirect != r.PostForm.Get("redirect_uri") || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge {
		s.answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	id, err := s.Sign(map[string]any{"sub": g.account.Subject, "nonce": g.nonce, "name": g.account.FullName, "preferred_username": g.account.Name, "groups": g.account.Groups})
	if err != nil {
		http.Error(w, fmt.Sprint(err), http.StatusInternalServerError)
		return
	}
	s.answer(w, http.StatusOK, map[string]any{"access_token": secret(), "token_type": "Bearer", "expires_in": int(tokenLasts.Seconds()), "id_token": id})
}

var choicePage = template.Must(template.New("choice").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Who are you?</title>
<style>body{font:18px/1.5 sans-serif;max-width:28rem;margin:4rem auto;padding:0 1rem;background:#EEF2F4;color:#1D2A30}a{display:block;padding:.75rem 1rem;margin:.5rem 0;background:#fff;border:1px solid #C9D4DA;border-radius:8px;color:inherit}</style>
<main><h1>Who are you?</h1><p>A simulated sign-on: it asks for no password.</p>
{{range .}}<a href="{{.Address}}">{{.FullName}}</a>{{end}}</main></html>
`))
