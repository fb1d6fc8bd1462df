package shelf

import (
	"context"
	"errors"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/search"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const (
	mostSections = 100
	mostPicked   = 500
	mostIntro    = 4_000 // bytes
	mostTitle    = 120   // bytes
	onBoard      = 4     // entries that come with each section in a list
)

// Sections gives all sections of the shelf in their order, each with how many entries it
// has and the first of them. One whose search does not hold any more says so.
func (s *Service) Sections(ctx context.Context) (api.Sections, error) {
	return see(ctx, s, func(v work.View) (api.Sections, error) {
		out := api.Sections{Items: []api.Section{}}
		rows, err := v.Sections("")
		if err != nil {
			return out, err
		}
		for _, row := range rows {
			one, err := s.section(v, row, Query{Limit: onBoard})
			if err != nil {
				return out, err
			}
			out.Items = append(out.Items, one)
		}
		return out, nil
	})
}

// Section gives one section with a page of its entries.
func (s *Service) Section(ctx context.Context, name string, page Query) (api.Section, error) {
	return see(ctx, s, func(v work.View) (api.Section, error) {
		rows, err := v.Sections(name)
		if err != nil {
			return api.Section{}, err
		}
		if len(rows) == 0 || name == "" {
			return api.Section{}, noSection(name)
		}
		return s.section(v, rows[0], page)
	})
}

func noSection(name string) error { return work.MissingF("there is no section %q", name) }

