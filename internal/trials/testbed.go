package trials

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/rows"
	"goldshelf/core/trial"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

func mayChangeBed(by work.Caller, e store.Entry) error {
	if entry.LooksAfter(by.Actor(), texts.Status(e)) {
		return nil
	}
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("the test bed of %s is changed by who answers for it", e.Slug)}
}

// bed gives an entry's test bed, an empty one where there is none.
func bed(r store.Reader, by work.Caller, e store.Entry) (api.TestBed, error) {
	b, err := r.TestBed(e.ID)
	if errors.Is(err, store.ErrNotFound) {
		err = nil
	}
	out := api.TestBed{Bed: b.Bed.V, Says: says(b.Bed.V.Expectations), Number: b.Number, By: b.By, MayChange: mayChangeBed(by, e) == nil}
	out.Fills = append([]trial.TestFill{}, out.Fills...)
	out.Expectations = append([]trial.Expectation{}, out.Expectations...)
	if b.Number > 0 {
		out.At = texts.UTC(&b.At)
	}
	return out, err
}

func says(all []trial.Expectation) []message.Text {
	out := make([]message.Text, len(all))
	for i, e := range all {
		out[i] = e.Says()
	}
	return out
}

// TestBed gives the test bed of an entry that is seen.
func (s *Service) TestBed(ctx context.Context, by work.Caller, slug string) (api.TestBed, error) {
	return work.See(ctx, s.db, func(v work.View) (api.TestBed, error) {
		e, err := texts.Seen(v.Reader, by, slug)
		if err != nil {
			return api.TestBed{}, err
		}
		return bed(v.Reader, by, e)
	})
}

// SetTestBed changes the test bed that was read under a number, 0 where there was none. It
// returns a [problem.List] with all that is wrong with it, and [work.Outdated] where somebody
// has changed it since.
func (s *Service) SetTestBed(ctx context.Context, by work.Caller, slug string, on int, in trial.Bed) (api.TestBed, error) {
	wrong := in.Problems()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.TestBed, error) {
		e, err := texts.Lock(u, slug)
		if err != nil {
			return api.TestBed{}, err
		}
		if err := mayChangeBed(by, e); err != nil {
			return api.TestBed{}, err
		}
		more, err := named(u.Reader, in.Expectations)
		if err != nil {
			return api.TestBed{}, err
		}
		if err := append(wrong, more...).Err(); err != nil {
			return api.TestBed{}, err
		}
		for i := range in.Fills {
			in.Fills[i].Name = strings.TrimSpace(in.Fills[i].Name)
		}
		if _, err := u.SetTestBed(e.ID, on, in, by.ID); errors.Is(err, store.ErrNotFound) {
			return api.TestBed{}, &work.Outdated{What: message.Say("somebody has changed the test bed of %s by now; read it, and change that", slug)}
		} else if err != nil {
			return api.TestBed{}, err
		}
		u.Record("change-test-bed", e.ID, 0, map[string]any{"fills": len(in.Fills), "expectations": len(in.Expectations)})
		return bed(u.Reader, by, e)
	})
}

// named says which entries that expectations name there are none of.
func named(r store.Reader, all []trial.Expectation) (wrong problem.List, err error) {
	for i, e := range all {
		kind := map[trial.Kind]entry.Kind{trial.Style: entry.Style, trial.ByPrompt: entry.Prompt}[e.Kind]
		if kind == "" || e.Text == "" {
			continue
		}
		at := problem.Pointer("expectations", i, "text")
		found, err := r.ShelvedIDs([]fill.Ref{{Entry: e.Text}})
		if err != nil {
			return nil, err
		}
		if len(found) == 0 || entry.Kind(found[0].Kind) != kind {
			wrong.Add(at, "unknown", "there is no %s %.80s on the shelf", kind, e.Text)
		}
	}
	return wrong, nil
}

// Fills reads fills from a table: a column for each blank, and one called name. Its error is a
// [problem.List].
func (s *Service) Fills(in string) (api.TestFills, error) {
	out := api.TestFills{Fills: []trial.TestFill{}}
	if len(in) > mostCSV {
		return out, work.Wrong("/csv", "size", "the table has %d bytes; 1 MiB are possible", len(in))
	}
	table, err := rows.Read([]byte(in))
	if err != nil {
		return out, err
	}
	for i, row := range table.Rows {
		f := trial.TestFill{Name: fmt.Sprintf("row %d", i+1), Values: fill.Values{}}
		for c, heading := range table.Headings {
			switch {
			case strings.EqualFold(heading, "name") && strings.TrimSpace(row[c]) != "":
				f.Name = strings.TrimSpace(row[c])
			case row[c] != "":
				f.Values[heading] = fill.Single(row[c])
			}
		}
		out.Fills = append(out.Fills, f)
	}
	return out, nil
}
