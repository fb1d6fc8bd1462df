package server

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

// replyCalls has every operation on one conversation, run, trial or reply: a body that it
// takes, and whether it changes the thing. An operation of the contract that is not here
// fails the test.
var replyCalls = map[string]struct {
	body    string
	changes bool
	tries   bool // it is for contributors and above
}{
	"reply": {}, "replyEvents": {}, "replyAsEntry": {}, "stopReply": {body: "{}", changes: true}, "takeProposal": {body: "{}", changes: true},
	"talk": {}, "deleteTalk": {changes: true}, "followUp": {body: `{"text": "Shorter.", "after": "01920000-0000-7000-8000-000000000000"}`, changes: true},
	"keepTalk": {body: `{"kept": true}`, changes: true}, "shareTalk": {body: `{"with": "tester", "shared": true}`, changes: true},
	"run": {}, "runFile": {}, "stopRun": {body: "{}", changes: true}, "keepRun": {body: `{"kept": true}`, changes: true}, "deleteRun": {changes: true}, "runStep": {body: "{}", changes: true},
	"trial": {}, "trialEvents": {}, "trialCell": {}, "trialReplies": {}, "trialPair": {tries: true},
	"markReply": {body: `{"met": true}`, tries: true}, "preferReply": {body: `{"first": "01920000-0000-7000-8000-000000000000", "second": "01920000-0000-7000-8000-000000000001", "better": "first"}`, tries: true},
	"stopTrial": {body: "{}", changes: true}, "resumeTrial": {body: "{}", changes: true}, "deleteTrial": {changes: true},
}

// asked is something that models were asked, with its ids and who may see and change it.
type askedThing struct {
	talk, run, trial, reply string
	sees, changes           []string
}

// replyWorld is a world in which models are asked, and nothing ever answers.
type replyWorld struct {
	*world
	demoted work.Caller // who was a reviewer
}

func newReplyWorld(t *testing.T) *replyWorld {
	t.Helper()
	w := newWorld(t)
	if _, err := w.lib.Connect.Add(t.Context(), w.By("curator"), api.NewConnection{Title: "Models", Spec: endpoint.Spec{Address: "https://models.example", Models: []string{"heron-2"}, AtOnce: 100}}); err != nil {
		t.Fatal(err)
	}
	w.Exec("insert into people (name, full_name, role) values ('demoted', 'Demoted', 'reviewer')")
	demoted := work.Caller{ID: w.idOf(t, "demoted"), Name: "demoted", FullName: "Demoted", Role: entry.Reviewer, Via: work.ViaAPI}
	w.Publish(testdb.Prompt("notice", "Write about {{area}}.\n"))
	w.Create(testdb.Prompt("plan", "Write about {{area}}, in secret.\n"))
	relay := testdb.Part(entry.Relay, "both", "Give the area.\n")
	relay.Steps = []entry.Step{{Name: "first", Use: "notice", With: map[string]string{"area": "{{area}}"}}}
	w.Publish(relay)
	return &replyWorld{w, demoted}
}

