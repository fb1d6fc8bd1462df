package test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// thanks is a line that letters end with.
const thanks = `---
kind: snippet
title: Line of thanks
summary: What a letter ends with before its close.
labels:
  department: [customer-care]
---
Thank you for waiting for %s.
`

// letter includes it.
const letter = `---
kind: prompt
title: Letter %d
summary: Writes letter %d of the week.
labels:
  application: [weir-mail]
  department: [customer-care]
  model: [heron-2]
blanks:
  - name: street
    ask: Which street is letter %d about?
    sample: Mill Lane
---
## Task
Write letter %d to the people of {{street}}, in five sentences and as you would to a neighbour: number %d of seven.
{{include thanks-line}}
`

// A week of Larkfen's library, through client and console together: gathered,
// shaped, reviewed with a return, published as one, a snippet changed that seven
// entries include, taken back, handed over, retired, and the record verified.
func TestAWeekAtLarkfen(t *testing.T) {
	t.Parallel()
	s, dir := aloneIn(t)
	writer, reviewer, curator, reader := open(t, s.URL, "contributor"), open(t, s.URL, "reviewer"), open(t, s.URL, "curator"), open(t, s.URL, "reader")

	// Monday: what was scattered is gathered.
	args := []string{"put", write(t, "thanks-line.md", fmt.Sprintf(thanks, "water"))}
	slugs := []string{"thanks-line"}
	for n := 1; n <= 7; n++ {
		slugs = append(slugs, fmt.Sprintf("letter-%d", n))
		args = append(args, write(t, slugs[n]+".md", fmt.Sprintf(letter, n, n, n, n, n)))
	}
	writer.says(0, []string{"thanks-line: version 1, draft, made", "letter-7: version 1, draft, made"}, args...)
	reader.says(0, []string{"person:contributor"}, "follow", "person:contributor")

	// Tuesday: the snippet is shaped at the console.
	desk := openWindowAt(t, s.URL, "contributor", 1280, 800)
	desk.visit("/entries/thanks-line/edit", "Draft of version 1")
	desk.do(browser.Write(".cm-content", "Thank you for waiting so long for water."), browser.See("saved a moment ago"))
	for _, slug := range slugs {
		writer.says(0, []string{"in review"}, "submit", slug, "--note", "For the week.")
	}

	// Wednesday: it is read, comes back with a comment on a passage, and is mended.
	review := openWindowAt(t, s.URL, "reviewer", 1280, 800)
	review.visit("/entries/thanks-line/review", "Approve version 1")
	review.do(browser.Press("Version 1"), browser.Script(`{const p = document.querySelector("[data-testid=written]"); const n = p.firstChild; const at = n.data.indexOf("so long");
			document.getSelection().setBaseAndExtent(n, at, n, at + 7); p.dispatchEvent(new MouseEvent("mouseup", {bubbles: true}))}`),
		browser.See("on the whole instead"), browser.Type("#comment", "It was an hour."), browser.Press("Comment"), browser.See("Oona Birch, today"),
		browser.Press("Return with reasons"), browser.Type("#word", "See my comment."), browser.Press("Return"), browser.Until(`location.pathname === "/desk"`))
	writer.says(0, []string{"answer", "school-visit-talk", "returned: See my comment."}, "desk")
	out, _ := writer.run("", "comments", "thanks-line", "--json")
	var said api.Comments
	if err := json.Unmarshal([]byte(out), &said); err != nil || len(said.Items) != 1 || said.Items[0].Passage == nil || said.Items[0].Passage.Exact != "so long" {
		t.Fatalf("the comments: %v %s", err, out)
	}
	writer.says(0, []string{"Idris Fenn", "True."}, "comments", "thanks-line", "--answer", strconv.FormatInt(said.Items[0].ID, 10), "--say", "True.")
	writer.says(0, []string{"saved"}, "put", "--over", write(t, "thanks-line.md", fmt.Sprintf(thanks, "water")))
	review.visit("/entries/thanks-line/review", "Line of thanks")
	review.do(browser.See("(no longer there)"), browser.See("True."), browser.Press("Settle"), browser.See("settled by Oona Birch"))
	writer.says(0, []string{"in review"}, "submit", "thanks-line", "--note", "Shorter.")
	for _, slug := range slugs {
		reviewer.decides(0, []string{"approved"}, "approve", slug)
	}

	// Thursday: all eight go on the shelf as one; then the snippet changes, and all seven with it.
	curator.decides(6, []string{"thanks-line"}, "publish", "letter-1")
	all := openWindowAt(t, s.URL, "curator", 1280, 800)
	all.visit("/desk", "Letter 7")
	all.do(browser.Script(`document.querySelectorAll("main input[type=checkbox]").forEach((box) => /Letter|thanks/.test(box.getAttribute("aria-label")) && box.click())`),
		browser.See("8 versions are marked"), browser.Press("Publish together"), browser.See("8 on the shelf"))
	reader.says(0, []string{"Thank you for waiting for water."}, "fill", "letter-3", "street=Mill Lane")
	reader.says(0, []string{"letter-7", "published", "new"}, "news")
	writer.says(0, []string{"begun"}, "put", write(t, "thanks-line.md", fmt.Sprintf(thanks, "the water")))
	writer.says(0, nil, "submit", "thanks-line", "--note", "An article.")
	review.visit("/entries/thanks-line/review", "Publishing this changes these 7 published entries")
	review.do(browser.Press("Approve version 2"), browser.Press("Approve"), browser.Until(`location.pathname === "/desk"`))
	curator.decides(0, []string{"thanks-line: version 2 is published"}, "publish", "thanks-line")
	reader.says(0, []string{"waiting for the water."}, "fill", "letter-3", "street=Mill Lane")
	all.visit("/entries/thanks-line", "Unpublish version 2")
	all.do(browser.Press("Unpublish version 2"), browser.Type("#unpublish", "The house writes it without."), browser.Press("Unpublish"), browser.See("Version 1 is on the shelf again"))
	reader.says(0, []string{"Thank you for waiting for water."}, "fill", "letter-5", "street=Mill Lane")
	writer.says(0, []string{"2", "superseded", "1", "published"}, "history", "thanks-line")

	// Friday: what someone answers for goes to others, and what is no longer wanted goes.
	writer.says(0, []string{"offered to reviewer"}, "transfer", "thanks-line", "--to", "reviewer")
	review.visit("/desk", "asks whether you will answer for it")
	review.do(browser.Press("Accept"), browser.See("You answer for Line of thanks now"))
	writer.says(0, []string{"reading-reminder: you answer for it now"}, "accept", "reading-reminder")
	curator.says(1, []string{"Letter 1 (letter-1@1", "includes it"}, "retire", "thanks-line", "--because", "Old.")
	curator.says(0, []string{"retired"}, "retire", "letter-7", "--because", "Six are enough.", "--instead", "letter-1")
	reader.says(3, []string{"letter-1"}, "fill", "letter-7", "street=Mill Lane")
	reader.says(0, []string{"letter-7", "retired", "Six are enough."}, "news")
	all.visit("/desk", "Do not guess")
	all.do(browser.Press("Still good"), browser.See("Do not guess stays as it is"),
		browser.Press("Transfer"), browser.Pick("#to", "Corin Ashdene"),
		browser.Script(`document.querySelector("[role=dialog] form button[type=submit]").click()`), browser.See("Corin Ashdene answers for it now"))
	curator.says(0, []string{"interview-questions", "hand-over", `"to":"people-lead"`}, "audit", "--action", "hand-over")
	all.visit("/stocktake/record", "Record of changes")
	all.do(browser.Press("Verify"), browser.See("records hold"))
	all.visit("/settings/channels", "Larkfen news board")
	all.do(browser.Press("Deliveries"), browser.See("retire letter-7"))

	daemon, err := run.Program("goldshelfd")
	if err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command(daemon, "audit", "verify", "--data-dir", dir).CombinedOutput(); err != nil || !strings.Contains(string(out), "records hold") {
		t.Errorf("audit verify beside the service: %v\n%s", err, out)
	}
	var arrived []demo.Arrived
	req, err := http.NewRequest(http.MethodGet, s.URL+"/demo/channel", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Accept", "application/json")
	req.Header.Set("Authorization", "Bearer "+curatorOf(t, s.URL).Token)
	for range 50 {
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		err = json.NewDecoder(res.Body).Decode(&arrived)
		res.Body.Close()
		if err != nil {
			t.Fatal(err)
		}
		if len(arrived) >= 12 { // one returned, eight and one published, one taken back, one retired
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	seen := map[string]bool{}
	for _, a := range arrived {
		if !a.Signed || seen[a.ID] {
			t.Errorf("the channel got %s: signed %t, before %t", a.ID, a.Signed, seen[a.ID])
		}
		seen[a.ID] = true
	}
	if len(arrived) != 12 {
		t.Errorf("the channel got %d events, want 12", len(arrived))
	}
}

// curatorOf is the curator of a demo.
func curatorOf(t *testing.T, url string) *client.Client {
	t.Helper()
	c := &client.Client{Server: url}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	return c
}

// Every save that was answered is there afterwards, whichever process is killed in
// the middle of many.
func TestAnsweredSavesOutliveAKill(t *testing.T) {
	t.Parallel()
	for name, kill := range map[string]func(*run.Service, string) error{
		"the service":  func(s *run.Service, _ string) error { return s.Kill() },
		"the database": func(s *run.Service, dir string) error { return errors.Join(killDatabase(dir), s.Kill()) },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir, remove, err := run.Copy(demoDir)
			if err != nil {
				t.Fatal(err)
			}
			defer remove()
			first, err := run.Serve(dir, "--demo")
			if err != nil {
				t.Fatal(err)
			}
			c := &client.Client{Server: first.URL}
			if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
				t.Fatal(err)
			}
			const writers = 8
			var answered [writers]int // the last save that was
			var wg sync.WaitGroup
			begun := make(chan struct{}, 10_000)
			for n := range writers {
				wg.Go(func() {
					in := api.NewEntry{Slug: fmt.Sprintf("saved-%d", n), Content: entry.Content{Kind: entry.Prompt, Title: "Saved", Body: "Save 0.\n"}}
					if _, err := c.Create(t.Context(), in); err != nil {
						t.Error(err)
						return
					}
					_, etag, err := c.Draft(t.Context(), in.Slug)
					for k := 1; err == nil; k++ {
						in.Body = fmt.Sprintf("Save %d.\n", k)
						if _, etag, err = c.SaveDraft(t.Context(), in.Slug, etag, in); err == nil {
							answered[n] = k
							select {
							case begun <- struct{}{}:
							default:
							}
						}
					}
				})
			}
			for range 20 * writers {
				<-begun
			}
			if err := kill(first, dir); err != nil {
				t.Fatal(err)
			}
			wg.Wait()
			second, err := run.Serve(dir, "--demo")
			if err != nil {
				t.Fatal(err)
			}
			defer func() {
				if err := second.Stop(); err != nil {
					t.Error(err)
				}
			}()
			c.Server = second.URL
			for n, last := range answered {
				e, err := c.Entry(t.Context(), fmt.Sprintf("saved-%d", n))
				if err != nil {
					t.Fatal(err)
				}
				var got int
				// The save that was under way may have been kept without its answer.
				if _, err := fmt.Sscanf(e.Body, "Save %d.", &got); err != nil || got != last && got != last+1 {
					t.Errorf("writer %d was answered for save %d, and the draft says %q", n, last, e.Body)
				}
			}
			if v, err := c.VerifyAudit(t.Context(), ""); err != nil || v.Broken != 0 {
				t.Errorf("the record afterwards: %+v, %v", v, err)
			}
		})
	}
}

