// Package sheets has the use cases of question sets, which sheets answer.
package sheets

import (
	"context"
	"fmt"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/sheet"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// MostRead is how many bytes of answers are read at once.
const MostRead = 1 << 20

const mostListed = 200 // sheets of a set at once

// Sets gives the newest version of every question set.
func (s *Service) Sets(ctx context.Context) (api.QuestionSets, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.QuestionSets, error) {
		all, err := v.Sets()
		return listed(all), err
	})
}

// Set gives a version of a question set, named as audience@2, or the newest of one that is
// named by its name alone. It returns a [work.Missing] where there is none.
func (s *Service) Set(ctx context.Context, ref string) (api.QuestionSet, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.QuestionSet, error) {
		set, err := find(v.Reader, ref)
		return shown(set), err
	})
}

// Versions gives the versions of a question set, newest first.
func (s *Service) Versions(ctx context.Context, name string) (api.QuestionSets, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.QuestionSets, error) {
		all, err := v.SetVersions(name)
		if err == nil && len(all) == 0 {
			err = noSet(name)
		}
		return listed(all), err
	})
}

// Sheets gives the sheets on the shelf that answer a question set and have all of some
// words in title, summary or slug; to those who see drafts the open ones too.
func (s *Service) Sheets(ctx context.Context, by work.Caller, name, words string) (api.SheetsOfSet, error) {
	if wrong := problem.Text("/q", words); wrong != nil {
		return api.SheetsOfSet{}, wrong
	}
	return work.See(ctx, s.db, func(v work.View) (api.SheetsOfSet, error) {
		out := api.SheetsOfSet{Items: []api.SheetOfSet{}}
		set, err := find(v.Reader, name)
		if err != nil {
			return out, err
		}
		all, err := v.SheetsOfSet(set.Name, by.Role.Includes(entry.Reviewer), strings.Fields(words), mostListed)
		for _, one := range all {
			out.Items = append(out.Items, api.SheetOfSet{
				Slug: one.Slug, Title: one.Title, Summary: one.Summary, Set: fmt.Sprintf("%s@%d", set.Name, one.Number),
				State: entry.State(one.State), OwnerName: one.OwnerName,
			})
		}
		return out, err
	})
}

// Add adds a question set. It returns an [entry.Refusal] to all but curators, a
// [problem.List] if it does not hold, and [work.Taken] where there is one of that name.
func (s *Service) Add(ctx context.Context, by work.Caller, in api.NewQuestionSet) (api.QuestionSet, error) {
	set := sheet.Set{Name: in.Name, Version: 1, Title: in.Title, Groups: in.Groups}
	return s.save(ctx, by, set, 0, in.Note)
}

// Save adds the next version to the question set that was read as version on. Sheets go on
// answering the version that they name. It returns [work.Outdated] where there is a newer
// one by now; saving what is there already adds nothing.
func (s *Service) Save(ctx context.Context, by work.Caller, name string, on int, in api.NewQuestionSet) (api.QuestionSet, error) {
	if in.Name != "" && in.Name != name {
		return api.QuestionSet{}, work.Wrong("/name", "name", "this is %s, and a question set keeps its name", name)
	}
	set := sheet.Set{Name: name, Version: on + 1, Title: in.Title, Groups: in.Groups}
	return s.save(ctx, by, set, on, in.Note)
}

func (s *Service) save(ctx context.Context, by work.Caller, set sheet.Set, on int, note string) (api.QuestionSet, error) {
	if err := by.MustCurate("change question sets"); err != nil {
		return api.QuestionSet{}, err
	}
	wrong := append(set.Problems(), entry.Note("/note", "the note", note, false)...)
	if err := wrong.Err(); err != nil {
		return api.QuestionSet{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.QuestionSet, error) {
		if on == 0 {
			return add(u, set, note)
		}
		if err := u.LockSet(set.Name); err != nil {
			return api.QuestionSet{}, work.Found(err, noSet(set.Name))
		}
		now, err := u.SetVersion(set.Name, 0)
		if err != nil {
			return api.QuestionSet{}, err
		}
		switch {
		case now.Title == set.Title && sheet.Same(now.Groups.V, set.Groups):
			return shown(now), nil
		case now.Number != on:
			return api.QuestionSet{}, &work.Outdated{What: message.Say("%s has saved version %d of %s by now; read it, and change that", now.By, now.Number, set.Name)}
		}
		return add(u, set, note)
	})
}

func add(u *work.Unit, set sheet.Set, note string) (api.QuestionSet, error) {
	if set.Version == 1 {
		if _, err := u.SetVersion(set.Name, 0); err == nil {
			return api.QuestionSet{}, &work.Taken{What: message.Say("there is a question set %s already; save its next version, or choose another name", set.Name)}
		}
	}
	if err := u.AddSetVersion(set, note, u.By.ID); err != nil {
		return api.QuestionSet{}, work.TakenIf(err, "there is a question set %s already; save its next version, or choose another name", set.Name)
	}
	u.Record("save-question-set", 0, 0, map[string]any{"set": set.Ref(), "title": set.Title})
	now, err := u.SetVersion(set.Name, set.Version)
	return shown(now), err
}

// Read takes answers to a question set from a text of questions and answers, a CSV of two
// columns or JSON. What is wrong with it is part of the answer. Nothing is saved.
func (s *Service) Read(ctx context.Context, ref string, data []byte) (api.AnswersRead, error) {
	if len(data) > MostRead {
		return api.AnswersRead{}, work.Wrong("", "size", "there are %d bytes of answers; it takes %d (1 MiB) at most", len(data), MostRead)
	}
	set, err := s.Set(ctx, ref)
	if err != nil {
		return api.AnswersRead{}, err
	}
	out := api.AnswersRead{Missing: []string{}, Problems: []problem.Problem{}}
	answers, err := set.Read(data)
	if out.Answers = answers; answers == nil {
		out.Answers = sheet.Answers{}
	}
	if wrong, is := err.(problem.List); is {
		out.Problems = wrong
	}
	wanted, _ := set.Missing(answers)
	for _, q := range wanted {
		out.Missing = append(out.Missing, q.Name)
	}
	return out, nil
}

func find(r store.Reader, ref string) (store.SetVersion, error) {
	name, number := ref, 0
	if strings.Contains(ref, "@") {
		var ok bool
		if name, number, ok = sheet.ParseRef(ref); !ok {
			return store.SetVersion{}, noSet(ref)
		}
	}
	set, err := r.SetVersion(name, number)
	return set, work.Found(err, noSet(ref))
}

func noSet(ref string) error {
	return work.MissingF("there is no question set %.80q; see the question sets for those there are", ref)
}

func listed(all []store.SetVersion) api.QuestionSets {
	out := api.QuestionSets{Items: []api.QuestionSet{}}
	for _, v := range all {
		out.Items = append(out.Items, shown(v))
	}
	return out
}

func shown(v store.SetVersion) api.QuestionSet {
	return api.QuestionSet{Set: v.Set(), Note: v.Note, By: v.By, At: v.At.UTC(), Newest: v.Newest, Sheets: v.Sheets}
}
