package cli

import (
	"bufio"
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/core/fill"
	"goldshelf/core/strict"
)

func (a *app) find() *cli.Command {
	return &cli.Command{
		Name: "find", Usage: "search the shelf", ArgsUsage: "[WORDS…]",
		Description: "Words in any form, and their beginnings; wrong letters are forgiven. '\"exact words\"' stand together;\n" +
			"-word, after --, is not there; kind:, owner:, state: and any facet narrow it: goldshelf find meter department:customer-care",
		Flags: append(labelFlags(),
			&cli.BoolFlag{Name: "all-states", Usage: "drafts too, as far as you may see them"},
			&cli.BoolFlag{Name: "mine", Usage: "only what you own or stand in for, in any state"},
			&cli.IntFlag{Name: "limit", Usage: "at most so many", Value: 50},
		),
		Action: func(ctx context.Context, cmd *cli.Command) error {
			q, err := queryOf(cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			search := c.Shelf
			q.Mine = cmd.Bool("mine")
			states := q.Mine || cmd.Bool("all-states")
			if states {
				search = c.Entries
			}
			list, err := search(ctx, q)
			if err != nil {
				return err
			}
			if !states && q.Words != "" && (list.Total == 0 || list.Partial) {
				// Curators see what is missing; that nobody could be told of it is no trouble here.
				_ = c.AddMissedSearch(ctx, q.Words)
			}
			return a.print(list, func() error { return a.printList(list, states) })
		},
	}
}

func queryOf(cmd *cli.Command) (client.Query, error) {
	q, err := labelsOf(cmd)
	q.Words, q.Limit = strings.Join(cmd.Args().Slice(), " "), cmd.Int("limit")
	return q, err
}

// labelFlags are those by which entries are narrowed.
func labelFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "department", Usage: "only entries of this department"},
		&cli.StringSliceFlag{Name: "application", Usage: "only entries for this application"},
		&cli.StringSliceFlag{Name: "model", Usage: "only entries for this model"},
		&cli.StringSliceFlag{Name: "kind", Usage: "prompt, persona, style, snippet, sheet or relay"},
		&cli.StringSliceFlag{Name: "label", Usage: "any other facet, as `FACET=TERM`"},
	}
}

// labelsOf reads the labels that labelFlags take.
func labelsOf(cmd *cli.Command) (client.Query, error) {
	q := client.Query{Labels: map[string][]string{}}
	for _, facet := range []string{"department", "application", "model", "kind"} {
		if terms := cmd.StringSlice(facet); len(terms) > 0 {
			q.Labels[facet] = terms
		}
	}
	for _, label := range cmd.StringSlice("label") {
		facet, term, ok := strings.Cut(label, "=")
		if !ok {
			return q, wrongUse("--label is %q; write it as facet=term, as in audience=farms", label)
		}
		q.Labels[facet] = append(q.Labels[facet], term)
	}
	return q, nil
}

func (a *app) printList(list api.List, states bool) error {
	t := a.table("", "SLUG", "TITLE", "DEPARTMENT", "VERSION")
	if states {
		t = a.table("", "SLUG", "TITLE", "DEPARTMENT", "VERSION", "STATE")
	}
	for _, it := range list.Items {
		row := []string{it.Kind.Letter(), it.Slug, orSlug(it), strings.Join(it.Labels["department"], ", "), strconv.Itoa(it.Version)}
		if states {
			row = append(row, it.State.Words())
		}
		t.row(row...)
	}
	t.print()
	for _, i := range list.Instead {
		a.say("No entry says %q; %q was looked for instead.", i.Typed, i.Taken)
	}
	if list.Note != "" {
		a.say("%s.", list.Note)
	}
	if list.Partial && list.Total > 0 {
		a.say("No entry has all of these words; these have most of them, or words like them.")
	}
	switch shown := len(list.Items); {
	case list.Total == 0:
		a.say("Nothing on the shelf matches. Fewer words or labels find more.")
	case shown < list.Total:
		a.say("%d of %d entries; --limit %d shows more.", shown, list.Total, list.Total)
	default:
		a.say("%s.", count(list.Total, "entry", "entries"))
	}
	return nil
}

