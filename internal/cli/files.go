package cli

import (
	"encoding/json"
	"fmt"

	"github.com/goccy/go-yaml"

	"goldshelf/core/strict"
)

// readYAML reads a file in YAML or JSON into a value, leaving nothing of it unread.
func (a *app) readYAML(file string, into any) error {
	data, err := a.readAll(file)
	if err != nil {
		return err
	}
	if err := strict.FromYAML(string(data), into); err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	return nil
}

// printYAML prints a value as a file that readYAML takes.
func (a *app) printYAML(value any) error {
	asJSON, err := json.Marshal(value)
	if err != nil {
		return err
	}
	file, err := yaml.JSONToYAML(asJSON)
	if err != nil {
		return err
	}
	_, err = a.out.Write(file)
	return err
}
