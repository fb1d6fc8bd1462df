package server

import (
	"log/slog"
	"maps"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/cli"
	"goldshelf/internal/library"
)

// commandOf names the command for each operation; or, in brackets, why there is none.
var commandOf = map[string]string{
	"best": "find", "rename": "rename", "proposeLabels": "labels", "addPicture": "pictures", "picture": "pictures", "sections": "sections", "section": "sections", "setSection": "sections", "deleteSection": "sections", "orderSections": "sections", "adapt": "adapt", "share": "adapt", "adaptations": "adapt", "addRendition": "rendition", "origin": "origin", "takeOver": "origin", "followOrigin": "origin", "fillRows": "fill", "addReport": "report", "reports": "report", "answerReport": "report",
	"welcome": "(for the sign-in page)", "signIn": "login", "signOut": "logout", "session": "whoami",
	"setup": "(goldshelfd setup)", "setPassword": "(its link opens a page)",
	"keys": "keys", "addKey": "keys", "setKey": "keys", "renewKey": "keys", "deleteKey": "keys",
	"library": "(read by the pages that show times)", "codes": "(for the page of one's own account)", "beginCodes": "(for the page of one's own account)", "confirmCodes": "(for the page of one's own account)", "dropCodes": "(for the page of one's own account)", "dropCodesOf": "people", "sessions": "sessions", "endSession": "sessions", "coverage": "stocktake", "useFigures": "stocktake", "gaps": "stocktake", "freshness": "stocktake", "contributors": "stocktake", "costs": "stocktake", "quality": "stocktake", "stocktakeReport": "stocktake", "thank": "stocktake", "ownData": "whoami", "deletePerson": "people", "signOnLinks": "(for the page of one's own account)", "linkSignOn": "(a browser goes there)", "unlinkSignOn": "(for the page of one's own account)", "signOnGroups": "sign-on", "setSignOnGroups": "sign-on",
	"setLibrary": "(goldshelfd setup)", "resume": "(goldshelfd resume)", "synonyms": "synonyms", "setSynonyms": "synonyms",
	"compareStacks": "compare", "shelf": "find", "shelfEntry": "show", "fill": "fill", "favourites": "favourite", "missedSearches": "synonyms", "addMissedSearch": "find", "addFavourite": "favourite", "removeFavourite": "favourite", "export": "export",
	"labels": "labels", "addLabel": "labels", "importLabels": "labels", "setFacet": "labels", "setTerm": "labels", "mergeTerm": "labels", "planLabels": "labels", "applyLabels": "labels", "undoLabels": "labels", "setLabels": "labels",
	"kinds": "(for editors)", "outline": "(for editors)", "rules": "policy", "preview": "(for editors)", "check": "check", "checkEntry": "check",
	"connections": "connections", "connection": "connections", "addConnection": "connections", "setConnection": "connections", "deleteConnection": "connections", "tryConnection": "connections", "askableModels": "models",
	"try": "try", "reply": "talks", "replyEvents": "try", "stopReply": "talks", "talks": "talks", "talk": "talks", "deleteTalk": "talks", "followUp": "talks", "keepTalk": "talks", "shareTalk": "talks", "replyAsEntry": "talks", "documentText": "fill", "allowances": "allowances", "setAllowance": "allowances", "propose": "propose", "takeProposal": "propose",
	"runForm": "run", "startRun": "run", "readRun": "run", "runs": "runs", "run": "runs", "stopRun": "runs", "keepRun": "runs", "deleteRun": "runs", "runStep": "runs", "runFile": "runs",
	"testBed": "test-bed", "setTestBed": "test-bed", "readFills": "test-bed", "estimateTrial": "trial", "startTrial": "trial", "trials": "trials", "trial": "trials", "deleteTrial": "trials", "stopTrial": "trials", "resumeTrial": "trials", "trialCell": "trials", "trialEvents": "trial", "userTrials": "trial", "startUserTrials": "trial", "estimateUserTrials": "trial", "trialReplies": "trials", "markReply": "trials", "trialPair": "trials", "preferReply": "trials",
	"readText": "put", "makeBlanks": "put", "register": "register", "addRegistered": "register", "changeRegistered": "register", "setBudget": "register", "moveLabel": "register", "layouts": "layouts", "layout": "layouts", "setLayout": "layouts", "deleteLayout": "layouts", "tryLayout": "(for the page that makes layouts)",
	"questionSets": "sets", "addQuestionSet": "sets", "questionSet": "sets", "saveQuestionSet": "sets", "questionSetVersions": "sets", "questionSetSchema": "sets", "sheetsOfSet": "sets", "readAnswers": "sets", "measureVoice": "voice", "styleFigures": "voice", "drawGuide": "samples", "samples": "samples", "addSample": "samples", "sample": "samples", "removeSample": "samples", "similar": "similar", "similarGroups": "similar", "recurringPassages": "similar",
	"starters": "starters", "setStarter": "starters", "deleteStarter": "starters", "setHelper": "helper",
	"createImport": "import", "plan": "import", "rereadImport": "import", "deleteImport": "import", "compareImport": "import", "applyImport": "import", "importProgress": "import",
	"entries": "find", "create": "put", "entry": "show", "draft": "put", "saveDraft": "put", "versions": "history", "version": "show", "diff": "diff", "uses": "uses",
	"effect": "(for the review page)", "annotate": "annotate",
	"submit": "submit", "withdraw": "withdraw", "approve": "approve", "return": "return", "publish": "publish", "retire": "retire", "restore": "restore",
	"planBulk": "bulk", "repetition": "stocktake", "applyBulk": "bulk", "renew": "renew", "unpublish": "unpublish", "restoreVersion": "restore", "publications": "publications", "publishTogether": "publish", "cancelPublication": "publications",
	"policy": "policy", "setPolicy": "policy", "desk": "desk",
	"transfer": "transfer", "transferAll": "transfer", "planTransfer": "transfer", "transferMany": "transfer", "accept": "accept", "decline": "decline", "setOwners": "owners", "ownership": "people",
	"people": "people", "addPerson": "people", "changePassword": "password", "signOutEverywhere": "logout", "changePerson": "people", "importPeople": "people", "newPasswordLink": "people",
	"audit": "audit", "exportAudit": "audit", "verifyAudit": "audit",
	"comments": "comments", "addComment": "comments", "settleComment": "comments", "reopenComment": "comments",
	"follows": "follow", "follow": "follow", "unfollow": "follow", "news": "news", "readNews": "news", "newFeed": "news",
	"feed":     "(its private address is for feed readers)",
	"channels": "channels", "addChannel": "channels", "setChannel": "channels", "deleteChannel": "channels", "deliveries": "channels", "sendAgain": "channels",
}

