// Package test holds the whole-service tests: the built programs on loopback,
// through the client's binary, over HTTP and in Chromium.
package test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
	"goldshelf/test/run"
)

// What every test here shares: one service with the demo, one Chromium, and a data
// directory with the demo to be copied by those who need a service of their own.
var (
	service *run.Service
	chrome  context.Context
	demoDir string
)

func TestMain(m *testing.M) { os.Exit(withService(m)) }

func withService(m *testing.M) int {
	var removeDemo func()
	var err error
	if demoDir, removeDemo, err = run.Dir(); err != nil {
		return failed(err)
	}
	defer removeDemo()
	loaded, err := run.Serve(demoDir, "--demo")
	if err != nil {
		return failed(err)
	}
	if err := errors.Join(triedOut(loaded.URL), loaded.Stop()); err != nil {
		return failed(err)
	}
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		return failed(err)
	}
	defer remove()
	if service, err = run.Serve(dir, "--demo"); err != nil {
		return failed(err)
	}
	var stop func()
	if chrome, stop, err = browser.Start(context.Background(), browser.Hasty); err != nil {
		return failed(errors.Join(err, service.Stop()))
	}
	status := m.Run()
	stop()
	if err := service.Stop(); err != nil {
		return failed(err)
	}
	return status
}

// triedOut waits until the demo's people have tried out all that they do, so that no copy of it
// has to: at last they are given their allowances.
func triedOut(url string) error {
	ctx, c := context.Background(), &client.Client{Server: url}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return err
	}
	for end := time.Now().Add(time.Minute); time.Now().Before(end); time.Sleep(200 * time.Millisecond) {
		if all, err := c.Allowances(ctx); err != nil || len(all.All) > 0 {
			return err
		}
	}
	return errors.New("the demo's trials have not ended within a minute")
}

func failed(err error) int {
	fmt.Fprintln(os.Stderr, "test:", err)
	return 1
}

// terminal is somebody's shell: the client's binary with a home of its own.
type terminal struct {
	t         *testing.T
	home      string
	url       string
	languages string // LC_ALL
}

func open(t *testing.T, url, name string) *terminal {
	t.Helper()
	term := &terminal{t: t, home: t.TempDir(), url: url}
	if out, status := term.run(demo.Password+"\n", "login", name); status != 0 {
		t.Fatalf("login as %s: status %d, %s", name, status, out)
	}
	return term
}

// run gives what a command printed, both streams together, and its status.
func (term *terminal) run(in string, args ...string) (string, int) {
	term.t.Helper()
	program, err := run.Program("goldshelf")
	if err != nil {
		term.t.Fatal(err)
	}
	cmd := exec.Command(program, args...)
	cmd.Env = []string{"HOME=" + term.home, "PATH=/usr/bin:/bin", "GOLDSHELF_SERVER=" + term.url, "LC_ALL=" + term.languages}
	cmd.Stdin = strings.NewReader(in)
	out, err := cmd.CombinedOutput()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		term.t.Fatal(err)
	}
	return string(out), cmd.ProcessState.ExitCode()
}

// decides is says of a decision about the text that an entry has now: approve, return or
// publish, with the tag that show prints.
func (term *terminal) decides(status int, parts []string, do, slug string, args ...string) {
	term.t.Helper()
	tag := "none"
	if out, _ := term.run("", "show", slug, "--open"); strings.Contains(out, "--seen ") {
		tag = strings.Fields(out[strings.Index(out, "--seen ")+len("--seen "):])[0]
	}
	term.says(status, parts, append([]string{do, slug, "--seen", tag}, args...)...)
}

// says runs a command that should end with a status and print every part.
func (term *terminal) says(status int, parts []string, args ...string) {
	term.t.Helper()
	out, got := term.run("", args...)
	if got != status {
		term.t.Errorf("goldshelf %s: status %d, want %d; it printed:\n%s", strings.Join(args, " "), got, status, out)
	}
	for _, p := range parts {
		if !strings.Contains(out, p) {
			term.t.Errorf("goldshelf %s: it does not print %q but:\n%s", strings.Join(args, " "), p, out)
		}
	}
}

