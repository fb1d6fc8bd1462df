package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"text/tabwriter"

	"goldshelf/internal/service"
)

// examine prints how it stands with the set-up.
func examine(ctx context.Context, o service.Options, asJSON bool) error {
	all := service.Examine(ctx, o)
	wrong := 0
	for _, d := range all {
		if d.Verdict == service.Wrong {
			wrong++
		}
	}
	if asJSON {
		enc := json.NewEncoder(o.Out)
		enc.SetIndent("", "  ")
		if err := enc.Encode(all); err != nil {
			return err
		}
	} else {
		lines := tabwriter.NewWriter(o.Out, 0, 0, 2, ' ', 0)
		for _, d := range all {
			fmt.Fprintf(lines, "%s\t%s\t%s\n", d.Verdict, d.Of, strings.Join(strings.Fields(d.Finding), " "))
			if d.Do != "" {
				fmt.Fprintf(lines, "\t\t→ %s\n", d.Do)
			}
		}
		if err := lines.Flush(); err != nil {
			return err
		}
	}
	switch wrong {
	case 0:
		return nil
	case 1:
		return errors.New("one thing is wrong")
	}
	return fmt.Errorf("%d things are wrong", wrong)
}
