package demo

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io/fs"
	"math"
	"path"
	"strings"

	"goldshelf/api"
	"goldshelf/core/trial"
	"goldshelf/internal/library"
	"goldshelf/internal/store"
	"goldshelf/internal/trials"
	"goldshelf/internal/work"
)

// tried is what an entry is tried with, a file each.
type tried struct {
	By     string    `json:"by"`
	Bed    trial.Bed `json:"bed"`
	Trials []struct {
		api.NewTrial
		Blind bool `json:"blind"` // people compare its replies
	} `json:"trials"`
}

// Asked begins the demo's trials and talks, once, and has people compare replies of one trial as
// soon as they have come. What it gives is done again until there is nothing left to do.
func Asked(lib *library.Library) func(context.Context) error {
	done := false
	return func(ctx context.Context) error {
		if done {
			return nil
		}
		names, err := fs.Glob(files, "trials/*.json")
		if err != nil {
			return err
		}
		all := true
		for _, name := range names {
			ended, err := tryOne(ctx, lib, name)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			all = all && ended
		}
		for _, do := range []func() (bool, error){
			func() (bool, error) { return talk(ctx, lib) },
			func() (bool, error) { return tryUsers(ctx, lib, "boil-water-wording") },
		} {
			ended, err := do()
			if err != nil {
				return err
			}
			all = all && ended
		}
		if all {
			if err := allow(ctx, lib); err != nil {
				return err
			}
		}
		done = all
		return nil
	}
}

func tryOne(ctx context.Context, lib *library.Library, name string) (ended bool, err error) {
	data, err := files.ReadFile(name)
	if err != nil {
		return false, err
	}
	var t tried
	if err := json.Unmarshal(data, &t); err != nil {
		return false, err
	}
	slug := strings.TrimSuffix(path.Base(name), ".json")
	by, err := personOf(ctx, lib, t.By)
	if err != nil {
		return false, err
	}
	bed, err := lib.Trials.TestBed(ctx, by, slug)
	if err != nil {
		return false, err
	}
	if bed.Number == 0 {
		if _, err := lib.Trials.SetTestBed(ctx, by, slug, 0, t.Bed); err != nil {
			return false, err
		}
		for _, in := range t.Trials {
			if _, err := lib.Trials.Start(ctx, by, slug, in.NewTrial); err != nil {
				return false, err
			}
		}
		return false, nil
	}
	list, err := lib.Trials.List(ctx, by, trials.Wanted{Entry: slug})
	if err != nil {
		return false, err
	}
	for _, in := range t.Trials {
		for _, it := range list.Items {
			switch {
			case it.State == "running":
				return false, nil
			case in.Blind && it.Title == in.Title:
				if err := compare(ctx, lib, it.ID); err != nil {
					return false, err
				}
			}
		}
	}
	return true, nil
}

// compare has three people say which of two replies is better: each likes the shorter one as a
// rule, one of them only where it is much shorter, and none likes an apology.
func compare(ctx context.Context, lib *library.Library, id string) error {
	for _, name := range []string{"contributor", "reviewer", "care-lead"} {
		by, err := personOf(ctx, lib, name)
		if err != nil {
			return err
		}
		for {
			p, err := lib.Trials.Pair(ctx, by, id)
			var none *work.Missing
			if errors.As(err, &none) {
				break
			}
			if err != nil {
				return err
			}
			better := preferred(p.First.Text, p.Second.Text, name)
			if err := lib.Trials.Prefer(ctx, by, id, api.NewPreference{First: p.First.ID, Second: p.Second.ID, Better: better}); err != nil {
				return err
			}
		}
	}
	return nil
}

func preferred(first, second, name string) string {
	taste := fnv.New32a() // one time in six somebody sees it otherwise
	taste.Write([]byte(name + first + second))
	if taste.Sum32()%6 == 0 {
		first, second = second, first
	}
	burden := func(text string) int {
		return len(text) + 200*strings.Count(strings.ToLower(text), "sorry") + 200*strings.Count(strings.ToLower(text), "apologi")
	}
	a, b := burden(first), burden(second)
	switch {
	case name == "reviewer" && 10*min(a, b) > 8*max(a, b), a == b:
		return "neither"
	case a < b:
		return "first"
	}
	return "second"
}

func personOf(ctx context.Context, lib *library.Library, name string) (work.Caller, error) {
	p, err := work.Ask(ctx, lib.DB, func(v work.View) (store.Person, error) { return v.PersonByName(name) })
	return work.CallerOf(p, "service"), err
}

// allow has a department and a colleague be near the end of what they may use up this month: a
// tenth of what they have used up is left to them.
func allow(ctx context.Context, lib *library.Library) error {
	by, err := personOf(ctx, lib, "curator")
	if err != nil {
		return err
	}
	now, err := lib.Allowances.List(ctx, by)
	if err != nil || len(now.All) > 0 {
		return err
	}
	most := int64(1_000_000)
	for _, of := range [][2]string{{"department", "procurement"}, {"person", "press-desk"}} {
		now, err := lib.Allowances.Set(ctx, by, of[0], of[1], api.SetAllowance{Words: &most})
		if err != nil {
			return err
		}
		for _, a := range now.All {
			if a.Kind != of[0] || a.Name != of[1] {
				continue
			}
			near := api.SetAllowance{Number: a.Number, Words: new(int64), Money: new(float64)}
			*near.Words, *near.Money = max(100, a.SpentWords*11/10), max(1, math.Ceil(a.SpentMoney*110)/100)
			if _, err := lib.Allowances.Set(ctx, by, of[0], of[1], near); err != nil {
				return err
			}
		}
	}
	return nil
}
