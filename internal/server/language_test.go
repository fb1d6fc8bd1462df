package server

import (
	"net/http"
	"strings"
	"testing"

	"goldshelf/core/entry"
	"goldshelf/internal/testdb"
)

// What goes wrong is told in the language that is asked for, by whatever operation; what is
// for programs stays as it is, and so does what people wrote.
func TestAnswersAreInTheCallersLanguage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.publish(snippet("kept", "Kind regards.\n"))
	draft := testdb.Part(entry.Snippet, "mine", "The title is missing: a text of mine.\n")
	if _, err := w.as("contributor").Create(t.Context(), draft); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ accept, language, says string }{
		{"", "", "there is no entry"},
		{"cy", "", "there is no entry"},
		{"de-CH, en;q=0.5", "de", "es gibt keinen Eintrag"},
		{"fr", "fr", "il n’y a pas d’entrée"},
		{"not a, ;;header", "", "there is no entry"},
	} {
		got := w.call("reader", http.MethodGet, "/api/v1/entries/nothing-there", "", "Accept-Language", c.accept)
		if c.language != "" && !strings.Contains(got.header.Get("Vary"), "Accept-Language") {
			t.Errorf("%q may be given to who prefers another: Vary is %q", c.accept, got.header.Get("Vary"))
		}
		if got.status != http.StatusNotFound || !strings.Contains(got.body, c.says) || !strings.Contains(got.body, `"type":"/problems/not-found"`) || got.header.Get("Content-Language") != c.language {
			t.Errorf("%q is answered %d in %q: %s", c.accept, got.status, got.header.Get("Content-Language"), got.body)
		}
	}
	// Several findings at once, with what is put into them.
	got := w.call("contributor", http.MethodPost, "/api/v1/check", `{"kind": "snippet", "title": "", "summary": "", "labels": {}, "blanks": [], "body": "{{if a}}{{include }}\n"}`, "Accept-Language", "de")
	for _, want := range []string{"da steht das Ende der Marke nach include", "zu diesem if fehlt {{end}}", `"field":"/body"`} {
		if !strings.Contains(got.body, want) {
			t.Errorf("in German nothing says %q: %s", want, got.body)
		}
	}
	// An answer that is no problem: why something waits, and what a check finds.
	for _, accept := range []string{"en", "fr"} { // a browser that keeps the one may not show it for the other
		if got := w.call("contributor", http.MethodGet, "/api/v1/desk", "", "Accept-Language", accept); !strings.Contains(got.header.Get("Vary"), "Accept-Language") {
			t.Errorf("in %q the desk varies by %q", accept, got.header.Get("Vary"))
		}
	}
	got = w.call("contributor", http.MethodGet, "/api/v1/desk", "", "Accept-Language", "fr")
	if !strings.Contains(got.body, "un brouillon à vous") || !strings.Contains(got.body, `"state":"draft"`) {
		t.Errorf("the desk in French: %s", got.body)
	}
	got = w.call("contributor", http.MethodGet, "/api/v1/entries/mine", "", "Accept-Language", "de")
	if !strings.Contains(got.body, "The title is missing: a text of mine.") {
		t.Errorf("what somebody wrote is translated: %s", got.body)
	}
}
