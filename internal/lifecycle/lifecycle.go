// Package lifecycle has the use cases that take versions through their life: submitted,
// reviewed, published, renewed, retired; and the policy by which that is done.
package lifecycle

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/voice"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// step runs one action on an entry's open version, or on the one on the shelf where the
// action is on that: it locks the entry, holds the action against the life cycle, runs
// do and records the action. What is decided about a text goes through decide.
func (s *Service) step(ctx context.Context, by work.Caller, slug string, action entry.Action, detail map[string]any, do func(*work.Unit, store.Version) error) (api.Entry, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Entry, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.Entry{}, err
		}
		number := 0
		err = take(u, e, action, detail, func(v store.Version) error {
			number = v.Number
			return do(u, v)
		})
		if err != nil {
			return api.Entry{}, err
		}
		return texts.ReadAgain(u.Reader, by, slug, number)
	})
}

// take holds an action on a locked entry against the life cycle, runs do and records it.
func take(u *work.Unit, e store.Entry, action entry.Action, detail map[string]any, do func(store.Version) error) error {
	v, err := subject(u.Reader, e, action)
	if err != nil {
		return err
	}
	if _, err := entry.Take(action, u.By.Actor(), texts.StatusWith(u.Reader, e, v)); err != nil {
		return err
	}
	if err := do(v); err != nil {
		return err
	}
	u.Record(action, e.ID, v.Number, detail)
	return nil
}

// subject gives the version of an entry that an action is on. Where there is none it has
// the number 0.
func subject(r store.Reader, e store.Entry, action entry.Action) (store.Version, error) {
	number := e.Open
	if action.OnShelf() {
		number = e.Published
	}
	if number == 0 {
		return store.Version{EntryID: e.ID, Slug: e.Slug}, nil
	}
	return r.Version(e.ID, number)
}

// decide is step of what a reviewer decides about the text that they have seen. It
// returns [texts.OtherText] if the version says something else by now.
func (s *Service) decide(ctx context.Context, by work.Caller, slug string, seen entry.Digest, action entry.Action, detail map[string]any, do func(*work.Unit, store.Version) error) (api.Entry, error) {
	return s.step(ctx, by, slug, action, detail, func(u *work.Unit, v store.Version) error {
		if err := texts.MustBeSeen(v, seen); err != nil {
			return err
		}
		detail["text"] = seen
		return do(u, v)
	})
}

// Submit asks for a review of a draft, with a note that says what has changed and why;
// without one, the note that the draft has already. It returns a problem.List if the
// note does not hold, and [texts.Stopped] if checks stop the draft. Settles are the ids of
// reports that the version is to settle once it is published.
func (s *Service) Submit(ctx context.Context, by work.Caller, slug, note string, settles ...int64) (api.Entry, error) {
	detail := map[string]any{}
	return s.step(ctx, by, slug, entry.Submit, detail, func(u *work.Unit, v store.Version) error {
		return submit(u, v, note, settles, detail)
	})
}

func submit(u *work.Unit, v store.Version, note string, settles []int64, detail map[string]any) error {
	told := note
	if told == "" {
		told = v.Note // said before: with the text that came in, or on an earlier submission
	}
	detail["note"] = told
	if err := entry.Note("/note", "the change note", told, true).Err(); err != nil {
		return err
	}
	p, err := texts.Policy(u.Reader)
	if err != nil {
		return err
	}
	if err := texts.Pass(u, p.Policy, v, entry.Submit); err != nil {
		return err
	}
	if err := nameReports(u, v, settles, detail); err != nil {
		return err
	}
	need, err := needOf(u.Reader, p.Review, v)
	if err != nil {
		return err
	}
	if err := tried(u.Reader, need, v); err != nil {
		return err
	}
	asked, err := toAsk(u.Reader, p.Review, need, v)
	if err != nil {
		return err
	}
	if err := share(u, v.EntryID, detail); err != nil {
		return err
	}
	seen := v.Content().Digest()
	detail["text"] = seen
	if err := keepMeasured(u, v); err != nil {
		return err
	}
	return u.SubmitVersion(v.ID, told, u.By.ID, u.Now(), need, asked, seen)
}

