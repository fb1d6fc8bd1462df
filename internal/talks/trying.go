package talks

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/problem"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// asked is what one column is sent.
type asked struct {
	column   api.TryColumn
	title    string
	messages []endpoint.ModelMessage
	used     []fill.Ref
	given    fill.Values
	entry    store.Entry
	name     string // the entry's title
}

// Try begins a talk: an entry is filled in, and models are asked. Its error is a
// [problem.List] with all that is missing or does not fit, also of the models.
func (s *Service) Try(ctx context.Context, by work.Caller, in api.TryRequest) (api.Talk, error) {
	if err := tryProblems(in).Err(); err != nil {
		return api.Talk{}, err
	}
	all := make([]asked, len(in.Columns))
	var wrong problem.List
	for i, c := range in.Columns {
		a, err := s.composed(ctx, by, in, c)
		if list, ok := err.(problem.List); ok {
			wrong = append(wrong, list...)
			continue
		}
		if err != nil {
			return api.Talk{}, err
		}
		all[i] = a
	}
	if wrong != nil {
		return api.Talk{}, wrong.Once()
	}
	titled(all, in)
	id := newID()
	return s.ask(ctx, by, func(u *work.Unit) (string, error) {
		if err := u.AddTalk(store.Talk{ID: id, Person: by.ID, EntryID: all[0].entry.ID, Title: all[0].name}); err != nil {
			return "", err
		}
		return id, s.add(u, id, 1, all[0].entry, in.Settings, all)
	})
}

func tryProblems(in api.TryRequest) problem.List {
	wrong := problem.Line("/ref", "ref", in.Ref)
	for _, p := range in.Settings.Problems() {
		p.Field = "/settings" + p.Field
		wrong = append(wrong, p)
	}
	if n := len(in.Columns); n < 1 || n > MostColumns {
		wrong.Add("/columns", "count", "%d models are asked at once; one to four can be", n)
	}
	for i, c := range in.Columns {
		wrong = append(wrong, problem.Line(problem.Pointer("columns", i, "model"), "model", c.Model)...)
		if c.Model == "" {
			wrong.Add(problem.Pointer("columns", i, "model"), "required", "say which model is asked")
		}
	}
	return wrong
}

// composed fills in what one column is sent.
func (s *Service) composed(ctx context.Context, by work.Caller, in api.TryRequest, c api.TryColumn) (a asked, err error) {
	slug, number, err := texts.ParseRef("/ref", in.Ref)
	if err != nil {
		return a, err
	}
	q, err := s.texts.Ask(ctx, by, texts.Question{
		Slug: slug, Number: number, Open: in.Open && !c.Shelved,
		Stack: texts.Stack{Persona: or(c.Persona, in.Persona), Style: or(c.Style, in.Style), Sheets: in.Sheets, For: in.For},
	})
	if err != nil {
		return a, err
	}
	values := in.Values
	if len(in.Columns) > 1 { // one column may have a blank that another has not; alone, it is somebody's mistake
		values = q.Own(values)
	}
	a = asked{column: c, given: values, name: q.By[q.Of].Title, entry: q.Entry}
	a.messages, a.used, err = q.Sent(values)
	return a, err
}

// titled names each column by what sets it apart from the others.
func titled(all []asked, in api.TryRequest) {
	differ := func(of func(api.TryColumn) string) bool {
		return slices.ContainsFunc(all, func(a asked) bool { return of(a.column) != of(all[0].column) })
	}
	for i := range all {
		c := all[i].column
		var parts []string
		if differ(func(c api.TryColumn) string { return c.Model }) || len(all) == 1 {
			parts = append(parts, c.Model)
		}
		for _, part := range []struct {
			of   func(api.TryColumn) string
			name string
		}{{func(c api.TryColumn) string { return c.Persona }, "persona"}, {func(c api.TryColumn) string { return c.Style }, "style"}} {
			if !differ(part.of) {
				continue
			}
			switch chosen := part.of(c); chosen {
			case "":
				parts = append(parts, "the usual "+part.name)
			case "none":
				parts = append(parts, "no "+part.name)
			default:
				parts = append(parts, chosen)
			}
		}
		if differ(func(c api.TryColumn) string { return fmt.Sprint(c.Shelved) }) {
			parts = append(parts, map[bool]string{true: "on the shelf", false: "as it is written"}[c.Shelved])
		}
		if len(parts) == 0 { // the same twice
			parts = []string{fmt.Sprintf("%s, %d", c.Model, i+1)}
		}
		all[i].title = strings.Join(parts, ", ")
	}
}

// add has models be asked in a turn of a talk.
func (s *Service) add(u *work.Unit, talk string, turn int, about store.Entry, settings endpoint.Settings, all []asked) error {
	places, err := asking.PlacesOf(u.Reader)
	if err != nil {
		return err
	}
	var wrong problem.List
	for i, a := range all {
		at := problem.Pointer("columns", i, "model")
		c, err := places.Serving(asking.Sending{Model: a.column.Model, Messages: a.messages, About: []store.Entry{about}, Used: a.used}, at)
		if list, ok := err.(problem.List); ok {
			wrong = append(wrong, list...)
			continue
		}
		if err != nil {
			return err
		}
		if err := u.AddReply(store.Reply{
			ID: newID(), Talk: talk, Turn: turn, Place: i + 1, Title: a.title, ConnectionID: c.ID, Model: a.column.Model,
			Sent: store.JSON[store.Sent]{V: store.Sent{Messages: a.messages, Settings: settings}}, Given: store.JSON[fill.Values]{V: a.given}, Used: store.JSON[[]fill.Ref]{V: a.used},
		}); err != nil {
			return err
		}
	}
	return wrong.Err()
}

// ask does something after which models are asked, and gives the talk that it is about.
func (s *Service) ask(ctx context.Context, by work.Caller, do func(*work.Unit) (string, error)) (api.Talk, error) {
	talk, err := work.Do(ctx, s.db, by, func(u *work.Unit) (api.Talk, error) {
		if err := u.Look(by.ID); err != nil {
			return api.Talk{}, err
		}
		id, err := do(u)
		if err != nil {
			return api.Talk{}, err
		}
		if err := s.asking.Asked(u, by.ID); err != nil {
			return api.Talk{}, err
		}
		return talkOf(u.Reader, by, id)
	})
	return talk, err
}
