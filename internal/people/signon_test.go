package people_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/internal/people"
	"goldshelf/internal/signon"
	"goldshelf/internal/testdb"
	"goldshelf/internal/work"
)

func known(subject, name string, groups ...string) signon.Identity {
	return signon.Identity{Issuer: "https://id.example", Subject: subject, Name: name, FullName: "Known " + subject, Groups: groups, SaysGroups: true}
}

func refusedSignOn(err error) bool {
	var refused *people.SignOnRefused
	return errors.As(err, &refused)
}

// Who comes for the first time is made; who comes again is known by issuer and subject alone,
// whatever they are called by now. A name that somebody has is never taken over.
func TestSignOnByIssuerAndSubject(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := people.New(w.DB)
	first, err := s.SignOn(ctx, people.Origin{Cookie: true}, known("1", "Maren.Oake"))
	if err != nil || first.Name != "maren.oake" || first.Role != entry.Reader || first.FullName != "Known 1" || !first.SignOn {
		t.Fatalf("the first: %+v, %v", first, err)
	}
	again, err := s.SignOn(ctx, people.Origin{Cookie: true}, known("1", "maren.married"))
	if err != nil || again.Name != "maren.oake" {
		t.Errorf("again: %+v, %v", again.Person, err)
	}
	for subject, want := range map[string]string{"2": "curator-2", "3": "person-"} {
		name := "curator"
		if subject == "3" {
			name = "¡!"
		}
		got, err := s.SignOn(ctx, people.Origin{}, known(subject, name))
		if err != nil || !strings.HasPrefix(got.Name, want) || got.Role != entry.Reader {
			t.Errorf("who is called %q there: %+v, %v", name, got.Person, err)
		}
	}
	other := known("1", "maren.oake")
	other.Issuer = "https://elsewhere.example"
	if got, err := s.SignOn(ctx, people.Origin{}, other); err != nil || got.Name != "maren.oake-2" {
		t.Errorf("the same subject of another provider: %+v, %v", got.Person, err)
	}
}

// Groups mean roles and departments, at each sign-on anew; the last curator stays one.
func TestWhatGroupsMean(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := people.New(w.DB)
	on := func(who signon.Identity) api.Session {
		t.Helper()
		got, err := s.SignOn(ctx, people.Origin{}, who)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	if got := on(known("1", "ana", "writers")); got.Role != entry.Reader {
		t.Errorf("before anything is said of groups: %+v", got.Person)
	}
	set, err := s.SetSignOnGroups(ctx, w.By("curator"), 1, api.SignOnGroups{Items: []api.SignOnGroup{
		{Group: "writers", Role: entry.Contributor, Department: "laboratory"}, {Group: "heads", Role: entry.Curator}, {Group: "care", Department: "customer-care"},
	}})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		groups     []string
		role       entry.Role
		department string
	}{
		{[]string{"writers"}, entry.Contributor, "laboratory"},
		{[]string{"care", "writers"}, entry.Contributor, "laboratory"}, // in the order of the settings
		{[]string{"care"}, entry.Reader, "customer-care"},
		{[]string{"nobody-knows-this"}, entry.Reader, "customer-care"},
		{[]string{"heads", "writers"}, entry.Curator, "laboratory"},
		{nil, entry.Reader, "laboratory"},
	} {
		if got := on(known("1", "ana", c.groups...)); got.Role != c.role || got.Department != c.department {
			t.Errorf("%v: %s of %q, want %s of %q", c.groups, got.Role, got.Department, c.role, c.department)
		}
	}
	silent := known("1", "ana")
	on(known("1", "ana", "writers"))
	silent.SaysGroups = false
	if got := on(silent); got.Role != entry.Contributor {
		t.Errorf("a provider that says nothing of groups takes a role away: %+v", got.Person)
	}

	// Everyone else who is a curator leaves: whoever is the last stays one.
	on(known("1", "ana", "heads"))
	w.Exec(`update people set active = false where role = 'curator' and name <> 'ana'`)
	if got := on(known("1", "ana", "care")); got.Role != entry.Curator {
		t.Errorf("the last curator is a %s now", got.Role)
	}

	set.Only = true
	if _, err := s.SetSignOnGroups(ctx, work.Service(), set.Number, set); err != nil {
		t.Fatal(err)
	}
	before := w.Count("people")
	if _, err := s.SignOn(ctx, people.Origin{}, known("9", "zed", "strangers")); !refusedSignOn(err) || w.Count("people") != before {
		t.Errorf("who is in none comes in: %v, and is made", err)
	}
	w.Exec(`update people set active = false where name = 'ana'`)
	if _, err := s.SignOn(ctx, people.Origin{}, known("1", "ana", "heads")); !refusedSignOn(err) {
		t.Errorf("who has left comes in: %v", err)
	}
	wrong := api.SignOnGroups{Items: []api.SignOnGroup{{Group: "a", Role: "king"}, {Group: "a", Department: "zoo"}, {Group: ""}}}
	_, err = s.SetSignOnGroups(ctx, work.Service(), set.Number+1, wrong)
	for _, says := range []string{"king", "zoo", "twice", "missing"} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("it is not said of %s: %v", says, err)
		}
	}
	if _, err := s.SetSignOnGroups(ctx, work.Service(), 1, api.SignOnGroups{}); !errors.As(err, new(*work.Outdated)) {
		t.Errorf("over an old state: %v", err)
	}
}

