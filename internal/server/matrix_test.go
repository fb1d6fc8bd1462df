package server

import (
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
	"goldshelf/internal/testdb"
)

// group says who may carry an operation out. Of an entry's draft, whoever may not see that
// gets the same answer as if there were no such entry.
type group string

const (
	everyone group = "everyone"           // without a sign-in
	signedIn group = "whoever signs in"   //
	makers   group = "contributors"       // and above
	curators group = "curators"           //
	sees     group = "who sees the draft" // its owner, reviewers and curators
	answers  group = "who answers for it" // its owner and curators
	reviews  group = "reviewers"          // of a draft: and curators
	curates  group = "curators of it"     // of a draft
)

// mayCall has a line for each operation of the contract: a new one without a line fails.
var mayCall = map[string]group{
	"welcome": everyone, "signIn": everyone, "setup": everyone, "setPassword": everyone, "feed": everyone,
	"session": signedIn, "signOut": signedIn, "signOutEverywhere": signedIn, "changePassword": signedIn, "library": signedIn, "codes": signedIn, "beginCodes": signedIn, "confirmCodes": signedIn, "dropCodes": signedIn, "dropCodesOf": curators, "sessions": signedIn, "endSession": signedIn, "coverage": curators, "useFigures": curators, "gaps": curators, "freshness": curators, "contributors": curators, "costs": curators, "quality": curators, "stocktakeReport": curators, "thank": curators, "ownData": signedIn, "deletePerson": curators, "signOnLinks": signedIn, "linkSignOn": signedIn, "unlinkSignOn": signedIn, "signOnGroups": curators, "setSignOnGroups": curators, "setLibrary": curators, "resume": curators, "synonyms": signedIn, "setSynonyms": curators,
	"best": signedIn, "proposeLabels": sees, "addPicture": makers, "picture": signedIn, "sections": signedIn, "section": signedIn, "setSection": curators, "deleteSection": curators, "orderSections": curators, "rename": answers, "adapt": makers, "share": answers, "adaptations": sees, "addRendition": makers, "origin": sees, "takeOver": answers, "followOrigin": answers, "fillRows": sees, "addReport": sees, "reports": sees, "answerReport": answers,
	"keys": curators, "addKey": curators, "setKey": curators, "renewKey": curators, "deleteKey": curators,
	"compareStacks": sees, "shelf": signedIn, "shelfEntry": signedIn, "fill": signedIn, "favourites": signedIn, "missedSearches": curators, "addMissedSearch": signedIn, "addFavourite": sees, "removeFavourite": signedIn, "export": signedIn,
	"labels": signedIn, "addLabel": curators, "importLabels": curators, "setFacet": curators, "setTerm": curators, "mergeTerm": curators, "planLabels": curators, "applyLabels": curators, "undoLabels": curators, "setLabels": answers,
	"kinds": signedIn, "rules": signedIn, "preview": signedIn, "check": signedIn, "outline": signedIn, "readText": signedIn, "makeBlanks": signedIn,
	"starters": signedIn, "setStarter": curators, "deleteStarter": curators, "setHelper": curators,
	"entries": signedIn, "create": makers, "entry": sees, "draft": sees, "saveDraft": answers, "checkEntry": sees,
	"submit": answers, "withdraw": answers, "approve": reviews, "return": reviews, "publish": curates, "unpublish": curates,
	"retire": curates, "restore": curates, "renew": answers,
	"planBulk": makers, "applyBulk": makers, "publications": curators, "publishTogether": curators, "cancelPublication": curators, "policy": signedIn, "setPolicy": curators,
	"versions": sees, "version": sees, "restoreVersion": answers, "annotate": sees, "diff": sees, "uses": sees, "effect": sees,
	"comments": sees, "addComment": sees, "settleComment": sees, "reopenComment": sees,
	"desk": signedIn, "transfer": answers, "accept": sees, "decline": sees, "setOwners": answers,
	"ownership": makers, "people": signedIn, "addPerson": curators, "importPeople": curators, "changePerson": curators, "newPasswordLink": curators, "transferAll": curators, "planTransfer": makers, "transferMany": makers,
	"createImport": curators, "plan": curators, "rereadImport": curators, "deleteImport": curators, "compareImport": curators, "applyImport": curators, "importProgress": signedIn,
	"connections": curators, "connection": curators, "addConnection": curators, "setConnection": curators, "deleteConnection": curators, "tryConnection": curators, "askableModels": signedIn,
	"try": signedIn, "reply": signedIn, "replyEvents": signedIn, "stopReply": signedIn, "talks": signedIn, "talk": signedIn, "deleteTalk": signedIn, "followUp": signedIn, "keepTalk": signedIn, "shareTalk": signedIn, "replyAsEntry": signedIn, "documentText": signedIn, "allowances": signedIn, "setAllowance": curators, "propose": answers, "takeProposal": signedIn,
	"runForm": signedIn, "startRun": signedIn, "runs": signedIn, "run": signedIn, "stopRun": signedIn, "keepRun": signedIn, "deleteRun": signedIn, "runStep": signedIn, "runFile": signedIn, "readRun": signedIn,
	"testBed": sees, "setTestBed": answers, "readFills": signedIn, "estimateTrial": sees, "startTrial": sees, "trials": signedIn, "trial": signedIn, "deleteTrial": signedIn, "stopTrial": signedIn, "resumeTrial": signedIn, "trialCell": signedIn, "trialEvents": signedIn, "userTrials": sees, "startUserTrials": sees, "estimateUserTrials": sees, "trialReplies": signedIn, "markReply": signedIn, "trialPair": signedIn, "preferReply": signedIn,
	"register": signedIn, "addRegistered": curators, "changeRegistered": curators, "setBudget": curators, "moveLabel": curators, "layouts": signedIn, "layout": signedIn, "setLayout": curators, "deleteLayout": curators, "tryLayout": signedIn,
	"questionSets": signedIn, "addQuestionSet": curators, "questionSet": signedIn, "saveQuestionSet": curators, "questionSetVersions": signedIn, "questionSetSchema": signedIn, "sheetsOfSet": signedIn, "readAnswers": signedIn,
	"measureVoice": signedIn, "styleFigures": sees, "drawGuide": answers, "samples": answers, "addSample": answers, "sample": answers, "removeSample": answers,
	"similar": signedIn, "similarGroups": curators, "repetition": curators, "recurringPassages": curators,
	"follows": signedIn, "follow": signedIn, "unfollow": signedIn, "news": signedIn, "readNews": signedIn, "newFeed": signedIn,
	"channels": curators, "addChannel": curators, "setChannel": curators, "deleteChannel": curators, "deliveries": curators, "sendAgain": curators,
	"audit": curators, "exportAudit": curators, "verifyAudit": curators,
}

