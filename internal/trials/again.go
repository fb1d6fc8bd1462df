package trials

import (
	"context"
	"errors"
	"maps"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/trial"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// runAgain plans what an earlier trial of the same entry asked for, with texts as they are now.
func (p *planned) runAgain(in api.NewTrial, earlier store.Trial, saved api.TestBed) error {
	if earlier.EntryID != p.entry.ID {
		return work.Wrong("/again", "again", "that is a trial of %s, not of %s", earlier.Slug, p.entry.Slug)
	}
	if in.Fills != nil || in.Expectations != nil || in.SetUps != nil || in.Times != 0 || in.Matters != 0 || in.Seed != 0 || in.Private {
		return work.Wrong("/again", "again", "an earlier trial is run again as it was; give a title at most, or begin another one")
	}
	p.plan, p.again = earlier.Plan.V, earlier.ID
	p.plan.SetUps = slices.Clone(p.plan.SetUps)
	for i := range p.plan.SetUps {
		p.plan.SetUps[i].Text = ""
	}
	if p.plan.OfBed != saved.Number {
		p.plan.OfBed = 0 // the test bed is another by now
	}
	if p.title == "" {
		p.title = earlier.Title
	}
	return nil
}

// before reads the trial that one runs again, if that is still there.
func before(r store.Reader, t store.Trial) (known, bool, error) {
	if t.Again == "" || len(t.Plan.V.Expectations) == 0 {
		return known{}, false, nil
	}
	earlier, err := r.Trial(t.Again)
	if errors.Is(err, store.ErrNotFound) {
		return known{}, false, nil
	}
	if err != nil {
		return known{}, false, err
	}
	k, err := read(r, earlier)
	return k, err == nil && earlier.Plan.V.Size() == t.Plan.V.Size(), err
}

// changeOf says what became of a trial's rates since the one that it runs again, or by another
// entry's version; nothing where it is about neither.
func changeOf(r store.Reader, t store.Trial, now known, f trial.Figures) (trial.Trend, error) {
	if t.Again != "" {
		was, there, err := before(r, t)
		if err != nil || !there {
			return "", err
		}
		return trial.TrendOf(contrasts(was, now)), nil
	}
	if t.AboutID == 0 || len(t.Plan.V.Expectations) == 0 {
		return "", nil
	}
	return t.Plan.V.TrendBy(f), nil
}

func contrasts(was, now known) []trial.Contrast {
	plan := now.t.Plan.V
	return trial.Changes(plan.Size(), was.judgedReplies(), now.judgedReplies(), plan.Matters, now.seed)
}

// changes says what became of each set-up since the trial that one runs again.
func changes(r store.Reader, t store.Trial, now known) (out []api.TrialChange, err error) {
	was, there, err := before(r, t)
	if err != nil || !there {
		return nil, err
	}
	does := trial.EverySays()
	if all := t.Plan.V.Expectations; len(all) == 1 {
		does = all[0].Says()
	}
	rate := func(f trial.Figures, setUp int) float64 {
		i := slices.IndexFunc(f.Rates, func(r trial.PassRate) bool { return r.SetUp == setUp && r.Expectation == trial.Every })
		return f.Rates[i].Value
	}
	f, old := now.figures(), was.figures()
	for i, c := range contrasts(was, now) {
		out = append(out, api.TrialChange{
			SetUp: i, Before: rate(old, i), Now: rate(f, i), Verdict: c.Verdict, Text: c.Since(t.Plan.V.SetUps[i].Title, does),
		})
	}
	return out, nil
}

// offer says what has changed of what a trial was of, or nothing where nothing has.
func (s *Service) offer(ctx context.Context, by work.Caller, t store.Trial) (*api.TrialOffer, error) {
	var had []store.UsedBySetUp
	models, err := work.See(ctx, s.db, func(v work.View) ([]store.Registered, error) {
		if err := v.Look(by.ID); err != nil {
			return nil, err
		}
		var err error
		if had, err = v.UsedInTrial(t.ID); err != nil {
			return nil, err
		}
		return v.ModelsChanged(t.ID)
	})
	if err != nil {
		return nil, err
	}
	var because []message.Text
	add := func(why message.Text) {
		if !slices.ContainsFunc(because, func(t message.Text) bool { return t.String() == why.String() }) {
			because = append(because, why)
		}
	}
	for i, set := range t.Plan.V.SetUps {
		now, err := s.usesNow(ctx, by, t, set)
		var wrong problem.List
		if errors.As(err, &wrong) {
			continue // it cannot be run again, and says so where somebody tries
		}
		if err != nil {
			return nil, err
		}
		for _, used := range had {
			if used.SetUp != i {
				continue
			}
			if is, changed := changedIn(now, used.Ref); changed {
				add(message.Say("%s is version %d by now, and was %d then", is.Entry, is.Version, used.Version))
			}
		}
	}
	for _, m := range models {
		add(message.Say("%s was changed in the register", m.Title))
	}
	if because == nil {
		return nil, nil
	}
	return &api.TrialOffer{Trial: t.ID, Because: because}, nil
}

// usesNow gives all that a set-up uses, as it is now.
func (s *Service) usesNow(ctx context.Context, by work.Caller, t store.Trial, set trial.SetUp) ([]fill.Ref, error) {
	if entry.Kind(t.Kind) == entry.Relay {
		r, err := s.askRelay(ctx, by, t.Slug, set.Version, "")
		return relayUses(r), err
	}
	a, err := s.ask(ctx, by, t.Slug, set, "")
	return slices.Collect(maps.Keys(a.By)), err
}

// changedIn says whether another version of an entry is used than was once, and which.
func changedIn(all []fill.Ref, was fill.Ref) (now fill.Ref, changed bool) {
	if slices.Contains(all, was) {
		return was, false
	}
	for _, ref := range all {
		if ref.Entry == was.Entry && ref.Version > now.Version {
			now = ref
		}
	}
	return now, now.Entry != ""
}
