package check

import (
	"slices"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/relay"
)

func basicRules() []Rule {
	return []Rule{
		{ID: "title-missing", Severity: Stop, About: "An entry needs a title: it is what colleagues see first.",
			Fires: "no title", Quiet: "a title", find: func(r *reading) {
				if strings.TrimSpace(r.Title) == "" {
					r.say("/title", "The title is missing. Say what it makes in a few words.")
				}
			}},
		{ID: "summary-missing", Severity: Stop, About: "An entry needs a summary: one sentence by which a colleague knows whether it is the right one.",
			Fires: "no summary", Quiet: "a summary", find: func(r *reading) {
				if strings.TrimSpace(r.Summary) == "" {
					r.say("/summary", "The summary is missing. Say in a sentence what it is for.")
				}
			}},
		{ID: "owner-missing", Severity: Note, About: "Somebody answers for every entry. A new one belongs to whoever puts it, unless it names its owner.",
			Fires: "no owner", Quiet: "an owner", find: func(r *reading) {
				if r.Owner == "" {
					r.say("/owner", "No owner is named. It will be whoever puts it; name someone else with owner.")
				}
			}},
		{ID: "label-missing", Severity: Stop, About: "Labels are how colleagues narrow the shelf. The policy names the facets in which every entry is labelled.",
			Fires: "no label in a facet that the policy requires", Quiet: "a label in each", find: func(r *reading) {
				for _, facet := range slices.Compact(slices.Sorted(slices.Values(slices.Concat(r.policy.Required, r.Required)))) {
					if len(r.Labels[facet]) == 0 {
						r.say(problem.Pointer("labels", facet), "No %s is named. Label it, so that it is found under one.", facet)
					}
				}
			}},
		{ID: "slug-form", Severity: Stop, About: "A slug has 2 to 64 lower-case letters, digits and hyphens: it stands in addresses and in includes.",
			Fires: "Burst_Main", Quiet: "burst-main", find: func(r *reading) {
				if r.Slug != "" && !fill.IsSlug(r.Slug) {
					r.say("/slug", "%q is no slug. Use 2 to 64 lower-case letters, digits and hyphens.", r.Slug)
				}
			}},
		{ID: "code-form", Severity: Stop, About: "A short code has 2 to 16 lower-case letters and digits.",
			Fires: "B-M", Quiet: "bmn", find: func(r *reading) {
				if len(r.Code) == 1 || len(r.Code) > 16 || strings.Trim(r.Code, "abcdefghijklmnopqrstuvwxyz0123456789") != "" {
					r.say("/code", "%q is no short code. Use 2 to 16 lower-case letters and digits.", r.Code)
				}
			}},
		{ID: "text-missing", Severity: Stop, About: "An entry without a text has nothing to give.",
			Fires: "an empty text", Quiet: "a text", find: func(r *reading) {
				if strings.TrimSpace(r.body) == "" && len(r.Steps) == 0 && len(r.Answers) == 0 {
					r.say("/body", "The text is missing. Write it first.")
				}
			}},
		{ID: "mark-faulty", Severity: Stop, About: "A mark that cannot be read: nothing could be filled in.",
			Fires: "Write to {{Area}}.", Quiet: "Write to {{area}}.", find: func(r *reading) {
				r.pass(sentences(r.faults))
				r.pass(sentences(ofMarks(r.joined, true)))
			}},
		{ID: "steps-faulty", Severity: Stop, About: "Steps of a relay that cannot run: a name that is missing or taken, a step that takes the reply of none, a circle, values that cannot be read.",
			Fires: "a step that takes its own reply", Quiet: "facts, and then a table that takes them", find: func(r *reading) {
				if r.Kind != entry.Relay {
					return
				}
				if _, err := relay.Order(r.Steps); err != nil {
					list, _ := err.(problem.List) // as it says
					r.pass(sentences(list))
				}
				for i, s := range r.Steps {
					for _, name := range sortedKeys(s.With) {
						if _, err := fill.Parse(s.With[name]); err != nil {
							r.say(problem.Pointer("steps", i, "with", name), "What %s gives to %s cannot be read: %s.", s.Name, name, err.Error())
						}
					}
				}
			}},
		{ID: "answer-missing", Severity: Note, About: "A sheet says of each question that it has not answered that it is so; whoever relies on it had better know.",
			Fires: "a sheet of a question set that leaves a question out", Quiet: "an answer to each that is not optional", find: func(r *reading) {
				if r.Questions == nil || r.Questions.Ref() != r.Set {
					return
				}
				wanted, _ := r.Questions.Missing(r.Answers)
				for _, q := range wanted {
					b := q.Blank()
					r.say(problem.Pointer("answers", q.Name), "“%s” is not answered, and the sheet says so.", b.Question())
				}
			}},
		{ID: "outline-part-missing", Severity: Warning, About: "Some kinds have parts that they cannot do without: a persona says who speaks and how, a style has its guide.",
			Fires: "a persona without the heading Speaks", Quiet: "a persona with Who and Speaks", find: func(r *reading) {
				if r.Kind == entry.Prompt {
					return
				}
				for _, h := range r.Kind.Outline() {
					if h.Must && !slices.ContainsFunc(r.sections, func(s section) bool { return strings.EqualFold(s.title, h.Title) }) {
						r.say("/body", "The heading “%s” is missing. %s Put the answer under a line ## %s.", h.Title, message.Plain(h.Ask), h.Title)
					}
				}
			}},
	}
}

