package cli

import (
	"bufio"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
)

// labels shows the facets and terms, adds and renames them, and labels entries.
func (a *app) labels() *cli.Command {
	return &cli.Command{
		Name: "labels", Usage: "show and change facets and terms, or say which of them an entry or many have", ArgsUsage: "[SLUG [FACET=TERM,TERM…]…]",
		Description: "With a slug alone it shows the labels of an entry; with labels too, the entry has these and no others in those facets.\n" +
			"With --find it adds terms to all entries that a search finds, or removes them, and shows first what will change.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "add", Usage: "add a `FACET` or, as FACET/TERM, a term to one"},
			&cli.StringFlag{Name: "rename", Usage: "give a `FACET` or, as FACET/TERM, a term another title"},
			&cli.StringFlag{Name: "title", Usage: "what people read, with --add and --rename"},
			&cli.StringFlag{Name: "merge", Usage: "make a term, as `FACET/TERM`, a part of another, with --into"},
			&cli.StringFlag{Name: "into", Usage: "the `TERM` that has its entries from then on"},
			&cli.StringFlag{Name: "put", Usage: "put a term, as `FACET/TERM`, under another, with --under; without it, under none"},
			&cli.StringFlag{Name: "under", Usage: "the `TERM` that it is a part of"},
			&cli.StringFlag{Name: "retire", Usage: "nobody chooses this term, `FACET/TERM`, any more"},
			&cli.StringFlag{Name: "restore", Usage: "this term, `FACET/TERM`, can be chosen again"},
			&cli.BoolFlag{Name: "propose", Usage: "with a slug: the labels that entries have which read like it"},
			&cli.StringFlag{Name: "facet", Usage: "change this `FACET`, with --single, --open and --required-for"},
			&cli.BoolWithInverseFlag{Name: "single", Usage: "an entry has one term of it at most"},
			&cli.BoolWithInverseFlag{Name: "open", Usage: "contributors add terms to it too"},
			&cli.StringFlag{Name: "required-for", Usage: "the `KINDS` that are labelled in it, with commas between; '' for none"},
			&cli.StringFlag{Name: "find", Usage: "label all entries that these `WORDS` find, with --add-term and --remove-term"},
			&cli.StringSliceFlag{Name: "add-term", Usage: "with --find: a `FACET/TERM` that they get"},
			&cli.StringSliceFlag{Name: "remove-term", Usage: "with --find: a `FACET/TERM` that they lose"},
			&cli.BoolFlag{Name: "yes", Usage: "with --find: do it without asking, where nobody is there to answer"},
			&cli.StringFlag{Name: "undo", Usage: "take back a merge or a --find, by the `ID` that it gave"},
			&cli.StringFlag{Name: "import", Usage: "add the facets and terms of a CSV `FILE`: facet, term, title"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if cmd.String("find") != "" {
				return a.labelMany(ctx, c, cmd)
			}
			if cmd.Bool("propose") {
				return a.proposeLabels(ctx, c, cmd)
			}
			if cmd.Args().Present() {
				return a.labelEntry(ctx, c, cmd.Args().First(), cmd.Args().Tail())
			}
			out, err := a.changeLabels(ctx, c, cmd)
			if err != nil {
				return err
			}
			return a.print(out, func() error {
				t := a.table("FACET", "TERM", "TITLE", "UNDER", "ON THE SHELF")
				for _, f := range out {
					t.row(f.Name, "", f.Title+a.asks(f), "", "")
					for _, term := range f.Terms {
						title := term.Title
						if term.Retired {
							title = a.text("%s (retired)", title)
						}
						t.row(f.Name, term.Name, title, term.Under, fmt.Sprint(term.Count))
					}
				}
				t.print()
				if len(out) == 0 {
					a.say("There are no facets yet; goldshelf labels --add department --title Department adds one.")
				}
				return nil
			})
		},
	}
}

