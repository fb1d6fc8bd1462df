package people

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn/frequency"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const (
	leastPassword = 12     // characters
	mostPassword  = 1024   // bytes
	commonest     = 10_000 // passwords that everybody tries first

	hashesAtOnce = 2 // each takes 19 MiB
	linksLast    = 7 * 24 * time.Hour

	setupCodeLasts = time.Hour
	setupTries     = 5
)

// params follow OWASP's advice for argon2id: 19 MiB, two passes, one lane.
var params = argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// HashPassword gives what is kept of a password.
func HashPassword(password string) (string, error) { return argon2id.CreateHash(password, &params) }

// hash is HashPassword, so many at once at the most.
func (s *Service) hash(ctx context.Context, password string) (hash string, err error) {
	err = s.oneOfFew(ctx, func() error {
		hash, err = HashPassword(password)
		return err
	})
	return hash, err
}

// oneOfFew works something out that takes much memory.
func (s *Service) oneOfFew(ctx context.Context, do func() error) error {
	select {
	case s.hashing <- struct{}{}:
		defer func() { <-s.hashing }()
		return do()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// passwordProblems says what is wrong with a password, as OWASP ASVS 5 has it: long
// enough, and none of those that are tried first.
func passwordProblems(field, password string) problem.List {
	found := problem.Text(field, password)
	switch {
	case password == "":
		found.Add(field, "missing", "the password is missing")
	case len([]rune(password)) < leastPassword:
		found.Add(field, "password", "the password has %d characters; it has %d at least", len([]rune(password)), leastPassword)
	case len(password) > mostPassword:
		found.Add(field, "size", "the password has %d bytes; it has at most %d", len(password), mostPassword)
	case slices.Contains(frequency.FrequencyLists["passwords"][:commonest], strings.ToLower(password)):
		found.Add(field, "common", "this is one of the %d commonest passwords, and is tried first; choose another", commonest)
	}
	return found
}

// secret gives a new secret to hand to somebody, and what is kept of it.
func secret() (text string, hash []byte) {
	text = strings.ToLower(rand.Text())
	return text, tokenHash(text)
}

// NewPasswordLink gives someone a link to set a password with, for a curator to hand
// over: there is no mail. One that they had before is dead.
func (s *Service) NewPasswordLink(ctx context.Context, by work.Caller, name string) (api.PasswordLink, error) {
	if err := by.MustCurate("give others a new password"); err != nil {
		return api.PasswordLink{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.PasswordLink, error) {
		p, err := u.PersonByName(name)
		if err != nil {
			return api.PasswordLink{}, work.Found(err, nobody(name))
		}
		if !p.Active {
			return api.PasswordLink{}, work.Wrong("/name", "person", "%s has left; make them active first", p.FullName)
		}
		u.Record("password-link", 0, 0, map[string]any{"person": p.Name})
		return addPasswordLink(u, p)
	})
}

func addPasswordLink(u *work.Unit, p store.Person) (api.PasswordLink, error) {
	code, hash := secret()
	until := u.Now().Add(linksLast)
	return api.PasswordLink{Person: person(p), Code: code, Until: until.UTC()}, u.AddPasswordLink(hash, p.ID, u.By.ID, until)
}

// errLink is for links that cannot be used.
var errLink = work.MissingF("this link has been used, has ended, or is none of ours; ask a curator for a new one")

// SetPassword sets the password of whoever was given a link, once, and signs them out
// everywhere. It returns a [work.Missing] if the link cannot be used.
func (s *Service) SetPassword(ctx context.Context, req api.NewPassword) error {
	wrong := append(problem.Text("/code", req.Code), passwordProblems("/password", req.Password)...)
	if err := wrong.Err(); err != nil {
		return err
	}
	hash := tokenHash(req.Code)
	if _, err := work.Ask(ctx, s.db, func(v work.View) (store.Person, error) { return v.PasswordLink(hash) }); err != nil {
		return work.Found(err, errLink)
	}
	kept, err := s.hash(ctx, req.Password)
	if err != nil {
		return err
	}
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) error {
		p, err := u.PasswordLink(hash)
		if err != nil {
			return work.Found(err, errLink)
		}
		if _, err := u.UsePasswordLink(hash); err != nil {
			return work.Found(err, errLink)
		}
		u.RecordAs(work.CallerOf(p, "console"), "set-password", 0, 0, nil)
		return s.setPassword(u, p, kept)
	})
}

// setPassword gives someone a new password, and ends every session that the old one has
// opened.
func (s *Service) setPassword(u *work.Unit, p store.Person, hash string) error {
	u.Forget(work.Sessions)
	if err := u.SetPassword(p.ID, hash); err != nil {
		return err
	}
	return u.SignOutEverywhere(p.ID)
}

// ChangePassword sets the caller's own password, who says the old one too, and signs them
// out everywhere; from there on a new session. It returns [ErrSignIn] if the old one is
// wrong, and [TooSoon] after many tries.
func (s *Service) ChangePassword(ctx context.Context, by work.Caller, from Origin, req api.OwnPassword) (api.Session, error) {
	if err := passwordProblems("/new", req.New).Err(); err != nil {
		return api.Session{}, err
	}
	p, hash, err := s.mayTry(ctx, from, by.Name)
	if err != nil {
		return api.Session{}, err
	}
	right, err := s.compare(ctx, req.Old, hash)
	if err != nil {
		return api.Session{}, err
	}
	if !right {
		return api.Session{}, work.Wrong("/old", "password", "the old password is another; write the one that you sign in with")
	}
	kept, err := s.hash(ctx, req.New)
	if err != nil {
		return api.Session{}, err
	}
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Session, error) {
		now, err := u.PersonByName(p.Name)
		if err != nil {
			return api.Session{}, err
		}
		if !now.Active || now.Password == nil || *now.Password != hash { // it was changed meanwhile
			return api.Session{}, ErrSignIn
		}
		u.Record("change-password", 0, 0, nil)
		if err := s.setPassword(u, now, kept); err != nil {
			return api.Session{}, err
		}
		return openSession(u, now, from)
	})
}

