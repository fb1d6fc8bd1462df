package asking

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"goldshelf/core/check"
	"goldshelf/core/endpoint"
	"goldshelf/core/problem"
	"goldshelf/core/register"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const mostSent = 2 << 20 // bytes of all messages

// Places are where models are asked, as a unit sees them.
type Places struct {
	r           store.Reader
	connections []store.Connection
	models      map[string]register.Details
}

// PlacesOf reads them.
func PlacesOf(r store.Reader) (*Places, error) {
	all, err := r.Connections()
	return &Places{r, all, map[string]register.Details{}}, err
}

// Model gives what is registered of a model, if it may be asked. What is wrong is at a field
// of the request.
func (p *Places) Model(model, at string) (register.Details, error) {
	d, known := p.models[model]
	if !known {
		var err error
		d, err = p.r.ModelDetails(model)
		if errors.Is(err, store.ErrNotFound) {
			return d, work.Wrong(at, "unknown", "there is no model %.80q; goldshelf models lists those that can be asked", model)
		}
		if err != nil {
			return d, err
		}
		p.models[model] = d
	}
	if d.Status == register.NotToBeUsed || d.Status == register.Gone {
		return d, work.Wrong(at, "not-allowed", "%s is %s; ask another model", model, d.Status.Words())
	}
	return d, nil
}

// Serving gives the connection that a model is asked through, if the register allows it and
// what is sent about an entry may go there. What is wrong is at a field of the request.
func (p *Places) Serving(model string, about store.Entry, messages []endpoint.ModelMessage, at string) (store.Connection, error) {
	var none store.Connection
	d, err := p.Model(model, at)
	if err != nil {
		return none, err
	}
	size, tokens := 0, 0
	for _, m := range messages {
		size += len(m.Text)
		tokens += check.Tokens(m.Text)
	}
	if size > mostSent {
		return none, work.Wrong(at, "long", "the text has %d bytes; a model is sent 2 MiB at most", size)
	}
	if most := d.TokenLimit; most > 0 && tokens > most {
		return none, work.Wrong(at, "long", "the text has about %d tokens, and %s takes %d at once", tokens, model, most)
	}
	var refused problem.List
	for _, c := range p.connections {
		if !slices.Contains(c.Details.V.Models, model) {
			continue
		}
		why := withheld(c, about, messages)
		if why == "" {
			return c, nil
		}
		refused.Add(at, "withheld", "%s may not be sent this: %s", c.Title, why)
	}
	if refused == nil {
		refused.Add(at, "no-connection", "no connection serves %s; a curator makes one in the settings", model)
	}
	return none, refused
}

// withheld says why a connection may not be sent something.
func withheld(c store.Connection, about store.Entry, messages []endpoint.ModelMessage) string {
	d := c.Details.V
	if len(d.Departments) > 0 && about.ID != 0 && !slices.Contains(d.Departments, about.Department) {
		return "it is for the entries of " + strings.Join(d.Departments, " and ")
	}
	if !d.NoPersonal {
		return ""
	}
	for _, m := range messages {
		if found := check.Private(m.Text); found != "" {
			return fmt.Sprintf("there is personal data or a secret in it (%.60q)", found)
		}
	}
	return ""
}
