package notify

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"goldshelf/core/entry"
	"goldshelf/internal/channel"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Delivery is something that a channel is about to be told.
type Delivery struct{ row store.Delivery }

// ClaimDue takes on what is due, one thing a channel and so many at the most, so that
// no other service sends it too.
func (s *Service) ClaimDue(ctx context.Context, most int) ([]Delivery, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) ([]Delivery, error) {
		rows, err := u.ClaimDeliveries(most)
		due := make([]Delivery, len(rows))
		for i, d := range rows {
			due[i].row = d
		}
		return due, err
	})
}

// Send tells a channel of one event, and keeps how that ended.
func (s *Service) Send(ctx context.Context, due Delivery) error {
	d := due.row
	event, err := s.eventOf(ctx, d)
	if err != nil {
		return err
	}
	at := s.db.Now()
	status, sendErr := s.sender.Send(ctx, d.URL, d.Secret, fmt.Sprintf("event-%d-%d", d.ChannelID, d.EventID), at, event)
	d.State, d.Status, d.Failed = "done", status, ""
	if sendErr != nil && ctx.Err() != nil {
		// The service stops: that is no failure of the channel's.
		d.State, d.NextAt, d.Attempts = "waiting", at, d.Attempts-1
	} else if sendErr != nil {
		d.State, d.Failed = "given-up", sendErr.Error()
		if pause, more := channel.Pause(d.Attempts); more && !errors.Is(sendErr, channel.ErrInside) {
			d.State, d.NextAt = "waiting", at.Add(pause)
		}
	}
	// Whatever ends meanwhile, how it ended is kept: else it would be sent twice.
	keep, cancel := context.WithTimeout(context.WithoutCancel(ctx), keepWithin)
	defer cancel()
	return work.Run(keep, s.db, work.Service(), func(u *work.Unit) error { return u.SettleDelivery(d) })
}

// eventOf is what a channel is told by a delivery.
func (s *Service) eventOf(ctx context.Context, d store.Delivery) (channel.Event, error) {
	return work.See(ctx, s.db, func(v work.View) (channel.Event, error) {
		n, err := v.EventNews(d.EventID)
		if err != nil {
			return channel.Event{}, err
		}
		event := channel.Event{
			SpecVersion: "1.0", ID: strconv.FormatInt(n.Number, 10), Source: "urn:goldshelf:library", Time: n.At.UTC(), DataContentType: "application/json",
		}
		if d.Action == entry.StocktakeReport.Recorded() {
			p, err := v.StocktakeReport(numberIn(n.Detail.V, "report"))
			event.Type, event.Subject = "goldshelf.stocktake.report", p.Since.Format(time.DateOnly)
			event.Data = map[string]any{"since": p.Since.Format(time.DateOnly), "until": p.Until.AddDate(0, 0, -1).Format(time.DateOnly), "language": p.Language, "markdown": p.Text}
			return event, err
		}
		it := newsItem(n)
		event.Type, event.Subject = "goldshelf.entry."+it.Action, it.Slug
		event.Data = map[string]any{"slug": it.Slug, "title": it.Title, "kind": it.Kind, "version": it.Version, "department": n.Department, "by": it.ByName, "why": it.Why}
		return event, nil
	})
}

const (
	keepWithin = 5 * time.Second

	// stoppedBefore is how long ago something was begun to be sent if whoever did so
	// has been stopped since.
	stoppedBefore = time.Minute
)

// Resume has sent again, under the same id, what was being sent when a service was
// stopped.
func (s *Service) Resume(ctx context.Context) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error { return u.ResumeDeliveries(u.Now().Add(-stoppedBefore)) })
}

// numberIn reads a number of an event's details, which are kept as JSON.
func numberIn(detail map[string]any, name string) int64 {
	n, _ := detail[name].(float64)
	return int64(n)
}
