package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/fill"
)

// run runs a relay.
func (a *app) run() *cli.Command {
	return &cli.Command{
		Name: "run", Usage: "run a relay and print the replies of its steps as they come", ArgsUsage: "RELAY[@N] [name=value …]",
		Description: "Steps that do not need each other run together. Ctrl-C stops the run. It stays among your runs, which nobody else sees.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "model", Usage: "the `MODEL` of steps that name none; the first that can be asked, if left out"},
			&cli.BoolFlag{Name: "open", Usage: "the version that is written or reviewed now"},
			&cli.Int64Flag{Name: "seed", Usage: "the same seed brings the same replies, where the models can"},
			&cli.BoolFlag{Name: "plan", Usage: "only show the steps, and what each takes"},
			&cli.StringFlag{Name: "again", Usage: "run what this `FILE` has once more; goldshelf runs RUN --save makes one"},
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, in, err := a.newRun(ctx, cmd)
			if err != nil {
				return err
			}
			if cmd.Bool("plan") {
				form, err := c.RunForm(ctx, in.Ref, in.Open)
				if err != nil {
					return err
				}
				return a.print(form, func() error { a.printRunForm(form); return nil })
			}
			run, err := c.StartRun(ctx, in)
			if err != nil {
				return err
			}
			return a.watchRun(ctx, c, run.ID, nil)
		},
	}
}

// newRun gives what is to be run: by a file, or by the arguments.
func (a *app) newRun(ctx context.Context, cmd *cli.Command) (c *client.Client, in api.NewRun, err error) {
	if file := cmd.String("again"); file != "" {
		data, err := a.readAll(file)
		if err != nil {
			return nil, in, err
		}
		if c, err = a.signedIn(); err != nil {
			return nil, in, err
		}
		in, err = c.ReadRun(ctx, data)
		in.Model = cmp.Or(cmd.String("model"), in.Model)
		return c, in, err
	}
	c, given, err := a.filling(ctx, cmd)
	if err != nil {
		return nil, in, err
	}
	in = api.NewRun{Ref: cmd.Args().First(), Open: cmd.Bool("open"), Model: cmd.String("model"), Seed: settingsOf(cmd).Seed}
	if cmd.Bool("plan") {
		return c, in, nil
	}
	form, err := c.RunForm(ctx, in.Ref, in.Open)
	if err != nil {
		return nil, in, err
	}
	if in.Values, err = a.complete(form.Blanks, given); err != nil {
		return nil, in, err
	}
	if in.Model == "" && slices.ContainsFunc(form.Steps, func(s api.RunLayout) bool { return s.Model == "" }) {
		models, err := modelsOf(ctx, c, cmd)
		if err != nil {
			return nil, in, err
		}
		in.Model = models[0]
	}
	return c, in, nil
}

func (a *app) printRunForm(form api.RunForm) {
	a.say("%s (%s)", form.Title, refText(form.Ref))
	for _, b := range form.Blanks {
		a.say("  %s: %s", b.Name, b.Question())
	}
	t := a.table("", "STEP", "USES", "MODEL", "TAKES")
	for _, s := range inOrder(form.Steps, func(s api.RunLayout) api.RunLayout { return s }) {
		t.row(fmt.Sprint(s.Wave+1), s.Name, s.Use, s.Model, a.takes(s))
	}
	t.print()
}

func refText(r fill.Ref) string { return fmt.Sprintf("%s@%d", r.Entry, r.Version) }

func (a *app) takes(s api.RunLayout) string {
	if s.Over == nil {
		return strings.Join(s.Takes, ", ")
	}
	switch s.Over.Sections {
	case "all":
		return a.text("every section of %s", s.Over.Step)
	case "first":
		return a.text("the first section of %s", s.Over.Step)
	case "last":
		return a.text("the last section of %s", s.Over.Step)
	}
	return a.text("the section “%s” of %s", s.Over.Sections, s.Over.Step)
}

