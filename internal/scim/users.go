package scim

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/elimity-com/scim"
	"github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/optional"

	"goldshelf/internal/people"
	"goldshelf/internal/store"
)

// users are people.
type users struct {
	people *people.Service
	by     caller
}

func userOf(p store.Provisioned) scim.Resource {
	groups := []any{}
	for _, g := range p.Groups.V {
		groups = append(groups, map[string]any{"value": strconv.FormatInt(g.ID, 10), "display": g.Name})
	}
	r := scim.Resource{ID: strconv.FormatInt(p.ID, 10), Attributes: scim.ResourceAttributes{
		"userName": p.UserName, "displayName": p.FullName, "name": map[string]any{"formatted": p.FullName}, "active": p.Active, "groups": groups,
	}}
	if p.ExternalID != "" {
		r.ExternalID = optional.NewString(p.ExternalID)
	}
	if !p.At.IsZero() && p.At.Unix() > 0 {
		at, changed := p.At.UTC(), p.ChangedAt.UTC()
		r.Meta = scim.Meta{Created: &at, LastModified: &changed}
	}
	return r
}

// read reads what a directory says of somebody.
func read(into *people.Provision, attributes map[string]any) (err error) {
	for name, v := range attributes {
		if err := set(into, strings.ToLower(name), v); err != nil {
			return err
		}
	}
	return nil
}

// set sets what is kept here of a person. What is not, as an address, is passed over; a password
// is refused: nobody's is anybody else's business.
func set(into *people.Provision, name string, v any) (err error) {
	switch name {
	case "password":
		return refused(errors.ScimTypeMutability, "a password is not taken: people set their own, or come by the company's sign-on")
	case "username":
		into.UserName, err = text(v)
	case "externalid":
		into.ExternalID, err = text(v)
	case "displayname", "name.formatted":
		into.FullName, err = text(v)
	case "active":
		into.Active, err = yes(v)
	case "name.familyname", "name.givenname":
		return refused(errors.ScimTypeMutability, "a name is kept as one text; change displayName or name.formatted")
	case "name":
		parts, is := v.(map[string]any)
		if !is {
			return refused(errors.ScimTypeInvalidValue, "name has parts, as formatted")
		}
		full, _ := parts["formatted"].(string)
		if full == "" {
			given, _ := parts["givenName"].(string)
			family, _ := parts["familyName"].(string)
			full = strings.TrimSpace(given + " " + family)
		}
		if full != "" {
			into.FullName = full
		}
	}
	return err
}

func (u users) Create(r *http.Request, attributes scim.ResourceAttributes) (scim.Resource, error) {
	in := people.Provision{Active: true}
	if err := read(&in, attributes); err != nil {
		return scim.Resource{}, said(err)
	}
	p, err := u.people.AddProvisioned(r.Context(), u.by(r), in)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return userOf(p), nil
}

func (u users) Get(r *http.Request, id string) (scim.Resource, error) {
	n, err := idOf(id)
	if err != nil {
		return scim.Resource{}, err
	}
	p, err := u.people.ProvisionedPerson(r.Context(), n)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return userOf(p), nil
}

func (u users) GetAll(r *http.Request, params scim.ListRequestParams) (scim.Page, error) {
	everyone, err := u.people.Provisioned(r.Context())
	if err != nil {
		return scim.Page{}, said(err)
	}
	all := make([]scim.Resource, len(everyone))
	for i, p := range everyone {
		all[i] = userOf(p)
	}
	return page(all, params), nil
}

func (u users) change(r *http.Request, id string, change func(*people.Provision) error) (scim.Resource, error) {
	n, err := idOf(id)
	if err != nil {
		return scim.Resource{}, err
	}
	p, err := u.people.ChangeProvisioned(r.Context(), u.by(r), n, change)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return userOf(p), nil
}

func (u users) Replace(r *http.Request, id string, attributes scim.ResourceAttributes) (scim.Resource, error) {
	return u.change(r, id, func(p *people.Provision) error {
		*p = people.Provision{Active: p.Active} // without the attribute it stays
		return read(p, attributes)
	})
}

func (u users) Patch(r *http.Request, id string, operations []scim.PatchOperation) (scim.Resource, error) {
	return u.change(r, id, func(p *people.Provision) error {
		for _, o := range operations {
			if err := patchUser(p, o); err != nil {
				return err
			}
		}
		return nil
	})
}

func patchUser(p *people.Provision, o scim.PatchOperation) error {
	name := nameOf(o.Path)
	if strings.EqualFold(o.Op, scim.PatchOperationRemove) {
		switch name {
		case "externalid":
			p.ExternalID = ""
		case "username", "active":
			return refused(errors.ScimTypeMutability, name+" cannot be taken away")
		}
		return nil
	}
	if name != "" {
		return set(p, name, o.Value)
	}
	all, is := o.Value.(map[string]any)
	if !is {
		return refused(errors.ScimTypeInvalidValue, "without a path the value has attributes")
	}
	return read(p, all)
}

func (u users) Delete(r *http.Request, id string) error {
	n, err := idOf(id)
	if err != nil {
		return err
	}
	return said(u.people.DeleteProvisioned(r.Context(), u.by(r), n))
}
