package api

import "time"

// Allowances are what may be used up in a month by asking models.
type Allowances struct {
	Mine     []Allowance `json:"mine"`          // those that hold for whoever asks
	All      []Allowance `json:"all,omitempty"` // to curators
	Currency string      `json:"currency"`
}

// Allowance is what a person or a department may use up in a month, and what they have.
type Allowance struct {
	Kind       string    `json:"kind"` // person or department
	Name       string    `json:"name"` // that a person signs in with; or the department's term
	FullName   string    `json:"full_name,omitempty"`
	Words      *int64    `json:"words,omitempty"` // of replies; nothing for as many as one likes
	Money      *float64  `json:"money,omitempty"` // the same
	SpentWords int64     `json:"spent_words"`     // this month
	SpentMoney float64   `json:"spent_money"`
	Number     int       `json:"number"`
	By         string    `json:"by,omitempty"`
	At         time.Time `json:"at"`
}

// SetAllowance is what somebody may use up from now on; with neither, as much as they like.
type SetAllowance struct {
	Words  *int64   `json:"words,omitempty"`
	Money  *float64 `json:"money,omitempty"`
	Number int      `json:"number"` // of the allowance that was read; 0 for none
}
