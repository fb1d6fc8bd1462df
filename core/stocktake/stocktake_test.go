package stocktake

import (
	"math"
	"slices"
	"strings"
	"testing"
	"time"
)

// Chances by the binomial distribution, worked out by hand: two of twelve is
// 2 (1 + 12 + 66) / 4096, and so on.
func TestChance(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		a, b int
		want float64
	}{
		{0, 0, 1}, {1, 0, 1}, {2, 10, 2 * 79.0 / 4096}, {10, 2, 2 * 79.0 / 4096}, {5, 5, 1}, {0, 7, 2.0 / 128}, {0, 8, 2.0 / 256},
		{1000, 1000, 1}, {1050, 950, 0.02682}, {1200, 1000, 2.213e-05},
	} {
		got := Chance(tt.a, tt.b)
		if math.Abs(got-tt.want) > 0.002*max(tt.want, 0.01) {
			t.Errorf("Chance(%d, %d) = %.6g, want %.6g", tt.a, tt.b, got, tt.want)
		}
	}
	for _, tt := range []struct {
		now, before int
		want        Change
	}{{9, 1, Same}, {12, 1, More}, {1, 12, Less}, {3, 0, Same}, {8, 0, More}, {100, 107, Same}} {
		if got := Compare(tt.now, tt.before); got != tt.want {
			t.Errorf("%d after %d is %q, want %q", tt.now, tt.before, got, tt.want)
		}
	}
}

// The exact and the normal way meet where one takes the place of the other.
func TestBothWaysOfChanceMeet(t *testing.T) {
	t.Parallel()
	for _, apart := range []int{0, 20, 60, 100, 140} {
		exact, normal := Chance(1000+apart/2, 1000-apart/2), Chance(1001+apart/2, 1000-apart/2+1)
		if math.Abs(exact-normal) > 0.02*max(exact, 0.05) {
			t.Errorf("%d apart: %.5g by the binomial distribution, %.5g by the normal", apart, exact, normal)
		}
	}
}

var today = time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC)

func daysAgo(n int) time.Time { return today.AddDate(0, 0, -n) }

func shelf() []Entry {
	past, coming := daysAgo(1), daysAgo(-1)
	return []Entry{
		{ID: 1, Slug: "one", Kind: "prompt", Owner: "idris", OwnerName: "Idris", PublishedAt: daysAgo(10), FirstAt: daysAgo(300), ReviewBy: &coming,
			Labels: map[string][]string{"department": {"care"}, "application": {"chat", "mail"}}, Uses: 9, People: 6, PeopleBefore: 1},
		{ID: 2, Slug: "two", Kind: "prompt", Owner: "idris", OwnerName: "Idris", PublishedAt: daysAgo(200), FirstAt: daysAgo(20), ReviewBy: &past,
			Labels: map[string][]string{"department": {"care"}, "application": {"mail"}}, Uses: 4}, // by themselves
		{ID: 3, Slug: "three", Kind: "snippet", Owner: "oona", OwnerName: "Oona", PublishedAt: daysAgo(400), FirstAt: daysAgo(400), Labels: map[string][]string{}, People: 2, PeopleBefore: 20},
		{ID: 4, Slug: "four", Kind: "snippet", Owner: "gone", OwnerLeft: true, PublishedAt: daysAgo(40), FirstAt: daysAgo(40), Labels: map[string][]string{}, Uses: 50, People: 40},
	}
}

func TestCoverage(t *testing.T) {
	t.Parallel()
	want := []Cell{
		{"", "", 2, 1, 1, 50}, {"care", "chat", 1, 1, 1, 9}, {"care", "mail", 2, 1, 2, 13},
	}
	if got := Coverage(shelf(), "department", "application", today); !slices.Equal(got, want) {
		t.Errorf("got %+v\nwant %+v", got, want)
	}
	all := 0
	for _, c := range Coverage(shelf(), "kind", "department", today) {
		all += c.Entries
	}
	if all != 4 {
		t.Errorf("by kind and department %d entries are counted", all)
	}
}

func TestAges(t *testing.T) {
	t.Parallel()
	want := []Age{{30, 1, 0}, {90, 1, 0}, {180, 0, 0}, {365, 1, 1}, {0, 1, 0}}
	if got := Ages(shelf(), today); !slices.Equal(got, want) {
		t.Errorf("got %+v, want %+v", got, want)
	}
}

// Nobody gains by their own use, and whoever has left is not told of.
func TestContributors(t *testing.T) {
	t.Parallel()
	want := []ContributorFigure{{"idris", "Idris", 1, 6, 1, Same, false}, {"oona", "Oona", 1, 2, 20, Less, false}}
	if got := Contributors(shelf()); !slices.Equal(got, want) {
		t.Errorf("got %+v, want %+v", got, want)
	}
}

