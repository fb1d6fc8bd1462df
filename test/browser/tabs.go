package browser

import (
	"context"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/storage"
	"github.com/chromedp/chromedp"
)

// left are the tabs of a Chromium that nobody has open. To make a tab ready, and read the
// console's code in it, costs more than most of what is done there.
type left struct {
	mu   sync.Mutex
	tabs []*tab
}

type (
	leftKey struct{}
	tabKey  struct{}
)

// tab has a session, and so cookies, of its own.
type tab struct {
	ctx    context.Context
	cancel context.CancelFunc
	marked bool // something of what was done cannot be taken back
}

// Tab opens a tab of a Chromium that Start began, with a session of its own: a new one, or one
// that another has closed, with nothing left in it of what was done there.
func Tab(chrome context.Context) (_ context.Context, closed func(), err error) {
	left := chrome.Value(leftKey{}).(*left)
	t := left.take()
	if t == nil {
		t = &tab{}
		t.ctx, t.cancel = chromedp.NewContext(context.WithValue(chrome, tabKey{}, t), chromedp.WithNewBrowserContext())
		if err := chromedp.Do(t.ctx, chromedp.Navigate("about:blank")); err != nil { // opens it, for as long as its context lives
			t.cancel()
			return nil, nil, err
		}
	}
	return t.ctx, func() {
		if t.marked || t.clear() != nil {
			t.cancel()
			return
		}
		left.put(t)
	}, nil
}

func (l *left) take() (t *tab) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if n := len(l.tabs); n > 0 {
		t, l.tabs = l.tabs[n-1], l.tabs[:n-1]
	}
	return t
}

func (l *left) put(t *tab) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.tabs = append(l.tabs, t)
}

// clear takes back whatever a tab's pages have left there. One that asks whether it may be
// left is not waited for.
func (t *tab) clear() error {
	ctx, cancel := context.WithTimeout(t.ctx, 2*time.Second)
	defer cancel()
	return chromedp.Do(ctx, chromedp.Steps(chromedp.Navigate("about:blank"), chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, storage.ClearDataForOrigin, storage.ClearDataForOriginParams{Origin: "*", StorageTypes: "all"}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, page.ResetNavigationHistory, cdp.Empty{})
		return err
	})))
}

// leavesTraces says that a tab is not to be opened again.
func leavesTraces(ctx context.Context) { ctx.Value(tabKey{}).(*tab).marked = true }