func orSlug(it api.Item) string {
	if it.Title == "" {
		return it.Slug
	}
	return it.Title
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func (a *app) show() *cli.Command {
	return about(a, cli.Command{
		Name: "show", Usage: "print an entry as a file: its header and its text", ArgsUsage: "SLUG[@N]",
		Description: "Prints the published version. With @N it prints that version, and with --open, or where nothing is published, the open one, if you may see it.",
		Flags:       []cli.Flag{&cli.BoolFlag{Name: "open", Usage: "print the version that is written or reviewed now"}},
	}, func(ctx context.Context, c *client.Client, ref string, cmd *cli.Command) (api.Entry, error) {
		if cmd.Bool("open") {
			return c.Entry(ctx, ref)
		}
		return readable(ctx, c, ref)
	}, func(e api.Entry, _ string) error {
		if r := e.Retired; r != nil {
			a.say("%s was retired on %s: %s%s.", e.Slug, a.local(r.At).Format("2 January 2006"), r.Because, instead(r.Instead))
		}
		a.saySeen(e)
		return a.printFile(e)
	})
}

func (a *app) printFile(e api.Entry) error {
	_, err := a.out.Write(bundle.File{Content: e.Content, Owner: e.Owner, Deputy: e.Deputy}.Bytes())
	return err
}

func sorted(texts []string) []string {
	slices.Sort(texts)
	return texts
}

func instead(slug string) string {
	if slug == "" {
		return ""
	}
	return "; use " + slug + " instead"
}

// readable reads what is published and, where nothing is, what the caller may
// see of the drafts.
func readable(ctx context.Context, c *client.Client, ref string) (api.Entry, error) {
	e, err := c.ShelfEntry(ctx, ref)
	if statusOf(err) != exitNotFound {
		return e, err
	}
	slug, digits, pinned := strings.Cut(ref, "@")
	var draft api.Entry
	var draftErr error
	if n, convErr := strconv.Atoi(digits); pinned && convErr == nil {
		draft, draftErr = c.Version(ctx, slug, n)
	} else if !pinned {
		draft, draftErr = c.Entry(ctx, slug)
	} else {
		return e, err
	}
	if draftErr != nil {
		return e, err
	}
	return draft, nil
}

func (a *app) fill() *cli.Command {
	return &cli.Command{
		Name: "fill", Usage: "fill in an entry and print the text alone", ArgsUsage: "SLUG[@N] [name=value …]",
		Description: "A name may be given several times for a blank that takes several. On a terminal it asks for what is missing.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringFlag{Name: "persona", Usage: "speak as this persona, or none"},
			&cli.StringFlag{Name: "style", Usage: "in this style, or none"},
			&cli.StringSliceFlag{Name: "sheet", Usage: "with this fact sheet, or none"},
			&cli.BoolFlag{Name: "explain", Usage: "say beside each line where it came from"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if !cmd.Args().Present() {
				return wrongUse("fill takes a slug and then name=value for each blank")
			}
			ref := cmd.Args().First()
			given, err := a.valuesOf(cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			e, err := c.ShelfEntry(ctx, ref)
			if err != nil {
				return err
			}
			req := api.FillRequest{Persona: cmd.String("persona"), Style: cmd.String("style"), Sheets: cmd.StringSlice("sheet")}
			asks := e.Asks
			if req.Persona != "" || req.Style != "" || len(req.Sheets) > 0 {
				sketch := req
				sketch.Sketch = true
				other, err := c.FillStack(ctx, ref, sketch) // another stack may ask for other blanks
				if err != nil {
					return err
				}
				asks = other.Blanks
			}
			if req.Values, err = a.complete(asks, given); err != nil {
				return err
			}
			filled, err := c.FillStack(ctx, ref, req)
			if err != nil {
				return err
			}
			return a.print(filled, func() error {
				if cmd.Bool("explain") {
					return a.explain(filled)
				}
				_, err := fmt.Fprint(a.out, filled.Text)
				return err
			})
		},
	}
}

// explain prints a text with the origin of each line beside it.
func (a *app) explain(filled api.Filled) error {
	type line struct{ from, text string }
	var lines []line
	width, at := 0, 0
	for text := range strings.Lines(filled.Text) {
		l := line{from: originOf(filled.Spans, at, at+len(strings.TrimRight(text, "\n"))), text: strings.TrimRight(text, "\n")}
		at += len(text)
		width = max(width, len(l.from))
		lines = append(lines, l)
	}
	for _, l := range lines {
		if _, err := fmt.Fprintf(a.out, "%-*s │ %s\n", width, l.from, l.text); err != nil {
			return err
		}
	}
	return nil
}

// originOf names what stands in some bytes of a text: entries with their
// versions, then the blanks whose values are there.
func originOf(spans []fill.Span, start, end int) string {
	var entries, blanks []string
	for _, s := range spans {
		if s.Start >= end || s.End <= start {
			continue
		}
		name := fmt.Sprintf("%s@%d", s.From.Entry, s.From.Version)
		if !slices.Contains(entries, name) {
			entries = append(entries, name)
		}
		if b := s.From.Blank; b != "" && !slices.Contains(blanks, b) {
			blanks = append(blanks, b)
		}
	}
	origin := strings.Join(entries, " + ")
	if len(blanks) > 0 {
		origin += " (" + strings.Join(blanks, ", ") + ")"
	}
	return origin
}

func (a *app) uses() *cli.Command {
	return about(a, cli.Command{
		Name: "uses", Usage: "list what uses an entry, directly and through others",
	}, func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Uses, error) {
		return c.Uses(ctx, slug)
	}, func(uses api.Uses, slug string) error {
		t := a.table("", "SLUG", "VERSION", "STATE", "USES IT AS", "THROUGH")
		for _, u := range uses.Items {
			how := u.How
			if u.Pinned > 0 {
				how = fmt.Sprintf("%s, stays at %d", how, u.Pinned)
			}
			t.row(u.Kind.Letter(), u.Slug, strconv.Itoa(u.Version), u.State.Words(), how, strings.Join(u.Through, ", "))
		}
		t.print()
		if len(uses.Items) == 0 {
			a.say("Nothing uses %s.", slug)
		}
		return nil
	})
}

// valuesOf gathers values from --values, --from and the arguments; the later
// of these win.
func (a *app) valuesOf(cmd *cli.Command) (map[string][]string, error) {
	given := map[string][]string{}
	if file := cmd.String("values"); file != "" {
		data, err := a.readAll(file)
		if err != nil {
			return nil, err
		}
		read := map[string]any{}
		if err = strict.YAML(string(data)); err == nil {
			err = yaml.Unmarshal(data, &read)
		}
		if err != nil {
			return nil, fmt.Errorf("%s holds no values: %w; it is JSON or YAML with a value for each name", file, err)
		}
		for name, v := range read {
			if list, many := v.([]any); many {
				for _, item := range list {
					given[name] = append(given[name], scalarOf(item))
				}
				continue
			}
			given[name] = []string{scalarOf(v)}
		}
	}
	for _, from := range cmd.StringSlice("from") {
		name, file, ok := strings.Cut(from, "=")
		if !ok {
			return nil, wrongUse("--from is %q; write it as name=FILE", from)
		}
		data, err := a.readAll(file)
		if err != nil {
			return nil, err
		}
		given[name] = []string{string(data)}
	}
	typed := map[string][]string{}
	for _, arg := range cmd.Args().Tail() {
		name, value, ok := strings.Cut(arg, "=")
		if !ok {
			return nil, wrongUse("%q is no value; write name=value, in quotes where it has spaces", arg)
		}
		typed[name] = append(typed[name], value)
	}
	maps.Copy(given, typed)
	return given, nil
}

func scalarOf(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case bool:
		if v {
			return "yes"
		}
		return "no"
	}
	return fmt.Sprint(v)
}

