package cli

import (
	"bufio"
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

// seenFlag names the text that somebody has read and decides about.
func seenFlag(usage string) cli.Flag { return &cli.StringSliceFlag{Name: "seen", Usage: usage} }

const seenUsage = "the `TAG` of the text that you have read, as show, diff and desk print it"

// seen gives the text that somebody decides about: the one that they name with --seen
// or, on a terminal, the one that it shows them and that they say yes to.
func (a *app) seen(ctx context.Context, c *client.Client, cmd *cli.Command, slug, question string) (entry.Digest, error) {
	tags := cmd.StringSlice("seen")
	if len(tags) > 1 {
		return "", wrongUse("%s takes one --seen; %d were given", cmd.Name, len(tags))
	}
	if len(tags) == 1 {
		return entry.Digest(tags[0]), nil
	}
	if err := a.mustAsk(cmd); err != nil {
		return "", err
	}
	all, err := a.askAbout(ctx, c, []string{slug}, question)
	if err != nil {
		return "", err
	}
	return all[0].Seen, nil
}

// seenAll is seen of several entries, each named as SLUG=TAG.
func (a *app) seenAll(ctx context.Context, c *client.Client, cmd *cli.Command, slugs []string, question string) ([]api.SeenEntry, error) {
	tags := cmd.StringSlice("seen")
	if len(tags) == 0 {
		if err := a.mustAsk(cmd); err != nil {
			return nil, err
		}
		return a.askAbout(ctx, c, slugs, question)
	}
	of := map[string]string{}
	for _, t := range tags {
		slug, tag, named := strings.Cut(t, "=")
		if !named && len(slugs) == 1 {
			slug, tag = slugs[0], t
		}
		of[slug] = tag
	}
	all := make([]api.SeenEntry, len(slugs))
	for i, slug := range slugs {
		if of[slug] == "" {
			return nil, wrongUse("say which text of %s you have read: --seen %s=TAG; show, diff and desk print the tag", slug, slug)
		}
		all[i] = api.SeenEntry{Slug: slug, Seen: entry.Digest(of[slug])}
	}
	return all, nil
}

func (a *app) mustAsk(cmd *cli.Command) error {
	if isTerminal(a.in) && isTerminal(a.errs) {
		return nil
	}
	return wrongUse("%s needs --seen TAG where it cannot ask: the text that you have read, as show, diff and desk print it", cmd.Name)
}

// askAbout shows the open versions of entries, and asks whether to go on.
func (a *app) askAbout(ctx context.Context, c *client.Client, slugs []string, question string) ([]api.SeenEntry, error) {
	all := make([]api.SeenEntry, len(slugs))
	for i, slug := range slugs {
		e, err := c.Entry(ctx, slug)
		if err != nil {
			return nil, err
		}
		all[i] = api.SeenEntry{Slug: slug, Seen: e.Seen}
		if e.Seen == "" {
			all[i].Seen = "none" // the service says what it is instead
			continue
		}
		a.say("%s, version %d, %s, by %s: %s", e.Title, e.Version, e.State.Said(), e.SavedByName, e.Note)
		a.say("")
		for line := range strings.Lines(e.Body) {
			a.say("    %s", strings.TrimRight(line, "\r\n"))
		}
		a.say("")
	}
	answer, err := a.ask(bufio.NewReader(a.in), question+" [y/N]")
	if err != nil {
		return nil, err
	}
	if answer = strings.ToLower(strings.TrimSpace(answer)); answer != "y" && answer != "yes" {
		return nil, fmt.Errorf("nothing was done")
	}
	return all, nil
}

// saySeen tells, beside a text, what names it to approve, return and publish.
func (a *app) saySeen(e api.Entry) {
	if e.Seen != "" {
		a.say("To approve, return or publish this text: --seen %s", e.Seen)
	}
}
