// Package library puts the use cases of one library together. It has none of its own.
package library

import (
	"time"

	"goldshelf/internal/audit"
	"goldshelf/internal/channel"
	"goldshelf/internal/desk"
	"goldshelf/internal/gather"
	"goldshelf/internal/history"
	"goldshelf/internal/index"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/notify"
	"goldshelf/internal/ownership"
	"goldshelf/internal/people"
	"goldshelf/internal/settings"
	"goldshelf/internal/shelf"
	"goldshelf/internal/similar"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// Library is the shared library of one company.
type Library struct {
	DB        *work.DB
	Index     *index.Index
	Audit     *audit.Service
	Desk      *desk.Service
	Gather    *gather.Service
	History   *history.Service
	Labels    *labels.Service
	Lifecycle *lifecycle.Service
	Notify    *notify.Service
	Ownership *ownership.Service
	People    *people.Service
	Settings  *settings.Service
	Shelf     *shelf.Service
	Similar   *similar.Service
	Writing   *writing.Service
}

// New gives the library that a database holds. The clock is time.Now but in tests, and
// in the demo's story; channels are reached by sender.
func New(db *store.DB, clock func() time.Time, sender *channel.Sender) *Library {
	d, x := work.New(db, clock), index.New()
	return &Library{
		DB: d, Index: x, Audit: audit.New(d), Desk: desk.New(d), Gather: gather.New(d), History: history.New(d), Labels: labels.New(d),
		Lifecycle: lifecycle.New(d), Notify: notify.New(d, sender), Ownership: ownership.New(d), People: people.New(d),
		Settings: settings.New(d), Shelf: shelf.New(d, texts.New(d), x), Similar: similar.New(d), Writing: writing.New(d),
	}
}
