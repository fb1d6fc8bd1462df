package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/testdb"
)

// byKeyOf is an application that calls by a secret.
func (w *world) byKeyOf(secret string) *client.Client {
	return &client.Client{Server: w.url, HTTP: w.http, Token: secret}
}

func (w *world) key(t *testing.T, in api.NewKey) api.KeySecret {
	t.Helper()
	k, err := w.as("curator").AddKey(t.Context(), in)
	if err != nil {
		t.Fatal(err)
	}
	return k
}

// ofLaboratory is a prompt of another department.
func ofLaboratory(slug, body string) api.NewEntry {
	p := testdb.Prompt(slug, body)
	p.Labels = map[string][]string{"department": {"laboratory"}}
	return p
}

var mill = fill.Values{"area": fill.Single("Mill Lane")}

// An application reads and fills in by its key, and nothing else: every other operation is
// refused, whatever it is of.
func TestWhatAKeyMay(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.Publish(testdb.Prompt("notice", "Say it to {{area}}.\n"))
	k := w.key(t, api.NewKey{Name: "weir-mail"})
	c := w.byKeyOf(k.Secret)
	if list, err := c.Shelf(t.Context(), client.Query{}); err != nil || list.Total != 1 {
		t.Errorf("it finds %+v, %v", list, err)
	}
	if f, err := c.Fill(t.Context(), "notice", mill); err != nil || f.Text != "Say it to Mill Lane.\n" {
		t.Errorf("it fills in %+v, %v", f, err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	open := map[string]bool{"welcome": true, "signIn": true, "setup": true, "setPassword": true, "feed": true}
	allowed, refused := 0, 0
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			pattern := strings.NewReplacer("{", ":", "}", "").Replace(path)
			if _, may := keyMay[method+" "+pattern]; may {
				allowed++
				continue
			}
			if open[op.OperationID] {
				continue
			}
			at := strings.NewReplacer("{slug}", "notice", "{ref}", "notice", "{name}", "weir-mail", "{id}", "1", "{number}", "1").Replace(path)
			body := bodies[op.OperationID]
			if body == "" && method != http.MethodGet {
				body = "{}"
			}
			if got := w.call("", method, "/api/v1"+at, body, "Authorization", "Bearer "+k.Secret); got.status != http.StatusForbidden {
				t.Errorf("%s: %d %s", op.OperationID, got.status, got.body)
			}
			refused++
		}
	}
	if allowed != len(keyMay) || refused < 100 {
		t.Errorf("%d operations are allowed of %d that are named, %d refused", allowed, len(keyMay), refused)
	}
	for _, path := range []string{"/api/v1/shelf/notice/", "/api/v1//shelf", "/api/v1/shelf/notice/fill/", "/api/v1/SHELF"} {
		if got := w.call("", "GET", path, "", "Authorization", "Bearer "+k.Secret); got.status == http.StatusOK {
			t.Errorf("%s is answered", path)
		}
	}
	onlyReads := w.byKeyOf(w.key(t, api.NewKey{Name: "reads", KeyChange: api.KeyChange{May: []string{"read"}}}).Secret)
	if _, err := onlyReads.Fill(t.Context(), "notice", mill); client.Status(err) != http.StatusForbidden {
		t.Errorf("a key that only reads fills in: %v", err)
	}
	if _, err := onlyReads.ShelfEntry(t.Context(), "notice"); err != nil {
		t.Errorf("and does not read: %v", err)
	}
}

