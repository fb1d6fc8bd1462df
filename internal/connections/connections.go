// Package connections is where models answer: how each place is spoken to, what it may be
// sent, and which models can be asked.
package connections

import (
	"context"
	"errors"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/internal/asking"
	"goldshelf/internal/models"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	mostTitle = 80     // characters
	mostAsked = 10_000 // characters of what a connection is tried with
)

// Service is what can be done with connections.
type Service struct {
	db     *work.DB
	asking *asking.Asking
}

// New gives the connections of a library.
func New(db *work.DB, a *asking.Asking) *Service { return &Service{db, a} }

// List gives all connections, to curators.
func (s *Service) List(ctx context.Context, by work.Caller) (api.Connections, error) {
	out := api.Connections{Items: []api.Connection{}}
	if err := by.MustCurate("see the connections"); err != nil {
		return out, err
	}
	return work.Ask(ctx, s.db, func(v work.View) (api.Connections, error) {
		out.Items = out.Items[:0] // the view may run again
		all, err := v.Connections()
		for _, c := range all {
			out.Items = append(out.Items, s.shown(c))
		}
		return out, err
	})
}

// Get gives one, or a [work.Missing].
func (s *Service) Get(ctx context.Context, by work.Caller, name string) (api.Connection, error) {
	if err := by.MustCurate("see the connections"); err != nil {
		return api.Connection{}, err
	}
	return work.Ask(ctx, s.db, func(v work.View) (api.Connection, error) {
		c, err := v.Connection(name)
		return s.shown(c), work.Found(err, none(name))
	})
}

func none(name string) error { return work.MissingF("there is no connection %.80q", name) }

func (s *Service) shown(c store.Connection) api.Connection {
	return api.Connection{
		Name: c.Name, Title: c.Title, Spec: c.Details.V, SecretThere: s.asking.HasSecret(c), SecretKept: c.Sealed != nil,
		Number: c.Number, By: c.By, At: c.At.UTC(),
	}
}

// Add adds a connection. It returns an [entry.Refusal] to all but curators, and a
// [problem.List] with all that is wrong with it.
func (s *Service) Add(ctx context.Context, by work.Caller, in api.NewConnection) (api.Connection, error) {
	if err := by.MustCurate("add connections"); err != nil {
		return api.Connection{}, err
	}
	name := in.Name
	if name == "" {
		name = nameFrom(in.Title)
	}
	in.Spec = in.WithDefaults()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Connection, error) {
		wrong := s.problems(in)
		if !named.MatchString(name) {
			wrong.Add("/name", "name", "%.80q is no name; it has lower-case letters, digits and hyphens, 64 at most", name)
		}
		more, err := modelProblems(u.Reader, in.Spec, wrong)
		if err != nil {
			return api.Connection{}, err
		}
		if err := more.Err(); err != nil {
			return api.Connection{}, err
		}
		if err := u.AddConnection(name, strings.TrimSpace(in.Title), in.Spec, by.ID); errors.Is(err, store.ErrNotFound) {
			return api.Connection{}, work.Wrong("/name", "taken", "there is a connection %s already; choose another name", name)
		} else if err != nil {
			return api.Connection{}, err
		}
		if err := s.seal(u, name, in); err != nil {
			return api.Connection{}, err
		}
		u.Record("add-connection", 0, 0, map[string]any{"connection": name})
		c, err := u.Connection(name)
		return s.shown(c), err
	})
}

// Set changes a connection that was read under a number. A secret is forgotten where the
// address leads to another place, unless it is named anew. It returns what Add does, and
// [work.Outdated] where somebody has changed it since.
func (s *Service) Set(ctx context.Context, by work.Caller, name string, on int, in api.NewConnection) (api.Connection, error) {
	if err := by.MustCurate("change connections"); err != nil {
		return api.Connection{}, err
	}
	in.Spec = in.WithDefaults()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Connection, error) {
		before, err := u.Connection(name)
		if err != nil {
			return api.Connection{}, work.Found(err, none(name))
		}
		keep := in.KeepSecret && in.SecretValue == "" && in.Place() == before.Details.V.Place()
		if keep {
			in.Secret = before.Details.V.Secret
		}
		wrong, err := modelProblems(u.Reader, in.Spec, s.problems(in))
		if err != nil {
			return api.Connection{}, err
		}
		if err := wrong.Err(); err != nil {
			return api.Connection{}, err
		}
		err = u.SetConnection(name, on, strings.TrimSpace(in.Title), in.Spec, by.ID)
		if errors.Is(err, store.ErrNotFound) {
			return api.Connection{}, &work.Outdated{What: message.Say("somebody has changed the connection %s by now; read it, and change that", name)}
		}
		if err != nil {
			return api.Connection{}, err
		}
		if !keep {
			err = errors.Join(u.DropSecret(name), s.seal(u, name, in))
		}
		if err != nil {
			return api.Connection{}, err
		}
		u.Record("change-connection", 0, 0, map[string]any{"connection": name})
		c, err := u.Connection(name)
		return s.shown(c), err
	})
}

// seal keeps a secret itself, for the place of the address alone.
func (s *Service) seal(u *work.Unit, name string, in api.NewConnection) error {
	if in.SecretValue == "" {
		return nil
	}
	return u.SealSecret(name, s.asking.Secrets().Seal(in.Place(), in.SecretValue))
}

