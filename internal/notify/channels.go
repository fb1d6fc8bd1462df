package notify

import (
	"context"
	"math"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/channel"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Channels gives the channels. It returns an entry.Refusal to all but curators.
func (s *Service) Channels(ctx context.Context, by work.Caller) (api.Channels, error) {
	out := api.Channels{Items: []api.Channel{}}
	if err := by.MustCurate("see the channels"); err != nil {
		return out, err
	}
	rows, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Channel, error) { return v.Channels() })
	for _, c := range rows {
		out.Items = append(out.Items, channelOf(c))
	}
	return out, err
}

func channelOf(c store.Channel) api.Channel {
	return api.Channel{
		ID: c.ID, Title: c.Title, URL: c.URL, Actions: append([]string{}, c.Actions.V...), Departments: append([]string{}, c.Departments.V...), Report: c.Report, Language: message.Language(c.Language),
		Active: c.Active, SetBy: c.SetBy, SetAt: c.SetAt.UTC(), Waiting: c.Waiting, GivenUp: c.GivenUp,
	}
}

// AddChannel makes a channel and gives it with its secret, which is shown this once. It
// returns a [problem.List] if what is given does not hold.
func (s *Service) AddChannel(ctx context.Context, by work.Caller, req api.NewChannel) (api.Channel, error) {
	secret, err := channel.NewSecret()
	if err != nil {
		return api.Channel{}, err
	}
	return s.saveChannel(ctx, by, req, "add-channel", func(u *work.Unit, c store.Channel) (_ store.Channel, err error) {
		c.Secret = secret
		c.ID, err = u.AddChannel(c, by.ID)
		return c, err
	})
}

// SetChannel changes a channel, but for its secret.
func (s *Service) SetChannel(ctx context.Context, by work.Caller, id int64, req api.NewChannel) (api.Channel, error) {
	return s.saveChannel(ctx, by, req, "change-channel", func(u *work.Unit, c store.Channel) (store.Channel, error) {
		c.ID = id
		return c, work.Found(u.SetChannel(c), noChannel(id))
	})
}

func noChannel(id int64) error { return work.MissingF("there is no channel %d", id) }

func (s *Service) saveChannel(ctx context.Context, by work.Caller, req api.NewChannel, action entry.Action, save func(*work.Unit, store.Channel) (store.Channel, error)) (api.Channel, error) {
	if err := by.MustCurate("change the channels"); err != nil {
		return api.Channel{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Channel, error) {
		terms, err := u.Terms()
		if err != nil {
			return api.Channel{}, err
		}
		if err := s.channelProblems(req, terms).Err(); err != nil {
			return api.Channel{}, err
		}
		c := store.Channel{Report: req.Report, Language: string(req.Language), Title: req.Title, URL: req.URL, Active: !req.Paused, SetBy: by.FullName, SetAt: u.Now()}
		c.Actions.V, c.Departments.V = req.Actions, req.Departments
		if c, err = save(u, c); err != nil {
			return api.Channel{}, err
		}
		u.Record(action, 0, 0, map[string]any{"channel": c.ID, "title": c.Title})
		u.After(s.queued)
		out := channelOf(c)
		out.Secret = c.Secret
		return out, nil
	})
}

func (s *Service) channelProblems(req api.NewChannel, terms []store.Term) problem.List {
	wrong := append(append(entry.Note("/title", "the title", req.Title, true), problem.Line("/title", "the title", req.Title)...), problem.Text("/url", req.URL)...)
	if err := s.sender.Check(req.URL); err != nil {
		wrong.Add("/url", "address", "%s", err)
	}
	for i, a := range req.Actions {
		if !slices.Contains(entry.ToldToChannels(), a) {
			wrong.Add(problem.Pointer("actions", i), "action", "nobody is told of %q; it is publish, retire, restore, return or take-back", a)
		}
	}
	if !slices.Contains([]string{"", "week", "month"}, req.Report) {
		wrong.Add("/report", "report", "%.20q is no time between reports; it is week or month, or nothing for none", req.Report)
	}
	wrong = append(wrong, problem.Language("/language", req.Language)...)
	for i, d := range req.Departments {
		if d == "" || texts.DepartmentProblems("", d, terms) != nil {
			wrong.Add(problem.Pointer("departments", i), "label", "there is no department %q", d)
		}
	}
	return wrong
}

// DeleteChannel removes a channel with what it was to be told.
func (s *Service) DeleteChannel(ctx context.Context, by work.Caller, id int64) error {
	if err := by.MustCurate("remove a channel"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.DropChannel(id); err != nil {
			return work.Found(err, noChannel(id))
		}
		u.Record("remove-channel", 0, 0, map[string]any{"channel": id})
		return nil
	})
}

// Deliveries gives a page of what a channel was and is to be told, the newest first.
func (s *Service) Deliveries(ctx context.Context, by work.Caller, id int64, cursor string) (api.Deliveries, error) {
	out := api.Deliveries{Items: []api.Delivery{}}
	if err := by.MustCurate("see what a channel was told"); err != nil {
		return out, err
	}
	before, err := work.NumberCursor(cursor, math.MaxInt64)
	if err != nil {
		return out, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.Deliveries, error) {
		all, err := v.Channels()
		if err != nil {
			return out, err
		}
		if !slices.ContainsFunc(all, func(c store.Channel) bool { return c.ID == id }) {
			return out, noChannel(id)
		}
		rows, err := v.Deliveries(id, before, usualLimit+1)
		out.Items = out.Items[:0] // the view may run again
		rows, out.Next = work.PageOf(rows, usualLimit, func(d store.Delivery) int64 { return d.ID })
		for _, d := range rows {
			one := api.Delivery{ID: d.ID, Event: d.EventID, Action: d.Action, Slug: d.Slug, State: d.State, Attempts: d.Attempts, SentAt: texts.UTC(d.SentAt), Status: d.Status, Failed: d.Failed}
			if d.State == "waiting" {
				one.NextAt = texts.UTC(&d.NextAt)
			}
			out.Items = append(out.Items, one)
		}
		return out, err
	})
}

// SendAgain has a channel told of something once more, under the same id, so that it
// can know it as the same.
func (s *Service) SendAgain(ctx context.Context, by work.Caller, channel, id int64) error {
	if err := by.MustCurate("have something sent again"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.SendAgain(channel, id); err != nil {
			return work.Found(err, work.MissingF("channel %d has nothing with the number %d that could be sent again; what waits is sent by itself", channel, id))
		}
		u.Record("send-again", 0, 0, map[string]any{"channel": channel, "delivery": id})
		u.After(s.queued)
		return nil
	})
}
