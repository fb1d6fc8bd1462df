package ownership

import (
	"context"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// mostAtOnce is how many entries are transferred at once at most.
const mostAtOnce = 2_000

// PlanTransfer shows what transferring many entries would do. It changes nothing. Its digest
// stands for what is shown.
func (s *Service) PlanTransfer(ctx context.Context, by work.Caller, req api.TransferMany) (api.TransferPlan, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.TransferPlan, error) {
		plan, _, err := planMany(u, req)
		return plan, err
	})
}

// TransferMany has someone else answer for many entries, as PlanTransfer has shown it, all of
// it or nothing: it returns [work.Outdated] if that would be something else by now, and a
// [problem.List] with every entry that the caller may not transfer. What they answer for
// already stays.
func (s *Service) TransferMany(ctx context.Context, by work.Caller, req api.TransferMany) (api.Transferred, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Transferred, error) {
		plan, next, err := planMany(u, req)
		if err != nil {
			return api.Transferred{}, err
		}
		if err := work.MustBeShown(req.Digest, plan.Digest); err != nil {
			return api.Transferred{}, err
		}
		slugs := make([]string, len(plan.Items))
		for i, it := range plan.Items {
			slugs[i] = it.Slug
		}
		return transfer(u, slugs, next)
	})
}

// planMany gives what would be transferred, and to whom. It locks the entries.
func planMany(u *work.Unit, req api.TransferMany) (plan api.TransferPlan, to store.Person, err error) {
	if !u.By.Role.Includes(entry.Contributor) {
		return plan, to, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("many entries are transferred by those who look after them; transfer one by one what is yours")}
	}
	wrong := texts.ManyProblems(req.Slugs, mostAtOnce)
	if err := wrong.Err(); err != nil {
		return plan, to, err
	}
	if to, err = nextOwner(u.Reader, "/to", req.To); err != nil {
		return plan, to, err
	}
	entries, err := texts.LockAll(u, req.Slugs...)
	if err != nil {
		return plan, to, err
	}
	people, err := u.People()
	if err != nil {
		return plan, to, err
	}
	names := map[int64]string{}
	for _, p := range people {
		names[p.ID] = p.Name
	}
	ids := make([]int64, len(entries))
	for i, e := range entries {
		ids[i] = e.ID
	}
	titles, err := u.EntryTitles(ids)
	if err != nil {
		return plan, to, err
	}
	plan.Items = []api.TransferItem{}
	for i, e := range entries {
		switch {
		case to.ID == e.OwnerID:
			plan.Same++
			continue
		case !entry.LooksAfter(u.By.Actor(), texts.Status(e)):
			wrong.Add(problem.Pointer("slugs", i), "owner", "only its owner, its deputy or a curator may transfer %s", e.Slug)
			continue
		}
		plan.Items = append(plan.Items, api.TransferItem{Slug: e.Slug, Title: titles[e.ID], Owner: names[e.OwnerID], Offered: u.By.Role != entry.Curator && to.ID != u.By.ID})
	}
	slices.SortFunc(plan.Items, func(a, b api.TransferItem) int {
		if a.Slug < b.Slug {
			return -1
		}
		return 1
	})
	if plan.Digest, err = work.PlanDigest(to.Name, plan.Items); err != nil {
		return plan, to, err
	}
	return plan, to, wrong.Err()
}
