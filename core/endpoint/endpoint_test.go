package endpoint

import (
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"
)

func mapping(t testing.TB, text string) (m Mapping) {
	t.Helper()
	if err := json.Unmarshal([]byte(text), &m); err != nil {
		t.Fatal(err)
	}
	return m
}

// Two endpoints of other shapes: one that keeps the system's text apart and streams events
// with a last line that is no JSON, and one that streams lines and counts elsewhere.
const (
	apart = `{"request": {"path": "/v2/answers", "headers": {"x-version": "3"}, "secret": {"header": "X-Key"}, "roles": {"assistant": "machine", "user": "person"}, "system": "apart",
		"body": {"engine": {"from": "/model"}, "rules": {"from": "/system"}, "turns": {"from": "/messages", "each": {"speaker": {"from": "/role"}, "says": [{"kind": "words", "value": {"from": "/text"}}]}},
			"heat": {"from": "/settings/temperature"}, "most": {"from": "/settings/max_tokens"}, "live": {"from": "/stream"}, "of": "us"}},
		"reply": {"text": "/answers/0/says", "reason": "/answers/0/why", "reasons": {"done": "end", "full": "length"}, "tokens_in": "/cost/read", "tokens_out": "/cost/written"},
		"stream": {"as": "events", "piece": "/answers/0/more", "reason": "/answers/0/why", "tokens_out": "/cost/written", "ends": {"data": "[OVER]"}},
		"error": {"text": "/fault/words", "again": [420]}, "sample": {"answers": [{"says": "Hello."}]}}`
	lines = `{"request": {"path": "/generate", "body": {"prompt": {"from": "/messages"}, "options": {"from": "/settings"}}},
		"reply": {"text": "/a~1b"}, "stream": {"as": "lines", "piece": "/a~1b", "ends": {"at": "/done", "is": true}, "tokens_out": "/n"}, "sample": {"a/b": "Hello."}}`
)

func TestWrite(t *testing.T) {
	t.Parallel()
	warm, seed := 0.5, int64(7)
	request := Request{"heron-2", []ModelMessage{{System, "Be short."}, {User, "Hello."}, {Assistant, "Yes?"}, {System, "Be kind."}}, Settings{&warm, 100, &seed}, true}
	for _, c := range []struct {
		name    string
		m       Mapping
		r       Request
		want    string
		without string
	}{
		{"our own", Own(), request, `{"model": "heron-2", "messages": [{"role": "system", "text": "Be short."}, {"role": "user", "text": "Hello."}, {"role": "assistant", "text": "Yes?"}, {"role": "system", "text": "Be kind."}], "settings": {"temperature": 0.5, "max_tokens": 100, "seed": 7}, "stream": true}`, ""},
		{"apart", mapping(t, apart), request, `{"engine": "heron-2", "rules": "Be short.\n\nBe kind.", "turns": [{"speaker": "person", "says": [{"kind": "words", "value": "Hello."}]}, {"speaker": "machine", "says": [{"kind": "words", "value": "Yes?"}]}], "heat": 0.5, "most": 100, "live": true, "of": "us"}`, ""},
		{"what is not said is left out", mapping(t, apart), Request{Model: "m", Messages: []ModelMessage{{User, "Hello."}}}, `{"engine": "m", "turns": [{"speaker": "person", "says": [{"kind": "words", "value": "Hello."}]}], "live": false, "of": "us"}`, ""},
		{"as it is", mapping(t, lines), Request{Model: "m", Messages: []ModelMessage{{User, "Hello."}}}, `{"prompt": [{"role": "user", "text": "Hello."}], "options": {}}`, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			if wrong := c.m.Problems(); wrong != nil {
				t.Fatal(wrong)
			}
			got, err := c.m.Write(c.r)
			if err != nil {
				t.Fatal(err)
			}
			var g, w any
			if json.Unmarshal(got, &g) != nil || json.Unmarshal([]byte(c.want), &w) != nil || !reflect.DeepEqual(g, w) {
				t.Errorf("got  %s\nwant %s", got, c.want)
			}
		})
	}
}

