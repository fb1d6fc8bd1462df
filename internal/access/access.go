// Package access decides who may see and who may act on what models are asked:
// conversations, runs, trials and their replies. Reading, streaming and changing all ask
// here, so that a rule holds for every way to a reply. Entries are decided by package texts.
//
// Every function reads as the caller: after it, the unit or view sees what the caller sees.
package access

import (
	"errors"

	"github.com/google/uuid"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// IsID reports whether a text has the form of an id of this package's things.
func IsID(id string) bool { return uuid.Validate(id) == nil && len(id) == 36 }

// Errors for what is not there, or hidden from the caller.
func noReply() error { return work.MissingF("no talk of yours has such a reply") }
func noTalk() error  { return work.MissingF("you have no such talk; goldshelf talks lists yours") }
func noRun() error   { return work.MissingF("you have no such run; goldshelf run lists yours") }
func noTrial() error {
	return work.MissingF("there is no such trial; the page of its entry lists the ones there are")
}

func notTheirTrial() error {
	return &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("the trial is for who began it, and for who answers for the entry")}
}

// Conversation returns a conversation that the caller owns or that is shared with them.
// The error is [work.Missing] for every other one.
func Conversation(r store.Reader, by work.Caller, id string) (store.Talk, error) {
	if !IsID(id) {
		return store.Talk{}, noTalk()
	}
	if err := r.Look(by.ID); err != nil {
		return store.Talk{}, err
	}
	t, err := r.Talk(id)
	return t, work.Found(err, noTalk())
}

// OwnConversation is [Conversation] for what only its owner may do. The conversation stays
// locked until the unit ends.
func OwnConversation(u *work.Unit, by work.Caller, id string) (store.Talk, error) {
	t, err := Conversation(u.Reader, by, id)
	if err == nil && t.Person != by.ID {
		err = noTalk()
	}
	if err == nil {
		err = work.Found(u.LockTalk(id), noTalk())
	}
	return t, err
}

// Trial is a trial with the entry that it is of.
type Trial struct {
	store.Trial
	Entry store.Entry
}

// SeeTrial returns a trial whose versions the caller may see at this moment. The error is
// [work.Missing] for every other one.
func SeeTrial(r store.Reader, by work.Caller, id string) (t Trial, err error) {
	if !IsID(id) {
		return t, noTrial()
	}
	if err := r.Look(by.ID); err != nil {
		return t, err
	}
	if t.Trial, err = r.Trial(id); err != nil {
		return t, work.Found(err, noTrial())
	}
	t.Entry, err = texts.Seen(r, by, t.Slug)
	var missing *work.Missing
	if errors.As(err, &missing) || err == nil && (t.Drafts && !texts.MaySeeDrafts(by, t.Entry) || !seesAbout(by, t.Trial)) {
		err = noTrial()
	}
	return t, err
}

// seesAbout reports whether the caller sees the other entry's version that a trial is about.
func seesAbout(by work.Caller, t store.Trial) bool {
	sight := by.Sight()
	return t.AboutID == 0 || t.AboutSlug != "" && (!t.AboutDraft || sight.All || sight.Own != 0 && (sight.Own == t.AboutOwner || sight.Own == t.AboutDeputy))
}

// MayChange reports whether somebody who sees the trial may stop, resume or delete it: the
// person who started it, and those who look after its entry.
func (t Trial) MayChange(by work.Caller) bool {
	return t.StartedBy == by.ID && t.Private || by.Role.Includes(entry.Contributor) && (t.StartedBy == by.ID || entry.LooksAfter(by.Actor(), texts.Status(t.Entry)))
}

// ChangeTrial is [SeeTrial] for what only those may do for whom [Trial.MayChange] holds. The
// error is an [entry.Refusal] for others who see it.
func ChangeTrial(r store.Reader, by work.Caller, id string) (Trial, error) {
	t, err := SeeTrial(r, by, id)
	if err == nil && !t.MayChange(by) {
		err = notTheirTrial()
	}
	return t, err
}

// Run returns a run that the caller started, or that belongs to a trial that they see. The
// error is [work.Missing] for every other one.
func Run(r store.Reader, by work.Caller, id string) (store.Run, error) {
	if !IsID(id) {
		return store.Run{}, noRun()
	}
	if err := r.Look(by.ID); err != nil {
		return store.Run{}, err
	}
	run, err := r.Run(id)
	if err != nil {
		return run, work.Found(err, noRun())
	}
	if run.Trial == "" && run.Person != by.ID {
		return run, noRun()
	}
	if run.Trial != "" {
		err = hide(trialSeen(r, by, run.Trial), noRun())
	}
	return run, err
}

// OwnRun is [Run] for what only the person may do who started it. A run of a trial is
// refused: the trial is stopped instead.
func OwnRun(r store.Reader, by work.Caller, id string) (store.Run, error) {
	run, err := Run(r, by, id)
	switch {
	case err != nil:
	case run.Person != by.ID:
		err = noRun()
	case run.Trial != "":
		err = work.Wrong("", "trial", "the run is part of a trial; stop that, or begin a run of your own")
	}
	return run, err
}

// Reply returns a reply of a conversation, a run or a trial that the caller sees at this
// moment. The error is [work.Missing] for every other one.
func Reply(r store.Reader, by work.Caller, id string) (store.Reply, error) {
	if !IsID(id) {
		return store.Reply{}, noReply()
	}
	if err := r.Look(by.ID); err != nil {
		return store.Reply{}, err
	}
	p, err := r.Reply(id)
	if err != nil {
		return p, work.Found(err, noReply())
	}
	switch {
	case p.Trial != "":
		err = trialSeen(r, by, p.Trial)
	case p.Run != "":
		_, err = Run(r, by, p.Run)
	default:
		_, err = Conversation(r, by, p.Talk)
	}
	if err != nil {
		return store.Reply{}, hide(err, noReply())
	}
	return p, nil
}

// StoppableReply is [Reply] for who may stop it: the owner of its conversation, the person
// who started its run, or those who may change its trial. The error is an [entry.Refusal]
// for others who see it.
func StoppableReply(r store.Reader, by work.Caller, id string) (store.Reply, error) {
	p, err := Reply(r, by, id)
	if err != nil {
		return p, err
	}
	trial := p.Trial
	switch {
	case p.Run != "":
		run, err := r.Run(p.Run)
		if err != nil {
			return p, work.Found(err, noReply())
		}
		if trial = run.Trial; trial == "" && run.Person != by.ID {
			return p, noReply()
		}
	case p.Talk != "":
		t, err := r.Talk(p.Talk)
		if err != nil {
			return p, work.Found(err, noReply())
		}
		if t.Person != by.ID {
			return p, &entry.Refusal{Kind: entry.ErrNotAllowed, Message: message.Say("only the owner of the talk may stop its replies")}
		}
	}
	if trial != "" {
		_, err = ChangeTrial(r, by, trial)
	}
	return p, err
}

func trialSeen(r store.Reader, by work.Caller, id string) error {
	_, err := SeeTrial(r, by, id)
	return err
}

// hide replaces an error that would name what is hidden.
func hide(err, with error) error {
	var missing *work.Missing
	if errors.As(err, &missing) {
		return with
	}
	return err
}
