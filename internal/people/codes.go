package people

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"image/png"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/sealed"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// One-time codes are as RFC 6238 has them, and as every program for them knows: six digits that
// change every thirty seconds, by HMAC-SHA-1. One of the step before or after is good too.
const (
	codeStep   = 30 // seconds
	codeDigits = 6
	spareCodes = 10
	pictureOf  = 220 // pixels
)

// NeedsCode means that a password is right, and that its owner signs in with a one-time code too.
type NeedsCode struct{ Wrong bool }

func (n *NeedsCode) Error() string { return n.Said().String() }

// Said gives what it says.
func (n *NeedsCode) Said() message.Text {
	if n.Wrong {
		return message.Say("this code is not the one of this half minute, or was used already; take the next one, or a spare one")
	}
	return message.Say("the password is right, and needs a one-time code beside it: send code too")
}

// SealBy has what codes are made of be kept under a key. Without one there are no codes.
func (s *Service) SealBy(key *sealed.Key) { s.key = key }

func placeOf(person int64) string { return fmt.Sprintf("codes of person %d", person) }

// Codes says how it stands with the caller's one-time codes.
func (s *Service) Codes(ctx context.Context, by work.Caller) (api.Codes, error) {
	return work.Ask(ctx, s.db, func(v work.View) (api.Codes, error) {
		out := api.Codes{Possible: s.key != nil}
		c, err := v.CodesOf(by.ID)
		if errors.Is(err, store.ErrNotFound) || err == nil && c.ConfirmedAt == nil {
			return out, nil
		}
		out.On, out.Spare = err == nil, c.Spare
		return out, err
	})
}

// BeginCodes gives what the caller's codes are to be made of, who says their password again. They
// are not needed before one of them was right.
func (s *Service) BeginCodes(ctx context.Context, by work.Caller, from Origin, password string) (api.CodesBegun, error) {
	if s.key == nil {
		return api.CodesBegun{}, &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("the service has no --secret-key-file under which codes could be kept; ask whoever runs it")}
	}
	if err := s.ownPassword(ctx, by, from, password); err != nil {
		return api.CodesBegun{}, err
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Gold Shelf", AccountName: by.Name, Rand: rand.Reader})
	if err != nil {
		return api.CodesBegun{}, err
	}
	picture, err := pictureOfKey(key)
	if err != nil {
		return api.CodesBegun{}, err
	}
	return api.CodesBegun{Secret: key.Secret(), Address: key.URL(), Picture: picture}, work.Run(ctx, s.db, by, func(u *work.Unit) error {
		return work.Found(u.BeginCodes(by.ID, s.key.Seal(placeOf(by.ID), key.Secret())),
			&entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("you have one-time codes already; turn them off first")})
	})
}

func pictureOfKey(key *otp.Key) (string, error) {
	image, err := key.Image(pictureOf, pictureOf)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	if err := png.Encode(&out, image); err != nil {
		return "", err
	}
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(out.Bytes()), nil
}

// ownPassword holds the caller's own password, and counts where it is wrong.
func (s *Service) ownPassword(ctx context.Context, by work.Caller, from Origin, password string) error {
	_, hash, err := s.mayTry(ctx, from, by.Name)
	if err != nil {
		return err
	}
	right, err := s.compare(ctx, password, hash)
	if err != nil {
		return err
	}
	if !right {
		return work.Wrong("/password", "password", "this is not the password that you sign in with")
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		p, err := u.PersonByID(by.ID)
		if err != nil {
			return err
		}
		source, err := sourceOf(u, from, p)
		if err != nil {
			return err
		}
		return u.ForgetTries(source, by.Name)
	})
}

