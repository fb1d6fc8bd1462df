package trials

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/trial"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// planned is a trial that could begin.
type planned struct {
	entry   store.Entry
	relay   bool // runs of it bring the replies
	title   string
	private bool
	plan    trial.Design
	again   string       // the trial that it runs again, or none
	with    fill.Ref     // another entry's version that it tries, or none
	cells   []store.Cell // by set-up and fill, without connections
	room    *room
}

// room is how many bytes of what is sent may still be planned, each cell's once: of one trial, or
// of all that are begun together.
type room int

func newRoom() *room {
	r := room(mostSent)
	return &r
}

// take returns an error where there is no room for so many bytes more.
func (r *room) take(bytes int) error {
	if *r -= room(bytes); *r < 0 {
		return work.Wrong("", "size", "the texts of all cells have more than 64 MiB; take fewer fills or set-ups, or shorter values")
	}
	return nil
}

// planOf reads what is asked for, and composes what each model would be sent.
func (s *Service) planOf(ctx context.Context, by work.Caller, slug string, in api.NewTrial) (planned, error) {
	return s.planIn(ctx, by, slug, in, newRoom())
}

// planIn is planOf where others are planned too.
func (s *Service) planIn(ctx context.Context, by work.Caller, slug string, in api.NewTrial, r *room) (p planned, err error) {
	if p, err = s.designed(ctx, by, slug, in); err != nil {
		return p, err
	}
	p.room = r
	wrong := append(problem.Line("/title", "title", in.Title), p.plan.Problems()...)
	if utf8.RuneCountInString(in.Title) > mostTitle {
		wrong.Add("/title", "length", "the title has more than 120 characters")
	}
	if err := wrong.Err(); err != nil {
		return p, err
	}
	more, err := work.See(ctx, s.db, func(v work.View) (problem.List, error) { return named(v.Reader, p.plan.Expectations) })
	if err != nil {
		return p, err
	}
	wrong = append(wrong, more...)
	return p, s.composeAll(ctx, by, &p, wrong)
}

// composeAll composes what is sent under every set-up. Its error is a [problem.List] with that
// and all that is wrong already.
func (s *Service) composeAll(ctx context.Context, by work.Caller, p *planned, wrong problem.List) error {
	used := map[string]bool{} // blanks that a set-up has
	for i := range p.plan.SetUps {
		blanks, err := s.composeOne(ctx, by, p, i)
		if list, ok := err.(problem.List); ok {
			wrong = append(wrong, list...)
			continue
		}
		if err != nil {
			return err
		}
		for _, b := range blanks {
			used[b.Name] = true
		}
	}
	if wrong == nil {
		for f, one := range p.plan.Fills {
			for name := range one.Values {
				if !used[name] {
					wrong.Add(problem.Pointer("fills", f, "values", name), "unknown", "%s: no set-up has a blank %.80q", one.Name, name)
				}
			}
		}
	}
	return told(wrong)
}

// composeOne composes what is sent under one set-up, and gives what it asks for.
func (s *Service) composeOne(ctx context.Context, by work.Caller, p *planned, i int) ([]fill.Blank, error) {
	if p.relay {
		return s.composeRelay(ctx, by, p, i)
	}
	a, err := s.ask(ctx, by, p.entry.Slug, p.plan.SetUps[i], problem.Pointer("set_ups", i))
	if err != nil {
		return nil, err
	}
	return a.Form.Blanks(), p.compose(i, a)
}

