package endpoint

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"goldshelf/core/message"
	"goldshelf/core/problem"
)

// Spec is how a place where models answer is spoken to, and what it may be sent.
type Spec struct {
	Address      string   `json:"address"`
	Secret       string   `json:"secret,omitempty"`        // what it is kept as: a variable's name, or a file's
	Models       []string `json:"models"`                  // of the register
	AtOnce       int      `json:"at_once"`                 // calls
	TokensMinute int      `json:"tokens_minute,omitempty"` // sent and received; 0 is no limit
	FirstSeconds int      `json:"first_seconds"`           // until something of a reply comes
	WholeSeconds int      `json:"whole_seconds"`
	Departments  []string `json:"departments,omitempty"` // whose entries alone it may be sent; none is all
	NoPersonal   bool     `json:"no_personal,omitempty"` // nothing with personal data

	// Labels are further facets with their terms: it may be sent only entries that have, of each
	// facet, one of the terms.
	Labels map[string][]string `json:"labels,omitempty"`

	Mapping *Mapping `json:"mapping,omitempty"` // nothing is our own protocol
}

// Limits of a connection.
const (
	MostAtOnce  = 1000
	MostSeconds = 3600
	mostModels  = 100
)

// secretName is what a secret can be kept as: a variable of the environment that says it is
// one, or a plain file name.
var (
	secretVariable = regexp.MustCompile(`^GOLDSHELF_SECRET_[A-Z0-9_]{1,80}$`)
	secretFile     = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9_-]{0,80}$`)
)

// IsVariable says whether a secret is a variable of the environment, and no file.
func IsVariable(name string) bool { return strings.HasPrefix(name, "GOLDSHELF_") }

// IsSecretName reports whether a name can be a secret's: a variable's that says it is one, or a
// plain file's.
func IsSecretName(name string) bool {
	return secretVariable.MatchString(name) || !IsVariable(name) && secretFile.MatchString(name)
}

// WithDefaults gives a connection with what was left out.
func (c Spec) WithDefaults() Spec {
	if c.AtOnce == 0 {
		c.AtOnce = 8
	}
	if c.FirstSeconds == 0 {
		c.FirstSeconds = 30
	}
	if c.WholeSeconds == 0 {
		c.WholeSeconds = 300
	}
	c.Models = append([]string{}, c.Models...)
	return c
}

// Problems says what is wrong with a connection, all at once. Whether its address may be
// reached is not known here.
func (c Spec) Problems() (wrong problem.List) {
	if s := c.Secret; s != "" && !IsSecretName(s) {
		wrong.Add("/secret", "secret", "%.100q is where no secret is kept; name a variable GOLDSHELF_SECRET_… of the service, or a file in its --secrets-dir, whose name has no dot", s)
	}
	if len(c.Models) > mostModels {
		wrong.Add("/models", "many", "it serves %d models; it may serve 100", len(c.Models))
	}
	for i, m := range c.Models {
		if slices.Index(c.Models, m) < i {
			wrong.Add(problem.Pointer("models", i), "twice", "%.80q is named twice", m)
		}
	}
	for _, n := range []struct {
		field     string
		got, most int
		what      string
	}{
		{"/at_once", c.AtOnce, MostAtOnce, "calls at once"}, {"/first_seconds", c.FirstSeconds, MostSeconds, "seconds"}, {"/whole_seconds", c.WholeSeconds, MostSeconds, "seconds"},
	} {
		if n.got < 1 || n.got > n.most {
			wrong.Add(n.field, "range", "%d %s; from 1 to %d are possible", n.got, message.Plain(n.what), n.most)
		}
	}
	if c.TokensMinute < 0 || c.TokensMinute > 1e9 {
		wrong.Add("/tokens_minute", "range", "%d tokens a minute; from 0, which is no limit, to 1,000,000,000 are possible", c.TokensMinute)
	}
	if c.Mapping != nil {
		for _, p := range c.Mapping.Problems() {
			p.Field = "/mapping" + p.Field
			wrong = append(wrong, p)
		}
	}
	return wrong
}

// Spoken is how it is spoken to.
func (c Spec) Spoken() Mapping {
	if c.Mapping != nil {
		return *c.Mapping
	}
	return Own()
}

// First is how long something of a reply may take to come.
func (c Spec) First() time.Duration { return time.Duration(c.FirstSeconds) * time.Second }

// Whole is how long a reply may take.
func (c Spec) Whole() time.Duration { return time.Duration(c.WholeSeconds) * time.Second }

// Place is the scheme, host and port of its address: a secret is for one of them.
func (c Spec) Place() string {
	u, err := url.Parse(c.Address)
	if err != nil {
		return ""
	}
	port := u.Port()
	if port == "" {
		port = map[string]string{"https": "443", "http": "80"}[u.Scheme]
	}
	return fmt.Sprintf("%s://%s:%s", u.Scheme, strings.ToLower(u.Hostname()), port)
}