func TestRead(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name, body string
		m          Mapping
		want       Reply
		fails      string
	}{
		{"our own", `{"text": "Hi.", "reason": "length", "tokens": {"in": 3, "out": 2}}`, Own(), Reply{"Hi.", Length, Tokens{3, 2}}, ""},
		{"apart", `{"answers": [{"says": "Hi.", "why": "full"}], "cost": {"read": 5, "written": 1}}`, mapping(t, apart), Reply{"Hi.", Length, Tokens{5, 1}}, ""},
		{"an escaped pointer", `{"a/b": "Hi."}`, mapping(t, lines), Reply{"Hi.", End, Tokens{}}, ""},
		{"tokens that cannot be", `{"text": "Hi.", "tokens": {"in": -3, "out": 1e99}}`, Own(), Reply{"Hi.", End, Tokens{}}, ""},
		{"an empty text", `{"text": ""}`, Own(), Reply{"", End, Tokens{}}, ""},
		{"HTML", `<html>Bad gateway</html>`, Own(), Reply{}, "no JSON: <html>"},
		{"half a JSON", `{"text": "Hi.`, Own(), Reply{}, "no JSON"},
		{"two", `{"text": "Hi."} {"text": "Ho."}`, Own(), Reply{}, "no JSON"},
		{"no text", `{"answers": []}`, mapping(t, apart), Reply{}, "nothing at /answers/0/says"},
		{"a number", `{"text": 7}`, Own(), Reply{}, "no text at /text but a number"},
		{"its own words", `{"fault": {"words": "no such engine"}}`, mapping(t, apart), Reply{}, "it answered: no such engine"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := c.m.Read([]byte(c.body))
			failed(t, err, c.fails)
			if got != c.want {
				t.Errorf("got %+v, want %+v", got, c.want)
			}
		})
	}
}

func failed(t *testing.T, err error, want string) {
	t.Helper()
	var f *Failure
	if want == "" && err != nil || want != "" && (!errors.As(err, &f) || !strings.Contains(err.Error(), want)) {
		t.Errorf("got the error %v, want %q", err, want)
	}
}

func TestDatum(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name, data string
		m          Mapping
		want       Piece
		fails      string
	}{
		{"a piece", `{"text": "Hi"}`, Own(), Piece{Text: "Hi"}, ""},
		{"the end", `{"reason": "end", "tokens": {"in": 3, "out": 2}}`, Own(), Piece{Reason: End, Tokens: Tokens{3, 2}, Ends: true}, ""},
		{"a problem", `{"title": "Too much", "status": 500, "detail": "the model has fallen over"}`, Own(), Piece{}, "fallen over"},
		{"of another shape", `{"answers": [{"more": "Hi"}]}`, mapping(t, apart), Piece{Text: "Hi"}, ""},
		{"its reason", `{"answers": [{"why": "done"}], "cost": {"written": 4}}`, mapping(t, apart), Piece{Reason: End, Tokens: Tokens{0, 4}}, ""},
		{"an end that is no JSON", ` [OVER]`, mapping(t, apart), Piece{Ends: true}, ""},
		{"not yet the end", `{"a/b": "Hi", "done": false}`, mapping(t, lines), Piece{Text: "Hi"}, ""},
		{"the end of lines", `{"done": true, "n": 9}`, mapping(t, lines), Piece{Tokens: Tokens{0, 9}, Ends: true}, ""},
		{"nothing to show", `{"ping": 1}`, Own(), Piece{}, ""},
		{"no JSON", `oops`, Own(), Piece{}, "no JSON: oops"},
		{"no text", `{"text": ["Hi"]}`, Own(), Piece{}, "no text at /text but a list"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := c.m.Datum([]byte(c.data))
			failed(t, err, c.fails)
			if got != c.want {
				t.Errorf("got %+v, want %+v", got, c.want)
			}
		})
	}
}

func TestFailed(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		status int
		line   string
		body   string
		m      Mapping
		want   string
		again  bool
	}{
		{429, "429 Too Many Requests", `{"detail": "slowly"}`, Own(), "it answered 429: slowly", true},
		{400, "400 Bad Request", `{"detail": "no such model"}`, Own(), "it answered 400: no such model", false},
		{502, "502 Bad Gateway", `<html>`, Own(), "it answered 502 Bad Gateway", true},
		{420, "420 Calm", `{"fault": {"words": "calm"}}`, mapping(t, apart), "it answered 420: calm", true},
		{401, "401 Unauthorized", `{"detail": 7}`, Own(), "it answered 401 Unauthorized", false},
		{500, "500 Internal Server Error", `{"detail": "` + strings.Repeat("x", 10_000) + `"}`, Own(), "xx…", true},
	} {
		err, again := c.m.Failed(c.status, c.line, []byte(c.body))
		if again != c.again || !strings.Contains(err.Error(), c.want) || len(err.Error()) > 600 {
			t.Errorf("%d: %v, again %v", c.status, err, again)
		}
	}
}

