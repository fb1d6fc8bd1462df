// Package talks is what people ask models: an entry tried out, side by side where one likes,
// follow-ups, and the replies as they come. A talk is its person's alone.
package talks

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Limits of what is asked.
const (
	MostColumns  = 4
	mostFollowUp = 20_000 // characters
	mostTurns    = 200    // of a talk
	mostListed   = 100
	mostWords    = 200 // characters that talks are searched for
)

// Service is what can be done with talks.
type Service struct {
	db     *work.DB
	texts  *texts.Texts
	asking *asking.Asking
}

// New gives the talks of a library.
func New(db *work.DB, t *texts.Texts, a *asking.Asking) *Service { return &Service{db, t, a} }

// newID is an id that no other has; those made later come after it.
func newID() string { return uuid.Must(uuid.NewV7()).String() }

func or(first, second string) string {
	if first != "" {
		return first
	}
	return second
}

// talkOf reads a talk of whoever is looked as.
func talkOf(r store.Reader, by work.Caller, id string) (api.Talk, error) {
	t, err := access.Conversation(r, by, id)
	if err != nil {
		return api.Talk{}, err
	}
	out := api.Talk{
		ID: t.ID, Slug: t.Slug, Title: t.Title, At: t.At.UTC(), AskedAt: t.AskedAt.UTC(), Kept: t.Kept, Mine: t.Person == by.ID,
		SharedWith: []api.TalkReader{}, Replies: []api.TalkReply{},
	}
	readers, err := r.TalkReaders(id)
	if err != nil {
		return out, err
	}
	for _, p := range readers {
		out.SharedWith = append(out.SharedWith, api.TalkReader{Name: p.Name, FullName: p.FullName})
	}
	all, err := r.Replies(id)
	for _, p := range all {
		out.Replies = append(out.Replies, asking.Shown(p))
	}
	out.Differences = differences(out.Replies)
	return out, err
}

