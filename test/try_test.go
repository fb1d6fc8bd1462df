package test

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

// A prompt is tried at the terminal: the reply comes piece by piece, the talk is gone on with,
// found and deleted, and is nobody else's.
func TestTryByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, reader := open(t, s.URL, "curator"), open(t, s.URL, "reader")
	reader.says(0, []string{"heron-2-mini", "on trial", "0.3"}, "models")
	reader.says(0, []string{"Mill Lane", "heron-2:", "tokens in and", "Go on with"}, "try", "burst-main-notice", "area=Mill Lane", "hours=6", "--model", "heron-2", "--seed", "3")
	reader.says(0, []string{"=== the usual persona ===", "=== no persona ==="}, "try", "burst-main-notice", "area=Mill Lane", "hours=6", "--without-persona")
	reader.says(1, []string{"area is missing", "hours is 900"}, "try", "burst-main-notice", "hours=900")
	reader.says(1, []string{`no model "swan"`}, "try", "burst-main-notice", "area=x", "hours=6", "--model", "swan")
	reader.says(2, []string{"makes 6 replies"}, "try", "burst-main-notice", "area=x", "hours=6", "--times", "6")
	reader.says(3, []string{"nowhere"}, "try", "nowhere")

	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	talk, err := c.Try(t.Context(), api.TryRequest{Ref: "burst-main-notice", Values: fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6")}, Columns: []api.TryColumn{{Model: "heron-2"}}})
	if err != nil {
		t.Fatal(err)
	}
	first, text := "", ""
	ended, err := c.WatchReply(t.Context(), talk.Replies[0].ID, func(p api.ReplyPiece) {
		if text == "" {
			now, err := c.Reply(t.Context(), talk.Replies[0].ID)
			if err != nil {
				t.Error(err)
			}
			first = now.State
		}
		text = text[:p.At] + p.Text
	})
	if err != nil || ended.State != "done" || ended.Text != text {
		t.Errorf("watched %q, ended %+v, %v", text, ended, err)
	}
	if first != "running" {
		t.Errorf("when its first piece came it was %s", first)
	}

	reader.says(0, []string{"words,"}, "talks", talk.ID, "--say", "Make it shorter.")
	reader.says(0, []string{"--- you ---", "Make it shorter."}, "talks", talk.ID)
	reader.says(0, []string{talk.ID}, "talks", "--find", "make it shorter")
	reader.says(0, []string{"words,"}, "talks", talk.ID, "--refine", "make-it-warmer")
	reader.says(1, []string{"no curator has marked"}, "talks", talk.ID, "--refine", "burst-main-notice")
	reader.says(0, []string{"It is kept."}, "talks", talk.ID, "--keep")
	reader.says(0, []string{"may read it, at /talks/" + talk.ID}, "talks", talk.ID, "--share", "curator")
	curator.says(0, []string{"A talk of a colleague's", "Make it shorter."}, "talks", talk.ID)
	curator.says(3, []string{"you have no such talk"}, "talks", talk.ID, "--delete")
	reader.says(0, nil, "talks", talk.ID, "--unshare", "curator")
	reader.says(1, []string{`no colleague "nobody"`}, "talks", talk.ID, "--share", "nobody")
	reader.says(0, []string{"{{area}}", "{{hours}}", "kind: prompt"}, "talks", talk.ID, "--as-entry", "-")
	curator.says(3, []string{"you have no such talk"}, "talks", talk.ID)
	open(t, s.URL, "reviewer").says(0, []string{"No talk"}, "talks")
	reader.says(0, []string{"gone for good"}, "talks", talk.ID, "--delete")
	reader.says(3, []string{"you have no such talk"}, "talks", talk.ID)

	document := filepath.Join(t.TempDir(), "minutes.docx")
	if err := os.WriteFile(document, docx(t, "Joss will price the valve covers by Friday."), 0o600); err != nil {
		t.Fatal(err)
	}
	reader.says(0, []string{"price the valve covers by Friday"}, "fill", "minutes-to-actions", "--from", "minutes="+document)
	if err := os.WriteFile(document, []byte("PK\x03\x04 no document"), 0o600); err != nil {
		t.Fatal(err)
	}
	reader.says(1, []string{"minutes.docx"}, "fill", "minutes-to-actions", "--from", "minutes="+document)
	curator.says(0, nil, "helper", "interview-questions", "--refinement")
	curator.says(0, nil, "helper", "interview-questions", "--off")

	file := filepath.Join(t.TempDir(), "connection.yaml")
	put := func(text string) string {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	reader.says(4, []string{"only a curator"}, "connections")
	curator.says(0, []string{"simulated-models"}, "connections")
	curator.says(0, []string{"> POST /replies", "< 200 OK", "It answers, in"}, "connections", "simulated-models", "--try", "osprey-70")
	curator.says(1, []string{"inside this machine", "no model \"swan\""}, "connections", "inner", "--set", put("title: Inner\naddress: http://127.0.0.1:9\nmodels: [swan]\n"))
	curator.says(1, []string{"say where each piece of a stream stands"}, "connections", "inner", "--set", put("title: Inner\naddress: https://models.example\nmodels: []\nmapping: {request: {body: {from: /messages}}, reply: {text: /t}, stream: {as: events}}\n"))
	curator.says(0, []string{"outer is there", "finds no secret at GOLDSHELF_SECRET_OUTER"}, "connections", "outer", "--set", put("title: Outer\naddress: https://models.example\nmodels: []\nsecret: GOLDSHELF_SECRET_OUTER\n"))
	curator.says(0, []string{"address: https://models.example", "secret: GOLDSHELF_SECRET_OUTER"}, "connections", "outer")
	curator.says(1, []string{"no secret GOLDSHELF_SECRET_OUTER for https://models.example:443"}, "connections", "outer", "--try", "heron-2")
	curator.says(0, []string{"outer is deleted"}, "connections", "outer", "--delete")
}

// The same on a prompt's page: two replies beside each other, what differs marked, a follow-up,
// and the talk among one's own.
func TestTryAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "reviewer", 1280, 900)
	w.visit("/entries/burst-main-notice", "Try it")
	ask := browser.Script(`[...document.querySelectorAll("section[aria-labelledby=try-it] button")].find((b) => b.innerText.startsWith("Ask")).click()`)
	w.do(ask, browser.See("area is missing"))
	w.do(browser.Type("#blank-area", "Mill Lane"), browser.Type("#blank-hours", "6"), browser.Choose("#try-beside", "persona"), ask,
		browser.See("tokens in"), browser.Press("Mark what differs"), browser.See("no persona"), browser.Press("Show them as they are"),
		browser.Type(`[aria-label="Ask something of no persona"]`, "Make it shorter."), chromedp.KeyEvent(kb.Enter), browser.See("Make it shorter."))
	w.visit("/talks", "Notice of a burst main")
	w.do(browser.Type(`[aria-label="Find in your talks"]`, "zebra"), browser.See("No talk has these words"), browser.Type(`[aria-label="Find in your talks"]`, "Mill Lane"), browser.See("3 replies"),
		browser.Script(`document.querySelector("a[href^='/talks/']").click()`), browser.See("about"), browser.See("Make it shorter."),
		browser.Press("Delete"), browser.Press("Delete for good"), browser.See("No talk yet"))

	// Stopped in the middle, what has come stays. The model takes its time, so that its reply is
	// not there before it is stopped.
	slowly(t, s.URL)
	w.visit("/entries/burst-main-notice", "Try it")
	w.do(browser.Type("#blank-area", "Mill Lane"), browser.Type("#blank-hours", "6"), browser.Choose("#try-model", "marsh-local"), ask,
		browser.Until(`(() => {
			const stop = [...document.querySelectorAll("button")].find((b) => b.innerText.trim() === "Stop");
			if (!stop || !(document.querySelector("article p.font-serif")?.innerText.length > 20)) return false;
			stop.click();
			return true;
		})()`), browser.See("stopped"))

	curator := openWindowAt(t, s.URL, "curator", 1280, 900)
	curator.visit("/settings/connections", "Simulated models")
	curator.do(browser.Script(`[...document.querySelectorAll("button")].find((b) => b.innerText.startsWith("Try it")).click()`), browser.Press("Ask"), browser.See("What came back"), browser.See("200 OK"), browser.Press("Close"),
		browser.Press("Add connection"), browser.Type("#connection-title", "Elsewhere"), browser.Type("#connection-address", "http://10.0.0.1"), browser.Type("#connection-mapping", "{"),
		browser.Script(`document.querySelector("[role=dialog] button[type=submit]").click()`), browser.See("The mapping is no JSON"),
		browser.Type("#connection-mapping", "{}"), browser.Script(`document.querySelector("[role=dialog] button[type=submit]").click()`), browser.See("inside this machine"), browser.See("say where a reply has its text"))
	if text, err := browser.Ask[string](w.ctx, `document.body.innerText`); err != nil || strings.Contains(text, "undefined") {
		t.Errorf("the page says undefined: %v", err)
	}
}

