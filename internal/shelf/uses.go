package shelf

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"sync"

	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

const (
	mostWaiting = 100_000 // uses, while the database is away; the ones after are not counted
	usesAtOnce  = 2_000   // in one statement
)

// uses are counted off the path of who uses something: they wait here until they are
// written. What waits is lost where the machine fails, and nothing else is.
type uses struct {
	mu      sync.Mutex
	waiting []store.Use

	writing sync.Mutex
	key     []byte // of the hashes that stand for people
}

func (c *uses) add(u store.Use) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.waiting) < mostWaiting {
		c.waiting = append(c.waiting, u)
	}
}

func (c *uses) take() []store.Use {
	c.mu.Lock()
	defer c.mu.Unlock()
	n := min(len(c.waiting), usesAtOnce)
	all := c.waiting[:n:n]
	c.waiting = c.waiting[n:]
	return all
}

func (c *uses) giveBack(all []store.Use) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.waiting = append(all, c.waiting...)
}

// hash stands for a person, and tells nobody who has no key whom.
func (c *uses) hash(person int64) []byte {
	h := hmac.New(sha256.New, c.key)
	_ = binary.Write(h, binary.BigEndian, person) // a hash takes everything
	return h.Sum(nil)[:16]
}

// used counts that the caller has used what was composed, with a persona of their own choice
// if they have named one.
func (s *Service) used(by work.Caller, c texts.Composed, how, persona string) {
	if persona == c.By[c.Of].Persona {
		persona = ""
	}
	who := by.ID
	if by.Key != nil {
		who = -by.Key.ID // no person has it
	}
	s.uses.add(store.Use{
		At: s.db.Now(), Slug: c.Of.Entry, Number: c.Of.Version, By: who, Application: c.For, Department: by.Department, How: how, Persona: persona,
	})
}

// WriteUses writes what waits to be counted. What the database does not take now waits on;
// what it never will is counted no more, so that it holds up nothing after it.
func (s *Service) WriteUses(ctx context.Context) error {
	s.uses.writing.Lock()
	defer s.uses.writing.Unlock()
	for {
		all := s.uses.take()
		if len(all) == 0 {
			return nil
		}
		err := s.writeUses(ctx, all)
		if errors.Is(err, store.ErrUnfit) {
			return fmt.Errorf("%d uses cannot be counted: %w", len(all), err)
		}
		if err != nil {
			s.uses.giveBack(all)
			return err
		}
	}
}

func (s *Service) writeUses(ctx context.Context, all []store.Use) error {
	return work.Run(ctx, s.db, work.Service(), func(u *work.Unit) (err error) {
		if s.uses.key == nil {
			fresh := make([]byte, sha256.Size)
			_, _ = rand.Read(fresh) // it never fails
			if fresh, err = u.UseKey(fresh); err != nil {
				return err
			}
			u.After(func() { s.uses.key = fresh })
			return u.AddUses(hashed(&uses{key: fresh}, all))
		}
		return u.AddUses(hashed(&s.uses, all))
	})
}

func hashed(c *uses, all []store.Use) []store.Use {
	of := map[int64][]byte{}
	rows := make([]store.Use, len(all))
	for i, use := range all {
		if of[use.By] == nil {
			of[use.By] = c.hash(use.By)
		}
		use.Person = of[use.By]
		rows[i] = use
	}
	return rows
}