// things makes one of each relation that somebody can have to a reply.
func (w *replyWorld) things(t *testing.T) map[string]askedThing {
	t.Helper()
	ctx, all := t.Context(), map[string]askedThing{}
	values := fill.Values{"area": fill.Single("Mill Lane")}
	talk := func(by work.Caller, ref string, open bool) askedThing {
		got, err := w.lib.Talks.Try(ctx, by, api.TryRequest{Ref: ref, Open: open, Values: values, Columns: []api.TryColumn{{Model: "heron-2"}}})
		if err != nil {
			t.Fatal(err)
		}
		return askedThing{talk: got.ID, reply: got.Replies[0].ID, sees: []string{by.Name}, changes: []string{by.Name}}
	}
	all["own conversation"] = talk(w.By("contributor"), "notice", false)
	all["conversation about a draft, its person lost the role"] = talk(w.demoted, "plan", true)
	shared := talk(w.By("contributor"), "notice", false)
	if _, err := w.lib.Talks.Share(ctx, w.By("contributor"), shared.talk, "reader", true); err != nil {
		t.Fatal(err)
	}
	shared.sees = append(shared.sees, "reader")
	all["shared conversation"] = shared
	run, err := w.lib.Relays.Start(ctx, w.By("contributor"), api.NewRun{Ref: "both", Values: values, Model: "heron-2"})
	if err != nil {
		t.Fatal(err)
	}
	all["own run"] = askedThing{run: run.ID, reply: run.Steps[0].Replies[0].ID, sees: []string{"contributor"}, changes: []string{"contributor"}}
	trialOf := func(by work.Caller, slug, version string, sees, changes []string) askedThing {
		got, err := w.lib.Trials.Start(ctx, by, slug, api.NewTrial{Times: 1, SetUps: []trial.SetUp{{Model: "heron-2", Version: version}}, Fills: []trial.TestFill{{Name: "one", Values: values}}})
		if err != nil {
			t.Fatal(err)
		}
		cell, err := w.lib.Trials.Cell(ctx, by, got.ID, 0, 0)
		if err != nil {
			t.Fatal(err)
		}
		return askedThing{trial: got.ID, run: cell.Replies[0].Run, reply: cell.Replies[0].ID, sees: sees, changes: changes}
	}
	everyone := []string{"contributor", "reader", "second", "reviewer", "curator", "demoted"}
	seers := []string{"contributor", "reviewer", "curator"}
	all["trial of the shelf"] = trialOf(w.By("contributor"), "notice", "shelf", everyone, []string{"contributor", "curator"})
	all["trial of a relay"] = trialOf(w.By("contributor"), "both", "shelf", everyone, []string{"contributor", "curator"})
	all["trial of a draft"] = trialOf(w.By("reviewer"), "plan", "open", seers, seers)
	all["trial of a draft, its person lost the role"] = trialOf(w.demoted, "plan", "open", seers, []string{"contributor", "curator"})
	return all
}

// Every operation on what models were asked is tried by everyone on everything: who may not
// see it gets the answer for what is not there, and who may only see it changes nothing.
func TestRepliesAreShownAndChangedByThoseWhoMay(t *testing.T) {
	t.Parallel()
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	w := newReplyWorld(t)
	cells := 0
	for path, item := range doc.Paths.Map() {
		kind := ""
		for _, k := range []string{"tries", "talks", "runs", "trials"} {
			if strings.HasPrefix(path, "/"+k+"/{id}") {
				kind = k
			}
		}
		if kind == "" {
			continue
		}
		for method, op := range item.Operations() {
			call, is := replyCalls[op.OperationID]
			if !is {
				t.Errorf("%s %s (%s) has no line in this test", method, path, op.OperationID)
				continue
			}
			w.demote(entry.Reviewer)
			things := w.things(t)
			w.demote(entry.Reader)
			for relation, thing := range things {
				id := map[string]string{"tries": thing.reply, "talks": thing.talk, "runs": thing.run, "trials": thing.trial}[kind]
				if id == "" {
					continue
				}
				sees, changes := thing.sees, thing.changes
				if kind == "runs" && thing.trial != "" {
					changes = nil // the trial is stopped instead
				}
				for _, who := range []string{"reader", "second", "reviewer", "curator", "demoted", "contributor"} { // who may change it comes last
					cells++
					w.replyCell(t, relation, who, op.OperationID, method, strings.NewReplacer(
						"{id}", id, "{name}", "first", "{fill}", "0", "{set_up}", "0", "{reply}", thing.reply, "{expectation}", "0").Replace(path),
						call.body, call.changes, call.tries, slices.Contains(sees, who), slices.Contains(changes, who))
				}
			}
		}
	}
	if cells < 300 {
		t.Errorf("only %d cells were tried", cells)
	}
}

// one reads one text from the database.
func (w *replyWorld) one(query string) string {
	w.t.Helper()
	var all []string
	w.Select(&all, query)
	if len(all) != 1 {
		w.t.Fatalf("%s gave %q", query, all)
	}
	return all[0]
}

func (w *replyWorld) demote(role entry.Role) {
	w.t.Helper()
	w.Exec(fmt.Sprintf("update people set role = '%s' where name = 'demoted'", role))
}

