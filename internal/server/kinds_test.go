package server

import (
	"net/http"
	"slices"
	"testing"

	"goldshelf/api"
)

// What is refused for different reasons is of different types, also where the status is the same,
// and has a title that is true of it.
func TestProblemsAreOfTheirOwnTypes(t *testing.T) {
	t.Parallel()
	w := newReplyWorld(t)
	trial := w.things(t)["trial of the shelf"].trial
	application := w.key(t, api.NewKey{Name: "weir-mail"}).Secret
	add := func() answered {
		return w.call("curator", "POST", "/api/v1/keys", `{"name": "other"}`, "Idempotency-Key", "one")
	}
	add()
	for name, tt := range map[string]struct {
		got         answered
		status      int
		kind, title string
	}{
		"a secret that is not kept": {add(), 409, "secret-gone", "It was done before, and its secret is not kept"},
		"another request under a key": {w.call("curator", "POST", "/api/v1/keys", `{"name": "third"}`, "Idempotency-Key", "one"), 422, "key-reused",
			"Another request had that key"},
		"a format": {w.call("curator", "GET", "/api/v1/trials/"+trial+"/replies?as=pdf", ""), 422, "format", "There is no such format"},
		"a key":    {w.call("", "POST", "/api/v1/entries", `{}`, "Authorization", "Bearer "+application), 403, "may-not", "Whoever calls may not do that"},
		"a key to be made known": {w.call("", "GET", "/api/v1/trials/"+trial+"/events", "", "Authorization", "Bearer "+application), 403, "may-not",
			"Whoever calls may not do that"},
		"a media type": {w.call("curator", "POST", "/api/v1/keys", `{}`, "Content-Type", "text/plain"), 415, "media-type", "Send another type of content"},
	} {
		p := tt.got.Problem
		if p.Status != tt.status || p.Type != "/problems/"+tt.kind || p.Title.String() != tt.title {
			t.Errorf("%s: got %d %s %q: %s", name, p.Status, p.Type, p.Title, p.Detail)
		}
	}
}

// No two kinds have the same name.
func TestKindsHaveNamesOfTheirOwn(t *testing.T) {
	t.Parallel()
	all := []*kind{compressed, formatUnknown, forPeople, keyReused, mayNot, mediaType, noIfMatch, notFound, otherSite, secretGone, signInFirst, tooLargeRequest, tooManyStreams, unreadableRequest}
	var names []string
	for _, k := range all {
		if slices.Contains(names, k.name) || k.title.IsZero() || http.StatusText(k.code) == "" {
			t.Errorf("%s: %d %q", k.name, k.code, k.title)
		}
		names = append(names, k.name)
	}
}
