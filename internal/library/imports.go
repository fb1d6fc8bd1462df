package library

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"strings"
	"time"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/places"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// importsLast is how long what was brought is kept between plan and end.
const importsLast = 24 * time.Hour

// Bring keeps data that somebody wants to take in, and gives the plan of what
// would become of it. Nothing is taken in yet. It returns a [problem.List] where
// none of it can be read.
func (l *Library) Bring(ctx context.Context, by Caller, name string, data []byte, how bundle.Reading, mapping string) (api.Plan, error) {
	if err := importer(by); err != nil {
		return api.Plan{}, err
	}
	how, err := l.withMapping(ctx, how, mapping)
	if err != nil {
		return api.Plan{}, err
	}
	in := store.Import{ID: uuid.NewString(), PersonID: by.ID, Name: name, Data: data, Reading: store.JSON[bundle.Reading]{V: how}, At: l.now()}
	p, err := l.plan(ctx, l.db.Reader, &in, true)
	if err != nil {
		return api.Plan{}, err
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.DropImport(ctx, in.ID, l.now().Add(-importsLast)); err != nil {
			return err
		}
		return tx.AddImport(ctx, in)
	})
	return p.Plan, err
}

func importer(by Caller) error {
	if by.Role != entry.Curator {
		return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: "only a curator may take a whole import in; you are signed in as a " + string(by.Role) + ". Entry files of your own go in with put"}
	}
	return nil
}

// withMapping adds the way to read tables that was kept under a name.
func (l *Library) withMapping(ctx context.Context, how bundle.Reading, name string) (bundle.Reading, error) {
	if name == "" {
		return how, nil
	}
	kept, err := l.db.Mapping(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		names, _ := l.db.MappingNames(ctx)
		return how, problem.List{{Field: "/mapping", Code: "missing", Message: fmt.Sprintf("no mapping is kept under the name %q; there are: %s", name, orNone(names))}}
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

// Plan gives the plan of what was brought, as the library stands now. With a
// reading it is read in that way from now on, which is kept under a name if one
// is given.
func (l *Library) Plan(ctx context.Context, by Caller, id string, again *bundle.Reading, keepAs string) (api.Plan, error) {
	if err := importer(by); err != nil {
		return api.Plan{}, err
	}
	in, err := l.brought(ctx, l.db.Reader, by, id)
	if err != nil {
		return api.Plan{}, err
	}
	if again != nil {
		in.Reading.V = *again
	}
	p, err := l.plan(ctx, l.db.Reader, &in, true)
	if err != nil {
		return p.Plan, err
	}
	return p.Plan, l.db.Change(ctx, func(tx store.Tx) error {
		if keepAs = strings.TrimSpace(keepAs); keepAs != "" {
			if bad := problem.Text("/keep_as", keepAs); bad != nil {
				return bad
			}
			if err := tx.SaveMapping(ctx, keepAs, in.Reading.V, by.ID, l.now()); err != nil {
				return err
			}
		}
		return tx.AddImport(ctx, in)
	})
}

// Forget drops what was brought.
func (l *Library) Forget(ctx context.Context, by Caller, id string) error {
	if _, err := l.brought(ctx, l.db.Reader, by, id); err != nil {
		return err
	}
	return l.db.Change(ctx, func(tx store.Tx) error { return tx.DropImport(ctx, id, l.now().Add(-importsLast)) })
}

func (l *Library) brought(ctx context.Context, r store.Reader, by Caller, id string) (store.Import, error) {
	if _, err := uuid.Parse(id); err != nil {
		return store.Import{}, &Missing{"there is no such import; bring it again"}
	}
	in, err := r.Import(ctx, id, by.ID)
	return in, found(err, &Missing{"there is no such import of yours, or it has been taken in; bring it again"})
}

// Difference gives the text of a planned entry, as it comes in and as it is here.
func (l *Library) Difference(ctx context.Context, by Caller, id string, number int) (api.PlanDifference, error) {
	if err := importer(by); err != nil {
		return api.PlanDifference{}, err
	}
	in, err := l.brought(ctx, l.db.Reader, by, id)
	if err != nil {
		return api.PlanDifference{}, err
	}
	all, err := bundle.Gather(in.Name, in.Data, in.Reading.V)
	if err != nil {
		return api.PlanDifference{}, err
	}
	if number < 0 || number >= len(all) {
		return api.PlanDifference{}, &Missing{fmt.Sprintf("the import has no entry %d", number)}
	}
	theirs := all[number]
	out := api.PlanDifference{Incoming: string(bundle.File{Content: theirs.Content}.Bytes()), Places: []places.Place{}}
	if found := places.Find(theirs.Body); !theirs.Plain && len(found) > 0 {
		out.Places = found
		out.Turned, _ = places.Turn(theirs.Body, found)
	}
	rows, err := l.db.CurrentOf(ctx, []string{theirs.Slug})
	if err != nil {
		return out, err
	}
	if len(rows) == 0 {
		if rows, err = l.likest(ctx, in, number); err != nil {
			return out, err
		}
	}
	if len(rows) > 0 {
		last := rows[len(rows)-1]
		out.Slug, out.Here = last.Slug, string(bundle.File{Content: last.Content()}.Bytes())
	}
	return out, nil
}