// bodies are what is sent where an empty object does not get as far as the question of
// who asks.
var bodies = map[string]string{
	"addKey":           `{"name": "weir-mail"}`,
	"addLabel":         `{"facet": "department", "term": "zoo", "title": "Zoo"}`,
	"setSection":       `{"title": "T", "query": "notice"}`,
	"rename":           `{"slug": "another-name"}`,
	"fillRows":         "area\nMill Lane\n",
	"addReport":        `{"worked": true}`,
	"answerReport":     `{"because": "As it is meant."}`,
	"saveDraft":        `{"kind": "prompt", "title": "Again", "summary": "S", "labels": {}, "blanks": [], "body": "Again.\n"}`,
	"create":           `{"kind": "prompt", "title": "New one", "summary": "S", "labels": {}, "blanks": [], "body": "New.\n"}`,
	"addComment":       `{"text": "Why?"}`,
	"transfer":         `{"to": "curator"}`,
	"transferAll":      `{"to": "curator"}`,
	"setLibrary":       `{"name": "Another", "zone": "UTC"}`,
	"addMissedSearch":  `{"words": "helicopter"}`,
	"compareStacks":    `{"first": {}, "second": {}}`,
	"drawGuide":        `{"guide": ""}`,
	"addRegistered":    `{"facet": "application", "name": "x1", "title": "X1", "status": "allowed"}`,
	"changeRegistered": `{"status": "allowed"}`,
	"setBudget":        `{"currency": "EUR"}`,
	"moveLabel":        `{"to": "x"}`,
	"setLayout":        `{"as": "text", "boxes": [{"takes": [{"layer": "prompt"}]}]}`,
	"tryLayout":        `{"layout": {"as": "text", "boxes": []}, "slug": "x"}`,
	"addQuestionSet":   `{"name": "x1", "title": "X", "groups": [{"title": "G", "questions": [{"name": "q"}]}]}`,
	"saveQuestionSet":  `{"title": "X", "groups": [{"title": "G", "questions": [{"name": "q"}]}]}`,
	"setSynonyms":      `{"lists": [["vacancy", "advert"]]}`,
	"retire":           `{"because": "Old."}`,
	"unpublish":        `{"because": "Wrong."}`,
	"return":           `{"because": "No."}`,
	"addPerson":        `{"name": "new.one", "full_name": "New One", "role": "reader"}`,
	"importPeople":     "name,full_name,role\nnew.one,New One,reader\n",
	"importLabels":     "facet,term,title\nx,,X\n",
	"setStarter":       `{"kind": "prompt", "title": "T", "summary": "S", "labels": {}, "blanks": [], "body": "B.\n"}`,
	"createImport":     "kind,title,text\nprompt,T,B\n",
	"addChannel":       `{"title": "C", "url": "https://channel.example/x"}`,
	"setChannel":       `{"title": "C", "url": "https://channel.example/x"}`,
	"publishTogether":  `{"entries": [{"slug": "nothing-here", "seen": "x"}]}`,
}

