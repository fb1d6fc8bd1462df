package entry

import (
	"crypto/sha256"
	"encoding/base32"
	"encoding/json"
	"strings"
)

// Digest names what a version says. Two versions of the same digest say the same.
type Digest string

// Digest names what c says: its kind, header and text, without the labels, which are its
// entry's. It is the first 160 bits of the SHA-256 of its canonical JSON, in base32.
func (c Content) Digest() Digest {
	sum := sha256.Sum256(c.canonical())
	return Digest(strings.ToLower(base32.StdEncoding.EncodeToString(sum[:20])))
}

// Same says whether two contents are the same to their readers, labels aside.
func (c Content) Same(other Content) bool { return string(c.canonical()) == string(other.canonical()) }

// canonical writes what is empty in one way, and leaves labels out.
func (c Content) canonical() []byte {
	c.Labels = nil
	if len(c.Blanks) == 0 {
		c.Blanks = nil
	}
	if len(c.Sheets) == 0 {
		c.Sheets = nil
	}
	if len(c.SheetOf) == 0 {
		c.SheetOf = nil
	}
	if len(c.Answers) == 0 {
		c.Answers = nil
	}
	if len(c.Pictures) == 0 {
		c.Pictures = nil
	}
	if len(c.Steps) == 0 {
		c.Steps = nil
	}
	data, err := json.Marshal(c)
	if err != nil { // it is made of texts, numbers and lists of them
		panic("write a content as JSON: " + err.Error())
	}
	return data
}
