package voice

import (
	"fmt"
	"math"
	"strings"
)

// Line is a line of a guide, and the figure that it comes from.
type Line struct{ Figure, Text string }

// Guide says in plain words how samples read, a line for each figure that says something.
func Guide(f Figures) []Line {
	var all []Line
	for _, r := range guideRules {
		one := f.figure(r.figure)
		if !one.Known {
			continue
		}
		if text := r.say(one.Value, f); text != "" {
			all = append(all, Line{r.figure, text})
		}
	}
	return all
}

var guideRules = []struct {
	figure string
	say    func(value float64, f Figures) string
}{
	{"sentence-length", func(v float64, f Figures) string {
		spread := f.figure("sentence-spread")
		text := fmt.Sprintf("Sentences run to about %.0f words", v)
		switch {
		case !spread.Known:
			return text + "."
		case spread.Value < v*0.45:
			return text + ", and are much of a length."
		case spread.Value > v*0.8:
			return text + "; short ones and long ones take turns."
		}
		return text + fmt.Sprintf(", most of them %.0f to %.0f.", max(1, v-spread.Value), v+spread.Value)
	}},
	{"longest-sentence", func(v float64, f Figures) string {
		if f.Sentences < 20 {
			return ""
		}
		return fmt.Sprintf("No sentence has more than %.0f words.", v)
	}},
	{"reading-grade", func(v float64, _ Figures) string {
		switch {
		case v < 5:
			return "Anyone who has finished primary school can read it."
		case v < 9:
			return fmt.Sprintf("It reads at grade %.0f: easy for most adults.", v)
		case v < 13:
			return fmt.Sprintf("It reads at grade %.0f: it asks for some practice.", v)
		}
		return fmt.Sprintf("It reads at grade %.0f: it is for those who read such texts at work.", v)
	}},
	{"long-words", func(v float64, _ Figures) string {
		return fmt.Sprintf("%s has more than six letters.", oneIn(v, perHundred, "word"))
	}},
	{"variety", func(v float64, _ Figures) string {
		switch {
		case v < 72:
			return "Words come again: the same thing keeps its name."
		case v > 86:
			return "Hardly a word comes twice close together."
		}
		return ""
	}},
	{"contractions", func(v float64, _ Figures) string {
		if v < 1 {
			return "Words are written out: do not, we will, it is."
		}
		return fmt.Sprintf("Words are drawn together (don’t, we’ll, it’s): %s.", every(v, "word"))
	}},
	{"first-person", func(v float64, _ Figures) string {
		if v < 1.5 {
			return "The writer does not appear: no I, no we."
		}
		return fmt.Sprintf("The writer speaks as I or we, %s.", every(v, "word"))
	}},
	{"second-person", func(v float64, _ Figures) string {
		if v < 1 {
			return "Nobody is addressed: there is no you."
		}
		return fmt.Sprintf("The reader is spoken to as you, %s.", every(v, "word"))
	}},
	{"questions", func(v float64, _ Figures) string {
		if v < 0.7 {
			return "Nothing is asked."
		}
		return fmt.Sprintf("%s is a question.", oneIn(v, perHundred, "sentence"))
	}},
	{"exclamations", func(v float64, _ Figures) string {
		if v < 0.7 {
			return "There are no exclamation marks."
		}
		return fmt.Sprintf("%s ends with an exclamation mark.", oneIn(v, perHundred, "sentence"))
	}},
	{"dashes", rareOrOften("dashes", "A dash stands")},
	{"semicolons", rareOrOften("semicolons", "A semicolon stands")},
	{"brackets", rareOrOften("brackets", "Something stands in brackets")},
	{"paragraph-length", func(v float64, _ Figures) string { return fmt.Sprintf("A paragraph has about %.0f words.", v) }},
	{"lists", func(v float64, _ Figures) string {
		if v < 5 {
			return ""
		}
		return fmt.Sprintf("%s is an item of a list.", oneIn(v, perHundred, "paragraph"))
	}},
	{"hedges", func(v float64, _ Figures) string {
		switch {
		case v < 3:
			return "It says things straight: hardly a perhaps, a may or a usually."
		case v > 15:
			return fmt.Sprintf("It leaves room for doubt (perhaps, may, probably), %s.", every(v, "word"))
		}
		return ""
	}},
	{"intensifiers", func(v float64, _ Figures) string {
		switch {
		case v < 0.7:
			return "Nothing is very, truly or extremely so."
		case v > 8:
			return fmt.Sprintf("It presses its point (very, really, truly), %s.", every(v, "word"))
		}
		return ""
	}},
	{"passive", func(v float64, _ Figures) string {
		switch {
		case v < 5:
			return "Who does what is said: hardly a passive."
		case v > 25:
			return fmt.Sprintf("%s is passive: what is done matters more than who does it.", oneIn(v, perHundred, "sentence"))
		}
		return ""
	}},
}