const outageNotice = `---
kind: prompt
title: Notice of planned work
summary: Tells households when their water is off for planned work, and for how long.
labels:
  application: [weir-mail]
  department: [customer-care]
  model: [heron-2]
blanks:
  - name: area
    ask: Which streets or postcodes?
    sample: Mill Lane
  - name: hours
    ask: For how many hours?
    type: number
    sample: 6
    max: 72
---
## Task
Tell households in {{area}} that their water is off for {{hours}} hours while we renew valves.
`

func write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// One entry from a file to the shelf and on to its second version, all by the
// client's binary.
func TestStoryByClient(t *testing.T) {
	t.Parallel()
	const slug = "planned-work-notice"
	writer, reviewer := open(t, service.URL, "contributor"), open(t, service.URL, "reviewer")
	curator, reader := open(t, service.URL, "curator"), open(t, service.URL, "reader")

	file := write(t, slug+".md", outageNotice)
	reader.says(4, []string{"only contributors, reviewers and curators make entries"}, "put", file)
	writer.says(0, []string{slug + ": version 1, draft, made"}, "put", file)
	writer.says(0, []string{"unchanged"}, "put", file)
	writer.says(1, []string{"the change note is missing"}, "submit", slug)
	writer.says(0, []string{"version 1 is in review"}, "submit", slug, "--note", "First version.")
	reviewer.says(0, []string{"review", slug, "First version."}, "desk")
	reviewer.says(0, []string{"Tell households in {{area}}", "owner: contributor"}, "show", slug)
	writer.decides(4, []string{"a reviewer or curator who wrote none of it"}, "approve", slug)
	reader.decides(3, []string{"no entry"}, "approve", slug)
	curator.decides(1, []string{"is in review", "What you can do"}, "publish", slug)
	reviewer.decides(0, []string{"version 1 is approved"}, "approve", slug, "--comment", "Clear.")
	curator.decides(0, []string{"version 1 is published"}, "publish", slug)

	reader.says(0, []string{slug, "Notice of planned work", "1 entry"}, "find", "planned", "valves", "--department", "customer-care")
	reader.says(0, []string{"Nothing on the shelf matches"}, "find", "planned", "valves", "--department", "laboratory")
	if out, status := reader.run("", "fill", slug, "area=Mill Lane", "hours=6"); status != 0 ||
		out != "## Task\nTell households in Mill Lane that their water is off for 6 hours while we renew valves.\n" {
		t.Errorf("fill: status %d, %q", status, out)
	}
	reader.says(1, []string{"area is missing: Which streets or postcodes?", "hours is 99; the most is 72", "no blank named day"}, "fill", slug, "hours=99", "day=1")

	second := write(t, slug+".md", strings.Replace(outageNotice, "Tell households", "Kindly tell households", 1))
	writer.says(0, []string{"version 2, draft, begun"}, "put", second)
	reader.says(0, []string{"\nTell households"}, "show", slug)
	reader.says(3, nil, "show", slug+"@2")
	writer.says(0, nil, "submit", slug, "--note", "Kinder.")
	reviewer.decides(0, []string{"version 2 is draft again"}, "return", slug, "--because", "Not kindly: plainly.")
	writer.says(0, []string{"finish", "returned: Not kindly"}, "desk")
	writer.says(0, nil, "submit", slug, "--note", "Kinder.")
	writer.says(0, []string{"version 2 is draft again"}, "withdraw", slug)
	writer.says(0, nil, "submit", slug, "--note", "Kinder.")
	reviewer.decides(0, nil, "approve", slug)
	curator.decides(0, nil, "publish", slug)
	reader.says(0, []string{"Kindly tell"}, "show", slug)
	reader.says(0, []string{"\nTell households"}, "show", slug+"@1")
	reader.says(0, []string{"2        published", "1        superseded", "Idris Fenn", "Kinder.", "First version."}, "history", slug)
}

// A draft that someone else saved last is not saved over unasked.
func TestPutSeesOthersWork(t *testing.T) {
	t.Parallel()
	writer, curator := open(t, service.URL, "contributor"), open(t, service.URL, "curator")
	writer.says(0, nil, "put", write(t, "clash-by-client.md", outageNotice))
	curator.says(5, []string{"Idris Fenn saved version 1", "--over"}, "put", write(t, "clash-by-client.md", outageNotice+"More.\n"))
	curator.says(0, []string{"saved"}, "put", "--over", write(t, "clash-by-client.md", outageNotice+"More.\n"))
}

func TestClientSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	reader, writer := open(t, service.URL, "reader"), open(t, service.URL, "contributor")
	reader.says(2, []string{"no command"}, "fnd")
	reader.says(2, nil, "find", "--colour", "red")
	reader.says(2, []string{"fill takes a slug"}, "fill")
	reader.says(2, []string{"name=value"}, "fill", "burst-main-notice", "Mill Lane")
	reader.says(2, []string{"takes one slug"}, "show")
	reader.says(3, []string{"no entry \"nothing-there\""}, "show", "nothing-there")
	reader.says(1, []string{`"field": "/mood"`, "no facet"}, "find", "--label", "mood=calm", "--json")
	reader.says(2, []string{"facet=term"}, "find", "--label", "mood")
	bad := write(t, "bad.md", "---\nkind: prompt\ncolour: red\nblanks: 3\n---\n")
	writer.says(1, []string{"bad.md:3:9: there is no field colour", "bad.md:4:9: found a single value"}, "put", bad)
	writer.says(1, []string{"no such file"}, "put", "missing.md", bad)
	writer.says(1, []string{"is no slug"}, "put", write(t, "Bad Name.md", outageNotice))
	if out, status := writer.run(outageNotice, "put", "-", "--slug", "from-standard-input"); status != 0 || !strings.Contains(out, "from-standard-input: version 1, draft") {
		t.Errorf("put -: %d %s", status, out)
	}
	stranger := &terminal{t: t, home: t.TempDir(), url: service.URL}
	stranger.says(4, []string{"run goldshelf login"}, "whoami")
	if out, status := stranger.run("wrong-password\n", "login", "night-shift"); status != 4 || !strings.Contains(out, "the name or the password is wrong") {
		t.Errorf("wrong password: %d %s", status, out)
	}
	far := &terminal{t: t, home: t.TempDir(), url: "http://127.0.0.1:1"}
	far.says(1, []string{"no Gold Shelf answers at http://127.0.0.1:1"}, "--token", "x", "find")
	reader.says(0, []string{"complete"}, "completion", "bash")
	info, err := os.Stat(filepath.Join(reader.home, ".config", "goldshelf", "session.json"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the saved token has mode %v, %v", info, err)
	}
	reader.says(0, []string{"Signed out"}, "logout")
	reader.says(4, nil, "whoami")
}

// Checks run on files before anything is sent, with and without a service.
func TestCheckByClient(t *testing.T) {
	t.Parallel()
	writer := open(t, service.URL, "contributor")
	bad := write(t, "checked.md", strings.Replace(outageNotice, "Tell households", "TODO tell {{Households}}", 1)+"{{include gone}}\n")
	writer.says(6, []string{"checked.md:20:1: stop left-over: “TODO” was left over", "checked.md:20:13: stop mark-faulty", "2 stops"}, "check", bad)
	stranger := &terminal{t: t, home: t.TempDir(), url: "http://127.0.0.1:1"}
	stranger.says(6, []string{"stop left-over", "stop mark-faulty"}, "check", bad)
	lost := write(t, "lost.md", outageNotice+"{{include gone}}\n")
	writer.says(6, []string{"lost.md:21:1: stop include-faulty: there is no published entry gone"}, "check", lost)
	stranger.says(0, []string{"0 stops"}, "check", lost)
	writer.says(0, []string{"0 stops"}, "check", "--offline", lost)
	writer.says(6, []string{`"rule": "left-over"`, `"severity": "stop"`}, "check", "--json", bad)
	writer.says(6, []string{"complaint-summary:1:", "stop paste-unfenced"}, "check", "complaint-summary")
	writer.says(0, []string{"0 stops"}, "check", "burst-main-notice")
	writer.says(3, []string{"no entry"}, "check", "no-such-entry")
	writer.says(6, []string{"was left over"}, "submit", "complaint-summary", "--note", "Ready.")
	writer.says(2, []string{"takes entry files"}, "check")
}

