package standin

import (
	"slices"
	"strings"
)

// topic is something that can be written about: the words that tell of it, and sentences.
// {place} and {when} stand for what the text names; of what | parts one is said.
type topic struct {
	words     []string
	sentences []string
}

// topics of Larkfen's world.
func topics() []topic {
	return []topic{
		{[]string{"burst", "main has burst"}, []string{
			"A main has burst in {place}.|There is a burst main in {place}.|In {place} a main has burst.", "Our crew is there and has shut the valve.|A crew of ours is at work and the valve is shut.",
			"Your tap may run dry, or brown, for a while.|Your tap may be dry now.", "We expect water back {when}.|Water comes back {when}, as we see it now.",
			"Do not run the washing machine until then.|Leave the washing machine off.", "Fill a jug if any water still comes.",
			"When water is back, run the cold kitchen tap until it is clear."}},
		{[]string{"boil", "rolling boil"}, []string{
			"Boil the water that you drink, cook with or clean teeth with.", "Let it cool in a covered pan.", "You can wash and flush as ever."}},
		{[]string{"meter", "reading", "bill"}, []string{
			"We have looked at your readings again.|Your readings have been looked at once more.", "Two of them were estimates, and the last one was read.", "Your bill follows the reading from now on.",
			"Send us a photograph of the dial if you see it otherwise.", "Nothing is taken from your account until this is settled."}},
		{[]string{"leak", "leakage"}, []string{
			"There is a leak on the pipe that is yours.", "Turn off the tap inside and see whether the dial still turns.", "A repair that is proved within a month halves what you pay for it."}},
		{[]string{"planned work", "work in"}, []string{
			"We are laying a new main in {place}.|A new main goes into the ground in {place}.", "Your water is off {when}, and we knock before we start.", "Keep a jug in the fridge and your machine off.", "You can park again in the evening."}},
		{[]string{"hosepipe", "drought"}, []string{
			"Hosepipes stay in the shed for now.", "A watering can is fine, and so is water from a butt.", "Water before nine, when less of it dries away."}},
		{[]string{"complaint", "customer's letter"}, []string{
			"The customer wants to be told, and not to be sent about.|She wants an answer, and not another number to ring.", "She has written twice and was answered once.", "What she asks for is a date and a name."}},
		{[]string{"tender", "bids", "supplier"}, []string{
			"Three firms have bid, and one left out the price of spare parts.", "The lowest price has the longest delivery.", "Ask all of them the same questions on the same day."}},
		{[]string{"laborator", "lab ", "sample point", "result"}, []string{
			"The sample was taken at the kitchen tap and kept cool.", "All that was looked for is within the limits.", "One value is near its limit, and we look again next week."}},
		{[]string{"school", "pupil", "class"}, []string{
			"A drop needs a day from the fen to your tap.", "Guess how often a tap is opened in one morning.", "Then draw where the water goes when you pull the plug."}},
		{[]string{"crew", "shift", "toolbox"}, []string{
			"Check the trench before anyone goes in.", "Two people stay at the top.", "Write down what you found before you leave."}},
		{[]string{"board", "council", "regulator"}, []string{
			"Leakage fell, and fell less than we had said.|We lose less water than last year, and more than we aimed for.", "Two of the five schemes are late, for one reason.", "We ask the board to decide between the two."}},
		{[]string{"minutes", "meeting", "actions"}, []string{
			"Maribel sends the list by Friday.", "Joss asks the crews and says what they need.", "Nobody took on the question of the gate."}},
		{[]string{"advert", "interview", "applicant", "technician"}, []string{
			"You keep pumps running that nobody notices.", "You work outdoors, in pairs, and are on call one week in six.", "Tell us what you have mended, and how you knew what was wrong."}},
		{[]string{"priority list", "priority register"}, []string{
			"The priority list is for whoever cannot do without water.", "Tell us once, and bottled water comes to your door.", "It costs nothing, and you can leave it at any time."}},
	}
}

