// Package relays runs relays: each step is asked once the steps are done whose replies it
// takes. A run is its person's alone.
package relays

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/relay"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const mostListed = 100

// Service is what can be done with relays.
type Service struct {
	db     *work.DB
	texts  *texts.Texts
	asking *asking.Asking
}

// New gives the relays of a library.
func New(db *work.DB, t *texts.Texts, a *asking.Asking) *Service { return &Service{db, t, a} }

func newID() string { return uuid.Must(uuid.NewV7()).String() }

// Form says what a relay asks for, and how it would run. Its error is a [problem.List] with
// all that keeps it from that.
func (s *Service) Form(ctx context.Context, by work.Caller, ref string, open bool) (api.RunForm, error) {
	p, err := s.texts.AskRelay(ctx, by, ref, open)
	if err != nil {
		return api.RunForm{}, err
	}
	out := api.RunForm{Ref: p.Of, Title: p.Content.Title, Blanks: append([]fill.Blank{}, p.Relay.Blanks()...), Steps: layout(p.Relay)}
	for i := range out.Steps {
		out.Steps[i].Title = p.Steps[i].By[p.Steps[i].Of].Title
	}
	return out, nil
}

// layout gives steps as they stand among each other.
func layout(r *relay.Relay) []api.RunLayout {
	out := make([]api.RunLayout, len(r.Steps))
	for i, s := range r.Steps {
		out[i] = api.RunLayout{Step: s, Takes: append([]string{}, relay.Needs(s)...)}
	}
	for n, wave := range r.Waves {
		for _, i := range wave {
			out[i].Wave = n
		}
	}
	return out
}

// Start begins a run. Its error is a [problem.List] with all that is missing or does not fit,
// of any step: before anything is asked.
func (s *Service) Start(ctx context.Context, by work.Caller, in api.NewRun) (api.Run, error) {
	p, err := s.planOf(ctx, by, in)
	if err != nil {
		return api.Run{}, err
	}
	id := newID()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Run, error) {
		if err := u.Look(by.ID); err != nil {
			return api.Run{}, err
		}
		run := store.Run{ID: id, Person: by.ID, EntryID: p.Entry.ID, Version: p.Of.Version}
		run.Plan.V = p.plan
		if err := u.AddRun(run); err != nil {
			return api.Run{}, err
		}
		if err := s.ask(u, by.ID, id, p.Entry, p.first); err != nil {
			return api.Run{}, err
		}
		return shown(u.Reader, by, id)
	})
}

// see reads what is the caller's alone.
func see[T any](ctx context.Context, s *Service, by work.Caller, do func(work.View) (T, error)) (T, error) {
	return work.See(ctx, s.db, func(v work.View) (T, error) {
		if err := v.Look(by.ID); err != nil {
			var none T
			return none, err
		}
		return do(v)
	})
}

// Run gives one of the caller's runs, or a [work.Missing].
func (s *Service) Run(ctx context.Context, by work.Caller, id string) (api.Run, error) {
	return see(ctx, s, by, func(v work.View) (api.Run, error) { return shown(v.Reader, by, id) })
}

// Runs gives the caller's runs, the last begun first, of one relay or of all.
func (s *Service) Runs(ctx context.Context, by work.Caller, slug string) (api.Runs, error) {
	return see(ctx, s, by, func(v work.View) (api.Runs, error) {
		out := api.Runs{Items: []api.RunItem{}}
		all, err := v.Runs(by.ID, slug, mostListed)
		if err != nil {
			return out, err
		}
		for _, r := range all {
			steps, err := v.RunSteps(r.ID)
			if err != nil {
				return out, err
			}
			out.Items = append(out.Items, api.RunItem{ID: r.ID, Ref: fill.Ref{Entry: r.Slug, Version: r.Version}, Title: r.Title, State: state(steps), Kept: r.Kept, At: r.At.UTC()})
		}
		return out, nil
	})
}

// state is what has become of a run whose steps are so.
func state(steps []store.RunStep) string {
	has := func(state string) bool {
		return slices.ContainsFunc(steps, func(s store.RunStep) bool { return s.State == state })
	}
	switch {
	case has(store.StepAsked):
		return "running"
	case has(store.StepFailed):
		return "failed"
	case has(store.StepStopped):
		return "stopped"
	case has(store.StepWaiting):
		return "running" // and what comes next is about to be asked
	}
	return "done"
}

// changed does something to a run of the caller's.
func (s *Service) changed(ctx context.Context, by work.Caller, id string, do func(*work.Unit, store.Run, []store.RunStep) error) (api.Run, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Run, error) {
		run, err := access.OwnRun(u.Reader, by, id)
		if err != nil {
			return api.Run{}, err
		}
		if err := u.ChangeRun(id, run.Number); err != nil {
			return api.Run{}, work.Found(err, movedOn())
		}
		steps, err := u.RunSteps(id)
		if err != nil {
			return api.Run{}, err
		}
		if err := do(u, run, steps); err != nil {
			return api.Run{}, err
		}
		return shown(u.Reader, by, id)
	})
}

// movedOn is what somebody is told who changes a run that changes in the same moment.
func movedOn() error {
	return &work.Outdated{What: message.Say("the run went on in that moment; look at it again")}
}

