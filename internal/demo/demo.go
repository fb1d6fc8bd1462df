// Package demo is the library of the made-up Larkfen Water: its people, its
// labels and its entries with their histories. Loading it goes through the same
// use cases as everyone's work, on days in the past.
package demo

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/stocktake"
	"goldshelf/internal/library"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Password is what the demo's four accounts sign in with.
const Password = "larkfen-demo"

//go:embed library/*.md moved/*.md starters/*.md samples/*.md pictures/*.png sets/*.yaml layouts/*.json trials/*.json
var files embed.FS

// person is one of the demo's people. The four that are named like a role can
// sign in.
type person struct {
	name, fullName, department string
	role                       entry.Role
}

func people() []person {
	return []person{
		{"curator", "Tamsin Hale", "communications", entry.Curator},
		{"reviewer", "Oona Birch", "regulatory-affairs", entry.Reviewer},
		{"contributor", "Idris Fenn", "customer-care", entry.Contributor},
		{"reader", "Wren Castell", "customer-care", entry.Reader},
		{"care-lead", "Maribel Stroud", "customer-care", entry.Contributor},
		{"field-lead", "Joss Penhale", "field-operations", entry.Contributor},
		{"lab-lead", "Ilse Varrow", "laboratory", entry.Contributor},
		{"people-lead", "Corin Ashdene", "people-team", entry.Contributor},
		{"buyer", "Petra Lunnick", "procurement", entry.Contributor},
		{"press-desk", "Noor Eddingley", "communications", entry.Contributor},
		{"regs-lead", "Bram Ostley", "regulatory-affairs", entry.Reviewer},
		{"night-shift", "Hedda Roke", "field-operations", entry.Reader},
		{"intake-lead", "Sorrel Whitby", "people-team", entry.Contributor},
	}
}

// labels are the departments, applications, models and audiences, as a table.
//
//go:embed labels.csv
var labels []byte

//go:embed synonyms.txt
var synonyms string

// setUpDaysAgo is when the library was set up.
const setUpDaysAgo = 400

// zone is the time zone of the library.
const zone = "Europe/London"

// storyEnd returns the moment that the demo's "days ago" count back from: 16:00 on the
// last Sunday before now, in the library's zone. The story moves by whole weeks, so every
// day of it falls on the same weekday and in the same week of the stocktake on any date.
// At now, the last day of the story is between 8 hours and 7 days and 8 hours ago: no age
// in the story may cross a limit of days (untouched drafts, reviews due) within that week.
func storyEnd(now time.Time, in *time.Location) time.Time {
	y, m, d := now.In(in).Date()
	monday := stocktake.Monday(time.Date(y, m, d, 0, 0, 0, 0, in))
	y, m, d = monday.Date()
	return time.Date(y, m, d-1, 16, 0, 0, 0, in)
}

// chapter is the life of one version: who wrote it, how many days ago it was
// submitted, with which note, who read it and what became of it.
type chapter struct {
	slug     string
	number   int
	writer   string
	daysAgo  int
	note     string
	reviewer string
	end      entry.State
}