func TestAnEntrysChange(t *testing.T) {
	t.Parallel()
	all := shelf()
	for i, want := range []Change{Same, New, Less, New} {
		if got := all[i].Change(daysAgo(180)); got != want {
			t.Errorf("%s: %q, want %q", all[i].Slug, got, want)
		}
	}
}

func TestMedian(t *testing.T) {
	t.Parallel()
	for _, tt := range []struct {
		of   []float64
		want float64
	}{{nil, 0}, {[]float64{3}, 3}, {[]float64{9, 1, 4}, 4}, {[]float64{9, 1, 4, 5}, 4.5}} {
		if got := Median(tt.of); got != tt.want {
			t.Errorf("the median of %v is %v, want %v", tt.of, got, tt.want)
		}
	}
}

func TestMondays(t *testing.T) {
	t.Parallel()
	for _, day := range []string{"2026-11-23", "2026-11-27", "2026-11-29"} {
		at, err := time.Parse(time.DateOnly, day)
		if err != nil {
			t.Fatal(err)
		}
		if got := Monday(at).Format(time.DateOnly); got != "2026-11-23" {
			t.Errorf("the week of %s begins on %s", day, got)
		}
	}
	if got := Mondays(Monday(daysAgo(14)), Monday(today)); len(got) != 2 || got[1].Weekday() != time.Monday {
		t.Errorf("got %v", got)
	}
}

// Searches for much the same are one gap, named as most have typed it, however they are put.
func TestGaps(t *testing.T) {
	t.Parallel()
	got := Gaps([]Missed{
		{"reports of pump faults", 3, 0, "2026-11-20"}, {"pump fault report", 9, 0, "2026-11-01"}, {"sickness note", 5, 0, "2026-10-01"},
		{"pump fault", 2, 0, "2026-09-01"}, {"a note of sickness", 1, 0, "2026-11-02"}, {"tide table", 0, 1, "2026-01-01"}, {"table of tides", 0, 6, "2026-01-02"},
	})
	var all []string
	for _, g := range got {
		all = append(all, g.Words+" "+g.Last+" "+strings.Join(g.Others, ","))
	}
	want := []string{"pump fault report 2026-11-20 reports of pump faults,pump fault", "table of tides 2026-01-02 tide table", "sickness note 2026-11-02 a note of sickness"}
	if !slices.Equal(all, want) {
		t.Errorf("got  %q\nwant %q", all, want)
	}
	if got[0].Times != 14 || got[2].Times != 6 || got[1].Unopened != 7 || got[1].Times != 0 {
		t.Errorf("they are %+v", got)
	}
	if Gaps(nil) != nil || len(Gaps([]Missed{{"the", 1, 0, ""}, {"", 1, 0, ""}})) != 2 {
		t.Error("small words alone, or none, are not kept apart")
	}
}

func BenchmarkGaps5000(b *testing.B) {
	words := strings.Fields("pump fault report sickness note quote comparison hosepipe ban letter drought press release meter burst main water tender depot crew shift")
	all := make([]Missed, 5000)
	for i := range all {
		all[i] = Missed{Words: strings.Join([]string{words[i%len(words)], words[i*7%len(words)], words[i*13%len(words)], words[i/31%len(words)]}, " "), Times: 1 + i%9}
	}
	for b.Loop() {
		Gaps(all)
	}
}

func TestReported(t *testing.T) {
	day := func(text string) time.Time {
		d, err := time.Parse(time.DateOnly, text)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	for _, c := range []struct{ every, today, since, until string }{
		{"week", "2026-11-27", "2026-11-16", "2026-11-23"},
		{"week", "2026-11-23", "2026-11-16", "2026-11-23"},
		{"week", "2026-11-22", "2026-11-09", "2026-11-16"},
		{"month", "2026-11-27", "2026-10-05", "2026-11-02"},
		{"month", "2026-12-01", "2026-10-05", "2026-11-02"}, // the last week of November goes on
		{"month", "2026-12-07", "2026-11-02", "2026-12-07"},
		{"month", "2027-01-04", "2026-12-07", "2027-01-04"},
		{"month", "2027-02-01", "2027-01-04", "2027-02-01"},
	} {
		since, until := Reported(c.every, day(c.today))
		if !since.Equal(day(c.since)) || !until.Equal(day(c.until)) {
			t.Errorf("each %s, on %s: %s to %s, want %s to %s", c.every, c.today, since.Format(time.DateOnly), until.Format(time.DateOnly), c.since, c.until)
		}
	}
}
