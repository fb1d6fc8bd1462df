package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Trace is where the database has something of a person. A test holds that no column that
// names people is missing.
type Trace struct {
	Table, Column string

	Gone bool // it is deleted with them; or else it stays, and names them no more

	Kind string   // what it is called to them; empty where the record of changes tells it, or nobody
	Tell []string // the columns that they are told
}

// Traces gives where the database has something of people.
func Traces() []Trace {
	untold := []string{""}
	trace := func(table, column string, gone bool, told []string) Trace {
		if told == nil {
			told = untold
		}
		return Trace{table, column, gone, told[0], told[1:]}
	}
	own := func(table string, told ...string) Trace { return trace(table, "person_id", true, told) }
	stays := func(table, column string, told ...string) Trace { return trace(table, column, false, told) }
	return []Trace{
		own("tokens", "sessions", "created_at", "used_at", "expires_at", "cookie", "sign_on", "agent"),
		own("known_browsers", "browsers", "until"),
		own("password_links", "password links", "until"),
		own("identities", "sign-ons", "issuer", "subject", "added_at"),
		own("sign_ons", "sign-ons under way", "until"),
		own("one_time_codes", "one-time codes", "added_at", "confirmed_at"),
		own("spare_codes"),
		own("provisioned", "entry in the directory", "user_name", "external_id", "at", "changed_at", "deleted_at"),
		own("provisioned_members", "groups of the directory", "group_id"),
		own("allowances", "allowances", "words", "money"),
		own("favourites", "favourites", "entry_id", "at"),
		own("follows", "follows", "what", "name"),
		own("feeds"),
		own("news", "news", "event_id", "read"),
		own("thanks", "thanks", "since", "until", "at"),
		own("label_changes", "label changes that can be undone", "at", "change"),
		own("imports", "imports under way", "name", "at"),
		{"offers", "to_id", true, "offers of ownership", []string{"entry_id", "at"}},
		own("talks", "tries", "id", "entry_id", "title", "created_at", "asked_at", "kept"),
		own("talk_readers", "tries shared with them", "talk_id", "at"),
		own("runs", "runs of relays", "entry_id", "version", "started_at", "kept"),

		stays("entries", "owner_id", "entries owned", "slug", "kind"),
		stays("entries", "deputy_id", "entries stood in for", "slug", "kind"),
		stays("entries", "created_by"),
		stays("thanks", "by_id"),
		stays("entries", "retired_by"),
		stays("versions", "created_by", "versions written", "entry_id", "number", "title", "state", "created_at"),
		stays("versions", "saved_by"),
		stays("versions", "submitted_by"),
		stays("versions", "published_by"),
		stays("versions", "taken_back_by"),
		stays("writers", "person_id"),
		stays("approvals", "person_id", "approvals", "version_id", "at", "comment"),
		stays("events", "person_id", "record of changes", "at", "via", "action", "slug", "number", "detail"),
		stays("comments", "person_id", "comments", "entry_id", "at", "body"),
		stays("comments", "settled_by"),
		stays("reports", "person_id", "reports", "entry_id", "number", "at", "worked", "model", "words", "reply"),
		stays("samples", "added_by", "samples added", "entry_id", "name", "added_at"),
		stays("replies", "asked_by", "replies asked for", "model", "asked_at", "given", "text", "words", "cost"),
		stays("trials", "started_by", "trials", "entry_id", "title", "started_at"),
		stays("marks", "person_id", "marks", "met", "at"),
		stays("preferences", "person_id", "comparisons", "better", "at"),
		stays("helped", "by", "suggestions taken", "entry_id", "number", "model", "helper", "at"),
		stays("offers", "by_id"),
		stays("password_links", "by_id"),
		stays("policies", "set_by"),
		stays("mappings", "set_by"),
		stays("starters", "set_by"),
		stays("publications", "set_by"),
		stays("hooks", "set_by"),
		stays("set_versions", "created_by"),
		stays("layouts", "set_by"),
		stays("connections", "changed_by"),
		stays("test_beds", "changed_by"),
		stays("allowances", "changed_by"),
		stays("application_keys", "created_by"),
		stays("salts", "person_id"), // gone with the name, which it hides
	}
}

const traceOf = `
select coalesce(jsonb_agg(row), '[]') as rows, (select count(*) from %[1]s where %[2]s = $1) as there
from (select %[3]s as row from %[1]s t where %[2]s = $1 limit nullif($2, 0)) r`

// Traced is what a table has of a person.
type Traced struct {
	Rows  JSON[[]json.RawMessage] `db:"rows"`
	There int                     `db:"there"` // rows in all
}

// Traced gives what is told of a trace of somebody, so many rows at most; 0 is all.
func (r Reader) Traced(t Trace, person int64, most int) (rows Traced, err error) {
	var parts []string
	for _, column := range t.Tell {
		value := "t." + pgx.Identifier{column}.Sanitize()
		switch column {
		case "entry_id":
			column, value = "entry", "(select slug from entries where id = "+value+")"
		case "version_id":
			column, value = "version", "(select e.slug || '@' || v.number from versions v join entries e on e.id = v.entry_id where v.id = "+value+")"
		}
		parts = append(parts, "'"+column+"', "+value)
	}
	query := fmt.Sprintf(traceOf, pgx.Identifier{t.Table}.Sanitize(), pgx.Identifier{t.Column}.Sanitize(), "jsonb_build_object("+strings.Join(parts, ", ")+")")
	return rows, r.get(&rows, query, person, most)
}

const (
	leaveTries   = `delete from sign_in_tries where name = $1`
	leaveFollows = `delete from follows where what = 'person' and name = $1`
	leaveDeputy  = `update entries set deputy_id = null where deputy_id = $1`
	leaveTrials  = `delete from trials where private and started_by = $1`
)

// DeleteTraces deletes what is somebody's alone. The transaction looks at all.
func (tx Tx) DeleteTraces(p Person) error {
	for _, s := range []struct {
		statement string
		of        any
	}{{leaveTries, p.Name}, {leaveFollows, p.Name}, {leaveDeputy, p.ID}, {leaveTrials, p.ID}} {
		if err := tx.exec(s.statement, s.of); err != nil {
			return err
		}
	}
	for _, t := range Traces() {
		if !t.Gone {
			continue
		}
		if err := tx.exec("delete from "+pgx.Identifier{t.Table}.Sanitize()+" where "+pgx.Identifier{t.Column}.Sanitize()+" = $1", p.ID); err != nil {
			return fmt.Errorf("delete from %s: %w", t.Table, err)
		}
	}
	return nil
}

const makeNameless = `select together::text, records from make_nameless($1, $2, $3, $4)`

const namelessLeft = `select coalesce(nameless_left($1), '')`

// Nameless says which records were made nameless together.
type Nameless struct {
	Together string `db:"together"`
	Records  int    `db:"records"`
	Remains  string `db:"-"` // by what it is known that they are what is left of them
}

// MakeNameless calls somebody who has left, and owns nothing, otherwise from now on, in the
// record of changes too.
func (tx Tx) MakeNameless(person int64, name, fullName string, at time.Time) (n Nameless, err error) {
	if err := tx.get(&n, makeNameless, person, name, fullName, at); err != nil {
		return n, err
	}
	return n, tx.get(&n.Remains, namelessLeft, n.Together)
}