// chapters is the year's story, oldest first.
func chapters() []chapter {
	const p = entry.Published
	return []chapter{
		{"boil-water-wording", 1, "regs-lead", 266, "First wording, from the regulator's letter.", "reviewer", p},
		{"no-guessing", 1, "curator", 250, "One sentence instead of nine versions of it.", "reviewer", p},
		{"opening-hours", 1, "care-lead", 244, "Taken out of eleven entries.", "reviewer", p},
		{"how-to-reach-us", 1, "care-lead", 240, "First version.", "reviewer", p},
		{"plain-river", 1, "press-desk", 236, "From the writing guide of the care team.", "reviewer", p},
		{"duty-officer", 1, "field-lead", 230, "From the control room's call sheet.", "reviewer", p},
		{"burst-main-notice", 1, "contributor", 222, "First version, from the notice of the March burst.", "reviewer", p},
		{"burst-all-clear", 1, "contributor", 218, "Sent by hand so far.", "reviewer", p},
		{"meter-dispute-reply", 1, "care-lead", 205, "Out of a chat where it has worked for months.", "reviewer", p},
		{"boil-water-wording", 2, "regs-lead", 194, "Shorter; cooling added.", "reviewer", p},
		{"shift-handover", 1, "field-lead", 170, "From the crew leads' own list.", "reviewer", p},
		{"board-paper", 1, "curator", 166, "From ten papers that were read to the end.", "reviewer", p},
		{"farm-customers", 1, "care-lead", 161, "Answers of the spring survey.", "reviewer", p},
		{"meter-dispute-reply", 2, "contributor", 150, "Letter and readings fenced; a role and limits.", "reviewer", p},
		{"when-water-returns", 1, "care-lead", 141, "Taken out of two notices.", "reviewer", p},
		{"crew-lead", 1, "field-lead", 137, "From the first line of the shift book.", "reviewer", p},
		{"lab-translator", 1, "lab-lead", 133, "First version.", "reviewer", p},
		{"lab-result-plain", 1, "lab-lead", 126, "From the twelve answers that customers thanked us for.", "regs-lead", p},
		{"front-desk", 1, "care-lead", 122, "Taken out of the chat desk's own notes.", "reviewer", p},
		{"spokesperson", 1, "press-desk", 120, "After the council's questions in the spring.", "reviewer", p},
		{"service-standards", 1, "regs-lead", 118, "The promises as printed on the bill.", "reviewer", p},
		{"regulatory-writer", 1, "regs-lead", 114, "From three returns that came back without a question.", "reviewer", p},
		{"careful-buyer", 1, "buyer", 112, "So that the comparison reads fair to all.", "reviewer", p},
		{"tender-facts", 1, "buyer", 110, "Step one of the comparison.", "reviewer", p},
		{"tender-table", 1, "buyer", 109, "Step two of the comparison.", "reviewer", p},
		{"page-from-notes", 1, "press-desk", 107, "The page that everybody makes of notes.", "reviewer", p},
		{"plain-words", 1, "press-desk", 106, "A last pass over what is written.", "reviewer", p},
		{"tender-comparison", 1, "buyer", 104, "All steps in order.", "reviewer", p},
		{"welcome-guide", 1, "people-lead", 98, "From what the last intake said they had missed.", "reviewer", p},
		{"technician-advert", 1, "people-lead", 96, "From the advert that filled Ferry Row.", "reviewer", p},
		{"boil-water-wording", 3, "contributor", 83, "“Rolling boil” kept; says until when.", "reviewer", p},
		{"how-to-reach-us", 2, "care-lead", 76, "The phone's hours now come from one place.", "reviewer", p},
		{"field-log", 1, "field-lead", 75, "Measured on a winter of job sheets.", "reviewer", p},
		{"letter-close", 1, "care-lead", 74, "One close for all letters.", "reviewer", p},
		{"reading-reminder", 1, "care-lead", 70, "Replaces the red letter.", "reviewer", p},
		{"duty-officer", 2, "press-desk", 64, "What it knows and what it leaves alone, after the August outage.", "reviewer", p},
		{"plain-river", 2, "press-desk", 60, "Measured on thirty letters: about twelve words a sentence.", "reviewer", p},
		{"fair-terms", 1, "regs-lead", 55, "As the terms of supply are written.", "reviewer", p},
		{"holiday-parks", 1, "contributor", 53, "Asked for before the season.", "reviewer", p},
		{"leak-repairs", 1, "care-lead", 52, "As printed on the back of the bill.", "reviewer", p},
		{"priority-list", 1, "regs-lead", 52, "From the licence, in plain words.", "reviewer", p},
		{"meter-dispute-reply", 3, "care-lead", 51, "Farms are compared with their own season.", "reviewer", p},
		{"planned-work-letter", 1, "contributor", 48, "From the letters about Quay Street and the Fen Road main.", "regs-lead", p},
		{"supply-restored", 1, "contributor", 44, "The other half of the burst notice.", "reviewer", p},
		{"site-names", 1, "field-lead", 40, "One spelling for all.", "reviewer", p},
		{"toolbox-talk", 1, "field-lead", 39, "Asked for by the crews.", "reviewer", p},
		{"lab-letter", 1, "lab-lead", 34, "From thirty answers to the regulator.", "regs-lead", p},
		{"sample-point-note", 1, "lab-lead", 33, "So that records read alike.", "regs-lead", p},
		{"leak-allowance-decision", 1, "care-lead", 35, "The rules as of this year.", "regs-lead", p},
		{"complaint-summary", 1, "contributor", 34, "", "", entry.Draft},
		{"minutes-to-actions", 1, "press-desk", 34, "Asked for by five teams.", "reviewer", p},
		{"open-day-column", 1, "press-desk", 33, "From twelve columns that people wrote back to.", "reviewer", p},
		{"minutes-for-all", 1, "press-desk", 33, "So that minutes are read.", "reviewer", p},
		{"interview-questions", 1, "intake-lead", 32, "For the spring intake.", "reviewer", p},
		{"tender-questions", 1, "buyer", 23, "After the valve tender.", "reviewer", p},
		{"farm-customers", 2, "care-lead", 23, "As answers to the question set, so that prompts can ask for it.", "reviewer", p},
		{"household-customers", 1, "care-lead", 23, "The spring survey, in the same questions as for farms.", "reviewer", p},
		{"larkfen-facts", 1, "press-desk", 22, "This year's figures.", "reviewer", p},
		{"burst-main-notice", 2, "contributor", 16, "Order of what to say; the regulator's wording where water must be boiled.", "reviewer", p},
		{"priority-list-letter", 1, "contributor", 21, "One letter for whichever customers it goes to.", "reviewer", p},
		{"prompt-writer", 1, "curator", 20, "So that a first draft takes minutes.", "reviewer", p},
		{"make-it-shorter", 1, "curator", 19, "What everybody types after the first reply.", "reviewer", p},
		{"make-it-plainer", 1, "curator", 19, "What everybody types after the first reply.", "reviewer", p},
		{"make-it-warmer", 1, "curator", 19, "What everybody types after the first reply.", "reviewer", p},
		{"improve-a-prompt", 1, "curator", 18, "So that a draft is read once before it is reviewed.", "reviewer", p},
		{"follow-an-instruction", 1, "curator", 18, "For the last touches.", "reviewer", p},
		{"fit-the-boxes", 1, "curator", 17, "Every application has its boxes.", "reviewer", p},
		{"answers-to-a-sheet", 1, "curator", 17, "What we know stands in letters.", "reviewer", p},
		{"rules-from-samples", 1, "curator", 17, "Samples are there; a guide takes a day.", "reviewer", p},
		{"board-brief", 1, "curator", 14, "From the company secretary's note.", "reviewer", p},
		{"school-visit-talk", 1, "contributor", 14, "For the open day.", "reviewer", entry.Approved},
		{"incident-timeline", 1, "regs-lead", 14, "For the report on the September burst.", "reviewer", entry.Approved},
		{"supply-restored-fr", 1, "contributor", 13, "For the holiday parks, whose guests ask in French.", "reviewer", p},
		{"supply-restored-chat", 1, "press-desk", 12, "", "", entry.Draft},
		{"low-pressure-note", 1, "press-desk", 11, "", "", entry.Draft},
		{"shift-handover", 2, "contributor", 11, "An example, and the one spelling of our sites.", "", entry.InReview},
		{"site-names", 2, "field-lead", 3, "The works at Fen Road, which two notices spelled in two ways.", "reviewer", entry.Approved},
		{"boil-water-wording", 4, "contributor", 2, "Time to boil follows the new guidance.", "", entry.InReview},
		{"hosepipe-limit-questions", 1, "contributor", 1, "Ready for the dry month.", "", entry.InReview},
		{"meter-dispute-reply", 4, "contributor", 1, "", "", entry.Draft},
	}
}

