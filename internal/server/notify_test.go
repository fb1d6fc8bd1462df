package server

import (
	"context"
	"encoding/xml"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/channel"
	"goldshelf/internal/jobs"
)

// heard gives what someone was told of, the newest first.
func heard(t *testing.T, c *client.Client) []string {
	t.Helper()
	news, err := c.News(context.Background(), 0, "")
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, n := range news.Items {
		all = append(all, n.Action+":"+n.Slug)
	}
	return all
}

func TestWhoFollowsHears(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	reader, second, reviewer := w.as("reader"), w.as("second"), w.as("reviewer")
	w.publish(snippet("close", "Regards.\n"))
	for _, f := range []api.Follow{{What: "entry", Name: "gone"}, {What: "person", Name: "nobody"}, {What: "department", Name: "moon"}} {
		refused(t, "follow "+f.Name, reader.Follow(ctx, f, true), http.StatusNotFound, f.Name)
	}
	follow := func(c *client.Client, what, name string) {
		t.Helper()
		if err := c.Follow(ctx, api.Follow{What: what, Name: name}, true); err != nil {
			t.Fatal(err)
		}
	}
	follow(reader, "entry", "close")
	follow(reader, "entry", "close") // twice is once
	follow(second, "department", "customer-care")
	follow(reviewer, "person", "contributor")
	if all := step[api.Follows](t, "follows")(reader.Follows(ctx)); len(all.Items) != 1 {
		t.Errorf("the reader follows %v", all.Items)
	}
	w.publish(snippet("close", "Kind regards.\n"))
	user := notice("Say it in {{area}} within {{hours}}.\n")
	w.publish(user)
	same(t, "who follows the entry", heard(t, reader), "publish:close")
	same(t, "who follows the department", heard(t, second), "publish:burst-main-notice")
	same(t, "who follows the owner", heard(t, reviewer), "publish:burst-main-notice", "publish:close")
	same(t, "who owns them", heard(t, w.as("contributor")), "publish:burst-main-notice", "publish:close", "publish:close")
	if got := heard(t, w.as("curator")); len(got) > 0 {
		t.Errorf("whoever did it hears of it: %v", got)
	}

	// A return is for those alone who may see drafts.
	follow(reader, "entry", "burst-main-notice")
	user.Body += "More.\n"
	if _, _, err := w.as("contributor").SaveDraft(ctx, user.Slug, "", user); err != nil {
		t.Fatal(err)
	}
	step[api.Entry](t, "submit")(w.as("contributor").Submit(ctx, user.Slug, "More."))
	step[api.Entry](t, "return")(giveBack(w.as("chief"), user.Slug, "Less, please."))
	same(t, "a reader hears of no draft", heard(t, reader), "publish:close")
	news := step[api.News](t, "news")(reviewer.News(ctx, 1, ""))
	if n := news.Items[0]; n.Action != "return" || n.Why.String() != "Less, please." || n.ByName != "Chief" || !n.Unread || news.Unread != 3 || news.Next == "" {
		t.Errorf("a reviewer hears %+v, %d unread", n, news.Unread)
	}
	if err := reviewer.ReadNews(ctx, news.Items[0].Number); err != nil {
		t.Fatal(err)
	}
	if desk := step[api.Desk](t, "desk")(reviewer.Desk(ctx, 0, "")); desk.Unread != 0 {
		t.Errorf("read, and still %d unread", desk.Unread)
	}
	if err := reader.Follow(ctx, api.Follow{What: "entry", Name: "close"}, false); err != nil {
		t.Fatal(err)
	}
	step[api.Entry](t, "retire")(w.as("curator").Retire(ctx, "close", api.Retirement{Because: "Old."}))
	same(t, "who no longer follows", heard(t, reader), "publish:close")
}

func TestFeed(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	w.publish(snippet("close", "Kind <regards> & more.\n"))
	feed := step[api.Feed](t, "feed")(w.as("contributor").NewFeed(ctx))
	read := func(address string) (int, string, string) {
		t.Helper()
		res, err := http.Get(address)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		data, _ := io.ReadAll(res.Body)
		return res.StatusCode, res.Header.Get("Content-Type"), string(data)
	}
	status, kind, text := read(feed.Address)
	var doc struct {
		XMLName xml.Name `xml:"http://www.w3.org/2005/Atom feed"`
		ID      string   `xml:"id"`
		Title   string   `xml:"title"`
		Updated string   `xml:"updated"`
		Entries []struct {
			ID, Title, Updated string
			Author             string `xml:"author>name"`
		} `xml:"entry"`
	}
	if err := xml.Unmarshal([]byte(text), &doc); err != nil || status != http.StatusOK || !strings.HasPrefix(kind, "application/atom+xml") {
		t.Fatalf("status %d as %q: %v\n%s", status, kind, err, text)
	}
	if len(doc.Entries) != 1 || doc.ID == "" || doc.Entries[0].Author != "Curator" || !strings.Contains(text, "close, version 1: published") {
		t.Errorf("the feed: %s", text)
	}
	if _, err := time.Parse(time.RFC3339, doc.Updated); err != nil {
		t.Errorf("updated %q is no time", doc.Updated)
	}
	step[api.Feed](t, "a new address")(w.as("contributor").NewFeed(ctx))
	if status, _, _ := read(feed.Address); status != http.StatusNotFound {
		t.Errorf("the old address still answers %d", status)
	}
}

