// Package trials asks models for all fills of an entry under several set-ups, and says what
// came of it: test beds, trials, marks and blind preferences.
package trials

import (
	"context"
	"errors"
	"slices"
	"strings"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/trial"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const (
	mostListed = 200
	mostTitle  = 120 // characters
	mostTold   = 50  // problems at once
	mostCSV    = 1 << 20
	mostSent   = 64 << 20 // bytes of all that is sent, each cell's once
	atOnce     = 500      // cells that one statement adds

	// A reply is thought to have so many tokens where none has come yet.
	usualTokens = 300
)

// Service is what can be done with trials.
type Service struct {
	db     *work.DB
	texts  *texts.Texts
	styles *texts.Styles
	asking *asking.Asking
}

// New gives the trials of a library.
func New(db *work.DB, t *texts.Texts, styles *texts.Styles, a *asking.Asking) *Service {
	return &Service{db, t, styles, a}
}

func mayTry(by work.Caller) error {
	if !by.Role.Includes(entry.Contributor) {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("trials are for contributors and above; you are signed in as a %s", by.Role)}
	}
	return nil
}

// Start begins a trial. Its error is a [problem.List] with all that is wrong with it.
func (s *Service) Start(ctx context.Context, by work.Caller, slug string, in api.NewTrial) (api.Trial, error) {
	p, err := s.planOf(ctx, by, slug, in)
	if err != nil {
		return api.Trial{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Trial, error) {
		if err := u.Look(by.ID); err != nil {
			return api.Trial{}, err
		}
		id, err := s.add(u, by, p)
		if err == nil {
			err = s.asking.Asked(u, by.ID)
		}
		if err != nil {
			return api.Trial{}, err
		}
		return s.shown(u.Reader, by, id)
	})
}

// add adds a trial to what is asked, and gives its id.
func (s *Service) add(u *work.Unit, by work.Caller, p planned) (string, error) {
	p.cells = slices.Clone(p.cells) // the unit may run again: what it was given stays as it is
	if _, err := served(u.Reader, &p); err != nil {
		return "", err
	}
	t := store.Trial{ID: newID(), EntryID: p.entry.ID, Title: p.title, StartedBy: by.ID, Private: p.private, Again: p.again, About: p.with.Version}
	if t.Title == "" {
		t.Title = titleOf(p.plan)
	}
	if p.with.Entry != "" {
		other, err := u.EntryBySlug(p.with.Entry)
		if err != nil {
			return "", err
		}
		t.AboutID = other.ID
	}
	t.Plan.V = p.plan
	for _, set := range p.plan.SetUps {
		if !slices.Contains(t.Versions.V, set.Number) {
			t.Versions.V = append(t.Versions.V, set.Number)
		}
	}
	if err := u.AddTrial(t); err != nil {
		return "", err
	}
	for i := range p.cells {
		p.cells[i].IDs = make([]string, p.plan.Times)
		for n := range p.cells[i].IDs {
			p.cells[i].IDs[n] = newID()
		}
	}
	for lot := range slices.Chunk(p.cells, atOnce) {
		if err := u.AddCells(t.ID, lot); err != nil {
			return "", err
		}
	}
	if p.relay {
		if err := u.AddTrialRuns(t.ID); err != nil {
			return "", err
		}
	}
	u.Record("start-trial", p.entry.ID, 0, map[string]any{"trial": t.ID, "title": t.Title, "replies": p.plan.Replies()})
	return t.ID, nil
}

// titleOf names a trial that nobody has named.
func titleOf(p trial.Design) string {
	var all []string
	for _, s := range p.SetUps {
		all = append(all, s.Title)
	}
	title := strings.Join(all, " and ")
	if len(all) > 2 {
		title = strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
	}
	if r := []rune(title); len(r) > mostTitle {
		return string(r[:mostTitle-1]) + "…"
	}
	return title
}

func newID() string { return uuid.Must(uuid.NewV7()).String() }

// changed does something to a trial that the caller began, or to whose entry they look.
func (s *Service) changed(ctx context.Context, by work.Caller, id string, do func(*work.Unit, store.Trial) error) (api.Trial, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Trial, error) {
		t, err := access.ChangeTrial(u.Reader, by, id)
		if err != nil {
			return api.Trial{}, err
		}
		if err := u.LockTrial(id); err != nil {
			return api.Trial{}, err
		}
		if err := do(u, t.Trial); err != nil {
			return api.Trial{}, err
		}
		return s.shown(u.Reader, by, id)
	})
}