// ruledSince is how many days ago the policy was set.
const ruledSince = 12

// retirement is an entry's end.
type retirement struct {
	slug    string
	daysAgo int
	how     api.Retirement
}

func retirements() []retirement {
	return []retirement{
		{"burst-all-clear", 40, api.Retirement{Because: "It says nothing of cloudy water, and people called about it", Instead: "supply-restored"}},
	}
}

// Load fills an empty library, and leaves one that has entries as it is. Its content, uses
// and figures are the same whatever now is. It returns what the sign-in page may show.
func Load(ctx context.Context, db *store.DB, now time.Time, log *slog.Logger) (api.Welcome, error) {
	welcome := api.Welcome{Demo: true, Password: Password}
	for _, p := range people()[:4] {
		welcome.Accounts = append(welcome.Accounts, api.Person{Name: p.name, FullName: p.fullName, Department: p.department, Role: p.role})
	}
	l, err := newLoader(db, now)
	if err != nil {
		return welcome, err
	}
	there, err := work.See(ctx, l.lib.DB, func(v work.View) (bool, error) {
		people, err := v.People()
		if err != nil || len(people) == 0 {
			return false, err
		}
		return true, whole(v.Reader, people)
	})
	if err != nil || there {
		return welcome, err
	}
	log.Info("filling the library with the demo of Larkfen Water")
	if err := l.begin(ctx); err != nil {
		return welcome, err
	}
	if err := l.questionSets(ctx); err != nil {
		return welcome, err
	}
	retired, derived := retirements(), adaptations()
	for _, c := range chapters() {
		for len(retired) > 0 && retired[0].daysAgo > c.daysAgo {
			if err := l.retire(ctx, retired[0]); err != nil {
				return welcome, err
			}
			retired = retired[1:]
		}
		for len(derived) > 0 && derived[0].daysAgo > c.daysAgo {
			if err := l.adapt(ctx, derived[0]); err != nil {
				return welcome, err
			}
			derived = derived[1:]
		}
		if c.daysAgo < ruledSince && l.now.Before(l.dayAgo(ruledSince)) {
			l.daysAgo(ruledSince)
			if _, err := l.lib.Lifecycle.SetPolicy(ctx, l.by["curator"], 0, rules()); err != nil {
				return welcome, err
			}
		}
		if err := l.tell(ctx, c); err != nil {
			return welcome, fmt.Errorf("%s, version %d: %w", c.slug, c.number, err)
		}
	}
	for _, part := range []func(context.Context) error{l.story, l.said, l.used, l.looked, l.register, l.sections, l.writingSamples, l.keys} {
		if err := part(ctx); err != nil {
			return welcome, err
		}
	}
	l.now = now
	if err := l.haveRead(ctx); err != nil {
		return welcome, err
	}
	return welcome, l.starters(ctx) // the last step: see whole
}

