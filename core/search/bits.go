package search

import (
	"math/bits"
	"slices"
)

// bitset is a set of documents, by number. It is as long as the largest one in it needs.
type bitset []uint64

// empty gives a set without any, in the place of another one, that has room for so many.
func empty(b bitset, room int) bitset {
	b = slices.Grow(b[:0], room/64)[:room/64]
	clear(b)
	return b
}

func (b *bitset) add(n uint32) {
	for int(n/64) >= len(*b) {
		*b = append(*b, 0)
	}
	(*b)[n/64] |= 1 << (n % 64)
}

func (b bitset) remove(n uint32) {
	if int(n/64) < len(b) {
		b[n/64] &^= 1 << (n % 64)
	}
}

func (b bitset) has(n uint32) bool {
	return int(n/64) < len(b) && b[n/64]&(1<<(n%64)) != 0
}

// or adds another set.
func (b *bitset) or(o bitset) {
	for len(*b) < len(o) {
		*b = append(*b, 0)
	}
	for i, w := range o {
		(*b)[i] |= w
	}
}

// and leaves what is in another set too.
func (b bitset) and(o bitset) {
	for i := range b {
		if i < len(o) {
			b[i] &= o[i]
		} else {
			b[i] = 0
		}
	}
}

// without leaves what is not in another set.
func (b bitset) without(o bitset) {
	for i := range min(len(b), len(o)) {
		b[i] &^= o[i]
	}
}

func (b bitset) count() (n int) {
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
}

// countBoth is how many are in two sets.
func (b bitset) countBoth(o bitset) (n int) {
	for i := range min(len(b), len(o)) {
		n += bits.OnesCount64(b[i] & o[i])
	}
	return n
}

// each gives the numbers in order, until do says no.
func (b bitset) each(do func(n uint32) bool) {
	for i, w := range b {
		for ; w != 0; w &= w - 1 {
			if !do(uint32(i*64 + bits.TrailingZeros64(w))) {
				return
			}
		}
	}
}
