package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"goldshelf/api"
	"goldshelf/core/layout"
)

// Register gives the applications and models that are used, the cap, and what a month costs.
func (c *Client) Register(ctx context.Context) (api.Register, error) {
	return read[api.Register](ctx, c, get("/register"))
}

// AddRegistered registers an application or a model, whose name becomes a label.
func (c *Client) AddRegistered(ctx context.Context, in api.NewRegistered) (api.Register, error) {
	return read[api.Register](ctx, c, post("/register", in))
}

// ChangeRegistered keeps other details of an application or a model, on the register of a
// number. A status of 412 means that it is another by now.
func (c *Client) ChangeRegistered(ctx context.Context, on int, facet, term string, in api.RegisteredChange) (api.Register, error) {
	return read[api.Register](ctx, c, putOn("register", on, "/register/"+url.PathEscape(facet)+"/"+url.PathEscape(term), in))
}

// SetBudget changes the cap for all applications, on the register of a number.
func (c *Client) SetBudget(ctx context.Context, on int, in api.BudgetChange) (api.Register, error) {
	return read[api.Register](ctx, c, putOn("register", on, "/register/budget", in))
}

// MoveLabel gives all entries that have a term of a facet, application or model, another
// one in its place.
func (c *Client) MoveLabel(ctx context.Context, facet, term, to string) (api.LabelsChanged, error) {
	return read[api.LabelsChanged](ctx, c, post("/register/"+url.PathEscape(facet)+"/"+url.PathEscape(term)+"/move", api.MoveLabel{To: to}))
}

// Layouts gives how each application wants a stack delivered, of those that say so.
func (c *Client) Layouts(ctx context.Context) (api.SavedLayouts, error) {
	return read[api.SavedLayouts](ctx, c, get("/layouts"))
}

// Layout gives an application's; a status of 404 means that it takes stacks as they are.
func (c *Client) Layout(ctx context.Context, application string) (api.SavedLayout, error) {
	return read[api.SavedLayout](ctx, c, get("/layouts/"+url.PathEscape(application)))
}

// SetLayout keeps how an application wants a stack delivered, on the layout of a number: 0
// where there is none yet.
func (c *Client) SetLayout(ctx context.Context, application string, on int, l layout.Layout) (api.SavedLayout, error) {
	return read[api.SavedLayout](ctx, c, putOn("layout", on, "/layouts/"+url.PathEscape(application), l))
}

// DeleteLayout has an application take stacks as they are.
func (c *Client) DeleteLayout(ctx context.Context, application string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/layouts/" + url.PathEscape(application)}, nil)
	return err
}

// TryLayout delivers an entry by a layout that is not saved.
func (c *Client) TryLayout(ctx context.Context, in api.LayoutTrial) (api.LayoutTried, error) {
	return read[api.LayoutTried](ctx, c, post("/layout-trials", in))
}

// putOn changes something that was read under a number.
func putOn(what string, on int, path string, in any) request {
	return request{method: http.MethodPut, path: path, in: in, header: http.Header{"If-Match": {fmt.Sprintf(`"%s.%d"`, what, on)}}}
}
