package library

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

// AuditQuery narrows the record of changes. What is empty narrows nothing.
type AuditQuery struct {
	Person, Slug, Action, Via, Words string
	From, Until                      *time.Time
	Limit                            int
	Cursor                           string
}

// auditLimit is how many records a page has unless another number is asked for.
const auditLimit = 50

// Audit gives a page of the record of changes, the newest first. It returns an
// [entry.Refusal] to all but curators.
func (l *Library) Audit(ctx context.Context, by Caller, q AuditQuery) (api.Audit, error) {
	out := api.Audit{Items: []api.Record{}}
	if by.Role != entry.Curator {
		return out, onlyCurators(by, "read the record of changes")
	}
	limit := auditLimit
	if q.Limit > 0 {
		limit = min(q.Limit, mostLimit)
	}
	before, err := numberCursor(q.Cursor)
	if err != nil {
		return out, err
	}
	rows, err := l.db.Audit(ctx, storeQuery(q, before, limit+1))
	if err != nil {
		return out, err
	}
	rows, out.Next = pageOf(rows, limit, func(r store.Record) int64 { return r.Number })
	for _, r := range rows {
		out.Items = append(out.Items, record(r))
	}
	return out, nil
}

func storeQuery(q AuditQuery, before int64, limit int) store.AuditQuery {
	return store.AuditQuery{
		Person: q.Person, Slug: q.Slug, Action: q.Action, Via: q.Via, Words: q.Words, From: q.From, Until: q.Until, Before: before, Limit: limit,
	}
}

func record(r store.Record) api.Record {
	return api.Record{
		Number: r.Number, At: r.At.UTC(), By: r.By, ByName: r.ByName, Via: r.Via, Action: r.Action, Slug: r.Slug, Version: r.Version,
		Detail: r.Detail.V, Hash: r.Hash, Previous: r.Previous,
	}
}

// exportBatch is how many records are read at once for an export.
const exportBatch = 2000

// ExportAudit gives all records that match, the oldest first: one JSON object a
// line, or a CSV that a spreadsheet opens without running anything.
func (l *Library) ExportAudit(ctx context.Context, by Caller, format string, q AuditQuery) ([]byte, error) {
	if by.Role != entry.Curator {
		return nil, onlyCurators(by, "take the record of changes out")
	}
	if format != "csv" && format != "jsonl" {
		return nil, problem.List{{Field: "/format", Code: "format", Message: fmt.Sprintf("the record goes out as csv or jsonl, not as %q", format)}}
	}
	var all []store.Record
	for before := int64(0); ; {
		rows, err := l.db.Audit(ctx, storeQuery(q, before, exportBatch))
		if err != nil {
			return nil, err
		}
		all = append(all, rows...)
		if len(rows) < exportBatch {
			break
		}
		before = rows[len(rows)-1].Number
	}
	slices.Reverse(all)
	if format == "jsonl" {
		return jsonLines(all)
	}
	rows := make([][]string, len(all))
	for i, v := range all {
		r := record(v)
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
		if err := enc.Encode(record(r)); err != nil {
			return nil, err
		}
	}
	return out.Bytes(), nil
}

// VerifyAudit holds every record of changes against the one before it and its own
// hash.
func (l *Library) VerifyAudit(ctx context.Context, by Caller) (api.Verified, error) {
	if by.Role != entry.Curator {
		return api.Verified{}, onlyCurators(by, "verify the record of changes")
	}
	return VerifyAudit(ctx, l.db.Reader, "")
}

// VerifyAudit holds every record of changes against the one before it and its own
// hash. Kept is what an earlier verification gave as Head, or nothing: where the
// record is no longer what it was then, that is found too, even if it was made
// anew from its beginning. It returns a [problem.List] if kept is no head.
func VerifyAudit(ctx context.Context, r store.Reader, kept string) (api.Verified, error) {
	v, err := r.VerifyAudit(ctx)
	if err != nil {
		return api.Verified{}, err
	}
	out := api.Verified{Records: v.Records, Head: fmt.Sprintf("%d:%s", v.Records, v.Hash), Broken: v.Broken, Why: map[string]string{
		"gap": "the one before it is missing", "order": "it does not follow the one before it", "changed": "it was changed after it was written",
	}[v.Why]}
	if kept == "" || out.Broken > 0 {
		return out, nil
	}
	text, hash, ok := strings.Cut(kept, ":")
	number, err := strconv.ParseInt(text, 10, 64)
	if !ok || err != nil {
		return out, problem.List{{Code: "head", Message: fmt.Sprintf("%q is no head of the record; write what an earlier verification gave, a number, a colon and a hash", kept)}}
	}
	now, err := r.AuditHash(ctx, number)
	switch {
	case errors.Is(err, store.ErrNotFound):
		out.Broken, out.Why = number, "it was there at the earlier verification, and is gone"
	case err != nil:
		return out, err
	case now != hash:
		out.Broken, out.Why = number, "it has another hash than at the earlier verification: the record was made anew"
	}
	return out, nil
}
