package gather

import (
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
	"goldshelf/core/picture"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// bringPictures draws anew the pictures that come along and that entries name, and has those
// name them by the ids that they get. Its error is a [problem.List] of what is named and
// neither here nor brought.
func bringPictures(u *work.Unit, format bundle.Format, data []byte, lists ...[]bundle.Incoming) error {
	var named []*[]entry.Picture
	var of []string
	for _, list := range lists {
		for i := range list {
			in := &list[i]
			named, of = append(named, &in.Pictures), append(of, in.Slug)
			if in.Whole == nil {
				continue
			}
			for k := range in.Whole.Versions {
				named, of = append(named, &in.Whole.Versions[k].Pictures), append(of, in.Slug)
			}
		}
	}
	var ids []string
	for _, pictures := range named {
		for _, p := range *pictures {
			ids = append(ids, p.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	there, err := u.KeepPictures(ids)
	if err != nil {
		return err
	}
	now := map[string]string{}
	for _, id := range there {
		now[id] = id
	}
	brought := bundle.Pictures(format, data)
	var wrong problem.List
	for n, pictures := range named {
		drawn := make([]entry.Picture, len(*pictures)) // another's list may be the same one
		for i, p := range *pictures {
			if now[p.ID] == "" {
				id, err := drawAnew(u, brought[p.ID])
				if list, is := err.(problem.List); is {
					wrong.Add(problem.Pointer("entries", of[n], "pictures", i), "picture", "picture %d of %s did not come along whole: %s", i+1, of[n], list[0].Message)
					continue
				}
				if err != nil {
					return err
				}
				now[p.ID] = id
			}
			drawn[i] = entry.Picture{ID: now[p.ID], Alt: p.Alt}
		}
		if len(drawn) > 0 {
			*pictures = drawn
		}
	}
	return wrong.Err()
}

func drawAnew(u *work.Unit, data []byte) (id string, err error) {
	d, err := picture.Draw(data)
	if err != nil {
		return "", err
	}
	return d.ID, u.AddPicture(store.Picture{ID: d.ID, Type: d.Type, Width: d.Width, Height: d.Height, Large: d.Large, Medium: d.Medium, Small: d.Small})
}
