package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/core/strict"
)

func (a *app) fill() *cli.Command {
	return &cli.Command{
		Name: "fill", Usage: "fill in an entry and print the text alone", ArgsUsage: "SLUG[@N] [name=value …]",
		Description: "A name may be given several times for a blank that takes several. On a terminal it asks for what is missing.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "values", Usage: "read values from a JSON or YAML `FILE`"},
			&cli.StringFlag{Name: "persona", Usage: "speak as this persona, or none"},
			&cli.StringFlag{Name: "style", Usage: "in this style, or none"},
			&cli.StringSliceFlag{Name: "sheet", Usage: "with this fact sheet, or none"},
			&cli.StringFlag{Name: "for", Usage: "the `APPLICATION` that the text is for"},
			&cli.StringFlag{Name: "box", Usage: "with --for: only this `BOX` of the application, by its title or number"},
			&cli.BoolFlag{Name: "base", Usage: "the entry itself, and no rendition of it"},
			&cli.StringFlag{Name: "as", Usage: "print it as plain text, html or messages instead of Markdown"},
			&cli.BoolFlag{Name: "copy", Usage: "put the text on the clipboard and print nothing; over a far terminal too"},
			&cli.StringFlag{Name: "rows", Usage: "fill it in for each row of a CSV `FILE`, whose columns are called as the blanks"},
			&cli.StringFlag{Name: "format", Usage: "with --rows: zip, csv or document", Value: "zip"},
			&cli.StringFlag{Name: "name-by", Usage: "with --rows: call the files of a zip by this `COLUMN`"},
			&cli.StringFlag{Name: "out", Usage: "with --rows: the `FILE` to write; standard output if it is no terminal"},
			&cli.BoolFlag{Name: "forget", Usage: "forget what was filled in last, and do nothing else"},
			&cli.BoolFlag{Name: "explain", Usage: "say beside each line where it came from"},
			&cli.StringSliceFlag{Name: "from", Usage: "read one value from a file, as `name=FILE`"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Bool("forget") {
				return a.forgetValues()
			}
			if !cmd.Args().Present() {
				return wrongUse("fill takes a slug and then name=value for each blank")
			}
			ref := cmd.Args().First()
			if cmd.String("rows") != "" {
				return a.fillRows(ctx, cmd, ref)
			}
			given, err := a.valuesOf(ctx, cmd)
			if err != nil {
				return err
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			req := api.FillRequest{Persona: cmd.String("persona"), Style: cmd.String("style"), Sheets: cmd.StringSlice("sheet"), For: cmd.String("for"), Base: cmd.Bool("base")}
			if as := cmd.String("as"); as != "" {
				req.As = []string{as}
			}
			sketch := req
			sketch.Sketch, sketch.As = true, nil
			asked, err := c.FillStack(ctx, ref, sketch) // another stack or rendition may ask for other blanks
			if err != nil {
				return err
			}
			asks := asked.Blanks
			if req.Values, err = a.complete(asks, given); err != nil {
				return err
			}
			filled, err := c.FillStack(ctx, ref, req)
			if err != nil {
				return err
			}
			a.rememberValues(req.Values)
			if cmd.Bool("copy") && len(filled.Boxes) > 0 && cmd.String("as") == "" {
				return a.copyBox(filled, cmd.String("box"))
			}
			if cmd.Bool("copy") {
				return a.toClipboard(formOf(filled, cmd.String("as")))
			}
			return a.print(filled, func() error {
				if cmd.Bool("explain") {
					return a.explain(filled)
				}
				if len(filled.Boxes) > 0 && cmd.String("as") == "" {
					return a.boxed(filled, cmd.String("box"))
				}
				_, err := fmt.Fprint(a.out, formOf(filled, cmd.String("as")))
				return err
			})
		},
	}
}

// copyBox puts one box on the clipboard: the one that is named, or the only one.
func (a *app) copyBox(f api.Filled, name string) error {
	if name == "" && len(f.Boxes) > 1 {
		return wrongUse("the text comes in %d boxes; say which to copy with --box", len(f.Boxes))
	}
	b, err := boxNamed(f.Boxes, orElse(name, "1"))
	if err != nil {
		return err
	}
	a.warnOfBoxes(f)
	return a.toClipboard(b.Text)
}

// formOf gives a filled text in a form.
func formOf(f api.Filled, as string) string {
	switch as {
	case "plain":
		return f.Plain
	case "html":
		return f.HTML
	case "messages":
		var text strings.Builder
		out := json.NewEncoder(&text)
		out.SetEscapeHTML(false) // tags are to be read
		out.SetIndent("", "  ")
		if err := out.Encode(f.Messages); err != nil {
			panic(err) // texts are always JSON
		}
		return text.String()
	}
	return f.Text
}

// fillRows fills an entry in for each row of a table.
func (a *app) fillRows(ctx context.Context, cmd *cli.Command, ref string) error {
	if cmd.Args().Len() > 1 || cmd.String("values") != "" || len(cmd.StringSlice("from")) > 0 {
		return wrongUse("with --rows every value comes from the table; put what is the same for all in a column")
	}
	out := cmd.String("out")
	if out == "" && isTerminal(a.out) {
		return wrongUse("say where the texts go: --out FILE")
	}
	table, err := a.readAll(cmd.String("rows"))
	if err != nil {
		return err
	}
	c, err := a.signedIn()
	if err != nil {
		return err
	}
	file, err := c.FillRows(ctx, ref, table, api.RowsRequest{
		Format: cmd.String("format"), Name: cmd.String("name-by"), Persona: cmd.String("persona"), Style: cmd.String("style"),
		Sheets: cmd.StringSlice("sheet"), For: cmd.String("for"), Base: cmd.Bool("base"),
	})
	if err != nil {
		return err
	}
	if out == "" {
		_, err = a.out.Write(file)
		return err
	}
	if err := os.WriteFile(out, file, 0o644); err != nil {
		return err
	}
	a.say("%s has the texts.", out)
	return nil
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
		if _, err := a.printf("%-*s │ %s\n", width, l.from, l.text); err != nil {
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

// valuesOf gathers values from --values, --from and the arguments; the later
// of these win.
func (a *app) valuesOf(ctx context.Context, cmd *cli.Command) (map[string][]string, error) {
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
		text := string(data)
		if kind := strings.ToLower(filepath.Ext(file)); kind == ".docx" || kind == ".pdf" {
			if text, err = a.documentText(ctx, data); err != nil {
				return nil, fmt.Errorf("%s: %w", file, err)
			}
		}
		given[name] = []string{text}
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

// filling is what a command begins with that takes an entry and values for its blanks.
func (a *app) filling(ctx context.Context, cmd *cli.Command) (c *client.Client, given map[string][]string, err error) {
	if !cmd.Args().Present() {
		return nil, nil, wrongUse("%s takes a slug and then name=value for each blank", cmd.Name)
	}
	if given, err = a.valuesOf(ctx, cmd); err == nil {
		c, err = a.signedIn()
	}
	return c, given, err
}

// documentText has the service read a document.
func (a *app) documentText(ctx context.Context, data []byte) (string, error) {
	c, err := a.signedIn()
	if err != nil {
		return "", err
	}
	out, err := c.DocumentText(ctx, data)
	return out.Text, err
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
	values := typedValues(asks, given)
	if !isTerminal(a.in) || !isTerminal(a.errs) {
		return values, nil
	}
	lines, last := bufio.NewReader(a.in), a.lastValues()
	for _, b := range asks {
		if _, there := values[b.Name]; there || b.Optional {
			continue
		}
		v, err := a.askFor(lines, b, last[b.Name])
		if err != nil {
			return nil, err
		}
		values[b.Name] = v
	}
	return values, nil
}

// typedValues makes values of what was given.
func typedValues(asks []fill.Blank, given map[string][]string) fill.Values {
	values := fill.Values{}
	for name, texts := range given {
		values[name] = valueOf(texts, slices.ContainsFunc(asks, func(b fill.Blank) bool { return b.Name == name && b.Kind() == fill.PickMany }))
	}
	return values
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

// askFor asks until the answer holds. Nothing stands for what was filled in last, where
// that still holds, or else for what is usual.
func (a *app) askFor(lines *bufio.Reader, b fill.Blank, last fill.Value) (fill.Value, error) {
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
	offered := b.Default
	if _, bad := b.Accept("", last); bad == nil && !last.IsZero() {
		offered = last
		question += a.text("\n  (Enter alone: %s, as last time)", oneLine(last))
	} else if !offered.IsZero() {
		question += a.text("\n  (Enter alone: %s)", oneLine(offered))
	}
	for {
		a.say("%s", question)
		answer, err := a.readAnswer(lines, b.Kind() == fill.LongText)
		if err != nil {
			return fill.Value{}, err
		}
		if answer == "" && !offered.IsZero() {
			return offered, nil
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
