package people

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	// After this many wrong tries in a row under one name from one address, signing in so is
	// locked, by twice as long each time.
	freeTries    = 5
	longestPause = 5 * time.Minute

	// After this many wrong tries from one address under whichever names, its tries are looked
	// at one a second. So many wait their turn; more are refused.
	freeOfSource = 30
	turnEvery    = time.Second
	mostWaiting  = 8

	// FailuresCount is for how long after the last one they do.
	FailuresCount = time.Hour

	browserKnown = 365 * 24 * time.Hour
	touchAfter   = 5 * time.Minute // a session in use is noted as that so often
)

// nobody's hash is worked out for unknown names too, so that they take as long.
const nobodysHash = "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Uq3Tt6zgrBVmPXpXkBX4cVvRZNpiyJyq1VW6zWlGqyE"

// ErrSignIn means that a name and password, or a token, are not good.
var ErrSignIn = message.Errorf("the name or the password is wrong")

// TooSoon means that signing in has failed too often.
type TooSoon struct{ Wait time.Duration }

func (t *TooSoon) Error() string { return t.Said().String() }

// Said gives what it says.
func (t *TooSoon) Said() message.Text {
	return message.Say("signing in has failed too often from here; try again in %d seconds", int(t.Wait.Seconds())+1)
}

// Origin is where somebody signs in from.
type Origin struct {
	Address string // of the network
	Browser string // what a browser that signed in before was given, or nothing
	Cookie  bool   // it is a browser, whose session ends when it is left idle
	Agent   string // the program, as it calls itself
}

// SignIn gives a new token for a name and password. It returns ErrSignIn if they are
// not good, [NeedsCode] if they are and a one-time code is not, and TooSoon after many tries.
func (s *Service) SignIn(ctx context.Context, from Origin, in api.Credentials) (api.Session, error) {
	name, password := in.Name, in.Password
	name = strings.ToLower(strings.TrimSpace(name))
	if bad := append(problem.Text("/name", name), append(problem.Text("/password", password), problem.Text("/code", in.Code)...)...); bad != nil {
		return api.Session{}, bad
	}
	if len(name) > 64 {
		return api.Session{}, ErrSignIn
	}
	if len(password) > mostPassword {
		return api.Session{}, work.Wrong("/password", "size", "the password has %d bytes; it has at most %d", len(password), mostPassword)
	}
	p, hash, err := s.mayTry(ctx, from, name)
	if err != nil {
		return api.Session{}, err
	}
	right, err := s.compare(ctx, password, hash)
	if err != nil {
		return api.Session{}, err
	}
	if !right {
		return api.Session{}, errors.Join(ErrSignIn, s.recordFailed(ctx, from, name))
	}
	via := work.ViaAPI
	if from.Cookie {
		via = work.ViaConsole
	}
	session, err := work.Do(ctx, s.db, work.CallerOf(p, via), func(u *work.Unit) (api.Session, error) {
		now, err := u.PersonByName(name)
		if err != nil {
			return api.Session{}, err
		}
		if !now.Active || now.Password == nil || *now.Password != hash { // it was changed meanwhile
			return api.Session{}, ErrSignIn
		}
		if err := s.heldByCode(u, now, in.Code); err != nil {
			return api.Session{}, err
		}
		u.Record("sign-in", 0, 0, map[string]any{"address": from.Address})
		return openSession(u, now, from)
	})
	var needs *NeedsCode
	if errors.As(err, &needs) && needs.Wrong {
		err = errors.Join(err, s.recordFailed(ctx, from, name))
	}
	return session, err
}

// recordFailed records that somebody has not come in: by a wrong password, or a wrong code.
func (s *Service) recordFailed(ctx context.Context, from Origin, name string) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		u.Record("sign-in-failed", 0, 0, map[string]any{"person": name, "address": from.Address})
		return nil
	})
}

// compare says whether a password is the one of a hash. Nobody's is none.
func (s *Service) compare(ctx context.Context, password, hash string) (right bool, err error) {
	err = s.oneOfFew(ctx, func() (err error) {
		right, err = argon2id.ComparePasswordAndHash(password, hash)
		return err
	})
	return right && hash != nobodysHash, err
}

// mayTry is countTry, for which a try from an address over its limit waits its turn.
func (s *Service) mayTry(ctx context.Context, from Origin, name string) (store.Person, string, error) {
	p, hash, err := s.countTry(ctx, from, name, false)
	var over *overLimit
	if !errors.As(err, &over) {
		return p, hash, err
	}
	if err := s.turns.wait(ctx, over.source); err != nil {
		return p, hash, err
	}
	return s.countTry(ctx, from, name, true)
}

