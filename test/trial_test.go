package test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/demo"
	"goldshelf/internal/models"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// A draft is held back by the policy until a trial of exactly its text has passed against the
// entry's test bed; then it is submitted, reviewed with its trial in sight, and published.
func TestATrialTellsItThrough(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, writer, reviewer := open(t, s.URL, "curator"), open(t, s.URL, "contributor"), open(t, s.URL, "reviewer")
	dir := t.TempDir()
	put := func(name, text string) string {
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	rows := "name,minutes\n"
	for _, who := range strings.Fields("Mara Joss Idris Wren Tamsin Odo Petra Lio Nell Bram Ansel Kit Una Rafe Orla Finn Hob Tess") {
		rows += who + " does it," + who + " will price the valve covers by Friday.\n"
	}
	const first = `---
kind: prompt
title: Actions in one paragraph
summary: Gives the actions of a meeting in one short paragraph.
labels: {department: [customer-care], application: [weir-mail], model: [heron-2]}
blanks:
  - {name: minutes, ask: Paste the minutes., type: text, sample: Joss will price the valve covers by Friday.}
---
## Task
Say in one paragraph who does what by when.

---
{{minutes}}
---

## Limits
No more than 90 words. Do not write "unfortunately".
`
	text := put("actions.md", first)
	writer.says(0, []string{"actions"}, "put", text)
	const slug = "actions"
	writer.says(0, []string{"18 fills and 2 expectations"}, "test-bed", slug, "--set", put("bed.yaml", "fills: []\nexpectations: [{kind: words, most: 200}, {kind: headings, not: true}]\n"), "--fills", put("fills.csv", rows))
	writer.says(0, []string{"kind: words", "most: 200", "Tess does it"}, "test-bed", slug)
	writer.says(1, []string{"fill 1 has no name", "no kind of expectation"}, "test-bed", slug, "--set", put("bad.yaml", "fills: [{name: '', values: {}}]\nexpectations: [{kind: magic}]\n"))
	curator.says(0, nil, "policy", "--set", put("policy.yaml", "review:\n  rules:\n    - {kinds: [prompt], approvals: 1, trial: 0.8}\n"))
	writer.says(6, []string{"asks for a trial of exactly this text", "goldshelf trial "}, "submit", slug, "--note", "It is short.")
	writer.says(0, []string{"36 replies", "tokens in"}, "trial", slug, "--version", "open", "--model", "heron-2", "--times", "2", "--estimate")
	writer.says(1, []string{`no model "swan"`}, "trial", slug, "--version", "open", "--model", "swan")
	writer.says(0, []string{"36 of 36 replies have come", "meets every expectation", "36 of 36"}, "trial", slug, "--version", "open", "--model", "heron-2", "--times", "2", "--title", "Is it short?")
	writer.says(0, []string{"Is it short?", "36 of 36", "ended"}, "trials", "--of", slug)
	writer.says(0, []string{"in review"}, "submit", slug, "--note", "It is short.")

	w := openWindowAt(t, s.URL, "reviewer", 1280, 900)
	w.visit("/entries/"+slug+"/review", "Is it short?")
	w.do(browser.See("36 replies"))
	reviewer.decides(0, []string{"approved"}, "approve", slug)
	curator.decides(0, []string{"published"}, "publish", slug)
	open(t, s.URL, "reader").says(0, []string{"Is it short?"}, "trials", "--of", slug)

	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	list, err := c.Trials(t.Context(), slug, "")
	if err != nil || len(list.Items) != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	id := list.Items[0].ID
	writer.says(0, []string{"Mara will price", "met: keeps to 200 words at most"}, "trials", id, "--cell", "1,1")
	writer.says(0, []string{"fill,set_up,time"}, "trials", id, "--csv", "-")
	writer.says(2, []string{"--cell takes"}, "trials", id, "--cell", "one")
	writer.says(2, []string{"name the trial"}, "trials", "--stop")
	writer.says(3, []string{"no such trial"}, "trials", "nothing")
	writer.says(0, []string{"compared all"}, "trials", id, "--compare")
	reviewer.says(4, []string{"for who began it"}, "trials", id, "--delete")

	// Another version is tried, is set beside the one on the shelf, and is held back until then.
	writer.says(0, []string{"actions"}, "put", put("actions.md", strings.Replace(first, "No more than 90", "No more than 80", 1)))
	writer.says(6, []string{"asks for a trial of exactly this text"}, "submit", slug, "--note", "Shorter.")
	writer.says(0, []string{"=== as it is written ===", "=== on the shelf ==="}, "try", slug, "minutes=Mara will price the valve covers by Friday.", "--open", "--beside-shelf", "--model", "heron-2")
	writer.says(0, []string{"as it is written and on the shelf: no difference that matters"}, "trial", slug, "--version", "open", "--version", "shelf", "--model", "heron-2", "--times", "2", "--title", "Is it better?")
	writer.says(0, []string{"in review"}, "submit", slug, "--note", "Shorter.")
	w.visit("/entries/"+slug+"/review", "Is it better?")
	reviewer.decides(0, []string{"approved"}, "approve", slug)
	curator.decides(0, []string{"published"}, "publish", slug)
	writer.says(0, []string{"actions is version 2 by now, and was 1 then"}, "trials", "--of", slug)
	writer.says(1, []string{"no open version"}, "trial", slug, "--again")
	writer.says(0, []string{"gone for good"}, "trials", id, "--delete")
}

// All that uses a snippet is tried with its draft, at the terminal; and what has changed is
// offered to be tried again, at the console.
func TestTriedAsSomethingChanges(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator := open(t, s.URL, "curator")
	curator.says(0, []string{"1 trial.", "28 replies"}, "trial", "boil-water-wording", "--users", "--model", "heron-2", "--estimate")
	curator.says(0, []string{"WITH BOIL-WATER-WORDING@4", "burst-main-notice", "no difference that matters"}, "trial", "boil-water-wording", "--users", "--model", "heron-2")
	curator.says(0, []string{"With", "too few to"}, "trials", "--change", "too-few")
	curator.says(1, []string{"is no change"}, "trials", "--change", "odd")
	open(t, s.URL, "reader").says(4, []string{"for contributors and above"}, "trial", "boil-water-wording", "--users")
	curator.says(0, []string{"56 of 56"}, "trial", "burst-main-notice", "--with", "boil-water-wording@open", "--model", "heron-2", "--times", "2")

	w := openWindowAt(t, s.URL, "reviewer", 1280, 900)
	w.visit("/entries/boil-water-wording/review", "Trials of what uses it")
	w.do(browser.See("too few to tell"), browser.See("84 replies, each entry as it is"), browser.Press("Try all with this version"), browser.Until(`/replies so far|too few/.test(document.body.innerText)`))
	curator.says(0, nil, "register", "--set", "model/osprey-70", "--notes", "Its makers have changed it.")
	w.visit("/entries/tender-table/trials", "Since the newest trial something has changed")
	w.do(browser.See("osprey-70 was changed in the register"), browser.Press("Run it again"), browser.See("the trial that it runs again"), browser.Until(`document.body.innerText.includes("before,")`))
}

// At the console: a test bed is made, a trial begun and watched, a cell opened, replies compared
// blind.
func TestTrialsAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "contributor", 1280, 900)
	press := func(starts string) browser.Action {
		return browser.Script(`[...document.querySelectorAll("button, a")].find((b) => b.innerText.startsWith("` + starts + `")).click()`)
	}
	w.visit("/entries/supply-restored/trials", "No trial yet")
	w.do(browser.Press("Add a fill"), browser.See("What is special about it"), browser.Type("#fill-name", "Mill Lane"))
	blanks, err := browser.Ask[[]string](w.ctx, `[...document.querySelectorAll("[role=dialog] [id^=blank-]")].filter((e) => e.tagName === "INPUT" || e.tagName === "TEXTAREA").map((e) => "#" + e.id + " " + e.type)`)
	if err != nil {
		t.Fatal(err)
	}
	for _, b := range blanks {
		id, kind, _ := strings.Cut(b, " ")
		value := map[string]string{"number": "6", "date": "2026-11-26"}[kind]
		if value == "" {
			value = "Mill Lane"
		}
		if strings.HasSuffix(id, "-hint") || kind == "radio" || kind == "checkbox" {
			continue
		}
		w.do(browser.Type(id, value))
	}
	w.do(browser.Press("Take it"), browser.Press("Add an expectation"), browser.Press("Save the test bed"), browser.See("The test bed is saved"))
	w.do(browser.Press("Add a set-up"), browser.See("replies: about"), browser.Press("Begin"), browser.See("A trial of"))
	w.do(browser.See("How often replies hold to what is expected"), browser.Until(`document.body.innerText.includes("6 replies")`), browser.See("for this fill alone"))
	w.do(browser.Script(`document.querySelector("[aria-label^='Mill Lane, ']").click()`), browser.See("Reply 3"), browser.See("keeps to 120 words at most"), browser.Press("Show exactly what was sent"), browser.See("Mill Lane"), browser.Press("Close"))
	w.do(press("Compare blind"), browser.See("Which is better?"), browser.See("3 to go"), browser.Press("The left one"), browser.See("2 to go"), browser.Press("The right one"), browser.See("1 to go"), browser.Press("Neither is better"), browser.See("You have compared all"))
	w.do(press("Back to the trial"), browser.See("Blind, one person"), browser.Press("Delete"), browser.Press("Delete for good"), browser.See("No trial yet"))

	// The demo's own have come by now, one of them with a difference and one without.
	deadline := time.Now().Add(30 * time.Second)
	for _, c := range []struct{ entry, says string }{{"burst-main-notice", "unlikely to be chance"}, {"reading-reminder", "no difference that matters"}, {"meter-dispute-reply", "Krippendorff"}} {
		w.visit("/entries/"+c.entry+"/trials", "Trials of")
		w.do(browser.Until(`!document.body.innerText.includes("so far")`), browser.Script(`[...document.querySelectorAll("ul[aria-label=Trials] a")].at(-1).click()`), browser.See(c.says))
		if time.Now().After(deadline) {
			t.Fatal("the demo's trials have not come")
		}
	}
}