// A key of some departments sees nothing of others: not in a list, a count, an entry, a stack
// that it names, rows, a comparison or a rendition.
func TestAKeyOfADepartment(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	voice := testdb.Part(entry.Persona, "lab-voice", "Speak as the laboratory.\n")
	voice.Labels = map[string][]string{"department": {"laboratory"}}
	w.Publish(testdb.Prompt("notice", "Say it to {{area}}.\n"), ofLaboratory("result", "Result for {{area}}.\n"), voice)
	c := w.byKeyOf(w.key(t, api.NewKey{Name: "weir-mail", KeyChange: api.KeyChange{Departments: []string{"customer-care"}}}).Secret)

	list, err := c.Shelf(ctx, client.Query{})
	if err != nil || list.Total != 1 || list.Items[0].Slug != "notice" {
		t.Errorf("it finds %+v, %v", list.Items, err)
	}
	for _, q := range []client.Query{{Labels: map[string][]string{"department": {"laboratory"}}}, {Words: "result"}, {Words: "department:laboratory"}} {
		if list, err := c.Shelf(ctx, q); err != nil || list.Total != 0 {
			t.Errorf("%+v finds %+v, %v", q, list.Items, err)
		}
	}
	facets, err := c.Labels(ctx)
	if err != nil {
		t.Error(err)
	}
	for _, f := range append(facets, list.Facets...) {
		for _, term := range f.Terms {
			if f.Name == "department" && term.Name == "laboratory" && term.Count > 0 || f.Name == "kind" && term.Name == "persona" && term.Count > 0 {
				t.Errorf("%s %s is counted: %d", f.Name, term.Name, term.Count)
			}
		}
	}
	for what, do := range map[string]func() error{
		"reads another's":            func() error { _, err := c.ShelfEntry(ctx, "result"); return err },
		"reads an old version of it": func() error { _, err := c.ShelfEntry(ctx, "result@1"); return err },
		"fills it in":                func() error { _, err := c.Fill(ctx, "result", mill); return err },
		"names its persona": func() error {
			_, err := c.FillStack(ctx, "notice", api.FillRequest{Values: mill, Persona: "lab-voice"})
			return err
		},
		"names it with a version": func() error {
			_, err := c.FillStack(ctx, "notice", api.FillRequest{Values: mill, Persona: "lab-voice@1"})
			return err
		},
		"fills in rows of it": func() error {
			_, err := c.FillRows(ctx, "result", []byte("area\nMill Lane\n"), api.RowsRequest{Format: "csv"})
			return err
		},
		"fills in rows with its persona": func() error {
			_, err := c.FillRows(ctx, "notice", []byte("area\nMill Lane\n"), api.RowsRequest{Format: "csv", Persona: "lab-voice"})
			return err
		},
		"compares with its persona": func() error {
			_, err := c.CompareStacks(ctx, "notice", api.StacksToCompare{First: api.StackChoice{}, Second: api.StackChoice{Persona: "lab-voice"}})
			return err
		},
		"asks for one that is not there": func() error { _, err := c.ShelfEntry(ctx, "nothing"); return err },
	} {
		if err := do(); client.Status(err) != http.StatusNotFound {
			t.Errorf("%s: %v", what, err)
		}
	}
	if f, err := c.Fill(ctx, "notice", mill); err != nil || !strings.Contains(f.Text, "Mill Lane") {
		t.Errorf("its own: %v", err)
	}
}

// A key is renewed without a gap, ends when it is to, and calls no more often than it may.
func TestAKeysLife(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	w.Publish(testdb.Prompt("notice", "Say it to {{area}}.\n"))
	curator, first := w.as("curator"), w.key(t, api.NewKey{Name: "weir-mail", KeyChange: api.KeyChange{PerMinute: 1000}})
	goes := func(what, secret string, want int) {
		t.Helper()
		if _, err := w.byKeyOf(secret).Fill(ctx, "notice", mill); client.Status(err) != want {
			t.Errorf("%s: %v, want %d", what, err, want)
		}
	}
	goes("the first", first.Secret, 0)
	second, err := curator.RenewKey(ctx, "weir-mail", api.RenewKey{Overlap: 2})
	if err != nil {
		t.Fatal(err)
	}
	goes("the first beside the second", first.Secret, 0)
	goes("the second", second.Secret, 0)
	third, err := curator.RenewKey(ctx, "weir-mail", api.RenewKey{Overlap: 2})
	if err != nil {
		t.Fatal(err)
	}
	goes("the first after a third", first.Secret, http.StatusUnauthorized)
	goes("the second beside the third", second.Secret, 0)
	w.Clock.Pass(49 * time.Hour)
	goes("the second after two days", second.Secret, http.StatusUnauthorized)
	goes("the third", third.Secret, 0)

	all, err := curator.Keys(ctx)
	if err != nil || len(all.Items) != 1 || all.Items[0].UsedAt == nil || all.Items[0].OldUntil != nil {
		t.Errorf("the keys are %+v, %v", all.Items, err)
	}
	if _, err := curator.SetKey(ctx, "weir-mail", 99, api.KeyChange{}); client.Status(err) != http.StatusPreconditionFailed {
		t.Errorf("a change over another state: %v", err)
	}
	if _, err := curator.SetKey(ctx, "weir-mail", all.Items[0].Number, api.KeyChange{PerMinute: 3}); err != nil {
		t.Fatal(err)
	}
	w.Clock.Pass(time.Minute)
	for range 3 {
		goes("as often as it may", third.Secret, 0)
	}
	goes("once more", third.Secret, http.StatusTooManyRequests)
	w.Clock.Pass(time.Minute)
	goes("a minute later", third.Secret, 0)

	w.Clock.Pass(366 * 24 * time.Hour)
	goes("a year later", third.Secret, http.StatusUnauthorized)
	w.Clock.Pass(-366 * 24 * time.Hour)
	goes("a clock that was wrong", third.Secret, 0)
	if err := curator.DeleteKey(ctx, "weir-mail"); err != nil {
		t.Fatal(err)
	}
	goes("deleted", third.Secret, http.StatusUnauthorized)
	goes("made up", "goldshelf-key-nonsense", http.StatusUnauthorized)
}

