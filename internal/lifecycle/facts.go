package lifecycle

import (
	"slices"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// factsKept returns [InUse] where a version that is to stand on the shelf leaves out an
// answer that published entries follow. Those that are published together with it are
// held against it by themselves.
func factsKept(u *work.Unit, v store.Version, together []store.Version) error {
	if entry.Kind(v.Kind) != entry.Sheet {
		return nil
	}
	followers, err := u.FactFollowers(v.EntryID)
	if err != nil || len(followers) == 0 {
		return err
	}
	followers = slices.DeleteFunc(followers, func(f store.FactFollower) bool {
		return slices.ContainsFunc(together, func(t store.Version) bool { return t.Slug == f.Slug })
	})
	ids := make([]int64, len(followers))
	for i, f := range followers {
		ids[i] = f.VersionID
	}
	rows, err := u.VersionsByID(ids)
	if err != nil {
		return err
	}
	slices.SortFunc(rows, func(a, b store.Version) int { return int(a.ID - b.ID) })
	names, err := u.NamesOf(v.EntryID)
	if err != nil {
		return err
	}
	kept := &InUse{Slug: v.Slug, Leaves: true}
	for _, row := range rows {
		for _, f := range row.Content().Facts() {
			if f.Version != 0 || !slices.Contains(names, f.Slug) || v.Content().Answered(f.Question) {
				continue
			}
			kept.Problems.Add(problem.Pointer("answers", f.Question), "in-use", "%s (%s@%d, looked after by %s) has %s from here, and this version leaves it out", row.Title, row.Slug, row.Number, row.OwnerName, f.Question)
		}
	}
	if kept.Problems != nil {
		return kept
	}
	return nil
}