// whole says whether the demo that is there was filled to its end: a start that
// was killed in the middle leaves its people, and no policy.
func whole(r store.Reader, there []store.Person) error {
	starters, err := r.Starters()
	if err == nil && len(starters) == 0 && there[0].Name == people()[0].name {
		return errors.New("an earlier start was stopped while it filled the demo, which is not whole; start it with another --data-dir, a new one")
	}
	return err
}

// loader acts as the demo's people, on days in the past.
type loader struct {
	lib   *library.Library
	today time.Time // the end of the story
	now   time.Time
	by    map[string]work.Caller
}

func newLoader(db *store.DB, now time.Time) (*loader, error) {
	in, err := time.LoadLocation(zone)
	if err != nil {
		return nil, err
	}
	l := &loader{today: storyEnd(now, in), by: map[string]work.Caller{}}
	l.lib = library.New(db, func() time.Time { return l.now }, library.Closed())
	return l, nil
}

// dayAgo returns the same time of day, n days before the end of the story.
func (l *loader) dayAgo(n int) time.Time { return l.today.AddDate(0, 0, -n) }

// daysAgo sets the clock.
func (l *loader) daysAgo(n int) { l.now = l.dayAgo(n) }

func (l *loader) begin(ctx context.Context) error {
	l.daysAgo(setUpDaysAgo)
	for i, p := range people() {
		add := api.Person{Name: p.name, FullName: p.fullName, Department: p.department, Role: p.role}
		if i == 0 {
			// The first curator makes the library what it is, and adds the others.
			own := add
			own.Department = ""
			if err := l.lib.People.AddFirstCurator(ctx, own, Password); err != nil {
				return err
			}
		}
		by, err := l.person(ctx, add, i == 0, i < 4)
		if err != nil {
			return err
		}
		l.by[p.name] = by
	}
	return l.follow(ctx)
}

