package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/blocks"
	"goldshelf/core/bundle"
	"goldshelf/core/change"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/voice"
)

// voice measures how texts read, and sets them beside a style.
func (a *app) voice() *cli.Command {
	return &cli.Command{
		Name: "voice", Usage: "measure how texts read, and how near they are to a style", ArgsUsage: "[FILE…]",
		Description: "Without a file it shows what is measured of the samples of --style. Samples are brought with the command samples.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "style", Usage: "the `SLUG` of a style to set them beside"},
			&cli.StringFlag{Name: "beside", Usage: "with --style: the `SLUG` of another style to set it beside"},
			&cli.StringFlag{Name: "language", Usage: "the language of the texts as a `TAG`, such as fr; English if nothing is said"},
		},
		Action: func(ctx context.Context, cmd *cli.Command) error {
			style, files := cmd.String("style"), cmd.Args().Slice()
			if style == "" && len(files) == 0 {
				return wrongUse("name a file, or a style with --style")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			if len(files) == 0 {
				f, err := c.StyleFigures(ctx, style)
				if err != nil {
					return err
				}
				if other := cmd.String("beside"); other != "" {
					return a.besideStyle(ctx, c, f, other)
				}
				return a.print(f, func() error { a.printStyle(f); return nil })
			}
			var all []api.Voice
			for _, file := range files {
				text, err := a.textOf(ctx, c, file)
				if err != nil {
					return err
				}
				v, err := c.MeasureVoice(ctx, api.TextToMeasure{Text: text.Body, Language: cmd.String("language"), Style: style})
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				all = append(all, v)
			}
			if len(all) == 1 {
				return a.print(all[0], func() error { a.printVoice(all[0]); return nil })
			}
			return a.print(all, func() error {
				for i, v := range all {
					if i > 0 {
						fmt.Fprintln(a.out)
					}
					fmt.Fprintln(a.out, files[i])
					a.printVoice(v)
				}
				return nil
			})
		},
	}
}

func (a *app) sayNoSamples(slug string) {
	a.say("%s has no samples yet: goldshelf samples %s --add FILE", slug, slug)
}

func (a *app) printStyle(f api.StyleFigures) {
	if f.Samples == 0 {
		a.sayNoSamples(f.Slug)
		return
	}
	a.printMeasured(f.Measured)
	for _, l := range f.Guide {
		fmt.Fprintln(a.out, l.Text)
	}
	for _, part := range []struct {
		title string
		words []api.CharacteristicWord
	}{{"Words of its own", f.Characteristic}, {"Openings", f.Openings}, {"Words that others use", f.Avoided}} {
		if len(part.words) > 0 {
			a.printf("%s: %s\n", part.title, texts(part.words))
		}
	}
}

// besideStyle prints the figures of two styles side by side.
func (a *app) besideStyle(ctx context.Context, c *client.Client, f api.StyleFigures, other string) error {
	g, err := c.StyleFigures(ctx, other)
	if err != nil {
		return err
	}
	return a.print([]api.StyleFigures{f, g}, func() error {
		for _, style := range []api.StyleFigures{f, g} {
			if style.Samples == 0 {
				a.sayNoSamples(style.Slug)
				return nil
			}
		}
		t := a.table("FIGURE", strings.ToUpper(f.Slug), "95 %", strings.ToUpper(g.Slug), "95 %", "", "")
		apart := 0
		for i, one := range f.Measured.Figures {
			two := g.Measured.Figures[i]
			differ := ""
			if one.Low != nil && two.Low != nil && (*one.High < *two.Low || *two.High < *one.Low) {
				differ = a.text("differ")
				apart++
			}
			t.row(one.Title.String(), said(one.Value), a.between(one.Low, one.High), said(two.Value), a.between(two.Low, two.High), differ, one.Unit.String())
		}
		t.print()
		a.say("%s apart by more than their intervals.", count(apart, "figure stands", "figures stand"))
		return nil
	})
}

func texts(all []api.CharacteristicWord) string {
	words := make([]string, len(all))
	for i, w := range all {
		words[i] = w.Text
	}
	return strings.Join(words, ", ")
}

func (a *app) printVoice(v api.Voice) {
	if v.Fit == nil {
		a.printMeasured(v.Measured)
		return
	}
	t := a.table("FIGURE", "VALUE", "THE STYLE", "", "")
	for _, f := range v.Fit.Figures {
		t.row(f.Title.String(), said(f.Value), a.between(f.Low, f.High), voice.Where(f.Where).Said().In(a.language), f.Unit.String()+note(f.Note))
	}
	t.print()
	a.printf("%s: %s%s\n", v.Fit.Style, voice.Nearness(v.Fit.Near), note(v.Fit.Note))
	if v.Fit.Distance != nil {
		a.printf("Its distance is %s; 95 %% of the samples’ own stretches of that length have %s at most.\n", said(v.Fit.Distance), said(v.Fit.Own))
	}
	if v.Fit.Delta != nil {
		a.printf("Burrows’s Delta is %s.\n", said(v.Fit.Delta))
	}
	for _, s := range v.Fit.Stands {
		a.printf("\n%s\n", s.Text)
		for _, r := range s.Reasons {
			fmt.Fprintf(a.out, "  %s %s\n", r.Why, r.Instead)
		}
	}
}

func (a *app) printMeasured(m api.Measured) {
	t := a.table("FIGURE", "VALUE", "95 %", "")
	for _, f := range m.Figures {
		t.row(f.Title.String(), said(f.Value), a.between(f.Low, f.High), f.Unit.String()+note(f.Note))
	}
	t.print()
	a.say("%s, %s, %s%s.", count(m.Words, "word", "words"), count(m.Sentences, "sentence", "sentences"), count(m.Paragraphs, "paragraph", "paragraphs"), note(m.Note))
}

