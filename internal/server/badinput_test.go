package server

import (
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/internal/telemetry"
)

// Whatever is sent, the answer says what is wrong and where, and nothing of it
// is left in the database.
func TestBadInput(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	step[api.Entry](t, "create")(w.as("contributor").Create(ctx, notice(firstText)))
	w.publish(api.NewEntry{Slug: "shelved", Content: notice("{{area}} {{hours}}").Content})
	const entries, draft = "/api/v1/entries", "/api/v1/entries/burst-main-notice/draft"
	ok := `{"kind":"snippet","slug":"new-one","title":"T","summary":"S","body":"x"}`
	if !strings.Contains(ok, `"x"`) {
		t.Fatal("the good request is not what the cases change")
	}
	with := func(field, value string) string {
		return strings.Replace(ok, `"body":"x"`, `"body":"x",`+field+`:`+value, 1)
	}
	tests := []struct {
		name, who, method, path, body string
		status                        int
		want                          []string // parts of the answer
	}{
		{"not signed in", "", "GET", "/api/v1/shelf", "", 401, []string{"sign in first"}},
		{"no such call", "reader", "GET", "/api/v1/shelves", "", 404, []string{"no such call"}},
		{"wrong method", "reader", "DELETE", "/api/v1/shelf", "", 404, nil},
		{"2 MiB", "contributor", "POST", entries, `{"body":"` + strings.Repeat("x", 2<<20) + `"}`, 413, []string{"1 MiB"}},
		{"300 KiB of text", "contributor", "POST", entries, strings.Replace(ok, `"x"`, `"`+strings.Repeat("x", 300<<10)+`"`, 1), 422, []string{`"/body"`, "256 KiB"}},
		{"no JSON", "contributor", "POST", entries, `{"kind":`, 400, []string{"line 1, column 9", "ends in the middle"}},
		{"no JSON, later", "contributor", "POST", entries, "{\n  'kind': 1}", 400, []string{"line 2, column"}},
		{"two values", "contributor", "POST", entries, ok + ok, 400, []string{"more after the end"}},
		{"deep", "contributor", "POST", entries, strings.Repeat("[", 200), 400, []string{"deep"}},
		{"empty", "contributor", "POST", entries, "", 422, []string{"slug"}},
		{"a list", "contributor", "POST", entries, "[]", 422, []string{"the value is a list, and an object is wanted"}},
		{"invalid UTF-8", "contributor", "POST", entries, strings.Replace(ok, `"x"`, "\"ab\\ncd\xe9\"", 1), 422, []string{`"/body"`, `"line":2,"column":3`, "no UTF-8"}},
		{"invalid UTF-8 in a name", "contributor", "POST", entries, with("\"a\xff\"", "1"), 422, []string{"no UTF-8"}},
		{"NUL", "contributor", "POST", entries, strings.Replace(ok, `"x"`, `"a\u0000"`, 1), 422, []string{`"/body"`, `"column":2`, "NUL"}},
		{"NUL in a blank", "contributor", "POST", entries, with(`"blanks"`, `[{"name":"a","ask":"\u0000"}]`), 422, []string{`"/blanks/0/ask"`}},
		{"unknown fields, all of them", "contributor", "POST", entries, with(`"colour"`, `"red","blanks":[{"nme":"a"}]`), 422, []string{`no field \"colour\"`, `"/blanks/0/nme"`}},
		{"a field twice", "contributor", "POST", entries, with(`"title"`, `"U"`), 422, []string{"stands twice"}},
		{"wrong types, all of them", "contributor", "POST", entries, with(`"labels"`, `[],"plain":"yes","sheets":{}`), 422, []string{"labels is a list", "plain is a text", "sheets is an object"}},
		{"slug with ../", "contributor", "POST", entries, strings.Replace(ok, "new-one", "../etc", 1), 422, []string{`"/slug"`, "is no slug"}},
		{"slug with ../ in the path", "reader", "GET", "/api/v1/shelf/..%2f..%2fetc", "", 404, nil},
		{"no kind", "contributor", "POST", entries, strings.Replace(ok, "snippet", "poem", 1), 422, []string{"the kinds are"}},
		{"unknown label", "contributor", "POST", entries, with(`"labels"`, `{"department":["navy"],"mood":["x"]}`), 422, []string{`department has no term \"navy\"`, `no facet \"mood\"`}},
		{"a blank twice", "contributor", "POST", entries, with(`"blanks"`, `[{"name":"a"},{"name":"a"}]`), 422, []string{"declared twice"}},
		{"a blank of no type", "contributor", "POST", entries, with(`"blanks"`, `[{"name":"a","type":"colour"}]`), 422, []string{`"/blanks/0/type"`}},
		{"another's name as owner", "contributor", "POST", entries, with(`"owner"`, `"second"`), 422, []string{`"/owner"`}},
		{"nobody as deputy", "contributor", "POST", entries, with(`"deputy"`, `"ghost"`), 422, []string{`"/deputy"`, "nobody called"}},
		{"a reader makes an entry", "reader", "POST", entries, ok, 403, []string{"only contributors"}},
		{"a taken slug", "contributor", "POST", entries, strings.Replace(ok, "new-one", "shelved", 1), 409, []string{"choose another slug"}},
		{"another kind on saving", "contributor", "PUT", draft, `{"kind":"style","body":"x"}`, 422, []string{"keeps its kind"}},
		{"somebody else's draft", "second", "PUT", draft, `{"kind":"prompt","body":"x"}`, 404, nil},
		{"a reviewer saves a draft", "reviewer", "PUT", draft, `{"kind":"prompt","body":"x"}`, 403, []string{"its owner, its deputy or a curator"}},
		{"a value of the wrong type", "reader", "POST", "/api/v1/shelf/shelved/fill", `{"values":{"area":["a","b"],"hours":"soon"}}`, 422, []string{`"/values/area"`, `"/values/hours"`, "is a number"}},
		{"an object as a value", "reader", "POST", "/api/v1/shelf/shelved/fill", `{"values":{"area":{}}}`, 422, []string{"a value is a text, a number, true, false or a list of these"}},
		{"missing values", "reader", "POST", "/api/v1/shelf/shelved/fill", `{}`, 422, []string{"area is missing", "hours is missing"}},
		{"a version that is none", "reader", "GET", "/api/v1/shelf/shelved@x", "", 422, []string{"whole number"}},
		{"a version from far away", "reader", "GET", "/api/v1/shelf/shelved@99", "", 404, []string{"no published version 99"}},
		{"a limit of nothing", "reader", "GET", "/api/v1/shelf?limit=many", "", 422, []string{`"/limit"`}},
		{"a limit too high", "reader", "GET", "/api/v1/shelf?limit=100000", "", 422, []string{`"/limit"`}},
		{"a label that is none", "reader", "GET", "/api/v1/shelf?department=navy", "", 422, []string{`"/department/0"`}},
		{"NUL in a search", "reader", "GET", "/api/v1/shelf?q=a%00b", "", 422, []string{`"/q"`, "NUL"}},
		{"a comment too long", "reviewer", "POST", "/api/v1/entries/burst-main-notice/return", `{"because":"` + strings.Repeat("x", 3000) + `"}`, 409, nil},
		{"a note of the wrong type", "contributor", "POST", "/api/v1/entries/burst-main-notice/submit", `{"note":7}`, 422, []string{"note is a number"}},
		{"XML", "contributor", "POST", entries, "<a/>", 415, []string{"application/json"}},
	}
	before := w.Rows()
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			headers := []string{"If-Match", `"1.1"`}
			if tt.name == "XML" {
				headers = append(headers, "Content-Type", "text/xml")
			}
			a := w.call(tt.who, tt.method, tt.path, tt.body, headers...)
			if a.status != tt.status {
				t.Errorf("status %d, want %d: %s", a.status, tt.status, a.body)
			}
			for _, part := range tt.want {
				if !strings.Contains(a.body, part) {
					t.Errorf("the answer does not say %q: %s", part, a.body)
				}
			}
			if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
				t.Errorf("rows were %v, now %v", before, after)
			}
		})
	}
	if a := w.call("contributor", "POST", entries, ok); a.status != http.StatusCreated {
		t.Errorf("the good request: %d %s", a.status, a.body)
	}
}

