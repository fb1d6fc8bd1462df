package library

import (
	"context"
	"slices"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/store"
)

// textSave is a draft to be saved of which most likely the text alone has changed:
// what an editor sends every few seconds.
type textSave struct {
	by      Caller
	slug    string
	on      Revision
	content entry.Content
}

// textSaved is a textSave's end. Where it was not saved this way, SaveDraft finds
// out why and, if it can be, does it.
type textSaved struct {
	saved  bool
	beaten bool // someone else has saved since
	entry  api.Entry
}

// saveTexts saves the texts of drafts that many people are at work on, together. It
// saves only what SaveDraft would: of a draft at the revision that the caller read,
// by one who may and is known as one of its writers, with the same blanks and
// labels and naming the same entries.
func (l *Library) saveTexts(ctx context.Context, saves []textSave) ([]textSaved, error) {
	outs := make([]textSaved, len(saves))
	slugs := make([]string, len(saves))
	for i, s := range saves {
		slugs[i] = s.slug
	}
	drafts, err := l.db.OpenDrafts(ctx, slugs)
	if err != nil {
		return nil, err
	}
	at := l.now()
	var texts []store.Text
	of := map[int64]int{} // which save it is, by version
	for i, s := range saves {
		n := slices.IndexFunc(drafts, func(d store.OpenDraft) bool { return d.Slug == s.slug })
		if n < 0 || drafts[n].Kind != string(s.content.Kind) {
			continue // there is more to say than that someone was faster
		}
		d := drafts[n]
		_, twice := of[d.V.ID] // of those who save one draft together, one comes first
		if outs[i].beaten = twice || s.on != (Revision{d.V.Number, d.V.Revision}); outs[i].beaten || !takesText(d, s) {
			continue
		}
		of[d.V.ID] = i
		texts = append(texts, store.Text{ID: d.V.ID, Revision: s.on.Revision, Content: s.content, By: s.by.ID, At: at, Via: s.by.Via})
		outs[i].entry = l.afterwards(d, s, at)
	}
	if len(texts) == 0 {
		return outs, nil
	}
	ids, err := l.db.SaveTexts(ctx, texts)
	for _, id := range ids {
		outs[of[id]].saved = true
	}
	return outs, err
}

// takesText says whether a save changes the text of a draft alone, and may.
func takesText(d store.OpenDraft, s textSave) bool {
	_, err := entry.Take(entry.Save, s.by.actor(), standing(d.Entry, nil))
	return err == nil &&
		s.content.Code == d.V.Code &&
		d.Parts != "" && d.Parts == partsOf(s.content) && slices.Contains(d.Writers.V, s.by.ID)
}

// afterwards is a draft as its readers see it once a text is saved.
func (l *Library) afterwards(d store.OpenDraft, s textSave, at time.Time) api.Entry {
	v := d.V
	v.Slug, v.Kind, v.OwnerID, v.DeputyID, v.Writers = d.Slug, d.Kind, d.OwnerID, d.DeputyID, d.Writers
	v.SetContent(s.content)
	v.Revision, v.Saver, v.SaverName, v.SavedAt = v.Revision+1, s.by.Name, s.by.FullName, at
	return l.view(s.by, d.Entry, v)
}