func rareOrOften(plural, stands string) func(float64, Figures) string {
	return func(v float64, _ Figures) string {
		switch {
		case v < 0.3:
			return "There are no " + plural + "."
		case v > 3:
			return fmt.Sprintf("%s %s.", stands, every(v, "word"))
		}
		return ""
	}
}

// oneIn says a share as one in so many.
func oneIn(share, of float64, what string) string {
	n := math.Round(of / share)
	switch {
	case share > 0.85*of:
		return "Nearly every " + what
	case n <= 1:
		return fmt.Sprintf("%s in %s", strings.ToUpper(small(math.Round(share * 10 / of))[:1])+small(math.Round(share * 10 / of))[1:], "ten "+what+"s")
	}
	return fmt.Sprintf("One %s in %s", what, small(n))
}

// every says a rate of a thousand as once in so many.
func every(rate float64, what string) string {
	n := perThousand / rate
	switch {
	case n > 100:
		n = math.Round(n/50) * 50
	case n > 20:
		n = math.Round(n/5) * 5
	default:
		n = math.Round(n)
	}
	return fmt.Sprintf("about once in %s %ss", small(n), what)
}

// small writes a number out to ten.
func small(n float64) string {
	if names := strings.Fields("none one two three four five six seven eight nine ten"); n >= 0 && n < float64(len(names)) {
		return names[int(n)]
	}
	return fmt.Sprintf("%.0f", n)
}

// Redraw brings a guide up to lines that are drawn anew. Whatever was edited stays as it is,
// and what was taken out stays away: only lines that still say what was drawn before are
// changed, and figures that were not there before are added at the end. Before are all lines
// that were ever drawn; a guide in which none of them stands has never been drawn.
func Redraw(guide string, before, now []Line) string {
	if !hasDrawn(guide, before) {
		before = nil
	}
	drawn := map[string]string{} // figures by what was said of them
	had := map[string]bool{}
	for _, l := range before {
		drawn[l.Text], had[l.Figure] = l.Figure, true
	}
	says := map[string]string{}
	for _, l := range now {
		says[l.Figure] = l.Text
	}
	var lines []string
	for line := range strings.Lines(guide) {
		line = strings.TrimRight(line, "\r\n")
		text, item := strings.CutPrefix(line, "- ")
		figure, is := drawn[strings.TrimSpace(text)]
		if !is {
			lines = append(lines, line)
			continue
		}
		if new := says[figure]; new != "" {
			if item {
				new = "- " + new
			}
			lines = append(lines, new)
		}
	}
	for _, l := range now {
		if !had[l.Figure] {
			lines = append(lines, "- "+l.Text)
		}
	}
	if len(lines) == 0 {
		return ""
	}
	return strings.Join(lines, "\n") + "\n"
}

// hasDrawn says whether a guide has a line that was drawn.
func hasDrawn(guide string, drawn []Line) bool {
	for line := range strings.Lines(guide) {
		text := strings.TrimSpace(strings.TrimPrefix(line, "- "))
		for _, l := range drawn {
			if l.Text == text {
				return true
			}
		}
	}
	return false
}
