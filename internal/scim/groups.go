package scim

import (
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/elimity-com/scim"
	"github.com/elimity-com/scim/errors"
	"github.com/elimity-com/scim/optional"

	"goldshelf/internal/people"
	"goldshelf/internal/store"
)

// groups are those of the directory.
type groups struct {
	people *people.Service
	by     caller
}

func groupOf(g store.ProvisionedGroup) scim.Resource {
	members := []any{}
	for _, m := range g.Members.V {
		members = append(members, map[string]any{"value": strconv.FormatInt(m.ID, 10), "display": m.Name})
	}
	at, changed := g.At.UTC(), g.ChangedAt.UTC()
	r := scim.Resource{
		ID: strconv.FormatInt(g.ID, 10), Attributes: scim.ResourceAttributes{"displayName": g.Name, "members": members},
		Meta: scim.Meta{Created: &at, LastModified: &changed},
	}
	if g.ExternalID != "" {
		r.ExternalID = optional.NewString(g.ExternalID)
	}
	return r
}

// memberIDs reads who is meant: {"value": "7"}, or several of them.
func memberIDs(v any) (ids []int64, err error) {
	list, is := v.([]any)
	if !is {
		list = []any{v}
	}
	for _, one := range list {
		value := one
		if m, is := one.(map[string]any); is {
			value = m["value"]
			if of, has := m["type"]; has && of != "User" {
				return nil, refused(errors.ScimTypeInvalidValue, "a member is a user; a group within a group is not kept here")
			}
		}
		id, is := value.(string)
		if !is {
			return nil, refused(errors.ScimTypeInvalidValue, "a member is named by value, the id of a user")
		}
		n, err := strconv.ParseInt(id, 10, 64)
		if err != nil {
			return nil, refused(errors.ScimTypeInvalidValue, "there is no user "+id)
		}
		ids = append(ids, n)
	}
	return ids, nil
}

func readGroup(into *people.ProvisionedGroup, attributes map[string]any) (err error) {
	for name, v := range attributes {
		switch strings.ToLower(name) {
		case "displayname":
			into.Name, err = text(v)
		case "externalid":
			into.ExternalID, err = text(v)
		case "members":
			into.Members, err = memberIDs(v)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (g groups) Create(r *http.Request, attributes scim.ResourceAttributes) (scim.Resource, error) {
	var in people.ProvisionedGroup
	if err := readGroup(&in, attributes); err != nil {
		return scim.Resource{}, said(err)
	}
	made, err := g.people.AddProvisionedGroup(r.Context(), g.by(r), in)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return groupOf(made), nil
}

func (g groups) Get(r *http.Request, id string) (scim.Resource, error) {
	n, err := idOf(id)
	if err != nil {
		return scim.Resource{}, err
	}
	one, err := g.people.OneProvisionedGroup(r.Context(), n)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return groupOf(one), nil
}

func (g groups) GetAll(r *http.Request, params scim.ListRequestParams) (scim.Page, error) {
	rows, err := g.people.ProvisionedGroups(r.Context())
	if err != nil {
		return scim.Page{}, said(err)
	}
	all := make([]scim.Resource, len(rows))
	for i, row := range rows {
		all[i] = groupOf(row)
	}
	return page(all, params), nil
}

func (g groups) change(r *http.Request, id string, change func(*people.ProvisionedGroup) error) (scim.Resource, error) {
	n, err := idOf(id)
	if err != nil {
		return scim.Resource{}, err
	}
	now, err := g.people.ChangeProvisionedGroup(r.Context(), g.by(r), n, change)
	if err != nil {
		return scim.Resource{}, said(err)
	}
	return groupOf(now), nil
}

func (g groups) Replace(r *http.Request, id string, attributes scim.ResourceAttributes) (scim.Resource, error) {
	return g.change(r, id, func(now *people.ProvisionedGroup) error {
		*now = people.ProvisionedGroup{}
		return readGroup(now, attributes)
	})
}

func (g groups) Patch(r *http.Request, id string, operations []scim.PatchOperation) (scim.Resource, error) {
	return g.change(r, id, func(now *people.ProvisionedGroup) error {
		for _, o := range operations {
			if err := patchGroup(now, o); err != nil {
				return err
			}
		}
		return nil
	})
}

func patchGroup(now *people.ProvisionedGroup, o scim.PatchOperation) error {
	name := nameOf(o.Path)
	switch {
	case name == "":
		all, is := o.Value.(map[string]any)
		if !is {
			return refused(errors.ScimTypeInvalidValue, "without a path the value has attributes")
		}
		if list, has := all["members"]; has && strings.EqualFold(o.Op, scim.PatchOperationAdd) {
			ids, err := memberIDs(list)
			if err != nil {
				return err
			}
			delete(all, "members")
			now.Members = append(now.Members, ids...)
		}
		return readGroup(now, all)
	case name != "members":
		return readGroup(now, map[string]any{name: o.Value})
	case strings.EqualFold(o.Op, scim.PatchOperationRemove):
		return removeMembers(now, o)
	case o.Path.ValueExpression != nil:
		return refused(errors.ScimTypeInvalidPath, "members are added and replaced by the path members, and a list of them; only remove takes a filter")
	}
	ids, err := memberIDs(o.Value)
	if err != nil {
		return err
	}
	if strings.EqualFold(o.Op, scim.PatchOperationReplace) {
		now.Members = nil
	}
	now.Members = append(now.Members, ids...)
	return nil
}

// removeMembers takes out who is named by a filter or in the value, or all.
func removeMembers(now *people.ProvisionedGroup, o scim.PatchOperation) error {
	var gone []int64
	switch {
	case o.Path.ValueExpression != nil:
		id, is := equals(o.Path)
		if !is {
			return refused(errors.ScimTypeInvalidPath, `a member is taken out by members[value eq "7"]`)
		}
		ids, err := memberIDs(id)
		if err != nil {
			return err
		}
		gone = ids
	case o.Value != nil:
		ids, err := memberIDs(o.Value)
		if err != nil {
			return err
		}
		gone = ids
	default:
		gone = slices.Clone(now.Members)
	}
	now.Members = slices.DeleteFunc(now.Members, func(id int64) bool { return slices.Contains(gone, id) })
	return nil
}

func (g groups) Delete(r *http.Request, id string) error {
	n, err := idOf(id)
	if err != nil {
		return err
	}
	return said(g.people.DeleteProvisionedGroup(r.Context(), g.by(r), n))
}
