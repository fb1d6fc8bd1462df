package strict

import (
	"errors"

	"goldshelf/core/message"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"
)

const (
	deepestYAML = 32   // levels
	mostKeys    = 2500 // in a text
	mostAliases = 20
)

// YAML says what keeps a YAML text from being parsed in a time that its length bounds:
// it is too deep, has too many keys, or names parts of itself. It is asked before the
// parser is; nothing that we read needs any of that. Its error is an [Unreadable].
func YAML(text string) error {
	var columns []int // of the blocks that are open, outermost first
	flow, keys, aliases, line := 0, 0, 0, 0
	for _, t := range lexer.Tokenize(text) {
		at := func(format string, args ...any) error {
			return &Unreadable{t.Position.Line, t.Position.Column, message.Say(format, args...)}
		}
		if first := t.Position.Line != line; flow == 0 && (first || t.Type == token.SequenceEntryType) {
			for len(columns) > 0 && columns[len(columns)-1] >= t.Position.Column {
				columns = columns[:len(columns)-1]
			}
			columns = append(columns, t.Position.Column)
			line = t.Position.Line
		}
		switch t.Type {
		case token.AliasType:
			if aliases++; aliases > mostAliases {
				return at("it names parts of itself, with *, more than %d times; write them out", mostAliases)
			}
		case token.SequenceStartType, token.MappingStartType:
			flow++
		case token.SequenceEndType, token.MappingEndType:
			flow = max(flow-1, 0)
		case token.MappingValueType, token.MappingKeyType:
			keys++
		}
		if flow+len(columns) > deepestYAML {
			return at("it is more than %d levels deep", deepestYAML)
		}
		if keys > mostKeys {
			return at("it has more than %d keys", mostKeys)
		}
	}
	return nil
}

// FromYAML reads a YAML text into a value as [JSON] reads JSON, which is YAML too. Its error
// is a [problem.List] or an [Unreadable].
func FromYAML(text string, into any) error {
	if err := YAML(text); err != nil {
		return err
	}
	asJSON, err := yaml.YAMLToJSON([]byte(text))
	var placed yaml.Error
	if errors.As(err, &placed) {
		bad := &Unreadable{Line: 1, Column: 1, Why: message.Plain(placed.GetMessage())}
		if at := placed.GetToken(); at != nil && at.Position != nil {
			bad.Line, bad.Column = at.Position.Line, at.Position.Column
		}
		return bad
	}
	if err != nil {
		return &Unreadable{Line: 1, Column: 1, Why: message.Of(err)}
	}
	return JSON(asJSON, into)
}
