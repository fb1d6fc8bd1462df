package history

import (
	"context"
	"errors"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostComment is how many bytes a comment has at most.
const mostComment = 4000

// discussed gives an entry whose versions the caller may discuss: those who may see
// its drafts.
func discussed(r store.Reader, by work.Caller, slug string) (store.Entry, error) {
	e, err := texts.Seen(r, by, slug)
	if err != nil {
		return e, err
	}
	if !texts.MaySeeDrafts(by, e) {
		return e, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only reviewers, and those who look after %s, discuss its versions", e.Slug)}
	}
	return e, nil
}

// discussedVersion is discussed with one of the entry's versions; 0 stands for the
// newest.
func discussedVersion(r store.Reader, by work.Caller, slug string, number int) (store.Entry, store.Version, error) {
	e, err := discussed(r, by, slug)
	if err != nil {
		return e, store.Version{}, err
	}
	if number == 0 {
		number = e.Newest
	}
	if number < 0 || number > entry.MaxVersion {
		return e, store.Version{}, texts.NoVersion(slug, number)
	}
	v, err := r.Version(e.ID, number)
	return e, v, work.Found(err, texts.NoVersion(slug, number))
}

// Comments gives what was said about an entry up to one of its versions, by threads,
// with where each passage stands in that version's text. A number of 0 stands for the
// newest version.
func (s *Service) Comments(ctx context.Context, by work.Caller, slug string, number int) (api.Comments, error) {
	out := api.Comments{Items: []api.Comment{}}
	var v store.Version
	rows, err := work.See(ctx, s.db, func(r work.View) ([]store.Comment, error) {
		e, version, err := discussedVersion(r.Reader, by, slug, number)
		if err != nil {
			return nil, err
		}
		v = version
		return r.Comments(e.ID, v.Number)
	})
	if err != nil {
		return out, err
	}
	out.Version = v.Number
	at := map[int64]int{}
	for _, c := range rows {
		one := comment(c, v.Body)
		if thread, answers := at[c.AnswerTo]; answers {
			out.Items[thread].Answers = append(out.Items[thread].Answers, one)
			continue
		}
		at[c.ID] = len(out.Items)
		out.Items = append(out.Items, one)
	}
	return out, nil
}

func comment(c store.Comment, body string) api.Comment {
	out := api.Comment{
		ID: c.ID, Version: c.Version, By: c.ByLogin, ByName: c.By, At: c.At.UTC(), Text: c.Text, SettledBy: c.SettledBy, SettledAt: texts.UTC(c.SettledAt), Answers: []api.Comment{},
	}
	if p := c.Passage.V; p != nil {
		start, end, op := p.Find(body)
		out.Passage = &api.CommentPassage{Exact: p.Exact, Start: start, End: end, Now: op}
	}
	return out
}

// AddComment says something about the newest version of an entry or a passage of its
// text, or in answer to what was said. It returns a [problem.List] if what is said does
// not hold.
func (s *Service) AddComment(ctx context.Context, by work.Caller, slug string, req api.NewComment) (api.Comment, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Comment, error) {
		e, v, err := discussedVersion(u.Reader, by, slug, req.Version)
		if err != nil {
			return api.Comment{}, err
		}
		c := store.Comment{EntryID: e.ID, VersionID: v.ID, Version: v.Number, AnswerTo: req.AnswerTo, ByID: by.ID, By: by.FullName, ByLogin: by.Name, At: u.Now(), Text: req.Text}
		wrong := entry.Note("/text", "the comment", req.Text, true)
		if len(req.Text) > mostComment {
			wrong.Add("/text", "size", "the comment has %d bytes; it has at most %d", len(req.Text), mostComment)
		}
		wrong = append(wrong, passageProblems(req, v.Body)...)
		if req.AnswerTo != 0 {
			to, err := u.Comment(e.ID, req.AnswerTo)
			if err != nil && !errors.Is(err, store.ErrNotFound) {
				return api.Comment{}, err
			}
			if err != nil || to.AnswerTo != 0 {
				wrong.Add("/answer_to", "missing", "there is no comment %d of %s to answer", req.AnswerTo, e.Slug)
			}
		}
		if err := wrong.Err(); err != nil {
			return api.Comment{}, err
		}
		if req.End > 0 {
			p := change.PassageOf(v.Body, req.Start, req.End)
			c.Passage.V = &p
		}
		if c.ID, err = u.AddComment(c); err != nil {
			return api.Comment{}, err
		}
		u.Record("comment", e.ID, v.Number, map[string]any{"comment": c.ID})
		return comment(c, v.Body), nil
	})
}

func passageProblems(req api.NewComment, body string) problem.List {
	var wrong problem.List
	switch {
	case req.Start == 0 && req.End == 0:
	case req.AnswerTo != 0:
		wrong.Add("/start", "passage", "an answer is about what it answers; leave start and end out")
	case req.Start < 0 || req.End <= req.Start || req.End > len(body):
		wrong.Add("/start", "range", "the text has %d bytes, and no passage from %d to %d", len(body), req.Start, req.End)
	case !utf8.RuneStart(body[req.Start]) || req.End < len(body) && !utf8.RuneStart(body[req.End]):
		wrong.Add("/start", "range", "the passage from %d to %d begins or ends within a character", req.Start, req.End)
	case req.End-req.Start > mostComment:
		wrong.Add("/end", "size", "the passage has %d bytes; it has at most %d", req.End-req.Start, mostComment)
	}
	return wrong
}

// SettleComment says that a thread is done with, or that it is open again; where it is
// so already nothing changes.
func (s *Service) SettleComment(ctx context.Context, by work.Caller, slug string, id int64, settled bool) (api.Comment, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Comment, error) {
		e, v, err := discussedVersion(u.Reader, by, slug, 0)
		if err != nil {
			return api.Comment{}, err
		}
		if _, err := u.Lock(e.Slug); err != nil {
			return api.Comment{}, err
		}
		c, err := u.Comment(e.ID, id)
		missing := work.MissingF("there is no comment %d of %s that begins a thread", id, slug)
		if err != nil {
			return api.Comment{}, work.Found(err, missing)
		}
		if c.AnswerTo != 0 {
			return api.Comment{}, missing
		}
		if settled == (c.SettledAt != nil) {
			return comment(c, v.Body), nil
		}
		now, action, who := u.Now(), entry.Action("settle"), by.ID
		at := &now
		if !settled {
			at, action, who = nil, "reopen", 0
		}
		if err := u.SettleComment(id, at, who); err != nil {
			return api.Comment{}, err
		}
		if c, err = u.Comment(e.ID, id); err != nil {
			return api.Comment{}, err
		}
		u.Record(action, e.ID, c.Version, map[string]any{"comment": id})
		return comment(c, v.Body), nil
	})
}
