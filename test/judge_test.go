package test

import (
	"testing"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/test/judge"
)

// Colleagues find what they mean, however they ask.
func TestJudgedSearches(t *testing.T) {
	t.Parallel()
	queries, err := judge.Queries()
	if err != nil || len(queries) < 80 {
		t.Fatalf("%d queries, %v", len(queries), err)
	}
	c := &client.Client{Server: alone(t).URL} // what other tests publish would be found too
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	v, err := judge.Judge(t.Context(), c, queries)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("the mean reciprocal rank is %.3f, the recall in the first five %.3f", v.MRR, v.Recall)
	// Without WordNet's files words for the same thing are the curators' alone.
	if v.MRR < 0.9 || v.Recall < 0.95 {
		t.Errorf("the mean reciprocal rank is %.3f and the recall in the first five %.3f; want 0.9 and 0.95", v.MRR, v.Recall)
		for _, m := range v.Misses {
			t.Logf("%q: want %v, got %v", m.Text, m.Wanted, m.Got)
		}
	}
}