// methodOf names the client's method where it is called otherwise than the operation.
var methodOf = map[string]string{
	"replyEvents": "WatchReply", "trialEvents": "WatchTrial", "unfollow": "Follow", "reopenComment": "SettleComment", "feed": "",
}

// Every operation of the contract has a route, a client method and a command, and none
// of the three has what the contract does not know.
func TestTheContractIsInStep(t *testing.T) {
	t.Parallel()
	app := New(&library.Library{}, Options{Log: slog.New(slog.DiscardHandler)}).app
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	routes := map[string]bool{}
	for _, r := range app.GetRoutes(true) {
		if path, ok := strings.CutPrefix(r.Path, "/api/v1/"); ok && r.Method != "HEAD" && r.Method != "OPTIONS" {
			if path == "openapi.yaml" {
				continue // the contract itself
			}
			routes[r.Method+" /"+param.ReplaceAllString(path, "{}")] = true
		}
	}
	methods := reflect.TypeFor[*client.Client]()
	commands, left := map[string]bool{}, maps.Clone(commandOf)
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			id := op.OperationID
			route := method + " " + braces.ReplaceAllString(path, "{}")
			if !routes[route] {
				t.Errorf("%s: no route %s", id, route)
			}
			delete(routes, route)

			name, other := methodOf[id]
			if !other {
				name = strings.ToUpper(id[:1]) + id[1:]
			}
			if _, has := methods.MethodByName(name); !has && name != "" {
				t.Errorf("%s: the client has no method %s", id, name)
			}

			command, known := commandOf[id]
			if !known {
				t.Errorf("%s: say which command there is for it, or why there is none", id)
			}
			commands[command] = true
			delete(left, id)
		}
	}
	for route := range routes {
		t.Errorf("the contract does not know %s", route)
	}
	for id := range left {
		t.Errorf("there is no operation %s any more", id)
	}
	nowhere, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if err != nil {
		t.Fatal(err)
	}
	defer nowhere.Close()
	for command := range commands {
		if strings.HasPrefix(command, "(") {
			continue
		}
		if status := cli.Run(t.Context(), []string{"goldshelf", command, "--help"}, nowhere, nowhere, nowhere); status != 0 {
			t.Errorf("there is no command %s", command)
		}
	}
}

var (
	param  = regexp.MustCompile(`:\w+`)
	braces = regexp.MustCompile(`\{\w+\}`)
)

// What the client sends and reads has the fields of the schema that is called the same.
func TestTheFieldsAreInStep(t *testing.T) {
	t.Parallel()
	doc, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	types := map[string]reflect.Type{}
	methods := reflect.TypeFor[*client.Client]()
	for i := range methods.NumMethod() {
		m := methods.Method(i).Type
		for j := range m.NumIn() {
			collect(types, m.In(j))
		}
		for j := range m.NumOut() {
			collect(types, m.Out(j))
		}
	}
	compared := 0
	for name, schema := range doc.Components.Schemas {
		typ, same := types[name]
		if !same {
			continue
		}
		want := map[string]bool{}
		properties(schema, want)
		got := map[string]bool{}
		fields(typ, got)
		if !maps.Equal(want, got) {
			t.Errorf("%s has the fields %v, and its schema %v", name, slices.Sorted(maps.Keys(got)), slices.Sorted(maps.Keys(want)))
		}
		compared++
	}
	if compared < 60 {
		t.Errorf("only %d types are called as their schemas", compared)
	}
}

// collect gathers the structs with JSON fields that a type is made of, by their names.
func collect(into map[string]reflect.Type, t reflect.Type) {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Array, reflect.Map:
		collect(into, t.Elem())
	case reflect.Struct:
		if !strings.HasPrefix(t.PkgPath(), "goldshelf/") || into[t.Name()] == t {
			return
		}
		if t.Name() != "" {
			into[t.Name()] = t
		}
		for i := range t.NumField() {
			collect(into, t.Field(i).Type)
		}
	}
}

func fields(t reflect.Type, into map[string]bool) {
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			fields(f.Type, into)
		case f.IsExported() && name != "-" && name != "":
			into[name] = true
		}
	}
}

func properties(s *openapi3.SchemaRef, into map[string]bool) {
	for name := range s.Value.Properties {
		into[name] = true
	}
	for _, part := range s.Value.AllOf {
		properties(part, into)
	}
}
