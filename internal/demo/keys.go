package demo

import (
	"context"

	"goldshelf/api"
	"goldshelf/core/entry"
)

// keys are those by which two applications call, and what groups of the company's sign-on mean.
// Nobody has the keys' secrets.
func (l *loader) keys(ctx context.Context) error {
	l.daysAgo(90)
	for _, k := range []api.NewKey{
		{Name: "fieldpad", KeyChange: api.KeyChange{Departments: []string{"field-operations"}, PerMinute: 120}},
		{Name: "weir-mail", KeyChange: api.KeyChange{May: []string{"fill"}, Departments: []string{"communications", "customer-care"}}},
	} {
		if _, err := l.lib.Keys.Add(ctx, l.by["curator"], k); err != nil {
			return err
		}
	}
	_, err := l.lib.People.SetSignOnGroups(ctx, l.by["curator"], 1, api.SignOnGroups{Items: []api.SignOnGroup{
		{Group: "prompt-writers", Role: entry.Contributor},
		{Group: "field-crews", Department: "field-operations"},
		{Group: "water-quality", Department: "laboratory"},
	}})
	return err
}
