package library

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
)

const (
	tokenLasts = 30 * 24 * time.Hour

	// Signing in is slowed after this many failures in a row, by twice as long
	// each time.
	freeFailures  = 5
	longestPause  = 5 * time.Minute
	failuresCount = time.Hour // for so long after the last
)

// hashing follows OWASP's advice for argon2id: 19 MiB, two passes, one lane.
var hashing = argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// nobody's hash is worked out for unknown names too, so that they take as long.
const nobodysHash = "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Uq3Tt6zgrBVmPXpXkBX4cVvRZNpiyJyq1VW6zWlGqyE"

// ErrSignIn means that a name and password, or a token, are not good.
var ErrSignIn = errors.New("the name or the password is wrong")

// TooSoon means that signing in has failed too often.
type TooSoon struct{ Wait time.Duration }

func (t *TooSoon) Error() string {
	return fmt.Sprintf("signing in has failed too often under this name; try again in %d seconds", int(t.Wait.Seconds())+1)
}

// SignIn gives a new token for a name and password. It returns ErrSignIn if
// they are not good, and TooSoon after many failures.
func (l *Library) SignIn(ctx context.Context, name, password string) (api.Session, error) {
	name = strings.ToLower(strings.TrimSpace(name))
	if bad := append(problem.Text("/name", name), problem.Text("/password", password)...); bad != nil {
		return api.Session{}, bad
	}
	if len(name) > 64 || len(password) > 1024 {
		return api.Session{}, ErrSignIn
	}
	failures, last, err := l.db.FailedSignIns(ctx, name)
	if err != nil {
		return api.Session{}, err
	}
	now := l.now()
	if wait := pause(failures) - now.Sub(last); failures >= freeFailures && wait > 0 {
		return api.Session{}, &TooSoon{wait}
	}
	p, err := l.db.PersonByName(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return api.Session{}, err
	}
	hash := nobodysHash
	if p.Password != nil && p.Active {
		hash = *p.Password
	}
	right, err := l.compare(ctx, password, hash)
	if err != nil {
		return api.Session{}, err
	}
	if !right || hash == nobodysHash {
		err := l.db.Change(ctx, func(tx store.Tx) error {
			return tx.AddFailedSignIn(ctx, name, now, now.Add(-failuresCount))
		})
		return api.Session{}, errors.Join(ErrSignIn, err)
	}
	return l.openSession(ctx, p, now)
}

// pause is how long to wait after so many failures in a row.
func pause(failures int) time.Duration {
	return min(longestPause, time.Second<<min(max(failures-freeFailures, 0), 16))
}

func (l *Library) openSession(ctx context.Context, p store.Person, now time.Time) (api.Session, error) {
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return api.Session{}, err
	}
	token := base64.RawURLEncoding.EncodeToString(raw)
	s := api.Session{Person: person(p), Token: token, Expires: now.Add(tokenLasts).UTC()}
	return s, l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.ClearFailedSignIns(ctx, p.Name, now.Add(-failuresCount)); err != nil {
			return err
		}
		return tx.AddToken(ctx, tokenHash(token), p.ID, s.Expires)
	})
}

// compare works out a password's hash, which takes 19 MiB: only some at once.
func (l *Library) compare(ctx context.Context, password, hash string) (bool, error) {
	select {
	case l.hashes <- struct{}{}:
		defer func() { <-l.hashes }()
		return argon2id.ComparePasswordAndHash(password, hash)
	case <-ctx.Done():
		return false, ctx.Err()
	}
}

// HashPassword gives what is kept of a password.
func HashPassword(password string) (string, error) { return argon2id.CreateHash(password, &hashing) }

func tokenHash(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// Holder gives whose token it is, and when it ends; or ErrSignIn.
func (l *Library) Holder(ctx context.Context, token, via string) (Caller, api.Session, error) {
	sum, now := tokenSum(tokenHash(token)), l.now()
	h, ok, times := l.known.find(sum, now)
	if !ok {
		var err error
		if h, err = l.holds.call(ctx, sum[:]); err == nil && h.ID == 0 {
			err = ErrSignIn
		}
		if err != nil {
			return Caller{}, api.Session{}, err
		}
		l.known.keep(sum, h, now, times)
	}
	c := Caller{ID: h.ID, Name: h.Name, FullName: h.FullName, Role: entry.Role(h.Role), Department: h.Department, Via: via}
	return c, api.Session{Person: person(h.Person), Expires: h.Expires.UTC()}, nil
}

// holders gives whose tokens have these hashes, and the zero Holder for others.
func (l *Library) holders(ctx context.Context, hashes [][]byte) ([]store.Holder, error) {
	found, err := l.db.TokenHolders(ctx, hashes, l.now())
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
func (l *Library) SignOut(ctx context.Context, token string) error {
	defer l.known.forget()
	return l.db.Change(ctx, func(tx store.Tx) error { return tx.RemoveToken(ctx, tokenHash(token), l.now()) })
}

func person(p store.Person) api.Person {
	return api.Person{Name: p.Name, FullName: p.FullName, Department: p.Department, Role: entry.Role(p.Role)}
}

// NewPerson is someone to add. Without a password they cannot sign in.
type NewPerson struct {
	api.Person
	Password string
}

// AddPerson adds someone to the library's people. It returns a [problem.List]
// if what is given does not hold, and [Taken] if the name is in use.
func (l *Library) AddPerson(ctx context.Context, p NewPerson) (int64, error) {
	if err := personProblems(p).Err(); err != nil {
		return 0, err
	}
	row := store.Person{Name: p.Name, FullName: p.FullName, Department: p.Department, Role: string(p.Role)}
	if p.Password != "" {
		hash, err := HashPassword(p.Password)
		if err != nil {
			return 0, err
		}
		row.Password = &hash
	}
	var id int64
	err := l.db.Change(ctx, func(tx store.Tx) (err error) {
		id, err = tx.AddPerson(ctx, row)
		return err
	})
	if errors.Is(err, store.ErrTaken) {
		return 0, &Taken{fmt.Sprintf("there is someone with the name %s already; choose another", p.Name)}
	}
	return id, err
}

func personProblems(p NewPerson) problem.List {
	var found problem.List
	if strings.Trim(p.Name, "abcdefghijklmnopqrstuvwxyz0123456789.-") != "" || len(p.Name) < 2 || len(p.Name) > 64 {
		found.Add("/name", "name", "the name is %q; a name to sign in with has 2 to 64 lower-case letters, digits, dots and hyphens", p.Name)
	}
	if strings.TrimSpace(p.FullName) == "" {
		found.Add("/full_name", "missing", "the full name is missing")
	}
	found = append(found, problem.Text("/full_name", p.FullName)...)
	known := false
	for _, r := range entry.Roles() {
		known = known || r == p.Role
	}
	if !known {
		found.Add("/role", "role", "the role is %q; the roles are reader, contributor, reviewer and curator", p.Role)
	}
	if p.Password != "" && len(p.Password) < 10 {
		found.Add("/password", "password", "the password has fewer than 10 characters")
	}
	return found
}