func (w *replyWorld) replyCell(t *testing.T, relation, who, op, method, path, body string, changes, tries, sees, mayChange bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, w.url+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	req.Header.Set("Authorization", "Bearer "+w.token(t, who))
	res, err := crowd.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	got := res.StatusCode
	may := sees && (!changes || mayChange) && !(tries && slices.Contains([]string{"reader", "demoted"}, who))
	switch {
	case !sees && got != http.StatusNotFound:
		t.Errorf("%s by %s of a %s that is hidden: %d, want 404", op, who, relation, got)
	case sees && !may && got != http.StatusForbidden && got != http.StatusNotFound && !(got == http.StatusUnprocessableEntity && strings.HasPrefix(path, "/runs/")):
		t.Errorf("%s by %s of a %s: %d, and they may not", op, who, relation, got)
	case may && (got == http.StatusForbidden || got >= 500):
		t.Errorf("%s by %s of a %s: %d, and they may", op, who, relation, got)
	}
}

// token is a token of anyone in this world.
func (w *replyWorld) token(t *testing.T, who string) string {
	t.Helper()
	if c, ok := w.clients[who]; ok {
		return c.Token
	}
	if who != "demoted" {
		return w.as(who).Token
	}
	return w.tokenOfID(w.demoted.ID)
}

// A reply is stopped by those who may, once, and a trial's stop is on the audit log.
func TestReplyIsStoppedOnlyByThoseWhoMay(t *testing.T) {
	t.Parallel()
	w := newReplyWorld(t)
	things := w.things(t)
	state := func(id string) string { return w.one("select state from replies where id = '" + id + "'") }
	for _, relation := range []string{"shared conversation", "trial of the shelf", "own run"} {
		thing := things[relation]
		for _, who := range []string{"reader", "second"} {
			w.call(who, http.MethodPost, "/api/v1/tries/"+thing.reply+"/stop", "{}")
			if got := state(thing.reply); got != "waiting" {
				t.Errorf("%s of somebody else's: %s is %s after its stop, want waiting", who, relation, got)
			}
		}
		if a := w.call("contributor", http.MethodPost, "/api/v1/tries/"+thing.reply+"/stop", "{}"); a.status != http.StatusOK || state(thing.reply) != "stopped" {
			t.Errorf("%s by its person: %d, then %s", relation, a.status, state(thing.reply))
		}
	}
	if n := w.one("select count(*)::text from events where action = 'stop-reply'"); n != "1" {
		t.Errorf("%s stops are on the audit log, want the one of the trial", n)
	}
}

// A stream ends within two seconds after its listener may listen no longer.
func TestStreamEndsWithItsListenersRight(t *testing.T) {
	t.Parallel()
	for title, end := range map[string]func(w *replyWorld, thing askedThing, token string){
		"signed out": func(w *replyWorld, _ askedThing, token string) {
			req, _ := http.NewRequest(http.MethodDelete, w.url+"/api/v1/session", nil)
			req.Header.Set("Authorization", "Bearer "+token)
			if res, err := crowd.Do(req); err != nil || res.StatusCode != http.StatusNoContent {
				w.t.Errorf("sign out: %v, %v", res, err)
			}
		},
		"account ended": func(w *replyWorld, _ askedThing, _ string) {
			off := false
			if _, err := w.lib.People.Change(context.Background(), w.By("curator"), "reader", api.PersonChange{Active: &off}); err != nil {
				w.t.Error(err)
			}
		},
		"sharing ended": func(w *replyWorld, thing askedThing, _ string) {
			if _, err := w.lib.Talks.Share(context.Background(), w.By("contributor"), thing.talk, "reader", false); err != nil {
				w.t.Error(err)
			}
		},
	} {
		t.Run(title, func(t *testing.T) {
			t.Parallel()
			w := newReplyWorld(t)
			thing := w.things(t)["shared conversation"]
			token := w.tokenOf("reader")
			ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
			defer cancel()
			req, err := http.NewRequestWithContext(ctx, http.MethodGet, w.url+"/api/v1/tries/"+thing.reply+"/events", nil)
			if err != nil {
				t.Fatal(err)
			}
			req.Header.Set("Authorization", "Bearer "+token)
			res, err := crowd.Do(req)
			if err != nil || res.StatusCode != http.StatusOK {
				t.Fatalf("%v, %v", res, err)
			}
			defer res.Body.Close()
			ended := make(chan struct{})
			go func() {
				defer close(ended)
				for lines := bufio.NewScanner(res.Body); lines.Scan(); {
				}
			}()
			select {
			case <-ended:
				t.Fatal("the stream ended before its time")
			case <-time.After(time.Second):
			}
			end(w, thing, token)
			at := time.Now()
			select {
			case <-ended:
			case <-time.After(20 * time.Second):
				t.Fatal("the stream goes on")
			}
			if took := time.Since(at); took > 4*time.Second { // two, and what a slow machine takes
				t.Errorf("the stream ended after %s", took)
			}
		})
	}
}

