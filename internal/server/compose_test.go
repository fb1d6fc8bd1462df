package server

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
)

func snippet(slug, body string, blanks ...fill.Blank) api.NewEntry {
	return api.NewEntry{Slug: slug, Content: entry.Content{Kind: entry.Snippet, Title: slug, Summary: "S", Body: body, Blanks: blanks}}
}

func of(kind entry.Kind, slug, body string) api.NewEntry {
	in := snippet(slug, body)
	in.Kind = kind
	return in
}

// composed is a shelf with a prompt, its recommended stack and others to swap in.
func composed(t *testing.T) *world {
	w := newWorld(t)
	for _, in := range []api.NewEntry{
		snippet("hours", "from {{opens or \"7:00\"}}\n"), snippet("reach", "Call us {{include hours}}.\n"),
		of(entry.Persona, "officer", "## Who\nYou are calm.\n## Speaks\nShortly.\n"), of(entry.Persona, "chemist", "## Who\nYou know {{field}}.\n## Speaks\nWarmly.\n"),
		of(entry.Style, "river", "## Guide\nShort sentences.\n"), of(entry.Sheet, "farms", "We supply 40 farms.\n"),
	} {
		w.publish(in)
	}
	notice := notice("Write to {{area}}, {{hours}} hours. {{include reach}}\n")
	notice.Persona, notice.Style = "officer", "river"
	w.publish(notice)
	return w
}

func TestStack(t *testing.T) {
	t.Parallel()
	w, ctx := composed(t), t.Context()
	c := w.as("reader")
	values := fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6")}
	const officer, river = "## Who\nYou are calm.\n## Speaks\nShortly.\n\n", "## Guide\nShort sentences.\n\n"
	const own = "Write to Mill Lane, 6 hours. Call us from 7:00.\n"
	for _, tt := range []struct {
		name string
		req  api.FillRequest
		want string
		used string
	}{
		{"as recommended", api.FillRequest{}, officer + river + own, "[officer river burst-main-notice reach hours]"},
		{"persona dropped", api.FillRequest{Persona: "none"}, river + own, "[river burst-main-notice reach hours]"},
		{"all dropped", api.FillRequest{Persona: "none", Style: "none"}, own, "[burst-main-notice reach hours]"},
		{"a sheet added", api.FillRequest{Persona: "none", Sheets: []string{"farms"}}, river + "We supply 40 farms.\n\n" + own, "[river farms burst-main-notice reach hours]"},
		{"a version named", api.FillRequest{Persona: "officer@1", Style: "none"}, officer + own, "[officer burst-main-notice reach hours]"},
	} {
		tt.req.Values = values
		got, err := c.FillStack(ctx, "burst-main-notice", tt.req)
		if err != nil || got.Text != tt.want {
			t.Errorf("%s: got %q, %v; want %q", tt.name, got.Text, err, tt.want)
		}
		var used []string
		for _, u := range got.Used {
			used = append(used, u.Entry)
		}
		if fmt.Sprint(used) != tt.used {
			t.Errorf("%s: used %v, want %s", tt.name, used, tt.used)
		}
		for i, l := range got.Layers {
			if text := got.Text[l.Start:l.End]; text == "" || i < len(got.Layers)-1 && strings.HasSuffix(text, "\n") {
				t.Errorf("%s: layer %s is %q", tt.name, l.Entry, text)
			}
		}
	}
	_, err := c.FillStack(ctx, "burst-main-notice", api.FillRequest{Values: values, Persona: "chemist"})
	refused(t, "a persona that asks more", err, 422, "field is missing")
	_, err = c.FillStack(ctx, "burst-main-notice", api.FillRequest{Values: values, Persona: "river", Style: "nobody", Sheets: []string{"farms@x"}})
	refused(t, "a wrong stack", err, 422, "farms@x")
	_, err = c.FillStack(ctx, "burst-main-notice", api.FillRequest{Values: values, Persona: "river", Style: "nobody"})
	refused(t, "a wrong stack", err, 422, "river is a style, and a persona is wanted here", "nobody is not on the shelf")
	sketch, err := c.FillStack(ctx, "burst-main-notice", api.FillRequest{Persona: "chemist", Sketch: true})
	if err != nil || len(sketch.Problems) != 3 || len(sketch.Blanks) != 4 || !strings.Contains(sketch.Text, "You know ‹field›.") {
		t.Errorf("a sketch: %+v, %v", sketch, err)
	}
}

