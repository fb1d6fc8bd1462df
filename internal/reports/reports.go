// Package reports has the use cases of whoever says how it went with an entry, and of
// whoever answers for that: told, named by a version, settled.
package reports

import (
	"context"
	"math"

	"goldshelf/api"
	"goldshelf/core/entry"
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

const (
	mostWords = 4_000    // bytes
	mostReply = 64 << 10 // bytes
	mostModel = 100      // bytes
	mostOpen  = 20       // reports of one person on one entry that wait
	usual     = 50       // reports on a page
)

// Report keeps what the caller says of an entry on the shelf, by slug or short code, or of
// one of its versions that was published. It returns a problem.List if that does not hold.
func (s *Service) Report(ctx context.Context, by work.Caller, ref string, number int, in api.NewReport) (api.Report, error) {
	wrong := textProblems("/words", "what is said", in.Words, mostWords)
	wrong = append(wrong, textProblems("/reply", "the reply", in.Reply, mostReply)...)
	wrong = append(wrong, textProblems("/model", "the model", in.Model, mostModel)...)
	if in.Worked == nil {
		wrong.Add("/worked", "missing", "say whether it worked: true or false")
	}
	if err := wrong.Err(); err != nil {
		return api.Report{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Report, error) {
		id, err := u.ShelvedID(ref, number)
		if err != nil {
			return api.Report{}, texts.OffShelf(u.Reader, err, ref, number)
		}
		heads, err := u.Heads([]int64{id})
		if err != nil {
			return api.Report{}, err
		}
		e, err := u.EntryBySlug(heads[0].Slug)
		if err != nil {
			return api.Report{}, err
		}
		open, err := u.CountReports(e.ID, by.ID)
		if err != nil {
			return api.Report{}, err
		}
		if open >= mostOpen {
			return api.Report{}, &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("%d reports of yours on %s wait already; its owner reads them", open, e.Slug), Possible: []entry.Action{}}
		}
		r := store.Report{
			EntryID: e.ID, Number: heads[0].Number, PersonID: by.ID, By: by.Name, ByName: by.FullName, At: u.Now(),
			Worked: *in.Worked, Model: in.Model, Words: in.Words, Reply: in.Reply,
		}
		if r.ID, err = u.AddReport(r); err != nil {
			return api.Report{}, err
		}
		u.Record("report", e.ID, r.Number, map[string]any{"report": r.ID, "worked": r.Worked})
		return report(r, true), nil
	})
}

func textProblems(field, what, text string, most int) problem.List {
	found := problem.Text(field, text)
	if len(text) > most {
		found.Add(field, "size", "%s has %d bytes; it has at most %d", message.Plain(what), len(text), most)
	}
	return found
}

// Reports gives a page of what was said of an entry, the newest first. Replies are shown to
// whoever answers for the entry, to reviewers, and to who gave them.
func (s *Service) Reports(ctx context.Context, by work.Caller, slug string, cursor string) (api.Reports, error) {
	before, err := work.NumberCursor(cursor, math.MaxInt64)
	if err != nil {
		return api.Reports{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.Reports, error) {
		out := api.Reports{Items: []api.Report{}}
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return out, err
		}
		rows, err := v.Reports(e.ID, before, usual+1)
		if err != nil {
			return out, err
		}
		rows, out.Next = work.PageOf(rows, usual, func(r store.Report) int64 { return r.ID })
		whole := texts.MaySeeDrafts(by, e)
		for _, r := range rows {
			out.Items = append(out.Items, report(r, whole || r.PersonID == by.ID))
		}
		n, err := v.ReportCount(e.ID)
		out.Worked, out.FellShort, out.Open = n.Worked, n.FellShort, n.Open
		return out, err
	})
}

// Answer settles a report by words, where no new version is needed. Its writer hears of it.
func (s *Service) Answer(ctx context.Context, by work.Caller, slug string, id int64, because string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return err
		}
		if !entry.LooksAfter(by.Actor(), texts.Status(e)) {
			return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only its owner, its deputy or a curator answers reports on %s", e.Slug), Possible: []entry.Action{}}
		}
		if err := entry.Note("/because", "the answer", because, true).Err(); err != nil {
			return err
		}
		number, err := u.AnswerReport(e.ID, id, because)
		if err != nil {
			return work.Found(err, work.MissingF("there is no report %d on %s that waits for an answer", id, e.Slug))
		}
		u.Record(entry.AnswerReport, e.ID, number, map[string]any{"report": id, "because": because})
		return nil
	})
}

func report(r store.Report, whole bool) api.Report {
	out := api.Report{
		ID: r.ID, Version: r.Number, By: r.By, ByName: r.ByName, At: r.At.UTC(), Worked: r.Worked, Model: r.Model, Words: r.Words,
		SettledIn: r.SettledIn, SettledAt: texts.UTC(r.SettledAt), Answer: r.Answer,
	}
	if whole {
		out.Reply = r.Reply
	}
	return out
}
