package service

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"strings"
	"time"

	"goldshelf/internal/signon"
)

// SignOnOptions say which OpenID Connect provider people sign in at.
type SignOnOptions struct {
	Issuer     string // empty for none
	ClientID   string
	SecretFile string // has the client's secret; empty for a client without one
	Name       string
	Groups     string // the claim with the groups
}

// provider gives the company's provider, or nothing where there is none.
func (o Options) provider() (*signon.Provider, error) {
	s := o.SignOn
	if s.Issuer == "" {
		return nil, nil
	}
	u, err := url.Parse(s.Issuer)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" {
		return nil, fmt.Errorf("--oidc-issuer is %q; write it as https://id.example", s.Issuer)
	}
	if u.Scheme == "http" && !isLoopback(u.Hostname()) {
		return nil, fmt.Errorf("--oidc-issuer is %q: who somebody is must not be said in the clear; use https", s.Issuer)
	}
	if s.ClientID == "" {
		return nil, errors.New("--oidc-issuer needs --oidc-client-id too: as what the provider knows the service")
	}
	secret := ""
	if s.SecretFile != "" {
		data, err := os.ReadFile(s.SecretFile)
		if err != nil {
			return nil, fmt.Errorf("read the secret of the sign-on: %w", err)
		}
		secret = strings.TrimSpace(string(data))
	}
	return signon.New(signon.Config{Issuer: s.Issuer, ClientID: s.ClientID, Secret: secret, Name: s.Name, GroupsClaim: s.Groups}, time.Now), nil
}
