package backup_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sys/unix"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/audit"
	"goldshelf/internal/backup"
	"goldshelf/internal/signing"
	"goldshelf/internal/store"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }

// newKey makes a key of backups.
func newKey(t *testing.T) *signing.Key {
	t.Helper()
	k, err := signing.Make(filepath.Join(t.TempDir(), "backup-key"))
	if err != nil {
		t.Fatal(err)
	}
	return k
}

// taken backs a world up into a file, and gives the key that it is signed with.
func taken(t *testing.T, w *testdb.World) (path string, m backup.Manifest, key *signing.Key) {
	t.Helper()
	key = newKey(t)
	path = filepath.Join(t.TempDir(), "backup.zip")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	m, err = backup.Write(t.Context(), w.OwnerURL(), key, file)
	if err := errors.Join(err, file.Close()); err != nil {
		t.Fatal(err)
	}
	return path, m, key
}

func restored(t *testing.T, path string, key *signing.Key) (url string) {
	t.Helper()
	a, err := backup.Open(path, key.Trusted())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	url = databases.Empty(t)
	if err := a.RestoreAndCompare(t.Context(), url); err != nil {
		t.Fatal(err)
	}
	return url
}

func library(t *testing.T) *testdb.World {
	t.Helper()
	w := databases.World(t, nil)
	w.Publish(testdb.Prompt("notice", "Say it to {{area}}.\n\tTabs, “quotes” and 𝄞 too.\n"), testdb.Prompt("other", "{{area}}\n"))
	w.Create(testdb.Prompt("draft", "Not yet.\n"))
	mine := testdb.Prompt("mine", "Nobody else's.\n")
	w.Create(mine)
	w.Exec(`update entries set private = true where slug = 'mine'`)
	w.Exec(`insert into tokens (hash, person_id, created_at, used_at, expires_at) values (sha256('x'), 1, now(), now(), now() + interval '1 day')`)
	return w
}

