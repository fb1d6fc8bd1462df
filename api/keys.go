package api

import "time"

// Key is what an application calls by. Its secret is kept nowhere.
type Key struct {
	Name        string     `json:"name"`
	May         []string   `json:"may"`         // read, fill, watch, provision
	Departments []string   `json:"departments"` // only what is labelled with one of them; none for everything
	PerMinute   int        `json:"per_minute"`  // calls
	Until       time.Time  `json:"until"`
	Number      int        `json:"number"` // of its state
	By          string     `json:"by"`
	CreatedAt   time.Time  `json:"created_at"`
	UsedAt      *time.Time `json:"used_at,omitempty"`   // last, to within some minutes
	OldUntil    *time.Time `json:"old_until,omitempty"` // when the secret before ends, if it is still good
}

// Keys are those of the library, by name.
type Keys struct {
	Items []Key `json:"items"`
}

// KeyChange is what a key may do. What is left out is as usual: read and fill, everywhere, 600
// calls a minute, for a year.
type KeyChange struct {
	May         []string   `json:"may,omitempty"`
	Departments []string   `json:"departments,omitempty"`
	PerMinute   int        `json:"per_minute,omitempty"`
	Until       *time.Time `json:"until,omitempty"`
}

// NewKey is a key to be made.
type NewKey struct {
	Name string `json:"name"`
	KeyChange
}

// RenewKey says for how many days the secret before stays good.
type RenewKey struct {
	Overlap int `json:"overlap"`
}

// KeySecret is a key with its secret, which is told this once.
type KeySecret struct {
	Key
	Secret string `json:"secret"`
}