// A model is asked with each row of a table; the replies come as files.
func TestRowsToReplies(t *testing.T) {
	t.Parallel()
	s := alone(t)
	reader := open(t, s.URL, "reader")
	dir := t.TempDir()
	table, out := filepath.Join(dir, "streets.csv"), filepath.Join(dir, "replies.csv")
	if err := os.WriteFile(table, []byte("name,area,hours\nfirst,Mill Lane,6\nsecond,Ferry Row,3\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	reader.says(0, []string{"2 of 2 replies have come", "Only you see them", "Length"}, "trial", "burst-main-notice", "--rows", table, "--model", "heron-2-mini", "--title", "Streets")
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	list, err := c.Trials(t.Context(), "burst-main-notice", "")
	if err != nil {
		t.Fatal(err)
	}
	id := list.Items[0].ID
	reader.says(0, nil, "trials", id, "--csv", out)
	if data, err := os.ReadFile(out); err != nil || !strings.Contains(string(data), "second,heron-2-mini") {
		t.Errorf("%s, %v", data, err)
	}
	open(t, s.URL, "curator").says(3, []string{"no such trial"}, "trials", id)
	reader.says(1, []string{"first: area is missing"}, "trial", "burst-main-notice", "--model", "heron-2-mini", "--rows", func() string {
		if err := os.WriteFile(table, []byte("name,hours\nfirst,6\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		return table
	}())

	w := openWindowAt(t, s.URL, "reader", 1280, 900)
	w.visit("/entries/burst-main-notice", "Fill in")
	if err := os.WriteFile(table, []byte("name,area,hours\nfirst,Mill Lane,6\nsecond,Ferry Row,3\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.do(browser.Press("For each row of a table…"), browser.See("Replies of a model"), browser.Press("Replies of a model"), browser.See("Which model is asked?"),
		browser.Upload("#rows-file", table), browser.See("A file each"), browser.See("second"), browser.Until(`document.body.innerText.includes("2 replies")`), browser.See("Length, time and cost"), browser.See("Only you see them"))
}

// A service is killed in the middle of a trial of a thousand replies, and of a relay and a trial
// of one: the next one goes on by itself, nothing is lost, and no reply that was kept is asked for again. A trial that is sent
// twice begins once.
func TestAKilledTrialGoesOn(t *testing.T) {
	t.Parallel()
	standIn := &models.StandIn{}
	var asks atomic.Int32
	held := make(chan struct{}) // until it closes, no more than 200 are answered
	letGo := sync.OnceFunc(func() { close(held) })
	answering := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost && asks.Add(1) > 200 {
			select {
			case <-held:
			case <-r.Context().Done():
				return
			}
		}
		standIn.ServeHTTP(w, r)
	}))
	t.Cleanup(answering.Close)
	t.Cleanup(letGo)
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	first, err := run.Serve(dir, "--demo", "--allow-connection", "127.0.0.1")
	if err != nil {
		t.Fatal(err)
	}
	signed := func(url string) *client.Client {
		t.Helper()
		c := &client.Client{Server: url}
		if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
			t.Fatal(err)
		}
		return c
	}
	c := signed(first.URL)
	if _, err := c.AddConnection(t.Context(), api.NewConnection{Title: "A first", Spec: endpoint.Spec{Address: answering.URL, Models: []string{"heron-2"}, AtOnce: 32}}); err != nil {
		t.Fatal(err)
	}
	in := api.NewTrial{Title: "A thousand", Times: 4, SetUps: []trial.SetUp{{Model: "heron-2"}}, Expectations: []trial.Expectation{{Kind: trial.Numbers}}}
	for i := range 250 {
		in.Fills = append(in.Fills, trial.TestFill{Name: fmt.Sprint("street ", i), Values: fill.Values{"area": fill.Single(fmt.Sprint("Mill Lane ", i)), "hours": fill.Single("6")}})
	}
	text, err := json.Marshal(in)
	if err != nil {
		t.Fatal(err)
	}
	send := func() (id string) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, first.URL+"/api/v1/entries/burst-main-notice/trials", bytes.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		for name, value := range map[string]string{"Authorization": "Bearer " + c.Token, "Content-Type": "application/json", "Idempotency-Key": "the same"} {
			req.Header.Set(name, value)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		var begun api.Trial
		if err := json.NewDecoder(res.Body).Decode(&begun); err != nil || res.StatusCode != http.StatusCreated {
			t.Fatal(res.Status, err)
		}
		return begun.ID
	}
	id := send()
	if again := send(); again != id {
		t.Errorf("sent twice it is %s and %s", id, again)
	}
	minutes := fill.Values{"minutes": fill.Single("Ewan checks the drawing by Friday."), "team": fill.Single("the night shift")}
	ran, err := c.StartRun(t.Context(), api.NewRun{Ref: "minutes-for-all", Values: minutes, Model: "heron-2"})
	if err != nil {
		t.Fatal(err)
	}
	relay, err := c.StartTrial(t.Context(), "minutes-for-all", api.NewTrial{Times: 3, SetUps: []trial.SetUp{{Model: "heron-2"}}, Fills: []trial.TestFill{{Name: "one", Values: minutes}}, Expectations: []trial.Expectation{{Kind: trial.Numbers}}})
	if err != nil {
		t.Fatal(err)
	}
	kept := func(c *client.Client) map[string]bool {
		t.Helper()
		ids := map[string]bool{}
		for f := range 250 {
			cell, err := c.TrialCell(t.Context(), id, f, 0)
			if err != nil {
				t.Fatal(err)
			}
			for _, r := range cell.Replies {
				if r.State == "done" {
					ids[r.ID] = true
				}
			}
		}
		return ids
	}
	for n := 0; n < 150; time.Sleep(20 * time.Millisecond) {
		now, err := c.Trial(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		n = now.Done
	}
	before := kept(c)
	if err := first.Kill(); err != nil {
		t.Fatal(err)
	}
	asked, killed := standIn.Calls(), time.Now()
	letGo()
	second, err := run.Serve(dir, "--demo", "--allow-connection", "127.0.0.1")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := second.Stop(); err != nil {
			t.Error(err)
		}
	})
	c = signed(second.URL)
	if len(before) < 150 || len(before) >= 1000 {
		t.Fatalf("%d were kept when it was killed", len(before))
	}
	var now api.Trial
	for end := time.Now().Add(90 * time.Second); now.State != "ended" || now.Unchecked > 0; time.Sleep(200 * time.Millisecond) {
		if now, err = c.Trial(t.Context(), id); err != nil {
			t.Fatal(err)
		}
		if time.Now().After(end) {
			t.Fatalf("it does not go on: %+v", now.TrialItem)
		}
	}
	took := time.Since(killed)
	if now.Done != 1000 || now.Failed != 0 {
		t.Errorf("%+v", now.TrialItem)
	}
	for end := time.Now().Add(90 * time.Second); ran.State == "running" || relay.State == "running"; time.Sleep(200 * time.Millisecond) {
		if ran, err = c.Run(t.Context(), ran.ID); err != nil {
			t.Fatal(err)
		}
		if relay, err = c.Trial(t.Context(), relay.ID); err != nil || time.Now().After(end) {
			t.Fatalf("the relay does not go on: %v, %+v", err, relay.TrialItem)
		}
	}
	if ran.State != "done" || relay.Done != 3 {
		t.Errorf("the run is %s; of the relay's trial %+v", ran.State, relay.TrialItem)
	}
	calls := standIn.Calls()
	again := 0
	for _, step := range ran.Steps {
		for _, r := range step.Replies {
			if calls[r.ID] < 1 || calls[r.ID] > 2 {
				t.Errorf("a reply of step %s was asked for %d times", step.Name, calls[r.ID])
			}
		}
	}
	for r := range kept(c) {
		switch {
		case before[r] && calls[r] != asked[r]:
			t.Errorf("%s was kept, and asked for again", r)
		case calls[r] < 1 || calls[r] > 2:
			t.Errorf("%s was asked for %d times", r, calls[r])
		case calls[r] == 2:
			again++
		}
	}
	// Where the machine is so slow that a service does not say in time that it still awaits a
	// reply, that is asked for once more.
	if again > 32 && took < 45*time.Second {
		t.Errorf("%d were asked for twice; 32 at most were under way", again)
	}
}
