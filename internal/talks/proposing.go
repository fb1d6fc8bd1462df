package talks

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/layout"
	"goldshelf/core/message"
	"goldshelf/core/sheet"
	"goldshelf/internal/access"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const mostSamples = 60_000 // bytes of a style's samples that a helper is given

// Propose has a model say how a draft could read, by a prompt that a curator has marked as one
// that helps with that. What the draft is goes into the prompt's blanks of these names: title,
// kind, text, layout (of an application), samples (of a style), questions (of a sheet). Its
// error is a [problem.List] with what else is missing.
func (s *Service) Propose(ctx context.Context, by work.Caller, slug string, in api.NewProposal) (api.Talk, error) {
	var e store.Entry
	var known fill.Values
	_, err := work.See(ctx, s.db, func(v work.View) (struct{}, error) {
		var err error
		if e, known, err = s.known(v, by, slug, in); err != nil {
			return struct{}{}, err
		}
		return struct{}{}, isHelper(v.Reader, in.Helper)
	})
	if err != nil {
		return api.Talk{}, err
	}
	q, err := s.texts.Ask(ctx, by, texts.Question{Slug: in.Helper})
	if err != nil {
		return api.Talk{}, err
	}
	values := fill.Values{}
	for _, b := range q.Form.Blanks() {
		if v, is := known[b.Name]; is && !v.IsEmpty() {
			values[b.Name] = v
		}
	}
	maps.Copy(values, in.Values)
	a := asked{column: api.TryColumn{Model: in.Model}, title: fmt.Sprintf("%s@%d", q.Of.Entry, q.Of.Version), given: values, entry: e}
	if a.messages, a.used, err = q.Sent(values); err != nil {
		return api.Talk{}, err
	}
	id, name := newID(), q.By[q.Of].Title+": "+e.Slug
	return s.ask(ctx, by, func(u *work.Unit) (string, error) {
		if err := u.AddTalk(store.Talk{ID: id, Person: by.ID, EntryID: e.ID, Title: name}); err != nil {
			return "", err
		}
		return id, s.add(u, id, 1, e, in.Settings, []asked{a})
	})
}

// known gives what a draft is, by the names of blanks, to those who may write it.
func (s *Service) known(v work.View, by work.Caller, slug string, in api.NewProposal) (e store.Entry, known fill.Values, err error) {
	if e, err = texts.Seen(v.Reader, by, slug); err != nil {
		return e, nil, err
	}
	if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
		return e, nil, notTheWriter(slug)
	}
	version, err := v.Version(e.ID, max(e.Open, e.Published))
	if err != nil {
		return e, nil, err
	}
	content, err := texts.WithQuestions(v.Reader, version.Content())
	if err != nil {
		return e, nil, err
	}
	known = fill.Values{
		"title": fill.Single(content.Title), "kind": fill.Single(string(content.Kind)), "text": fill.Single(or(in.Text, content.Body)),
	}
	if content.Questions != nil {
		known["questions"] = fill.Single(questionsOf(*content.Questions))
	}
	if in.For != "" {
		l, err := v.Layout(in.For)
		if err != nil {
			return e, nil, work.Found(err, work.Wrong("/for", "layout", "no layout says how %.60q wants a text", in.For))
		}
		known["layout"] = fill.Single(layoutWords(l.Layout.V))
	}
	if content.Kind == entry.Style {
		samples, err := v.SampleBodies([]int64{e.ID})
		if err != nil {
			return e, nil, err
		}
		known["samples"] = fill.Single(joined(samples))
	}
	return e, known, nil
}

func notTheWriter(slug string) error {
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("help with the writing of %s is for those who answer for it", slug)}
}

func isHelper(r store.Reader, slug string) error {
	for _, helps := range []string{store.HelpsEdit, store.HelpsDraft} {
		all, err := r.Helpers(helps)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(all, func(h store.Version) bool { return h.Slug == slug }) {
			return nil
		}
	}
	return work.Wrong("/helper", "unknown", "no curator has marked %.80q as a prompt that helps with the writing", slug)
}

func questionsOf(set sheet.Set) string {
	var b strings.Builder
	for _, q := range set.Questions() {
		blank := q.Blank()
		fmt.Fprintf(&b, "%s: %s (%s", q.Name, blank.Question(), blank.Kind())
		if len(q.Options) > 0 {
			fmt.Fprintf(&b, ": %s", strings.Join(q.Options, ", "))
		}
		b.WriteString(")\n")
	}
	return b.String()
}

// layoutWords says how an application wants a text delivered.
func layoutWords(l layout.Layout) string {
	var b strings.Builder
	fmt.Fprintf(&b, "It is delivered as %s, with headings as %s.\n", l.As, or(string(l.Headings), string(layout.Markdown)))
	for _, box := range l.Boxes {
		name := or(box.Title, or(box.Role, "The text"))
		var takes []string
		for _, t := range box.Takes {
			what := "the " + string(t.Layer)
			if len(t.Parts) > 0 {
				what = strings.Join(t.Parts, ", ") + " of " + what
			}
			takes = append(takes, what)
		}
		fmt.Fprintf(&b, "- %s takes %s", name, strings.Join(takes, ", then "))
		if box.Limit > 0 {
			fmt.Fprintf(&b, "; at most %d characters", box.Limit)
		}
		b.WriteString("\n")
	}
	return b.String()
}

func joined(samples []store.Sample) string {
	var b strings.Builder
	for _, s := range samples {
		if b.Len()+len(s.Body) > mostSamples {
			break
		}
		b.WriteString(strings.TrimSpace(s.Body) + "\n\n")
	}
	return strings.TrimRight(b.String(), "\n")
}

// TakeProposal says that somebody has put a proposal, or a part of it, into the draft that it
// was made for: the draft's history has it then that a model helped.
func (s *Service) TakeProposal(ctx context.Context, by work.Caller, id string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		r, err := access.Reply(u.Reader, by, id)
		if err != nil {
			return err
		}
		t, err := access.OwnConversation(u, by, r.Talk)
		if err != nil {
			return err
		}
		helper, is := entry.ParseRef(r.Title)
		switch {
		case !is || helper.Version == 0 || t.Slug == "":
			return work.Wrong("", "proposal", "that reply is no proposal for a draft")
		case r.State != store.ReplyDone && r.State != store.ReplyStopped:
			return work.Wrong("", "not-done", "that reply is %s; take one that has come", stateWords(r.State))
		}
		e, err := texts.Lock(u, t.Slug)
		if err != nil {
			return err
		}
		if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
			return notTheWriter(e.Slug)
		}
		if e.Open == 0 || entry.State(e.State) != entry.Draft {
			return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%s has no draft that it could go into", e.Slug)}
		}
		u.Record("take-proposal", e.ID, e.Open, map[string]any{"model": r.Model, "helper": r.Title})
		return u.AddHelped(e.ID, e.Open, r.Model, r.Title, by.ID)
	})
}
