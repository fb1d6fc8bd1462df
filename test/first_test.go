package test

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

const (
	firstLabels = "facet,term,title\ndepartment,,Department\ndepartment,customer-care,Customer Care\ndepartment,laboratory,Laboratory\napplication,,Application\napplication,weir-mail,Weir Mail\nmodel,,Model\nmodel,heron-2,heron-2\n"
	firstPeople = "name,full_name,role,department\nidris,Idris Fenn,contributor,customer-care\noona,Oona Birch,reviewer,customer-care\n"
	firstWord   = "a-long-first-password"
)

// signInAs is a shell of somebody who has set a password.
func signInAs(t *testing.T, url, name string) *terminal {
	t.Helper()
	term := &terminal{t: t, home: t.TempDir(), url: url}
	if out, status := term.run(firstWord+"\n", "login", name); status != 0 {
		t.Fatalf("login as %s: status %d, %s", name, status, out)
	}
	return term
}

// From an empty machine to a first published entry, without a browser and without the
// demo.
func TestFromNothingByClient(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	daemon, err := run.Program("goldshelfd")
	if err != nil {
		t.Fatal(err)
	}
	setup := func(args ...string) (string, error) {
		cmd := exec.Command(daemon, append([]string{"setup", "--data-dir", dir, "--curator", "tamsin", "--full-name", "Tamsin Hale"}, args...)...)
		cmd.Stdin = strings.NewReader(firstWord + "\n")
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	labels, people := write(t, "labels.csv", firstLabels), write(t, "people.csv", firstPeople)
	if out, err := setup("--zone", "Moon/Base"); err == nil || !strings.Contains(out, "Moon/Base") {
		t.Errorf("a zone that is none: %v, %s", err, out)
	}
	if out, err := setup("--labels", labels, "--people", write(t, "bad.csv", firstPeople+"pia,,king,moon\n")); err == nil || !strings.Contains(out, "line 4") {
		t.Errorf("a bad table: %v, %s", err, out)
	}
	out, err := setup("--library", "Larkfen Water", "--zone", "Europe/London", "--labels", labels, "--people", people)
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	links := regexp.MustCompile(`/set-password#(\w+)`).FindAllStringSubmatch(out, -1)
	if len(links) != 2 {
		t.Fatalf("setup prints %s", out)
	}
	if out, err := setup(); err == nil || !strings.Contains(out, "has a curator already") {
		t.Errorf("a second time: %v, %s", err, out)
	}

	s, err := run.Serve(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	if strings.Contains(s.Log(), "enter this code") {
		t.Error("there is a curator, and a code is given")
	}
	stranger := &client.Client{Server: s.URL}
	for _, link := range links {
		if err := stranger.SetPassword(t.Context(), api.NewPassword{Code: link[1], Password: firstWord}); err != nil {
			t.Fatal(err)
		}
	}
	writer, reviewer, curator := signInAs(t, s.URL, "idris"), signInAs(t, s.URL, "oona"), signInAs(t, s.URL, "tamsin")
	curator.says(0, []string{"region"}, "labels", "--add", "region", "--title", "Region")
	curator.says(0, []string{"region", "The north"}, "labels", "--add", "region/north", "--title", "The north")
	curator.says(0, []string{"Customers"}, "labels", "--rename", "department/customer-care", "--title", "Customers")
	writer.says(0, []string{"planned-work: version 1, draft, made"}, "put", write(t, "planned-work.md", outageNotice))
	writer.says(0, []string{"in review"}, "submit", "planned-work", "--note", "The first one.")
	reviewer.decides(0, []string{"approved"}, "approve", "planned-work")
	curator.decides(0, []string{"published"}, "publish", "planned-work")
	writer.says(0, []string{"planned-work"}, "find", "planned")
	writer.says(0, []string{"Mill Lane"}, "fill", "planned-work", "area=Mill Lane", "hours=6")
}

const lostPart = `{"format": "gold-shelf-library", "edition": 1, "facets": [], "entries": [{"slug": "contractor-visit", "owner": "nobody-here", "versions": [{
	"version": 1, "state": "published", "note": "As before.", "author": "Joss Penhale", "created_at": "2026-01-05T09:00:00Z", "saved_at": "2026-01-05T09:00:00Z",
	"published_by": "Joss Penhale", "published_at": "2026-01-06T09:00:00Z", "kind": "prompt", "title": "Contractor visit", "summary": "Tells a household who comes.",
	"labels": {}, "blanks": [], "body": "Say who comes.\n{{include caller-check}}\n"}]}]}`

// A whole library is moved into an empty one on the machine itself. What it uses and did
// not bring along is said where somebody would fill it in, and stands on the desk.
func TestALibraryMovesIn(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	daemon := func(in string, args ...string) (string, error) {
		t.Helper()
		program, err := run.Program("goldshelfd")
		if err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(program, append(args, "--data-dir", dir)...)
		cmd.Stdin = strings.NewReader(in)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	bundle := write(t, "theirs.json", lostPart)
	if out, err := daemon("", "load", bundle); err == nil || !strings.Contains(out, "no curator yet") {
		t.Fatalf("before there is a curator: %v, %s", err, out)
	}
	if out, err := daemon(firstWord+"\n", "setup", "--curator", "tamsin", "--full-name", "Tamsin Hale"); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	if out, err := daemon("", "load", write(t, "bad.json", strings.Replace(lostPart, "Contractor visit", "\\u0000", 1))); err == nil || !strings.Contains(out, "the character NUL") {
		t.Errorf("a bad one: %v, %s", err, out)
	}
	if out, err := daemon("", "load", bundle); err != nil || !strings.Contains(out, "1 in all") {
		t.Fatalf("%v: %s", err, out)
	}
	s, err := run.Serve(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	// What is done on the machine is done beside the service that runs.
	if out, err := daemon("", "load", bundle); err == nil || !strings.Contains(out, "has entries already") {
		t.Errorf("a second time: %v, %s", err, out)
	}
	if out, err := daemon("another-long-password\n", "user", "add", "wren", "--full-name", "Wren Castell", "--role", "contributor"); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	if out, err := daemon(firstWord+"\n", "user", "password", "wren"); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	if out, err := daemon("short\n", "user", "password", "wren"); err == nil || !strings.Contains(out, "12 at least") {
		t.Errorf("a short one: %v, %s", err, out)
	}
	curator, writer := signInAs(t, s.URL, "tamsin"), signInAs(t, s.URL, "wren")
	curator.says(0, []string{"on the shelf, but uses caller-check"}, "desk")
	curator.says(0, []string{"Joss Penhale (elsewhere)"}, "history", "contractor-visit")
	curator.says(0, []string{"load", "theirs.json"}, "audit", "--action", "load")
	theRecordIsHeldAgainstItsHead(t, s, dir, daemon)
	// Everyone changes their own password, with the old one, and is out everywhere else.
	elsewhere := signInAs(t, s.URL, "wren")
	if out, status := writer.run("not the old one\n"+firstWord+"-2\n", "password"); status != 1 || !strings.Contains(out, "the old password is another") {
		t.Errorf("with another old one: %d, %s", status, out)
	}
	if out, status := writer.run(firstWord+"\n"+firstWord+"-2\n", "password"); status != 0 || !strings.Contains(out, "You are signed in here, and nowhere else") {
		t.Errorf("a new password: %d, %s", status, out)
	}
	elsewhere.says(4, []string{"sign in again"}, "whoami")
	writer.says(0, []string{"Wren Castell"}, "whoami")
	if out, status := elsewhere.run(firstWord+"-2\n", "login", "wren"); status != 0 {
		t.Errorf("with the new one: %d, %s", status, out)
	}
	elsewhere.says(0, []string{"Signed out."}, "logout", "--everywhere")
	writer.says(4, []string{"sign in again"}, "whoami")
	if out, status := writer.run(firstWord+"-2\n", "login", "wren"); status != 0 {
		t.Fatalf("signed in again: %d, %s", status, out)
	}
	curator.says(0, []string{"Ede Marlock", "/set-password#"}, "people", "--add", "ede", "--full-name", "Ede Marlock", "--role", "contributor")
	writer.says(1, []string{"no published entry caller-check"}, "fill", "contractor-visit")
	w := openBrowser(t, s.URL, 1280, 800)
	w.do(chromedp.Navigate(s.URL+"/sign-in"), browser.Type("#name", "wren"), browser.Type("#password", firstWord+"-2"+kb.Enter), browser.See("The shelf"))
	w.visit("/entries/contractor-visit", "It cannot be filled in")
	w.do(browser.See("no published entry caller-check"))
}

// theRecordIsHeldAgainstItsHead has a record made anew found by the head that the service
// keeps outside the database.
func theRecordIsHeldAgainstItsHead(t *testing.T, s *run.Service, dir string, daemon func(in string, args ...string) (string, error)) {
	t.Helper()
	file := filepath.Join(dir, "record-head")
	var head []byte
	for end := time.Now().Add(20 * time.Second); len(head) == 0; time.Sleep(100 * time.Millisecond) {
		head, _ = os.ReadFile(file) // it comes
		if time.Now().After(end) {
			t.Fatalf("the head of the record is not kept:\n%s", s.Log())
		}
	}
	if out, err := daemon("", "audit", "verify"); err != nil || !strings.Contains(out, "records hold") || strings.Contains(out, "no head") {
		t.Errorf("against the head that is kept: %v, %s", err, out)
	}
	wrong := "2:" + strings.Repeat("ab", 32)
	if out, err := daemon("", "audit", "verify", "--head", wrong); err == nil || !strings.Contains(out, "the record was made anew") {
		t.Errorf("against another head: %v, %s", err, out)
	}
}

// The same at the console: the code in the terminal, the library, its labels and people,
// a first import, and what it takes to publish that.
func TestFromNothingAtTheConsole(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	s, err := run.Serve(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	told := regexp.MustCompile(`enter this code: (\w+)`)
	code := told.FindStringSubmatch(s.Log())
	for deadline := time.Now().Add(5 * time.Second); code == nil && time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		code = told.FindStringSubmatch(s.Log()) // what it wrote arrives in its own time
	}
	if code == nil {
		t.Fatalf("no code is given: %s", s.Log())
	}
	w := openBrowser(t, s.URL, 1280, 800)
	w.do(chromedp.Navigate(s.URL+"/"), browser.See("A new library"),
		browser.Type("#code", "wrong"), browser.Type("#full-name", "Tamsin Hale"), browser.Type("#name", "tamsin"), browser.Type("#password", firstWord),
		browser.Press("Become the first curator"), browser.See("1 of 5 tries"),
		browser.Type("#code", code[1]), browser.Press("Become the first curator"), browser.See("What is it called?"),
		browser.Type("#library-name", "Larkfen Water"), browser.Choose("#library-zone", "Europe/London"), browser.Press("Save"), browser.See("Which departments, and which other labels?"),
		browser.Upload("input[type=file]", write(t, "labels.csv", firstLabels)), browser.See("weir-mail"),
		browser.Type("#new-facet", "Region"), browser.Press("Add facet"), browser.See("to Region"),
		browser.Press("Continue"), browser.See("Who comes in?"),
		browser.Upload("input[type=file]", write(t, "people.csv", firstPeople)), browser.See("shown this once"))
	links, err := browser.Ask[[]string](w.ctx, `[...document.querySelectorAll("code")].map((c) => c.innerText)`)
	if err != nil || len(links) != 2 {
		t.Fatalf("the links: %v, %v", links, err)
	}
	w.do(browser.Press("Bring your prompts in"), browser.See("Drop a file here"),
		browser.Upload(`input[type=file]`, write(t, "planned-work.md", outageNotice)), browser.See("Notice of planned work"),
		browser.Press("Import 1 entry"), browser.See("1 created, 0 changed"))
	w.visit("/settings/library", "Time zone")
	w.do(browser.Until(`document.querySelector("#library-zone").value === "Europe/London"`))
	w.visit("/entries/planned-work/edit", "Draft of version 1")
	w.do(browser.Press("Submit for review"), browser.Type("#note", "The first one."), browser.Press("Submit"), browser.Until(`location.pathname === "/desk"`))

	reviewer := openBrowser(t, s.URL, 1280, 800)
	reviewer.do(chromedp.Navigate(links[1]), browser.See("Set your password"), browser.Type("#password", firstWord), browser.Press("Set password"), browser.See("It is set."),
		browser.Press("Sign in"), browser.Type("#name", "oona"), browser.Type("#password", firstWord), browser.Press("Sign in"), browser.See("The shelf"))
	reviewer.visit("/entries/planned-work/review", "Approve version 1")
	reviewer.do(browser.Press("Approve version 1"), browser.Press("Approve"), browser.Until(`location.pathname === "/desk"`))
	w.visit("/entries/planned-work/review", "Publish version 1")
	w.do(browser.Press("Publish version 1"), browser.See("✓ Published"))
	reviewer.visit("/", "Notice of planned work")

	again := openBrowser(t, s.URL, 1280, 800)
	again.do(chromedp.Navigate(s.URL+"/setup"), browser.Until(`location.pathname === "/sign-in"`), browser.See("Larkfen Water"),
		chromedp.Navigate(links[1]), browser.See("Set your password"), browser.Type("#password", firstWord), browser.Press("Set password"), browser.See("It is not set"))
}

// The sign-in page is quiet: nothing is asked that is refused, and what crawlers and
// previews ask for is there.
func TestTheSignInPageIsQuiet(t *testing.T) {
	t.Parallel()
	w := openBrowser(t, service.URL, 1280, 800)
	w.do(chromedp.Navigate(service.URL+"/"), browser.See("signs in as curator"))
	failed, err := browser.Ask[[]string](w.ctx, `performance.getEntriesByType("resource").filter((r) => r.responseStatus >= 400).map((r) => r.name)`)
	if err != nil || len(failed) > 0 {
		t.Errorf("refused: %v, %v", failed, err)
	}
	if about, err := browser.Ask[string](w.ctx, `document.querySelector("meta[name=description]").content`); err != nil || len(about) < 50 {
		t.Errorf("the page is described as %q, %v", about, err)
	}
	if robots, err := browser.Ask[string](w.ctx, `fetch("/robots.txt").then((r) => r.text())`); err != nil || !strings.HasPrefix(robots, "User-agent:") {
		t.Errorf("robots.txt is %q, %v", robots, err)
	}
}

// What docs/running.md shows for those without a browser is run, word for word.
func TestTheGuideIsTrue(t *testing.T) {
	t.Parallel()
	guide, err := os.ReadFile("../docs/running.md")
	if err != nil {
		t.Fatal(err)
	}
	_, after, found := strings.Cut(string(guide), "Without a browser the same is\n\n```\n")
	shown, _, ended := strings.Cut(after, "```\n")
	if !found || !ended {
		t.Fatal("the guide does not show it any more")
	}
	script := strings.ReplaceAll("\n"+shown, "\n$ ", "\n")
	dir, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	program, err := run.Program("goldshelfd")
	if err != nil {
		t.Fatal(err)
	}
	here := t.TempDir()
	for name, text := range map[string]string{"labels.csv": firstLabels, "people.csv": firstPeople, "planned-work.md": outageNotice} {
		if err := os.WriteFile(filepath.Join(here, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Dir(program), filepath.Join(here, "bin")); err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	listen := l.Addr().String()
	l.Close()
	cmd := exec.Command("bash", "-euo", "pipefail", "-c", "trap 'kill %1; wait' EXIT\n"+script)
	cmd.Dir = here
	cmd.Env = append(os.Environ(), "HOME="+here, "GOLDSHELF_DATA_DIR="+dir, "GOLDSHELF_LISTEN="+listen, "GOLDSHELF_SERVER=http://"+listen)
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s\nof the script\n%s", err, out, script)
	}
	for _, want := range []string{"Tamsin Hale is the first curator", "planned-work: version 1 is approved", "planned-work: version 1 is published", "Mill Lane"} {
		if !strings.Contains(string(out), want) {
			t.Errorf("it does not print %q:\n%s", want, out)
		}
	}
}
