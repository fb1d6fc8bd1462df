package writing

import (
	"context"
	"errors"
	"slices"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// textSave is a draft to be saved of which most likely the text alone has changed:
// what an editor sends every few seconds.
type textSave struct {
	by      work.Caller
	slug    string
	on      texts.Revision
	content entry.Content
}

// textSaved is a textSave's end. Where it was not saved this way, SaveDraft finds out
// why and, if it can be, does it.
type textSaved struct {
	saved  bool
	beaten bool // someone else has saved since
	entry  api.Entry
}

// saveTexts saves the texts of drafts that many people are at work on, in one unit. It
// saves only what SaveDraft would: of a draft at the revision that the caller read, by
// one who may and is known as one of its writers, with the same code, blanks and
// labels and naming the same entries.
func (s *Service) saveTexts(ctx context.Context, saves []textSave) ([]textSaved, error) {
	outs, err := work.Do(ctx, s.db, work.Service(), func(u *work.Unit) ([]textSaved, error) {
		outs := make([]textSaved, len(saves))
		slugs := make([]string, len(saves))
		for i, s := range saves {
			slugs[i] = s.slug
		}
		drafts, err := u.OpenDrafts(slugs)
		if err != nil {
			return nil, err
		}
		var rows []store.Text
		of := map[int64]int{} // which save it is, by version
		for i, s := range saves {
			n := slices.IndexFunc(drafts, func(d store.OpenDraft) bool { return d.Slug == s.slug })
			if n < 0 || drafts[n].Kind != string(s.content.Kind) {
				continue // there is more to say than that someone was faster
			}
			d := drafts[n]
			_, twice := of[d.V.ID] // of those who save one draft together, one comes first
			if outs[i].beaten = twice || s.on != texts.RevisionOf(d.V); outs[i].beaten || !takesText(d, s) {
				continue
			}
			of[d.V.ID] = i
			rows = append(rows, store.Text{ID: d.V.ID, Revision: s.on.Revision, Content: s.content, By: s.by.ID, At: u.Now()})
			outs[i].entry = afterwards(u, d, s)
		}
		if len(rows) == 0 {
			return outs, nil
		}
		ids, err := u.SaveTexts(rows)
		for _, id := range ids {
			i := of[id]
			outs[i].saved = true
			d := drafts[slices.IndexFunc(drafts, func(d store.OpenDraft) bool { return d.V.ID == id })]
			u.RecordAs(saves[i].by, entry.Save, d.ID, d.V.Number, nil)
		}
		return outs, err
	})
	var refused *entry.Refusal
	if errors.As(err, &refused) { // one of them has lost the role: each goes on alone, and hears of it
		return make([]textSaved, len(saves)), nil
	}
	return outs, err
}

// takesText says whether a save changes the text of a draft alone, and may.
func takesText(d store.OpenDraft, s textSave) bool {
	_, err := entry.Take(entry.Save, s.by.Actor(), texts.Status(d.Entry))
	return err == nil &&
		s.content.Code == d.V.Code &&
		(s.content.Labels == nil || texts.SameLabels(s.content.Labels, d.Labels.V)) &&
		d.Parts != "" && d.Parts == texts.PartsOf(s.content) && slices.Contains(d.Writers.V, s.by.ID)
}

// afterwards is a draft as its writer sees it once a text is saved.
func afterwards(u *work.Unit, d store.OpenDraft, s textSave) api.Entry {
	v := d.V
	v.Slug, v.Kind, v.OwnerID, v.DeputyID, v.Writers = d.Slug, d.Kind, d.OwnerID, d.DeputyID, d.Writers
	v.SetContent(s.content)
	v.Labels = d.Labels
	v.Revision, v.Saver, v.SaverName, v.SavedAt = v.Revision+1, s.by.Name, s.by.FullName, u.Now()
	return texts.View(u.Reader, s.by, d.Entry, v)
}
