package register

import (
	"math"
	"reflect"
	"testing"
)

func f(n float64) *float64 { return &n }

func TestSum(t *testing.T) {
	t.Parallel()
	items := []Item{
		{"brook", "Brook", Allowed, 1000}, {"sluice", "Sluice", Allowed, 700.1}, {"trial-a", "A", OnTrial, 150}, {"trial-b", "B", OnTrial, 90},
		{"old", "Old", Gone, 5000}, {"shadow", "Shadow", NotToBeUsed, 40}, {"free", "Free", Allowed, 0},
	}
	for _, c := range []struct {
		cap   *float64
		left  float64
		level Level
		go_   []string
	}{
		{nil, 0, Room, nil},
		{f(4000), 2019.9, Room, nil},
		{f(2200), 219.9, Near, nil},
		{f(1980.1), 0, Near, nil},
		{f(1980), -0.1, Over, []string{"shadow"}},
		{f(1900), -80.1, Over, []string{"shadow", "trial-b"}},
		{f(1800), -180.1, Over, []string{"shadow", "trial-a"}},
		{f(1000), -980.1, Over, []string{"shadow", "trial-a", "trial-b", "sluice"}},
		{f(0), -1980.1, Over, []string{"shadow", "trial-a", "trial-b", "brook", "sluice"}},
	} {
		m := Sum(items, Budget{Cap: c.cap, Currency: "EUR"})
		var names []string
		for _, g := range m.WouldGo {
			names = append(names, g.Name)
		}
		if m.Total != 1980.1 || m.Left != c.left || m.Level != c.level || !reflect.DeepEqual(names, c.go_) {
			t.Errorf("cap %v: %+v", c.cap, m)
		}
	}
	want := "the month would cost 1,980.10 EUR, 80.10 over the cap of 1,900; to stay below it this would have to go: Shadow (40), B (90)"
	b := Budget{Cap: f(1900), Currency: "EUR"}
	if got := Sum(items, b).Warns(b); got != want {
		t.Errorf("got %q", got)
	}
}

func TestProblems(t *testing.T) {
	t.Parallel()
	fields := func(d Details, facet string) (all []string) {
		for _, p := range d.Problems(facet) {
			all = append(all, p.Field+" "+p.Code)
		}
		return all
	}
	good := Details{Status: Allowed, CostMonth: f(12.5), Seats: 40, Renews: "2027-03-31", Replaces: "old-chat"}
	if got := fields(good, Application); got != nil {
		t.Error(got)
	}
	bad := Details{Status: "x", TokenLimit: -1, PriceIn: f(-0.1), PriceOut: f(0.00001), CostMonth: f(math.Inf(1)), Seats: 5, Renews: "2027-02-31", Replaces: "A b", Keeper: "a\nb", Notes: "\x00"}
	want := []string{"/status status", "/notes nul", "/keeper type", "/replaces name", "/renews date", "/cost_month facet", "/seats facet", "/renews facet", "/price_in range", "/price_out decimals", "/cost_month range", "/token_limit range"}
	if got := fields(bad, Model); len(got) != len(want) {
		t.Errorf("got %q", got)
	}
	if got := fields(Details{Status: Allowed, TokenLimit: 8000, PriceIn: f(0.0001), PriceOut: f(2.5)}, Application); len(got) != 3 {
		t.Errorf("a model's of an application: %q", got)
	}
	if (Budget{Cap: f(-1), Currency: "euro"}).Problems() == nil || (Budget{Currency: "EUR", Cap: f(0)}).Problems() != nil {
		t.Error("a budget")
	}
}

func TestAmount(t *testing.T) {
	t.Parallel()
	for n, want := range map[float64]string{0: "0", 12.5: "12.50", 999: "999", 1000: "1,000", -1234567.891: "-1,234,567.89"} {
		if got := Amount(n); got != want {
			t.Errorf("%v: %s, want %s", n, got, want)
		}
	}
}