// changeLabels does what the flags ask for, and gives all facets but the kinds.
func (a *app) changeLabels(ctx context.Context, c *client.Client, cmd *cli.Command) ([]api.Facet, error) {
	add, rename, title := cmd.String("add"), cmd.String("rename"), cmd.String("title")
	var err error
	switch {
	case add != "":
		facet, term, _ := strings.Cut(add, "/")
		if title == "" {
			return nil, wrongUse("--add takes a --title: what people read")
		}
		_, err = c.AddLabel(ctx, api.NewLabel{Facet: facet, Term: term, Title: title})
	case rename != "":
		facet, term, isTerm := strings.Cut(rename, "/")
		if title == "" {
			return nil, wrongUse("--rename takes a --title: what people read from now on")
		}
		if isTerm {
			_, err = c.SetTerm(ctx, facet, term, api.TermChange{Title: &title})
		} else {
			_, err = c.SetFacet(ctx, facet, api.FacetChange{Title: &title})
		}
	case cmd.String("facet") != "":
		_, err = c.SetFacet(ctx, cmd.String("facet"), facetChange(cmd))
	case cmd.String("merge") != "":
		facet, term, _ := strings.Cut(cmd.String("merge"), "/")
		if cmd.String("into") == "" {
			return nil, wrongUse("--merge takes --into: the term that has its entries from then on")
		}
		err = a.sayChanged(c.MergeTerm(ctx, facet, term, cmd.String("into")))
	case cmd.String("undo") != "":
		err = a.sayChanged(c.UndoLabels(ctx, cmd.String("undo")))
	case cmd.String("put") != "":
		facet, term, _ := strings.Cut(cmd.String("put"), "/")
		under := cmd.String("under")
		_, err = c.SetTerm(ctx, facet, term, api.TermChange{Under: &under})
	case cmd.String("retire")+cmd.String("restore") != "":
		retired := cmd.String("retire") != ""
		facet, term, _ := strings.Cut(cmd.String("retire")+cmd.String("restore"), "/")
		_, err = c.SetTerm(ctx, facet, term, api.TermChange{Retired: &retired})
	case cmd.String("import") != "":
		var table []byte
		if table, err = a.readAll(cmd.String("import")); err == nil {
			_, err = c.ImportLabels(ctx, table)
		}
	}
	if err != nil {
		return nil, err
	}
	all, err := c.Labels(ctx)
	if len(all) > 0 && all[0].Name == "kind" {
		all = all[1:]
	}
	return all, err
}

// facetChange is what the flags say of a facet.
func facetChange(cmd *cli.Command) (change api.FacetChange) {
	for name, to := range map[string]**bool{"single": &change.Single, "open": &change.Open} {
		if cmd.IsSet(name) {
			on := cmd.Bool(name)
			*to = &on
		}
	}
	if cmd.IsSet("required-for") {
		kinds := []string{}
		for kind := range strings.SplitSeq(cmd.String("required-for"), ",") {
			if kind = strings.TrimSpace(kind); kind != "" {
				kinds = append(kinds, kind)
			}
		}
		change.RequiredFor = &kinds
	}
	return change
}

// sayChanged says what a change of many labels did, and how it is undone.
func (a *app) sayChanged(done api.LabelsChanged, err error) error {
	if err != nil {
		return err
	}
	a.say("%s changed.", count(done.Entries, "entry", "entries"))
	if done.Undo != "" {
		a.say("Within an hour, goldshelf labels --undo %s takes it back.", done.Undo)
	}
	return nil
}

// labelMany labels all entries that a search finds, once somebody has seen what changes.
func (a *app) labelMany(ctx context.Context, c *client.Client, cmd *cli.Command) error {
	req := api.LabelMany{Add: termsOf(cmd.StringSlice("add-term")), Remove: termsOf(cmd.StringSlice("remove-term"))}
	var err error
	if req.Slugs, err = allFound(ctx, c, client.Query{Words: cmd.String("find")}); err != nil {
		return err
	}
	plan, err := c.PlanLabels(ctx, req)
	if err != nil {
		return err
	}
	if err := a.print(plan, func() error { return a.printLabelPlan(plan) }); err != nil || len(plan.Items) == 0 {
		return err
	}
	if !cmd.Bool("yes") {
		if !isTerminal(a.in) || !isTerminal(a.errs) {
			return wrongUse("nobody is there to answer; --yes labels them as shown")
		}
		answer, err := a.ask(bufio.NewReader(a.in), a.text("Label %s so? [y/N] ", count(len(plan.Items), "entry", "entries")))
		if err != nil || !strings.HasPrefix(strings.ToLower(strings.TrimSpace(answer)), "y") {
			a.say("Nothing was changed.")
			return err
		}
	}
	req.Digest = plan.Digest
	return a.sayChanged(c.ApplyLabels(ctx, req))
}

