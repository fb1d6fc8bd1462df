// Package audit reads the record of changes: searched, taken out and verified. Nobody
// writes it but the unit of work.
package audit

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct{ db *work.DB }

// New gives the use cases on a library.
func New(db *work.DB) *Service { return &Service{db} }

// Query narrows the record of changes. What is empty narrows nothing. From and Until
// are days, as 2006-01-02 in the library's zone, or times of RFC 3339; a day of Until
// is meant with all of it.
type Query struct {
	Person, Slug, Action, Via, Words string
	From, Until                      string
	Limit                            int
	Cursor                           string
}

const (
	usualLimit  = 50 // records on a page
	mostLimit   = 200
	exportBatch = 2000 // records that are read at once for an export
)

// Records gives a page of the record of changes, the newest first. It returns an
// entry.Refusal to all but curators.
func (s *Service) Records(ctx context.Context, by work.Caller, q Query) (api.Audit, error) {
	out := api.Audit{Items: []api.Record{}}
	if err := by.MustCurate("read the record of changes"); err != nil {
		return out, err
	}
	limit := usualLimit
	if q.Limit > 0 {
		limit = min(q.Limit, mostLimit)
	}
	return work.See(ctx, s.db, func(v work.View) (api.Audit, error) {
		out.Items = out.Items[:0] // the view may run again
		sq, err := storeQuery(v.Reader, q)
		if err != nil {
			return out, err
		}
		sq.Limit = limit + 1
		rows, err := v.Audit(sq)
		if err != nil {
			return out, err
		}
		rows, out.Next = work.PageOf(rows, limit, func(r store.Record) int64 { return r.Number })
		for _, r := range rows {
			out.Items = append(out.Items, Record(r))
		}
		return out, nil
	})
}

// storeQuery is a query with its days reckoned in the library's zone.
func storeQuery(r store.Reader, q Query) (out store.AuditQuery, err error) {
	out = store.AuditQuery{Person: q.Person, Slug: q.Slug, Action: q.Action, Via: q.Via, Words: q.Words}
	lib, err := r.Library()
	if err != nil {
		return out, err
	}
	zone, err := time.LoadLocation(lib.Zone)
	if err != nil {
		return out, fmt.Errorf("the library's zone: %w", err)
	}
	var wrong problem.List
	for _, f := range []struct{ field, text string }{{"person", q.Person}, {"entry", q.Slug}, {"action", q.Action}, {"via", q.Via}, {"q", q.Words}} {
		wrong = append(wrong, problem.Text("/"+f.field, f.text)...)
	}
	for _, f := range []struct {
		field, text string
		to          **time.Time
		days        int // that a day stands for
	}{{"from", q.From, &out.From, 0}, {"until", q.Until, &out.Until, 1}} {
		if f.text == "" {
			continue
		}
		t, err := time.Parse(time.RFC3339, f.text)
		if err != nil {
			t, err = time.ParseInLocation(time.DateOnly, f.text, zone)
			t = t.AddDate(0, 0, f.days)
		}
		if err != nil || t.Year() < 1 || t.Year() > 9999 {
			wrong.Add("/"+f.field, "date", "%q is no time; write a day as 2026-11-30, or a time of RFC 3339", f.text)
			continue
		}
		*f.to = &t
	}
	if out.Before, err = work.NumberCursor(q.Cursor, math.MaxInt64); err != nil {
		wrong = append(wrong, err.(problem.List)...)
	}
	return out, wrong.Err()
}

// Record is a record as JSON shows it.
func Record(r store.Record) api.Record {
	return api.Record{
		Number: r.Number, At: r.At.UTC(), By: r.By, ByName: r.ByName, Via: r.Via, Action: r.Action, Slug: r.Slug, Version: r.Version,
		Detail: r.Detail.V, Hash: r.Hash, Previous: r.Previous,
	}
}