// asker is somebody who calls, and of whose entry's draft.
type asker struct {
	name  string // empty for nobody
	owner string // of the draft that is asked for
	sees  bool
	may   []group
}

var askers = map[string]asker{
	"no sign-in":              {"", "contributor", false, []group{everyone}},
	"a reader":                {"reader", "contributor", false, []group{everyone, signedIn}},
	"another contributor":     {"second", "contributor", false, []group{everyone, signedIn, makers}},
	"its owner":               {"contributor", "contributor", true, []group{everyone, signedIn, makers, sees, answers}},
	"its owner, now a reader": {"demoted", "demoted", false, []group{everyone, signedIn}},
	"a reviewer":              {"reviewer", "contributor", true, []group{everyone, signedIn, makers, sees, reviews}},
	"a curator":               {"curator", "contributor", true, []group{everyone, signedIn, makers, curators, sees, answers, reviews, curates}},
}

// Every operation is tried by everyone, on a draft that only some may see. Who may not
// is refused; who may not see the draft is told what is told of an entry that is not
// there, word for word.
func TestTheMatrix(t *testing.T) {
	t.Parallel()
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if _, is := mayCall[op.OperationID]; !is {
				t.Errorf("%s %s (%s) has no line in the matrix: say who may", method, path, op.OperationID)
			}
		}
	}
	for title, a := range askers {
		t.Run(title, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t)
			w.Exec("insert into people (name, full_name, role) values ('demoted', 'Demoted', 'reader')")
			cells := 0
			for path, item := range doc.Paths.Map() {
				for method, op := range item.Operations() {
					cells++
					w.cell(t, a, method, path, op)
				}
			}
			if cells < 90 {
				t.Errorf("only %d operations were tried", cells)
			}
		})
	}
}

// aRequest is what is of one request alone in what went wrong.
var aRequest = regexp.MustCompile(`"instance":"[^"]*",?`)

// cell tries one operation.
func (w *world) cell(t *testing.T, a asker, method, path string, op *openapi3.Operation) {
	t.Helper()
	id, rule := op.OperationID, mayCall[op.OperationID]
	slug := "hidden-" + strings.ToLower(id)
	ofDraft := slices.Contains([]group{sees, answers, reviews, curates}, rule)
	if ofDraft {
		w.Create(testdb.Prompt(slug, "Say it to {{area}}.\n"))
		if a.owner != "contributor" {
			w.Exec(fmt.Sprintf("update entries set owner_id = (select id from people where name = '%s') where slug = '%s'", a.owner, slug))
		}
	}
	ask := func(slug string) (int, string) {
		at := strings.NewReplacer("{slug}", slug, "{ref}", slug, "{user}", slug, "{number}", "1", "{id}", "1", "{delivery}", "1", "{name}", "tester", "{what}", "entry",
			"{facet}", "department", "{term}", "laboratory", "{department}", "laboratory", "{private}", "x.atom").Replace(path)
		body, is := bodies[id]
		if !is && method != http.MethodGet {
			body = "{}"
		}
		req, err := http.NewRequestWithContext(t.Context(), method, w.url+"/api/v1"+at, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("If-Match", `"none"`)
		switch {
		case strings.HasPrefix(id, "import") && method == http.MethodPost:
			req.Header.Set("Content-Type", "text/csv")
		case body != "":
			req.Header.Set("Content-Type", "application/json")
		}
		if a.name != "" {
			req.Header.Set("Authorization", "Bearer "+w.tokenFor(t, a.name))
		}
		res, err := crowd.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, aRequest.ReplaceAllString(string(text), "")
	}
	got, says := ask(slug)
	refused := got == http.StatusUnauthorized || got == http.StatusForbidden
	switch may := slices.Contains(a.may, rule); {
	case got >= 500:
		t.Errorf("%s: %d %s", id, got, says)
	case a.name == "" && !may:
		if got != http.StatusUnauthorized {
			t.Errorf("%s without a sign-in: %d %s", id, got, says)
		}
	case ofDraft && !a.sees:
		other, saysOther := ask("nothing-at-all")
		if said := strings.ReplaceAll(saysOther, "nothing-at-all", slug); got != other || says != said || got != http.StatusNotFound {
			t.Errorf("%s of a draft that is not to be seen: %d %s\nand of one that is not there: %d %s", id, got, says, other, said)
		}
	case may && refused && !(id == "signIn" || id == "setup" || id == "settleComment"):
		t.Errorf("%s: %d %s, and they may", id, got, says)
	case !may && !refused:
		t.Errorf("%s: %d %s, want it refused: it is for %s", id, got, says, rule)
	}
}

// tokenFor is a new token of anyone: one operation may end it.
func (w *world) tokenFor(t *testing.T, name string) string {
	t.Helper()
	if name != "demoted" {
		return w.tokenOf(name)
	}
	return w.tokenOfID(w.idOf(t, name))
}
