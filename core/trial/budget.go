package trial

import (
	"maps"
	"regexp"
	"regexp/syntax"
	"slices"
	"strconv"
	"strings"

	"goldshelf/core/message"
)

// Limits of what expectations may cost. They hold before anything is compiled or looked at,
// since neither a pattern nor a schema can be interrupted.
const (
	mostPatternSize = 5_000      // instructions of a compiled pattern
	mostLookedAt    = 20_000_000 // bytes of a reply times instructions, of all its patterns
	mostSchemaCost  = 10_000     // schemas that one value of a reply may meet
	mostVisits      = 300_000    // values of a reply times schemas that each may meet
)

// compilePattern reads a pattern of RE2 that is small enough to be looked for, and returns its
// size: about how many instructions it takes.
func compilePattern(expr string) (*regexp.Regexp, int, error) {
	tree, err := syntax.Parse(expr, syntax.Perl)
	if err != nil {
		return nil, 0, err
	}
	size := patternSize(tree)
	if size > mostPatternSize {
		return nil, 0, message.Errorf("it repeats too much: it has more than 5,000 parts once its repetitions are written out")
	}
	compiled, err := regexp.Compile(expr)
	return compiled, size, err
}

// patternSize estimates the instructions of a compiled pattern from its syntax tree, where
// repetitions are not written out yet. It stops counting above [mostPatternSize].
func patternSize(re *syntax.Regexp) int {
	size := 1 + len(re.Rune)/2
	if re.Op == syntax.OpLiteral {
		size = 1 + len(re.Rune)
	}
	for _, sub := range re.Sub {
		if size += patternSize(sub); size > mostPatternSize {
			return mostPatternSize + 1
		}
	}
	if re.Op == syntax.OpRepeat {
		size *= max(re.Min, re.Max, 1)
	}
	return min(size, mostPatternSize+1)
}

// schemaCost returns how many schemas one value may meet, at most, when it is held to a JSON
// Schema: each reference counts with all that it leads to. Its error says why the schema is not
// possible: it costs more than [mostSchemaCost], a reference leads out of it, or it leads back
// to itself in several ways, which would cost more with each level of a reply.
func schemaCost(schema any) (int, error) {
	c := costing{root: schema, anchors: map[string]any{}, done: map[string]int{}, open: map[string]int{}}
	c.index(schema, 0)
	got, err := c.cost(schema, "#")
	return got.cost, err
}

// costing works out the cost of a schema.
type costing struct {
	root    any
	anchors map[string]any // by "#name"
	done    map[string]int // costs by place, of those that lead back nowhere
	open    map[string]int // depths of those that are being looked at, by place
	steps   int
}

// spent is what a schema costs, by how many ways it leads back to one that is being looked at,
// and the depth of the outermost of those.
type spent struct{ cost, back, low int }

const nowhereBack = 1 << 30

const mostSchemaDepth = 200

// index finds the schemas that are named by an anchor.
func (c *costing) index(v any, depth int) {
	if depth > mostSchemaDepth {
		return // cost refuses it
	}
	switch v := v.(type) {
	case map[string]any:
		for _, key := range []string{"$anchor", "$dynamicAnchor"} {
			if name, is := v[key].(string); is {
				c.anchors["#"+name] = v
			}
		}
		for _, one := range v {
			c.index(one, depth+1)
		}
	case []any:
		for _, one := range v {
			c.index(one, depth+1)
		}
	}
}

func tooCostly() error {
	return message.Errorf("the schema would take too long to check: one value may meet more than 10,000 schemas, as its references multiply")
}

// sum adds what all of some schemas cost; most takes the ways back of one alone, where each is
// of another part of a value.
func (s *spent) sum(other spent) {
	s.cost, s.back, s.low = s.cost+other.cost, s.back+other.back, min(s.low, other.low)
}

func (s *spent) most(other spent) {
	s.cost, s.back, s.low = s.cost+other.cost, max(s.back, other.back), min(s.low, other.low)
}

func (c *costing) cost(v any, place string) (spent, error) {
	out := spent{cost: 1, low: nowhereBack}
	schema, is := v.(map[string]any)
	if !is {
		return out, nil // true or false
	}
	if at, is := c.open[place]; is {
		return spent{1, 1, at}, nil
	}
	if cost, is := c.done[place]; is {
		return spent{cost, 0, nowhereBack}, nil
	}
	if c.steps++; c.steps > mostSchemaCost || len(c.open) > mostSchemaDepth {
		return out, tooCostly()
	}
	depth := len(c.open)
	c.open[place] = depth
	defer delete(c.open, place)
	if err := c.keywords(schema, place, &out); err != nil {
		return out, err
	}
	if out.cost > mostSchemaCost {
		return out, tooCostly()
	}
	if out.back > 1 {
		return out, message.Errorf("the schema would take too long to check: it leads back to itself in several ways for the same value")
	}
	if out.low >= depth { // what it leads back to is itself
		out.back, out.low = 0, nowhereBack
		c.done[place] = out.cost
	}
	return out, nil
}

