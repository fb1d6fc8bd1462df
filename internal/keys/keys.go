// Package keys has the keys by which applications call: what each may do, until when and how
// often. An application is nobody: it reads the shelf and fills in, and changes nothing.
package keys

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"slices"
	"strings"
	"sync"
	"time"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Prefix is what the secret of a key begins with: so it is known for one where it was left
// lying about.
const Prefix = "goldshelf-key-"

const (
	mostKeys      = 1000
	mostPerMinute = 1_000_000
	usualMinute   = 600
	usualLife     = 365 // days
	longestLife   = 3 * 366 * 24 * time.Hour
	mostOverlap   = 90 // days that the secret before stays good
	touchAfter    = 5 * time.Minute
)

// ErrNoKey means that a secret is not known or has ended.
var ErrNoKey = message.Errorf("this key is not known or has ended; a curator makes another under Settings, Keys")

// TooMany means that a key has called as often in this minute as it may.
type TooMany struct {
	PerMinute int
	Wait      time.Duration
}

func (t *TooMany) Error() string { return t.Said().String() }

// Said gives what it says.
func (t *TooMany) Said() message.Text {
	return message.Say("this key may call %d times a minute, and has; wait %d seconds", t.PerMinute, int(t.Wait.Seconds())+1)
}

// Service has the use cases.
type Service struct {
	db    *work.DB
	known work.Known[store.KeyHolder]

	mu     sync.Mutex
	minute time.Time
	calls  map[int64]int // of each key, in that minute
}

// New gives the keys of a library.
func New(db *work.DB) *Service {
	s := &Service{db: db}
	db.OnForget(work.Keys, s.known.Forget)
	return s
}

// List gives every key, for curators. Their secrets are kept nowhere.
func (s *Service) List(ctx context.Context, by work.Caller) (api.Keys, error) {
	if err := by.MustCurate("see the keys of applications"); err != nil {
		return api.Keys{}, err
	}
	return work.Ask(ctx, s.db, func(v work.View) (api.Keys, error) {
		out := api.Keys{Items: []api.Key{}}
		rows, err := v.Keys()
		for _, k := range rows {
			out.Items = append(out.Items, shown(k))
		}
		return out, err
	})
}

func shown(k store.Key) api.Key {
	return api.Key{
		Name: k.Name, May: k.May.V, Departments: k.Departments.V, PerMinute: k.PerMinute, Until: k.Until.UTC(), Number: k.Number,
		By: k.By, CreatedAt: k.CreatedAt.UTC(), UsedAt: texts.UTC(k.UsedAt), OldUntil: texts.UTC(k.OldUntil),
	}
}

// Add makes a key, and gives its secret: this once.
func (s *Service) Add(ctx context.Context, by work.Caller, in api.NewKey) (api.KeySecret, error) {
	if err := by.MustCurate("make keys for applications"); err != nil {
		return api.KeySecret{}, err
	}
	secret, hash := newSecret()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.KeySecret, error) {
		k, wrong := keyOf(u, in.Name, in.KeyChange)
		wrong = append(nameProblems(in.Name), wrong...)
		all, err := u.Keys()
		if err != nil {
			return api.KeySecret{}, err
		}
		if len(all) >= mostKeys {
			wrong.Add("/name", "count", "there are %d keys, and that is the most; delete some that nobody uses", mostKeys)
		}
		if err := wrong.Err(); err != nil {
			return api.KeySecret{}, err
		}
		if k.ID, err = u.AddKey(k, by.ID); err != nil {
			return api.KeySecret{}, work.TakenIf(err, "there is a key %s already; renew that, or choose another name", k.Name)
		}
		if err := u.AddKeySecret(hash, k.ID, u.Now()); err != nil {
			return api.KeySecret{}, err
		}
		u.Record("add-key", 0, 0, detail(k))
		k, err = u.KeyByName(k.Name)
		return api.KeySecret{Key: shown(k), Secret: secret}, err
	})
}

// Set changes what a key may do, over the state of a number.
func (s *Service) Set(ctx context.Context, by work.Caller, name string, number int, in api.KeyChange) (api.Key, error) {
	if err := by.MustCurate("change keys of applications"); err != nil {
		return api.Key{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Key, error) {
		now, err := held(u, name)
		if err != nil {
			return api.Key{}, err
		}
		if now.Number != number {
			return api.Key{}, &work.Outdated{What: message.Say("the key %s was changed meanwhile; look at it again", name)}
		}
		k, wrong := keyOf(u, name, in)
		if err := wrong.Err(); err != nil {
			return api.Key{}, err
		}
		k.ID = now.ID
		u.Forget(work.Keys)
		u.Record("change-key", 0, 0, detail(k))
		if err := u.SetKey(k); err != nil {
			return api.Key{}, err
		}
		k, err = u.KeyByName(name)
		return shown(k), err
	})
}

// Renew gives a key another secret: this once. The one before stays good for so many days,
// so that an application can be changed without a gap; one that is older still ends.
func (s *Service) Renew(ctx context.Context, by work.Caller, name string, in api.RenewKey) (api.KeySecret, error) {
	if err := by.MustCurate("renew keys of applications"); err != nil {
		return api.KeySecret{}, err
	}
	if in.Overlap < 0 || in.Overlap > mostOverlap {
		return api.KeySecret{}, work.Wrong("/overlap", "range", "the secret before can stay good for 0 to %d days, not for %d", mostOverlap, in.Overlap)
	}
	secret, hash := newSecret()
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.KeySecret, error) {
		k, err := held(u, name)
		if err != nil {
			return api.KeySecret{}, err
		}
		u.Forget(work.Keys)
		u.Record("renew-key", 0, 0, map[string]any{"name": name, "overlap": in.Overlap})
		if err := u.AddKeySecret(hash, k.ID, u.Now().AddDate(0, 0, in.Overlap)); err != nil {
			return api.KeySecret{}, err
		}
		k, err = u.KeyByName(name)
		return api.KeySecret{Key: shown(k), Secret: secret}, err
	})
}

