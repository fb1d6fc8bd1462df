// Package signon talks to the company's OpenID Connect provider: it finds out where it is, sends
// people there and reads what it says of them (OpenID Connect Core 1.0, with PKCE, RFC 7636). It
// knows nothing of the library.
package signon

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"goldshelf/internal/shared"
)

const (
	answerWithin = 8 * time.Second
	askAgain     = 10 * time.Second // where the provider did not say where it is
	mostGroups   = 1000
)

// Config says which provider it is, and as what the service is known to it.
type Config struct {
	Issuer      string // such as https://id.example
	ClientID    string
	Secret      string // empty for a client that has none
	Name        string // what people call it
	GroupsClaim string // where it says which groups somebody is in
}

// Problems of a sign-on.
var (
	// ErrAway means that the provider does not answer.
	ErrAway = errors.New("the sign-on does not answer")
	// ErrRefused means that what came from the provider, or by way of it, does not hold.
	ErrRefused = errors.New("the sign-on does not hold")
)

// Provider is the company's provider. It is asked where it is when it is first needed.
type Provider struct {
	Config
	caller *http.Client
	now    func() time.Time

	asking shared.Work[*found]

	mu    sync.Mutex
	found *found
	tried time.Time // when it was last asked in vain
}

// found is what the provider says of itself.
type found struct {
	*oidc.Provider
	SignOut string   `json:"end_session_endpoint"`
	Algs    []string `json:"id_token_signing_alg_values_supported"`
}

// New gives a provider. The clock is time.Now but in tests.
func New(c Config, clock func() time.Time) *Provider {
	return &Provider{Config: c, caller: &http.Client{Timeout: answerWithin}, now: clock}
}

// find asks the provider where it is: once, and for all who wait for it.
func (p *Provider) find(ctx context.Context) (*found, error) {
	if f, err := p.known(); f != nil || err != nil {
		return f, err
	}
	f, err := p.asking.Do(ctx, "", answerWithin, func(ctx context.Context) (*found, error) {
		if f, err := p.known(); f != nil || err != nil { // since this one looked
			return f, err
		}
		f, err := p.ask(ctx)
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.found = f; err != nil {
			p.tried = p.now()
			return nil, fmt.Errorf("%w: %w", ErrAway, err)
		}
		return f, nil
	})
	if err != nil && ctx.Err() != nil {
		err = fmt.Errorf("%w: %w", ErrAway, err)
	}
	return f, err
}

// known gives what the provider has said of itself, or that it is not to be asked again yet.
func (p *Provider) known() (*found, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found == nil && p.now().Sub(p.tried) < askAgain {
		return nil, ErrAway
	}
	return p.found, nil
}

func (p *Provider) ask(ctx context.Context) (*found, error) {
	// The keys are asked for later, whenever there is a new one: for that this context would have
	// ended.
	provider, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.caller), p.Issuer)
	if err != nil {
		return nil, err
	}
	f := &found{Provider: provider}
	return f, provider.Claims(f)
}

// verifier holds tokens for an audience. What is signed by nobody, or in another way than by a
// key pair, is none.
func (p *Provider) verifier(f *found, audience string) *oidc.IDTokenVerifier {
	algs := slices.DeleteFunc(slices.Clone(f.Algs), func(a string) bool { return a == "none" || strings.HasPrefix(a, "HS") })
	if len(algs) == 0 {
		algs = []string{oidc.RS256}
	}
	return f.Verifier(&oidc.Config{ClientID: audience, SupportedSigningAlgs: algs, Now: p.now})
}

func (p *Provider) oauth(f *found, redirect string) *oauth2.Config {
	return &oauth2.Config{ClientID: p.ClientID, ClientSecret: p.Secret, Endpoint: f.Endpoint(), RedirectURL: redirect, Scopes: []string{oidc.ScopeOpenID, "profile", "email", p.GroupsClaim}}
}

// Begun is a sign-on that was begun: where to send whoever signs in, and what they bring back.
type Begun struct {
	Address                string
	State, Nonce, Verifier string
}

// Begin begins a sign-on that is to come back to an address of ours.
func (p *Provider) Begin(ctx context.Context, redirect string) (Begun, error) {
	f, err := p.find(ctx)
	if err != nil {
		return Begun{}, err
	}
	b := Begun{State: secret(), Nonce: secret(), Verifier: oauth2.GenerateVerifier()}
	b.Address = p.oauth(f, redirect).AuthCodeURL(b.State, oidc.Nonce(b.Nonce), oauth2.S256ChallengeOption(b.Verifier))
	return b, nil
}

func secret() string {
	var raw [32]byte
	_, _ = rand.Read(raw[:]) // it never fails
	return base64.RawURLEncoding.EncodeToString(raw[:])
}

// Identity is what the provider says of somebody. They are known by issuer and subject alone.
type Identity struct {
	Issuer, Subject string
	Name            string // what they are called there; it may be anybody's
	FullName        string
	Groups          []string
	SaysGroups      bool // it says which groups somebody is in
}

