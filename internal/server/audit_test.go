package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/audit"
	"goldshelf/internal/work"
)

func TestTheRecordOfChanges(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator := w.as("curator")
	w.publish(snippet("close", "Regards.\n"))
	w.Clock.Pass(48 * time.Hour)
	w.publish(snippet("other", "=cmd|' /C calc'!A0\n"))
	_, err := w.as("reviewer").Audit(ctx, client.AuditQuery{})
	refused(t, "read by a reviewer", err, http.StatusForbidden, "only a curator may read")

	actions := func(q client.AuditQuery) string {
		t.Helper()
		var all []string
		for _, r := range step[api.Audit](t, "audit")(curator.Audit(ctx, q)).Items {
			all = append(all, r.Action+":"+r.Slug)
		}
		return strings.Join(all, " ")
	}
	day := w.Clock.Now().Add(-24 * time.Hour).UTC().Format(time.DateOnly)
	for name, c := range map[string]struct {
		q    client.AuditQuery
		want string
	}{
		"all, the newest first": {client.AuditQuery{}, "publish:other approve:other submit:other begin:other publish:close approve:close submit:close begin:close"},
		"of an entry":           {client.AuditQuery{Entry: "close"}, "publish:close approve:close submit:close begin:close"},
		"by someone":            {client.AuditQuery{Person: "reviewer"}, "approve:other approve:close"},
		"of a kind":             {client.AuditQuery{Action: "publish"}, "publish:other publish:close"},
		"with words":            {client.AuditQuery{Words: "ready"}, "submit:other submit:close"},
		"with a sign":           {client.AuditQuery{Words: "%"}, ""},
		"since a day":           {client.AuditQuery{From: day, Action: "begin"}, "begin:other"},
		"until a day":           {client.AuditQuery{Until: day, Action: "begin"}, "begin:close"},
		"through the console":   {client.AuditQuery{Via: "console"}, ""},
		"by nobody":             {client.AuditQuery{Person: "nobody"}, ""},
	} {
		if got := actions(c.q); got != c.want {
			t.Errorf("%s: got %q, want %q", name, got, c.want)
		}
	}
	var paged []string
	for q := (client.AuditQuery{Limit: 3}); ; {
		page := step[api.Audit](t, "page")(curator.Audit(ctx, q))
		for _, r := range page.Items {
			paged = append(paged, r.Action+":"+r.Slug)
		}
		if q.Cursor = page.Next; q.Cursor == "" {
			break
		}
	}
	if got := strings.Join(paged, " "); got != actions(client.AuditQuery{}) {
		t.Errorf("page by page: %q", got)
	}
	_, err = curator.Audit(ctx, client.AuditQuery{From: "yesterday", Cursor: "x"})
	refused(t, "a time that is none", err, http.StatusUnprocessableEntity, "is no time")

	data, err := curator.ExportAudit(ctx, "jsonl", client.AuditQuery{Entry: "close"})
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	var first api.Record
	if err := json.Unmarshal([]byte(lines[0]), &first); err != nil || len(lines) != 4 || first.Action != "begin" || first.ByName != "Contributor" || first.Via != "api" {
		t.Errorf("as JSON lines: %v %s", err, data)
	}
	data, err = curator.ExportAudit(ctx, "csv", client.AuditQuery{})
	if err != nil {
		t.Fatal(err)
	}
	if rows := strings.Split(strings.TrimSpace(string(data)), "\r\n"); len(rows) != 9 || !strings.HasPrefix(rows[0], "number,at,by") {
		t.Errorf("as CSV: %s", data)
	}
	_, err = curator.ExportAudit(ctx, "xml", client.AuditQuery{})
	refused(t, "as XML", err, http.StatusUnprocessableEntity, "csv or jsonl")
}

// Whoever changes the record afterwards is found, however they go about it.
func TestTamperingIsFound(t *testing.T) {
	t.Parallel()
	const aside, back = `alter table events disable trigger all; `, `; alter table events enable trigger all`
	for name, c := range map[string]struct {
		sql    string
		broken int64
		why    string
	}{
		"nothing":             {"select 1", 0, ""},
		"another action":      {`update events set action = 'approve' where id = 2`, 2, "changed"},
		"another person":      {`update events set person_id = person_id % 5 + 1 where id = 3`, 3, "changed"},
		"another time":        {`update events set at = at + interval '1 second' where id = 4`, 4, "changed"},
		"another detail":      {`update events set detail = '{"note": "x"}' where id = 2`, 2, "changed"},
		"another slug":        {`update events set slug = 'another' where id = 2`, 2, "changed"},
		"the person renamed":  {`update people set name = 'somebody' where name = 'reviewer'`, 3, "called otherwise"},
		"made nameless":       {`update people set name = 'gone', full_name = 'Gone' where name = 'reviewer'; delete from salts where person_id = (select id from people where name = 'gone')`, 0, ""},
		"one taken out":       {`delete from events where id = 2`, 3, "missing"},
		"the first taken out": {`delete from events where id = 1`, 2, "missing"},
		"one taken out, and those after it moved up":   {`delete from events where id = 2; update events set id = id - 1 where id > 2`, 2, "does not follow"},
		"one changed, with a hash that fits it":        {`update events set action = 'x', hash = event_hash_2(previous, id, at, person_id, who, via, 'x', entry_id, slug, number, detail) where id = 2`, 3, "does not follow"},
		"the last taken out, against what was kept":    {`delete from events where id = 8`, 8, "is gone"},
		"the last written anew, against what was kept": {`update events set action = 'x', hash = event_hash_2(previous, id, at, person_id, who, via, 'x', entry_id, slug, number, detail) where id = 8`, 8, "made anew"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t)
			ctx := context.Background()
			w.publish(snippet("close", "Regards.\n"))
			w.publish(snippet("other", "Text.\n"))
			before := step[api.Verified](t, "verify")(w.as("curator").VerifyAudit(ctx, ""))
			if before.Records != 8 || before.Broken != 0 {
				t.Fatalf("before: %+v", before)
			}
			w.Exec(aside + c.sql + back)
			got, err := audit.Verify(ctx, w.DB, before.Head)
			if err != nil || got.Broken != c.broken || !strings.Contains(got.Why.String(), c.why) {
				t.Errorf("got %+v (%v), want record %d: %s", got, err, c.broken, c.why)
			}
		})
	}
}

// The service's own role cannot undo what is in the record, nor put its guards aside.
func TestTheServiceCannotChangeTheRecord(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.publish(snippet("close", "Regards.\n"))
	for _, sql := range []string{
		`update events set action = 'x'`, `delete from events`, `truncate events`, `drop table events`,
		`alter table events disable trigger all`, `drop trigger seal on events`, `set session_replication_role = replica`,
		`create or replace function event_hash(previous bytea, id bigint, at timestamptz, person bigint, via text, action text, entry bigint, number int, detail jsonb) returns bytea language sql return previous`,
		`set role goldshelf`,
	} {
		if err := w.AsService(sql); err == nil || !strings.Contains(err.Error(), "permission denied") && !strings.Contains(err.Error(), "must be owner") {
			t.Errorf("%s: got %v, want it refused", sql, err)
		}
	}
	if err := work.Run(context.Background(), w.DB, work.Service(), func(u *work.Unit) error {
		u.Record("by itself", 0, 0, nil)
		return nil
	}); err != nil {
		t.Errorf("adding to it: %v", err)
	}
	_, err := audit.Verify(context.Background(), w.DB, "nonsense")
	if err == nil || !strings.Contains(err.Error(), "no head of the record") {
		t.Errorf("a head that is none: %v", err)
	}
}