// Delete deletes a connection from which no reply is awaited.
func (s *Service) Delete(ctx context.Context, by work.Caller, name string) error {
	if err := by.MustCurate("delete connections"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.LookAtAll(); err != nil {
			return err
		}
		if _, err := u.Connection(name); err != nil {
			return work.Found(err, none(name))
		}
		if err := u.DropConnection(name); errors.Is(err, store.ErrNotFound) {
			return work.Wrong("/name", "in-use", "replies are awaited from %s; delete it once they are there", name)
		} else if err != nil {
			return err
		}
		u.Record("delete-connection", 0, 0, map[string]any{"connection": name})
		return nil
	})
}

var named = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)

// nameFrom makes a name of a title.
func nameFrom(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	return strings.TrimRight(name[:min(len(name), 64)], "-")
}

func (s *Service) problems(in api.NewConnection) problem.List {
	wrong := append(problem.Line("/title", "title", in.Title), in.Problems()...)
	switch n := utf8.RuneCountInString(strings.TrimSpace(in.Title)); {
	case n == 0:
		wrong.Add("/title", "required", "the title is missing: what people call it")
	case n > mostTitle:
		wrong.Add("/title", "length", "the title has %d characters; it has 80 at most", n)
	}
	wrong = append(wrong, s.asking.Secrets().SecretProblems("/secret_value", in.SecretValue)...)
	if in.Secret != "" && in.SecretValue != "" {
		wrong.Add("/secret_value", "twice", "the secret is given, and said to be kept as %.100s; do one of the two", in.Secret)
	}
	if err := s.asking.Check(in.Address); err != nil {
		wrong.Add("/address", "address", "%s", err.Error())
	}
	return wrong
}

// modelProblems adds which models are not registered, and which departments there are none.
func modelProblems(r store.Reader, c endpoint.Spec, wrong problem.List) (problem.List, error) {
	terms, err := r.Terms()
	if err != nil {
		return nil, err
	}
	is := func(facet, name string) bool {
		return slices.ContainsFunc(terms, func(t store.Term) bool { return t.Facet == facet && t.Name == name })
	}
	for i, m := range c.Models {
		if !is(register.Model, m) {
			wrong.Add(problem.Pointer("models", i), "unknown", "there is no model %.80q in the register; register it first", m)
		}
	}
	for _, facet := range slices.Sorted(maps.Keys(c.Labels)) {
		if len(c.Labels[facet]) == 0 {
			wrong.Add(problem.Pointer("labels", facet), "required", "say which terms of %.80q are meant, or leave the facet out", facet)
		}
		for i, term := range c.Labels[facet] {
			if !is(facet, term) {
				wrong.Add(problem.Pointer("labels", facet, i), "unknown", "there is no label %.80s: %.80s", facet, term)
			}
		}
	}
	for i, d := range c.Departments {
		if !is("department", d) {
			wrong.Add(problem.Pointer("departments", i), "unknown", "there is no department %.80q", d)
		}
	}
	return wrong, nil
}

// Try asks a model of a connection, and shows what was sent and what came back.
func (s *Service) Try(ctx context.Context, by work.Caller, name string, in api.ConnectionTrial) (api.ConnectionTried, error) {
	var out api.ConnectionTried
	if err := by.MustCurate("try connections"); err != nil {
		return out, err
	}
	wrong := append(problem.Line("/model", "model", in.Model), problem.Text("/text", in.Text)...)
	if in.Model == "" {
		wrong.Add("/model", "required", "say which model is asked")
	}
	if utf8.RuneCountInString(in.Text) > mostAsked {
		wrong.Add("/text", "length", "the text has more than 10,000 characters; a greeting is enough")
	}
	if err := wrong.Err(); err != nil {
		return out, err
	}
	c, err := work.Ask(ctx, s.db, func(v work.View) (store.Connection, error) {
		c, err := v.Connection(name)
		return c, work.Found(err, none(name))
	})
	if err != nil {
		return out, err
	}
	text := in.Text
	if text == "" {
		text = "Good morning. Answer in one sentence."
	}
	x, err := s.asking.Probe(ctx, c, endpoint.Request{Model: in.Model, Messages: []endpoint.ModelMessage{{Role: endpoint.User, Text: text}}})
	out.Sent, out.Reply, out.MS = httpText(x.Sent), x.Reply, int(x.Whole.Milliseconds())
	if x.Came != nil {
		came := httpText(*x.Came)
		out.Came = &came
	}
	var failed *models.Failure
	if errors.As(err, &failed) {
		out.Problem, err = failed.Message, nil
	}
	return out, err
}

func httpText(t models.Text) api.HTTPText {
	return api.HTTPText{Line: t.Line, Headers: append([]string{}, t.Headers...), Body: t.Body}
}

// Models gives which models can be asked: those that a connection serves and the register
// allows.
func (s *Service) Models(ctx context.Context) (api.AskableModels, error) {
	return work.See(ctx, s.db, func(v work.View) (api.AskableModels, error) {
		out := api.AskableModels{Items: []api.AskableModel{}}
		budget, err := v.RegisterBudget()
		if err != nil {
			return out, err
		}
		out.Currency = budget.Currency
		all, err := v.Connections()
		if err != nil {
			return out, err
		}
		registered, err := v.Registered()
		if err != nil {
			return out, err
		}
		for _, m := range registered {
			d := m.Details.V
			served := slices.ContainsFunc(all, func(c store.Connection) bool { return slices.Contains(c.Details.V.Models, m.Name) })
			if m.Facet != register.Model || !served || d.Status == register.NotToBeUsed || d.Status == register.Gone {
				continue
			}
			out.Items = append(out.Items, api.AskableModel{
				Name: m.Name, Title: m.Title, OnTrial: d.Status == register.OnTrial, TokenLimit: d.TokenLimit, PriceIn: d.PriceIn, PriceOut: d.PriceOut,
			})
		}
		return out, nil
	})
}