func termsOf(pairs []string) map[string][]string {
	terms := map[string][]string{}
	for _, p := range pairs {
		facet, term, _ := strings.Cut(p, "/")
		terms[facet] = append(terms[facet], term)
	}
	return terms
}

func (a *app) printLabelPlan(plan api.LabelPlan) error {
	t := a.table("SLUG", "TITLE", "LABELS", "BECOME")
	for _, it := range plan.Items {
		var before, after []string
		for _, facet := range slices.Sorted(maps.Keys(it.Becomes)) {
			if !slices.Equal(it.Labels[facet], it.Becomes[facet]) {
				before, after = append(before, facet+"="+strings.Join(it.Labels[facet], ",")), append(after, facet+"="+strings.Join(it.Becomes[facet], ","))
			}
		}
		for _, facet := range slices.Sorted(maps.Keys(it.Labels)) {
			if _, is := it.Becomes[facet]; !is {
				before, after = append(before, facet+"="+strings.Join(it.Labels[facet], ",")), append(after, facet+"=")
			}
		}
		t.row(it.Slug, it.Title, strings.Join(before, " "), strings.Join(after, " "))
	}
	t.print()
	if plan.Same > 0 {
		a.say("%s.", count(plan.Same, "entry stays as it is", "entries stay as they are"))
	}
	return nil
}

// labelEntry shows or changes the labels of an entry.
func (a *app) labelEntry(ctx context.Context, c *client.Client, slug string, pairs []string) error {
	e, err := c.Entry(ctx, slug)
	if err != nil {
		return err
	}
	for _, pair := range pairs {
		facet, terms, ok := strings.Cut(pair, "=")
		if !ok {
			return wrongUse("%q is no label; write it as department=customer-care, or department= for none", pair)
		}
		e.Labels[facet] = nil
		if terms != "" {
			e.Labels[facet] = strings.Split(terms, ",")
		} else {
			delete(e.Labels, facet)
		}
	}
	if len(pairs) > 0 {
		if e, err = c.SetLabels(ctx, e.Slug, e.Labels); err != nil {
			return err
		}
	}
	return a.print(e.Labels, func() error {
		t := a.table("FACET", "TERMS")
		for _, facet := range slices.Sorted(maps.Keys(e.Labels)) {
			t.row(facet, strings.Join(e.Labels[facet], ", "))
		}
		t.print()
		if len(e.Labels) == 0 {
			a.say("%s has no labels.", e.Slug)
		}
		return nil
	})
}

// asks says what a facet asks of those who label.
func (a *app) asks(f api.Facet) string {
	var all []string
	if f.Single {
		all = append(all, a.text("one each"))
	}
	if len(f.RequiredFor) > 0 {
		all = append(all, a.text("needed for %s", strings.Join(f.RequiredFor, ", ")))
	}
	if f.Open {
		all = append(all, a.text("open"))
	}
	if len(all) == 0 {
		return ""
	}
	return " (" + strings.Join(all, "; ") + ")"
}

func (a *app) proposeLabels(ctx context.Context, c *client.Client, cmd *cli.Command) error {
	slug, err := one(cmd, "slug")
	if err != nil {
		return err
	}
	all, err := c.ProposeLabels(ctx, slug)
	if err != nil {
		return err
	}
	return a.print(all, func() error {
		t := a.table("FACET", "TERM", "TITLE", "AS")
		for _, p := range all.Items {
			t.row(p.Facet, p.Term, p.Title, strings.Join(p.From, ", "))
		}
		t.print()
		if len(all.Items) == 0 {
			a.say("Nothing that reads like %s has a label that it lacks.", slug)
		}
		return nil
	})
}