func TestProblems(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ mapping, want string }{
		"nothing":                    {`{}`, "/reply/text, /request/body"},
		"a sample without a text":    {`{"request": {"body": {"from": "/messages"}}, "reply": {"text": "/t"}, "sample": {"u": 1}}`, "/sample"},
		"a sample of another shape":  {`{"request": {"body": {"from": "/messages"}}, "reply": {"text": "/t"}, "sample": {"t": 1}}`, "/sample"},
		"a sample that says nothing": {`{"request": {"body": {"from": "/messages"}}, "reply": {"text": "/t"}, "sample": {"t": " "}}`, "/sample"},
		"no messages":                {`{"request": {"body": {"m": {"from": "/model"}}}, "reply": {"text": "/t"}}`, "/request/body"},
		"a system that is lost":      {`{"request": {"system": "apart", "body": {"from": "/messages"}}, "reply": {"text": "/t"}}`, "/request/body"},
		"what a request has not":     {`{"request": {"body": [{"from": "/messages"}, {"from": "/secret"}, {"from": "model"}]}, "reply": {"text": "/t"}}`, "/request/body/1, /request/body/2"},
		"no pointers":                {`{"request": {"body": {"from": "/messages"}}, "reply": {"text": "text", "reason": "/a~2"}, "error": {"text": "/~"}}`, "/error/text, /reply/reason, /reply/text"},
		"a stream without end":       {`{"request": {"body": {"from": "/messages"}}, "reply": {"text": "/t"}, "stream": {"as": "flood"}}`, "/stream/as, /stream/ends, /stream/piece"},
		"a secret among the headers": {`{"request": {"headers": {"Authorization": "Bearer x", "x y": "z", "X-Ok": "a\nb"}, "body": {"from": "/messages"}}, "reply": {"text": "/t"}}`, "/request/headers/Authorization, /request/headers/X-Ok, /request/headers/x y"},
		"other words":                {`{"request": {"method": "GET", "path": "x", "roles": {"robot": "r"}, "system": "above", "body": {"from": "/messages"}, "secret": {"header": "a b"}}, "reply": {"text": "/t", "reasons": {"s": "stop"}}, "error": {"again": [200]}}`, "/error/again/0, /reply/reasons/s, /request/method, /request/path, /request/roles/robot, /request/secret/header, /request/system"},
	} {
		var fields []string
		m := mapping(t, c.mapping)
		if m.Sample == nil {
			m.Sample = map[string]any{"t": "Hello.", "text": "Hello."}
		}
		for _, p := range m.Problems() {
			fields = append(fields, p.Field)
		}
		if got := strings.Join(fields, ", "); got != c.want {
			t.Errorf("%s: got %s, want %s", name, got, c.want)
		}
	}
	deep := strings.Repeat(`[`, 50) + strings.Repeat(`]`, 50)
	if wrong := mapping(t, `{"request": {"body": `+deep+`}, "reply": {"text": "/t"}}`).Problems(); len(wrong) != 3 || wrong[2].Field != "/sample" || !strings.Contains(wrong.Error(), "20 levels") {
		t.Errorf("a deep body: %v", wrong)
	}
	cold := -1.0
	if wrong := (Settings{Temperature: &cold, MaxTokens: 2_000_000}).Problems(); len(wrong) != 2 {
		t.Errorf("settings: %v", wrong)
	}
	if wrong := Problems([]ModelMessage{{"robot", "x"}}); len(wrong) != 1 || Problems(nil) == nil {
		t.Errorf("messages: %v", wrong)
	}
}

func FuzzDatum(f *testing.F) {
	f.Add(`{"text": "Hi"}`, "/text", "/reason")
	f.Add(`{"a/b": [{"c": null}]}`, "/a~1b/0/c", "/x")
	f.Fuzz(func(t *testing.T, data, piece, ends string) {
		m := mapping(t, lines)
		m.Stream.Piece, m.Stream.Ends.At, m.Reply.Text = piece, ends, piece
		if m.Problems() != nil {
			return
		}
		if p, err := m.Datum([]byte(data)); err != nil && p != (Piece{}) {
			t.Errorf("%+v and %v", p, err)
		}
		if r, err := m.Read([]byte(data)); err != nil && r != (Reply{}) {
			t.Errorf("%+v and %v", r, err)
		}
	})
}
