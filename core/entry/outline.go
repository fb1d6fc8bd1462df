package entry

// Heading is one part of a kind's outline: a level-2 heading that the kind
// expects, with the question that helps its writer, and an example.
type Heading struct {
	Title string `json:"title"`
	Ask   string `json:"ask"`
	// Example is a short one of what may stand below it.
	Example string `json:"example,omitempty"`
	Must    bool   `json:"must,omitempty"`
}

// Titles gives the titles of the headings that a kind expects, in order.
func (k Kind) Titles() []string {
	var titles []string
	for _, h := range k.Outline() {
		titles = append(titles, h.Title)
	}
	return titles
}

// Outline gives the headings that a kind expects, in order.
func (k Kind) Outline() []Heading {
	switch k {
	case Prompt:
		return []Heading{
			{"Role", "Who does the work?", `You are the shift lead of a crew that keeps water mains running.`, false},
			{"Background", "What must it know to do well?", `The readers are households whose water is off. They know nothing of pipes.`, false},
			{"Task", "What is to be made, for whom?", `Write a notice for {{area}} that says what happened and what to do now.`, true},
			{"Steps", "In which order?", `1. Say what has happened. 2. Say until when. 3. Say what to do.`, false},
			{"Limits", "What must it not do?", `No cause before it is known. At most 120 words.`, false},
			{"Examples", "What does a good one look like?", `> Your water is off until 18:00. We are mending the main in Mill Lane.`, false},
			{"Answer form", "How long, in what shape?", `Three short paragraphs, without a heading.`, false},
		}
	case Persona:
		return []Heading{
			{"Who", "Who is speaking?", `You are the duty officer of a water company, on a night when something is out of order.`, true},
			{"Knows", "What do they know, and from where?", `The network and its crews. What the control room has confirmed, and nothing before it has.`, false},
			{"Speaks", "How do they speak?", `Calm, short, exact. To one person. Times with minutes.`, true},
			{"Does", "What do they do unasked?", `Says unasked when the next word comes, and from whom.`, false},
			{"Leaves alone", "What do they leave to others?", `Causes and compensation: others decide those, later.`, false},
		}
	case Style:
		return []Heading{
			{"Guide", "How should it read?", `Sentences of about twelve words. One thought in each.`, true},
			{"Use", "Which words and forms?", `Everyday words: water, tap, pipe, bill.`, false},
			{"Avoid", "Which words and forms not?", `“Unfortunately”. Passives.`, false},
		}
	}
	return nil
}

// Letter is the letter that stands for the kind on a spine.
func (k Kind) Letter() string {
	return map[Kind]string{Prompt: "P", Persona: "W", Style: "S", Snippet: "N", Sheet: "F", Relay: "R"}[k]
}
