// Package settings has what is set up once for a whole library: what it is called, and
// by which clock it goes.
package settings

import (
	"cmp"
	"context"
	"errors"
	"strings"
	"time"
	_ "time/tzdata" // zones are known on a machine without a list of its own, too
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// mostName is how many characters a library's name has at most.
const mostName = 80

// Library is what is set up, with the number that a change must name.
type Library struct {
	api.LibraryState
	Number int `json:"-"`
}

// Library gives what the library is called, and its zone.
func (s *Service) Library(ctx context.Context) (Library, error) {
	return work.Ask(ctx, s.db, func(v work.View) (Library, error) {
		l, err := v.Library()
		return stateOf(l), err
	})
}

func stateOf(l store.Library) Library {
	return Library{api.LibraryState{
		Library: api.Library{Name: l.Name, Zone: l.Zone, IdleHours: l.IdleHours, SessionDays: l.SessionDays, Keep: kept(l.Keep)}, HeldSince: texts.UTC(l.HeldSince),
	}, l.Number}
}

func kept(k store.Keep) *api.Keep {
	return &api.Keep{Talks: k.Talks, Missed: k.Missed, Uses: k.Uses, News: k.News}
}

// Resume has a library that was restored do again what is due: publish, tell channels, ask
// models. It is for curators, and for whoever keeps the machine.
func (s *Service) Resume(ctx context.Context, by work.Caller) (Library, error) {
	if err := by.MustCurate("have the library do again what is due"); err != nil {
		return Library{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (Library, error) {
		if err := u.Resume(); err != nil {
			return Library{}, work.Found(err, work.MissingF("nothing is held back: the library does what is due"))
		}
		u.Record("resume", 0, 0, nil)
		l, err := u.Library()
		return stateOf(l), err
	})
}

// SetLibrary changes what was read under the number on. It returns an entry.Refusal to
// all but curators, a [problem.List] if it does not hold, and [work.Outdated] if it is
// another by now.
func (s *Service) SetLibrary(ctx context.Context, by work.Caller, on int, req api.Library) (Library, error) {
	if err := by.MustCurate("change the settings of the library"); err != nil {
		return Library{}, err
	}
	if err := problems(req).Err(); err != nil {
		return Library{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (Library, error) {
		now, err := u.Library()
		if err != nil {
			return Library{}, err
		}
		req.IdleHours, req.SessionDays = cmp.Or(req.IdleHours, now.IdleHours), cmp.Or(req.SessionDays, now.SessionDays)
		keep := now.Keep
		if k := req.Keep; k != nil {
			keep = store.Keep{Talks: cmp.Or(k.Talks, keep.Talks), Missed: cmp.Or(k.Missed, keep.Missed), Uses: cmp.Or(k.Uses, keep.Uses), News: cmp.Or(k.News, keep.News)}
		}
		now.Number, err = u.SetLibrary(store.Library{Name: req.Name, Zone: req.Zone, Number: on, IdleHours: req.IdleHours, SessionDays: req.SessionDays, Keep: keep})
		if errors.Is(err, store.ErrChanged) {
			return Library{}, &work.Outdated{What: message.Say("someone else has changed the settings since you read them; read them again, and change them then")}
		}
		u.Record("set-library", 0, 0, map[string]any{"name": req.Name, "zone": req.Zone, "idle_hours": req.IdleHours, "session_days": req.SessionDays, "keep": kept(keep)})
		now.Keep = keep
		now.Name, now.Zone, now.IdleHours, now.SessionDays = req.Name, req.Zone, req.IdleHours, req.SessionDays
		return stateOf(now), err
	})
}

func problems(l api.Library) problem.List {
	found := problem.Line("/name", "the name", l.Name)
	switch {
	case strings.TrimSpace(l.Name) == "":
		found.Add("/name", "missing", "the library's name is missing")
	case utf8.RuneCountInString(l.Name) > mostName:
		found.Add("/name", "size", "the name has %d characters; it has at most %d", utf8.RuneCountInString(l.Name), mostName)
	}
	k := cmp.Or(l.Keep, &api.Keep{})
	for _, f := range []struct {
		name     string
		n, most  int
		whatUnit string
	}{
		{"idle_hours", l.IdleHours, 720, "hours"}, {"session_days", l.SessionDays, 366, "days"},
		{"keep/talks", k.Talks, 3650, "days"}, {"keep/missed_searches", k.Missed, 3650, "days"}, {"keep/uses", k.Uses, 3650, "days"}, {"keep/news", k.News, 3650, "days"},
	} {
		if f.n < 0 || f.n > f.most {
			found.Add("/"+f.name, "range", "%s is %d; it is 1 to %d %s", f.name, f.n, f.most, f.whatUnit)
		}
	}
	if _, err := time.LoadLocation(l.Zone); err != nil || l.Zone == "" || l.Zone == "Local" {
		found.Add("/zone", "zone", "there is no time zone %q; write one as Europe/London, or UTC", l.Zone)
	}
	return found
}
