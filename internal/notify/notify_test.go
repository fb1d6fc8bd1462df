package notify_test

import (
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/internal/channel"
	"goldshelf/internal/notify"
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
