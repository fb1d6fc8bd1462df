package people_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/people"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

const password = "correct horse battery"

// empty is a world in which nobody can look after the library yet.
func empty(t *testing.T) (*testdb.World, *people.Service) {
	t.Helper()
	w := databases.World(t, nil)
	w.Exec("update people set role = 'contributor' where role = 'curator'")
	return w, people.New(w.DB)
}

func first(code string) api.Setup {
	return api.Setup{Code: code, Person: api.Person{Name: "tamsin.hale", FullName: "Tamsin Hale"}, Password: password}
}

// The code works once, for an hour and five tries, and is dead once there is a curator.
func TestTheFirstCurator(t *testing.T) {
	t.Parallel()
	var refused *people.CodeRefused
	for name, tt := range map[string]struct {
		before func(*testdb.World, *people.Service)
		wrong  string
	}{
		"in time":       {func(w *testdb.World, _ *people.Service) { w.Clock.Pass(59 * time.Minute) }, ""},
		"too late":      {func(w *testdb.World, _ *people.Service) { w.Clock.Pass(61 * time.Minute) }, "has ended"},
		"at the fifth":  {func(_ *testdb.World, s *people.Service) { tryWrong(t, s, 4) }, ""},
		"at the sixth":  {func(_ *testdb.World, s *people.Service) { tryWrong(t, s, 5) }, "too often"},
		"a newer code":  {func(_ *testdb.World, s *people.Service) { _, _ = s.NewSetupCode(context.Background()) }, "not the code"},
		"in small caps": {func(*testdb.World, *people.Service) {}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w, s := empty(t)
			code, err := s.NewSetupCode(t.Context())
			if err != nil || len(code) < 20 {
				t.Fatalf("the code is %q, %v", code, err)
			}
			tt.before(w, s)
			session, err := s.FirstCurator(t.Context(), first(strings.ToUpper(code)))
			if tt.wrong != "" {
				if !errors.As(err, &refused) || !strings.Contains(err.Error(), tt.wrong) {
					t.Fatalf("got %v", err)
				}
				return
			}
			if err != nil || session.Role != entry.Curator || session.Token == "" {
				t.Fatalf("got %+v, %v", session, err)
			}
			if _, err := s.FirstCurator(t.Context(), first(code)); !errors.Is(err, people.ErrHasCurator) {
				t.Errorf("a second time: %v", err)
			}
			if code, err := s.NewSetupCode(t.Context()); code != "" || err != nil {
				t.Errorf("there is a curator, and a code is given: %q, %v", code, err)
			}
		})
	}
}

func tryWrong(t *testing.T, s *people.Service, times int) {
	t.Helper()
	for range times {
		if _, err := s.FirstCurator(t.Context(), first("no-such-code")); err == nil {
			t.Error("a wrong code made a curator")
		}
	}
}

// Of eight who use the code at once, one becomes a curator.
func TestOneFirstCurator(t *testing.T) {
	t.Parallel()
	w, s := empty(t)
	other := people.New(w.Second())
	code, err := s.NewSetupCode(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	calls := make([]func() error, 4)
	for i := range calls {
		calls[i] = func() error {
			_, err := []*people.Service{s, other}[i%2].FirstCurator(t.Context(), first(code))
			return err
		}
	}
	made := 0
	for _, err := range testdb.Race(calls...) {
		if err == nil {
			made++
		} else if !errors.Is(err, people.ErrHasCurator) {
			t.Error(err)
		}
	}
	if made != 1 {
		t.Errorf("%d became the first curator", made)
	}
}

// A link sets a password once; a newer link ends an older one.
func TestPasswordLinks(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	s, ctx, curator := people.New(w.DB), t.Context(), w.By("curator")
	old, err := s.NewPasswordLink(ctx, curator, "reader")
	if err != nil {
		t.Fatal(err)
	}
	link, err := s.NewPasswordLink(ctx, curator, "reader")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SetPassword(ctx, api.NewPassword{Code: old.Code, Password: password}); err == nil {
		t.Error("a link that was replaced works")
	}
	var wrong problem.List
	if err := s.SetPassword(ctx, api.NewPassword{Code: link.Code, Password: "short"}); !errors.As(err, &wrong) {
		t.Errorf("a short password: %v", err)
	}
	set := func() error { return s.SetPassword(ctx, api.NewPassword{Code: link.Code, Password: password}) }
	errs := testdb.Race(set, set)
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("one link, used twice at once: %v", errs)
	}
	session, err := s.SignIn(ctx, people.Origin{}, api.Credentials{Name: "reader", Password: password})
	if err != nil || session.Name != "reader" {
		t.Fatalf("signed in as %q, %v", session.Name, err)
	}
	again, err := s.NewPasswordLink(ctx, curator, "reader")
	if err != nil {
		t.Fatal(err)
	}
	w.Clock.Pass(31 * 24 * time.Hour)
	if err := s.SetPassword(ctx, api.NewPassword{Code: again.Code, Password: password}); err == nil {
		t.Error("a month later the link still works")
	}
}

// Whoever adds people, it is recorded with them or not at all; a table comes in as a
// whole, and says of each row what is wrong.
func TestPeopleAreAddedOnTheRecord(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	s, ctx := people.New(w.DB), t.Context()
	before := w.Rows()["events"]
	new := api.Person{Name: "rowan", FullName: "Rowan Tilley", Role: entry.Contributor}
	for i, by := range []work.Caller{w.By("curator"), work.Service()} {
		new.Name = []string{"rowan", "idris"}[i]
		if _, err := s.Add(ctx, by, new); err != nil {
			t.Fatal(err)
		}
	}
	var taken *work.Taken
	if _, err := s.Add(ctx, w.By("curator"), new); !errors.As(err, &taken) {
		t.Errorf("a name twice: %v", err)
	}
	if after := w.Rows()["events"]; after != before+2 {
		t.Errorf("two were added, and %d recorded", after-before)
	}

	_, err := s.Import(ctx, w.By("curator"), []byte("name,full_name,role,department\nsam,Sam Reed,reader,moon\nsam,,king,laboratory\n"))
	var wrong problem.List
	if !errors.As(err, &wrong) || len(wrong) < 4 || wrong[0].Line != 2 {
		t.Errorf("a bad table: %v", err)
	}
	out, err := s.Import(ctx, w.By("curator"), []byte("full_name,name,role,department\nSam Reed,sam,reader,laboratory\nPia Hurst,pia,contributor,\n"))
	if err != nil || len(out.Items) != 2 || out.Items[0].Code == "" || out.Items[0].Code == out.Items[1].Code {
		t.Fatalf("got %+v, %v", out, err)
	}
	if err := s.SetPassword(ctx, api.NewPassword{Code: out.Items[1].Code, Password: password}); err != nil {
		t.Error(err)
	}
	var refusal *entry.Refusal
	if _, err := s.Import(ctx, w.By("reviewer"), []byte("name\nx")); !errors.As(err, &refusal) {
		t.Errorf("by a reviewer: %v", err)
	}
}

// The last curator stays one, also where two take the role from each other at once.
func TestACuratorIsLeft(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	s, other := people.New(w.DB), people.New(w.Second())
	role := entry.Reader
	errs := testdb.Race(
		func() error {
			_, err := s.Change(t.Context(), w.By("curator"), "chief", api.PersonChange{Role: &role})
			return err
		},
		func() error {
			_, err := other.Change(t.Context(), w.By("chief"), "curator", api.PersonChange{Role: &role})
			return err
		},
	)
	if (errs[0] == nil) == (errs[1] == nil) {
		t.Errorf("of two curators who make each other readers: %v", errs)
	}
}