// countTry counts a try to sign in as wrong before it is known whether it is: however many
// come at once, no more are looked at than may be. It gives the person of a name with the
// hash of their password, or nobody's; or [TooSoon]. A try from an address
// over its limit is counted once it has had its turn: before, it is an [overLimit].
func (s *Service) countTry(ctx context.Context, from Origin, name string, hadTurn bool) (store.Person, string, error) {
	type answer struct {
		p    store.Person
		hash string
		wait error
	}
	a, err := work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (a answer, err error) {
		a.hash = nobodysHash
		a.p, err = u.PersonByName(name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return a, err
		}
		if a.p.Password != nil && a.p.Active {
			a.hash = *a.p.Password
		}
		source, err := sourceOf(u, from, a.p)
		if err != nil {
			return a, err
		}
		failures, ago, err := triesOf(u, source, name)
		if err != nil {
			return a, err
		}
		if wait := pause(failures-freeTries) - ago; failures >= freeTries && wait > 0 {
			a.wait = &TooSoon{wait}
			return a, nil
		}
		if failures, ago, err = triesOf(u, source, ""); err != nil {
			return a, err
		}
		if failures >= freeOfSource && ago < FailuresCount && !hadTurn {
			a.wait = &overLimit{source}
			return a, nil
		}
		for _, name := range []string{name, ""} {
			if _, err := u.CountTry(source, name, u.Now().Add(-FailuresCount)); err != nil {
				return a, err
			}
		}
		return a, nil
	})
	if err == nil {
		err = a.wait
	}
	return a.p, a.hash, err
}

// triesOf returns how many tries from a source under a name were wrong in a row, and how long ago
// the last was. One further in the future than a pause, as a clock that was set back leaves it, counts as long ago: nobody
// is locked out until that time comes.
func triesOf(u *work.Unit, source, name string) (failures int, ago time.Duration, err error) {
	failures, last, err := u.Tries(source, name)
	switch ago = u.Now().Sub(last); {
	case ago < -longestPause:
		ago = longestPause
	case ago < 0: // counted by another at the same moment
		ago = 0
	}
	return failures, ago, err
}

// overLimit means that too many tries from somewhere were wrong: the next waits its turn.
type overLimit struct{ source string }

func (o *overLimit) Error() string { return "over the limit: " + o.source }

// turns has tries to sign in from one source follow each other at a distance. The zero turns
// has nobody waiting.
type turns struct {
	mu   sync.Mutex
	next map[string]time.Time // from when on a source has its next turn
}

