package sheet

import (
	"bytes"
	"encoding/json"

	"goldshelf/core/fill"
)

// JSON writes answers as one object, by the questions' names in the set's order: numbers
// as they were written, yes-no as true and false, a list as an array, and null where an
// answer is wanting. What may do without an answer and has none is left out. Schema
// describes it.
func (s Set) JSON(answers Answers) []byte {
	var b bytes.Buffer
	b.WriteString("{")
	first := true
	for _, q := range s.Questions() {
		v, given := answers[q.Name]
		given = given && !v.IsEmpty()
		if !given && q.Optional {
			continue
		}
		if !first {
			b.WriteString(",")
		}
		first = false
		b.WriteString("\n  " + quoted(q.Name) + ": ")
		if !given {
			b.WriteString("null")
			continue
		}
		b.WriteString(q.json(v))
	}
	if !first {
		b.WriteString("\n")
	}
	b.WriteString("}\n")
	return b.Bytes()
}

// json writes one answer that the question takes.
func (q Question) json(v fill.Value) string {
	b := q.Blank()
	switch b.Kind() {
	case fill.Number:
		if json.Valid([]byte(v.String())) {
			return v.String()
		}
	case fill.YesNo:
		if v.String() == "yes" {
			return "true"
		}
		return "false"
	case fill.PickMany:
		items, _ := v.Items()
		out := "["
		for i, item := range items {
			if i > 0 {
				out += ", "
			}
			out += quoted(item)
		}
		return out + "]"
	}
	return quoted(v.String())
}

// quoted writes a text as JSON does, without what HTML would want escaped.
func quoted(text string) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(text); err != nil { // a text always can be
		panic("write a text as JSON: " + err.Error())
	}
	return string(bytes.TrimRight(b.Bytes(), "\n"))
}

// Schema gives the JSON Schema (draft 2020-12) of what JSON writes.
func (s Set) Schema() []byte {
	properties := map[string]any{}
	required := []string{}
	for _, q := range s.Questions() {
		properties[q.Name] = q.schema()
		if !q.Optional {
			required = append(required, q.Name)
		}
	}
	data, err := json.MarshalIndent(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": s.Title, "description": "Answers to " + s.Ref(),
		"type": "object", "properties": properties, "required": required, "additionalProperties": false,
	}, "", "  ")
	if err != nil { // it is made of texts, numbers and lists of them
		panic("write a schema as JSON: " + err.Error())
	}
	return append(data, '\n')
}

func (q Question) schema() map[string]any {
	b := q.Blank()
	one := map[string]any{"title": q.Label(), "description": b.Question()}
	bound := func(least, most string) {
		if q.Min != nil {
			one[least] = *q.Min
		}
		if q.Max != nil {
			one[most] = *q.Max
		}
	}
	kind := "string"
	switch b.Kind() {
	case fill.Number:
		kind = "number"
		bound("minimum", "maximum")
	case fill.YesNo:
		kind = "boolean"
	case fill.Date:
		one["format"] = "date"
	case fill.Pick:
		one["enum"] = q.Options
	case fill.PickMany:
		kind = "array"
		one["items"] = map[string]any{"type": "string", "enum": q.Options}
		one["uniqueItems"] = true
		bound("minItems", "maxItems")
	default:
		bound("minLength", "maxLength")
	}
	one["type"] = kind
	if !q.Optional { // what is not answered yet stands as null
		one["type"] = []string{kind, "null"}
		if enum, is := one["enum"].([]string); is {
			all := make([]any, 0, len(enum)+1)
			for _, o := range enum {
				all = append(all, o)
			}
			one["enum"] = append(all, nil)
		}
	}
	return one
}
