// Package scim lets the company's directory keep people and groups here, as SCIM 2.0 has it (RFC
// 7643, RFC 7644): it reads requests by a library for that, calls the use cases and writes what
// they give. No rule of the job is in it.
package scim

import (
	"bytes"
	"encoding/json"
	stderrors "errors"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/elimity-com/scim"
	"github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/optional"
	"github.com/elimity-com/scim/schema"
	parser "github.com/scim2/filter-parser/v2"

	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/people"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	mostListed  = 200
	mostFilter  = 1000 // bytes
	mostNested  = 10   // parentheses and brackets in one another
	mostChanges = 200  // operations of one PATCH
)

// caller returns who calls for the directory by a request.
type caller func(*http.Request) people.Directory

// Handler answers below a path. By returns who calls, with the issuer of the company's sign-on,
// to which people are known by what the directory knows them by; it is empty where there is none.
func Handler(path string, p *people.Service, by func(*http.Request) people.Directory) (http.Handler, error) {
	server, err := scim.NewServer(&scim.ServerArgs{
		ServiceProviderConfig: &scim.ServiceProviderConfig{
			MaxResults: mostListed, SupportFiltering: true, SupportPatch: true,
			AuthenticationSchemes: []scim.AuthenticationScheme{{
				Type: scim.AuthenticationTypeOauthBearerToken, Name: "A key", Description: "A key of the library that may provision, as a bearer token", Primary: true,
			}},
		},
		ResourceTypes: []scim.ResourceType{
			{ID: optional.NewString("User"), Name: "User", Endpoint: "/Users", Description: optional.NewString("Somebody who may sign in"), Schema: schema.CoreUserSchema(), Handler: users{p, by}},
			{ID: optional.NewString("Group"), Name: "Group", Endpoint: "/Groups", Description: optional.NewString("People together, which may mean a role and a department"), Schema: schema.CoreGroupSchema(), Handler: groups{p, by}},
		},
	})
	if err != nil {
		return nil, err
	}
	return http.StripPrefix(path, bounded(server)), nil
}

// bounded refuses filters and changes that nobody writes, before they are read.
func bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPatch {
			body, err := io.ReadAll(r.Body) // the service has limited it already
			var in struct{ Operations []json.RawMessage }
			if err == nil && json.Unmarshal(body, &in) == nil && len(in.Operations) > mostChanges {
				w.Header().Set("Content-Type", "application/scim+json")
				w.WriteHeader(http.StatusRequestEntityTooLarge)
				data, _ := errors.ScimError{Status: http.StatusRequestEntityTooLarge, Detail: "a PATCH has at most 200 operations; send them in parts"}.MarshalJSON()
				_, _ = w.Write(data) // the sender may be gone
				return
			}
			r.Body = io.NopCloser(bytes.NewReader(body))
		}
		if f := r.URL.Query().Get("filter"); len(f) > mostFilter || nested(f) > mostNested {
			w.Header().Set("Content-Type", "application/scim+json")
			w.WriteHeader(http.StatusBadRequest)
			data, _ := errors.ScimError{ScimType: errors.ScimTypeInvalidFilter, Status: http.StatusBadRequest, Detail: "the filter is longer, or nests deeper, than any that is of use; ask for less"}.MarshalJSON()
			_, _ = w.Write(data) // whoever asked has gone
			return
		}
		next.ServeHTTP(w, r)
	})
}

// nested is how deep parentheses and brackets are in one another.
func nested(text string) (deepest int) {
	depth := 0
	for _, r := range text {
		switch r {
		case '(', '[':
			depth++
			deepest = max(deepest, depth)
		case ')', ']':
			depth--
		}
	}
	return deepest
}

// said is an error in the protocol's words.
func said(err error) error {
	var (
		own     errors.ScimError
		missing *work.Missing
		taken   *work.Taken
		refusal *entry.Refusal
		wrong   problem.List
	)
	switch {
	case err == nil:
		return nil
	case stderrors.As(err, &own):
		return own
	case stderrors.As(err, &missing):
		return errors.ScimError{Status: http.StatusNotFound, Detail: err.Error()}
	case stderrors.As(err, &taken):
		return errors.ScimError{Status: http.StatusConflict, ScimType: errors.ScimTypeUniqueness, Detail: err.Error()}
	case stderrors.As(err, &refusal):
		return errors.ScimError{Status: http.StatusConflict, ScimType: errors.ScimTypeMutability, Detail: err.Error()}
	case stderrors.As(err, &wrong):
		return errors.ScimError{Status: http.StatusBadRequest, ScimType: errors.ScimTypeInvalidValue, Detail: err.Error()}
	case stderrors.Is(err, store.ErrAway), stderrors.Is(err, store.ErrTryAgain), stderrors.Is(err, store.ErrUnsure):
		return errors.ScimError{Status: http.StatusInternalServerError, Detail: "the database does not answer; send it again in a moment"}
	}
	return errors.ScimErrorInternal
}

func idOf(id string) (int64, error) {
	n, err := strconv.ParseInt(id, 10, 64)
	if err != nil || n < 1 {
		return 0, errors.ScimErrorResourceNotFound(id)
	}
	return n, nil
}

func refused(kind errors.ScimType, detail string) error {
	return errors.ScimError{Status: http.StatusBadRequest, ScimType: kind, Detail: detail}
}

// page cuts resources to those that a filter lets through, from a place on.
func page(all []scim.Resource, params scim.ListRequestParams) scim.Page {
	out := scim.Page{Resources: []scim.Resource{}}
	for _, r := range all {
		if params.FilterValidator != nil && params.FilterValidator.PassesFilter(whole(r)) != nil {
			continue
		}
		out.TotalResults++
		if out.TotalResults >= params.StartIndex && len(out.Resources) < min(params.Count, mostListed) {
			out.Resources = append(out.Resources, r)
		}
	}
	return out
}

// whole is a resource with what a filter may ask for beside its attributes.
func whole(r scim.Resource) map[string]any {
	out := map[string]any{"id": r.ID}
	for name, v := range r.Attributes {
		out[name] = v
	}
	if r.ExternalID.Present() {
		out["externalId"] = r.ExternalID.Value()
	}
	return out
}

// text is a value that is a text.
func text(v any) (string, error) {
	if t, is := v.(string); is {
		return t, nil
	}
	return "", refused(errors.ScimTypeInvalidValue, "the value is no text")
}

// yes is a value that is true or false.
func yes(v any) (bool, error) {
	if b, is := v.(bool); is {
		return b, nil
	}
	return false, refused(errors.ScimTypeInvalidValue, "active is true or false")
}

// nameOf gives the path of an operation as one text, in lower case, without its value filter.
func nameOf(p *parser.Path) string {
	if p == nil {
		return ""
	}
	name := p.AttributePath.AttributeName
	if sub := p.AttributePath.SubAttributeName(); sub != "" {
		name += "." + sub
	} else if p.SubAttribute != nil {
		name += "." + *p.SubAttribute
	}
	return strings.ToLower(name)
}

// equals gives what a value filter compares value with: members[value eq "7"] gives 7.
func equals(p *parser.Path) (string, bool) {
	c, is := p.ValueExpression.(*parser.AttributeExpression)
	if !is || c.Operator != parser.EQ || !strings.EqualFold(c.AttributePath.AttributeName, "value") {
		return "", false
	}
	v, is := c.CompareValue.(string)
	return v, is
}
