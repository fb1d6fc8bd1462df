// Package library puts the use cases of one library together. It has none of its own.
package library

import (
	"time"

	"goldshelf/internal/allowances"
	"goldshelf/internal/asking"
	"goldshelf/internal/audit"
	"goldshelf/internal/channel"
	"goldshelf/internal/connections"
	"goldshelf/internal/desk"
	"goldshelf/internal/gather"
	"goldshelf/internal/history"
	"goldshelf/internal/index"
	"goldshelf/internal/keys"
	"goldshelf/internal/labels"
	"goldshelf/internal/lifecycle"
	"goldshelf/internal/models"
	"goldshelf/internal/notify"
	"goldshelf/internal/ownership"
	"goldshelf/internal/people"
	"goldshelf/internal/pictures"
	"goldshelf/internal/register"
	"goldshelf/internal/relays"
	"goldshelf/internal/reports"
	"goldshelf/internal/settings"
	"goldshelf/internal/sheets"
	"goldshelf/internal/shelf"
	"goldshelf/internal/similar"
	"goldshelf/internal/stocktake"
	"goldshelf/internal/store"
	"goldshelf/internal/talks"
	"goldshelf/internal/texts"
	"goldshelf/internal/trials"
	"goldshelf/internal/voices"
	"goldshelf/internal/work"
	"goldshelf/internal/writing"
)

// Library is the shared library of one company.
type Library struct {
	DB         *work.DB
	Index      *index.Index
	Asking     *asking.Asking
	Allowances *allowances.Service
	Audit      *audit.Service
	Connect    *connections.Service
	Desk       *desk.Service
	Gather     *gather.Service
	History    *history.Service
	Keys       *keys.Service
	Labels     *labels.Service
	Lifecycle  *lifecycle.Service
	Notify     *notify.Service
	Ownership  *ownership.Service
	People     *people.Service
	Pictures   *pictures.Service
	Register   *register.Service
	Relays     *relays.Service
	Reports    *reports.Service
	Settings   *settings.Service
	Sheets     *sheets.Service
	Shelf      *shelf.Service
	Similar    *similar.Service
	Stocktake  *stocktake.Service
	Talks      *talks.Service
	Trials     *trials.Service
	Voices     *voices.Service
	Writing    *writing.Service
}

// Outside is how a library reaches what is not its own.
type Outside struct {
	Channels *channel.Sender
	Models   *models.Asker
	Secrets  asking.Secrets
}

// Closed is the outside of a library that reaches nothing inside the machine or its network.
func Closed() Outside { return Outside{Channels: channel.NewSender(), Models: models.NewAsker()} }

// New gives the library that a database holds. The clock is time.Now but in tests, and
// in the demo's story.
func New(db *store.DB, clock func() time.Time, out Outside) *Library {
	d, x := work.New(db, clock), index.New()
	t, styles, ask := texts.New(d), texts.NewStyles(), asking.New(d, out.Models, out.Secrets)
	everyone := people.New(d)
	everyone.SealBy(out.Secrets.Key)
	return &Library{
		DB: d, Index: x, Asking: ask, Allowances: allowances.New(d), Audit: audit.New(d), Connect: connections.New(d, ask), Desk: desk.New(d), Gather: gather.New(d), History: history.New(d), Keys: keys.New(d), Labels: labels.New(d),
		Lifecycle: lifecycle.New(d), Notify: notify.New(d, out.Channels), Ownership: ownership.New(d), People: everyone,
		Pictures: pictures.New(d), Register: register.New(d), Relays: relays.New(d, t, ask), Reports: reports.New(d), Settings: settings.New(d), Sheets: sheets.New(d),
		Shelf: shelf.New(d, t, x), Similar: similar.New(d), Stocktake: stocktake.New(d), Talks: talks.New(d, t, ask), Trials: trials.New(d, t, styles, ask), Voices: voices.New(d, styles), Writing: writing.New(d),
	}
}