// Delete ends a key at once.
func (s *Service) Delete(ctx context.Context, by work.Caller, name string) error {
	if err := by.MustCurate("delete keys of applications"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		k, err := held(u, name)
		if err != nil {
			return err
		}
		u.Forget(work.Keys)
		u.Record("delete-key", 0, 0, map[string]any{"name": name})
		return u.DeleteKey(k.ID)
	})
}

// held locks a key and gives it.
func held(u *work.Unit, name string) (store.Key, error) {
	missing := work.MissingF("there is no key %.80q", name)
	if err := u.LockKey(name); err != nil {
		return store.Key{}, work.Found(err, missing)
	}
	k, err := u.KeyByName(name)
	return k, work.Found(err, missing)
}

func newSecret() (text string, hash []byte) {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // it never fails
	text = Prefix + base64.RawURLEncoding.EncodeToString(raw)
	sum := sha256.Sum256([]byte(text))
	return text, sum[:]
}

func detail(k store.Key) map[string]any {
	return map[string]any{"name": k.Name, "may": k.May.V, "departments": k.Departments.V, "per_minute": k.PerMinute, "until": k.Until.UTC()}
}

func nameProblems(name string) (wrong problem.List) {
	if len(name) < 2 || len(name) > 64 || strings.Trim(name, "abcdefghijklmnopqrstuvwxyz0123456789-") != "" || strings.Trim(name[:1], "-") == "" {
		wrong.Add("/name", "name", "the name is %.80q; a key is called by 2 to 64 lower-case letters, digits and hyphens, as weir-mail", name)
	}
	return wrong
}

// keyOf gives a key as it is asked for. What is left out is as usual: it may read and fill,
// everywhere, for a year.
func keyOf(u *work.Unit, name string, in api.KeyChange) (k store.Key, wrong problem.List) {
	k = store.Key{Name: name, PerMinute: in.PerMinute, Until: u.Now().AddDate(0, 0, usualLife)}
	k.May.V, k.Departments.V = slices.Compact(slices.Sorted(slices.Values(in.May))), slices.Compact(slices.Sorted(slices.Values(in.Departments)))
	if k.Departments.V == nil {
		k.Departments.V = []string{}
	}
	if len(k.May.V) == 0 {
		k.May.V = []string{"fill", "read"}
	}
	for i, m := range in.May {
		if !slices.Contains([]string{"read", "fill", "watch", "provision"}, m) {
			wrong.Add(problem.Pointer("may", i), "may", "a key may read, fill, watch or provision, and not %.40q", m)
		}
	}
	terms, err := u.Terms()
	if err != nil {
		return k, problem.List{{Code: "unreadable", Message: message.Of(err)}}
	}
	for i, d := range in.Departments {
		wrong = append(wrong, texts.DepartmentProblems(problem.Pointer("departments", i), d, terms)...)
	}
	if k.PerMinute == 0 {
		k.PerMinute = usualMinute
	}
	if k.PerMinute < 1 || k.PerMinute > mostPerMinute {
		wrong.Add("/per_minute", "range", "%d calls a minute cannot be had; it is 1 to %d", in.PerMinute, mostPerMinute)
	}
	if in.Until == nil {
		return k, wrong
	}
	switch k.Until = *in.Until; {
	case !k.Until.After(u.Now()):
		wrong.Add("/until", "past", "the end, %s, is past", k.Until.UTC().Format(time.RFC3339))
	case k.Until.Sub(u.Now()) > longestLife:
		wrong.Add("/until", "range", "the end, %s, is more than three years away; a key is renewed before that", k.Until.UTC().Format(time.RFC3339))
	}
	return k, wrong
}

// Holder gives the application that calls by a secret, or ErrNoKey. Each call counts: where a
// key has called as often in this minute as it may, it is TooMany. Each service counts for
// itself.
func (s *Service) Holder(ctx context.Context, secret string) (work.Caller, error) {
	sum, now := sha256.Sum256([]byte(secret)), s.db.Now()
	h, ok, times := s.known.Find(sum, now)
	if !ok {
		var err error
		h, err = work.Ask(ctx, s.db, func(v work.View) (store.KeyHolder, error) { return v.KeyHolder(sum[:]) })
		if err != nil {
			return work.Caller{}, work.Found(err, ErrNoKey)
		}
		if h.UsedAt == nil || now.Sub(*h.UsedAt) > touchAfter {
			if err := work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error { return u.TouchKey(sum[:]) }); err != nil {
				return work.Caller{}, err
			}
		}
		s.known.Keep(sum, h, h.Until, now, times)
	}
	if err := s.count(h, now); err != nil {
		return work.Caller{}, err
	}
	return work.Caller{FullName: h.Name, Via: work.ViaAPI, Key: &work.Key{ID: h.ID, Name: h.Name, May: h.May.V, Departments: h.Departments.V}}, nil
}

func (s *Service) count(h store.KeyHolder, now time.Time) error {
	minute := now.Truncate(time.Minute)
	s.mu.Lock()
	defer s.mu.Unlock()
	if !minute.Equal(s.minute) {
		s.minute, s.calls = minute, map[int64]int{}
	}
	if s.calls[h.ID] >= h.PerMinute {
		return &TooMany{h.PerMinute, minute.Add(time.Minute).Sub(now)}
	}
	s.calls[h.ID]++
	return nil
}
