package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/testdb"
)

// directory is the company's, which calls by a key.
type directory struct {
	t   *testing.T
	w   *world
	key string
}

func directoryOf(t *testing.T, w *world) directory {
	t.Helper()
	return directory{t, w, w.key(t, api.NewKey{Name: "directory", KeyChange: api.KeyChange{May: []string{"provision"}}}).Secret}
}

// resource is what is read of a user, a group, a list or an error.
type resource struct {
	ID           string              `json:"id"`
	UserName     string              `json:"userName"`
	DisplayName  string              `json:"displayName"`
	ExternalID   string              `json:"externalId"`
	Active       bool                `json:"active"`
	Members      []map[string]string `json:"members"`
	Resources    []resource          `json:"Resources"`
	TotalResults int                 `json:"totalResults"`
	ScimType     string              `json:"scimType"`
	Detail       string              `json:"detail"`
}

func (d directory) call(want int, method, path, body string) (r resource) {
	d.t.Helper()
	req, err := http.NewRequestWithContext(d.t.Context(), method, d.w.url+"/scim/v2"+path, strings.NewReader(body))
	if err != nil {
		d.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+d.key)
	req.Header.Set("Content-Type", "application/scim+json")
	res, err := crowd.Do(req)
	if err != nil {
		d.t.Fatal(err)
	}
	defer res.Body.Close()
	_ = json.NewDecoder(res.Body).Decode(&r) // an answer may have no body
	if res.StatusCode != want {
		d.t.Errorf("%s %s %s: %s, want %d: %+v", method, path, body, res.Status, want, r)
	}
	return r
}

const (
	userSchema  = `"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"]`
	groupSchema = `"schemas": ["urn:ietf:params:scim:schemas:core:2.0:Group"]`
	patchSchema = `"schemas": ["urn:ietf:params:scim:api:messages:2.0:PatchOp"]`
)

