package test

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// A relay is run at the terminal, one step of it again, and the whole from the file that it was
// saved to.
func TestRelaysByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	reader, curator := open(t, s.URL, "reader"), open(t, s.URL, "curator")
	reader.says(0, []string{"the last section of page", "Whose meeting was it?"}, "run", "minutes-for-all", "--plan")
	reader.says(1, []string{"tender is missing"}, "run", "tender-comparison")
	reader.says(1, []string{"relays are run, and others tried"}, "run", "tender-facts", "tender=x")
	given := []string{"minutes=Ewan checks the drawing by Friday.", "team=the night shift", "--seed", "3"}
	said, status := reader.run("", append([]string{"run", "minutes-for-all"}, given...)...)
	for _, part := range []string{"=== actions ===", "=== page ===", "## What we know", "=== plain: What to do next ==="} {
		if status != 0 || !strings.Contains(said, part) {
			t.Errorf("%d; %q is not in\n%s", status, part, said)
		}
	}
	id := regexp.MustCompile(`goldshelf runs (\S+) --save`).FindStringSubmatch(said)
	if id == nil {
		t.Fatalf("no run is named in %s", said)
	}
	reader.says(0, []string{id[1], "minutes-for-all@1", "done"}, "runs")
	curator.says(0, []string{"No run"}, "runs")
	curator.says(3, []string{"you have no such run"}, "runs", id[1])
	reader.says(0, []string{"=== page ==="}, "runs", id[1], "--step", "page")
	reader.says(0, []string{"what it took has changed since"}, "runs", id[1])
	reader.says(0, []string{"=== plain: What to do next ==="}, "runs", id[1], "--step", "plain", "--on")
	for _, name := range []string{"run.md", "run.json"} {
		file := filepath.Join(t.TempDir(), name)
		reader.says(0, nil, "runs", id[1], "--save", file)
		text, err := os.ReadFile(file)
		if err != nil || !strings.Contains(string(text), "What we know") {
			t.Errorf("%s: %s, %v", name, text, err)
		}
		reader.says(0, []string{"=== page ==="}, "run", "--again", file)
	}
	reader.says(2, []string{".md or .json"}, "runs", id[1], "--save", "run.doc")
	reader.says(0, []string{"gone for good"}, "runs", id[1], "--delete")
	reader.says(3, []string{"you have no such run"}, "runs", id[1])
}

// The same at the console: a relay is made of steps, with what flows where beside it, and run.
func TestRelaysAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "reader", 1280, 900)
	w.visit("/entries/minutes-for-all", "Run it")
	w.do(browser.Type("#blank-minutes", "Ewan checks the drawing by Friday."), browser.Type("#blank-team", "the night shift"), browser.Press("Run"),
		browser.Until(`location.pathname.startsWith("/runs/")`), browser.See("Done · begun"), browser.Press("Show what it changed in page"), browser.See("Show it as it reads now"),
		browser.Script(`[...document.querySelectorAll("section[aria-label='Step page'] button")].find((b) => b.innerText === "Run this step again").click()`),
		browser.See("What it took has been run again since"), browser.See("and what it said before"), browser.See("Done · begun"), browser.Press("Keep"), browser.See("Kept"),
		browser.Press("Save"), browser.See("As Markdown"), browser.Press("Close"))
	w.visit("/runs", "kept")

	writer := openWindowAt(t, s.URL, "curator", 1280, 900)
	writer.visit("/entries/tender-comparison/edit", "Steps")
	writer.do(browser.Press("Add a step"), browser.See("Step step5"), browser.Pick("#step-4-use", "Make it shorter"), browser.Choose("#step-4-over", "plain"),
		browser.Until(`document.querySelector("svg[role=img]").getAttribute("aria-label").includes("step5 takes plain")`), browser.See("saved a moment ago"),
		browser.Type("#step-4-name", "brief"), browser.See("saved a moment ago"), browser.Press("Take step brief out"), browser.See("Add a step"), browser.Until(`!document.querySelector("#step-4-name")`))
	if text, err := browser.Ask[string](w.ctx, `document.body.innerText`); err != nil || strings.Contains(text, "undefined") {
		t.Errorf("the page says undefined: %v", err)
	}
}

// What is sent twice begins once, and the second answer is how it stands by then: nothing that
// was given is kept a second time.
func TestARunSentTwice(t *testing.T) {
	t.Parallel()
	s := alone(t)
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	send := func(path, body string, into any) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1"+path, strings.NewReader(body))
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
		if err := json.NewDecoder(res.Body).Decode(into); err != nil || res.StatusCode != http.StatusCreated {
			t.Fatal(res.Status, err)
		}
	}
	var first, again api.Run
	const run = `{"ref": "tender-comparison", "values": {"tender": "Tender A: 38.20 a metre."}, "model": "heron-2"}`
	send("/runs", run, &first)
	for now := first; now.State == "running"; time.Sleep(100 * time.Millisecond) {
		var err error
		if now, err = c.Run(t.Context(), first.ID); err != nil {
			t.Fatal(err)
		}
	}
	if send("/runs", run, &again); again.ID != first.ID || first.State != "running" || again.State != "done" {
		t.Errorf("first %s, %s; again %s, %s", first.ID, first.State, again.ID, again.State)
	}

	var one, two api.UserTrials
	const users = `{"model": "heron-2"}`
	send("/entries/boil-water-wording/user-trials", users, &one)
	if _, err := c.WatchTrial(t.Context(), one.Items[0].Trial.ID, func(api.TrialItem) {}); err != nil {
		t.Fatal(err)
	}
	if send("/entries/boil-water-wording/user-trials", users, &two); two.Items[0].Trial.ID != one.Items[0].Trial.ID || two.Items[0].Trial.State != "ended" {
		t.Errorf("first %+v; again %+v", one.Items[0].Trial, two.Items[0].Trial)
	}
}