// What is wrong with a key that is asked for is told at once; two who make one of a name at
// once make one.
func TestWrongKeys(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	past := time.Now().AddDate(-1, 0, 0)
	_, err := w.as("curator").AddKey(ctx, api.NewKey{Name: "Weir Mail", KeyChange: api.KeyChange{May: []string{"publish"}, Departments: []string{"zoo"}, PerMinute: -1, Until: &past}})
	for _, says := range []string{"Weir Mail", "publish", "zoo", "-1", "past"} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("it is not said of %s: %v", says, err)
		}
	}
	var made, taken int
	for _, err := range testdb.Race(
		func() error { _, err := w.as("curator").AddKey(ctx, api.NewKey{Name: "weir-mail"}); return err },
		func() error { _, err := w.as("curator").AddKey(ctx, api.NewKey{Name: "weir-mail"}); return err },
	) {
		switch client.Status(err) {
		case 0:
			made++
		case http.StatusConflict:
			taken++
		}
	}
	if made != 1 || taken != 1 {
		t.Errorf("%d were made and %d refused", made, taken)
	}
}

// No secret is kept: not in a table, and not in the answer that is kept for whoever sends a
// request again.
func TestNoAnswerKeepsASecret(t *testing.T) {
	t.Parallel()
	types, methods := map[string]reflect.Type{}, reflect.TypeFor[*client.Client]()
	for i := range methods.NumMethod() {
		for j := range methods.Method(i).Type.NumOut() {
			collect(types, methods.Method(i).Type.Out(j))
		}
	}
	found := 0
	for name, typ := range types {
		has := map[string]bool{}
		fields(typ, has)
		if !has["secret"] && !has["code"] && !has["token"] || has["slug"] || has["code"] && has["title"] || name == "Session" || name == "Connection" || typ.PkgPath() != "goldshelf/api" {
			continue // an entry's code is its name, a connection's secret where it is kept; and nobody signs in by a request that is kept
		}
		found++
		if k, err := keptOf(reflect.Zero(typ).Interface()); err == nil && !k.Secret {
			t.Errorf("an answer of %s is kept with its secret", name)
		}
	}
	if found < 3 {
		t.Errorf("only %d answers have secrets", found)
	}
	if k, err := keptOf(struct{ Secret string }{"x"}); err == nil {
		t.Errorf("an answer of a new type is kept as %+v", k)
	}

	w := newWorld(t)
	k := w.key(t, api.NewKey{Name: "weir-mail"})
	again := w.call("curator", "POST", "/api/v1/keys", `{"name": "other"}`, "Idempotency-Key", "one")
	if again.status != http.StatusCreated {
		t.Fatalf("%d %s", again.status, again.body)
	}
	var made api.KeySecret
	if err := json.Unmarshal([]byte(again.body), &made); err != nil {
		t.Fatal(err)
	}
	if again := w.call("curator", "POST", "/api/v1/keys", `{"name": "other"}`, "Idempotency-Key", "one"); strings.Contains(again.body, made.Secret) {
		t.Errorf("sent again it is answered %d %s", again.status, again.body)
	}
	for table := range w.Rows() {
		for _, secret := range []string{k.Secret, made.Secret} {
			var rows []struct{ N int }
			w.Select(&rows, fmt.Sprintf(`select count(*) as n from %s t where t::text like '%%%s%%'`, table, secret))
			if rows[0].N > 0 {
				t.Errorf("the table %s has a secret", table)
			}
		}
	}
}
