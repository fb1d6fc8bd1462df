package notify_test

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/internal/channel"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/testdb"
)

// Two services that look for what is due never take on the same thing; how it ended is
// kept, and it is tried again later.
func TestADeliveryIsClaimedOnce(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	var asked atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		asked.Add(1)
		rw.WriteHeader(http.StatusServiceUnavailable)
	}))
	defer server.Close()
	sender := channel.NewSender("127.0.0.1")
	s, other := notify.New(w.DB, sender), notify.New(w.Second(), sender)
	made, err := s.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: server.URL, Actions: []string{"publish"}})
	if err != nil {
		t.Fatal(err)
	}
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	claimed := make([][]notify.Delivery, 2)
	for _, err := range testdb.Race(
		func() (err error) { claimed[0], err = s.ClaimDue(ctx, 10); return err },
		func() (err error) { claimed[1], err = other.ClaimDue(ctx, 10); return err },
	) {
		if err != nil {
			t.Fatal(err)
		}
	}
	all := append(claimed[0], claimed[1]...)
	if len(all) != 1 {
		t.Fatalf("one thing was taken on %d times", len(all))
	}
	if err := s.Send(ctx, all[0]); err != nil {
		t.Fatal(err)
	}
	if due, err := s.ClaimDue(ctx, 10); err != nil || len(due) != 0 {
		t.Errorf("just refused, it is due again: %d, %v", len(due), err)
	}
	w.Clock.Pass(24 * time.Hour)
	due, err := s.ClaimDue(ctx, 10)
	if err != nil || len(due) != 1 {
		t.Fatalf("a day later %d are due, %v", len(due), err)
	}
	if err := s.DeleteChannel(ctx, w.By("curator"), made.ID); err != nil {
		t.Fatal(err)
	}
	_ = s.Send(ctx, due[0]) // its channel went meanwhile: nothing is left to say so to
	if asked.Load() > 2 {
		t.Errorf("asked %d times", asked.Load())
	}
}

// News is of what one follows, and read once; an address for a feed reader is replaced
// by the next.
func TestNews(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := notify.New(w.DB, channel.NewSender())
	if err := s.Follow(ctx, w.By("reader"), api.Follow{What: "department", Name: "customer-care"}, true); err != nil {
		t.Fatal(err)
	}
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	news, err := s.News(ctx, w.By("reader"), 0, "")
	if err != nil || news.Unread != 1 || len(news.Items) != 1 || news.Items[0].Slug != "notice" {
		t.Fatalf("news: %+v, %v", news, err)
	}
	if err := s.ReadNews(ctx, w.By("reader"), news.Items[0].Number); err != nil {
		t.Fatal(err)
	}
	if news, err = s.News(ctx, w.By("reader"), 0, ""); err != nil || news.Unread != 0 {
		t.Errorf("after reading it %d are unread, %v", news.Unread, err)
	}
	if other, err := s.News(ctx, w.By("second"), 0, ""); err != nil || len(other.Items) != 0 {
		t.Errorf("one who follows nothing hears %d things, %v", len(other.Items), err)
	}
	if err := s.Follow(ctx, w.By("reader"), api.Follow{What: "department", Name: "moon"}, true); err == nil {
		t.Error("a department that is not there is followed")
	}
}

