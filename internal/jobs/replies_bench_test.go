package jobs_test

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/jobs"
	"goldshelf/internal/testdb"
	"goldshelf/internal/texts"
	"goldshelf/internal/trials"
)

// Replies of a trial that are asked for, kept and looked at, of models without latency: the
// database and the stand-in run on the same machine.
func BenchmarkReplies(b *testing.B) {
	w := databases.Models(b, func(c *endpoint.Spec) { c.AtOnce = 256 })
	ask := w.Asking
	w.Publish(testdb.Prompt("notice", "## Task\nWrite about the burst main in {{area}}.\n"+strings.Repeat("Say what has happened, what to do now and when water is back. ", 30)+"\n\n## Limits\nNo more than 120 words.\n"))
	t := trials.New(w.DB, texts.New(w.DB), texts.NewStyles(), ask)
	in := api.NewTrial{SetUps: slices.Repeat([]trial.SetUp{{Model: "heron-2"}}, 4), Expectations: []trial.Expectation{{Kind: trial.Avoided}, {Kind: trial.Numbers}}}
	for i := range 250 {
		in.Fills = append(in.Fills, trial.TestFill{Name: fmt.Sprint(i), Values: fill.Values{"area": fill.Single(fmt.Sprint("Mill Lane ", i))}})
	}
	for b.Loop() {
		if _, err := t.Start(b.Context(), w.By("contributor"), "notice", in); err != nil {
			b.Fatal(err)
		}
		began := time.Now()
		ctx, stop := context.WithCancel(b.Context())
		replies, looked := jobs.Replies(ask, slog.New(slog.DiscardHandler)), jobs.TrialReplies(t)
		ask.OnKept(looked.Wake)
		ended := make(chan struct{})
		go func() {
			defer close(ended)
			jobs.Run(ctx, slog.New(slog.DiscardHandler), replies, looked)
		}()
		for left := 1; left > 0; time.Sleep(50 * time.Millisecond) {
			left = w.Count("replies where outcomes is null")
		}
		b.ReportMetric(1000/time.Since(began).Seconds(), "replies/s")
		stop()
		<-ended
	}
}
