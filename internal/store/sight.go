package store

// Sight is which versions that were never published somebody may see: all of them, or
// those of the entries that a person answers for. The zero Sight sees none.
type Sight struct {
	All bool
	Own int64 // a person, or 0
}