// slowly has the simulated models of a service answer six times as slowly as they do.
func slowly(t *testing.T, url string) {
	t.Helper()
	c := &client.Client{Server: url}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	const name = "simulated-models"
	simulated, err := c.Connection(t.Context(), name)
	if err != nil {
		t.Fatal(err)
	}
	own := endpoint.Own()
	own.Request.Headers = map[string]string{"X-Latency": "6"}
	simulated.Mapping = &own
	if _, err := c.SetConnection(t.Context(), name, simulated.Number, api.NewConnection{Title: simulated.Title, Spec: simulated.Spec}); err != nil {
		t.Fatal(err)
	}
}

// From a talk: a reply is a worked example of its prompt, what was asked a new entry; a talk is
// kept and shared; a draft is tried beside what is on the shelf.
func TestRepliesAreUsedAtTheConsole(t *testing.T) {
	t.Parallel()
	s := alone(t)
	w := openWindowAt(t, s.URL, "contributor", 1280, 900)
	starts := func(what string) browser.Action {
		return browser.Script(`[...document.querySelectorAll("button")].find((b) => b.innerText.startsWith("` + what + `")).click()`)
	}
	w.visit("/entries/burst-main-notice/edit", "Draft of version 3")
	w.do(browser.Type("#summary", "Tells households what to do now."), browser.Until(`document.body.innerText.includes("saved a moment ago")`),
		browser.PressTab("Try it"), browser.Press("Ask"), browser.See("on the shelf"), browser.See("as it is written"), browser.Until(`[...document.querySelectorAll("article")].filter((a) => a.innerText.includes("tokens in")).length === 2`))
	w.do(browser.Press("Make it warmer"), browser.See("Say the same again, kinder."))
	w.visit("/talks", "3 replies")
	w.do(browser.Script(`document.querySelector("a[href^='/talks/']").click()`), browser.Press("Keep"), browser.See("Kept"), browser.Press("Share"), browser.See("Only whom you name"),
		browser.Pick(`[role=dialog] [role=combobox]`, "Oona"), browser.Press("Share with them"), browser.See("No longer"), browser.Press("Close"))
	id, err := browser.Ask[string](w.ctx, `location.pathname.slice("/talks/".length)`)
	if err != nil {
		t.Fatal(err)
	}
	other := openWindowAt(t, s.URL, "reviewer", 1280, 900)
	other.visit("/talks/"+id, "a colleague lets you read this one")
	if text, err := browser.Ask[string](other.ctx, `document.body.innerText`); err != nil || strings.Contains(text, "Use this reply") || strings.Contains(text, "Delete") {
		t.Errorf("the colleague can change it: %v", err)
	}
	w.do(starts("Use this reply"), browser.See("A snippet"), starts("A worked example of"), browser.See("The reply stands among the examples now"), browser.Until(`document.body.innerText.includes("saved a moment ago")`))
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(t.Context(), "contributor", demo.Password); err != nil {
		t.Fatal(err)
	}
	e, err := c.Entry(t.Context(), "burst-main-notice")
	if err != nil || !strings.Contains(e.Body, "## Examples\n> ") {
		t.Errorf("%v: the draft says %s", err, e.Body)
	}
	w.visit("/talks/"+id, "Use this reply")
	w.do(starts("Use this reply"), starts("What was asked, as a new entry"), browser.See("Draft of version 1"), browser.See("{{area}}"))
	w.visit("/entries/minutes-to-actions", "From a file")
	w.do(browser.Upload(`input[aria-label^="A file for"]`, document(t)), browser.Until(`document.querySelector("#blank-minutes").value.includes("valve covers")`))

	curator := openWindowAt(t, s.URL, "curator", 1280, 900)
	curator.visit("/entries/interview-questions", "Helps with")
	curator.do(browser.Choose(`label select`, "refinement"), browser.See("Said"))
}

func document(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "minutes.docx")
	if err := os.WriteFile(file, docx(t, "Joss will price the valve covers by Friday."), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// docx makes a document of one paragraph.
func docx(t *testing.T, text string) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	w, err := z.Create("word/document.xml")
	if err == nil {
		_, err = io.WriteString(w, `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p><w:r><w:t>`+text+`</w:t></w:r></w:p></w:body></w:document>`)
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