// complete makes values of what was given, and on a terminal asks for the rest.
func (a *app) complete(asks []fill.Blank, given map[string][]string) (fill.Values, error) {
	values := fill.Values{}
	for name, texts := range given {
		values[name] = valueOf(texts, slices.ContainsFunc(asks, func(b fill.Blank) bool { return b.Name == name && b.Kind() == fill.PickMany }))
	}
	if !isTerminal(a.in) || !isTerminal(a.errs) {
		return values, nil
	}
	lines := bufio.NewReader(a.in)
	for _, b := range asks {
		if _, there := values[b.Name]; there || b.Optional {
			continue
		}
		v, err := a.askFor(lines, b)
		if err != nil {
			return nil, err
		}
		values[b.Name] = v
	}
	return values, nil
}

// valueOf makes one value of the texts given under a name. A blank that takes
// several also takes them in one text, with commas between.
func valueOf(texts []string, many bool) fill.Value {
	if many && len(texts) == 1 {
		texts = strings.Split(texts[0], ",")
		for i := range texts {
			texts[i] = strings.TrimSpace(texts[i])
		}
	}
	if many || len(texts) > 1 {
		return fill.List(texts...)
	}
	return fill.Single(texts[0])
}

// askFor asks until the answer holds.
func (a *app) askFor(lines *bufio.Reader, b fill.Blank) (fill.Value, error) {
	question := b.Question()
	if b.Hint != "" {
		question += "\n  " + b.Hint
	}
	if len(b.Options) > 0 {
		question += "\n  " + strings.Join(b.Options, ", ")
	}
	if b.Kind() == fill.LongText {
		question += "\n  (end with a line that has a single dot)"
	}
	for {
		a.say("%s", question)
		answer, err := a.readAnswer(lines, b.Kind() == fill.LongText)
		if err != nil {
			return fill.Value{}, err
		}
		v := valueOf([]string{answer}, b.Kind() == fill.PickMany)
		_, bad := b.Accept("", v)
		if answer != "" && bad == nil {
			return v, nil
		}
		if bad != nil {
			a.say("  %s", bad[0].Message)
		}
	}
}

