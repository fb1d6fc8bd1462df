// Package texts has the versions of entries by id: found for whoever may see them,
// read, kept parsed, composed with what they include, and checked. It changes
// nothing of the library; the use cases do.
package texts

import (
	"errors"
	"fmt"
	"slices"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// NoEntry is the answer for an entry that is not there or not for the caller: the two
// look the same, so that nobody learns of drafts by guessing.
func NoEntry(slug string) error {
	return work.MissingF("there is no entry %q that you may see; look for it with find", slug)
}

// NoVersion is the answer for a version that is not there or not for the caller.
func NoVersion(slug string, number int) error {
	return work.MissingF("%s has no version %d that you may see; see its history", slug, number)
}

// Seen gives an entry, by slug or short code, of which the caller may see at least
// one version.
func Seen(r store.Reader, by work.Caller, slug string) (store.Entry, error) {
	e, err := r.EntryBySlug(slug)
	if errors.Is(err, store.ErrNotFound) && by.Sight().Own != 0 {
		// It may be theirs alone.
		if err = r.Look(by.ID); err == nil {
			e, err = r.EntryBySlug(slug)
		}
	}
	if err != nil {
		return e, work.Found(err, NoEntry(slug))
	}
	return e, visible(by, e, slug)
}

// Lock is Seen, by slug alone, and keeps others from changing the entry until the
// unit ends.
func Lock(u *work.Unit, slug string) (store.Entry, error) {
	all, err := LockAll(u, slug)
	if err != nil {
		return store.Entry{}, err
	}
	return all[0], nil
}

// LockAll is Lock of several entries, in one order whatever order they come in.
func LockAll(u *work.Unit, slugs ...string) ([]store.Entry, error) {
	return LockBeside(u, nil, slugs...)
}

// LockBeside is LockAll that also keeps others from changing what the entries name; see
// [work.Unit.LockBeside].
func LockBeside(u *work.Unit, named []string, slugs ...string) ([]store.Entry, error) {
	all, err := u.LockBeside(named, slugs...)
	if err != nil {
		var missing *work.NoEntryError
		if errors.As(err, &missing) {
			return nil, NoEntry(missing.Slug)
		}
		return nil, err
	}
	for i, e := range all {
		if err := visible(u.By, e, slugs[i]); err != nil {
			return nil, err
		}
		if first := slices.IndexFunc(all[:i], func(o store.Entry) bool { return o.ID == e.ID }); first >= 0 {
			return nil, work.Wrong("", "twice", "%s and %s are one entry; name it once", slugs[first], slugs[i])
		}
	}
	return all, nil
}

func visible(by work.Caller, e store.Entry, asked string) error {
	if e.Published == 0 && !MaySeeDrafts(by, e) {
		return NoEntry(asked)
	}
	return nil
}

// MaySeeDrafts says whether the caller may see an entry's versions that were never
// published.
func MaySeeDrafts(by work.Caller, e store.Entry) bool {
	return entry.MaySeeDrafts(by.Actor(), Status(e))
}

// Status is an entry as the life cycle knows it, without what it knows of one of its
// versions.
func Status(e store.Entry) entry.Status {
	return entry.Status{
		Slug: e.Slug, Version: e.Open, State: entry.State(e.State), Shelf: entry.State(e.Shelf), Owner: e.OwnerID, Deputy: e.DeputyID, Private: e.Private,
	}
}

// Approvers returns who approved a version and may still review: an approval counts no more
// once its person has left or lost the role.
func Approvers(v store.Version) (all []entry.Approver) {
	for _, a := range v.Approvals.V {
		if a.Active && entry.Role(a.Role).Includes(entry.Reviewer) {
			all = append(all, entry.Approver{ID: a.ID, Role: entry.Role(a.Role), Department: a.Department})
		}
	}
	return all
}

// StatusWith is Status with one of the entry's versions: who wrote and approved it
// counts where it is the open one.
func StatusWith(r store.Reader, e store.Entry, v store.Version) entry.Status {
	s := Status(e)
	if v.Number == e.Open {
		s.Writers = v.Writers.V
		for _, a := range v.Approvals.V {
			s.Approvers = append(s.Approvers, a.ID)
		}
	}
	s.Lately = e.ShelvedAt != nil && r.Now().Sub(*e.ShelvedAt) <= entry.UnpublishWithin
	return s
}

// Digest is what names the text of a version in review or approved, for whoever decides
// about it.
func Digest(v store.Version) entry.Digest {
	if v.Seen != "" {
		return entry.Digest(v.Seen)
	}
	return v.Content().Digest()
}

// OtherText means that a version says something else than what its reader has seen.
type OtherText struct {
	Slug    string
	Version int
	Now     entry.Digest
}

func (o *OtherText) Error() string { return o.Said().String() }

// Said gives what it says.
func (o *OtherText) Said() message.Text {
	return message.Say("version %d of %s is another text than the one you read: it was opened and submitted again since. Read it as it is now, and decide again", o.Version, o.Slug)
}

// MustBeSeen gives [OtherText] if a version says something else than what was seen.
func MustBeSeen(v store.Version, seen entry.Digest) error {
	if now := Digest(v); now != seen {
		return &OtherText{v.Slug, v.Number, now}
	}
	return nil
}

// Revision names one saved state of one version. The zero Revision stands for an
// entry that has no open version.
type Revision struct{ Version, Revision int }

// RevisionOf is the state in which a version was read.
func RevisionOf(v store.Version) Revision { return Revision{v.Number, v.Revision} }

// ParseRevision reads what String gives.
func ParseRevision(text string) (r Revision, ok bool) {
	n, err := fmt.Sscanf(text, "%d.%d", &r.Version, &r.Revision)
	return r, n == 2 && err == nil && r.String() == text
}

func (r Revision) String() string { return fmt.Sprintf("%d.%d", r.Version, r.Revision) }

// Renamed means that an entry has another name now than the one that it was asked for by.
type Renamed struct{ Now string }

func (r *Renamed) Error() string { return r.Said().String() }

// Said gives what it says.
func (r *Renamed) Said() message.Text {
	return message.Say("it is called %s now", r.Now)
}

// OldName is a [Renamed] where an entry was asked for by a name that it had, or nil.
func OldName(e store.Entry, asked string) error {
	if asked == e.Slug || asked == e.Code {
		return nil
	}
	return &Renamed{e.Slug}
}

// ManyProblems says what does not hold of slugs of entries that something is to be done to
// at once: of at most so many. Of too many it says no more than that.
func ManyProblems(slugs []string, most int) problem.List {
	var found problem.List
	switch n := len(slugs); {
	case n == 0:
		found.Add("/slugs", "missing", "say which entries: there are none")
	case n > most:
		found.Add("/slugs", "size", "there are %d entries; there are at most %d at once", n, most)
		return found
	}
	for i, slug := range slugs {
		found = append(found, problem.Text(problem.Pointer("slugs", i), slug)...)
	}
	return found
}