// What was backed up is restored byte by byte, with what is anybody's alone, the whole record
// and the guards; nobody is signed in.
func TestWhatIsBackedUpIsRestored(t *testing.T) {
	t.Parallel()
	w := library(t)
	path, m, key := taken(t, w)
	if m.Rows["versions"] != 4 || m.Rows["entries"] != 4 || m.Texts == "" || m.Head == "" || m.Step != store.NewestStep() {
		t.Errorf("the manifest is %+v", m)
	}
	url := restored(t, path, key)
	db, err := store.Open(url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	err = db.View(t.Context(), time.Now(), func(s store.Snapshot) error {
		if err := s.LookAtAll(); err != nil {
			return err
		}
		sum, err := s.Summary()
		if err != nil {
			return err
		}
		if sum.Texts != m.Texts || sum.Head != m.Head || fmt.Sprint(sum.Rows) != fmt.Sprint(m.Rows) {
			t.Errorf("restored: %+v\nbacked up: %+v", sum, m.Summary)
		}
		v, err := s.ShelvedID("notice", 0)
		if err != nil {
			return err
		}
		rows, err := s.VersionsByID([]int64{v})
		if err != nil || rows[0].Body != "Say it to {{area}}.\n\tTabs, “quotes” and 𝄞 too.\n" {
			t.Errorf("the text is %q, %v", rows[0].Body, err)
		}
		if n, err := s.Count("tokens"); err != nil || n != 0 {
			t.Errorf("%d are signed in, %v", n, err)
		}
		lib, err := s.Library()
		if err != nil || lib.HeldSince == nil {
			t.Errorf("it does by itself what is due: %v", err)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	v, err := audit.Verify(t.Context(), work.New(db, time.Now), m.Head)
	if err != nil || v.Broken > 0 || v.HeadIn == nil {
		t.Errorf("the record is %+v, %v", v, err)
	}
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	if _, err = conn.Exec(t.Context(), `update versions set body = 'Another.' where state = 'published'`); err == nil || !strings.Contains(err.Error(), "published") {
		t.Errorf("a published text can be changed: %v", err)
	}
}

// A backup is of one moment, however much is saved meanwhile.
func TestBackedUpWhileItIsUsed(t *testing.T) {
	t.Parallel()
	w := library(t)
	ctx, stop := context.WithCancel(t.Context())
	var saving sync.WaitGroup
	writer := writing.New(w.DB)
	for i := range 4 {
		saving.Go(func() {
			for n := 0; ctx.Err() == nil; n++ {
				slug := fmt.Sprintf("saved-%d-%d", i, n)
				_, err := writer.Create(ctx, w.By("contributor"), api.NewEntry{Slug: slug, Content: entry.Content{Kind: entry.Prompt, Title: "Saved " + slug, Body: "Say it.\n"}})
				if err != nil && ctx.Err() == nil {
					t.Error(err)
				}
			}
		})
	}
	time.Sleep(100 * time.Millisecond)
	path, _, key := taken(t, w)
	stop()
	saving.Wait()
	restored(t, path, key) // it holds itself against the manifest
}

// A backup that was cut short anywhere, or of which a byte was changed, is refused before
// anything is done; one of a newer program, or of none of ours, too.
func TestDamagedBackups(t *testing.T) {
	t.Parallel()
	path, m, key := taken(t, library(t))
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	open := func(data []byte) error {
		bad := filepath.Join(t.TempDir(), "bad.zip")
		if err := os.WriteFile(bad, data, 0o600); err != nil {
			t.Fatal(err)
		}
		a, err := backup.Open(bad, key.Trusted())
		if err == nil {
			// What is left is what was put in, or it would be refused.
			same := fmt.Sprint(a.Tables) == fmt.Sprint(m.Tables) && a.Texts == m.Texts && a.Head == m.Head && fmt.Sprint(a.Rows) == fmt.Sprint(m.Rows)
			a.Close()
			if same {
				return nil
			}
			t.Error("something else is taken for a backup")
		}
		return err
	}
	if err := open(whole); err != nil {
		t.Errorf("the whole one: %v", err)
	}
	for _, n := range []int{0, 1, 100, len(whole) / 2, len(whole) - 30, len(whole) - 1} {
		if err := open(whole[:n]); err == nil {
			t.Errorf("the first %d bytes are taken", n)
		}
	}
	refused := 0
	const tries = 200
	for i := range tries {
		changed := bytes.Clone(whole)
		changed[i*len(whole)/tries] ^= 0x20
		if open(changed) != nil {
			refused++
		}
	}
	if refused < tries/2 { // the others changed what says when a file was written, and the like
		t.Errorf("of %d that have a byte changed only %d are refused", tries, refused)
	}
	for what, change := range map[string]func(map[string][]byte){
		"newer": func(files map[string][]byte) {
			files["manifest.json"] = bytes.Replace(files["manifest.json"], []byte(`"step": `), []byte(`"step": 9`), 1)
			sign(t, files, key)
		},
		"format": func(files map[string][]byte) {
			files["manifest.json"] = bytes.Replace(files["manifest.json"], []byte(`"format": 2`), []byte(`"format": 1`), 1)
		},
	} {
		if err := open(rewritten(t, whole, change)); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
		}
	}
	var other bytes.Buffer
	archive := zip.NewWriter(&other)
	if _, err := archive.Create("entry.md"); err != nil {
		t.Fatal(err)
	}
	if err := archive.Close(); err != nil {
		t.Fatal(err)
	}
	if err := open(other.Bytes()); err == nil || !strings.Contains(err.Error(), "no backup") {
		t.Errorf("another zip: %v", err)
	}
}

// sign signs a backup's manifest as Write does.
func sign(t *testing.T, files map[string][]byte, key *signing.Key) {
	t.Helper()
	signature, err := json.Marshal(key.Sign("backup", files["manifest.json"]))
	if err != nil {
		t.Fatal(err)
	}
	files["manifest.signature"] = signature
}

// rewritten is a backup whose files were changed.
func rewritten(t *testing.T, whole []byte, change func(map[string][]byte)) []byte {
	t.Helper()
	from, err := zip.NewReader(bytes.NewReader(whole), int64(len(whole)))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{}
	for _, f := range from.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if files[f.Name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
	}
	change(files)
	var out bytes.Buffer
	to := zip.NewWriter(&out)
	for name, data := range files {
		w, err := to.Create(name)
		if err == nil {
			_, err = w.Write(data)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := to.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// changedManifest has a backup say something else, signed with a key.
func changedManifest(t *testing.T, files map[string][]byte, key *signing.Key, change func(*backup.Manifest)) {
	t.Helper()
	var m backup.Manifest
	if err := json.Unmarshal(files["manifest.json"], &m); err != nil {
		t.Fatal(err)
	}
	change(&m)
	var err error
	if files["manifest.json"], err = json.Marshal(m); err != nil {
		t.Fatal(err)
	}
	sign(t, files, key)
}

// A backup that somebody has changed is refused before anything is done: they have no key that is
// trusted. Even one that is signed gets no statement run, and no table or column written that the
// schema does not have.
func TestChangedBackupRunsNothing(t *testing.T) {
	t.Parallel()
	path, _, key := taken(t, library(t))
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	stranger := newKey(t)
	ran := filepath.Join(t.TempDir(), "ran")
	program := "touch " + ran
	rows := func(m *backup.Manifest, table string) *backup.Table {
		for i := range m.Tables {
			if m.Tables[i].Name == table {
				return &m.Tables[i]
			}
		}
		t.Fatalf("there is no table %s", table)
		return nil
	}
	for name, tt := range map[string]struct {
		change func(files map[string][]byte)
		wrong  string
	}{
		"rows": {func(files map[string][]byte) {
			files["tables/versions"] = bytes.Replace(files["tables/versions"], []byte("Say it"), []byte("Pay it"), 1)
		}, "damaged"},
		"no signature":    {func(files map[string][]byte) { delete(files, "manifest.signature") }, "signature"},
		"somebody else's": {func(files map[string][]byte) { changedManifest(t, files, stranger, func(*backup.Manifest) {}) }, "not trusted"},
		"a manifest":      {func(files map[string][]byte) { files["manifest.json"] = append(files["manifest.json"], ' ') }, "changed"},
		"a statement, trusted": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { rows(m, "versions").Name = `versions from program '` + program + `' --` })
		}, "damaged"},
		"a table of PostgreSQL": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { rows(m, "favourites").Name = "pg_authid" })
			files["tables/pg_authid"] = files["tables/favourites"]
		}, `no table "pg_authid"`},
		"a column": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { rows(m, "versions").Columns[0] = `id) from program '` + program + `' --` })
		}, "columns"},
		"a table twice": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { m.Tables = append(m.Tables, *rows(m, "versions")) })
		}, "2 times"},
		"a table left out": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { m.Tables = m.Tables[1:] })
		}, "0 times"},
		"a sequence": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) { m.Sequences["x'); select 1; --"] = 1 })
		}, "no sequence"},
		"rows that refer to none": {func(files map[string][]byte) {
			changedManifest(t, files, key, func(m *backup.Manifest) {
				empty := sha256.Sum256(nil)
				files["tables/people"] = nil
				of := rows(m, "people")
				of.Bytes, of.Hash, m.Rows["people"] = 0, hex.EncodeToString(empty[:]), 0
			})
		}, "foreign key"},
		"an old one": {func(files map[string][]byte) {
			for name := range files {
				delete(files, name)
			}
			files["manifest.json"], files["library.dump"] = []byte(`{"format": 1, "program": "1.0"}`), []byte("x")
		}, "format 1"},
	} {
		bad := filepath.Join(t.TempDir(), "bad.zip")
		if err := os.WriteFile(bad, rewritten(t, whole, tt.change), 0o600); err != nil {
			t.Fatal(err)
		}
		url := databases.Empty(t)
		a, err := backup.Open(bad, key.Trusted())
		if err == nil {
			err = errors.Join(a.RestoreAndCompare(t.Context(), url), a.Close())
		}
		if err == nil || !strings.Contains(err.Error(), tt.wrong) {
			t.Errorf("%s: got %v", name, err)
		}
		if _, err := os.Stat(ran); err == nil {
			t.Fatalf("%s: a program was run", name)
		}
		db, err := store.Open(url)
		if err != nil {
			t.Fatal(err)
		}
		if err := db.View(t.Context(), time.Now(), func(s store.Snapshot) error {
			empty, err := s.IsEmpty()
			if err == nil && !empty {
				t.Errorf("%s: the database is not empty", name)
			}
			return err
		}); err != nil {
			t.Error(err)
		}
		db.Close()
	}
}

