package entry

// Heading is one part of a kind's outline: a level-2 heading that the kind
// expects, with the question that helps its writer.
type Heading struct {
	Title string `json:"title"`
	Ask   string `json:"ask"`
	Must  bool   `json:"must,omitempty"`
}

// Outline gives the headings that a kind expects, in order.
func (k Kind) Outline() []Heading {
	switch k {
	case Prompt:
		return []Heading{
			{"Role", "Who does the work?", false},
			{"Background", "What must it know to do well?", false},
			{"Task", "What is to be made, for whom?", true},
			{"Steps", "In which order?", false},
			{"Limits", "What must it not do?", false},
			{"Examples", "What does a good one look like?", false},
			{"Answer form", "How long, in what shape?", false},
		}
	case Persona:
		return []Heading{
			{"Who", "Who is speaking?", true},
			{"Knows", "What do they know, and from where?", false},
			{"Speaks", "How do they speak?", true},
			{"Does", "What do they do unasked?", false},
			{"Leaves alone", "What do they leave to others?", false},
		}
	case Style:
		return []Heading{
			{"Guide", "How should it read?", true},
			{"Use", "Which words and forms?", false},
			{"Avoid", "Which words and forms not?", false},
		}
	}
	return nil
}

// Letter is the letter that stands for the kind on a spine.
func (k Kind) Letter() string {
	return map[Kind]string{Prompt: "P", Persona: "W", Style: "S", Snippet: "N", Sheet: "F", Relay: "R"}[k]
}