// A page of another site cannot act for someone who is signed in here.
func TestOtherSitesCannotAct(t *testing.T) {
	t.Parallel()
	w := newWorldWith(t, Options{Log: slog.New(slog.DiscardHandler), Metrics: telemetry.NewMetrics("test")})
	cookie := "goldshelf=" + w.as("contributor").Token
	call := func(method string, headers ...string) int {
		return w.call("", method, "/api/v1/preview", `{"body":"x"}`, append([]string{"Cookie", cookie}, headers...)...).status
	}
	for _, tt := range []struct {
		headers []string
		want    int
	}{
		{[]string{"Origin", w.url}, 200},
		{[]string{"Origin", "https://elsewhere.example"}, 403},
		{[]string{"Origin", "null"}, 403},
		{[]string{"Origin", strings.Replace(w.url, "http:", "https:", 1)}, 403},
		{[]string{"Origin", strings.Replace(w.url, "127.0.0.1", "localhost", 1)}, 403}, // and the Host is another
		{[]string{"Sec-Fetch-Site", "cross-site"}, 403},
		{[]string{"Sec-Fetch-Site", "same-site"}, 403},
		{[]string{"Sec-Fetch-Site", "same-origin", "Origin", w.url}, 200},
	} {
		if got := call("POST", tt.headers...); got != tt.want {
			t.Errorf("%v: got %d, want %d", tt.headers, got, tt.want)
		}
	}
	// A name that leads here may be anybody's: without --public-url only the address itself is known.
	port := w.url[strings.LastIndex(w.url, ":"):]
	for host, want := range map[string]int{"evil.example" + port: 403, "evil.example": 403, "127.0.0.2" + port: 200, "localhost" + port: 200, "192.0.2.1" + port: 403} {
		req, err := http.NewRequest(http.MethodPost, w.url+"/api/v1/preview", strings.NewReader(`{"body":"x"}`))
		if err != nil {
			t.Fatal(err)
		}
		req.Host = host
		for name, value := range map[string]string{"Origin": "http://" + host, "Sec-Fetch-Site": "same-origin", "Cookie": cookie, "Content-Type": "application/json"} {
			req.Header.Set(name, value)
		}
		res, err := crowd.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != want {
			t.Errorf("as %s, from its own page: %d, want %d", host, res.StatusCode, want)
		}
		if req, err = http.NewRequest(http.MethodGet, w.url+"/metrics", nil); err != nil {
			t.Fatal(err)
		}
		req.Host = host
		if res, err = crowd.Do(req); err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if open := res.StatusCode == http.StatusOK; open != (want == 200) {
			t.Errorf("the metrics as %s: %d", host, res.StatusCode)
		}
	}
	a := w.call("", "POST", "/api/v1/session", `{"name":"reader","password":"`+password+`"}`)
	set := a.header.Get("Set-Cookie")
	for _, part := range []string{"HttpOnly", "SameSite=Strict", "path=/"} {
		if !strings.Contains(set, part) {
			t.Errorf("the cookie %q is not %s", strings.Split(set, ";")[1:], part)
		}
	}
}

func TestHealth(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for _, path := range []string{"/healthz", "/readyz"} {
		if a := w.call("", "GET", path, ""); a.status != 200 {
			t.Errorf("%s: %d", path, a.status)
		}
	}
	w.Store.Close()
	if res, err := http.Get(w.url + "/readyz"); err != nil || res.StatusCode != 503 {
		t.Errorf("readyz without a database: %v, %v", res, err)
	}
	if a := w.call("", "GET", "/healthz", ""); a.status != 200 {
		t.Errorf("healthz without a database: %d", a.status)
	}
}
