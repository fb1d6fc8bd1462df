package library

import (
	"context"
	"fmt"
	"unicode/utf8"

	"goldshelf/api"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// mostComment is how many bytes a comment has at most.
const mostComment = 4000

// discussed gives an entry whose versions the caller may discuss: those who may
// see its drafts.
func (l *Library) discussed(ctx context.Context, r store.Reader, by Caller, slug string) (store.Entry, error) {
	e, err := l.seeing(ctx, r, by, slug)
	if err != nil {
		return e, err
	}
	if !entry.MaySeeDrafts(by.actor(), standing(e, nil)) {
		return e, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: fmt.Sprintf("only reviewers, and those who look after %s, discuss its versions", e.Slug)}
	}
	return e, nil
}

// Comments gives what was said about an entry up to one of its versions, by
// threads, with where each passage stands in that version's text. A number of 0
// stands for the newest version.
func (l *Library) Comments(ctx context.Context, by Caller, slug string, number int) (api.Comments, error) {
	out := api.Comments{Items: []api.Comment{}}
	e, err := l.discussed(ctx, l.db.Reader, by, slug)
	if err != nil {
		return out, err
	}
	if number == 0 {
		number = e.Newest
	}
	v, err := l.db.Version(ctx, e.ID, number)
	if err != nil {
		return out, found(err, &Missing{fmt.Sprintf("%s has no version %d; see its history", slug, number)})
	}
	rows, err := l.db.Comments(ctx, e.ID, number)
	if err != nil {
		return out, err
	}
	out.Version = number
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
		ID: c.ID, Version: c.Version, By: c.ByLogin, ByName: c.By, At: c.At.UTC(), Text: c.Text, SettledBy: c.SettledBy, SettledAt: utc(c.SettledAt), Answers: []api.Comment{},
	}
	if p := c.Passage.V; p != nil {
		start, end, op := p.Find(body)
		out.Passage = &api.CommentPassage{Exact: p.Exact, Start: start, End: end, Now: op}
	}
	return out
}

// AddComment says something about the newest version of an entry or a passage of
// its text, or in answer to what was said. It returns a [problem.List] if what is
// said does not hold.
func (l *Library) AddComment(ctx context.Context, by Caller, slug string, req api.NewComment) (out api.Comment, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.discussed(ctx, tx.Reader, by, slug)
		if err != nil {
			return err
		}
		number := req.Version
		if number == 0 {
			number = e.Newest
		}
		v, err := tx.Version(ctx, e.ID, number)
		if err != nil {
			return found(err, &Missing{fmt.Sprintf("%s has no version %d; see its history", slug, number)})
		}
		c := store.Comment{EntryID: e.ID, VersionID: v.ID, Version: v.Number, AnswerTo: req.AnswerTo, ByID: by.ID, By: by.FullName, ByLogin: by.Name, At: l.now(), Text: req.Text}
		wrong := entry.Note("/text", "the comment", req.Text, true)
		if len(req.Text) > mostComment {
			wrong.Add("/text", "size", "the comment has %d bytes; it has at most %d", len(req.Text), mostComment)
		}
		wrong = append(wrong, passageProblems(req, v.Body)...)
		if req.AnswerTo != 0 {
			to, err := tx.Comment(ctx, e.ID, req.AnswerTo)
			if err != nil || to.AnswerTo != 0 {
				wrong.Add("/answer_to", "missing", "there is no comment %d of %s to answer", req.AnswerTo, e.Slug)
			}
		}
		if err := wrong.Err(); err != nil {
			return err
		}
		if req.End > 0 {
			p := change.PassageOf(v.Body, req.Start, req.End)
			c.Passage.V = &p
		}
		if c.ID, err = tx.AddComment(ctx, c); err != nil {
			return err
		}
		out = comment(c, v.Body)
		return l.record(ctx, tx, by, "comment", e.ID, v.Number, map[string]any{"comment": c.ID})
	})
	return out, err
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

// SettleComment says that a thread is done with, or that it is open again.
func (l *Library) SettleComment(ctx context.Context, by Caller, slug string, id int64, settled bool) (out api.Comment, err error) {
	err = l.db.Change(ctx, func(tx store.Tx) error {
		e, err := l.discussed(ctx, tx.Reader, by, slug)
		if err != nil {
			return err
		}
		c, err := tx.Comment(ctx, e.ID, id)
		missing := &Missing{fmt.Sprintf("there is no comment %d of %s that begins a thread", id, slug)}
		if err != nil {
			return found(err, missing)
		}
		if c.AnswerTo != 0 {
			return missing
		}
		now, action, who := l.now(), "settle", by.ID
		at := &now
		if !settled {
			at, action, who = nil, "reopen", 0
		}
		if err := tx.SettleComment(ctx, id, at, who); err != nil {
			return err
		}
		if c, err = tx.Comment(ctx, e.ID, id); err != nil {
			return err
		}
		v, err := tx.Version(ctx, e.ID, e.Newest)
		if err != nil {
			return err
		}
		out = comment(c, v.Body)
		return l.record(ctx, tx, by, action, e.ID, c.Version, map[string]any{"comment": id})
	})
	return out, err
}

// Lines gives the text of a version line by line, each with the version in which
// it first stood as it is, of those that the caller may see.
func (l *Library) Lines(ctx context.Context, by Caller, slug string, number int) (api.Lines, error) {
	history, err := l.history(ctx, by, slug, 0, 0)
	if err != nil {
		return api.Lines{}, err
	}
	v, err := pick(history.Items, slug, number, func(api.Entry) bool { return true })
	if err != nil {
		return api.Lines{}, err
	}
	var versions []api.Entry // the oldest first
	var texts []string
	for i := len(history.Items) - 1; i >= 0 && history.Items[i].Version <= v.Version; i-- {
		versions, texts = append(versions, history.Items[i]), append(texts, history.Items[i].Body)
	}
	out := api.Lines{Version: v.Version, Items: []api.LineOrigin{}}
	lines := change.Lines(v.Body)
	for i, n := range change.Origins(texts) {
		from := versions[n]
		out.Items = append(out.Items, api.LineOrigin{Text: lines[i], Version: from.Version, Author: from.Author, Note: from.Note, At: from.SavedAt})
	}
	return out, nil
}