// keywords adds what the keywords of a schema cost.
func (c *costing) keywords(schema map[string]any, place string, out *spent) error {
	for _, key := range []string{"$id", "id"} {
		if name, is := schema[key].(string); is && place != "#" {
			return message.Errorf("a part of the schema has an %s of its own (%.80q); leave it out, and name the part as #/$defs/name", key, name)
		}
	}
	patterns := []string{}
	if expr, is := schema["pattern"].(string); is {
		patterns = append(patterns, expr)
	}
	if named, is := schema["patternProperties"].(map[string]any); is {
		patterns = slices.AppendSeq(patterns, maps.Keys(named))
	}
	for _, expr := range patterns {
		if _, _, err := compilePattern(expr); err != nil {
			return message.Errorf("the pattern %.80q cannot be used: %w", expr, err)
		}
	}
	each := func(key string, add func(*spent, spent), into *spent) error {
		at := place + "/" + key
		switch sub := schema[key].(type) {
		case []any:
			for i, one := range sub {
				got, err := c.cost(one, at+"/"+strconv.Itoa(i))
				if err != nil {
					return err
				}
				add(into, got)
			}
		case map[string]any:
			if !ofNames[key] {
				got, err := c.cost(sub, at)
				if err != nil {
					return err
				}
				add(into, got)
				break
			}
			for name, one := range sub {
				got, err := c.cost(one, at+"/"+escape.Replace(name))
				if err != nil {
					return err
				}
				add(into, got)
			}
		}
		return nil
	}
	for _, key := range []string{"allOf", "anyOf", "oneOf", "not", "if", "then", "else", "dependentSchemas", "dependencies",
		"patternProperties", "additionalProperties", "propertyNames", "additionalItems", "contains", "unevaluatedProperties", "unevaluatedItems"} {
		if err := each(key, (*spent).sum, out); err != nil {
			return err
		}
	}
	for _, parts := range [][]string{{"properties"}, {"prefixItems", "items"}} { // each of another part of a value
		own := spent{low: nowhereBack}
		for _, key := range parts {
			if err := each(key, (*spent).most, &own); err != nil {
				return err
			}
		}
		out.sum(own)
	}
	for _, key := range []string{"$ref", "$dynamicRef", "$recursiveRef"} {
		ref, is := schema[key].(string)
		if !is {
			continue
		}
		to, at, found := c.resolve(ref)
		if !found {
			return message.Errorf("the schema names %.80q; name its own parts alone, as #/$defs/name", ref)
		}
		got, err := c.cost(to, at)
		if err != nil {
			return err
		}
		out.sum(got)
	}
	return nil
}

// Names in JSON pointers (RFC 6901).
var (
	escape   = strings.NewReplacer("~", "~0", "/", "~1")
	unescape = strings.NewReplacer("~1", "/", "~0", "~")
)

// ofNames are the keywords whose object has a schema for each name.
var ofNames = map[string]bool{"properties": true, "patternProperties": true, "dependentSchemas": true, "dependencies": true}

// resolve finds what a reference within the schema names, and its place.
func (c *costing) resolve(ref string) (to any, place string, found bool) {
	if to, is := c.anchors[ref]; is {
		return to, ref, true
	}
	path, is := strings.CutPrefix(ref, "#")
	if !is || path != "" && path[0] != '/' || strings.Contains(path, "%") {
		return nil, "", false
	}
	to, place = c.root, "#"
	for _, token := range strings.Split(path, "/")[1:] {
		place += "/" + token
		token = unescape.Replace(token)
		switch v := to.(type) {
		case map[string]any:
			if to, found = v[token]; !found {
				return nil, "", false
			}
		case []any:
			n, err := strconv.Atoi(token)
			if err != nil || n < 0 || n >= len(v) {
				return nil, "", false
			}
			to = v[n]
		default:
			return nil, "", false
		}
	}
	return to, place, true
}

// values counts the values in a JSON document, up to some.
func values(v any, most int) int {
	n := 1
	switch v := v.(type) {
	case map[string]any:
		for _, one := range v {
			if n += values(one, most-n); n > most {
				return n
			}
		}
	case []any:
		for _, one := range v {
			if n += values(one, most-n); n > most {
				return n
			}
		}
	}
	return n
}