// receiver is a program at the other end of a channel.
type receiver struct {
	mu     sync.Mutex
	ids    []string
	status int
}

func (r *receiver) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.ids = append(r.ids, req.Header.Get("webhook-id"))
	w.WriteHeader(r.status)
}

func (r *receiver) answer(status int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.status = status
}

func (r *receiver) got() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.ids)
}

func TestChannelsAreTold(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	curator := w.as("curator")
	to := &receiver{status: http.StatusNoContent}
	s := httptest.NewServer(to)
	t.Cleanup(s.Close)
	_, err := curator.AddChannel(ctx, api.NewChannel{Title: "Board", URL: s.URL})
	refused(t, "an address inside", err, http.StatusUnprocessableEntity, "allow the host by name first")
	*w.sender = *channel.NewSender(strings.TrimPrefix(s.URL, "http://"))
	_, err = w.as("reviewer").AddChannel(ctx, api.NewChannel{Title: "Board", URL: s.URL})
	refused(t, "by a reviewer", err, http.StatusForbidden, "only a curator")
	_, err = curator.AddChannel(ctx, api.NewChannel{URL: "nowhere", Actions: []string{"save"}, Departments: []string{"moon"}})
	refused(t, "all wrong", err, http.StatusUnprocessableEntity, "the title is missing", "no web address", `told of "save"`, `no department "moon"`)
	h := step[api.Channel](t, "add")(curator.AddChannel(ctx, api.NewChannel{Title: "Board", URL: s.URL, Actions: []string{"publish"}}))
	if !strings.HasPrefix(h.Secret, "whsec_") {
		t.Errorf("its secret is %q", h.Secret)
	}
	if all := step[api.Channels](t, "channels")(curator.Channels(ctx)); len(all.Items) != 1 || all.Items[0].Secret != "" {
		t.Errorf("the channels: %+v, want one, without its secret", all.Items)
	}
	sendDue := func(want int) {
		t.Helper()
		n := w.sendDue()
		if n != want {
			t.Fatalf("%d were sent, want %d", n, want)
		}
	}
	w.publish(snippet("close", "Regards.\n"))
	w.publish(snippet("other", "Text.\n"))
	step[api.Entry](t, "retire")(curator.Retire(ctx, "other", api.Retirement{Because: "Old."})) // it is not told of this
	sendDue(2)
	sendDue(0)
	if got := to.got(); len(got) != 2 || got[0] == got[1] {
		t.Errorf("it got %v, want two", got)
	}

	// While it fails, it is tried again with growing pauses, and then given up.
	to.answer(http.StatusServiceUnavailable)
	w.publish(snippet("third", "Text of it.\n"))
	for n := 1; n <= 8; n++ {
		sendDue(1)
		sendDue(0)
		w.Clock.Pass(25 * time.Hour)
	}
	sendDue(0)
	last := step[api.Deliveries](t, "deliveries")(curator.Deliveries(ctx, h.ID, "")).Items[0]
	if last.State != "given-up" || last.Attempts != 8 || last.Status != 503 || !strings.Contains(last.Failed, "503") {
		t.Errorf("after eight failures: %+v", last)
	}
	if all := step[api.Channels](t, "channels")(curator.Channels(ctx)); all.Items[0].GivenUp != 1 {
		t.Errorf("the channel: %+v, want one given up", all.Items[0])
	}
	to.answer(http.StatusNoContent)
	if err := curator.SendAgain(ctx, h.ID, last.ID); err != nil {
		t.Fatal(err)
	}
	sendDue(1)
	if got := to.got(); got[len(got)-1] != got[2] {
		t.Errorf("sent again it has the id %s, and had %s", got[len(got)-1], got[2])
	}
	refused(t, "send what is not there", curator.SendAgain(ctx, h.ID, 999), http.StatusNotFound, "nothing with the number 999")

	// Several services at once send each thing once.
	before := len(to.got())
	w.publish(snippet("fourth", "One more text.\n"))
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() { w.sendDue() })
	}
	wg.Wait()
	if n := len(to.got()) - before; n != 1 {
		t.Errorf("by six at once it was sent %d times", n)
	}

	// What was being sent when the service was stopped may have arrived: it is sent again,
	// under the id by which its receiver knows.
	w.publish(snippet("fifth", "And another.\n"))
	w.Exec(`update deliveries set state = 'sending', sent_at = now() - interval '1 hour' where state = 'waiting'`)
	working, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		log := slog.New(slog.DiscardHandler)
		jobs.Run(working, log, jobs.Deliveries(w.lib.Notify, log))
	}()
	for range 100 {
		if last = step[api.Deliveries](t, "deliveries")(curator.Deliveries(ctx, h.ID, "")).Items[0]; last.State == "done" {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	stop()
	<-done
	if last.State != "done" || len(to.got())-before != 2 {
		t.Errorf("it is %s, and was sent %d times", last.State, len(to.got())-before)
	}
	paused := step[api.Channel](t, "pause")(curator.SetChannel(ctx, h.ID, api.NewChannel{Title: "Board", URL: s.URL, Paused: true}))
	if paused.Active {
		t.Error("paused, it is active")
	}
	if err := curator.DeleteChannel(ctx, h.ID); err != nil {
		t.Fatal(err)
	}
	_, err = curator.Deliveries(ctx, h.ID, "")
	refused(t, "the deliveries of what is removed", err, http.StatusNotFound, "no channel")
}
