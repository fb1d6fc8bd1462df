package test

import (
	"strings"
	"testing"
	"time"
)

// What the client's commands for keeping print, and how they end where they cannot.
func TestKeepingByClient(t *testing.T) {
	t.Parallel()
	s := alone(t)
	curator, writer, reader := open(t, s.URL, "curator"), open(t, s.URL, "contributor"), open(t, s.URL, "reader")

	curator.says(0, []string{"incident-timeline", "could not be published at its time", "site-names", "interview-questions", "Sorrel Whitby, has left", "no-guessing"}, "desk")
	writer.says(0, []string{"accept", "returned:", "answer", "one comment waits for an answer", "nobody has touched for a month"}, "desk")
	reader.says(0, []string{"Nothing waits for you."}, "desk")

	curator.says(2, []string{"publish takes the slugs"}, "publish")
	curator.decides(2, []string{`"soon" is no time`}, "publish", "site-names", "--at", "soon")
	curator.decides(1, []string{"is past; leave the time out"}, "publish", "site-names", "--at", "2020-01-01")
	later := time.Now().AddDate(0, 2, 0).Format("2006-01-02T15:04")
	curator.decides(0, []string{"site-names: version 2 will be published on"}, "publish", "site-names", "--at", later)
	out, _ := curator.run("", "publications")
	var id string
	for field := range strings.FieldsSeq(out) {
		if strings.Count(field, "-") == 4 {
			id = field
		}
	}
	if !strings.Contains(out, "site-names") || id == "" {
		t.Fatalf("publications prints:\n%s", out)
	}
	curator.says(0, []string{"waits for a curator's word again"}, "publications", "--cancel", id)
	curator.says(3, []string{"no publication with this id"}, "publications", "--cancel", id)
	writer.says(4, []string{"only a curator"}, "publications")

	writer.says(0, []string{"version 3 is draft, with the text of burst-main-notice@1"}, "restore", "burst-main-notice@1")
	writer.says(2, []string{`"one" is no version`}, "restore", "burst-main-notice@one")
	writer.says(1, []string{"version 3 of burst-main-notice is a draft"}, "restore", "burst-main-notice@1")
	curator.says(0, []string{"stays, and is looked at again by"}, "renew", "no-guessing", "--note", "Read it.")
	writer.says(4, []string{"may renew letter-close"}, "renew", "letter-close")
	curator.says(1, []string{"over 15 minutes ago"}, "unpublish", "letter-close", "--because", "No.")

	writer.says(2, []string{"takes slugs, or --all-of"}, "transfer", "--to", "care-lead")
	writer.says(1, []string{"a reader owns nothing"}, "transfer", "burst-main-notice", "--to", "reader")
	writer.says(0, []string{"offered to care-lead"}, "transfer", "burst-main-notice", "--to", "care-lead")
	curator.says(0, []string{"tender-table: people-lead answers for it now"}, "transfer", "--all-of", "buyer", "--to", "people-lead")
	writer.says(3, []string{"not offered to you"}, "accept", "tender-table")
	writer.says(0, []string{"reading-reminder: stays with its owner"}, "decline", "reading-reminder")
	writer.says(0, []string{"burst-main-notice", "complaint-summary"}, "find", "--mine")

	writer.says(0, []string{"owner       Idris Fenn (contributor)", "deputy      Maribel Stroud (care-lead)", "department  customer-care"}, "owners", "burst-main-notice")
	writer.says(0, []string{"deputy      nobody", "department  laboratory"}, "owners", "burst-main-notice", "--deputy", "", "--department", "laboratory")
	writer.says(1, []string{`nobody called "moon"`, `no department "moon"`}, "owners", "burst-main-notice", "--deputy", "moon", "--department", "moon")
	reader.says(4, []string{"only its owner, its deputy or a curator"}, "owners", "burst-main-notice", "--deputy", "reader")

	curator.says(0, []string{"DEPARTMENT", "Customer Care", "OWNER LEFT"}, "people", "--departments")
	curator.says(0, []string{"buyer: has left"}, "people", "--deactivate", "buyer")
	curator.says(0, []string{"reviewer: away from 2026-12-01 to 2026-12-24"}, "people", "--away", "reviewer", "--from", "2026-12-01", "--until", "2026-12-24")
	curator.says(1, []string{"is before the first"}, "people", "--away", "reviewer", "--from", "2026-12-01", "--until", "2026-11-01")
	reader.says(4, []string{"only a curator"}, "people", "--deactivate", "curator")

	curator.says(0, []string{"records hold"}, "audit", "--verify")
	curator.says(0, []string{"still-good", "no-guessing@1", `{"note":"Read it."}`}, "audit", "--entry", "no-guessing", "--limit", "1")
	curator.says(0, []string{"number,at,by,by_name", "buyer"}, "audit", "--action", "change-person", "--export", "csv")
	curator.says(1, []string{"csv or jsonl"}, "audit", "--export", "xml")
	reader.says(4, []string{"only a curator may read"}, "audit")

	writer.says(1, []string{`does not say "zebra"`}, "comments", "boil-water-wording", "--on", "zebra", "--say", "x")
	writer.says(0, []string{"Is three always enough?", "{{minutes}} minutes"}, "comments", "boil-water-wording")
	reader.says(4, []string{"only reviewers"}, "comments", "boil-water-wording")
	reader.says(0, []string{"Maribel Stroud", "Idris Fenn"}, "annotate", "meter-dispute-reply@3")

	reader.says(0, []string{"department:laboratory", "department:customer-care"}, "follow", "department:laboratory")
	reader.says(3, []string{`no department "moon"`}, "follow", "department:moon")
	reader.says(0, nil, "follow", "--stop", "department:laboratory")
	reader.says(0, []string{"/api/v1/feeds/"}, "follow", "--feed")
	reader.says(0, []string{"published", "Tamsin Hale"}, "news", "--read")
	curator.says(0, []string{"Larkfen news board", "all"}, "channels")
	curator.says(1, []string{"allow the host by name first"}, "channels", "--add", "http://127.0.0.1:9/")
	curator.says(3, []string{"no channel 9"}, "channels", "9")
	curator.says(0, []string{"is told of publish in laboratory, once it is resumed"}, "channels", "1", "--pause", "--action", "publish", "--department", "laboratory")
	curator.says(0, []string{"publish in laboratory", "paused"}, "channels")
	curator.says(0, []string{"1: News is told of publish in laboratory\n"}, "channels", "1", "--resume", "--title", "News")
	curator.says(2, []string{"which channel?"}, "channels", "--pause")
	curator.says(2, []string{"which channel?"}, "channels", "--send", "1")
	curator.says(2, []string{"undo each other"}, "channels", "1", "--resume", "--pause")
	curator.says(1, []string{`nobody is told of "moon"`}, "channels", "1", "--action", "moon")
	curator.says(3, []string{"no channel 9"}, "channels", "9", "--pause")
	reader.says(4, []string{"only a curator"}, "channels")
}