// ConfirmCodes has the caller sign in with a code from now on, once they have sent a right one. It
// gives spare codes for when theirs are lost: this once.
func (s *Service) ConfirmCodes(ctx context.Context, by work.Caller, code string) (api.SpareCodes, error) {
	spare := make([]string, spareCodes)
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.SpareCodes, error) {
		c, err := u.CodesOf(by.ID)
		if err != nil || c.ConfirmedAt != nil {
			return api.SpareCodes{}, errors.Join(work.Found(err, work.MissingF("no codes were begun")), when(err == nil, &entry.Refusal{Kind: entry.ErrWrongState, Message: message.Say("your codes are on already")}))
		}
		step, err := s.stepOf(c, by.ID, code, u.Now())
		if err != nil {
			return api.SpareCodes{}, err
		}
		if step == 0 {
			return api.SpareCodes{}, work.Wrong("/code", "code", "this is not the code of this half minute; see that the clock of what shows them is right, and send the next one")
		}
		if err := u.ConfirmCodes(by.ID, step); err != nil {
			return api.SpareCodes{}, err
		}
		for i := range spare {
			text := strings.ToLower(rand.Text()[:10])
			spare[i] = text[:5] + "-" + text[5:]
			if err := u.AddSpareCode(tokenHash(spare[i]), by.ID); err != nil {
				return api.SpareCodes{}, err
			}
		}
		u.Record("codes-on", 0, 0, nil)
		return api.SpareCodes{Spare: spare}, nil
	})
}

// stepOf gives the step of which a code is, or 0.
func (s *Service) stepOf(c store.Codes, person int64, code string, now time.Time) (int64, error) {
	secret, err := s.key.Open(placeOf(person), c.Sealed)
	if err != nil {
		return 0, err
	}
	for _, off := range []int64{0, -1, 1} {
		step := now.Unix()/codeStep + off
		want, err := totp.GenerateCodeCustom(secret, time.Unix(step*codeStep, 0), totp.ValidateOpts{Period: codeStep, Digits: codeDigits, Algorithm: otp.AlgorithmSHA1})
		if err != nil {
			return 0, err
		}
		if subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return step, nil
		}
	}
	return 0, nil
}

// heldByCode says whether whoever signs in has sent the code that they need, if they need one. A
// code is good once.
func (s *Service) heldByCode(u *work.Unit, p store.Person, code string) error {
	c, err := u.CodesOf(p.ID)
	if errors.Is(err, store.ErrNotFound) || err == nil && c.ConfirmedAt == nil {
		return nil
	}
	if err != nil {
		return err
	}
	code = strings.ToLower(strings.Join(strings.Fields(code), ""))
	if code == "" {
		return &NeedsCode{}
	}
	if len(code) != codeDigits {
		return work.Found(u.UseSpareCode(tokenHash(code), p.ID), &NeedsCode{Wrong: true})
	}
	step, err := s.stepOf(c, p.ID, code, u.Now())
	if err != nil {
		return err
	}
	if step == 0 {
		return &NeedsCode{Wrong: true}
	}
	return work.Found(u.UseStep(p.ID, step), &NeedsCode{Wrong: true})
}

// DropCodes has the caller need no code any more, who says their password again.
func (s *Service) DropCodes(ctx context.Context, by work.Caller, from Origin, password string) error {
	if err := s.ownPassword(ctx, by, from, password); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		u.Record("codes-off", 0, 0, nil)
		return u.DropCodes(by.ID)
	})
}

// DropCodesOf has somebody need no code any more who has lost theirs, by a curator, and signs
// them out everywhere.
func (s *Service) DropCodesOf(ctx context.Context, by work.Caller, name string) error {
	if err := by.MustCurate("turn off the one-time codes of others"); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		p, err := u.PersonByName(name)
		if err != nil {
			return work.Found(err, nobody(name))
		}
		u.Forget(work.Sessions)
		u.Record("codes-off", 0, 0, map[string]any{"person": p.Name})
		if err := u.DropCodes(p.ID); err != nil {
			return err
		}
		return u.SignOutEverywhere(p.ID)
	})
}