// An account is linked from within it alone, and to one person; a sign-on that was begun is good
// once, in time and in its browser.
func TestLinksAndSignOnsThatWereBegun(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := people.New(w.DB)
	begin := func(by work.Caller) (state, browser string) {
		t.Helper()
		state = fmt.Sprint("state-", w.Count("sign_ons"))
		browser, err := s.BeginSignOn(ctx, by, signon.Begun{State: state, Nonce: "n", Verifier: "v"})
		if err != nil {
			t.Fatal(err)
		}
		return state, browser
	}
	state, browser := begin(w.By("contributor"))
	if _, _, err := s.TakeSignOn(ctx, state, "another browser"); !refusedSignOn(err) {
		t.Errorf("in another browser: %v", err)
	}
	if _, _, err := s.TakeSignOn(ctx, state, browser); !refusedSignOn(err) {
		t.Errorf("after somebody has tried it elsewhere: %v", err)
	}
	state, browser = begin(w.By("contributor"))
	b, links, err := s.TakeSignOn(ctx, state, browser)
	if err != nil || links != w.By("contributor").ID || b.Nonce != "n" || b.Verifier != "v" {
		t.Errorf("it is %+v, %d, %v", b, links, err)
	}
	if _, _, err := s.TakeSignOn(ctx, state, browser); !refusedSignOn(err) {
		t.Errorf("a second time: %v", err)
	}
	state, browser = begin(work.Caller{})
	w.Clock.Pass(11 * 60 * 1e9)
	if _, _, err := s.TakeSignOn(ctx, state, browser); !refusedSignOn(err) {
		t.Errorf("eleven minutes later: %v", err)
	}

	if err := s.Link(ctx, links, known("7", "x")); err != nil {
		t.Fatal(err)
	}
	if got, err := s.SignOn(ctx, people.Origin{}, known("7", "x")); err != nil || got.Name != "contributor" || got.Role != entry.Contributor {
		t.Errorf("the linked account signs in as %+v, %v", got.Person, err)
	}
	if err := s.Link(ctx, w.By("reader").ID, known("7", "x")); !refusedSignOn(err) {
		t.Errorf("somebody else links it too: %v", err)
	}
	if err := s.Unlink(ctx, w.By("reader"), api.SignOnLink{Issuer: "https://id.example", Subject: "7"}); err == nil {
		t.Error("somebody else unlinks it")
	}
	made, err := s.SignOn(ctx, people.Origin{}, known("8", "only"))
	if err != nil {
		t.Fatal(err)
	}
	p, err := s.ByIdentity(ctx, "https://id.example", "8")
	if err != nil || p.Name != made.Name {
		t.Errorf("by identity: %+v, %v", p, err)
	}
	if err := s.Unlink(ctx, p, api.SignOnLink{Issuer: "https://id.example", Subject: "8"}); !errors.Is(err, entry.ErrNotAllowed) {
		t.Errorf("who has no password unlinks the only way in: %v", err)
	}
	if _, _, err := s.Holder(ctx, made.Token, work.ViaAPI); err != nil {
		t.Fatal(err)
	}
	if err := s.SignedOut(ctx, "https://id.example", "8"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Holder(ctx, made.Token, work.ViaAPI); err != people.ErrSignIn {
		t.Errorf("who has signed out at the provider is signed in here: %v", err)
	}
}

// Two first sign-ons of one person make one; of two who are called the same, two.
func TestFirstSignOnsAtOnce(t *testing.T) {
	t.Parallel()
	w := databases.World(t, nil)
	s := people.New(w.DB)
	before := w.Count("people")
	var calls []func() error
	for i := range 6 {
		calls = append(calls, func() error {
			_, err := s.SignOn(context.Background(), people.Origin{}, known(fmt.Sprint(i/2), "jo.fen"))
			return err
		})
	}
	for _, err := range testdb.Race(calls...) {
		if err != nil {
			t.Error(err)
		}
	}
	if got := w.Count("people") - before; got != 3 {
		t.Errorf("%d people were made, want 3", got)
	}
}

// Everyone sees their own sessions, and ends one of their own alone.
func TestSessionsAreListedAndEnded(t *testing.T) {
	t.Parallel()
	w, ctx := databases.World(t, nil), t.Context()
	s := people.New(w.DB)
	first, err := s.SignOn(ctx, people.Origin{Cookie: true, Agent: "Browser/1 (Larkfen)"}, known("1", "ana"))
	if err != nil {
		t.Fatal(err)
	}
	second, err := s.SignOn(ctx, people.Origin{Agent: "bad\x00agent"}, known("1", "ana"))
	if err != nil {
		t.Fatal(err)
	}
	other, err := s.SignOn(ctx, people.Origin{}, known("2", "ben"))
	if err != nil {
		t.Fatal(err)
	}
	ana, _, err := s.Holder(ctx, first.Token, work.ViaConsole)
	if err != nil {
		t.Fatal(err)
	}
	all, err := s.Sessions(ctx, ana, first.Token)
	if err != nil || len(all.Items) != 2 {
		t.Fatalf("ana has %+v, %v", all.Items, err)
	}
	ids := map[bool]string{}
	for _, one := range all.Items {
		ids[one.Current] = one.ID
		if one.Current && (one.Agent != "Browser/1 (Larkfen)" || !one.Browser) || !one.Current && one.Agent != "" || !one.SignOn {
			t.Errorf("a session is %+v", one)
		}
	}
	ben, _, err := s.Holder(ctx, other.Token, work.ViaAPI)
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range []string{ids[false], "", "%", strings.Repeat("f", 24)} {
		if err := s.EndSession(ctx, ben, id); !errors.Is(err, work.ErrNotFound) {
			t.Errorf("ben ends %q: %v", id, err)
		}
	}
	if err := s.EndSession(ctx, ana, ids[false]); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Holder(ctx, second.Token, work.ViaAPI); err != people.ErrSignIn {
		t.Errorf("it has not ended: %v", err)
	}
	if _, _, err := s.Holder(ctx, first.Token, work.ViaAPI); err != nil {
		t.Errorf("another has ended too: %v", err)
	}
}