var firstLine = regexp.MustCompile(`^\d+`)

// killDatabase ends the private PostgreSQL as a power cut would.
func killDatabase(dir string) error {
	data, err := os.ReadFile(filepath.Join(dir, "cluster", "postmaster.pid"))
	if err != nil {
		return err
	}
	pid, err := strconv.Atoi(string(firstLine.Find(data)))
	if err != nil {
		return err
	}
	return syscall.Kill(pid, syscall.SIGKILL)
}

// A reader finds the news at the desk, and says what to hear of.
func TestNewsAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "reader", 1280, 800)
	w.visit("/entries/letter-close", "Follow")
	w.do(browser.Press("Follow"), browser.See("You hear of what happens to it"), browser.See("Unfollow"))
	curator := open(t, s.URL, "curator")
	curator.decides(0, []string{"published"}, "publish", "incident-timeline") // of another department
	w.do(chromedp.Navigate(s.URL+"/desk"), browser.See("What I follow"), browser.See("letter-close"), browser.Press("Mark all as read"), browser.See("All read"),
		browser.Press("Create feed address"), browser.See("/api/v1/feeds/"))
	address, err := browser.Ask[string](w.ctx, `[...document.querySelectorAll("p")].find((p) => p.innerText.includes("/feeds/")).innerText`)
	if err != nil {
		t.Fatal(err)
	}
	res, err := http.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if kind := res.Header.Get("Content-Type"); res.StatusCode != http.StatusOK || !strings.HasPrefix(kind, "application/atom+xml") {
		t.Errorf("the feed answers %d as %q", res.StatusCode, kind)
	}
}

