package gather

import (
	"crypto/sha256"
	"encoding/hex"
	"time"

	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/voice"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// samples reads the samples of styles that come along, and refuses styles with one that
// cannot be taken in.
func (p *planned) samples(data []byte) {
	brought := bundle.Samples(p.Reading.Format, data)
	if len(brought) == 0 {
		return
	}
	for i := range p.incoming {
		in := &p.incoming[i]
		if in.Kind != entry.Style {
			continue
		}
		in.Samples = brought[in.Slug]
		for _, s := range in.Samples {
			in.Wrong = append(in.Wrong, s.Problems()...)
		}
	}
}

// addSamples gives new styles the samples that came along with them.
func (a *applier) addSamples(id int64, in bundle.Incoming) error {
	for _, s := range in.Samples {
		sum := sha256.Sum256([]byte(s.Text))
		row := store.Sample{EntryID: id, Name: s.Name, Weight: s.Weight, Body: s.Text, Words: voice.Read(s.Text, in.Language).Words(), Digest: hex.EncodeToString(sum[:])}
		if s.Dated != "" {
			day, err := time.Parse(time.DateOnly, s.Dated)
			if err != nil {
				return err
			}
			row.Dated = &day
		}
		if _, err := a.u.AddSample(row, a.owner); err != nil {
			return work.TakenIf(err, "%s has the same sample twice in what was brought; keep one", in.Slug)
		}
	}
	return nil
}