// designed reads what is asked for, before anything is known to be wrong with it.
func (s *Service) designed(ctx context.Context, by work.Caller, slug string, in api.NewTrial) (p planned, err error) {
	var saved api.TestBed
	var earlier store.Trial
	p.entry, err = work.See(ctx, s.db, func(v work.View) (store.Entry, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err == nil && !in.Private {
			err = mayTry(by)
		}
		if err == nil {
			saved, err = bed(v.Reader, by, e)
		}
		if err == nil && in.Again != "" {
			var t access.Trial
			t, err = access.SeeTrial(v.Reader, by, in.Again)
			earlier = t.Trial
		}
		return e, err
	})
	if err != nil {
		return p, err
	}
	p.relay = entry.Kind(p.entry.Kind) == entry.Relay
	p.title, p.private = strings.TrimSpace(in.Title), in.Private
	if in.Again != "" {
		return p, p.runAgain(in, earlier, saved)
	}
	p.plan = trial.Design{Bed: trial.Bed{Fills: in.Fills, Expectations: in.Expectations}, SetUps: in.SetUps, Times: in.Times, Matters: in.Matters, Seed: in.Seed}
	if in.Fills == nil {
		p.plan.Fills = saved.Fills
	}
	if in.Expectations == nil && !in.Private {
		p.plan.Expectations = saved.Expectations
	}
	if in.Fills == nil && in.Expectations == nil && !in.Private {
		p.plan.OfBed = saved.Number
	}
	p.plan = p.plan.WithDefaults()
	return p, nil
}

// told says each problem once, and of very many how many there are.
func told(wrong problem.List) error {
	seen, all := map[problem.Problem]bool{}, problem.List(nil)
	for _, w := range wrong {
		if !seen[w] {
			seen[w], all = true, append(all, w)
		}
	}
	if rest := len(all) - mostTold; rest > 0 {
		all = all[:mostTold]
		all.Add("", "more", "and %d problems more", rest)
	}
	return all.Err()
}

// compose fills in what is sent for every fill under a set-up. Its error is a [problem.List]
// with what does not fit, by fill.
func (p *planned) compose(i int, a texts.Asked) error {
	set := &p.plan.SetUps[i]
	set.Number, set.Text = a.Of.Version, string(a.Text)
	if a.With.Entry != "" {
		p.with, set.With = a.With, fmt.Sprintf("%s@%d", a.With.Entry, a.With.Version)
	}
	var wrong problem.List
	for f, one := range p.plan.Fills {
		messages, refs, err := a.Sent(a.Own(one.Values))
		if list, ok := err.(problem.List); ok {
			for _, l := range list {
				l.Field, l.Message = problem.Pointer("fills", f)+l.Field, message.Say("%s: %s", one.Name, l.Message)
				wrong = append(wrong, l)
			}
			continue
		}
		if err != nil {
			return err
		}
		for _, m := range messages {
			if err := p.room.take(len(m.Text)); err != nil {
				return err
			}
		}
		cell := store.Cell{Fill: f, SetUp: i, Sent: store.Sent{Messages: messages, Settings: set.Settings}, Used: refs, Model: set.Model, Title: set.Title}
		if set.Settings.Seed == nil {
			cell.Seed = &p.plan.Seed
		}
		p.cells = append(p.cells, cell)
	}
	return wrong.Err()
}

// ask composes what a set-up is of. What is wrong is at a field of the request.
func (s *Service) ask(ctx context.Context, by work.Caller, slug string, set trial.SetUp, at string) (texts.Asked, error) {
	q := texts.Question{Slug: slug, With: set.With, Stack: texts.Stack{Persona: set.Persona, Style: set.Style, Sheets: set.Sheets, For: set.For}}
	switch set.Version {
	case "shelf":
	case "open":
		q.Open = true
	default:
		var err error
		if q.Number, err = numberOf(slug, set.Version, at+"/version"); err != nil {
			return texts.Asked{}, err
		}
	}
	a, err := s.texts.Ask(ctx, by, q)
	if set.With != "" {
		return a, atSetUp(err, at, "/with")
	}
	return a, atSetUp(err, at, "/version")
}

// numberOf reads the number of a version that is neither on the shelf nor open by its word.
func numberOf(slug, version, at string) (int, error) {
	_, number, err := texts.ParseRef(at, slug+"@"+version)
	if err != nil {
		return 0, work.Wrong(at, "version", "%.40q is no version; it is shelf, open or a number", version)
	}
	return number, nil
}

