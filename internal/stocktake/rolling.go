package stocktake

import (
	"context"
	"time"

	"goldshelf/core/stocktake"
	"goldshelf/internal/work"
)

// daysAtOnce is how many days are looked for that are to be rolled up; those of one week are
// rolled up together.
const daysAtOnce = 400

// RollUp works out what was used on days that are not rolled up yet, and today, and gives how
// many those were. Each week is kept by itself, so that whoever stops it loses little.
func (s *Service) RollUp(ctx context.Context) (days int, err error) {
	due, err := work.Ask(ctx, s.db, func(v work.View) ([]time.Time, error) { return v.DaysToRoll(daysAtOnce) })
	if err != nil {
		return 0, err
	}
	for len(due) > 0 {
		n := 1
		for n < len(due) && stocktake.Monday(due[n]).Equal(stocktake.Monday(due[0])) {
			n++
		}
		if err := work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error { return u.RollUp(due[0], due[n-1]) }); err != nil {
			return days, err
		}
		days += n
		due = due[n:]
	}
	return days, nil
}

// Keep rolls up, reads ahead what most ask for, so that nobody waits for it, and makes the
// reports that are due.
func (s *Service) Keep(ctx context.Context) error {
	if _, err := s.RollUp(ctx); err != nil {
		return err
	}
	by, usual := work.Service(), Query{}
	for _, read := range []func() error{
		func() error { _, err := s.Use(ctx, by, usual, ""); return err },
		func() error { _, err := s.Coverage(ctx, by, usual, "department", "application"); return err },
		func() error { _, err := s.Gaps(ctx, by, usual); return err },
		func() error { _, err := s.Freshness(ctx, by, usual); return err },
		func() error { _, err := s.Contributors(ctx, by, usual); return err },
		func() error { _, err := s.Costs(ctx, by, usual); return err },
	} {
		if err := read(); err != nil {
			return err
		}
	}
	return s.MakeReports(ctx)
}

// RollUpAgain works out anew what the uses that are kept still tell, for whoever keeps the
// machine. What they tell no more stays.
func (s *Service) RollUpAgain(ctx context.Context) (days int, err error) {
	if err := work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error { return u.ForgetRolled() }); err != nil {
		return 0, err
	}
	return s.RollUp(ctx)
}