func said(v *float64) string {
	if v == nil {
		return "–"
	}
	return strconv.FormatFloat(*v, 'f', -1, 64)
}

func (a *app) between(low, high *float64) string {
	if low == nil || high == nil {
		return ""
	}
	return a.text("%s to %s", said(low), said(high))
}

func note(t message.Text) string {
	if t.IsZero() {
		return ""
	}
	return "; " + t.String()
}

// samples shows and changes what a style is measured from.
func (a *app) samples() *cli.Command {
	return &cli.Command{
		Name: "samples", Usage: "show, add and remove the samples that a style is measured from", ArgsUsage: "SLUG",
		Description: "Samples are seen by those who look after the style. A sample that is added in the name of another takes its place; one that is removed is gone for good.",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "add", Usage: "add a `FILE`: text, Markdown, .docx or .pdf; may be given several times"},
			&cli.Float64Flag{Name: "weight", Usage: "how much it counts beside others, above 0 and 10 at most", Value: 1},
			&cli.StringFlag{Name: "dated", Usage: "the `DAY` it was written, as 2026-01-31"},
			&cli.StringFlag{Name: "guide", Usage: "bring the guide of a `FILE` (- for standard input) up to the samples, and print it; edited lines stay"},
			&cli.StringFlag{Name: "show", Usage: "print the text of the sample of this `NAME`"},
			&cli.StringFlag{Name: "remove", Usage: "remove the sample of this `NAME`"},
		},
		Action: a.onEntry(func(ctx context.Context, cmd *cli.Command, c *client.Client, slug string) error {
			switch {
			case len(cmd.StringSlice("add")) > 0:
				return a.addSamples(ctx, c, slug, cmd)
			case cmd.IsSet("guide"):
				return a.drawGuide(ctx, c, slug, cmd.String("guide"))
			case cmd.String("show") != "":
				id, err := sampleNamed(ctx, c, slug, cmd.String("show"))
				if err != nil {
					return err
				}
				s, err := c.Sample(ctx, slug, id)
				if err != nil {
					return err
				}
				return a.print(s, func() error { fmt.Fprint(a.out, s.Text); return nil })
			case cmd.String("remove") != "":
				id, err := sampleNamed(ctx, c, slug, cmd.String("remove"))
				if err != nil {
					return err
				}
				if err := c.RemoveSample(ctx, slug, id); err != nil {
					return err
				}
				a.say("%s is gone from %s for good.", cmd.String("remove"), slug)
				return nil
			}
			all, err := c.Samples(ctx, slug)
			if err != nil {
				return err
			}
			return a.print(all, func() error { a.printSamples(slug, all); return nil })
		}),
	}
}

// drawGuide prints a text, or the file of a style, with its guide as the samples would have
// it; what differs is said aside.
func (a *app) drawGuide(ctx context.Context, c *client.Client, slug, path string) error {
	text, err := a.readAll(path)
	if err != nil {
		return err
	}
	var drawn api.GuideDrawn
	draw := func(guide string) (_ string, err error) {
		drawn, err = c.DrawGuide(ctx, slug, guide)
		return drawn.Guide, err
	}
	out, err := redrawn(path, string(text), draw)
	if err != nil {
		return err
	}
	return a.print(drawn, func() error {
		if _, err := fmt.Fprint(a.out, out); err != nil {
			return err
		}
		differ := 0
		for _, l := range drawn.Lines {
			if l.Op != change.Same {
				differ++
			}
		}
		a.say("%s.", count(differ, "line differs", "lines differ"))
		return nil
	})
}

// redrawn gives a guide, or the file of a style with what it has below "Guide", drawn anew.
func redrawn(path, text string, draw func(guide string) (string, error)) (string, error) {
	if !strings.HasPrefix(text, "---") {
		return draw(text)
	}
	file, err := bundle.Read([]byte(text))
	if err != nil {
		return "", inFile(path, err)
	}
	if file.Body, err = blocks.Rewrite(file.Body, "Guide", entry.Style.Titles(), draw); err != nil {
		return "", err
	}
	return string(file.Bytes()), nil
}

func (a *app) addSamples(ctx context.Context, c *client.Client, slug string, cmd *cli.Command) error {
	var out api.Samples
	for _, path := range cmd.StringSlice("add") {
		text, err := a.readAll(path)
		if err != nil {
			return err
		}
		s, err := c.AddSample(ctx, slug, filepath.Base(path), cmd.String("dated"), cmd.Float64("weight"), text)
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		out.Items = append(out.Items, s)
	}
	return a.print(out, func() error {
		for _, s := range out.Items {
			a.say("%s is a sample of %s: %s.", s.Name, slug, count(s.Words, "word", "words"))
		}
		return nil
	})
}

func (a *app) printSamples(slug string, all api.Samples) {
	if len(all.Items) == 0 {
		a.sayNoSamples(slug)
		return
	}
	t := a.table("NAME", "WORDS", "WEIGHT", "WRITTEN", "ADDED BY")
	for _, s := range all.Items {
		t.row(s.Name, strconv.Itoa(s.Words), strconv.FormatFloat(s.Weight, 'g', -1, 64), s.Dated, s.AddedBy)
	}
	t.print()
}

func sampleNamed(ctx context.Context, c *client.Client, slug, name string) (int64, error) {
	all, err := c.Samples(ctx, slug)
	if err != nil {
		return 0, err
	}
	names := make([]string, len(all.Items))
	for i, s := range all.Items {
		if s.Name == name {
			return s.ID, nil
		}
		names[i] = s.Name
	}
	return 0, wrongUse("%s has no sample called %q; it has: %s", slug, name, strings.Join(names, ", "))
}