// general are sentences that fit anything.
func general() []string {
	return []string{
		"Here is what matters first.|First things first.", "The rest can wait until tomorrow.", "We tell you when there is more to say.", "Nobody has to do anything before then.",
		"Keep this where you find it again.", "Ask us if a word of it is unclear."}
}

var (
	windy = []string{
		"Thank you very much indeed for taking the time to read this message, which we hope finds you well.",
		"We would like to take this opportunity to assure you that this matter is receiving our full attention at every level of the company.",
		"As you will no doubt appreciate, circumstances such as these can and do arise from time to time, and we are always keen to explain them in full.",
		"Please do not hesitate to be in touch with us at any time if there should be anything further that we may be able to help you with."}
	stiffly = []string{"It is noted that the following applies: ", "It should be observed that ", "For the avoidance of doubt: "}
	warm    = []string{"We know that this is a nuisance, and we are on it.", "This is not what you hoped to read, and we understand that."}
	thanks  = []string{"Thank you for bearing with us.", "Thank you for telling us."}
	plainer = strings.NewReplacer("It is noted that the following applies: ", "", "It should be observed that ", "", "For the avoidance of doubt: ", "",
		"circumstances", "things", "assistance", "help", "approximately", "about", "further", "more", "regarding", "about", "commence", "start", "receiving our full attention", "being dealt with")
)

// topicsOf gives the two topics that a text speaks of most, the most of all first.
func topicsOf(text string) []topic {
	lower := strings.ToLower(text)
	type told struct {
		topic
		times int
	}
	var all []told
	for _, t := range topics() {
		n := 0
		for _, w := range t.words {
			n += strings.Count(lower, w)
		}
		if n > 0 {
			all = append(all, told{t, n})
		}
	}
	slices.SortStableFunc(all, func(a, b told) int { return b.times - a.times })
	var out []topic
	for _, t := range all[:min(2, len(all))] {
		out = append(out, t.topic)
	}
	return out
}

// about are the sentences that can be said, with what the text names in place.
func (b brief) about() (all []string) {
	for _, t := range b.topics {
		all = append(all, t.sentences...)
	}
	for _, f := range b.figures {
		all = append(all, "The figure to keep in mind is "+f+".")
	}
	if b.subject != "" {
		all = append(all, "This is about "+b.subject+".")
	}
	if len(all) < 5 {
		all = append(all, general()...)
	}
	place, when := b.places, b.when
	if place == "" {
		place = "your street"
	}
	if when == "" {
		when = "by tonight"
	}
	for i, s := range all {
		all[i] = strings.NewReplacer("{place}", place, "{when}", when).Replace(s)
	}
	return all
}

// sentences are what a model says by itself: the topic's in their order, a few left out, in
// its own manner.
func (w *writer) sentences() []string {
	all := w.b.about()
	n := w.m.takesItself + w.r.IntN(4) - 1
	if w.b.style {
		n -= 2
	}
	var out []string
	for i, s := range all {
		s = w.one(strings.Split(s, "|"))
		left, wanted := len(all)-i, n-len(out)
		if wanted > 0 && (wanted >= left || i == 0 || w.chance(float64(wanted)/float64(left)+0.25)) {
			out = append(out, s)
		}
	}
	switch {
	case w.m.longWinded && !w.b.style:
		out = slices.Concat(windy[:1], out, []string{windy[1+w.r.IntN(3)]})
	case w.m.stiff && !w.b.persona:
		for i := 0; i < len(out); i += 3 {
			out[i] = w.one(stiffly) + strings.ToLower(out[i][:1]) + out[i][1:]
		}
	}
	return out
}

// filler is one more sentence.
func (w *writer) filler() string {
	if w.m.longWinded && !w.b.style {
		return w.one(windy)
	}
	return w.one(strings.Split(w.one(general()), "|"))
}