// Stop has a run ask for nothing more. What has come stays.
func (s *Service) Stop(ctx context.Context, by work.Caller, id string) (api.Run, error) {
	return s.changed(ctx, by, id, func(u *work.Unit, run store.Run, steps []store.RunStep) error {
		replies, err := u.RunReplies(id)
		if err != nil {
			return err
		}
		for _, r := range replies {
			if !r.Ended() {
				if err := s.asking.Stop(u, r.ID); err != nil {
					return err
				}
			}
		}
		for _, step := range steps {
			if step.State == store.StepAsked || step.State == store.StepWaiting {
				step.State = store.StepStopped
				if err := u.SetRunStep(id, step); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Keep says whether a run is kept for longer than 90 days.
func (s *Service) Keep(ctx context.Context, by work.Caller, id string, kept bool) (api.Run, error) {
	return s.changed(ctx, by, id, func(u *work.Unit, _ store.Run, _ []store.RunStep) error { return u.KeepRun(id, kept) })
}

// Delete deletes a run for good. What is still awaited in it is stopped.
func (s *Service) Delete(ctx context.Context, by work.Caller, id string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if _, err := access.OwnRun(u.Reader, by, id); err != nil {
			return err
		}
		replies, err := u.RunReplies(id)
		if err != nil {
			return err
		}
		// What has come of those that are awaited is counted before it goes.
		for _, r := range replies {
			if r.Ended() {
				continue
			}
			if err := s.asking.Stop(u, r.ID); err != nil {
				return err
			}
		}
		return u.DropRun(id)
	})
}

// Again runs a step again that nothing is awaited of, and if so wished all that take its reply.
// The replies of earlier steps stay as they are.
func (s *Service) Again(ctx context.Context, by work.Caller, id, name string, in api.Again) (api.Run, error) {
	before, err := see(ctx, s, by, func(v work.View) (progress, error) {
		if _, err := access.OwnRun(v.Reader, by, id); err != nil {
			return progress{}, err
		}
		return progressOf(v.Reader, id)
	})
	if err != nil {
		return api.Run{}, err
	}
	step := slices.IndexFunc(before.run.Plan.V.Steps, func(st entry.Step) bool { return st.Name == name })
	if step < 0 {
		return api.Run{}, work.MissingF("the run has no step %.60q", name)
	}
	for _, need := range before.needs(step) {
		if s := before.steps[need]; s.State != store.StepDone {
			return api.Run{}, work.Wrong("", "early", "%s takes the reply of %s, which is not done; run that first", name, before.run.Plan.V.Steps[need].Name)
		}
	}
	again := []int{step}
	if in.On {
		again = append(again, relay.After(before.run.Plan.V.Steps, step)...)
	}
	for _, i := range append([]int{step}, relay.After(before.run.Plan.V.Steps, step)...) {
		if before.steps[i].State == store.StepAsked {
			return api.Run{}, work.Wrong("", "running", "%s is being asked; stop the run, or wait for it", before.run.Plan.V.Steps[i].Name)
		}
	}
	asks, err := s.compose(ctx, by, before, step)
	if err != nil {
		return api.Run{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Run, error) {
		if err := u.Look(by.ID); err != nil {
			return api.Run{}, err
		}
		if err := u.ChangeRun(id, before.run.Number); err != nil {
			return api.Run{}, work.Found(err, movedOn())
		}
		for _, i := range again[1:] {
			next := before.steps[i]
			next.State, next.Problem = store.StepWaiting, store.Said{}
			if err := u.SetRunStep(id, next); err != nil {
				return api.Run{}, err
			}
		}
		e, err := u.EntryBySlug(before.run.Slug)
		if err != nil {
			return api.Run{}, err
		}
		if err := s.ask(u, by.ID, id, e, []stepAsks{asks}); err != nil {
			return api.Run{}, err
		}
		return shown(u.Reader, by, id)
	})
}

// File gives one of the caller's runs as a file, as "md" or "json", with its replies or
// without, and what it may be called.
func (s *Service) File(ctx context.Context, by work.Caller, id, as string, replies bool) (name string, data []byte, err error) {
	run, err := s.Run(ctx, by, id)
	if err != nil {
		return "", nil, err
	}
	f := relay.File{Relay: fmt.Sprintf("%s@%d", run.Ref.Entry, run.Ref.Version), Values: run.Values, Model: run.Model, Seed: run.Seed}
	for _, step := range run.Steps {
		if replies && step.State == store.StepDone {
			f.Steps = append(f.Steps, relay.FileStep{Name: step.Name, Use: step.Use, Model: cmp.Or(step.Model, run.Model), Reply: step.Text})
		}
	}
	switch as {
	case "md":
		data, err = f.Markdown()
	case "json":
		data, err = f.JSON()
	default:
		return "", nil, work.Wrong("", "format", "a run is saved as md or json, not as %.40q", as)
	}
	return "run-of-" + run.Ref.Entry + "." + as, data, err
}

// ReadFile reads what a run was given from a file that [Service.File] made: so that it is run
// again.
func (s *Service) ReadFile(data []byte) (api.NewRun, error) {
	f, err := relay.ReadFile(data)
	return api.NewRun{Ref: f.Relay, Values: f.Values, Model: f.Model, Seed: f.Seed}, err
}