func TestUsesAndEffects(t *testing.T) {
	t.Parallel()
	w, ctx := composed(t), t.Context()
	c := w.as("reader")
	w.publish(snippet("stays", "{{include hours@1}}\n"))
	list := func(slug string) (got []string) {
		uses, err := c.Uses(ctx, slug)
		if err != nil {
			t.Fatal(err)
		}
		for _, u := range uses.Items {
			got = append(got, fmt.Sprintf("%s@%d %s %d %v %v", u.Slug, u.Version, u.How, u.Pinned, u.Through, u.Follows))
		}
		return got
	}
	if got := list("hours"); !slices.Equal(got, []string{"reach@1 include 0 [] true", "stays@1 include 1 [] false", "burst-main-notice@1  0 [reach] true"}) {
		t.Errorf("uses of hours: %q", got)
	}
	if got := list("officer"); !slices.Equal(got, []string{"burst-main-notice@1 persona 0 [] true"}) {
		t.Errorf("uses of officer: %q", got)
	}
	if got := list("burst-main-notice"); len(got) != 0 {
		t.Errorf("uses of the notice: %q", got)
	}

	step[api.Entry](t, "new hours")(first(w.as("contributor").SaveDraft(ctx, "hours", "", snippet("hours", "from {{opens or \"8:00\"}}\n"))))
	_, err := c.Effect(ctx, "hours", "burst-main-notice")
	refused(t, "a reader asks for the effect of a draft", err, 404)
	effect := step[api.Effect](t, "effect")(w.as("reviewer").Effect(ctx, "hours", "burst-main-notice"))
	if !strings.Contains(effect.Before, "Call us from 7:00.") || !strings.Contains(effect.After, "Call us from 8:00.") || !strings.HasPrefix(effect.After, "## Who") {
		t.Errorf("effect: %+v", effect)
	}
	unchanged := step[api.Effect](t, "effect on one that stays")(w.as("reviewer").Effect(ctx, "hours", "stays"))
	if unchanged.Before != unchanged.After || unchanged.Before != "from 7:00\n" {
		t.Errorf("effect on one that stays: %+v", unchanged)
	}
	_, err = w.as("reviewer").Effect(ctx, "hours", "gone")
	refused(t, "effect on nothing", err, 404)

	// A persona is a layer of its users, and a new version may include what the old one did not.
	officer := of(entry.Persona, "officer", "## Who\nYou answer for the whole valley. {{include stays}}\n")
	step[api.Entry](t, "new officer")(first(w.as("contributor").SaveDraft(ctx, "officer", "", officer)))
	effect = step[api.Effect](t, "effect of a persona")(w.as("reviewer").Effect(ctx, "officer", "burst-main-notice"))
	if strings.Contains(effect.Before, "the whole valley") || !strings.Contains(effect.After, "You answer for the whole valley. from 7:00") {
		t.Errorf("effect of a persona: %+v", effect)
	}
}

