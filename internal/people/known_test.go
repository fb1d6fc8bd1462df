package people

import (
	"testing"
	"time"

	"goldshelf/internal/store"
)

func TestKnown(t *testing.T) {
	var k knownHolders
	at := time.Date(2026, 11, 30, 8, 0, 0, 0, time.UTC)
	token := tokenSum{1}
	finds := func(what string, now time.Time, want bool) (times int) {
		t.Helper()
		h, ok, times := k.find(token, now)
		if ok != want || ok && h.Name != "curator" {
			t.Errorf("%s: found %v, %q, want it found: %v", what, ok, h.Name, want)
		}
		return times
	}
	holder := store.Holder{Person: store.Person{ID: 1, Name: "curator"}, Expires: at.Add(time.Hour)}
	times := finds("at first", at, false)
	k.keep(token, holder, at, times)
	finds("kept", at.Add(knownFor-1), true)
	finds("a second later", at.Add(knownFor), false)

	// What changes while it is looked up is not kept as it was before.
	times = finds("a second later", at.Add(knownFor), false)
	k.forget()
	k.keep(token, holder, at.Add(knownFor), times)
	times = finds("looked up before all was forgotten", at.Add(knownFor), false)
	k.keep(token, holder, at.Add(knownFor), times)
	finds("looked up afterwards", at.Add(knownFor), true)
	k.forget()
	finds("forgotten", at.Add(knownFor), false)

	holder.Expires = at.Add(knownFor / 2)
	k.keep(token, holder, at, finds("before", at, false))
	finds("ended meanwhile", at.Add(knownFor/2), false)

	for n := range 2 * mostKnown {
		k.keep(tokenSum{2, byte(n), byte(n >> 8)}, holder, at, 2)
	}
	if len(k.all) == 0 || len(k.all) > mostKnown {
		t.Errorf("%d are known, want %d at most", len(k.all), mostKnown)
	}
}
