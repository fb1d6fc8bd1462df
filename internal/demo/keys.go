package demo

import (
	"context"

	"goldshelf/api"
)

// keys are those by which two applications call. Nobody has their secrets.
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
	return nil
}