// keepMeasured keeps with a version of a style what it is measured from: of each sample its
// name, length and digest, and the figures.
func keepMeasured(u *work.Unit, v store.Version) error {
	if entry.Kind(v.Kind) != entry.Style {
		return nil
	}
	samples, err := u.Samples(v.EntryID)
	if err != nil || len(samples) == 0 {
		return err
	}
	bodies, err := u.SampleBodies([]int64{v.EntryID})
	if err != nil {
		return err
	}
	kept := store.MeasuredFrom{Figures: map[string]float64{}}
	for _, s := range samples {
		kept.Samples = append(kept.Samples, store.MeasuredSample{Name: s.Name, Words: s.Words, Digest: s.Digest, Weight: s.Weight})
	}
	var read []voice.Sample
	for _, b := range bodies {
		read = append(read, voice.Sample{Text: voice.Read(b.Body, v.Language), Weight: b.Weight})
	}
	figures := voice.NewProfile(read, false).Figures
	for i, m := range voice.Measures() {
		if figures.All[i].Known {
			kept.Figures[m.Name] = math.Round(figures.All[i].Value*100) / 100
		}
	}
	return u.SetMeasured(v.ID, kept)
}

// nameReports says which reports a version is to settle.
func nameReports(u *work.Unit, v store.Version, settles []int64, detail map[string]any) error {
	named, err := u.NameReports(v.EntryID, v.Number, append([]int64{}, settles...))
	if err != nil {
		return err
	}
	var wrong problem.List
	for i, id := range settles {
		if !slices.Contains(named, id) {
			wrong.Add(problem.Pointer("settles", i), "missing", "there is no report %d on %s that waits", id, v.Slug)
		}
	}
	if len(named) > 0 {
		detail["settles"] = settles
	}
	return wrong.Err()
}

// share has what was its owner's alone seen by those who review it.
func share(u *work.Unit, entryID int64, detail map[string]any) error {
	was, err := u.Share(entryID)
	if was {
		detail["shared"] = true
	}
	return err
}

// Withdraw takes a version back out of review.
func (s *Service) Withdraw(ctx context.Context, by work.Caller, slug string) (api.Entry, error) {
	return s.step(ctx, by, slug, entry.Withdraw, nil, func(u *work.Unit, v store.Version) error {
		return u.ReopenVersion(v.ID, "")
	})
}

// needOf gives what a version needs to be approved: by every label and department that
// its entry has or has had since it was last published, and never less than what it was
// told to need when it was submitted.
func needOf(r store.Reader, rules entry.Reviewing, v store.Version) (entry.Need, error) {
	labels, err := r.PastLabels(v.EntryID)
	if err != nil {
		return entry.Need{}, err
	}
	departments := append([]string{v.Department}, labels["department"]...)
	for facet, terms := range v.Labels.V {
		labels[facet] = append(labels[facet], terms...)
	}
	need := rules.Need(entry.Kind(v.Kind), departments, labels)
	if entry.State(v.State) == entry.InReview {
		need = need.And(entry.Need{Approvals: v.Needed, From: v.NeededFrom.V})
	}
	return need, nil
}

// tried says whether exactly the text has reached in a trial what it needs to.
func tried(r store.Reader, need entry.Need, v store.Version) error {
	if need.Trial == 0 {
		return nil
	}
	best, err := r.BestPass(v.EntryID, string(v.Content().Digest()))
	if err != nil || best >= need.Trial-1e-9 {
		return err
	}
	stopped := &texts.Stopped{Step: entry.Submit}
	if best < 0 {
		stopped.Problems.Add("", "trial", "the policy asks for a trial of exactly this text against the entry's test bed, and none has ended; begin one: goldshelf trial %s --version open", v.Slug)
	} else {
		stopped.Problems.Add("", "trial", "the policy asks for a trial whose pass rate is %.2f at least, with 95%% certainty; the best of exactly this text reaches %.2f", need.Trial, best)
	}
	return stopped
}

