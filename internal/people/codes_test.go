package people_test

import (
	"encoding/base64"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"goldshelf/api"
	"goldshelf/internal/people"
	"goldshelf/internal/sealed"
	"goldshelf/internal/testdb"
)

// Somebody who has one-time codes signs in with one, which is good once and in its time; a spare
// one is good once too; without any the password alone does nothing.
func TestOneTimeCodes(t *testing.T) {
	t.Parallel()
	hash, err := people.HashPassword(password)
	if err != nil {
		t.Fatal(err)
	}
	w, ctx := databases.World(t, &hash), t.Context()
	s := people.New(w.DB)
	by, from := w.By("reader"), people.Origin{Address: "203.0.113.7"}
	if _, err := s.BeginCodes(ctx, by, from, password); err == nil {
		t.Error("a service that cannot keep secrets begins codes")
	}
	file := filepath.Join(t.TempDir(), "key")
	key, err := sealed.MakeKey(file)
	if err != nil {
		t.Fatal(err)
	}
	s.SealBy(key)
	if _, err := s.BeginCodes(ctx, by, from, "another password"); err == nil || !strings.Contains(err.Error(), "password") {
		t.Errorf("without the password: %v", err)
	}
	begun, err := s.BeginCodes(ctx, by, from, password)
	if err != nil || !strings.HasPrefix(begun.Address, "otpauth://totp/") || !strings.HasPrefix(begun.Picture, "data:image/png;base64,") {
		t.Fatalf("%+v, %v", begun, err)
	}
	if kept := w.Count("one_time_codes"); kept != 1 {
		t.Errorf("%d are kept", kept)
	}
	var rows []struct{ Text string }
	w.Select(&rows, `select encode(sealed, 'escape') as text from one_time_codes`)
	if strings.Contains(rows[0].Text, begun.Secret) {
		t.Error("what the codes are made of is kept as it is")
	}
	code := func(off time.Duration) string {
		t.Helper()
		c, err := totp.GenerateCode(begun.Secret, w.Clock.Now().Add(off))
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	in := func(code string) error {
		_, err := s.SignIn(ctx, from, api.Credentials{Name: "reader", Password: password, Code: code})
		return err
	}
	if err := in(""); err != nil {
		t.Errorf("before a code was right: %v", err)
	}
	if _, err := s.ConfirmCodes(ctx, by, "000000"); err == nil && code(0) != "000000" {
		t.Error("a wrong code confirms them")
	}
	spare, err := s.ConfirmCodes(ctx, by, code(0))
	if err != nil || len(spare.Spare) != 10 {
		t.Fatalf("%+v, %v", spare, err)
	}
	needs := func(what string, err error, wrong bool) {
		t.Helper()
		var n *people.NeedsCode
		if !errors.As(err, &n) || n.Wrong != wrong {
			t.Errorf("%s: %v", what, err)
		}
	}
	needs("no code", in(""), false)
	needs("the one that has confirmed them", in(code(0)), true)
	w.Clock.Pass(time.Minute)
	needs("one of five minutes ago", in(code(-5*time.Minute)), true)
	good := code(0)
	came := 0
	for _, err := range testdb.Race(func() error { return in(good) }, func() error { return in(good) }) {
		if err == nil {
			came++
		}
	}
	if came != 1 {
		t.Errorf("%d come in by one code, twice at once", came)
	}
	needs("one that was used", in(good), true)
	w.Clock.Pass(time.Minute)
	if err := in(" " + code(-30 * time.Second)[:3] + " " + code(-30 * time.Second)[3:]); err != nil {
		t.Errorf("the one of half a minute ago, with spaces: %v", err)
	}
	needs("a spare one that is none", in("abcde-fghij"), true)
	w.Clock.Pass(time.Hour)
	if err := in(strings.ToUpper(spare.Spare[0])); err != nil {
		t.Errorf("a spare one: %v", err)
	}
	needs("a spare one again", in(spare.Spare[0]), true)
	var failed []struct{ N int }
	if w.Select(&failed, `select count(*)::int as n from events where action = 'sign-in-failed'`); failed[0].N != 6 {
		t.Errorf("%d wrong codes are on the record, want 6", failed[0].N)
	}
	if now, err := s.Codes(ctx, by); err != nil || !now.On || now.Spare != 9 {
		t.Errorf("it stands %+v, %v", now, err)
	}
	if _, err := s.BeginCodes(ctx, by, from, password); err == nil {
		t.Error("others take the place of codes that are on")
	}

	// Guesses are slowed: five at most.
	w.Clock.Pass(time.Hour)
	slowed := 0
	for range 20 {
		if errors.As(in("123456"), new(*people.TooSoon)) {
			slowed++
		}
	}
	if slowed < 10 {
		t.Errorf("of twenty guesses %d were slowed", slowed)
	}
	w.Clock.Pass(2 * time.Hour)
	if err := s.DropCodes(ctx, by, from, "wrong password"); err == nil {
		t.Error("codes are turned off without the password")
	}
	if err := s.DropCodesOf(ctx, w.By("contributor"), "reader"); err == nil {
		t.Error("somebody who is no curator turns them off")
	}
	if err := s.DropCodesOf(ctx, w.By("curator"), "reader"); err != nil {
		t.Fatal(err)
	}
	if err := in(""); err != nil {
		t.Errorf("after they were turned off: %v", err)
	}
}

// A key is made once, is for its owner alone, and is refused where it is none.
func TestAKeyThatIsMade(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "key")
	first, err := sealed.MakeKey(file)
	if err != nil {
		t.Fatal(err)
	}
	again, err := sealed.MakeKey(file)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := again.Open("a place", first.Seal("a place", "the secret")); err != nil || got != "the secret" {
		t.Errorf("%q, %v", got, err)
	}
	if _, err := again.Open("another place", first.Seal("a place", "the secret")); err == nil {
		t.Error("it is opened for another place")
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info.Mode(), err)
	}
	if err := os.WriteFile(file, []byte(base64.StdEncoding.EncodeToString([]byte("short"))), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := sealed.MakeKey(file); err == nil {
		t.Error("half a key is taken")
	}
}
