package people

import (
	"context"
	"fmt"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Left is what somebody is called who was deleted.
const Left = "Someone who left"

// Delete deletes what is somebody's alone, and makes them nameless in what must stay: what they
// wrote and decided, and the record of changes. It is for curators, of who has left and owns
// nothing; it cannot be undone. Only one who deletes twice gets a [work.Missing].
func (s *Service) Delete(ctx context.Context, by work.Caller, name string) error {
	if err := by.MustCurate("delete people"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if err := u.LockPeople(); err != nil {
			return err
		}
		p, err := u.PersonByName(name)
		if err != nil {
			return work.Found(err, nobody(name))
		}
		if err := stillIs(u, by); err != nil {
			return err
		}
		if err := u.LookAtAll(); err != nil {
			return err
		}
		if err := mayGo(u, p); err != nil {
			return err
		}
		if err := u.DeleteTraces(p); err != nil {
			return err
		}
		called := fmt.Sprintf("left-%d", p.ID)
		n, err := u.MakeNameless(p.ID, called, Left, u.Now())
		if err != nil {
			return err
		}
		u.Forget(work.Sessions)
		u.Record("delete-person", 0, 0, map[string]any{"person": called, "records": n.Records, "together": n.Together, "left": n.Remains})
		return nil
	})
}

// mayGo says what keeps somebody from being deleted.
func mayGo(u *work.Unit, p store.Person) error {
	var wrong problem.List
	if p.Active {
		wrong.Add("/name", "active", "%s has not left; deactivate them first", p.FullName)
	}
	owned, err := u.Owned(store.Sight{All: true})
	if err != nil {
		return err
	}
	if n := owned[p.ID]; n > 0 {
		wrong.Add("/name", "owns", "%s owns entries, %d in all; transfer them first", p.FullName, n)
	}
	return wrong.Err()
}

// mostTold is how many rows of a kind somebody is told of themselves over the API.
const mostTold = 10_000

// Data gives all that the library has of the caller.
func (s *Service) Data(ctx context.Context, by work.Caller) (api.PersonData, error) {
	return work.See(ctx, s.db, func(v work.View) (api.PersonData, error) {
		if err := v.Look(by.ID); err != nil {
			return api.PersonData{}, err
		}
		p, err := v.PersonByID(by.ID)
		if err != nil {
			return api.PersonData{}, err
		}
		return dataOf(v, p, mostTold)
	})
}

// DataOf gives all that the library has of somebody, to whoever keeps the machine.
func (s *Service) DataOf(ctx context.Context, name string) (api.PersonData, error) {
	return work.See(ctx, s.db, func(v work.View) (api.PersonData, error) {
		if err := v.LookAtAll(); err != nil {
			return api.PersonData{}, err
		}
		p, err := v.PersonByName(name)
		if err != nil {
			return api.PersonData{}, work.Found(err, nobody(name))
		}
		return dataOf(v, p, 0)
	})
}

// dataOf gives the traces of somebody, so many rows of each kind at most.
func dataOf(v work.View, p store.Person, most int) (api.PersonData, error) {
	lib, err := v.Library()
	if err != nil {
		return api.PersonData{}, err
	}
	owned, err := v.Owned(store.Sight{All: true})
	if err != nil {
		return api.PersonData{}, err
	}
	out := api.PersonData{Library: lib.Name, At: v.Now().UTC(), Person: colleague(p), Kinds: []api.DataKind{}}
	out.Person.Owns = owned[p.ID]
	for _, t := range store.Traces() {
		if t.Kind == "" {
			continue
		}
		got, err := v.Traced(t, p.ID, most)
		if err != nil {
			return out, fmt.Errorf("read %s: %w", t.Table, err)
		}
		if got.There == 0 {
			continue
		}
		out.Kinds = append(out.Kinds, api.DataKind{Kind: t.Kind, Deleted: t.Gone, Count: got.There, Items: got.Rows.V})
	}
	return out, nil
}
