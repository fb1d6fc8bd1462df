package asking

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"goldshelf/core/check"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
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
	labels      map[int64]map[string][]string // of entries
	entries     map[string]store.Entry        // by slug; the zero Entry for one that is gone
}

// PlacesOf reads them.
func PlacesOf(r store.Reader) (*Places, error) {
	all, err := r.Connections()
	return &Places{r, all, map[string]register.Details{}, map[int64]map[string][]string{}, map[string]store.Entry{}}, err
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

// Sending is what a model is to be sent, and every part of the library that it comes from.
type Sending struct {
	Model    string
	Messages []endpoint.ModelMessage
	About    []store.Entry // entries that it is about
	Used     []fill.Ref    // all that went into it: the stack, its includes, and what went into earlier replies
}

// Serving returns the connection that a model is asked through, if the register allows it and
// every part of what is sent may go there. What is wrong is at a field of the request.
func (p *Places) Serving(s Sending, at string) (store.Connection, error) {
	var none store.Connection
	model, messages := s.Model, s.Messages
	parts, err := p.partsOf(s)
	if err != nil {
		return none, err
	}
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
		why, err := p.withheld(c, parts, messages)
		if err != nil {
			return none, err
		}
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

// part is an entry that something comes from, by the name that it was used by.
type part struct {
	name string
	store.Entry
}

// partsOf returns every entry that something comes from, each once.
func (p *Places) partsOf(s Sending) (all []part, err error) {
	seen := map[int64]bool{}
	for _, e := range s.About {
		if !seen[e.ID] {
			seen[e.ID], all = true, append(all, part{e.Slug, e})
		}
	}
	for _, ref := range s.Used {
		e, known := p.entries[ref.Entry]
		if !known {
			if e, err = p.r.EntryBySlug(ref.Entry); err != nil && !errors.Is(err, store.ErrNotFound) {
				return nil, err
			}
			p.entries[ref.Entry] = e
		}
		if e.ID == 0 || !seen[e.ID] {
			seen[e.ID], all = true, append(all, part{ref.Entry, e})
		}
	}
	return all, nil
}

// withheld says why a connection may not be sent something.
func (p *Places) withheld(c store.Connection, parts []part, messages []endpoint.ModelMessage) (string, error) {
	for _, e := range parts {
		if why, err := p.isNotFor(c.Details.V, e.Entry); err != nil || why != "" {
			if e.name != "" && why != "" {
				why = e.name + " is in it, and " + why
			}
			return why, err
		}
	}
	if !c.Details.V.NoPersonal {
		return "", nil
	}
	for _, m := range messages {
		if found := check.Private(m.Text); found != "" {
			return fmt.Sprintf("there is personal data or a secret in it (%.60q)", found), nil
		}
	}
	return "", nil
}

// isNotFor says why a connection may not be sent what is about an entry. One that is gone is as
// if it had no label.
func (p *Places) isNotFor(d endpoint.Spec, e store.Entry) (string, error) {
	if len(d.Departments) > 0 && !slices.Contains(d.Departments, e.Department) {
		return "it is for the entries of " + strings.Join(d.Departments, " and "), nil
	}
	if len(d.Labels) == 0 {
		return "", nil
	}
	labels, err := p.labelsOf(e.ID)
	if err != nil {
		return "", err
	}
	for _, facet := range slices.Sorted(maps.Keys(d.Labels)) {
		if terms := d.Labels[facet]; !slices.ContainsFunc(terms, func(t string) bool { return slices.Contains(labels[facet], t) }) {
			return fmt.Sprintf("it is for entries whose %s is %s", facet, strings.Join(terms, " or ")), nil
		}
	}
	return "", nil
}

func (p *Places) labelsOf(entry int64) (map[string][]string, error) {
	if labels, known := p.labels[entry]; known {
		return labels, nil
	}
	all, err := p.r.LabelsOf([]int64{entry})
	if err == nil {
		p.labels[entry] = all[entry]
	}
	return all[entry], err
}