// toAsk gives the reviewers to ask, in turn: those of the departments that an approval
// is needed from, and then those of the entry's own. None stands for all reviewers.
func toAsk(r store.Reader, rules entry.Reviewing, need entry.Need, v store.Version) ([]int64, error) {
	people, err := r.People()
	if err != nil {
		return nil, err
	}
	turn := func(names []string) ([]int64, error) {
		var ids []int64
		for _, name := range names {
			for _, p := range people {
				if p.Name == name && p.Active && entry.Role(p.Role).Includes(entry.Reviewer) && !slices.Contains(v.Writers.V, p.ID) {
					ids = append(ids, p.ID)
				}
			}
		}
		last, err := r.LastAsked(ids)
		return entry.Turn(ids, last), err
	}
	var first []string
	for _, f := range need.From {
		first = append(first, rules.Ask[f.Department]...)
	}
	wanted, err := turn(first)
	if err != nil {
		return nil, err
	}
	own, err := turn(rules.Ask[v.Department])
	return entry.Turn(append(wanted, own...), nil), err
}

// lately is how long back it is told of that somebody's account, role or link was made
// by a writer of what they approve.
const lately = 30 * 24 * time.Hour

// Approve records one reviewer's approval of the text under review that they have seen,
// which is approved once as many have as it needs. It returns an [entry.Refusal] of kind
// entry.ErrOwnWork if the reviewer wrote any of the text, and of kind
// entry.ErrWrongState if it is not in review or they have approved it already, and
// [texts.OtherText] if the text is another by now.
func (s *Service) Approve(ctx context.Context, by work.Caller, slug string, seen entry.Digest, comment string) (api.Entry, error) {
	detail := map[string]any{"comment": comment}
	return s.decide(ctx, by, slug, seen, entry.Approve, detail, func(u *work.Unit, v store.Version) error {
		if err := entry.Note("/comment", "the comment", comment, false).Err(); err != nil {
			return err
		}
		// The database counts the approvals of those who may review now, this one too.
		if now, err := u.PersonByID(by.ID); err != nil || !now.Active || entry.Role(now.Role) != by.Role {
			return cmp.Or(err, work.RoleLost())
		}
		madeBy, err := madeBy(u.Reader, v, by)
		if err != nil {
			return err
		}
		if madeBy != "" {
			detail["made_by"] = madeBy
		}
		if err := u.AddApproval(v.ID, store.Approval{ID: by.ID, Comment: comment, At: u.Now(), Seen: string(seen), MadeBy: madeBy}); err != nil {
			return err
		}
		p, err := texts.Policy(u.Reader)
		if err != nil {
			return err
		}
		given := []entry.Approver{{ID: by.ID, Role: by.Role, Department: by.Department}}
		given = append(given, texts.Approvers(v)...)
		need, err := needOf(u.Reader, p.Review, v)
		if err != nil {
			return err
		}
		if more, _ := need.Wanting(given); more > 0 {
			need.Approvals = len(given) + more
			return u.SetNeed(v.ID, need)
		}
		return u.ApproveVersion(v.ID)
	})
}

// stillApproved returns an [entry.Refusal] of kind entry.ErrWrongState if too few of those who
// approved a version may still review.
func stillApproved(v store.Version) error {
	need := entry.Need{Approvals: v.Needed, From: v.NeededFrom.V}
	if more, _ := need.Wanting(texts.Approvers(v)); more > 0 {
		return &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%s needs %s more: somebody who approved it has left or may no longer review. Return it, and have it reviewed again",
			v.Slug, message.Counted(more, "approval", "approvals"))}
	}
	return nil
}

// madeBy says in words which of a version's writers had lately made its approver's
// account, given them their role or a link to set their password with; or nothing.
func madeBy(r store.Reader, v store.Version, by work.Caller) (string, error) {
	m, err := r.MadeBy(v.ID, by.ID, r.Now().Add(-lately))
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	}
	return fmt.Sprintf("%s, who wrote some of it, made this account, role or password link on %s", m.By, m.At.UTC().Format("2 January 2006")), err
}

// Return gives the text that a reviewer has seen back to its writer with a reason. It
// returns [texts.OtherText] if it is another by now.
func (s *Service) Return(ctx context.Context, by work.Caller, slug string, seen entry.Digest, because string) (api.Entry, error) {
	return s.decide(ctx, by, slug, seen, entry.Return, map[string]any{"because": because}, func(u *work.Unit, v store.Version) error {
		if err := entry.Note("/because", "the reason", because, true).Err(); err != nil {
			return err
		}
		if err := u.Unschedule(v.ID, message.Say("%s, which was to be published with it, was returned", v.Slug)); err != nil {
			return err
		}
		return u.ReopenVersion(v.ID, because)
	})
}
