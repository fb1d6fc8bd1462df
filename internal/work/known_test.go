package work

import (
	"crypto/sha256"
	"testing"
	"time"
)

func TestKnown(t *testing.T) {
	var k Known[string]
	at := time.Date(2026, 11, 30, 8, 0, 0, 0, time.UTC)
	token := [sha256.Size]byte{1}
	finds := func(what string, now time.Time, want bool) (times int) {
		t.Helper()
		name, ok, times := k.Find(token, now)
		if ok != want || ok && name != "curator" {
			t.Errorf("%s: found %v, %q, want it found: %v", what, ok, name, want)
		}
		return times
	}
	lasts := at.Add(time.Hour)
	times := finds("at first", at, false)
	k.Keep(token, "curator", lasts, at, times)
	finds("kept", at.Add(knownFor-1), true)
	finds("a second later", at.Add(knownFor), false)

	// What changes while it is looked up is not kept as it was before.
	times = finds("a second later", at.Add(knownFor), false)
	k.Forget()
	k.Keep(token, "curator", lasts, at.Add(knownFor), times)
	times = finds("looked up before all was forgotten", at.Add(knownFor), false)
	k.Keep(token, "curator", lasts, at.Add(knownFor), times)
	finds("looked up afterwards", at.Add(knownFor), true)
	k.Forget()
	finds("forgotten", at.Add(knownFor), false)

	lasts = at.Add(knownFor / 2)
	k.Keep(token, "curator", lasts, at, finds("before", at, false))
	finds("ended meanwhile", at.Add(knownFor/2), false)

	for n := range 2 * mostKnown {
		k.Keep([sha256.Size]byte{2, byte(n), byte(n >> 8)}, "curator", lasts, at, 2)
	}
	if len(k.all) == 0 || len(k.all) > mostKnown {
		t.Errorf("%d are known, want %d at most", len(k.all), mostKnown)
	}
}