// Whoever may not see a draft learns nothing of whether there is one.
func TestTryingWithAHiddenDraftTellsNothingOfIt(t *testing.T) {
	t.Parallel()
	w := newReplyWorld(t)
	w.Publish(snippet("closing", "Kind regards.\n"), testdb.Prompt("letter", "Write about {{area}}.\n{{include closing}}\n"))
	start := func() string {
		return w.call("second", http.MethodPost, "/api/v1/entries/letter/trials", `{"private": true, "times": 1, "fills": [{"name": "one", "values": {"area": "Mill Lane"}}],
			"set_ups": [{"model": "heron-2", "with": "closing@open"}]}`).Detail.String() + fmt.Sprint(w.call("second", http.MethodPost, "/api/v1/entries/letter/trials",
			`{"private": true, "times": 1, "fills": [{"name": "one", "values": {"area": "Mill Lane"}}], "set_ups": [{"model": "heron-2", "with": "closing@open"}]}`).Problems)
	}
	without := start()
	w.Save("closing", snippet("closing", "Secret regards.\n"))
	if with := start(); with != without || without == "" {
		t.Errorf("with a draft: %s\nwithout: %s", with, without)
	}
}

// A version that was taken back is shown to those alone who may see drafts.
func TestUnpublishedVersionIsHiddenFromReaders(t *testing.T) {
	t.Parallel()
	w, ctx := newReplyWorld(t), t.Context()
	next := testdb.Prompt("notice", "Write about {{area}} for Jane of 7 Mill Lane.\n")
	w.Save("notice", next)
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, "notice", "With a name."))
	step[api.Entry](t, "approve")(approve(w.as("reviewer"), "notice", ""))
	step[api.Entry](t, "publish")(publish(w.as("curator"), "notice"))
	if a := w.call("reader", http.MethodGet, "/api/v1/shelf/notice@2", ""); a.status != http.StatusOK {
		t.Fatalf("before: %d", a.status)
	}
	step[api.Entry](t, "unpublish")(w.as("curator").Unpublish(ctx, "notice", "It held personal data."))
	for _, call := range [][3]string{
		{"GET", "/shelf/notice@2", ""}, {"POST", "/shelf/notice@2/fill", `{"values": {"area": "x"}}`}, {"GET", "/entries/notice/versions/2", ""},
		{"GET", "/entries/notice/diff?from=1&to=2", ""}, {"GET", "/entries/notice/versions/2/annotate", ""},
	} {
		for _, who := range []string{"reader", "second"} {
			if a := w.call(who, call[0], "/api/v1"+call[1], call[2]); a.status != http.StatusNotFound || strings.Contains(a.body, "Jane") {
				t.Errorf("%s %s as %s: %d %s", call[0], call[1], who, a.status, a.body)
			}
		}
	}
	if a := w.call("reader", http.MethodGet, "/api/v1/entries/notice/versions", ""); strings.Contains(a.body, "With a name") {
		t.Errorf("the list of versions names it: %s", a.body)
	}
	if a := w.call("reviewer", http.MethodGet, "/api/v1/entries/notice/versions/2", ""); a.status != http.StatusOK {
		t.Errorf("a reviewer gets %d", a.status)
	}
}
