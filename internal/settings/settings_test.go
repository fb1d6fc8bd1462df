package settings_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/audit"
	"goldshelf/internal/settings"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// Two who change the settings that they both read: one does.
func TestSettingsAreChangedOnWhatWasRead(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s, other := settings.New(w.DB), settings.New(w.Second())
	now, err := s.Library(ctx)
	if err != nil || now.Zone != "UTC" {
		t.Fatalf("at first: %+v, %v", now, err)
	}
	set := func(s *settings.Service, by, name string) func() error {
		return func() error {
			_, err := s.SetLibrary(ctx, w.By(by), now.Number, api.Library{Name: name, Zone: "Europe/London"})
			return err
		}
	}
	errs := testdb.Race(set(s, "curator", "Larkfen Water"), set(other, "chief", "Larkfen"))
	var outdated *work.Outdated
	if (errs[0] == nil) == (errs[1] == nil) || !errors.As(errors.Join(errs...), &outdated) {
		t.Errorf("two at once: %v", errs)
	}
	now, err = s.Library(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var wrong problem.List
	for _, bad := range []api.Library{{Name: "", Zone: "UTC"}, {Name: "x", Zone: "Moon/Base"}, {Name: "x", Zone: "Local"}, {Name: "x", Zone: ""}} {
		if _, err := s.SetLibrary(ctx, w.By("curator"), now.Number, bad); !errors.As(err, &wrong) {
			t.Errorf("%+v: %v", bad, err)
		}
	}
}

// Days begin where the library is, wherever the service and whoever asks are.
func TestDaysBeginInTheLibrarysZone(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := settings.New(w.DB)
	now, err := s.Library(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.SetLibrary(ctx, w.By("curator"), now.Number, api.Library{Name: "Larkfen Water", Zone: "Pacific/Auckland"}); err != nil {
		t.Fatal(err)
	}
	auckland, err := time.LoadLocation("Pacific/Auckland")
	if err != nil {
		t.Fatal(err)
	}
	year := time.Now().Year() + 1
	w.Clock.Pass(time.Until(time.Date(year, 5, 2, 0, 30, 0, 0, auckland))) // 1 May in UTC
	w.Create(testdb.Prompt("notice", "Write to {{area}}.\n"))
	records := audit.New(w.DB)
	for day, want := range map[string]int{fmt.Sprintf("%d-05-02", year): 1, fmt.Sprintf("%d-05-01", year): 0} {
		got, err := records.Records(ctx, w.By("curator"), audit.Query{Slug: "notice", From: day, Until: day})
		if err != nil || len(got.Items) != want {
			t.Errorf("on %s there are %d records, %v; want %d", day, len(got.Items), err, want)
		}
	}
}
