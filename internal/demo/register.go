package demo

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/layout"
	"goldshelf/core/register"
	"goldshelf/core/sheet"
	"goldshelf/internal/library"
	"goldshelf/internal/work"
)

// questionSets are what sheets answer: one has gone on by a question since one of its
// sheets was written.
func (l *loader) questionSets(ctx context.Context) error {
	by := l.by["curator"]
	for _, s := range []struct {
		file    string
		daysAgo int
		note    string
	}{
		{"service@1", 200, ""}, {"audience@1", 180, ""}, {"audience@2", 28, "Asked for by the chat desk: in which languages we are read."},
	} {
		data, err := fs.ReadFile(files, "sets/"+s.file+".yaml")
		if err != nil {
			return err
		}
		set, err := sheet.ReadSet(data)
		if err != nil {
			return fmt.Errorf("question set %s: %w", s.file, err)
		}
		l.daysAgo(s.daysAgo)
		in := api.NewQuestionSet{Title: set.Title, Groups: set.Groups, Note: s.note}
		if _, number, _ := sheet.ParseRef(s.file); number > 1 {
			_, err = l.lib.Sheets.Save(ctx, by, set.Name, number-1, in)
		} else {
			in.Name = set.Name
			_, err = l.lib.Sheets.Add(ctx, by, in)
		}
		if err != nil {
			return fmt.Errorf("question set %s: %w", s.file, err)
		}
	}
	return nil
}

// register says what is kept of the applications and models, and how each application
// wants stacks delivered. The month is nearly at its cap.
func (l *loader) register(ctx context.Context) error {
	l.daysAgo(90)
	by := l.by["curator"]
	cost := func(n float64) *float64 { return &n }
	day := func(days int) string { return l.today.AddDate(0, 0, days).Format(time.DateOnly) }
	now, err := l.lib.Register.Register(ctx)
	if err != nil {
		return err
	}
	if now, err = l.lib.Register.SetBudget(ctx, by, now.Number, api.BudgetChange{Budget: register.Budget{Cap: cost(4200), Currency: "EUR"}}); err != nil {
		return err
	}
	for _, r := range []struct {
		facet, name string
		register.Details
	}{
		{"application", "brook-chat", register.Details{Keeper: "press-desk", Status: register.Allowed, CostMonth: cost(1480), Seats: 74, Renews: day(96), Notes: "Everyone may use it. Nothing about single customers goes in."}},
		{"application", "sluice-desk", register.Details{Keeper: "care-lead", Status: register.Allowed, CostMonth: cost(1260), Seats: 42, Renews: day(41), Notes: "Case handling. It takes two boxes: about us, and how to answer."}},
		{"application", "fieldpad", register.Details{Keeper: "field-lead", Status: register.OnTrial, CostMonth: cost(690), Seats: 23, Renews: day(18), Notes: "On trial with two crews until the spring."}},
		{"application", "weir-mail", register.Details{Keeper: "press-desk", Status: register.Allowed, CostMonth: cost(540), Seats: 180, Renews: day(210)}},
		{"model", "heron-2", register.Details{Keeper: "curator", Status: register.Allowed, TokenLimit: 128_000, PriceIn: cost(2.4), PriceOut: cost(9.6), Notes: "For letters and for whatever customers read."}},
		{"model", "heron-2-mini", register.Details{Keeper: "curator", Status: register.Allowed, TokenLimit: 64_000, PriceIn: cost(0.3), PriceOut: cost(1.2)}},
		{"model", "osprey-70", register.Details{Keeper: "buyer", Status: register.OnTrial, TokenLimit: 200_000, PriceIn: cost(3), PriceOut: cost(15), Notes: "Long tenders. Looked at again when the trial ends."}},
		{"model", "marsh-local", register.Details{Keeper: "lab-lead", Status: register.Allowed, TokenLimit: 16_000, PriceIn: cost(0), PriceOut: cost(0), Notes: "Runs in our own rooms: for whatever must not leave them."}},
	} {
		if now, err = l.lib.Register.Change(ctx, by, now.Number, r.facet, r.name, api.RegisteredChange{Details: r.Details}); err != nil {
			return fmt.Errorf("%s %s: %w", r.facet, r.name, err)
		}
	}
	for _, application := range []string{"brook-chat", "sluice-desk", "fieldpad", "weir-mail"} {
		data, err := fs.ReadFile(files, "layouts/"+application+".json")
		if err != nil {
			return err
		}
		var how layout.Layout
		if err := json.Unmarshal(data, &how); err != nil {
			return err
		}
		if _, err := l.lib.Register.SetLayout(ctx, by, application, 0, how); err != nil {
			return fmt.Errorf("the layout of %s: %w", application, err)
		}
	}
	return nil
}

// modelsConnection is what the demo calls the connection to the simulated models.
const modelsConnection = "simulated-models"

// ConnectModels has the demo's models be asked at an address.
func ConnectModels(ctx context.Context, lib *library.Library, address string) error {
	by, err := personOf(ctx, lib, "curator")
	if err != nil {
		return err
	}
	in := api.NewConnection{Name: modelsConnection, Title: "Simulated models", Spec: endpoint.Spec{
		Address: address, Models: []string{"heron-2", "heron-2-mini", "osprey-70", "marsh-local"}, AtOnce: 64, FirstSeconds: 10, WholeSeconds: 120,
	}}
	there, err := lib.Connect.Get(ctx, by, modelsConnection)
	var missing *work.Missing
	switch {
	case errors.As(err, &missing):
		_, err = lib.Connect.Add(ctx, by, in)
	case err == nil && there.Address != address:
		there.Address = address
		_, err = lib.Connect.Set(ctx, by, modelsConnection, there.Number, api.NewConnection{Title: there.Title, Spec: there.Spec})
	}
	return err
}
