package server

import (
	"context"
	"net/http"
	"slices"
	"testing"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
)

func TestTransfer(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ctx := context.Background()
	author, second, curator := w.as("contributor"), w.as("second"), w.as("curator")
	step[api.Entry](t, "create")(author.Create(ctx, snippet("mine", "Text.\n")))
	_, etag, err := author.Draft(ctx, "mine")
	if err != nil {
		t.Fatal(err)
	}
	for name, bad := range map[string]struct {
		to, says string
	}{
		"oneself": {"contributor", "owns mine already"}, "nobody": {"nobody", `nobody called "nobody"`}, "a reader": {"reader", "a reader owns nothing"},
	} {
		_, err := author.Transfer(ctx, "mine", bad.to)
		refused(t, name, err, http.StatusUnprocessableEntity, bad.says)
	}
	_, err = second.Transfer(ctx, "mine", "second")
	refused(t, "taking somebody else's", err, http.StatusNotFound)

	out := step[api.Transferred](t, "offer")(author.Transfer(ctx, "mine", "second"))
	if !slices.Equal(out.Offered, []string{"mine"}) || len(out.Done) > 0 {
		t.Errorf("handed over: %+v, want it offered", out)
	}
	same(t, "the new owner's desk", waits(t, second), "offered:mine")
	_, err = w.as("chief").Accept(ctx, "mine")
	refused(t, "accepted by another", err, http.StatusNotFound, "not offered to you")
	if err := second.Decline(ctx, "mine"); err != nil {
		t.Fatal(err)
	}
	_, err = second.Accept(ctx, "mine")
	refused(t, "accept what was declined", err, http.StatusNotFound, "no entry")
	step[api.Transferred](t, "offer again")(author.Transfer(ctx, "mine", "second"))
	mine := step[api.Entry](t, "accept")(second.Accept(ctx, "mine"))
	if mine.Owner != "second" {
		t.Errorf("accepted, and owned by %s", mine.Owner)
	}
	// A draft that was read before the hand-over is read again before it is saved.
	_, _, err = second.SaveDraft(ctx, "mine", etag, snippet("mine", "Changed.\n"))
	refused(t, "save on what was read before", err, http.StatusPreconditionFailed)

	// By a curator's word it is done at once, also for all of a person's.
	step[api.Entry](t, "create")(second.Create(ctx, snippet("also-mine", "Text of it.\n")))
	no, yes := false, true
	step[api.Colleague](t, "deactivate")(curator.ChangePerson(ctx, "contributor", api.PersonChange{Active: &no}))
	_, err = curator.Transfer(ctx, "mine", "contributor")
	refused(t, "to someone who has left", err, http.StatusUnprocessableEntity, "has left")
	_, err = curator.TransferAll(ctx, "second", "second")
	refused(t, "all to oneself", err, http.StatusUnprocessableEntity, "has these entries already")
	_, err = w.as("reviewer").TransferAll(ctx, "second", "reviewer")
	refused(t, "all of another's", err, http.StatusForbidden, "only a curator")
	all := step[api.Transferred](t, "all")(curator.TransferAll(ctx, "second", "chief"))
	same(t, "handed over", all.Done, "also-mine", "mine")

	mineNow := func(who string) (slugs []string) {
		t.Helper()
		for _, it := range step[api.List](t, "mine")(w.as(who).Entries(ctx, client.Query{Mine: true})).Items {
			slugs = append(slugs, it.Slug)
		}
		slices.Sort(slugs)
		return slugs
	}
	same(t, "the new owner's", mineNow("chief"), "also-mine", "mine")
	same(t, "the old owner's", mineNow("second"))

	deputy := "second"
	kept := step[api.Entry](t, "keepers")(curator.SetOwners(ctx, "mine", api.Owners{Deputy: &deputy}))
	if kept.Deputy != "second" || kept.Owner != "chief" {
		t.Errorf("kept by %s and %s", kept.Owner, kept.Deputy)
	}
	same(t, "the deputy's", mineNow("second"), "mine")
	deputy = "chief"
	_, err = curator.SetOwners(ctx, "mine", api.Owners{Deputy: &deputy})
	refused(t, "owner and deputy in one", err, http.StatusUnprocessableEntity, "same person")
	where := "moon"
	_, err = curator.SetOwners(ctx, "mine", api.Owners{Department: &where})
	refused(t, "no such department", err, http.StatusUnprocessableEntity, `no department "moon"`)
	nobody := "nobody"
	_, err = curator.SetOwners(ctx, "mine", api.Owners{Department: &where, Deputy: &nobody})
	refused(t, "neither is there", err, http.StatusUnprocessableEntity, `no department "moon"`)
	refused(t, "neither is there", err, http.StatusUnprocessableEntity, `nobody called "nobody"`)

	// Who stands in is no answer to an offer; who answers for it is.
	step[api.Transferred](t, "hand over")(curator.Transfer(ctx, "mine", "second"))
	step[api.Transferred](t, "offer")(second.Transfer(ctx, "mine", "reviewer"))
	deputy = "chief"
	if kept = step[api.Entry](t, "keepers")(second.SetOwners(ctx, "mine", api.Owners{Deputy: &deputy})); kept.Offer == nil {
		t.Error("with another deputy the offer is gone")
	}
	step[api.Transferred](t, "hand back")(curator.Transfer(ctx, "mine", "chief"))
	if kept = step[api.Entry](t, "entry")(curator.Entry(ctx, "mine")); kept.Offer != nil || kept.Owner != "chief" {
		t.Errorf("handed over, its owner is %s and its offer %+v", kept.Owner, kept.Offer)
	}

	// Somebody is always left who can put things right.
	step[api.Colleague](t, "one curator fewer")(curator.ChangePerson(ctx, "chief", api.PersonChange{Active: &no}))
	_, err = curator.ChangePerson(ctx, "curator", api.PersonChange{Active: &no})
	refused(t, "the last curator leaves", err, http.StatusUnprocessableEntity, "the last curator")
	step[api.Colleague](t, "and comes back")(curator.ChangePerson(ctx, "chief", api.PersonChange{Active: &yes}))
	_, err = w.as("reviewer").ChangePerson(ctx, "reader", api.PersonChange{Active: &no})
	refused(t, "a reviewer changes people", err, http.StatusForbidden, "only a curator")
	from, until := "2026-12-01", "2026-11-30"
	_, err = w.as("reviewer").ChangePerson(ctx, "reviewer", api.PersonChange{AwayFrom: &from, AwayUntil: &until})
	refused(t, "back before being away", err, http.StatusUnprocessableEntity, "is before the first")
	made := step[api.PasswordLink](t, "add")(curator.AddPerson(ctx, api.Person{Name: "new.one", FullName: "New One", Role: entry.Contributor, Department: "laboratory"}))
	if made.Code == "" || made.Person.Role != entry.Contributor {
		t.Errorf("added: %+v", made)
	}
	_, err = curator.AddPerson(ctx, api.Person{Name: "new.one", FullName: "X", Role: entry.Reader})
	refused(t, "add twice", err, http.StatusConflict, "there is someone with the name")
}