// inOrder gives steps as they run.
func inOrder[S any](steps []S, layout func(S) api.RunLayout) []S {
	all := slices.Clone(steps)
	slices.SortStableFunc(all, func(x, y S) int { return layout(x).Wave - layout(y).Wave })
	return all
}

// watchRun prints what comes of a run, step after step, but for replies that were there before.
func (a *app) watchRun(ctx context.Context, c *client.Client, id string, before map[string]bool) error {
	told := map[string]bool{}
	for {
		run, err := c.Run(ctx, id)
		if err == nil {
			err = a.printComing(ctx, c, run, before, told)
		}
		if ctx.Err() != nil {
			return a.stopRun(c, id)
		}
		if err != nil {
			return err
		}
		if !run.Ended() {
			select {
			case <-ctx.Done():
			case <-time.After(150 * time.Millisecond):
			}
			continue
		}
		if a.json {
			return a.print(run, nil)
		}
		if run.Cost != nil {
			a.say("It cost %.5f.", *run.Cost)
		}
		a.say("Save it with: goldshelf runs %s --save FILE.md", id)
		if run.State == "failed" {
			return errors.New("not every step is done; run one again with: goldshelf runs " + id + " --step NAME --on")
		}
		return nil
	}
}

func (a *app) printComing(ctx context.Context, c *client.Client, run api.Run, before, told map[string]bool) error {
	if a.json {
		return nil
	}
	for _, s := range inOrder(run.Steps, func(s api.RunStep) api.RunLayout { return s.RunLayout }) {
		for _, r := range s.Replies {
			if before[r.ID] || told[r.ID] {
				continue
			}
			told[r.ID] = true
			head := s.Name
			if r.Section != "" {
				head += ": " + r.Section
			}
			a.printf("=== %s ===\n", head)
			if _, err := a.printReply(ctx, c, r.ID); err != nil {
				return err
			}
		}
		if key := fmt.Sprint(s.Name, s.Round); !s.Problem.IsZero() && !told[key] && len(s.Replies) == 0 {
			told[key] = true
			a.say("%s: %s", s.Name, s.Problem)
		}
	}
	return nil
}

// printReply prints a reply as it comes, and what it took, and gives it as it ended.
func (a *app) printReply(ctx context.Context, c *client.Client, id string) (api.TalkReply, error) {
	shown := 0
	ended, err := c.WatchReply(ctx, id, func(p api.ReplyPiece) {
		if a.json {
			return
		}
		if p.At < shown {
			fmt.Fprint(a.out, "\n(asked again)\n")
		}
		fmt.Fprint(a.out, p.Text)
		shown = p.At + len(p.Text)
	})
	if err == nil && !a.json {
		fmt.Fprintln(a.out)
		a.sayReply(ended)
	}
	return ended, err
}

// stopRun stops a run, for somebody who does not wait.
func (a *app) stopRun(c *client.Client, id string) error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if _, err := c.StopRun(ctx, id); err != nil {
		return err
	}
	a.say("")
	a.say("Stopped.")
	return nil
}

