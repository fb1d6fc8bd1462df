package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/message"
)

func (a *app) importCommand() *cli.Command {
	return &cli.Command{
		Name: "import", Usage: "import entries: a file, a folder, a zip, a table, a chat or another library", ArgsUsage: "PATH",
		Description: "Shows the plan of what would become of each entry, and then carries it out, all of it or nothing. New and changed entries come in; what is similar to an entry that is there, and what clashes with one, is skipped unless it is named with --also. - reads standard input.",
		Flags: slices.Concat([]cli.Flag{
			&cli.BoolFlag{Name: "dry-run", Usage: "show the plan alone"},
			&cli.StringSliceFlag{Name: "also", Usage: "import this `SLUG` too, though it is similar to another or clashes"},
			&cli.StringSliceFlag{Name: "skip", Usage: "skip this `SLUG`"},
			&cli.StringSliceFlag{Name: "both", Usage: "keep ours, and theirs under another slug, as `SLUG=OTHER`"},
			&cli.BoolFlag{Name: "make-blanks", Usage: "make blanks of the places to fill in that the texts mark in other ways"},
			&cli.BoolFlag{Name: "skip-wrong", Usage: "import the rest where some cannot come in"},
			&cli.StringFlag{Name: "format", Usage: "entry, folder, bundle, csv or messages; as it seems, if left out"},
			&cli.StringSliceFlag{Name: "column", Usage: "what a column of a table holds, as `HEADING=WHAT`; nothing, if WHAT is left out"},
			&cli.StringFlag{Name: "split", Usage: "what stands between values of one cell", Value: ";"},
			&cli.StringFlag{Name: "mapping", Usage: "read the table as was kept under this `NAME`"},
			&cli.StringFlag{Name: "keep-mapping", Usage: "keep this way to read tables under a `NAME`"},
			&cli.StringFlag{Name: "kind", Usage: "the kind, where nothing else says it"},
			&cli.StringFlag{Name: "note", Usage: "why these versions differ"},
			&cli.BoolFlag{Name: "commit-notes", Usage: "take each file's note from its newest commit"},
		}, sourceFlags()),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			path, err := one(cmd, "path")
			if err != nil {
				return err
			}
			name, data, err := a.importable(path, cmd.String("note"), cmd.Bool("commit-notes"))
			if err != nil {
				return err
			}
			how, err := readingOf(cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			plan, err := c.CreateImport(ctx, name, data, how, cmd.String("mapping"))
			if err != nil {
				return err
			}
			if keep := cmd.String("keep-mapping"); keep != "" {
				if plan, err = c.RereadImport(ctx, plan.ID, api.PlanReading{Reading: plan.Reading, KeepAs: keep}); err != nil {
					return err
				}
			}
			if cmd.Bool("dry-run") {
				return errors.Join(a.print(plan, func() error { return a.printPlan(plan) }), c.DeleteImport(ctx, plan.ID))
			}
			choices, err := choicesOf(cmd, plan)
			if err != nil {
				return errors.Join(a.printPlan(plan), err, c.DeleteImport(ctx, plan.ID))
			}
			if !a.json {
				if err := a.printPlan(plan); err != nil {
					return err
				}
			}
			applied, err := a.apply(ctx, c, plan.ID, api.ApplyRequest{Digest: plan.Digest, Choices: choices, MakeBlanks: cmd.Bool("make-blanks")})
			if err != nil {
				return err
			}
			return a.print(applied, func() error {
				a.say("%s created, %s changed, %d left as they are.", count(len(applied.Created), "entry", "entries"), count(len(applied.Changed), "entry", "entries"), applied.Skipped)
				return nil
			})
		},
	}
}

func sourceFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "from", Usage: "where it comes from, such as a team's chat"},
		&cli.StringFlag{Name: "link", Usage: "where that can be read"},
		&cli.StringFlag{Name: "person", Usage: "whom it comes from"},
		&cli.StringFlag{Name: "date", Usage: "when it was written"},
	}
}

func sourceOf(cmd *cli.Command) *entry.Source {
	s := entry.Source{Place: cmd.String("from"), Link: cmd.String("link"), Person: cmd.String("person"), Date: cmd.String("date")}
	if s == (entry.Source{}) {
		return nil
	}
	return &s
}

func readingOf(cmd *cli.Command) (bundle.Reading, error) {
	how := bundle.Reading{Format: bundle.Format(cmd.String("format")), Split: cmd.String("split"), Kind: entry.Kind(cmd.String("kind")), Source: sourceOf(cmd)}
	for _, column := range cmd.StringSlice("column") {
		i := strings.LastIndexByte(column, '=')
		if i < 0 {
			return how, wrongUse("--column is %q; write it as HEADING=WHAT, as in Prompt=text", column)
		}
		if how.Columns == nil {
			how.Columns = map[string]string{}
		}
		how.Columns[column[:i]] = column[i+1:]
	}
	return how, nil
}

