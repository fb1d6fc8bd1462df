package trials

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/trial"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Limits of trials of all that uses an entry.
const (
	mostUsers       = 200
	mostUserReplies = 20_000
)

// Users gives the published entries that follow another, with the newest trial of each that
// shows what the other's open version would change.
func (s *Service) Users(ctx context.Context, by work.Caller, slug string) (api.UserTrials, error) {
	return work.See(ctx, s.db, func(v work.View) (api.UserTrials, error) { return users(v.Reader, by, slug, "open") })
}

func users(r store.Reader, by work.Caller, slug, version string) (api.UserTrials, error) {
	out := api.UserTrials{Items: []api.UserTrial{}}
	if err := r.Look(by.ID); err != nil {
		return out, err
	}
	e, err := texts.Seen(r, by, slug)
	if err == nil {
		err = mayTry(by)
	}
	if err != nil {
		return out, err
	}
	out.Of.Entry = e.Slug
	switch version {
	case "", "open":
		if texts.MaySeeDrafts(by, e) {
			out.Of.Version = e.Open
		}
	default:
		if _, out.Of.Version, err = texts.ParseRef("/version", e.Slug+"@"+version); err != nil {
			return out, err
		}
	}
	all, err := r.UsersOf(e.Slug, false)
	if err != nil {
		return out, err
	}
	tried, err := r.Trials(store.Wanted{About: e.ID, Most: mostListed}, by.Sight())
	if err != nil {
		return out, err
	}
	all = slices.DeleteFunc(all, func(u store.User) bool { return !u.Follows })
	all = all[:min(len(all), mostUsers)]
	slugs := make([]string, len(all))
	for i, u := range all {
		slugs[i] = u.Slug
	}
	beds, err := r.BedSizes(slugs)
	if err != nil {
		return out, err
	}
	for _, u := range all {
		if b, there := beds[u.Slug]; there {
			out.Items = append(out.Items, userTrial(u, b, out.Of, tried))
		}
	}
	return out, nil
}

func userTrial(u store.User, b store.BedSize, of fill.Ref, tried []store.Trial) api.UserTrial {
	out := api.UserTrial{Slug: u.Slug, Title: u.Title, Fills: b.Fills}
	switch {
	case b.Kind == string(entry.Relay):
		out.Why = message.Say("it is a relay; what its steps use is tried instead")
	case b.Fills == 0:
		out.Why = message.Say("its test bed has no fills")
	case b.Expectations == 0:
		out.Why = message.Say("its test bed expects nothing of replies")
	}
	for _, t := range tried {
		if t.EntryID == b.EntryID && t.About == of.Version {
			it := item(t)
			out.Trial = &it
			break
		}
	}
	return out
}

// plansOf plans a trial of each user of an entry that can be tried: as it is, and with a
// version of the entry in place of the one on the shelf. Its error is a [problem.List] with
// all that is wrong with any.
func (s *Service) plansOf(ctx context.Context, by work.Caller, slug string, in api.NewUserTrials) (all []planned, err error) {
	of, err := work.See(ctx, s.db, func(v work.View) (api.UserTrials, error) { return users(v.Reader, by, slug, in.Version) })
	if err != nil {
		return nil, err
	}
	var wrong problem.List
	if in.Model == "" {
		wrong.Add("/model", "required", "say which model is asked")
	}
	if of.Of.Version == 0 {
		wrong.Add("/version", "open", "%s has no open version that you may see; name the number of another", of.Of.Entry)
	}
	if err := wrong.Err(); err != nil {
		return nil, err
	}
	with, replies, room := fmt.Sprintf("%s@%d", of.Of.Entry, of.Of.Version), 0, newRoom()
	for _, u := range of.Items {
		if !u.Why.IsZero() {
			continue
		}
		p, err := s.planIn(ctx, by, u.Slug, api.NewTrial{
			Title: "With " + with, Times: in.Times, Matters: in.Matters,
			SetUps: []trial.SetUp{{Title: "as it is", Model: in.Model}, {Title: "with " + with, Model: in.Model, With: with}},
		}, room)
		var list problem.List
		if errors.As(err, &list) {
			for _, l := range list {
				wrong.Add("", l.Code, "%s: %s", u.Slug, l.Message)
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		all = append(all, p)
		if replies += p.plan.Replies(); replies > mostUserReplies {
			return nil, work.Wrong("/times", "many", "that is more than 20,000 replies in all; ask each fewer times")
		}
	}
	if wrong == nil && len(all) == 0 {
		wrong.Add("", "none", "no entry that uses %s has a test bed with fills and expectations; give one to those that matter most", of.Of.Entry)
	}
	return all, told(wrong)
}

// EstimateUsers says what trials of all users of an entry would take, or what is wrong.
func (s *Service) EstimateUsers(ctx context.Context, by work.Caller, slug string, in api.NewUserTrials) (api.UserTrialsEstimate, error) {
	all, err := s.plansOf(ctx, by, slug, in)
	if err != nil {
		return api.UserTrialsEstimate{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.UserTrialsEstimate, error) {
		out := api.UserTrialsEstimate{Trials: len(all)}
		cost, known := 0.0, true
		for _, p := range all {
			if _, err := served(v.Reader, &p); err != nil {
				return out, err
			}
			e, err := estimate(v.Reader, p)
			if err != nil {
				return out, err
			}
			out.Replies, out.Judged, out.Currency = out.Replies+e.Replies, out.Judged+e.Judged, e.Currency
			out.TokensIn, out.TokensOut = out.TokensIn+e.TokensIn, out.TokensOut+e.TokensOut
			if known = known && e.Cost != nil; known {
				cost += *e.Cost
			}
		}
		if known {
			out.Cost = &cost
		}
		return out, nil
	})
}

// StartUsers begins a trial of every user of an entry that can be tried, all or none of them.
func (s *Service) StartUsers(ctx context.Context, by work.Caller, slug string, in api.NewUserTrials) (api.UserTrials, error) {
	all, err := s.plansOf(ctx, by, slug, in)
	if err != nil {
		return api.UserTrials{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.UserTrials, error) {
		if err := u.Look(by.ID); err != nil {
			return api.UserTrials{}, err
		}
		for _, p := range all {
			if _, err := s.add(u, by, p); err != nil {
				return api.UserTrials{}, err
			}
		}
		if err := s.asking.Asked(u, by.ID); err != nil {
			return api.UserTrials{}, err
		}
		return users(u.Reader, by, slug, in.Version)
	})
}
