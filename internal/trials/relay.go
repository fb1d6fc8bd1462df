package trials

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// composeRelay plans the runs of a relay that bring the replies to every fill under a set-up.
// Its error is a [problem.List] with what does not fit, by fill.
func (s *Service) composeRelay(ctx context.Context, by work.Caller, p *planned, i int) ([]fill.Blank, error) {
	set, at := &p.plan.SetUps[i], problem.Pointer("set_ups", i)
	var wrong problem.List
	for _, own := range []struct{ field, value string }{{"/persona", set.Persona}, {"/style", set.Style}, {"/for", set.For}, {"/with", set.With}, {"/sheets", strings.Join(set.Sheets, " ")}} {
		if own.value != "" {
			wrong.Add(at+own.field, "relay", "the steps of a relay have their own; leave this out")
		}
	}
	if set.Settings.Temperature != nil || set.Settings.MaxTokens != 0 {
		wrong.Add(at+"/settings", "relay", "the steps of a relay have their own settings; leave these out")
	}
	if wrong != nil {
		return nil, wrong
	}
	r, err := s.askRelay(ctx, by, p.entry.Slug, set.Version, at)
	if err != nil {
		return nil, err
	}
	set.Number, set.Text = r.Of.Version, string(r.Content.Digest())
	used := relayUses(r)
	blanks := r.Relay.Blanks()
	for f, one := range p.plan.Fills {
		own := fill.Values{}
		for _, b := range blanks {
			if v, given := one.Values[b.Name]; given {
				own[b.Name] = v
			}
		}
		lacks, err := r.Lacks(own, set.Model)
		if err != nil {
			return nil, err
		}
		for _, l := range lacks {
			l.Field, l.Message = problem.Pointer("fills", f)+l.Field, message.Say("%s: %s", one.Name, l.Message)
			wrong = append(wrong, l)
		}
		plan := r.Plan(own, set.Model, set.Settings.Seed)
		cell := store.Cell{Fill: f, SetUp: i, Run: &plan, Used: used, Model: set.Model, Title: set.Title}
		cell.Sent.Messages = []endpoint.ModelMessage{{Role: endpoint.User, Text: givenText(own)}}
		if err := p.room.take(len(cell.Sent.Messages[0].Text)); err != nil {
			return nil, err
		}
		if set.Settings.Seed == nil {
			cell.Seed = &p.plan.Seed
		}
		p.cells = append(p.cells, cell)
	}
	return blanks, wrong.Err()
}

func (s *Service) askRelay(ctx context.Context, by work.Caller, slug, version, at string) (r texts.AskedRelay, err error) {
	ref := slug
	if version != "shelf" && version != "open" {
		if _, err := numberOf(slug, version, at+"/version"); err != nil {
			return r, err
		}
		ref += "@" + version
	}
	r, err = s.texts.AskRelay(ctx, by, ref, version == "open")
	return r, atSetUp(err, at, "/version")
}

// relayUses is a relay with all that its steps use.
func relayUses(r texts.AskedRelay) []fill.Ref {
	all := map[fill.Ref]bool{r.Of: true}
	for _, step := range r.Steps {
		for ref := range step.By {
			all[ref] = true
		}
	}
	return slices.SortedFunc(maps.Keys(all), func(a, b fill.Ref) int {
		return cmp.Or(cmp.Compare(a.Entry, b.Entry), cmp.Compare(a.Version, b.Version))
	})
}

// givenText is what a run is given, in the place of what a prompt is sent.
func givenText(values fill.Values) string {
	var b strings.Builder
	for _, name := range slices.Sorted(maps.Keys(values)) {
		fmt.Fprintf(&b, "%s: %s\n", name, values[name])
	}
	return b.String()
}

// estimateRelay thinks of each step as of a question with all that the run is given, and a
// usual reply.
func (p planned) estimateRelay(out api.TrialEstimate, places *asking.Places) (api.TrialEstimate, error) {
	cost, known := 0.0, true
	for _, c := range p.cells {
		for _, step := range c.Run.Steps {
			in := check.Tokens(c.Sent.Messages[0].Text) + usualTokens
			out.TokensIn += in * p.plan.Times
			out.TokensOut += usualTokens * p.plan.Times
			d, err := places.Model(cmp.Or(step.Model, c.Model), problem.Pointer("set_ups", c.SetUp, "model"))
			if err != nil {
				return out, err
			}
			if d.PriceIn == nil || d.PriceOut == nil {
				known = false
				continue
			}
			cost += (*d.PriceIn*float64(in) + *d.PriceOut*usualTokens) * float64(p.plan.Times) / 1e6
		}
	}
	if known {
		out.Cost = &cost
	}
	return out, nil
}
