package people

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"

	"goldshelf/api"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	tokenLasts = 30 * 24 * time.Hour

	// Signing in is slowed after this many failures in a row, by twice as long
	// each time.
	freeFailures = 5
	longestPause = 5 * time.Minute

	// FailuresCount is for how long after the last one they do.
	FailuresCount = time.Hour
)

// nobody's hash is worked out for unknown names too, so that they take as long.
const nobodysHash = "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Uq3Tt6zgrBVmPXpXkBX4cVvRZNpiyJyq1VW6zWlGqyE"

// ErrSignIn means that a name and password, or a token, are not good.
var ErrSignIn = errors.New("the name or the password is wrong")

// TooSoon means that signing in has failed too often.
type TooSoon struct{ Wait time.Duration }

func (t *TooSoon) Error() string {
	return fmt.Sprintf("signing in has failed too often under this name; try again in %d seconds", int(t.Wait.Seconds())+1)
}

// SignIn gives a new token for a name and password. It returns ErrSignIn if they are
// not good, and TooSoon after many failures.
func (s *Service) SignIn(ctx context.Context, name, password string) (api.Session, error) {
	name = strings.ToLower(strings.TrimSpace(name))
	if bad := append(problem.Text("/name", name), problem.Text("/password", password)...); bad != nil {
		return api.Session{}, bad
	}
	if len(name) > 64 || len(password) > mostPassword {
		return api.Session{}, ErrSignIn
	}
	p, hash, err := s.whoSignsIn(ctx, name)
	if err != nil {
		return api.Session{}, err
	}
	var right bool
	err = s.oneOfFew(ctx, func() (err error) {
		right, err = argon2id.ComparePasswordAndHash(password, hash)
		return err
	})
	if err != nil {
		return api.Session{}, err
	}
	if !right || hash == nobodysHash {
		err := work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
			return u.AddFailedSignIn(name, u.Now(), u.Now().Add(-FailuresCount))
		})
		return api.Session{}, errors.Join(ErrSignIn, err)
	}
	return work.Do(ctx, s.db, work.CallerOf(p, "api"), func(u *work.Unit) (api.Session, error) {
		now, err := u.PersonByName(name)
		if err != nil {
			return api.Session{}, err
		}
		if !now.Active || now.Password == nil || *now.Password != hash { // it was changed meanwhile
			return api.Session{}, ErrSignIn
		}
		return openSession(u, now)
	})
}

// whoSignsIn gives the person of a name with the hash of their password, or nobody's;
// or [TooSoon].
func (s *Service) whoSignsIn(ctx context.Context, name string) (p store.Person, hash string, err error) {
	p, err = work.See(ctx, s.db, func(v work.View) (store.Person, error) {
		failures, last, err := v.FailedSignIns(name)
		if err != nil {
			return store.Person{}, err
		}
		if wait := pause(failures) - v.Now().Sub(last); failures >= freeFailures && wait > 0 {
			return store.Person{}, &TooSoon{wait}
		}
		return v.PersonByName(name)
	})
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, "", err
	}
	if p.Password != nil && p.Active {
		return p, *p.Password, nil
	}
	return p, nobodysHash, nil
}

// pause is how long to wait after so many failures in a row.
func pause(failures int) time.Duration {
	return min(longestPause, time.Second<<min(max(failures-freeFailures, 0), 16))
}

func openSession(u *work.Unit, p store.Person) (api.Session, error) {
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return api.Session{}, err
	}
	token := base64.RawURLEncoding.EncodeToString(raw)
	s := api.Session{Person: person(p), Token: token, Expires: u.Now().Add(tokenLasts).UTC()}
	if err := u.ClearFailedSignIns(p.Name); err != nil {
		return s, err
	}
	return s, u.AddToken(tokenHash(token), p.ID, s.Expires)
}

func tokenHash(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// Holder gives whose token it is, and when it ends; or ErrSignIn.
func (s *Service) Holder(ctx context.Context, token, via string) (work.Caller, api.Session, error) {
	sum, now := tokenSum(tokenHash(token)), s.db.Now()
	h, ok, times := s.known.find(sum, now)
	if !ok {
		var err error
		if h, err = s.holders.Call(ctx, sum[:]); err == nil && h.ID == 0 {
			err = ErrSignIn
		}
		if err != nil {
			return work.Caller{}, api.Session{}, err
		}
		s.known.keep(sum, h, now, times)
	}
	return work.CallerOf(h.Person, via), api.Session{Person: person(h.Person), Expires: h.Expires.UTC()}, nil
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

// SignOut ends a token.
func (s *Service) SignOut(ctx context.Context, by work.Caller, token string) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		u.After(s.known.forget)
		return u.RemoveToken(tokenHash(token))
	})
}

const (
	knownFor  = time.Second
	mostKnown = 4096
)

// knownHolders remembers for a second who holds which token, since a program that asks
// at all asks often. What this service changes of people and tokens it forgets at once;
// another one on the same database is heard of within that second.
type knownHolders struct {
	mu    sync.Mutex
	all   map[tokenSum]knownHolder
	times int // that it has forgotten all
}

// tokenSum is what is kept of a token: its hash.
type tokenSum [sha256.Size]byte

type knownHolder struct {
	store.Holder
	since time.Time
}

// find gives who holds a token, if that is remembered, or else what keep is to be told
// when it has been looked up.
func (k *knownHolders) find(token tokenSum, now time.Time) (h store.Holder, ok bool, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	found, ok := k.all[token]
	ok = ok && now.Sub(found.since) < knownFor && now.Before(found.Expires)
	return found.Holder, ok, k.times
}

// keep remembers who holds a token. What was looked up before all was forgotten may no
// longer be true, and is not kept.
func (k *knownHolders) keep(token tokenSum, h store.Holder, now time.Time, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if times != k.times {
		return
	}
	if k.all == nil || len(k.all) >= mostKnown {
		k.all = map[tokenSum]knownHolder{}
	}
	k.all[token] = knownHolder{h, now}
}

// forget is for when people or tokens have changed.
func (k *knownHolders) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.all = nil
	k.times++
}