// importable reads what is to be imported; a folder becomes a zip of its entry
// files, each with its note.
func (a *app) importable(path, note string, commits bool) (name string, data []byte, err error) {
	info, err := os.Stat(path)
	if path == "-" || err == nil && !info.IsDir() && !strings.HasSuffix(path, ".md") {
		data, err = a.readAll(path)
		return filepath.Base(path), data, err
	}
	if err != nil {
		return "", nil, err
	}
	names := []string{filepath.Base(path)}
	folder := path
	if info.IsDir() {
		names, err = entryFiles(path)
	} else {
		folder = filepath.Dir(path)
	}
	if err != nil {
		return "", nil, err
	}
	notes := map[string]string{}
	if commits {
		if notes, err = commitNotes(folder, names); err != nil {
			return "", nil, err
		}
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, file := range names {
		text, err := os.ReadFile(filepath.Join(folder, file))
		if err != nil {
			return "", nil, err
		}
		head := &zip.FileHeader{Name: filepath.ToSlash(file), Method: zip.Deflate, Comment: note}
		if own := notes[file]; own != "" {
			head.Comment = own
		}
		part, err := w.CreateHeader(head)
		if err != nil {
			return "", nil, err
		}
		if _, err := part.Write(text); err != nil {
			return "", nil, err
		}
	}
	err = w.Close()
	return filepath.Base(path), out.Bytes(), err
}

// entryFiles gives the Markdown files below a folder, but for hidden ones.
func entryFiles(folder string) (names []string, err error) {
	any := false
	err = filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if strings.HasPrefix(d.Name(), ".") && path != folder {
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		name, err := filepath.Rel(folder, path)
		if err != nil {
			return err
		}
		if isEntry := strings.HasSuffix(name, ".md"); d.Type().IsRegular() && (isEntry || bundle.IsBesideEntries(filepath.ToSlash(name))) {
			names = append(names, name)
			any = any || isEntry
		}
		return nil
	})
	if err == nil && !any {
		err = fmt.Errorf("%s holds no entry files; an entry file ends in .md", folder)
	}
	return names, err
}

// commitNotes gives the message of each file's newest commit.
func commitNotes(folder string, names []string) (map[string]string, error) {
	notes := map[string]string{}
	for _, name := range names {
		out, err := exec.Command("git", "-C", folder, "log", "-1", "--format=%B", "--", name).Output()
		if err != nil {
			return nil, fmt.Errorf("--commit-notes asks git for the newest commit of %s: %w; is %s a git checkout?", name, err, folder)
		}
		notes[name] = strings.TrimSpace(string(out))
	}
	return notes, nil
}

// choicesOf says what is to become of entries that were named.
func choicesOf(cmd *cli.Command, plan api.Plan) ([]api.Choice, error) {
	var choices []api.Choice
	var wrong []error
	named := func(slug string, do api.Doing, other string) {
		found := false
		for _, it := range plan.Items {
			if it.Slug == slug {
				found = true
				choices = append(choices, api.Choice{Number: it.Number, Do: do, Slug: other})
			}
		}
		if !found {
			wrong = append(wrong, wrongUse("the plan has no entry %q", slug))
		}
	}
	for _, slug := range cmd.StringSlice("also") {
		named(slug, api.Import, "")
	}
	for _, slug := range cmd.StringSlice("skip") {
		named(slug, api.Skip, "")
	}
	for _, pair := range cmd.StringSlice("both") {
		slug, other, ok := strings.Cut(pair, "=")
		if !ok {
			wrong = append(wrong, wrongUse("--both is %q; write it as SLUG=OTHER", pair))
			continue
		}
		named(slug, api.Both, other)
	}
	if n := plan.Counts[api.PlanWrong]; n > 0 && !cmd.Bool("skip-wrong") {
		left := 0
		for _, it := range plan.Items {
			if it.State == api.PlanWrong && !slices.ContainsFunc(choices, func(c api.Choice) bool { return c.Number == it.Number }) {
				left++
			}
		}
		if left > 0 {
			wrong = append(wrong, fmt.Errorf("%s cannot come in, so nothing was imported; fix them, or leave them out with --skip or --skip-wrong", count(left, "entry", "entries")))
		}
	}
	return choices, errors.Join(wrong...)
}

// mostShown is how many entries of a plan are listed.
const mostShown = 60