// person gives someone to act as: the first curator, who sets the library up, or one
// that they add and who may set a password by the link that they get.
func (l *loader) person(ctx context.Context, add api.Person, first, signsIn bool) (work.Caller, error) {
	if !first {
		link, err := l.lib.People.Add(ctx, l.by["curator"], add)
		if err == nil && signsIn {
			err = l.lib.People.SetPassword(ctx, api.NewPassword{Code: link.Code, Password: Password})
		}
		if err != nil {
			return work.Caller{}, err
		}
	}
	by, err := work.Ask(ctx, l.lib.DB, func(v work.View) (work.Caller, error) {
		p, err := v.PersonByName(add.Name)
		return work.CallerOf(p, "service"), err
	})
	if err != nil || !first {
		return by, err
	}
	if err := l.setUp(ctx, by); err != nil {
		return by, err
	}
	by.Department = add.Department
	_, err = l.lib.People.Change(ctx, by, by.Name, api.PersonChange{Department: &add.Department})
	return by, err
}

// setUp says what the library is called and by which clock it goes, and adds its labels.
func (l *loader) setUp(ctx context.Context, by work.Caller) error {
	if _, err := l.lib.Settings.SetLibrary(ctx, by, 1, api.Library{Name: "Larkfen Water", Zone: zone}); err != nil {
		return err
	}
	if _, err := l.lib.Labels.Import(ctx, by, labels); err != nil {
		return err
	}
	var lists [][]string
	for line := range strings.Lines(synonyms) {
		lists = append(lists, strings.Split(strings.TrimSpace(line), ", "))
	}
	_, err := l.lib.Settings.SetSynonyms(ctx, by, 1, api.Synonyms{Lists: lists})
	return err
}

// starters keeps the departments' starters, and marks the prompt that writes
// prompts.
func (l *loader) starters(ctx context.Context) error {
	for _, department := range []string{"customer-care", "field-operations"} {
		data, err := fs.ReadFile(files, "starters/"+department+".md")
		if err != nil {
			return err
		}
		file, err := bundle.Read(data)
		if err != nil {
			return err
		}
		if _, err := l.lib.Writing.SetStarter(ctx, l.by["curator"], department, file.Content); err != nil {
			return err
		}
	}
	for slug, helps := range map[string]string{
		"prompt-writer": store.HelpsDraft, "make-it-shorter": store.HelpsRefine, "make-it-plainer": store.HelpsRefine, "make-it-warmer": store.HelpsRefine,
		"improve-a-prompt": store.HelpsEdit, "follow-an-instruction": store.HelpsEdit, "fit-the-boxes": store.HelpsEdit, "answers-to-a-sheet": store.HelpsEdit, "rules-from-samples": store.HelpsEdit,
	} {
		if _, err := l.lib.Writing.SetHelper(ctx, l.by["curator"], slug, api.Helper{Helps: helps}); err != nil {
			return err
		}
	}
	return nil
}