// atSetUp has an error say at which set-up something is wrong, and what is not there at one of
// its fields.
func atSetUp(err error, at, field string) error {
	var missing *work.Missing
	var gone *texts.Gone
	if list, ok := err.(problem.List); ok {
		for i := range list {
			list[i].Field = at + list[i].Field
		}
	} else if errors.As(err, &missing) || errors.As(err, &gone) {
		return work.Wrong(at+field, "missing", "%s", err.Error())
	}
	return err
}

// Estimate says what a trial would take, or what is wrong with it.
func (s *Service) Estimate(ctx context.Context, by work.Caller, slug string, in api.NewTrial) (api.TrialEstimate, error) {
	p, err := s.planOf(ctx, by, slug, in)
	if err != nil {
		return api.TrialEstimate{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.TrialEstimate, error) {
		if _, err := served(v.Reader, &p); err != nil {
			return api.TrialEstimate{}, err
		}
		return estimate(v.Reader, p)
	})
}

// served finds the connection of every cell, and says for which there is none.
func served(r store.Reader, p *planned) (*asking.Places, error) {
	places, err := asking.PlacesOf(r)
	if err != nil {
		return nil, err
	}
	var wrong problem.List
	for i := range p.cells {
		c := &p.cells[i]
		if c.Run != nil {
			continue // each step finds its own
		}
		at, err := places.Serving(asking.Sending{Model: c.Model, Messages: c.Sent.Messages, About: []store.Entry{p.entry}, Used: c.Used}, problem.Pointer("set_ups", c.SetUp, "model"))
		if list, ok := err.(problem.List); ok {
			for _, l := range list {
				if !slices.Contains(wrong, l) && len(wrong) < mostTold {
					wrong = append(wrong, l)
				}
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		c.Connection = at.ID
	}
	for i, e := range p.plan.Expectations {
		if e.Kind == trial.ByPrompt && e.Model != "" {
			_, err := places.Model(e.Model, problem.Pointer("expectations", i, "model"))
			if list, ok := err.(problem.List); ok {
				wrong = append(wrong, list...)
			} else if err != nil {
				return nil, err
			}
		}
	}
	return places, wrong.Err()
}

func estimate(r store.Reader, p planned) (api.TrialEstimate, error) {
	budget, err := r.RegisterBudget()
	if err != nil {
		return api.TrialEstimate{}, err
	}
	out := api.TrialEstimate{Replies: p.plan.Replies(), Currency: budget.Currency}
	places, err := asking.PlacesOf(r)
	if err != nil {
		return out, err
	}
	usual, err := r.UsualTokens(p.entry.ID)
	if err != nil {
		return out, err
	}
	if p.relay {
		return p.estimateRelay(out, places)
	}
	cost, known := 0.0, true
	for _, c := range p.cells {
		in, reply := 0, usualTokens
		if n := usual[c.Model]; n > 0 {
			reply = n
		}
		if most := c.Sent.Settings.MaxTokens; most > 0 {
			reply = min(reply, most)
		}
		for _, m := range c.Sent.Messages {
			in += check.Tokens(m.Text)
		}
		out.TokensIn += in * p.plan.Times
		out.TokensOut += reply * p.plan.Times
		d, err := places.Model(c.Model, "")
		if err != nil {
			return out, err
		}
		if d.PriceIn == nil || d.PriceOut == nil {
			known = false
			continue
		}
		cost += (*d.PriceIn*float64(in) + *d.PriceOut*float64(reply)) * float64(p.plan.Times) / 1e6
	}
	for _, e := range p.plan.Expectations {
		if e.Kind == trial.ByPrompt {
			out.Judged += out.Replies
		}
	}
	if known {
		out.Cost = &cost
	}
	return out, nil
}