func (a *app) printPlan(plan api.Plan) error {
	if slices.ContainsFunc(plan.Columns, func(c api.Column) bool { return c.Heading != c.Holds }) {
		t := a.table("COLUMN", "HOLDS")
		for _, col := range plan.Columns {
			t.row(col.Heading, col.Holds)
		}
		t.print()
		fmt.Fprintln(a.out)
	}
	t := a.table("", "SLUG", "TITLE", "WHAT BECOMES OF IT")
	shown := 0
	for _, it := range plan.Items {
		if it.State == api.PlanSame {
			continue
		}
		if shown++; shown > mostShown {
			continue
		}
		first, rest, _ := strings.Cut(a.becomes(it), "\n")
		t.row(it.Kind.Letter(), it.Slug, it.Title, first)
		for line := range strings.Lines(rest) { // each problem begins a line of its own
			t.row("", "", "", strings.TrimSuffix(line, "\n"))
		}
	}
	t.print()
	if shown > mostShown {
		a.say("… and %d more.", shown-mostShown)
	}
	if len(plan.NewTerms) > 0 {
		a.say("Labels that would be added: %s.", strings.Join(plan.NewTerms, ", "))
	}
	var parts []string
	for _, s := range []api.PlanState{api.PlanNew, api.PlanChanged, api.PlanSame, api.PlanSimilar, api.PlanClash, api.PlanWrong} {
		if n := plan.Counts[s]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, planWord(s).In(a.language)))
		}
	}
	a.say("%s: %s.", plan.Name, strings.Join(parts, ", "))
	if slices.ContainsFunc(plan.Items, func(it api.PlanItem) bool { return it.Places > 0 }) {
		a.say("--make-blanks makes blanks of the places to fill in.")
	}
	return nil
}

func planWord(s api.PlanState) message.Text {
	switch s {
	case api.PlanNew:
		return message.Plain("new")
	case api.PlanChanged:
		return message.Plain("changed")
	case api.PlanSame:
		return message.Plain("the same")
	case api.PlanSimilar:
		return message.Plain("similar")
	case api.PlanClash:
		return message.Plain("in conflict")
	}
	return message.Plain("wrong")
}

// becomes says what an entry becomes that is to come in; each of its problems has a line.
func (a *app) becomes(it api.PlanItem) string {
	switch it.State {
	case api.PlanSimilar:
		var others []string
		for _, n := range it.Similar {
			if n.Incoming {
				others = append(others, a.text("%d %% the same as %s, which comes in too", n.Likeness, n.Slug))
			} else {
				others = append(others, a.text("%d %% the same as %s", n.Likeness, n.Slug))
			}
		}
		return a.text("skipped: %s", strings.Join(others, "; "))
	case api.PlanWrong:
		var lines []string
		for _, p := range it.Problems {
			at := it.Where
			if p.Line > 0 && !strings.Contains(at, ", line ") {
				at = fmt.Sprintf("%s:%d", at, p.Line)
				if p.Column > 0 {
					at = fmt.Sprintf("%s:%d", at, p.Column)
				}
			}
			lines = append(lines, a.text("wrong: %s: %s", at, p.Message))
		}
		return strings.Join(lines, "\n")
	case api.PlanClash:
		return a.text("skipped: both libraries have changed it")
	}
	says := planWord(it.State).In(a.language)
	if it.Note != "" && it.State == api.PlanChanged {
		says += ": " + it.Note
	}
	if it.Places > 0 {
		says += a.text(", with %s to fill in", count(it.Places, "place", "places"))
	}
	return says
}

// apply carries a plan out, with a bar where that takes more than a second.
func (a *app) apply(ctx context.Context, c *client.Client, id string, req api.ApplyRequest) (applied api.Applied, err error) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		applied, err = c.ApplyImport(ctx, id, req)
	}()
	select {
	case <-done:
		return applied, err
	case <-time.After(time.Second):
	}
	if !isTerminal(a.errs) {
		a.say("Importing …")
		<-done
		return applied, err
	}
	bar := progress.NewWriter()
	bar.SetOutputWriter(a.errs.File) // it moves over what it has drawn
	bar.SetAutoStop(false)
	if a.colourless() {
		bar.SetStyle(progress.StyleDefault)
	}
	tracker := &progress.Tracker{Message: "Importing"}
	bar.AppendTracker(tracker)
	go bar.Render()
	defer bar.Stop()
	for {
		select {
		case <-done:
			tracker.SetValue(tracker.Total)
			tracker.MarkAsDone()
			time.Sleep(150 * time.Millisecond) // the bar's last drawing
			return applied, err
		case <-time.After(300 * time.Millisecond):
			if p, err := c.ImportProgress(ctx, id); err == nil && p.All > 0 {
				tracker.UpdateTotal(int64(p.All))
				tracker.SetValue(int64(p.Done))
			}
		}
	}
}