// runs shows the caller's runs, and does something with one.
func (a *app) runs() *cli.Command {
	return &cli.Command{
		Name: "runs", Usage: "your runs of relays: list them, read one, run a step again, save one", ArgsUsage: "[RUN]",
		Description: "Runs are yours alone: nobody else sees them, curators neither.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "of", Usage: "only runs of this `RELAY`"},
			&cli.StringFlag{Name: "step", Usage: "run the step of this `NAME` again, with the other steps' replies as they are"},
			&cli.BoolFlag{Name: "on", Usage: "with --step: and all that take its reply, and so on"},
			&cli.StringFlag{Name: "save", Usage: "write the run to this `FILE`, .md or .json; goldshelf run --again runs it once more"},
			&cli.BoolFlag{Name: "without-replies", Usage: "with --save: only what it was given"},
			&cli.BoolFlag{Name: "stop", Usage: "ask for nothing more"},
			&cli.BoolFlag{Name: "keep", Usage: "keep the run; others are forgotten after 90 days"},
			&cli.BoolFlag{Name: "no-keep", Usage: "do not keep it"},
			&cli.BoolFlag{Name: "delete", Usage: "delete the run for good"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			id := cmd.Args().First()
			if id == "" {
				if cmd.IsSet("step") || cmd.IsSet("save") || cmd.Bool("stop") || cmd.Bool("delete") {
					return wrongUse("name the run, as goldshelf runs lists it")
				}
				all, err := c.Runs(ctx, cmd.String("of"))
				if err != nil {
					return err
				}
				return a.print(all, func() error { a.printRuns(all.Items); return nil })
			}
			return a.withRun(ctx, c, cmd, id)
		},
	}
}

func (a *app) withRun(ctx context.Context, c *client.Client, cmd *cli.Command, id string) error {
	var run api.Run
	var err error
	switch {
	case cmd.Bool("delete"):
		if err := c.DeleteRun(ctx, id); err != nil {
			return err
		}
		a.say("The run is gone for good.")
		return nil
	case cmd.IsSet("save"):
		return a.saveRun(ctx, c, id, cmd.String("save"), !cmd.Bool("without-replies"))
	case cmd.IsSet("step"):
		return a.runStep(ctx, c, id, cmd.String("step"), cmd.Bool("on"))
	case cmd.Bool("stop"):
		run, err = c.StopRun(ctx, id)
	case cmd.IsSet("keep"), cmd.IsSet("no-keep"):
		run, err = c.KeepRun(ctx, id, !cmd.Bool("no-keep"))
	default:
		run, err = c.Run(ctx, id)
	}
	if err != nil {
		return err
	}
	return a.print(run, func() error { a.printRun(run); return nil })
}

func (a *app) saveRun(ctx context.Context, c *client.Client, id, file string, replies bool) error {
	as := strings.TrimPrefix(filepath.Ext(file), ".")
	if as != "md" && as != "json" {
		return wrongUse("%s: a run is saved as .md or .json", file)
	}
	data, err := c.RunFile(ctx, id, as, replies)
	if err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o600)
}

func (a *app) runStep(ctx context.Context, c *client.Client, id, step string, on bool) error {
	was, err := c.Run(ctx, id)
	if err != nil {
		return err
	}
	before := map[string]bool{}
	for _, s := range was.Steps {
		for _, r := range s.Replies {
			before[r.ID] = true
		}
	}
	if _, err := c.RunStep(ctx, id, step, api.Again{On: on}); err != nil {
		return err
	}
	return a.watchRun(ctx, c, id, before)
}

func (a *app) printRuns(all []api.RunItem) {
	if len(all) == 0 {
		a.say("No run. goldshelf run RELAY begins one.")
		return
	}
	t := a.table("RUN", "OF", "BEGUN", "")
	for _, r := range all {
		t.row(r.ID, refText(r.Ref), a.local(r.At).Format("2006-01-02 15:04"), a.state(r.State))
	}
	t.print()
}

func (a *app) printRun(run api.Run) {
	a.say("%s (%s), %s", run.Title, refText(run.Ref), a.state(run.State))
	if run.Kept {
		a.say("It is kept.")
	}
	for _, s := range inOrder(run.Steps, func(s api.RunStep) api.RunLayout { return s.RunLayout }) {
		note := a.state(s.State)
		if s.Stale {
			note += a.text("; what it took has changed since")
		}
		a.printf("=== %s, %s (%s) ===\n", s.Name, s.Use, note)
		if !s.Problem.IsZero() {
			a.say("%s", s.Problem)
		}
		if s.Text != "" {
			fmt.Fprintln(a.out, strings.TrimRight(s.Text, "\n"))
		}
	}
}