func (s *Service) section(v work.View, row store.Section, page Query) (api.Section, error) {
	out := api.Section{
		Name: row.Name, Title: row.Title, Introduction: row.Introduction, Query: row.Query, Entries: row.Entries.V,
		Starter: row.Starter.V, Number: row.Number, Items: []api.Item{},
	}
	if row.Query == "" {
		return s.picked(v, out, row.Versions.V, page)
	}
	page.Text = row.Query
	list, err := s.list(v, search.Sight{Shelf: true}, page)
	var wrong problem.List
	if errors.As(err, &wrong) && page.Cursor == "" {
		out.Note = message.Say("its search does not hold any more: %s", wrong[0].Message)
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.Items, out.Total, out.Next, out.Note = list.Items, list.Total, list.Next, list.Note
	if list.Partial {
		// What only has most of the words is not what the section is of.
		out.Items, out.Total, out.Next = []api.Item{}, 0, ""
		notes := []message.Text{message.Say("nothing on the shelf has all of its words")}
		if !list.Note.IsZero() {
			notes = append([]message.Text{list.Note}, notes...)
		}
		out.Note = message.Joined("; ", notes...)
	}
	return out, nil
}

// picked gives a page of what was picked by hand.
func (s *Service) picked(v work.View, out api.Section, versions []int64, page Query) (api.Section, error) {
	from, err := work.NumberCursor(page.Cursor, mostPicked)
	if err != nil {
		return out, err
	}
	if page.Limit <= 0 || page.Limit > mostLimit {
		page.Limit = usualLimit
	}
	out.Total = len(versions)
	ids := versions[min(int(from), len(versions)):]
	if len(ids) > page.Limit {
		ids = ids[:page.Limit]
		out.Next = work.Cursor(from + int64(page.Limit))
	}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := v.FoundItems(ids, false)
	if err != nil {
		return out, err
	}
	for _, id := range ids {
		if at := slices.IndexFunc(rows, func(r store.FoundItem) bool { return r.ID == id }); at >= 0 {
			out.Items = append(out.Items, item(rows[at]))
		}
	}
	return out, nil
}

// SetSection adds a section, whose number is 0, or changes the one that was read. It
// returns an [entry.Refusal] to all but curators, a [problem.List] if it does not hold,
// [work.Taken] if there is another of the name and [work.Outdated] if it is another by now.
func (s *Service) SetSection(ctx context.Context, by work.Caller, name string, in api.SectionChange) (api.Section, error) {
	if err := by.MustCurate("keep sections"); err != nil {
		return api.Section{}, err
	}
	if err := sectionProblems(name, in).Err(); err != nil {
		return api.Section{}, err
	}
	if _, err := work.Do(ctx, s.db, by, func(u *work.Unit) (any, error) {
		there, err := u.Sections("")
		if err != nil {
			return nil, err
		}
		if in.Number == 0 && len(there) >= mostSections {
			return nil, work.Wrong("/name", "size", "there are %d sections, which is the most; take one away first", len(there))
		}
		if err := s.sectionHolds(u, in); err != nil {
			return nil, err
		}
		row := store.Section{Name: name, Title: in.Title, Introduction: in.Introduction, Query: in.Query, Number: in.Number}
		row.Entries.V, row.Starter.V = in.Entries, in.Starter
		switch err := u.SetSection(row); {
		case errors.Is(err, store.ErrTaken):
			return nil, &work.Taken{What: message.Say("there is a section %s already; change that one, or choose another name", name)}
		case errors.Is(err, store.ErrChanged):
			return nil, &work.Outdated{What: message.Say("someone else has changed the section since you read it; read it again, and change it then")}
		case err != nil:
			return nil, err
		}
		u.Record("set-section", 0, 0, map[string]any{"section": name})
		return nil, nil
	}); err != nil {
		return api.Section{}, err
	}
	return s.Section(ctx, name, Query{Limit: onBoard})
}

func sectionProblems(name string, in api.SectionChange) problem.List {
	var wrong problem.List
	if _, err := entry.ParseSlug(name); err != nil {
		wrong.Add("/name", "name", "a section's name has small letters, digits and hyphens, not %q", name)
	}
	wrong = append(wrong, problem.Line("/title", "the title", in.Title)...)
	if strings.TrimSpace(in.Title) == "" || len(in.Title) > mostTitle {
		wrong.Add("/title", "size", "the title has %d bytes; it has 1 to %d", len(in.Title), mostTitle)
	}
	wrong = append(wrong, textSize("/introduction", "the introduction", in.Introduction, mostIntro)...)
	wrong = append(wrong, textSize("/query", "the search", in.Query, mostTyped)...)
	if in.Query != "" && len(in.Entries) > 0 {
		wrong.Add("/entries", "both", "a section is of a search or of entries picked by hand, not of both")
	}
	if in.Query == "" && len(in.Entries) == 0 {
		wrong.Add("/query", "missing", "say what is in it: a search, or entries picked by hand")
	}
	if len(in.Entries) > mostPicked {
		wrong.Add("/entries", "size", "%d entries are picked; there are at most %d", len(in.Entries), mostPicked)
	}
	for i, slug := range in.Entries {
		wrong = append(wrong, problem.Text(problem.Pointer("entries", i), slug)...)
	}
	if in.Starter != nil {
		wrong = append(wrong, in.Starter.Problems()...)
	}
	return wrong
}

func textSize(field, what, text string, most int) problem.List {
	wrong := problem.Text(field, text)
	if len(text) > most {
		wrong.Add(field, "size", "%s has %d bytes; it has at most %d", message.Plain(what), len(text), most)
	}
	return wrong
}

// sectionHolds says whether there is what a section names.
func (s *Service) sectionHolds(u *work.Unit, in api.SectionChange) error {
	terms, err := u.Terms()
	if err != nil {
		return err
	}
	var wrong problem.List
	if in.Query != "" {
		_, note, err := s.ask(search.Sight{Shelf: true}, Query{Text: in.Query}, terms)
		if err != nil {
			return err
		}
		if !note.IsZero() {
			wrong.Add("/query", "label", "%s", note)
		}
	}
	now, err := u.SlugsNow(append([]string{}, in.Entries...))
	if err != nil {
		return err
	}
	for i, slug := range in.Entries {
		if now[slug] == "" {
			wrong.Add(problem.Pointer("entries", i), "missing", "there is no entry %q", slug)
		}
	}
	if in.Starter != nil {
		wrong = append(wrong, texts.LabellingProblems(in.Starter.Labels, terms)...)
	}
	return wrong.Err()
}

// DeleteSection takes a section away; its entries stay.
func (s *Service) DeleteSection(ctx context.Context, by work.Caller, name string) error {
	if err := by.MustCurate("keep sections"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.DropSection(name); err != nil {
			return work.Found(err, noSection(name))
		}
		u.Record("delete-section", 0, 0, map[string]any{"section": name})
		return nil
	})
}

// OrderSections puts all sections in an order.
func (s *Service) OrderSections(ctx context.Context, by work.Caller, names []string) error {
	if err := by.MustCurate("keep sections"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		there, err := u.Sections("")
		if err != nil {
			return err
		}
		var all []string
		for _, t := range there {
			all = append(all, t.Name)
		}
		if sorted := slices.Sorted(slices.Values(names)); !slices.Equal(sorted, slices.Sorted(slices.Values(all))) {
			return work.Wrong("/names", "names", "the order names each section once; they are %s", strings.Join(all, ", "))
		}
		if err := u.OrderSections(names); err != nil {
			return err
		}
		u.Record("order-sections", 0, 0, nil)
		return nil
	})
}
