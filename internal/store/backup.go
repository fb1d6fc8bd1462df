package store

import "strings"

// Summary is by what a copy of a library is known for a whole one.
type Summary struct {
	Step    int64          `json:"step"`    // of the schema
	Library string         `json:"library"` // its name
	Rows    map[string]int `json:"rows"`    // of each table
	Texts   string         `json:"texts"`   // a hash of every version's text and what else was written of it
	Head    string         `json:"head"`    // of the record of changes
}

// NotBackedUp lists the tables whose rows no backup has: who is signed in where, and what is
// kept for those who send a request again.
func NotBackedUp() []string {
	return []string{"answers", "known_browsers", "password_links", "setup_codes", "sign_in_tries", "sign_ons", "tokens"}
}

// ForgetSessions forgets what no backup has. Only the tables' owner can.
func (tx Tx) ForgetSessions() error {
	return tx.exec("truncate " + strings.Join(NotBackedUp(), ", "))
}

const archiveFails = `select coalesce(last_failed_time > coalesce(last_archived_time, 'epoch'), false) from pg_stat_archiver`

// ArchiveFails says whether the database could not hand over the newest part of its log.
func (r Reader) ArchiveFails() (fails bool, err error) { return fails, r.get(&fails, archiveFails) }

const exportSnapshot = `select pg_export_snapshot()`

// ExportSnapshot gives by what another connection sees the same state as this one, until this
// one ends.
func (s Snapshot) ExportSnapshot() (id string, err error) { return id, s.get(&id, exportSnapshot) }

const tableNames = `select tablename from pg_tables where schemaname = 'public' order by tablename`

// Rows are written as text in one way, since each connection has the same settings.
const textsHash = `
select md5(coalesce((select string_agg(md5(v::text), '' order by v.id) from versions v), '') ||
           coalesce((select string_agg(md5(b::text), '' order by b.version_id, b.position) from blanks b), ''))`

// Summary gives by what a copy of this state is known for a whole one. The transaction looks
// at all that is anybody's alone too.
func (s Snapshot) Summary() (sum Summary, err error) {
	if err := s.get(&sum.Step, `select max(version_id) from goose_db_version where is_applied`); err != nil {
		return sum, err
	}
	if err := s.get(&sum.Library, `select name from library`); err != nil {
		return sum, err
	}
	var names []string
	if err := s.all(&names, tableNames); err != nil {
		return sum, err
	}
	sum.Rows = map[string]int{}
	for _, name := range names {
		if !backedUp(name) {
			continue
		}
		if sum.Rows[name], err = s.Count(name); err != nil {
			return sum, err
		}
	}
	if err = s.get(&sum.Texts, textsHash); err != nil {
		return sum, err
	}
	sum.Head, err = s.Head()
	return sum, err
}

const head = `select coalesce((select id || ':' || encode(hash, 'hex') from events order by id desc limit 1), '')`

// Head stands for the whole record of changes: the number and the hash of its end.
func (r Reader) Head() (text string, err error) { return text, r.get(&text, head) }

const isEmpty = `select not exists (select from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = 'public' and c.relkind in ('r', 'p', 'v', 'S'))`

// IsEmpty says whether nothing is in the database.
func (r Reader) IsEmpty() (empty bool, err error) { return empty, r.get(&empty, isEmpty) }

// Wipe takes everything out of the database again.
func (tx Tx) Wipe() error { return tx.exec(`drop schema public cascade; create schema public`) }
