package test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	printing "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"goldshelf/test/browser"
)

// A style is measured from samples, and a text set beside it, at the terminal.
func TestVoiceByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reader")
	dir := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	reader.says(0, []string{"Sentence length", "95 %", "Sentences run to about 8 words", "Words of its own: you"}, "voice", "--style", "plain-river")
	far := write("far.md", strings.Repeat("It is anticipated that reinstatement of the carriageway will be undertaken by contractors. ", 16))
	reader.says(0, []string{"plain-river: far off", "above", "Say who does it."}, "voice", far, "--style", "plain-river")
	near := write("near.md", "Your water is off until six. Fill a jug before we start. You can still flush once. We knock on your door when it is back. Is it brown then? Let the tap run for ten minutes. Call us if it stays brown.\n")
	reader.says(0, []string{"plain-river: near"}, "voice", near, "--style", "plain-river")
	reader.says(0, []string{`"near": "far off"`, `"near": "near"`}, "voice", far, near, "--style", "plain-river", "--json")
	reader.says(4, []string{"samples are somebody’s writing"}, "samples", "plain-river")
	reader.says(3, []string{"nothing-here"}, "voice", near, "--style", "nothing-here")
	reader.says(2, []string{"name a file, or a style"}, "voice")
	reader.says(0, []string{"board-paper has no samples yet"}, "voice", "--style", "plain-river", "--beside", "board-paper")

	curator.says(0, []string{"Letters to households", "1540"}, "samples", "plain-river")
	curator.says(0, []string{"near.md is a sample of plain-river"}, "samples", "plain-river", "--add", near, "--weight", "2")
	curator.says(1, []string{"the same text is here already"}, "samples", "plain-river", "--add", write("again.md", "Your water is off until six. Fill a jug before we start. You can still flush once. We knock on your door when it is back. Is it brown then? Let the tap run for ten minutes. Call us if it stays brown.\n"))
	curator.says(1, []string{"no document that can be read"}, "samples", "plain-river", "--add", write("program.bin", "\x7fELF\xff\xfe"))
	curator.says(0, []string{"15 lines differ", "- Sentences run to about 8 words", "hardly a passive.\n\n## Use\nTap.\n"}, "samples", "plain-river", "--guide", write("plain-river.md", "---\nkind: style\ntitle: Plain\n---\n## Guide\nBe kind.\n\n## Use\nTap.\n"))
	curator.says(0, []string{"gone from plain-river for good"}, "samples", "plain-river", "--remove", "near.md")
	curator.says(2, []string{"it has: Letters to households"}, "samples", "plain-river", "--remove", "near.md")
}

// The same at the console, where a style's page leads to it.
func TestVoiceAtTheConsole(t *testing.T) {
	t.Parallel()
	w := openWindow(t, "reader", 1280, 800)
	w.visit("/entries/plain-river", "How it reads")
	w.do(browser.Press("All figures, and set a text beside it"), browser.See("In plain words"), browser.See("Reading grade"), browser.See("Words of its own"),
		browser.Paste("#beside", strings.Repeat("It is anticipated that reinstatement of the carriageway will be undertaken by contractors. ", 16)), browser.Press("Compare"),
		browser.See("Far off"), browser.See("Say who does it."))
	w.visit("/entries/board-brief/voice", "The writer does not appear")
}

// A page that a browser prints is a sample like any text: its fonts are subsets with
// codes of their own, and its words are set glyph by glyph.
func TestAPrintedPageIsASample(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "curator", 1280, 800)
	const text = "Your water is off until six. Don’t wait: fill a jug before we start. We knock on every door in Mühlgasse when it’s back."
	w.do(browser.Script(`document.body.innerHTML = "<h1>Water off</h1><p>` + text + `</p><p>Call us if it stays brown.</p>"`))
	printed, err := chromedp.Run(w.ctx, func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
		r, err := cdp.Call(ctx, t, printing.PrintToPDF, printing.PrintToPDFParams{})
		return r.Data, err
	})
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "printed.pdf")
	if err := os.WriteFile(path, printed, 0o644); err != nil {
		t.Fatal(err)
	}
	curator := open(t, s.URL, "curator")
	curator.says(0, []string{"printed.pdf is a sample of board-paper"}, "samples", "board-paper", "--add", path)
	out, _ := curator.run("", "samples", "board-paper", "--show", "printed.pdf")
	if words := strings.Join(strings.Fields(out), " "); !strings.Contains(words, "Water off") || !strings.Contains(words, text) || !strings.Contains(words, "stays brown.") {
		t.Errorf("read as %q", out)
	}
}