func TestChecksStopSubmissionAndPublishing(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer, curator := w.as("contributor"), w.as("curator")
	bad := notice("TODO {{area}} {{hours}}\n{{Bad}}\n")
	step[api.Entry](t, "create")(writer.Create(ctx, bad))
	before := w.Rows()
	_, err := writer.Submit(ctx, "burst-main-notice", "Ready.")
	refused(t, "submit", err, 422, "line 1, column 1: “TODO” was left over", "line 2, column 3: found \"Bad\"")
	if !client.StoppedByChecks(err) {
		t.Errorf("the refusal does not say that checks stop it: %v", err)
	}
	if after := w.Rows(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("rows were %v, now %v", before, after)
	}
	found := step[api.Checked](t, "check")(writer.CheckEntry(ctx, "burst-main-notice"))
	if len(found.Findings) < 2 || found.Findings[0].Severity != check.Stop || found.Passed == 0 {
		t.Errorf("checked: %+v", found)
	}

	if got := w.call("curator", http.MethodPut, "/api/v1/policy", "{}"); got.status != http.StatusPreconditionRequired {
		t.Errorf("a policy without If-Match: got %d, want 428", got.status)
	}
	_, err = writer.SetPolicy(ctx, 0, check.Policy{})
	refused(t, "a contributor sets the policy", err, 403, "only a curator")
	_, err = curator.SetPolicy(ctx, 0, check.Policy{Rules: map[string]check.Setting{"nope": {Severity: "loud"}}, Required: []string{"mood"}})
	refused(t, "a wrong policy", err, 422, "no rule \"nope\"", "severity", "no facet \"mood\"")
	p := check.Policy{Required: []string{"application"}, Rules: map[string]check.Setting{"left-over": {Severity: check.Stop, Stops: []entry.Action{entry.Publish}}, "label-missing": {Severity: check.Stop}}}
	set := step[api.Policy](t, "set")(curator.SetPolicy(ctx, 0, p))
	_, err = w.as("chief").SetPolicy(ctx, 0, check.Policy{})
	refused(t, "a policy in the place of one that is gone", err, http.StatusPreconditionFailed, "since you read the one before")
	if set.Number == 0 || set.SetBy != "Curator" {
		t.Errorf("set: %+v", set)
	}
	_, etag, err := writer.Draft(ctx, "burst-main-notice")
	if err != nil {
		t.Fatal(err)
	}
	good := notice("TODO {{area}} {{hours}}\n")
	good.Labels = map[string][]string{}
	_, etag, err = writer.SaveDraft(ctx, "burst-main-notice", etag, good)
	if err != nil {
		t.Fatal(err)
	}
	_, err = writer.Submit(ctx, "burst-main-notice", "Ready.")
	refused(t, "submit without the label", err, 422, "No application is named")
	good.Labels = map[string][]string{"application": {"weir-mail"}}
	step[api.Entry](t, "save")(first(writer.SaveDraft(ctx, "burst-main-notice", etag, good)))
	step[api.Entry](t, "submit")(writer.Submit(ctx, "burst-main-notice", "Ready."))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "burst-main-notice", ""))
	_, err = publish(curator, "burst-main-notice")
	refused(t, "publish with a left-over", err, 422, "was left over")
	if e := step[api.Entry](t, "entry")(curator.Entry(ctx, "burst-main-notice")); e.State != entry.Approved {
		t.Errorf("it is %s", e.State)
	}
}