// wait returns once it is the source's turn, or [TooSoon] where many wait already.
func (t *turns) wait(ctx context.Context, source string) error {
	now := time.Now()
	t.mu.Lock()
	for s, at := range t.next { // those whose turns are over: few are there at all
		if now.Sub(at) > turnEvery {
			delete(t.next, s)
		}
	}
	at := t.next[source]
	if at.Before(now) {
		at = now
	}
	waits := at.Sub(now)
	if waits >= mostWaiting*turnEvery {
		t.mu.Unlock()
		return &TooSoon{waits}
	}
	if t.next == nil {
		t.next = map[string]time.Time{}
	}
	t.next[source] = at.Add(turnEvery)
	t.mu.Unlock()
	select {
	case <-time.After(waits):
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// sourceOf is what tries are counted by: the address, or the browser where its person has
// signed in with it before. So nobody is kept out by what others try.
func sourceOf(u *work.Unit, from Origin, p store.Person) (string, error) {
	if from.Browser == "" || p.ID == 0 {
		return from.Address, nil
	}
	hash := tokenHash(from.Browser)
	person, err := u.KnownBrowser(hash)
	switch {
	case errors.Is(err, store.ErrNotFound), err == nil && person != p.ID:
		return from.Address, nil
	case err != nil:
		return "", err
	}
	return fmt.Sprintf("browser %x", hash), nil
}

// pause is how long to wait after so many tries more than are free.
func pause(more int) time.Duration {
	return min(longestPause, time.Second<<min(max(more, 0), 16))
}

// newSecret is what is given to whoever signs in: 256 bits that nobody guesses.
func newSecret() string {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // it never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}

// openSession signs someone in. A browser is known again from then on.
func openSession(u *work.Unit, p store.Person, from Origin) (api.Session, error) {
	return openSessionBy(u, p, from, false)
}

func openSessionBy(u *work.Unit, p store.Person, from Origin, signOn bool) (api.Session, error) {
	lib, err := u.Library()
	if err != nil {
		return api.Session{}, err
	}
	token := newSecret()
	s := api.Session{Person: person(p), Language: message.Language(p.Language), Token: token, Expires: u.Now().AddDate(0, 0, lib.SessionDays).UTC()}
	source, err := sourceOf(u, from, p)
	if err != nil {
		return s, err
	}
	if err := u.ForgetTries(source, p.Name); err != nil {
		return s, err
	}
	if from.Cookie && source == from.Address {
		s.Browser = newSecret()
		if err := u.AddKnownBrowser(tokenHash(s.Browser), p.ID, u.Now().Add(browserKnown)); err != nil {
			return s, err
		}
	}
	return s, u.AddToken(store.Token{Hash: tokenHash(token), Person: p.ID, Cookie: from.Cookie, SignOn: signOn, Agent: agentOf(from), Expires: s.Expires})
}

func tokenHash(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// Holder gives whose token it is, and when it ends; or ErrSignIn.
func (s *Service) Holder(ctx context.Context, token string, via work.Via) (work.Caller, api.Session, error) {
	sum, now := sha256.Sum256([]byte(token)), s.db.Now()
	h, ok, times := s.known.Find(sum, now)
	if !ok {
		var err error
		if h, err = s.holders.Call(ctx, sum[:]); err == nil && h.ID == 0 {
			err = ErrSignIn
		}
		if err != nil {
			return work.Caller{}, api.Session{}, err
		}
		if err := s.inUse(ctx, h, now); err != nil {
			return work.Caller{}, api.Session{}, err
		}
		s.known.Keep(sum, h, h.Expires, now, times)
	}
	return work.CallerOf(h.Person, via), api.Session{Person: person(h.Person), Language: message.Language(h.Language), Expires: h.Expires.UTC(), SignOn: h.SignOn}, nil
}

// inUse notes that a session is in use: a browser's does not end as idle then.
func (s *Service) inUse(ctx context.Context, h store.Holder, now time.Time) error {
	if now.Sub(h.UsedAt) < touchAfter {
		return nil
	}
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error { return u.TouchToken(h.Hash) })
}

// lookUpHolders gives whose tokens have these hashes, and the zero Holder for others.
func (s *Service) lookUpHolders(ctx context.Context, hashes [][]byte) ([]store.Holder, error) {
	found, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Holder, error) { return v.TokenHolders(hashes, v.Now()) })
	all := make([]store.Holder, len(hashes))
	for i, hash := range hashes {
		for _, h := range found {
			if bytes.Equal(h.Hash, hash) {
				all[i] = h
			}
		}
	}
	return all, err
}

const (
	mostAgent = 200 // bytes
	idDigits  = 24  // of a session's hash: so many stand for it
)

// agentOf is what a program calls itself, as far as it can be kept.
func agentOf(from Origin) string {
	agent := from.Agent[:min(len(from.Agent), mostAgent)]
	if !utf8.ValidString(agent) || problem.Line("", "", agent) != nil {
		return ""
	}
	return agent
}

// Sessions gives where the caller is signed in. The token is the one that they call by.
func (s *Service) Sessions(ctx context.Context, by work.Caller, token string) (api.OpenSessions, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.OpenSessions, error) {
		out, own := api.OpenSessions{Items: []api.OpenSession{}}, tokenHash(token)
		rows, err := v.OpenSessions(by.ID)
		for _, r := range rows {
			out.Items = append(out.Items, api.OpenSession{
				ID: hex.EncodeToString(r.Hash)[:idDigits], Browser: r.Cookie, SignOn: r.SignOn, Agent: r.Agent, Current: bytes.Equal(r.Hash, own),
				Begun: r.CreatedAt.UTC(), Used: r.UsedAt.UTC(), Expires: r.ExpiresAt.UTC(),
			})
		}
		return out, err
	})
}

// EndSession ends one session of the caller.
func (s *Service) EndSession(ctx context.Context, by work.Caller, id string) error {
	missing := work.MissingF("you have no such session")
	if len(id) != idDigits || strings.Trim(id, "0123456789abcdef") != "" {
		return missing
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		u.Forget(work.Sessions)
		u.Record("end-session", 0, 0, nil)
		return work.Found(u.RemoveOwnToken(by.ID, id), missing)
	})
}

// SignOut ends a token.
func (s *Service) SignOut(ctx context.Context, by work.Caller, token string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		u.Forget(work.Sessions)
		return u.RemoveToken(tokenHash(token))
	})
}