// differences are those of turns that have two replies, both whole.
func differences(replies []api.TalkReply) (all []api.TurnDifference) {
	for i := 0; i+1 < len(replies); i++ {
		one, two := replies[i], replies[i+1]
		beside := one.Turn == two.Turn && one.Place == 1 && (i+2 == len(replies) || replies[i+2].Turn != two.Turn)
		if beside && one.State == store.ReplyDone && two.State == store.ReplyDone {
			all = append(all, api.TurnDifference{Turn: one.Turn, Lines: append([]change.Line{}, change.Texts(one.Text, two.Text)...)})
		}
	}
	return all
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

// Talk gives one of the caller's talks, or a [work.Missing].
func (s *Service) Talk(ctx context.Context, by work.Caller, id string) (api.Talk, error) {
	return see(ctx, s, by, func(v work.View) (api.Talk, error) { return talkOf(v.Reader, by, id) })
}

// Talks gives the caller's talks, the last asked first, of those that have words.
func (s *Service) Talks(ctx context.Context, by work.Caller, words string) (api.Talks, error) {
	if err := problem.Text("/q", words).Err(); err != nil {
		return api.Talks{}, err
	}
	if utf8.RuneCountInString(words) > mostWords {
		return api.Talks{}, work.Wrong("/q", "length", "200 characters are searched for at most")
	}
	return see(ctx, s, by, func(v work.View) (api.Talks, error) {
		out := api.Talks{Items: []api.TalkItem{}}
		all, err := v.Talks(by.ID, strings.TrimSpace(words), mostListed)
		for _, t := range all {
			out.Items = append(out.Items, api.TalkItem{ID: t.ID, Slug: t.Slug, Title: t.Title, Said: t.Said, Replies: t.Replies, Kept: t.Kept, AskedAt: t.AskedAt.UTC()})
		}
		return out, err
	})
}

// Reply returns one reply that the caller may see, as far as it has come.
func (s *Service) Reply(ctx context.Context, by work.Caller, id string) (api.TalkReply, error) {
	p, err := s.reply(ctx, by, id)
	return asking.Shown(p), err
}

func (s *Service) reply(ctx context.Context, by work.Caller, id string) (store.Reply, error) {
	return work.See(ctx, s.db, func(v work.View) (store.Reply, error) { return access.Reply(v.Reader, by, id) })
}

// Watch returns a reply piece by piece, from a place in its text on, and at last as it ended,
// as [asking.Asking.Watch] has it. Who listens is asked again each time that the reply is
// looked at: it returns the caller as they are now, or why they may listen no longer.
func (s *Service) Watch(ctx context.Context, listener func(context.Context) (work.Caller, error), id string, at int, piece func(api.ReplyPiece) error) (api.TalkReply, error) {
	p, err := s.asking.Watch(ctx, id, at, func() (store.Reply, error) {
		by, err := listener(ctx)
		if err != nil {
			return store.Reply{}, err
		}
		return s.reply(ctx, by, id)
	}, func(p asking.Piece) error { return piece(api.ReplyPiece{At: p.At, Text: p.Text}) })
	return asking.Shown(p), err
}

// FollowUp goes on with a talk after one of its replies.
func (s *Service) FollowUp(ctx context.Context, by work.Caller, id string, in api.FollowUp) (api.Talk, error) {
	if in.Refinement != "" {
		text, err := s.refinement(ctx, in.Refinement)
		if err != nil {
			return api.Talk{}, err
		}
		in.Text = text
	}
	wrong := problem.Text("/text", in.Text)
	if strings.TrimSpace(in.Text) == "" {
		wrong.Add("/text", "required", "say what is asked")
	}
	if utf8.RuneCountInString(in.Text) > mostFollowUp {
		wrong.Add("/text", "length", "it has more than 20,000 characters")
	}
	if err := wrong.Err(); err != nil {
		return api.Talk{}, err
	}
	return s.ask(ctx, by, func(u *work.Unit) (string, error) {
		t, err := access.OwnConversation(u, by, id)
		if err != nil {
			return "", err
		}
		all, err := u.Replies(id)
		if err != nil {
			return "", err
		}
		i := slices.IndexFunc(all, func(p store.Reply) bool { return p.ID == in.After })
		switch {
		case i < 0:
			return "", work.Wrong("/after", "unknown", "the talk has no such reply")
		case all[i].State != store.ReplyDone:
			return "", work.Wrong("/after", "not-done", "that reply is %s; go on after one that is whole", stateWords(all[i].State))
		case all[len(all)-1].Turn >= mostTurns:
			return "", work.Wrong("/after", "many", "the talk has 200 turns; begin another")
		}
		before := all[i]
		messages := append(slices.Clone(before.Sent.V.Messages), endpoint.ModelMessage{Role: endpoint.Assistant, Text: before.Text}, endpoint.ModelMessage{Role: endpoint.User, Text: in.Text})
		model := or(in.Model, before.Model)
		var about store.Entry
		if t.EntryID != 0 {
			if about, err = u.EntryBySlug(t.Slug); err != nil {
				return "", err
			}
		}
		return id, s.add(u, id, all[len(all)-1].Turn+1, about, before.Sent.V.Settings,
			[]asked{{column: api.TryColumn{Model: model}, title: before.Title, messages: messages, used: before.Used.V, given: before.Given.V}})
	})
}

// refinement gives the text of a prompt that changes replies.
func (s *Service) refinement(ctx context.Context, slug string) (string, error) {
	all, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Version, error) { return v.Helpers(store.HelpsRefine) })
	if err != nil {
		return "", err
	}
	if !slices.ContainsFunc(all, func(h store.Version) bool { return h.Slug == slug }) {
		return "", work.Wrong("/refinement", "unknown", "no curator has marked %.80q as something that changes replies", slug)
	}
	c, err := s.texts.OnShelf(ctx, slug, 0, texts.Stack{Base: true, Persona: "none", Style: "none"})
	if err != nil {
		return "", err
	}
	got, err := c.Form.Fill(fill.Values{})
	return got.Text, err
}

func stateWords(state string) string {
	return map[string]string{"waiting": "not there yet", "running": "not whole yet", "failed": "one that failed", "stopped": "one that was stopped"}[state]
}

// Stop stops a reply that the caller may stop. What has come of it stays. One of a trial goes
// on the audit log.
func (s *Service) Stop(ctx context.Context, by work.Caller, id string) (api.TalkReply, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.TalkReply, error) {
		p, err := access.StoppableReply(u.Reader, by, id)
		if err != nil {
			return api.TalkReply{}, err
		}
		if p.Ended() {
			return asking.Shown(p), nil
		}
		if err := s.asking.Stop(u, id); err != nil {
			return api.TalkReply{}, err
		}
		if p.Trial != "" {
			t, err := u.Trial(p.Trial)
			if err != nil {
				return api.TalkReply{}, err
			}
			u.Record("stop-reply", t.EntryID, 0, map[string]any{"trial": t.ID, "reply": id})
		}
		p, err = u.Reply(id)
		return asking.Shown(p), err
	})
}

// Delete deletes one of the caller's conversations for good. Replies still awaited are stopped.
func (s *Service) Delete(ctx context.Context, by work.Caller, id string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if _, err := access.OwnConversation(u, by, id); err != nil {
			return err
		}
		all, err := u.Replies(id)
		if err != nil {
			return err
		}
		// What has come of those that are awaited is counted before it goes.
		for _, p := range all {
			if p.Ended() {
				continue
			}
			if err := s.asking.Stop(u, p.ID); err != nil {
				return err
			}
		}
		return u.DropTalk(id)
	})
}
