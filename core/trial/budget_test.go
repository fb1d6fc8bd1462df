package trial

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"
)

// multiplying is a schema whose references multiply: so many in each of so many levels.
func multiplying(refs, levels int, keyword string) string {
	var defs []string
	for level := range levels {
		one := make([]string, refs)
		for i := range one {
			one[i] = fmt.Sprintf(`{"$ref": "#/$defs/l%d"}`, level+1)
		}
		defs = append(defs, fmt.Sprintf(`"l%d": {%q: [%s]}`, level, keyword, strings.Join(one, ", ")))
	}
	return fmt.Sprintf(`{"$ref": "#/$defs/l0", "$defs": {%s, "l%d": {"type": "string"}}}`, strings.Join(defs, ", "), levels)
}

func expecting(t *testing.T, schema string) Expectation {
	t.Helper()
	e := Expectation{Kind: JSON}
	if err := json.Unmarshal([]byte(schema), &e.Schema); err != nil {
		t.Fatal(err)
	}
	return e
}

func TestCostlySchemaIsRefused(t *testing.T) {
	t.Parallel()
	const why = "too long to check"
	for name, test := range map[string]struct{ schema, want string }{
		"references that multiply":        {multiplying(60, 3, "allOf"), why},
		"within not":                      {`{"not": ` + strings.Replace(multiplying(60, 3, "anyOf"), `"$ref": "#/$defs/l0", "$defs"`, `"$defs"`, 1) + `}`, ""},
		"anyOf that multiplies":           {multiplying(60, 3, "anyOf"), why},
		"two of each level, 30 levels":    {multiplying(2, 30, "oneOf"), why},
		"twice itself for the same value": {`{"$defs": {"n": {"properties": {"a": {"anyOf": [{"$ref": "#/$defs/n"}, {"$ref": "#/$defs/n"}]}}}}, "$ref": "#/$defs/n"}`, why},
		"by two ways of one object":       {`{"properties": {"a": {"$ref": "#"}}, "patternProperties": {"a": {"$ref": "#"}}}`, why},
		"by an anchor":                    {`{"$anchor": "n", "properties": {"a": {"allOf": [{"$ref": "#n"}, {"$ref": "#n"}]}}}`, why},
		"a part with a name of its own":   {`{"allOf": [{"$id": "https://a.example/x", "$ref": "#/$defs/b"}], "$defs": {"b": true}}`, "of its own"},
		"another schema":                  {`{"$ref": "https://json-schema.org/draft/2020-12/schema"}`, "its own parts alone"},
		"a pattern that repeats":          {`{"pattern": "` + strings.Repeat("a{900}", 10) + `"}`, "repeats too much"},
		"a tree":                          {`{"$defs": {"n": {"properties": {"left": {"$ref": "#/$defs/n"}, "right": {"$ref": "#/$defs/n"}}}}, "$ref": "#/$defs/n"}`, ""},
		"a list of itself":                {`{"type": ["array", "string"], "items": {"$ref": "#"}}`, ""},
		"a name with a slash":             {`{"$ref": "#/$defs/a~1b", "$defs": {"a/b": {"type": "object"}}}`, ""},
		"a usual one":                     {`{"type": "object", "required": ["a"], "properties": {"a": {"type": "string", "pattern": "^[a-z]{1,20}$"}, "b": {"enum": [1, 2]}}}`, ""},
	} {
		t.Run(strings.ReplaceAll(name, " ", "-"), func(t *testing.T) {
			t.Parallel()
			start := time.Now()
			err := Problems([]Expectation{expecting(t, test.schema)}).Err()
			if test.want == "" && err != nil || test.want != "" && (err == nil || !strings.Contains(err.Error(), test.want)) {
				t.Errorf("%s: %v, want %q", test.schema[:min(len(test.schema), 200)], err, test.want)
			}
			if took := time.Since(start); took > 5*time.Second {
				t.Errorf("it took %s", took)
			}
		})
	}
}

// A pattern is measured before it is compiled, and none of too many is looked at.
func TestCostlyPatternIsRefused(t *testing.T) {
	t.Parallel()
	for expr, fits := range map[string]bool{
		`^Dear [A-Z]\w+`: true, `(a|b){1,50}c`: true, `x{1000}`: true, `(x{100}){100}`: false, `((x{10}){10}){100}`: false,
		strings.Repeat(`[^x]{900}`, 10): false, `(?i)` + strings.Repeat("ab", 900): true,
	} {
		if err := Problems([]Expectation{{Kind: Matches, Text: expr}}).Err(); (err == nil) != fits {
			t.Errorf("%.40s: %v", expr, err)
		}
	}
	many := make([]Expectation, 900)
	for i := range many {
		many[i] = Expectation{Kind: Matches, Text: strings.Repeat(`x{900}`, 5)}
	}
	if wrong := Problems(many); len(wrong) != 1 || wrong[0].Code != "many" {
		t.Errorf("900 patterns: %d problems", len(wrong))
	}
}

// A reply that would take too long is set aside with the reason, and the others are judged.
func TestReplyTooLongForItsExpectationsIsUnknown(t *testing.T) {
	t.Parallel()
	schema := expecting(t, `{"items": {"allOf": [`+strings.Repeat(`{"minimum": 0}, `, 200)+`{"minimum": 0}]}}`)
	judge, err := NewJudge([]Expectation{{Kind: Matches, Text: strings.Repeat(`[a-y]*x`, 100)}, schema, {Kind: Holds, Text: "9"}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	long := "[" + strings.Repeat("9, ", 100_000) + "9]"
	start := time.Now()
	got := judge.Outcomes(long, Given{})
	if took := time.Since(start); took > 5*time.Second {
		t.Errorf("it took %s", took)
	}
	if got[0].State != Unknown || got[1].State != Unknown || got[2].State != Met || !strings.Contains(got[0].Note.String(), "too long") || !strings.Contains(got[1].Note.String(), "too long") {
		t.Errorf("%v: %s; %v: %s; %v", got[0].State, got[0].Note, got[1].State, got[1].Note, got[2].State)
	}
	if got = judge.Outcomes("[9, 9, 9]", Given{}); got[0].State != Missed || got[1].State != Met {
		t.Errorf("a short one: %v, %v: %s", got[0].State, got[1].State, got[1].Note)
	}
}

// What is said of a schema shows nothing of the machine.
func TestSchemaProblemShowsNoPath(t *testing.T) {
	t.Parallel()
	for _, schema := range []string{`{"type": "strange"}`, `{"$ref": "#/$defs/none"}`, `{"$ref": "other.json"}`} {
		if err := Problems([]Expectation{expecting(t, schema)}).Err(); err == nil || strings.Contains(err.Error(), "file:") || strings.Contains(err.Error(), ".invalid") {
			t.Errorf("%s: %v", schema, err)
		}
	}
	judge, err := NewJudge([]Expectation{expecting(t, `{"type": "object"}`)}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if note := judge.Outcomes("[]", Given{})[0].Note.String(); strings.Contains(note, "file:") || strings.Contains(note, ".invalid") {
		t.Errorf("a note: %s", note)
	}
}