// follow has people follow what they would.
func (l *loader) follow(ctx context.Context) error {
	for _, f := range []struct {
		who string
		api.Follow
	}{
		{"reader", api.Follow{What: "department", Name: "customer-care"}},
		{"contributor", api.Follow{What: "person", Name: "regs-lead"}},
		{"reviewer", api.Follow{What: "department", Name: "laboratory"}},
		{"curator", api.Follow{What: "department", Name: "regulatory-affairs"}},
	} {
		if err := l.lib.Notify.Follow(ctx, l.by[f.who], f.Follow, true); err != nil {
			return err
		}
	}
	return nil
}

// haveRead has everyone have read all but the last of what they were told.
func (l *loader) haveRead(ctx context.Context) error {
	for _, by := range l.by {
		news, err := l.lib.Notify.News(ctx, by, 3, "")
		if err != nil {
			return err
		}
		if n := len(news.Items); n > 2 {
			if err := l.lib.Notify.ReadNews(ctx, by, news.Items[2].Number); err != nil {
				return err
			}
		}
	}
	return nil
}

func (l *loader) retire(ctx context.Context, r retirement) error {
	l.daysAgo(r.daysAgo)
	if _, err := l.lib.Lifecycle.Retire(ctx, l.by["curator"], r.slug, r.how); err != nil {
		return fmt.Errorf("%s, retired: %w", r.slug, err)
	}
	return nil
}

// tell takes one version through its life, a day or so between the steps.
func (l *loader) tell(ctx context.Context, c chapter) error {
	data, err := fs.ReadFile(files, fmt.Sprintf("library/%s@%d.md", c.slug, c.number))
	if err != nil {
		return err
	}
	file, err := bundle.Read(data)
	if err != nil {
		return err
	}
	submitted := l.dayAgo(c.daysAgo)
	l.now = submitted.Add(-3 * time.Hour)
	writer := l.by[c.writer]
	if file.Pictures, err = l.pictures(ctx, writer, c); err != nil {
		return err
	}
	req := api.NewEntry{Slug: c.slug, Content: file.Content, Owner: file.Owner, Deputy: file.Deputy, RenditionOf: file.RenditionOf}
	if c.number == 1 {
		_, err = l.lib.Writing.Create(ctx, writer, req)
	} else {
		_, err = l.lib.Writing.SaveDraft(ctx, writer, c.slug, texts.Revision{}, req)
	}
	if err != nil || c.note == "" {
		return err
	}
	l.now = submitted
	if _, err := l.lib.Lifecycle.Submit(ctx, writer, c.slug, c.note); err != nil {
		return err
	}
	l.now = submitted.Add(20 * time.Hour)
	switch {
	case c.end == entry.Approved || c.end == entry.Published:
		_, err = l.lib.Lifecycle.Approve(ctx, l.by[c.reviewer], c.slug, l.seen(ctx, c.slug), "")
	}
	if err != nil || c.end != entry.Published {
		return err
	}
	l.now = submitted.Add(26 * time.Hour)
	_, err = l.lib.Lifecycle.Publish(ctx, l.by["curator"], c.slug, l.seen(ctx, c.slug), nil)
	return err
}

// channelTitle is what the demo's channel is called.
const channelTitle = "Larkfen news board"

// Connect has the library tell the stand-in of what happens. It stands at another
// address each time, so the channel of an earlier start makes room.
func Connect(ctx context.Context, lib *library.Library, standIn *Channel, address string) error {
	var by work.Caller
	channels, err := work.See(ctx, lib.DB, func(v work.View) ([]store.Channel, error) {
		p, err := v.PersonByName("curator")
		if err != nil {
			return nil, err
		}
		by = work.CallerOf(p, "service")
		return v.Channels()
	})
	if err != nil {
		return err
	}
	for _, c := range channels {
		if c.Title != channelTitle {
			continue
		}
		standIn.SetSecret(c.Secret)
		if c.URL == address {
			return nil
		}
		_, err := lib.Notify.SetChannel(ctx, by, c.ID, api.NewChannel{Title: c.Title, URL: address})
		return err
	}
	c, err := lib.Notify.AddChannel(ctx, by, api.NewChannel{Title: channelTitle, URL: address})
	standIn.SetSecret(c.Secret)
	return err
}
