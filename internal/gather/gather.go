// Package gather has the use cases by which entries come in from elsewhere: read, planned
// against what is here, and applied.
package gather

import (
	"context"
	"errors"
	"maps"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db       *work.DB
	applying sync.Map // progress of the imports under way, by person and id
}

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db: db} }

// KeepFor is how long what was brought is kept between plan and end.
const KeepFor = 24 * time.Hour

// Create keeps data that somebody wants to import, and gives the plan of what would
// become of it. Nothing comes in yet. It returns a [problem.List] where none of it can
// be read.
func (s *Service) Create(ctx context.Context, by work.Caller, name string, data []byte, how bundle.Reading, mapping string) (api.Plan, error) {
	if err := mayImport(by); err != nil {
		return api.Plan{}, err
	}
	if err := append(problem.Text("/name", name), problem.Text("/mapping", mapping)...).Err(); err != nil {
		return api.Plan{}, err
	}
	in := store.Import{ID: uuid.NewString(), PersonID: by.ID, Name: name, Data: data}
	p, err := work.See(ctx, s.db, func(v work.View) (planned, error) {
		how, err := withMapping(v.Reader, how, mapping)
		if err != nil {
			return planned{}, err
		}
		in.Reading.V, in.At = how, v.Now()
		return plan(v.Reader, &in, true)
	})
	if err != nil {
		return api.Plan{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Plan, error) {
		if err := u.AddImport(in); err != nil {
			return api.Plan{}, err
		}
		return p.Plan, u.DropOldImports(by.ID, mostBrought)
	})
}

// mostBrought is how many imports somebody has under way at most: the oldest is forgotten
// for the next.
const mostBrought = 10

func mayImport(by work.Caller) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only a curator may import; you are signed in as a %s. Entry files of your own go in with put", by.Role)}
	}
	return nil
}

// withMapping adds the way to read tables that was kept under a name.
func withMapping(r store.Reader, how bundle.Reading, name string) (bundle.Reading, error) {
	if name == "" {
		return how, nil
	}
	kept, err := r.Mapping(name)
	if errors.Is(err, store.ErrNotFound) {
		names, err := r.MappingNames()
		return how, errors.Join(err, work.Wrong("/mapping", "missing", "no mapping is kept under the name %q; there are: %s", name, orNone(names)))
	}
	if err != nil {
		return how, err
	}
	columns := maps.Clone(kept.Columns)
	if columns == nil {
		columns = map[string]string{}
	}
	maps.Copy(columns, how.Columns)
	kept.Columns = columns
	if how.Kind != "" {
		kept.Kind = how.Kind
	}
	if how.Split != "" {
		kept.Split = how.Split
	}
	if how.Source != nil {
		kept.Source = how.Source
	}
	kept.Format = how.Format
	return kept, nil
}

func orNone(names []string) string {
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// Plan gives the plan of an import, as the library stands now.
func (s *Service) Plan(ctx context.Context, by work.Caller, id string) (api.Plan, error) {
	if err := mayImport(by); err != nil {
		return api.Plan{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.Plan, error) {
		in, err := brought(v.Reader, by, id)
		if err != nil {
			return api.Plan{}, err
		}
		p, err := plan(v.Reader, &in, true)
		return p.Plan, err
	})
}

// Reread is Plan of an import that is read in another way from now on. That way is kept
// under a name if one is given.
func (s *Service) Reread(ctx context.Context, by work.Caller, id string, how bundle.Reading, keepAs string) (api.Plan, error) {
	if err := mayImport(by); err != nil {
		return api.Plan{}, err
	}
	keepAs = strings.TrimSpace(keepAs)
	if err := problem.Text("/keep_as", keepAs).Err(); err != nil {
		return api.Plan{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Plan, error) {
		in, err := brought(u.Reader, by, id)
		if err != nil {
			return api.Plan{}, err
		}
		in.Reading.V = how
		p, err := plan(u.Reader, &in, true)
		if err != nil {
			return p.Plan, err
		}
		if keepAs != "" {
			if err := u.SaveMapping(keepAs, how, by.ID, u.Now()); err != nil {
				return p.Plan, err
			}
		}
		return p.Plan, u.AddImport(in)
	})
}

// Delete forgets an import.
func (s *Service) Delete(ctx context.Context, by work.Caller, id string) error {
	if err := mayImport(by); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if _, err := brought(u.Reader, by, id); err != nil {
			return err
		}
		return u.DropImport(id)
	})
}

func brought(r store.Reader, by work.Caller, id string) (store.Import, error) {
	if _, err := uuid.Parse(id); err != nil {
		return store.Import{}, work.MissingF("there is no such import; create it again")
	}
	in, err := r.Import(id, by.ID)
	return in, work.Found(err, work.MissingF("there is no such import of yours, or it has been applied; create it again"))
}

// Compare gives the text of a planned entry, as it comes in and as it is here.
func (s *Service) Compare(ctx context.Context, by work.Caller, id string, number int64) (api.PlanDifference, error) {
	if err := mayImport(by); err != nil {
		return api.PlanDifference{}, err
	}
	return work.See(ctx, s.db, func(v work.View) (api.PlanDifference, error) {
		in, err := brought(v.Reader, by, id)
		if err != nil {
			return api.PlanDifference{}, err
		}
		all, err := bundle.Gather(in.Name, in.Data, in.Reading.V)
		if err != nil {
			return api.PlanDifference{}, err
		}
		if number < 0 || number >= int64(len(all)) {
			return api.PlanDifference{}, work.MissingF("the import has no entry %d", number)
		}
		theirs := all[number]
		out := api.PlanDifference{Incoming: string(bundle.File{Content: theirs.Content}.Bytes()), Places: []places.Place{}}
		if found := places.Find(theirs.Body); !theirs.Plain && len(found) > 0 {
			out.Places = found
			out.WithBlanks, _ = places.MakeBlanks(theirs.Body, found)
		}
		rows, err := v.CurrentOf([]string{theirs.Slug})
		if err == nil && len(rows) == 0 {
			rows, err = mostSimilar(v.Reader, in, int(number))
		}
		if len(rows) > 0 {
			last := rows[len(rows)-1]
			out.Slug, out.Here = last.Slug, string(bundle.File{Content: last.Content()}.Bytes())
		}
		return out, err
	})
}