func (a *app) readAnswer(lines *bufio.Reader, long bool) (string, error) {
	if !long {
		return a.ask(lines, "> ")
	}
	var all strings.Builder
	for {
		line, err := lines.ReadString('\n')
		if strings.TrimRight(line, "\r\n") == "." || err != nil && line == "" {
			return strings.TrimSuffix(all.String(), "\n"), nil
		}
		all.WriteString(line)
	}
}

func (a *app) history() *cli.Command {
	return about(a, cli.Command{
		Name: "history", Usage: "list an entry's versions, newest first",
	}, func(ctx context.Context, c *client.Client, slug string, _ *cli.Command) (api.Versions, error) {
		return c.Versions(ctx, slug)
	}, func(all api.Versions, _ string) error {
		t := a.table("VERSION", "STATE", "DATE", "AUTHOR", "NOTE")
		for _, v := range all.Items {
			t.row(strconv.Itoa(v.Version), v.State.Words(), a.dateOf(v), v.Author, v.Note)
		}
		t.print()
		a.printElsewhere(all.Elsewhere)
		return nil
	})
}

// printElsewhere tells what an entry was in the library that it came from.
func (a *app) printElsewhere(all []api.ElsewhereVersion) {
	if len(all) == 0 {
		return
	}
	fmt.Fprintln(a.out, "\nElsewhere, before it was imported; nothing of it counts here:")
	t := a.table("VERSION", "STATE", "DATE", "AUTHOR", "APPROVED BY", "NOTE")
	for _, v := range all {
		at, names := v.SavedAt, []string{}
		if v.PublishedAt != nil {
			at = *v.PublishedAt
		}
		for _, by := range v.Approvals {
			names = append(names, by.By)
		}
		t.row(strconv.Itoa(v.Version), v.State.Words(), a.local(at).Format("2 Jan 2006"), v.Author, strings.Join(names, ", "), v.Note)
	}
	t.print()
}

// dateOf is the day a version was published, or else last saved.
func (a *app) dateOf(v api.Entry) string {
	if v.PublishedAt != nil {
		return a.local(*v.PublishedAt).Format("2 Jan 2006")
	}
	return a.local(v.SavedAt).Format("2 Jan 2006")
}

// colourless says whether what is printed must be plain.
func (a *app) colourless() bool { return os.Getenv("NO_COLOR") != "" || !isTerminal(a.out) }