// The rows are written by a role that is no superuser, and of which nothing is left.
func TestRowsAreWrittenByNoSuperuser(t *testing.T) {
	t.Parallel()
	url := databases.Empty(t)
	db, err := store.Open(url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	if err := db.MakeSchema(t.Context(), store.NewestStep()); err != nil {
		t.Fatal(err)
	}
	const roles = `select rolname, rolsuper from pg_roles where rolname like 'goldshelf_restoring_%' and exists (select from pg_stat_activity where usename = rolname and datname = current_database())`
	err = db.WriteRows(t.Context(), time.Now(), func(*store.RowsConnection) error {
		var name string
		var super bool
		if err := conn.QueryRow(t.Context(), roles).Scan(&name, &super); err != nil || super {
			t.Errorf("%s is a superuser: %t, %v", name, super, err)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if err := conn.QueryRow(t.Context(), roles).Scan(new(string), new(bool)); !errors.Is(err, pgx.ErrNoRows) {
		t.Errorf("the role is left: %v", err)
	}
}

// What a backup that was killed left in a folder is removed by the next, and what another is
// writing there is not.
func TestLeftoversOfKilledBackupsAreRemoved(t *testing.T) {
	t.Parallel()
	w, dir := library(t), t.TempDir()
	killed, writing := filepath.Join(dir, ".backup-1"), filepath.Join(dir, ".backup-2")
	for _, path := range []string{killed, writing} {
		if err := os.WriteFile(path, []byte("half of it"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	other, err := os.Open(writing)
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	if err := unix.Flock(int(other.Fd()), unix.LOCK_EX); err != nil {
		t.Fatal(err)
	}
	if _, err := backup.Into(t.Context(), w.OwnerURL(), newKey(t), dir, 2); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(killed); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("it is left: %v", err)
	}
	if _, err := os.Stat(writing); err != nil {
		t.Errorf("another's is removed: %v", err)
	}
}

// A restore that fails leaves an empty database empty, and one with something in it as it was.
func TestARestoreThatFails(t *testing.T) {
	t.Parallel()
	w := library(t)
	path, _, key := taken(t, w)
	a, err := backup.Open(path, key.Trusted())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	before := fmt.Sprint(w.Rows())
	if err := a.Restore(t.Context(), w.OwnerURL()); err == nil || !strings.Contains(err.Error(), "not empty") || fmt.Sprint(w.Rows()) != before {
		t.Errorf("into one that is not empty: %v", err)
	}
	url := databases.Empty(t)
	a.Rows["versions"]++ // as if one had been lost
	if err := a.RestoreAndCompare(t.Context(), url); err == nil || !strings.Contains(err.Error(), "versions") {
		t.Errorf("with a row too few: %v", err)
	}
	a.Rows["versions"]--
	head := a.Head
	a.Head = "7:another"
	if err := a.Restore(t.Context(), url); err == nil || !strings.Contains(err.Error(), "record") {
		t.Errorf("with another record: %v", err)
	}
	a.Head = head
	stopped, stop := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer stop()
	if err := a.Restore(stopped, url); err == nil {
		t.Error("it is restored in no time")
	}
	if err := a.Restore(t.Context(), url); err != nil {
		t.Errorf("again: %v", err)
	}
}

// A folder keeps so many backups, and leaves what else is there alone.
func TestAFolderOfBackups(t *testing.T) {
	t.Parallel()
	w, dir := library(t), filepath.Join(t.TempDir(), "backups")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"goldshelf-20260101T000000Z.zip", "goldshelf-20260102T000000Z.zip", "goldshelf-20260103T000000Z.zip", "notes.txt"} {
		if err := os.WriteFile(filepath.Join(dir, name), nil, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	path, err := backup.Into(t.Context(), w.OwnerURL(), newKey(t), dir, 2)
	if err != nil {
		t.Fatal(err)
	}
	all, err := backup.List(dir)
	if err != nil || len(all) != 2 || all[1].Path != path || !strings.HasSuffix(all[0].Path, "20260103T000000Z.zip") {
		t.Errorf("there are %+v, %v", all, err)
	}
	if _, err := os.Stat(filepath.Join(dir, "notes.txt")); err != nil {
		t.Error(err)
	}
	left, err := filepath.Glob(filepath.Join(dir, ".*"))
	if err != nil || len(left) > 0 {
		t.Errorf("there is left %v, %v", left, err)
	}
	if _, err := backup.Into(t.Context(), "postgres://nobody@127.0.0.1:1/none?sslmode=disable", newKey(t), dir, 2); err == nil {
		t.Error("a database that is away is backed up")
	}
	if after, _ := backup.List(dir); len(after) != 2 {
		t.Errorf("after a failure there are %v", after)
	}
}
