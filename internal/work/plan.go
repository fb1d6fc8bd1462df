package work

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"goldshelf/core/message"
)

// PlanDigest stands for what somebody is shown before it is done.
func PlanDigest(shown ...any) (string, error) {
	text, err := json.Marshal(shown)
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
}

// MustBeShown returns [Outdated] if what is to be done is not what somebody was shown.
func MustBeShown(shown, now string) error {
	if shown == now {
		return nil
	}
	return &Outdated{What: message.Say("what would change is not what you were shown; look at it again")}
}