// SignOutEverywhere ends every session and token of the caller.
func (s *Service) SignOutEverywhere(ctx context.Context, by work.Caller) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		u.Forget(work.Sessions)
		u.Record("sign-out-everywhere", 0, 0, nil)
		return u.SignOutEverywhere(by.ID)
	})
}

// ErrHasCurator means that there is a curator, so that nobody becomes one by a code.
var ErrHasCurator = message.Errorf("the library has a curator already; sign in, or ask one of them to add you")

// HasCurator says whether anyone can look after the library.
func (s *Service) HasCurator(ctx context.Context) (bool, error) {
	return work.Ask(ctx, s.db, func(v work.View) (bool, error) { return v.HasCurator() })
}

// NewSetupCode gives the code by which whoever started the service becomes the first
// curator, or nothing where there is one. One that was given before is dead.
func (s *Service) NewSetupCode(ctx context.Context) (string, error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (string, error) {
		if has, err := u.HasCurator(); err != nil || has {
			return "", err
		}
		code, hash := secret()
		return code, u.SetSetupCode(hash, u.Now().Add(setupCodeLasts))
	})
}

// CodeRefused means that a code to set the library up with is not good.
type CodeRefused struct{ What message.Text }

func (c *CodeRefused) Error() string { return c.What.String() }

// Said gives what it says.
func (c *CodeRefused) Said() message.Text { return c.What }

// FirstCurator makes the first curator, by the code that the service gave when it was
// started, and signs them in. It returns [CodeRefused] if the code is wrong, has ended
// or was tried too often, and ErrHasCurator if there is a curator.
func (s *Service) FirstCurator(ctx context.Context, req api.Setup) (api.Session, error) {
	req.Person = api.Person{Name: strings.ToLower(strings.TrimSpace(req.Name)), FullName: req.FullName, Role: entry.Curator}
	wrong := append(problem.Text("/code", req.Code), personProblems(req.Person)...)
	wrong = append(wrong, passwordProblems("/password", req.Password)...)
	if err := wrong.Err(); err != nil {
		return api.Session{}, err
	}
	refused, err := s.tryCode(ctx, req.Code)
	if err != nil {
		return api.Session{}, err
	}
	if refused != nil {
		return api.Session{}, refused
	}
	return s.addFirst(ctx, req)
}

// CheckFirstCurator says what keeps someone from becoming the first curator.
func (s *Service) CheckFirstCurator(ctx context.Context, p api.Person, password string) error {
	p.Role = entry.Curator
	if err := append(personProblems(p), passwordProblems("/password", password)...).Err(); err != nil {
		return err
	}
	has, err := s.HasCurator(ctx)
	return errors.Join(err, when(has, ErrHasCurator))
}

// AddFirstCurator is FirstCurator for whoever is at the machine itself.
func (s *Service) AddFirstCurator(ctx context.Context, p api.Person, password string) error {
	p.Role = entry.Curator
	if err := s.CheckFirstCurator(ctx, p, password); err != nil {
		return err
	}
	_, err := s.addFirst(ctx, api.Setup{Person: p, Password: password})
	return err
}

// tryCode holds a code against the one that was given. The try is counted whatever
// comes of it.
func (s *Service) tryCode(ctx context.Context, code string) (refused *CodeRefused, err error) {
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (*CodeRefused, error) {
		const again = "; stop the service and start it again for a new one"
		// Whoever holds the code looks next: another may have used it up to this moment.
		given, err := u.TrySetupCode()
		has, asked := u.HasCurator()
		switch {
		case asked != nil:
			return nil, asked
		case has:
			return nil, ErrHasCurator
		case errors.Is(err, store.ErrNotFound):
			return &CodeRefused{message.Say("there is no code%s", again)}, nil
		case err != nil:
			return nil, err
		case given.Tries > setupTries:
			return &CodeRefused{message.Say("the code was tried too often%s", again)}, nil
		case u.Now().After(given.Until):
			return &CodeRefused{message.Say("the code has ended%s", again)}, nil
		case string(given.Hash) != string(tokenHash(strings.ToLower(strings.TrimSpace(code)))):
			return &CodeRefused{message.Say("this is not the code; it stands in the terminal in which the service was started (%d of %d tries)", given.Tries, setupTries)}, nil
		}
		return nil, nil
	})
}

func (s *Service) addFirst(ctx context.Context, req api.Setup) (api.Session, error) {
	hash, err := s.hash(ctx, req.Password)
	if err != nil {
		return api.Session{}, err
	}
	return work.Do(ctx, s.db, work.Service(), func(u *work.Unit) (api.Session, error) {
		if err := u.LockPeople(); err != nil {
			return api.Session{}, err
		}
		if has, err := u.HasCurator(); err != nil || has {
			return api.Session{}, errors.Join(err, when(has, ErrHasCurator))
		}
		p, err := add(u, req.Person, &hash)
		if err != nil {
			return api.Session{}, err
		}
		if err := u.DropSetupCode(); err != nil {
			return api.Session{}, err
		}
		return openSession(u, p, Origin{Cookie: true})
	})
}

func when(is bool, err error) error {
	if is {
		return err
	}
	return nil
}
