package relay

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"

	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/strict"
)

// MaxFile is the longest file of a run that is read, in bytes.
const MaxFile = 8 << 20

// File is a run as it is saved: what it was given, so that it can be run again, and where that
// is wished what came of it.
type File struct {
	Relay  string      `json:"relay"` // a slug with the version, as tender-comparison@2
	Values fill.Values `json:"values"`
	Model  string      `json:"model,omitempty"`
	Seed   *int64      `json:"seed,omitempty"`
	Steps  []FileStep  `json:"steps,omitempty"`
}

// FileStep is what came of a step.
type FileStep struct {
	Name  string `json:"name"`
	Use   string `json:"use"`
	Model string `json:"model"`
	Reply string `json:"reply"`
}

// JSON writes the file as JSON.
func (f File) JSON() ([]byte, error) {
	data, err := json.MarshalIndent(f, "", "  ")
	return append(data, '\n'), err
}

// Markdown writes the file as Markdown: what was given in its header, and a heading of the
// first level for each step, with its reply.
func (f File) Markdown() ([]byte, error) {
	steps := f.Steps
	f.Steps = nil
	asJSON, err := json.Marshal(f)
	if err != nil {
		return nil, err
	}
	header, err := yaml.JSONToYAML(asJSON)
	if err != nil {
		return nil, err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "---\n%s---\n", header)
	for _, s := range steps {
		fmt.Fprintf(&b, "\n# %s\n\n%s, %s\n\n%s\n", s.Name, s.Use, s.Model, strings.Trim(s.Reply, "\n"))
	}
	return []byte(b.String()), nil
}

// ReadFile reads what a run was given, from a file in either form. Its error is a
// [problem.List].
func ReadFile(data []byte) (f File, err error) {
	if len(data) > MaxFile {
		return f, problem.List{{Code: "size", Message: message.Say("the file has %d bytes; a run has at most %d (8 MiB)", len(data), MaxFile)}}
	}
	text := strings.ReplaceAll(string(data), "\r\n", "\n")
	if bad := problem.Text("", text); bad != nil {
		return f, bad
	}
	if rest, is := strings.CutPrefix(text, "---\n"); is {
		header, _, ends := strings.Cut(rest, "\n---\n")
		if !ends {
			return f, problem.List{{Code: "header", Message: message.Say("the file's header does not end; it stands between two lines with --- alone")}}
		}
		err = strict.FromYAML(header, &f)
	} else {
		err = strict.JSON([]byte(text), &f)
	}
	var list problem.List
	switch {
	case errors.As(err, &list):
		return f, list
	case err != nil:
		return f, problem.List{{Code: "file", Message: message.Say("the file is no run: %s", err)}}
	case f.Relay == "":
		return f, problem.List{{Field: "/relay", Code: "required", Message: message.Say("the file does not say of which relay it is")}}
	}
	return f, nil
}