// A curator looks after people at the console.
func TestPeopleAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	reader := openWindowAt(t, s.URL, "reader", 1280, 800)
	w := openWindowAt(t, s.URL, "curator", 1280, 800)
	w.visit("/settings/people", "From a table")
	w.do(browser.Press("Add someone"), browser.Type("#person-full-name", "Rowan Tilley"), browser.Type("#person-name", "rowan.tilley"), browser.Press("Add person"), browser.See("Rowan Tilley is in the library"), browser.See("/set-password#"), browser.Press("Close"),
		browser.Press("Has left\n: Wren Castell"), browser.See("Wren Castell is signed out everywhere"))
	reader.do(chromedp.Navigate(s.URL+"/"), browser.Until(`location.pathname === "/sign-in"`))
	w.do(browser.Press("Delete…\nWren Castell"), browser.See("Delete Wren Castell?"), browser.See("This cannot be undone"), browser.Press("Delete"), browser.See("Wren Castell is deleted"),
		browser.Until(`!document.querySelector("main").innerText.includes("Wren Castell")`))
	open(t, s.URL, "curator").says(0, []string{"of them without the names of people who were deleted"}, "audit", "--verify")
	w.visit("/settings/policy", "Who is asked, in turn")
	w.do(browser.Until(`document.querySelector("[aria-label='Bram Ostley is asked for Laboratory']")`), browser.Script(`document.querySelector("[aria-label='Bram Ostley is asked for Laboratory']").click()`), browser.Press("Save policy"), browser.See("The policy is in force"))
	curator := open(t, s.URL, "curator")
	curator.says(0, []string{`"laboratory"`}, "policy", "--json")
	w.visit("/entries/meter-dispute-reply", "Pick a version")
	w.do(browser.Press("Version 1"), browser.See("Version 1, line by line"), browser.See("1 · Maribel Stroud"))
}

