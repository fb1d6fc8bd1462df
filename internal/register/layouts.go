package register

import (
	"context"
	"errors"

	"goldshelf/api"
	"goldshelf/core/layout"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Layouts gives how each application wants a stack delivered, of those that say so.
func (s *Service) Layouts(ctx context.Context) (api.SavedLayouts, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.SavedLayouts, error) {
		out := api.SavedLayouts{Items: []api.SavedLayout{}}
		all, err := v.Layouts()
		for _, l := range all {
			out.Items = append(out.Items, shown(l))
		}
		return out, err
	})
}

// Layout gives an application's, or a [work.Missing].
func (s *Service) Layout(ctx context.Context, application string) (api.SavedLayout, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.SavedLayout, error) {
		l, err := v.Layout(application)
		return shown(l), work.Found(err, noLayout(application))
	})
}

// SetLayout keeps how an application wants a stack delivered, on the layout that was read
// under a number: 0 where there is none yet. It returns an [entry.Refusal] to all but
// curators, a [problem.List] if it does not hold, and [work.Outdated] where another is
// there by now.
func (s *Service) SetLayout(ctx context.Context, by work.Caller, application string, on int, l layout.Layout) (api.SavedLayout, error) {
	if err := by.MustCurate("change layouts"); err != nil {
		return api.SavedLayout{}, err
	}
	if err := l.Problems().Err(); err != nil {
		return api.SavedLayout{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.SavedLayout, error) {
		name, err := texts.Application(u.Reader, application)
		if err != nil || name != application || name == "" {
			return api.SavedLayout{}, work.MissingF("there is no application %.80q in the register; register it first", application)
		}
		err = u.SetLayout(application, l, on+1, by.ID)
		if errors.Is(err, store.ErrNotFound) || err == nil && on < 0 {
			return api.SavedLayout{}, &work.Outdated{What: message.Say("somebody has changed the layout of %s by now; read it, and change that", application)}
		}
		if err != nil {
			return api.SavedLayout{}, err
		}
		u.Record("set-layout", 0, 0, map[string]any{"application": application})
		now, err := u.Layout(application)
		return shown(now), err
	})
}

// DeleteLayout has an application take stacks as they are.
func (s *Service) DeleteLayout(ctx context.Context, by work.Caller, application string) error {
	if err := by.MustCurate("change layouts"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.DropLayout(application); err != nil {
			return work.Found(err, noLayout(application))
		}
		u.Record("delete-layout", 0, 0, map[string]any{"application": application})
		return nil
	})
}

func noLayout(application string) error {
	return work.MissingF("%.80q has no layout: stacks are delivered to it as they are", application)
}

func shown(l store.Layout) api.SavedLayout {
	return api.SavedLayout{
		Application: l.Application, Title: l.Title, Layout: l.Layout.V, Number: l.Number, By: l.By, At: l.At.UTC(),
		Warnings: append([]string{}, l.Layout.V.Warnings()...),
	}
}