// A stack is swapped and dropped, and each line says where it came from.
func TestStackByClient(t *testing.T) {
	t.Parallel()
	reader := open(t, service.URL, "reader")
	reader.says(0, []string{
		"duty-officer@2 ", "│ ## Who", "plain-river@2 ", "burst-main-notice@2 (area, hours) ", "│ Write a notice for households in Mill Lane.",
		"burst-main-notice@2 + how-to-reach-us@2 + opening-hours@1 │ End with this line: You reach us",
	}, "fill", "burst-main-notice", "area=Mill Lane", "hours=6", "--explain")
	out, status := reader.run("", "fill", "bmn", "area=Mill Lane", "hours=6", "--persona", "none", "--style", "board-brief", "--sheet", "larkfen-facts")
	if status != 0 || !strings.HasPrefix(out, "## Guide\nThe decision") || !strings.Contains(out, "412,000") || strings.Contains(out, "duty officer") {
		t.Errorf("status %d, %s", status, out)
	}
	reader.says(1, []string{"plain-river is a style, and a persona is wanted here"}, "fill", "bmn", "area=x", "hours=6", "--persona", "plain-river")
	reader.says(0, []string{"how-to-reach-us", "include", "meter-dispute-reply"}, "uses", "opening-hours")
	reader.says(0, []string{"Nothing uses"}, "uses", "burst-main-notice")
}

// What is in use stays on the shelf; what is retired says what to use instead.
func TestRetireByClient(t *testing.T) {
	t.Parallel()
	curator, reader := open(t, service.URL, "curator"), open(t, service.URL, "reader")
	curator.says(1, []string{"toolbox-talk@1, looked after by Joss Penhale) includes it"}, "retire", "site-names", "--because", "Old.")
	curator.says(2, []string{"because"}, "retire", "site-names")
	reader.says(4, []string{"only a curator may retire"}, "retire", "site-names", "--because", "Old.")
	curator.says(1, []string{"no entry \"nowhere\" on the shelf"}, "retire", "tender-questions", "--because", "Old.", "--instead", "nowhere")
	curator.says(0, []string{"version 1 is retired"}, "retire", "tender-questions", "--because", "Two lists in one", "--instead", "tender-table")
	reader.says(3, []string{"was retired", "Two lists in one; use tender-table instead"}, "fill", "tender-questions", "bid=x", "requirement=y")
	reader.says(0, []string{"tender-questions was retired", "use tender-table instead", "title: Questions to bidders"}, "show", "tender-questions")
	reader.says(0, []string{"Nothing on the shelf matches"}, "find", `"questions to bidders"`)
	curator.says(0, []string{"version 1 is published again"}, "restore", "tender-questions")
	reader.says(0, []string{"tender-questions"}, "find", "questions", "bidders")
}

// A policy is read as JSON, changed, and put in force by a curator alone.
func TestPolicyByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reader")
	curator.says(0, []string{"left-over ", "submit, publish", "Words to avoid: unfortunately", "Policy 1, set by Tamsin Hale"}, "policy")
	text, status := curator.run("", "policy", "--json")
	if status != 0 {
		t.Fatal(text)
	}
	file := write(t, "policy.json", strings.Replace(text, `"unfortunately"`, `"hopefully"`, 1))
	reader.says(4, []string{"only a curator may set the policy"}, "policy", "--set", file)
	curator.says(0, []string{"Words to avoid: hopefully", "Policy 2"}, "policy", "--set", file)
	curator.says(5, []string{"holds policy 1, and Tamsin Hale has set policy 2 since"}, "policy", "--set", file)
	curator.says(1, []string{"holds no policy", "colour"}, "policy", "--set", write(t, "policy.yaml", "colour: red\n"))
	curator.says(1, []string{"no rule \"nope\"", "no facet \"mood\""}, "policy", "--set", write(t, "policy.yaml", "rules: {nope: {severity: stop}}\nrequired: [mood]\n"))
	curator.says(0, []string{"left-over ", "note ", "Policy 3"}, "policy", "--set", write(t, "policy.yaml", "rules:\n  left-over: {severity: note}\n"))
	curator.says(6, []string{"note left-over"}, "check", "complaint-summary")
}