func blankRules() []Rule {
	return []Rule{
		{ID: "blank-undeclared", Severity: Warning, About: "A blank that is not declared asks with its bare name, and takes any line.",
			Fires: "{{area}}, and no blank area", Quiet: "{{area}}, and a blank area with a question", find: undeclared},
		{ID: "blank-unused", Severity: Warning, About: "A blank that stands nowhere in the text is asked for nothing.",
			Fires: "a blank hours, and no {{hours}}", Quiet: "a blank hours, and {{hours}}", find: unused},
		{ID: "blank-without-question", Severity: Note, About: "A question in everyday words is filled in better than a name.",
			Fires: "a blank without ask", Quiet: "a blank with ask", find: func(r *reading) {
				for i, b := range r.Blanks {
					if b.Ask == "" {
						r.say(problem.Pointer("blanks", i, "ask"), "%s asks nothing. Write the question that a colleague is to answer.", b.Name)
					}
				}
			}},
		{ID: "blank-without-sample", Severity: Note, About: "Samples fill previews, reviews and trials.",
			Fires: "a blank without sample", Quiet: "a blank with sample", find: func(r *reading) {
				for i, b := range r.Blanks {
					if b.Sample.IsZero() && b.Default.IsZero() && !b.Optional {
						r.say(problem.Pointer("blanks", i, "sample"), "%s has no sample. Give one, so that reviewers see a filled text.", b.Name)
					}
				}
			}},
		{ID: "blank-faulty", Severity: Stop, About: "A declaration that disagrees with itself: a pick without options, a default that is none of them, limits that cross.",
			Fires: "a pick whose default is not among its options", Quiet: "a pick whose default is", find: func(r *reading) {
				for i, b := range r.Blanks {
					r.pass(sentences(b.Problems(problem.Pointer("blanks", i))))
				}
			}},
		{ID: "blank-conflict", Severity: Stop, About: "Two entries that go together declare one name with two types: one value cannot serve both.", Library: true,
			Fires: "a text that declares topics as a line and includes a snippet that declares it as a pick-many", Quiet: "the same type in both", find: func(r *reading) {
				if r.form == nil {
					return
				}
				for _, c := range r.form.Conflicts() {
					r.say("/blanks", "%s is a %s here and a %s in %s. Give one of them another name, or the same type.", c.Name, c.Type, c.Other, c.OtherIn.Entry)
				}
			}},
	}
}

func undeclared(r *reading) {
	if r.text == nil {
		return
	}
	known := map[string]bool{}
	for _, b := range r.Blanks {
		known[b.Name] = true
	}
	items := map[string]bool{}
	r.text.Walk(func(n fill.Node) {
		if e, ok := n.(*fill.Each); ok {
			items[e.As] = true
		}
	})
	visitNames(r.text, func(name string, pos int) {
		if known[name] || items[name] {
			return
		}
		known[name] = true
		r.sayAt(pos, pos+2, "%s is not declared. Declare it with a question and a type.", name)
	})
}

func unused(r *reading) {
	if r.text == nil {
		return
	}
	used := map[string]bool{}
	visitNames(r.text, func(name string, _ int) { used[name] = true })
	for _, s := range r.Steps {
		for _, text := range s.With {
			if t, err := fill.Parse(text); err == nil {
				visitNames(t, func(name string, _ int) { used[name] = true })
			}
		}
	}
	for i, b := range r.Blanks {
		if !used[b.Name] {
			r.say(problem.Pointer("blanks", i), "%s stands nowhere in the text. Put {{%s}} where its value goes, or take the blank out.", b.Name, b.Name)
		}
	}
}

// visitNames visits every name that a text asks for, with its mark's offset.
func visitNames(t *fill.Text, visit func(name string, pos int)) {
	t.Walk(func(n fill.Node) {
		switch n := n.(type) {
		case *fill.Hole:
			visit(n.Name, n.Pos())
		case *fill.If:
			visit(n.Name, n.Pos())
		case *fill.Each:
			visit(n.List, n.Pos())
		case *fill.Include:
			for _, g := range n.With {
				if g.Blank != "" {
					visit(g.Blank, n.Pos())
				}
			}
		}
	})
}

func includeRules() []Rule {
	return []Rule{
		{ID: "include-faulty", Severity: Stop, Library: true, About: "An include that puts nothing in place: the entry is not there, not published or retired, the includes go in a circle, or a value that it is given does not fit.",
			Fires: "{{include no-such-entry}}", Quiet: "{{include how-to-reach-us}}", find: func(r *reading) {
				r.pass(sentences(ofMarks(r.joined, false)))
			}},
		{ID: "stack-faulty", Severity: Stop, Library: true, About: "The persona, style and sheets that an entry recommends must be on the shelf.",
			Fires: "persona: nobody", Quiet: "persona: duty-officer", find: func(r *reading) {
				if r.Missing == nil {
					return
				}
				report := func(field, slug string, kind entry.Kind) {
					if why := r.Missing(slug, kind); slug != "" && why != "" {
						r.say(field, "%s", why)
					}
				}
				report("/persona", r.Persona, entry.Persona)
				report("/style", r.Style, entry.Style)
				for i, s := range r.Sheets {
					report(problem.Pointer("sheets", i), s, entry.Sheet)
				}
			}},
	}
}

// ofMarks parts what keeps a text from being put together: what its own marks
// do wrong, and what comes of the entries that it includes.
func ofMarks(list problem.List, own bool) problem.List {
	return slices.DeleteFunc(slices.Clone(list), func(p problem.Problem) bool {
		return (p.Code == "each" || p.Code == "has" || p.Code == "from") != own
	})
}

// sentences gives problems with messages that begin and end as sentences do.
func sentences(list problem.List) problem.List {
	out := slices.Clone(list)
	for i, p := range out {
		if m := p.Message; !m.IsZero() && !strings.HasSuffix(m.String(), ".") {
			out[i].Message = message.Say("%s.", m)
		}
	}
	return out
}
