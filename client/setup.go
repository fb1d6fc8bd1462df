package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"goldshelf/api"
)

// Welcome says what one may know before signing in.
func (c *Client) Welcome(ctx context.Context) (api.Welcome, error) {
	return read[api.Welcome](ctx, c, get("/welcome"))
}

// Setup makes the first curator, by the code that the service gave when it was started,
// and keeps their token in the client.
func (c *Client) Setup(ctx context.Context, in api.Setup) (api.Session, error) {
	s, err := read[api.Session](ctx, c, post("/setup", in))
	if err == nil {
		c.Token = s.Token
	}
	return s, err
}

// SetPassword sets a password by the code of a link.
func (c *Client) SetPassword(ctx context.Context, in api.NewPassword) error {
	_, err := c.call(ctx, post("/password", in), nil)
	return err
}

// Library gives what the library is called, and its zone; a change must name the ETag.
func (c *Client) Library(ctx context.Context) (l api.LibraryState, etag string, err error) {
	etag, err = c.call(ctx, get("/library"), &l)
	return l, etag, err
}

// SetLibrary changes what was read under etag. A status of 412 means that someone else
// has changed it since.
func (c *Client) SetLibrary(ctx context.Context, etag string, in api.Library) (api.LibraryState, error) {
	return read[api.LibraryState](ctx, c, request{method: http.MethodPut, path: "/library", in: in, header: http.Header{"If-Match": {etag}}})
}

// Resume has a library that was restored do again what is due.
func (c *Client) Resume(ctx context.Context) (api.LibraryState, error) {
	return read[api.LibraryState](ctx, c, post("/library/resume", nil))
}

// Synonyms gives the lists of words that mean the same; a change must name the ETag.
func (c *Client) Synonyms(ctx context.Context) (all api.Synonyms, etag string, err error) {
	etag, err = c.call(ctx, get("/synonyms"), &all)
	return all, etag, err
}

// SetSynonyms changes what was read under etag. A status of 412 means that someone else
// has changed it since.
func (c *Client) SetSynonyms(ctx context.Context, etag string, in api.Synonyms) (api.Synonyms, error) {
	return read[api.Synonyms](ctx, c, request{method: http.MethodPut, path: "/synonyms", in: in, header: http.Header{"If-Match": {etag}}})
}

// AddLabel adds a facet or, with a term, a term to a facet, and gives all facets.
func (c *Client) AddLabel(ctx context.Context, in api.NewLabel) (api.Facets, error) {
	return read[api.Facets](ctx, c, post("/labels", in))
}

// ImportLabels adds facets and terms from a CSV table: facet, term, title.
func (c *Client) ImportLabels(ctx context.Context, table []byte) (api.Facets, error) {
	return read[api.Facets](ctx, c, request{method: http.MethodPost, path: "/labels/import", raw: table, kind: "text/csv"})
}

// SetFacet changes what is named of a facet.
func (c *Client) SetFacet(ctx context.Context, facet string, in api.FacetChange) (api.Facets, error) {
	return read[api.Facets](ctx, c, request{method: http.MethodPut, path: "/labels/" + url.PathEscape(facet), in: in})
}

// SetTerm changes a term's title, what it is under, and whether anybody still chooses it.
func (c *Client) SetTerm(ctx context.Context, facet, term string, in api.TermChange) (api.Facets, error) {
	return read[api.Facets](ctx, c, request{method: http.MethodPut, path: fmt.Sprintf("/labels/%s/%s", url.PathEscape(facet), url.PathEscape(term)), in: in})
}

// MergeTerm makes a term a part of another, and gives what undoes it.
func (c *Client) MergeTerm(ctx context.Context, facet, term, into string) (api.LabelsChanged, error) {
	return read[api.LabelsChanged](ctx, c, post(fmt.Sprintf("/labels/%s/%s/merge", url.PathEscape(facet), url.PathEscape(term)), api.MergeInto{Into: into}))
}

// PlanLabels shows what labelling many entries would change.
func (c *Client) PlanLabels(ctx context.Context, in api.LabelMany) (api.LabelPlan, error) {
	return read[api.LabelPlan](ctx, c, post("/labels/plan", in))
}

// ApplyLabels labels many entries as a plan with that digest showed it, and gives what
// undoes it. A status of 412 means that it would be something else by now.
func (c *Client) ApplyLabels(ctx context.Context, in api.LabelMany) (api.LabelsChanged, error) {
	return read[api.LabelsChanged](ctx, c, post("/labels/apply", in))
}

// UndoLabels takes back a merge, or a change of the labels of many entries.
func (c *Client) UndoLabels(ctx context.Context, id string) (api.LabelsChanged, error) {
	return read[api.LabelsChanged](ctx, c, post("/labels/changes/"+url.PathEscape(id)+"/undo", nil))
}

// SetLabels gives an entry these labels and no others.
func (c *Client) SetLabels(ctx context.Context, slug string, labels map[string][]string) (api.Entry, error) {
	if labels == nil {
		labels = map[string][]string{}
	}
	return read[api.Entry](ctx, c, request{method: http.MethodPut, path: entryPath(slug, "/labels"), in: api.EntryLabels{Labels: labels}})
}

// ImportPeople adds people from a CSV table: name, full_name, role, department. Each
// gets a link to set a password with, which is in this answer and in no other.
func (c *Client) ImportPeople(ctx context.Context, table []byte) (api.PeopleImported, error) {
	return read[api.PeopleImported](ctx, c, request{method: http.MethodPost, path: "/people/import", raw: table, kind: "text/csv"})
}

// NewPasswordLink gives someone a link to set a password with.
func (c *Client) NewPasswordLink(ctx context.Context, name string) (api.PasswordLink, error) {
	return read[api.PasswordLink](ctx, c, post("/people/"+url.PathEscape(name)+"/password-link", nil))
}

// Outline takes a text apart at the headings of its outline.
func (c *Client) Outline(ctx context.Context, in api.OutlineRequest) (api.Outline, error) {
	return read[api.Outline](ctx, c, post("/outline", in))
}