func TestDiffByClient(t *testing.T) {
	t.Parallel()
	reader := open(t, service.URL, "reader")
	reader.says(0, []string{"+ ", "burst-main-notice, version 2 against version 1"}, "diff", "burst-main-notice")
	reader.says(0, []string{"how-to-reach-us, version 2 against version 1: 1 line of the text", "~ You reach us", "{+", "[-"}, "diff", "how-to-reach-us", "1", "2")
	reader.says(0, []string{"from 7:00 to 20:00"}, "diff", "how-to-reach-us", "--filled")
	reader.says(0, []string{"say the same"}, "diff", "how-to-reach-us", "2", "2")
	reader.says(3, []string{"no version 9"}, "diff", "how-to-reach-us", "9")
	reader.says(2, []string{"no number of a version"}, "diff", "how-to-reach-us", "x")
	reader.says(0, []string{`"op": "changed"`}, "diff", "how-to-reach-us", "--json")
}

func TestJSONIsTheServicesOwn(t *testing.T) {
	t.Parallel()
	reader := open(t, service.URL, "reader")
	reader.says(0, []string{`"facets": [`, `"slug": "burst-main-notice"`}, "find", "burst", "--json")
	reader.says(0, []string{`"spans": [`, `"used": [`}, "--json", "fill", "burst-main-notice", "area=Mill Lane", "hours=6")
	reader.says(0, []string{`"items": [`}, "history", "burst-main-notice", "--json")
}

// What an answered save put there is there after the service was killed, and
// two services never share a data directory.
func TestKilledAndStartedAgain(t *testing.T) {
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
	if _, err := run.Serve(dir); err == nil || !strings.Contains(err.Error(), fmt.Sprintf("another Gold Shelf (process %d)", first.PID())) {
		t.Errorf("a second service on the directory: %v", err)
	}
	c := &client.Client{Server: first.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	draft, etag, err := c.Draft(t.Context(), "school-visit-talk")
	if err != nil {
		t.Fatal(err)
	}
	in := apiEntry(draft)
	in.Body += "Last words.\n"
	if _, _, err := c.SaveDraft(t.Context(), "school-visit-talk", etag, in); err != nil {
		t.Fatal(err)
	}
	if err := first.Kill(); err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	second, err := run.Serve(dir, "--demo")
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("ready %s after the start", time.Since(start).Round(time.Millisecond))
	c.Server = second.URL
	if e, err := c.Entry(t.Context(), "school-visit-talk"); err != nil || !strings.HasSuffix(e.Body, "Last words.\n") {
		t.Errorf("after the kill the draft ends %q, %v", e.Body[max(0, len(e.Body)-40):], err)
	}
	if err := second.Stop(); err != nil {
		t.Errorf("stop: %v", err)
	}
}

// SIGTERM lets what is running finish.
func TestStopsKindly(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Dir()
	if err != nil {
		t.Fatal(err)
	}
	defer remove()
	s, err := run.Serve(dir)
	if err != nil {
		t.Fatal(err)
	}
	if res, err := http.Get(s.URL + "/healthz"); err != nil || res.StatusCode != 200 {
		t.Errorf("healthz: %v, %v", res, err)
	}
	if err := syscall.Kill(s.PID(), 0); err != nil {
		t.Fatal(err)
	}
	if err := s.Stop(); err != nil {
		t.Errorf("it ended with %v", err)
	}
}

func TestLogsHoldNoSecretAndNoText(t *testing.T) {
	t.Parallel()
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Fill(t.Context(), "burst-main-notice", fill.Values{"area": fill.Single("Secret Lane"), "hours": fill.Single("6")}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Shelf(t.Context(), client.Query{Words: "secretword", Labels: map[string][]string{"kind": {string(entry.Prompt)}}}); err != nil {
		t.Fatal(err)
	}
	log := service.Log()
	if !strings.Contains(log, "route=/api/v1/shelf/:ref/fill status=200") {
		t.Errorf("no line for the request in %s", log)
	}
	for _, secret := range []string{c.Token, demo.Password, "Secret Lane", "secretword", "A main has burst"} {
		if strings.Contains(log, secret) {
			t.Errorf("the log holds %q", secret)
		}
	}
}