func (w *world) colleague(t *testing.T, name string) api.Colleague {
	t.Helper()
	all, err := w.as("curator").People(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range all.Items {
		if p.Name == name {
			return p
		}
	}
	t.Fatalf("there is no %s", name)
	return api.Colleague{}
}

// The directory makes people and groups, changes them and switches them off; what groups mean is
// theirs at once.
func TestTheDirectoryKeepsPeople(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	d := directoryOf(t, w)
	groups, err := w.as("curator").SignOnGroups(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	groups.Items = []api.SignOnGroup{{Group: "writers", Role: entry.Contributor, Department: "laboratory"}, {Group: "heads", Role: entry.Curator}}
	if _, err := w.as("curator").SetSignOnGroups(t.Context(), groups.Number, groups); err != nil {
		t.Fatal(err)
	}
	u := d.call(201, "POST", "/Users", `{`+userSchema+`, "userName": "wen.orrin@larkfen.example", "name": {"givenName": "Wen", "familyName": "Orrin"}, "externalId": "larkfen-101", "active": true}`)
	if p := w.colleague(t, "wen.orrin"); u.UserName != "wen.orrin@larkfen.example" || p.FullName != "Wen Orrin" || p.Role != entry.Reader || !p.Active {
		t.Errorf("made: %+v, %+v", u, p)
	}
	if again := d.call(409, "POST", "/Users", `{`+userSchema+`, "userName": "WEN.orrin@larkfen.example"}`); again.ScimType != "uniqueness" {
		t.Errorf("made twice: %+v", again)
	}
	if got := d.call(200, "GET", "/Users/"+u.ID, ""); got.ExternalID != "larkfen-101" || got.DisplayName != "Wen Orrin" {
		t.Errorf("read: %+v", got)
	}
	found := d.call(200, "GET", `/Users?filter=userName+eq+"wen.orrin@larkfen.example"`, "")
	if found.TotalResults != 1 || found.Resources[0].ID != u.ID {
		t.Errorf("found: %+v", found)
	}
	if both := d.call(200, "GET", `/Users?filter=active+eq+true+and+not+(userName+sw+"wen")`, ""); both.TotalResults != len(w.people(t))-1 {
		t.Errorf("all but one: %d", both.TotalResults)
	}
	first, second := d.call(200, "GET", "/Users?startIndex=1&count=2", ""), d.call(200, "GET", "/Users?startIndex=3&count=2", "")
	if len(first.Resources) != 2 || len(second.Resources) != 2 || first.Resources[1].ID == second.Resources[0].ID || first.TotalResults != second.TotalResults {
		t.Errorf("pages: %+v, %+v", first, second)
	}

	g := d.call(201, "POST", "/Groups", fmt.Sprintf(`{%s, "displayName": "writers", "members": [{"value": "%s"}]}`, groupSchema, u.ID))
	if p := w.colleague(t, "wen.orrin"); p.Role != entry.Contributor || p.Department != "laboratory" || len(g.Members) != 1 {
		t.Errorf("in the group: %+v, %+v", p, g)
	}
	d.call(200, "PATCH", "/Groups/"+g.ID, fmt.Sprintf(`{%s, "Operations": [{"op": "remove", "path": "members[value eq \"%s\"]"}]}`, patchSchema, u.ID))
	if p := w.colleague(t, "wen.orrin"); p.Role != entry.Reader {
		t.Errorf("out of the group: %+v", p)
	}
	d.call(200, "PATCH", "/Groups/"+g.ID, fmt.Sprintf(`{%s, "Operations": [{"op": "add", "path": "members", "value": [{"value": "%s"}]}, {"op": "replace", "path": "displayName", "value": "heads"}]}`, patchSchema, u.ID))
	if p := w.colleague(t, "wen.orrin"); p.Role != entry.Curator {
		t.Errorf("in a group that is called otherwise now: %+v", p)
	}
	d.call(204, "DELETE", "/Groups/"+g.ID, "")
	if p := w.colleague(t, "wen.orrin"); p.Role != entry.Reader {
		t.Errorf("without the group: %+v", p)
	}

	// Who is switched off is signed out at once, and comes back when the directory says so.
	token := w.tokenOfID(w.idOf(t, "wen.orrin"))
	c := &client.Client{Server: w.url, Token: token}
	if _, err := c.Session(t.Context()); err != nil {
		t.Fatal(err)
	}
	d.call(200, "PATCH", "/Users/"+u.ID, `{`+patchSchema+`, "Operations": [{"op": "replace", "value": {"active": false}}]}`)
	if _, err := c.Session(t.Context()); client.Status(err) != http.StatusUnauthorized || w.colleague(t, "wen.orrin").Active {
		t.Errorf("switched off: %v", err)
	}
	if got := d.call(200, "PUT", "/Users/"+u.ID, `{`+userSchema+`, "userName": "wen@larkfen.example", "displayName": "Wen O.", "active": true}`); got.DisplayName != "Wen O." || !w.colleague(t, "wen.orrin").Active {
		t.Errorf("replaced: %+v", got)
	}
	d.call(204, "DELETE", "/Users/"+u.ID, "")
	d.call(404, "GET", "/Users/"+u.ID, "")
	if w.colleague(t, "wen.orrin").Active {
		t.Error("who was deleted is active")
	}
	for _, path := range []string{"/ServiceProviderConfig", "/Schemas", "/ResourceTypes"} {
		d.call(200, "GET", path, "")
	}
}

func (w *world) people(t *testing.T) []api.Colleague {
	t.Helper()
	all, err := w.as("curator").People(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return all.Items
}

// What the directory may not, or says wrongly, is refused in its protocol's words.
func TestWhatTheDirectoryIsRefused(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	d := directoryOf(t, w)
	w.Exec(`update people set active = false where role = 'curator' and name <> 'curator'`)
	w.Exec(`insert into provisioned (person_id, user_name, external_id, at, changed_at) select id, name, '', now(), now() from people where name = 'curator'`)
	curator := fmt.Sprint(w.By("curator").ID)
	if got := d.call(409, "PATCH", "/Users/"+curator, `{`+patchSchema+`, "Operations": [{"op": "replace", "path": "active", "value": false}]}`); !strings.Contains(got.Detail, "last curator") {
		t.Errorf("the last curator: %+v", got)
	}
	d.call(409, "DELETE", "/Users/"+curator, "")
	if !w.colleague(t, "curator").Active {
		t.Error("the last curator has left")
	}
	if got := d.call(400, "POST", "/Users", `{`+userSchema+`, "userName": "x", "password": "a good long one"}`); !strings.Contains(got.Detail, "password") {
		t.Errorf("a password: %+v", got)
	}
	d.call(400, "PATCH", "/Users/"+curator, `{`+patchSchema+`, "Operations": [{"op": "replace", "path": "password", "value": "x"}]}`)
	for path, want := range map[string]int{
		"/Users/999999": 404, "/Users/abc": 404, "/Users/0": 404, "/Groups/999999": 404, "/Nothing": 404,
		"/Users?filter=userName+is+like": 400, "/Users?filter=" + strings.Repeat("(", 1000) + "userName+pr" + strings.Repeat(")", 1000): 400,
		"/Users?filter=" + strings.Repeat("(", 11) + "userName+pr" + strings.Repeat(")", 11):     400,
		"/Users?filter=" + strings.Repeat("not+(", 200) + "active+pr" + strings.Repeat(")", 200): 400,
	} {
		d.call(want, "GET", path, "")
	}
	d.call(400, "POST", "/Users", `{`+userSchema+`}`)
	d.call(400, "POST", "/Users", `{`)
	d.call(400, "POST", "/Groups", `{`+groupSchema+`, "displayName": "x", "members": [{"value": "999999"}]}`)
	d.call(400, "POST", "/Groups", `{`+groupSchema+`, "displayName": "x", "members": [{"value": "abc"}]}`)
	if got := w.Count("provisioned_groups"); got != 0 {
		t.Errorf("%d groups are half made", got)
	}
	other := directory{t, w, w.key(t, api.NewKey{Name: "mail"}).Secret}
	other.call(403, "GET", "/Users", "")
	directory{t, w, w.tokenOf("curator")}.call(401, "GET", "/Users", "")
	directory{t, w, ""}.call(401, "GET", "/Users", "")
	if got := w.call("", "GET", "/api/v1/shelf", "", "Authorization", "Bearer "+d.key); got.status != http.StatusForbidden {
		t.Errorf("a key that provisions reads the shelf: %d", got.status)
	}
}

// The directory changes no account that it did not make and that nobody linked to it, neither
// by itself nor through a group, and what it changes is on the audit log with its key.
func TestDirectoryChangesOnlyItsOwnAccounts(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	d := directoryOf(t, w)
	groups := step[api.SignOnGroups](t, "groups")(w.as("curator").SignOnGroups(t.Context()))
	groups.Items = []api.SignOnGroup{{Group: "heads", Role: entry.Curator}}
	step[api.SignOnGroups](t, "set")(w.as("curator").SetSignOnGroups(t.Context(), groups.Number, groups))
	curator, reader := fmt.Sprint(w.By("curator").ID), fmt.Sprint(w.By("reader").ID)
	for _, body := range []string{
		`{"op": "replace", "path": "externalId", "value": "mallory"}`, `{"op": "replace", "path": "active", "value": false}`,
		`{"op": "replace", "path": "userName", "value": "mallory"}`, `{"op": "replace", "path": "displayName", "value": "Mallory"}`,
	} {
		if got := d.call(409, "PATCH", "/Users/"+curator, `{`+patchSchema+`, "Operations": [`+body+`]}`); !strings.Contains(got.Detail, "did not make") {
			t.Errorf("%s: %+v", body, got)
		}
	}
	d.call(409, "PUT", "/Users/"+curator, `{`+userSchema+`, "userName": "mallory", "externalId": "mallory"}`)
	d.call(409, "DELETE", "/Users/"+curator, "")
	d.call(409, "POST", "/Groups", `{`+groupSchema+`, "displayName": "heads", "members": [{"value": "`+reader+`"}]}`)
	d.call(400, "POST", "/Groups", `{`+groupSchema+`, "displayName": "heads", "members": [{"value": "`+reader+`", "type": "Group"}]}`)
	if got := w.Count("provisioned") + w.Count("identities") + w.Count("provisioned_groups"); got != 0 || w.colleague(t, "reader").Role != entry.Reader {
		t.Errorf("%d rows came of it, and the reader is %+v", got, w.colleague(t, "reader"))
	}

	own := d.call(201, "POST", "/Users", `{`+userSchema+`, "userName": "wen", "externalId": "w1"}`)
	other := d.call(201, "POST", "/Users", `{`+userSchema+`, "userName": "jo"}`)
	g := d.call(201, "POST", "/Groups", fmt.Sprintf(`{%s, "displayName": "heads", "members": [{"value": %q}, {"value": %q}]}`, groupSchema, own.ID, other.ID))
	d.call(400, "PATCH", "/Groups/"+g.ID, fmt.Sprintf(`{%s, "Operations": [{"op": "replace", "path": "members[value eq %s]", "value": {"value": %q}}]}`, patchSchema, `\"`+own.ID+`\"`, own.ID))
	if got := d.call(200, "GET", "/Groups/"+g.ID, ""); len(got.Members) != 2 {
		t.Errorf("a replace by a filter left %+v", got.Members)
	}
	d.call(200, "PATCH", "/Users/"+own.ID, `{`+patchSchema+`, "Operations": [{"op": "replace", "path": "active", "value": false}]}`)
	if got := d.call(200, "PUT", "/Users/"+own.ID, `{`+userSchema+`, "userName": "wen", "externalId": "w1"}`); got.Active {
		t.Error("a PUT without active switched somebody on")
	}
	d.call(400, "PATCH", "/Users/"+own.ID, `{`+patchSchema+`, "Operations": [{"op": "replace", "path": "name.familyName", "value": "Orrin"}]}`)
	d.call(413, "PATCH", "/Users/"+own.ID, `{`+patchSchema+`, "Operations": [`+strings.Repeat(`{"op": "replace", "path": "displayName", "value": "W"}, `, 5000)+`{"op": "replace", "path": "displayName", "value": "W"}]}`)
	var recorded []string
	w.Select(&recorded, `select distinct action from events where detail ->> 'key' = 'directory' order by 1`)
	if want := "change-person provision-person set-directory-group"; strings.Join(recorded, " ") != want {
		t.Errorf("recorded with the key: %v, want %s", recorded, want)
	}
}

// A person whom the directory makes twice at once is made once.
func TestTheDirectoryTwiceAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	key := directoryOf(t, w).key
	made := 0
	post := func() error {
		req, err := http.NewRequest("POST", w.url+"/scim/v2/Users", strings.NewReader(`{`+userSchema+`, "userName": "jo"}`))
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+key)
		req.Header.Set("Content-Type", "application/scim+json")
		res, err := crowd.Do(req)
		if err != nil {
			return err
		}
		res.Body.Close()
		if res.StatusCode != http.StatusCreated {
			return fmt.Errorf("%s", res.Status)
		}
		return nil
	}
	for _, err := range testdb.Race(post, post, post) {
		if err == nil {
			made++
		}
	}
	if made != 1 {
		t.Errorf("made %d times", made)
	}
}