// What keeps an entry, and what a channel is told of, are changed at the console.
func TestOwnersAndChannelsAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "curator", 1280, 800)
	w.visit("/entries/burst-main-notice", "looked after by Idris Fenn, deputy Maribel Stroud")
	w.do(browser.Press("Deputy and department"), browser.Until(`document.querySelector("#department option[value=laboratory]")`),
		browser.Pick("#deputy", "Bram Ostley"), browser.Choose("#department", "laboratory"),
		browser.Press("Save"), browser.See("looked after by Idris Fenn, deputy Bram Ostley"))
	curator := open(t, s.URL, "curator")
	curator.says(0, []string{"Bram Ostley (regs-lead)", "department  laboratory"}, "owners", "burst-main-notice")

	// All that a search finds changes hands, once it was shown.
	w.visit("/?q=tender+owner%3Abuyer", "for “tender")
	w.do(browser.PressMenu("Change all"), browser.PressMenuItem("Transfer…"),
		browser.Until(`document.querySelector("[aria-label='Who answers for them from now on'] option[value=press-desk]")`), browser.Choose("[aria-label='Who answers for them from now on']", "press-desk"), browser.Press("Preview"), browser.See("Petra Lunnick → Noor Eddingley"),
		browser.Script(`[...document.querySelectorAll("[role=dialog] button")].find((b) => /^Transfer \d+$/.test(b.innerText)).click()`), browser.See("transferred"))
	curator.says(0, []string{"press-desk"}, "owners", "tender-comparison")
	curator.says(0, []string{"Tender comparison", "press-desk", "at once"}, "transfer", "tender-comparison", "tender-facts", "--to", "buyer", "--dry-run")
	w.do(browser.Press("Undo"), browser.See("are as they were"))
	curator.says(0, []string{"buyer"}, "owners", "tender-comparison")
	curator.says(0, []string{"tender-facts: press-desk answers for it now"}, "transfer", "tender-comparison", "tender-facts", "--to", "press-desk")

	// So does what nobody uses, as far as nothing else needs it; and comes back.
	w.visit("/stocktake/use", "Never used")
	w.do(browser.PressMenu("Change all"), browser.PressMenuItem("Retire…"), browser.Type("[role=dialog] input", "Nobody uses it."),
		browser.Press("Preview"), browser.See("stays as it is"), browser.Press("Leave out Leak repairs"), browser.Until(`!document.querySelector("[role=dialog]").innerText.includes("Leak repairs")`),
		browser.Script(`[...document.querySelectorAll("[role=dialog] button")].find((b) => /^Retire \(\d+\)$/.test(b.innerText)).click()`), browser.Until(`document.querySelector("[data-sonner-toast]")?.innerText.includes("Undo")`))
	curator.says(0, []string{`"state": "retired"`, "Nobody uses it."}, "show", "holiday-parks", "--json")
	w.do(browser.Press("Undo"), browser.See("are as they were"))
	curator.says(0, []string{`"state": "published"`}, "show", "holiday-parks", "--json")
	curator.says(0, []string{"holiday-parks: retire", "goldshelf bulk restore undoes it"}, "bulk", "retire", "holiday-parks", "--because", "Old.", "--yes")
	curator.says(0, []string{"holiday-parks: restore"}, "bulk", "restore", "holiday-parks", "--yes")
	curator.says(0, []string{"SLUG", "holiday-parks", "published"}, "bulk", "renew", "--find", "holiday parks", "--dry-run")
	curator.says(2, []string{"nobody is there to answer"}, "bulk", "renew", "holiday-parks")

	tick := func(title string) browser.Action {
		box := fmt.Sprintf(`[...document.querySelectorAll("label")].find((l) => l.innerText.trim() === %q)`, title)
		return chromedp.Steps(browser.Until(box), browser.Script(box+".click()"))
	}
	w.visit("/settings/channels", "Told of everything")
	w.do(browser.Press("Pause\nLarkfen news board"), browser.See("paused"),
		browser.Press("Change\nLarkfen news board"), tick("retired"), tick("Procurement"), browser.Press("Save"), browser.See("Told of retired in Procurement"))
	curator.says(0, []string{"retire in procurement", "paused"}, "channels")
	w.do(browser.Press("Resume\nLarkfen news board"), browser.See("It is told again"))
	curator.says(0, []string{"1: Larkfen news board is told of retire in procurement\n"}, "channels", "1", "--title", "Larkfen news board")
	w.do(browser.Press("Delete\nLarkfen news board"), browser.See("are forgotten"), browser.Press("Delete"), browser.See("No channel is told yet"))
}