// Stop has a trial ask for nothing more. What has come stays.
func (s *Service) Stop(ctx context.Context, by work.Caller, id string) (api.Trial, error) {
	return s.changed(ctx, by, id, func(u *work.Unit, t store.Trial) error {
		ids, err := u.StopTrial(id)
		s.asking.Forget(u, ids...)
		if len(ids) > 0 {
			u.Record("stop-trial", t.EntryID, 0, map[string]any{"trial": id})
		}
		return err
	})
}

// Resume goes on with a trial: what was stopped, or what failed, is asked again.
func (s *Service) Resume(ctx context.Context, by work.Caller, id string, in api.ResumeTrial) (api.Trial, error) {
	return s.changed(ctx, by, id, func(u *work.Unit, t store.Trial) error {
		states := []string{store.ReplyStopped}
		if in.Failed {
			states = []string{store.ReplyFailed}
		}
		ids, err := u.AskAgain(id, states)
		if err != nil || len(ids) == 0 {
			return err
		}
		if err := u.AddTrialRuns(id); err != nil {
			return err
		}
		u.Record("resume-trial", t.EntryID, 0, map[string]any{"trial": id, "replies": len(ids)})
		if err := s.asking.Asked(u, t.StartedBy); err != nil {
			return err
		}
		return errors.Join(u.Look(by.ID), u.DropPasses(id))
	})
}

// Delete deletes a trial with all its replies.
func (s *Service) Delete(ctx context.Context, by work.Caller, id string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		t, err := access.ChangeTrial(u.Reader, by, id)
		if err != nil {
			return err
		}
		awaited, err := u.StopTrial(id)
		if err != nil {
			return err
		}
		s.asking.Forget(u, awaited...)
		u.Record("delete-trial", t.EntryID, 0, map[string]any{"trial": id, "title": t.Title})
		return u.DropTrial(id)
	})
}

// Wanted says which trials are listed.
type Wanted struct {
	Entry  string      // of this one; empty for all
	Change trial.Trend // in which this became of it; empty for all
}

// List gives the trials that the caller may see: of one entry with what ought to be run again.
func (s *Service) List(ctx context.Context, by work.Caller, w Wanted) (api.Trials, error) {
	out := api.Trials{Items: []api.TrialItem{}}
	if !slices.Contains([]trial.Trend{"", trial.Unchanged, trial.Better, trial.Worse, trial.Untold}, w.Change) {
		return out, work.Wrong("/change", "change", "%.40q is no change; it is none, better, worse or too-few", string(w.Change))
	}
	var latest *store.Trial // against the test bed as it is
	_, err := work.See(ctx, s.db, func(v work.View) (struct{}, error) {
		out.Items, latest = out.Items[:0], nil // the view may run again
		if err := v.Look(by.ID); err != nil {
			return struct{}{}, err
		}
		wanted, bed := store.Wanted{Change: string(w.Change), Most: mostListed}, 0
		if w.Entry != "" {
			e, err := texts.Seen(v.Reader, by, w.Entry)
			if err != nil {
				return struct{}{}, err
			}
			b, err := v.TestBed(e.ID)
			if err != nil && !errors.Is(err, store.ErrNotFound) {
				return struct{}{}, err
			}
			wanted.Entry, bed = e.ID, b.Number
		}
		all, err := v.Trials(wanted, by.Sight())
		for _, t := range all {
			out.Items = append(out.Items, item(t))
			if latest == nil && bed > 0 && t.Awaited == 0 && t.Plan.V.OfBed == bed && t.AboutID == 0 && !t.Private {
				latest = &t
			}
		}
		return struct{}{}, err
	})
	if err == nil && latest != nil && mayTry(by) == nil {
		out.Again, err = s.offer(ctx, by, *latest)
	}
	return out, err
}

func item(t store.Trial) api.TrialItem {
	out := api.TrialItem{
		ID: t.ID, Slug: t.Slug, Title: t.Title, SetUps: []string{}, Versions: append([]int{}, t.Versions.V...), Fills: len(t.Plan.V.Fills), Replies: t.Replies,
		Awaited: t.Awaited, Done: t.Done, Failed: t.Failed, Stopped: t.Stopped, By: t.By, At: t.At.UTC(), Private: t.Private, State: "ended",
		Again: t.Again, Change: trial.Trend(t.Change),
	}
	if t.AboutID != 0 {
		out.About = &fill.Ref{Entry: t.AboutSlug, Version: t.About}
	}
	switch {
	case t.Awaited > 0:
		out.State = "running"
	case t.Stopped > 0:
		out.State = "stopped"
	}
	for _, s := range t.Plan.V.SetUps {
		out.SetUps = append(out.SetUps, s.Title)
	}
	return out
}
