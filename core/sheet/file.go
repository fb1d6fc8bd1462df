package sheet

import (
	"errors"
	"strings"

	"github.com/goccy/go-yaml"

	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/strict"
)

// MaxFile is the longest file of a question set, in bytes.
const MaxFile = 1 << 20

// ReadSet reads a question set from a file in YAML or JSON, with the fields of [Set]. Its
// error is a [problem.List].
func ReadSet(data []byte) (Set, error) {
	var s Set
	if len(data) > MaxFile {
		return s, problem.List{{Code: "size", Message: message.Say("the file has %d bytes; a question set has at most %d (1 MiB)", len(data), MaxFile)}}
	}
	text := strings.ReplaceAll(string(data), "\r\n", "\n")
	if bad := problem.Text("", text); bad != nil {
		return s, bad
	}
	if err := strict.FromYAML(text, &s); err != nil {
		if list, is := err.(problem.List); is {
			return s, list
		}
		p := problem.Problem{Code: "yaml", Message: message.Say("the question set cannot be read: %s", err)}
		var bad *strict.Unreadable
		if errors.As(err, &bad) {
			p.Message, p.Line, p.Column = message.Say("the question set cannot be read: %s", bad.Why), bad.Line, bad.Column
		}
		return s, problem.List{p}
	}
	return s, s.Problems().Err()
}

// YAML writes the set as a file that ReadSet reads, without its version.
func (s Set) YAML() ([]byte, error) {
	type question struct {
		Name     string   `yaml:"name"`
		Ask      string   `yaml:"ask,omitempty"`
		Help     string   `yaml:"help,omitempty"`
		Example  string   `yaml:"example,omitempty"`
		Type     string   `yaml:"type,omitempty"`
		Options  []string `yaml:"options,omitempty,flow"`
		Optional bool     `yaml:"optional,omitempty"`
		Min      *float64 `yaml:"min,omitempty"`
		Max      *float64 `yaml:"max,omitempty"`
	}
	type group struct {
		Title     string     `yaml:"title"`
		Questions []question `yaml:"questions"`
	}
	file := struct {
		Name   string  `yaml:"name"`
		Title  string  `yaml:"title"`
		Groups []group `yaml:"groups"`
	}{Name: s.Name, Title: s.Title}
	for _, g := range s.Groups {
		out := group{Title: g.Title}
		for _, q := range g.Questions {
			out.Questions = append(out.Questions, question{q.Name, q.Ask, q.Help, q.Example, string(q.Type), q.Options, q.Optional, q.Min, q.Max})
		}
		file.Groups = append(file.Groups, out)
	}
	return yaml.Marshal(file)
}