// Export gives all records that match, the oldest first: one JSON object a line, or a
// CSV that a spreadsheet opens without running anything.
func (s *Service) Export(ctx context.Context, by work.Caller, format string, q Query) ([]byte, error) {
	if err := by.MustCurate("take the record of changes out"); err != nil {
		return nil, err
	}
	if format != "csv" && format != "jsonl" {
		return nil, work.Wrong("/format", "format", "the record goes out as csv or jsonl, not as %q", format)
	}
	all, err := work.See(ctx, s.db, func(v work.View) (all []store.Record, err error) {
		sq, err := storeQuery(v.Reader, q)
		if err != nil {
			return nil, err
		}
		for sq.Limit = exportBatch; ; {
			rows, err := v.Audit(sq)
			if err != nil {
				return nil, err
			}
			all = append(all, rows...)
			if len(rows) < exportBatch {
				return all, nil
			}
			sq.Before = rows[len(rows)-1].Number
		}
	})
	if err != nil {
		return nil, err
	}
	slices.Reverse(all)
	if format == "jsonl" {
		return jsonLines(all)
	}
	return table(all)
}

func table(all []store.Record) ([]byte, error) {
	rows := make([][]string, len(all))
	for i, v := range all {
		r := Record(v)
		detail, err := json.Marshal(r.Detail)
		if err != nil {
			return nil, err
		}
		rows[i] = []string{
			strconv.FormatInt(r.Number, 10), r.At.Format(time.RFC3339Nano), r.By, r.ByName, r.Via, r.Action, r.Slug,
			strconv.Itoa(r.Version), string(detail), r.Previous, r.Hash,
		}
	}
	return bundle.Rows([]string{"number", "at", "by", "by_name", "via", "action", "slug", "version", "detail", "previous", "hash"}, rows), nil
}

func jsonLines(all []store.Record) ([]byte, error) {
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	for _, r := range all {
		if err := enc.Encode(Record(r)); err != nil {
			return nil, err
		}
	}
	return out.Bytes(), nil
}

// Verify is [Verify] by a curator.
func (s *Service) Verify(ctx context.Context, by work.Caller, kept string) (api.Verified, error) {
	if err := by.MustCurate("verify the record of changes"); err != nil {
		return api.Verified{}, err
	}
	return Verify(ctx, s.db, kept)
}

// Head gives what stands for the whole record as it is now: the number and the hash of
// its newest, as [Verify] takes it. Of an empty record it is empty.
func Head(ctx context.Context, db *work.DB) (string, error) {
	return work.Ask(ctx, db, func(v work.View) (string, error) {
		number, hash, err := v.AuditHead()
		if errors.Is(err, store.ErrNotFound) {
			return "", nil
		}
		return fmt.Sprintf("%d:%s", number, hash), err
	})
}

// Verify holds every record of changes against the one before it and its own hash. Kept
// is what an earlier verification gave as Head, or nothing: where the record is no
// longer what it was then, that is found too, even if it was made anew from its
// beginning. It returns a [problem.List] if kept is no head.
func Verify(ctx context.Context, db *work.DB, kept string) (api.Verified, error) {
	return work.See(ctx, db, func(r work.View) (api.Verified, error) {
		v, err := r.VerifyAudit()
		if err != nil {
			return api.Verified{}, err
		}
		out := api.Verified{Records: v.Records, Head: fmt.Sprintf("%d:%s", v.Records, v.Hash), Nameless: v.Nameless, Broken: v.Broken, Why: map[string]message.Text{
			"gap":     message.Say("the one before it is missing"),
			"order":   message.Say("it does not follow the one before it"),
			"changed": message.Say("it was changed after it was written"),
			"name":    message.Say("the person it is of was called otherwise when it was written"),
		}[v.Why]}
		if kept == "" {
			return out, nil
		}
		return against(r.Reader, out, kept)
	})
}

// against holds a record that holds by itself against an earlier head.
func against(r store.Reader, out api.Verified, kept string) (api.Verified, error) {
	text, hash, ok := strings.Cut(kept, ":")
	number, err := strconv.ParseInt(text, 10, 64)
	if !ok || err != nil {
		return out, work.Wrong("/head", "head", "%q is no head of the record; write what an earlier verification gave, a number, a colon and a hash", kept)
	}
	now, err := r.AuditHash(number)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return out, err
	}
	in := err == nil && now == hash
	out.HeadIn = &in
	switch {
	case in || out.Broken > 0:
	case err != nil:
		out.Broken, out.Why = number, message.Say("it was there at the earlier verification, and is gone")
	default:
		out.Broken, out.Why = number, message.Say("it has another hash than at the earlier verification: the record was made anew")
	}
	return out, nil
}