// claims are what is read of a token.
type claims struct {
	Name     string `json:"name"`
	Username string `json:"preferred_username"`
	Email    string `json:"email"`
}

// Finish ends a sign-on with the code that came back.
func (p *Provider) Finish(ctx context.Context, redirect, code string, b Begun) (Identity, error) {
	f, err := p.find(ctx)
	if err != nil {
		return Identity{}, err
	}
	ctx = oidc.ClientContext(ctx, p.caller)
	token, err := p.oauth(f, redirect).Exchange(ctx, code, oauth2.VerifierOption(b.Verifier))
	var said *oauth2.RetrieveError
	switch {
	case errors.As(err, &said) && said.Response != nil && said.Response.StatusCode < 500:
		return Identity{}, fmt.Errorf("%w: the code is not good: %s", ErrRefused, said.ErrorCode)
	case err != nil:
		return Identity{}, fmt.Errorf("%w: %w", ErrAway, err)
	}
	raw, is := token.Extra("id_token").(string)
	if !is {
		return Identity{}, fmt.Errorf("%w: it says nothing of who it is", ErrRefused)
	}
	id, err := p.verify(ctx, f, raw, p.ClientID)
	if err != nil {
		return Identity{}, err
	}
	if id.Nonce != b.Nonce {
		return Identity{}, fmt.Errorf("%w: it is of another sign-on", ErrRefused)
	}
	return p.identity(id)
}

// verify holds a token: its signature, issuer, audience and end.
func (p *Provider) verify(ctx context.Context, f *found, raw, audience string) (*oidc.IDToken, error) {
	id, err := p.verifier(f, audience).Verify(ctx, raw)
	var network *url.Error
	switch {
	case errors.As(err, &network), ctx.Err() != nil:
		return nil, fmt.Errorf("%w: %w", ErrAway, err)
	case err != nil:
		return nil, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	return id, nil
}

func (p *Provider) identity(id *oidc.IDToken) (Identity, error) {
	var c claims
	all := map[string]any{}
	if err := errors.Join(id.Claims(&c), id.Claims(&all)); err != nil {
		return Identity{}, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	if id.Subject == "" {
		return Identity{}, fmt.Errorf("%w: it does not say whom it is of", ErrRefused)
	}
	out := Identity{Issuer: id.Issuer, Subject: id.Subject, FullName: c.Name, Name: c.Username}
	if out.Name == "" {
		out.Name, _, _ = strings.Cut(c.Email, "@")
	}
	groups, says := all[p.GroupsClaim]
	out.SaysGroups = says
	switch groups := groups.(type) {
	case string:
		out.Groups = []string{groups}
	case []any:
		for _, g := range groups[:min(len(groups), mostGroups)] {
			if name, is := g.(string); is {
				out.Groups = append(out.Groups, name)
			}
		}
	}
	return out, nil
}

// Ended reads what the provider says, on its own way, of somebody who has signed out there or may
// come in no more (OpenID Connect Back-Channel Logout 1.0), and gives their subject.
func (p *Provider) Ended(ctx context.Context, raw string) (subject string, err error) {
	f, err := p.find(ctx)
	if err != nil {
		return "", err
	}
	id, err := p.verify(oidc.ClientContext(ctx, p.caller), f, raw, p.ClientID)
	if err != nil {
		return "", err
	}
	var c struct {
		Events map[string]any `json:"events"`
		Nonce  *string        `json:"nonce"`
	}
	if err := id.Claims(&c); err != nil {
		return "", fmt.Errorf("%w: %w", ErrRefused, err)
	}
	if _, is := c.Events["http://schemas.openid.net/event/backchannel-logout"]; !is || c.Nonce != nil || id.Subject == "" {
		return "", fmt.Errorf("%w: it says of nobody that they have signed out", ErrRefused)
	}
	return id.Subject, nil
}

// Bearer reads an access token that the provider has made for somebody's program, to be used at
// an address of ours (RFC 9068), and gives who they are and when it ends.
func (p *Provider) Bearer(ctx context.Context, raw, audience string) (Identity, time.Time, error) {
	f, err := p.find(ctx)
	if err != nil {
		return Identity{}, time.Time{}, err
	}
	id, err := p.verify(oidc.ClientContext(ctx, p.caller), f, raw, audience)
	if err != nil {
		return Identity{}, time.Time{}, err
	}
	if id.Nonce != "" {
		return Identity{}, time.Time{}, fmt.Errorf("%w: it says who somebody is, and lets nobody in", ErrRefused)
	}
	who, err := p.identity(id)
	return who, id.Expiry, err
}

// SignOut is where to send whoever has signed out here, to sign out there too, and to come back;
// or nothing where the provider has no such place, or was never asked.
func (p *Provider) SignOut(back string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found == nil || p.found.SignOut == "" {
		return ""
	}
	u, err := url.Parse(p.found.SignOut)
	if err != nil {
		return ""
	}
	q := u.Query()
	q.Set("client_id", p.ClientID)
	q.Set("post_logout_redirect_uri", back)
	u.RawQuery = q.Encode()
	return u.String()
}