// A channel hears things in the order in which they happened, however long it was away;
// one that hangs holds up no other; and a service that stops while it sends has not
// failed.
func TestChannelsKeepTheOrder(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	away := true
	var heard []string
	server := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		var e channel.Event
		if err := json.NewDecoder(r.Body).Decode(&e); err != nil {
			t.Error(err)
		}
		if away {
			rw.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		heard = append(heard, e.Type+" "+r.Header.Get("webhook-id"))
	}))
	defer server.Close()
	hangs := make(chan struct{})
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { <-hangs }))
	defer other.Close()
	defer close(hangs)
	s := notify.New(w.DB, channel.NewSender("127.0.0.1"))
	var hanging int64
	for _, url := range []string{server.URL, other.URL} {
		added, err := s.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: url})
		if err != nil {
			t.Fatal(err)
		}
		hanging = added.ID
	}
	send := func(ctx context.Context) (n int) {
		t.Helper()
		due, err := s.ClaimDue(t.Context(), 10)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range due {
			within, cancel := context.WithTimeout(ctx, 300*time.Millisecond)
			if err := s.Send(within, d); err != nil {
				t.Error(err)
			}
			cancel()
		}
		return len(due)
	}
	w.Publish(testdb.Prompt("notice", "Write to {{area}}.\n"))
	send(ctx) // the publication, which is refused
	w.Clock.Pass(time.Second)
	if _, err := lifecycle.New(w.DB).Retire(ctx, w.By("curator"), "notice", api.Retirement{Because: "Old."}); err != nil {
		t.Fatal(err)
	}
	away = false
	send(ctx)
	if len(heard) != 0 {
		t.Fatalf("while the publication waits for its next try it heard %v", heard)
	}
	for range 6 {
		w.Clock.Pass(time.Hour)
		send(ctx)
	}
	if len(heard) != 2 || !strings.HasPrefix(heard[0], "goldshelf.entry.publish ") || !strings.HasPrefix(heard[1], "goldshelf.entry.retire ") {
		t.Errorf("after hours away it heard %v", heard)
	}
	all, err := s.Deliveries(ctx, w.By("curator"), hanging, "")
	if err != nil || len(all.Items) != 2 {
		t.Fatalf("what hangs: %+v, %v", all.Items, err)
	}
	if first := all.Items[1]; first.State != "waiting" || first.Attempts != 0 || first.Failed != "" {
		t.Errorf("a delivery that was under way when the service was told to stop: %+v", first)
	}
}

// A channel that wants it gets the report of the stocktake, as an event of its own kind.
func TestAChannelGetsTheReport(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	var got []channel.Event
	server := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		var e channel.Event
		if err := json.NewDecoder(r.Body).Decode(&e); err != nil {
			t.Error(err)
		}
		got = append(got, e)
	}))
	defer server.Close()
	s := notify.New(w.DB, channel.NewSender("127.0.0.1"))
	_, err := s.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: server.URL, Report: "fortnight", Language: "tlh"})
	if err == nil || !strings.Contains(err.Error(), "fortnight") || !strings.Contains(err.Error(), "tlh") {
		t.Errorf("a report each fortnight in a language that we have not: %v", err)
	}
	made, err := s.AddChannel(ctx, w.By("curator"), api.NewChannel{Title: "Board", URL: server.URL, Report: "week", Language: message.French})
	if err != nil || made.Report != "week" || made.Language != message.French {
		t.Fatalf("the channel is %+v, %v", made, err)
	}
	if err := stocktake.New(w.DB).MakeReports(ctx); err != nil {
		t.Fatal(err)
	}
	due, err := s.ClaimDue(ctx, 10)
	if err != nil || len(due) != 1 {
		t.Fatalf("%d are due, %v", len(due), err)
	}
	if err := s.Send(ctx, due[0]); err != nil {
		t.Fatal(err)
	}
	if len(got) != 1 || got[0].Type != "goldshelf.stocktake.report" || !strings.HasPrefix(got[0].Data.(map[string]any)["markdown"].(string), "# Inventaire") {
		t.Errorf("the channel hears %+v", got)
	}
	list, err := s.Deliveries(ctx, w.By("curator"), made.ID, "")
	if err != nil || len(list.Items) != 1 || list.Items[0].Action != "stocktake-report" || list.Items[0].State != "done" {
		t.Errorf("its deliveries are %+v, %v", list, err)
	}
	feed, err := s.NewFeed(ctx, w.By("curator"), "https://shelf.example")
	if err != nil {
		t.Fatal(err)
	}
	private := strings.TrimSuffix(feed.Address[strings.LastIndex(feed.Address, "/")+1:], ".atom")
	atom, err := s.FeedOf(ctx, private, "https://shelf.example")
	if err != nil || !strings.Contains(string(atom), "Inventaire, du") {
		t.Errorf("the curator's feed is %s, %v", atom, err)
	}
}