// Includes that put nothing in place, each refused on submission and shown in
// the preview; what is only a draft stops publishing.
func TestBadIncludesThroughTheAPI(t *testing.T) {
	t.Parallel()
	w, ctx := newWorld(t), t.Context()
	writer := w.as("contributor")
	w.publish(snippet("there", "x\n"))
	for i := range 16 {
		body := fmt.Sprintf("{{include deep%d}}\n", i-1)
		if i == 0 {
			body = "bottom\n"
		}
		w.publish(snippet(fmt.Sprintf("deep%d", i), body))
	}
	step[api.Entry](t, "a draft")(writer.Create(ctx, snippet("only-draft", "new\n")))
	for name, tt := range map[string]struct{ body, want string }{
		"not there":                 {"{{include gone}}", "there is no published entry gone"},
		"itself":                    {"{{include subject}}", "subject → subject"},
		"a version never published": {"{{include there@7}}", "there has no published version 7"},
		"seventeen deep":            {"{{include deep15}}", "17 deep"},
		"a name it does not have":   {`{{include there who="x"}}`, "no blank named who"},
		"unclosed":                  {"{{area", "the end of the line"},
		"nested":                    {"{{a {{b}} }}", "a mark inside a mark"},
		"end without if":            {"{{end}}", "end without an if"},
		"a mark across lines":       {"{{area\n}}", "the end of the line"},
		"a name too long":           {"{{" + strings.Repeat("n", 41) + "}}", "40 letters"},
	} {
		in := snippet("subject", tt.body+"\n")
		got := step[api.Preview](t, name)(writer.Preview(ctx, api.PreviewRequest{Slug: "subject", Body: in.Body}))
		if len(got.Problems) != 1 || !strings.Contains(got.Problems[0].Message.String(), tt.want) || got.Problems[0].Line != 1 {
			t.Errorf("%s: the preview says %+v, want %q", name, got.Problems, tt.want)
		}
		checked := step[api.Checked](t, name)(writer.Check(ctx, in))
		if len(checked.Findings) == 0 || checked.Findings[0].Severity != check.Stop || !strings.Contains(checked.Findings[0].Message.String(), tt.want) {
			t.Errorf("%s: the check says %+v, want %q", name, checked.Findings, tt.want)
		}
	}

	// A circle of five cannot come about: the last of them is refused.
	for i, next := range []string{"c2", "c3", "c4", "c5"} {
		step[api.Entry](t, "circle")(writer.Create(ctx, snippet(fmt.Sprintf("c%d", i+1), "{{include "+next+"}}\n")))
	}
	step[api.Entry](t, "circle")(writer.Create(ctx, snippet("c5", "{{include c1}}\n")))
	_, err := writer.Submit(ctx, "c1", "Ready.")
	refused(t, "a circle of five", err, 422, "c1 → c2 → c3 → c4 → c5 → c1")

	step[api.Entry](t, "uses a draft")(writer.Create(ctx, snippet("uses-draft", "{{include only-draft}}\n")))
	step[api.Entry](t, "submit")(writer.Submit(ctx, "uses-draft", "Ready."))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "uses-draft", ""))
	_, err = publish(w.as("curator"), "uses-draft")
	refused(t, "publish what includes a draft", err, 422, "there is no published entry only-draft")
}

func TestBadValuesThroughTheAPI(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	long := 10.0
	in := snippet("subject", "{{line}}{{day}}{{text}}{{text}}{{text}}{{text}}{{text}}{{text}}\n",
		fill.Blank{Name: "line", Max: &long}, fill.Blank{Name: "day", Type: fill.Date, Optional: true}, fill.Blank{Name: "text", Type: fill.LongText, Optional: true})
	in.Kind = entry.Sheet
	w.publish(in)
	for name, tt := range map[string]struct {
		values string
		status int
		want   string
	}{
		"marks inside":        {`{"line":"{{line}}"}`, 200, `"text":"{{line}}\n"`},
		"NUL":                 {`{"line":"\u0000"}`, 422, "NUL"},
		"200,000 characters":  {`{"line":"` + strings.Repeat("x", 200000) + `"}`, 422, "has 200000 characters; the most is 10"},
		"a list for a line":   {`{"line":["a","b"]}`, 422, "a list of 2 was given"},
		"a date that is none": {`{"line":"x","day":"2026-02-30"}`, 422, "one that the calendar has"},
		"a result over 1 MiB": {`{"line":"x","text":"` + strings.Repeat("x", 190000) + `"}`, 422, "longer than 1 MiB"},
	} {
		a := w.call("reader", http.MethodPost, "/api/v1/shelf/subject/fill", `{"values":`+tt.values+`}`)
		if a.status != tt.status || !strings.Contains(a.body, tt.want) {
			t.Errorf("%s: %d %.200s, want %d %q", name, a.status, a.body, tt.status, tt.want)
		}
	}
}
