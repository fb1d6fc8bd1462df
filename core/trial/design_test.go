package trial

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"goldshelf/core/endpoint"
)

// Set-ups are called by what sets them apart.
func TestSetUpsAreCalledByWhatSetsThemApart(t *testing.T) {
	t.Parallel()
	cold := 0.0
	for name, c := range map[string]struct {
		sets []SetUp
		want []string
	}{
		"alone":         {[]SetUp{{Model: "heron-2"}}, []string{"heron-2"}},
		"models":        {[]SetUp{{Model: "heron-2"}, {Model: "osprey-70"}}, []string{"heron-2", "osprey-70"}},
		"versions":      {[]SetUp{{Model: "m", Version: "open"}, {Model: "m"}, {Model: "m", Version: "3"}}, []string{"as it is written", "on the shelf", "version 3"}},
		"stacks":        {[]SetUp{{Model: "m", Persona: "clerk"}, {Model: "m", Persona: "none"}, {Model: "m"}}, []string{"clerk", "no persona", "the usual persona"}},
		"two things":    {[]SetUp{{Model: "m", Style: "plain"}, {Model: "n"}}, []string{"m, plain", "n, the usual style"}},
		"settings":      {[]SetUp{{Model: "m", Settings: endpoint.Settings{Temperature: &cold, MaxTokens: 90}}, {Model: "m"}}, []string{"temperature 0, 90 tokens at most", "the usual settings"}},
		"sheets":        {[]SetUp{{Model: "m", Sheets: []string{"farms", "homes"}}, {Model: "m", For: "mail"}}, []string{"the usual application, farms and homes", "mail, the usual sheets"}},
		"the same":      {[]SetUp{{Model: "m"}, {Model: "m"}, {Model: "m"}}, []string{"m", "m, 2", "m, 3"}},
		"as one called": {[]SetUp{{Model: "m", Title: "Cheap"}, {Model: "n"}}, []string{"Cheap", "n"}},
	} {
		var got []string
		for _, s := range (Design{SetUps: c.sets}).WithDefaults().SetUps {
			got = append(got, s.Title)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	before := []SetUp{{Model: "m"}}
	d := Design{SetUps: before}.WithDefaults()
	if d.Times != 1 || d.Matters != Matters || d.Seed != 1 || d.SetUps[0].Version != "shelf" || before[0].Title != "" {
		t.Errorf("%+v, of %+v", d, before)
	}
}

func TestDesignProblems(t *testing.T) {
	t.Parallel()
	fills := func(n int) (all []TestFill) {
		for i := range n {
			all = append(all, TestFill{Name: fmt.Sprint(i)})
		}
		return all
	}
	whole := Design{Bed: Bed{Fills: fills(3)}, SetUps: []SetUp{{Model: "m"}}}.WithDefaults()
	if wrong := whole.Problems(); wrong != nil {
		t.Errorf("%v", wrong)
	}
	for field, change := range map[string]func(*Design){
		"/fills":           func(d *Design) { d.Fills = nil },
		"/fills/1/name":    func(d *Design) { d.Fills = []TestFill{{Name: "a"}, {Name: " a "}} },
		"/fills/0/name":    func(d *Design) { d.Fills = []TestFill{{Name: strings.Repeat("x", 81)}} },
		"/set_ups":         func(d *Design) { d.SetUps = nil },
		"/set_ups/0/model": func(d *Design) { d.SetUps = []SetUp{{}} },
		"/set_ups/0/title": func(d *Design) { d.SetUps = []SetUp{{Model: "m", Title: "a\nb"}} },
		"/set_ups/0/settings/temperature": func(d *Design) {
			hot := 3.0
			d.SetUps = []SetUp{{Model: "m", Settings: endpoint.Settings{Temperature: &hot}}}
		},
		"/times":   func(d *Design) { d.Times = -1 },
		"/matters": func(d *Design) { d.Matters = 1 },
		"": func(d *Design) {
			d.Fills, d.Times = fills(1000), 6
		},
	} {
		d := whole
		change(&d)
		wrong := d.Problems()
		found := false
		for _, p := range wrong {
			found = found || p.Field == field
		}
		if !found {
			t.Errorf("nothing is said of %q: %v", field, wrong)
		}
	}
	if wrong := (Bed{Fills: fills(1001)}).Problems(); len(wrong) != 1 || wrong[0].Field != "/fills" {
		t.Errorf("1,001 fills: %v", wrong)
	}
	if n := (Design{Bed: Bed{Fills: fills(10)}, SetUps: make([]SetUp, 3), Times: 4}).Replies(); n != 120 {
		t.Errorf("%d replies", n)
	}
}
