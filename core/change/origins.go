package change

// Origins says of each line of the last of some texts, the oldest first, in which
// of them it first stood as it is: an index into texts. A line that only moved
// keeps its origin; one of which any word is new has a new one.
func Origins(texts []string) []int {
	var of []int
	before := ""
	for n, text := range texts {
		next := make([]int, len(Lines(text)))
		for i := range next {
			next[i] = n
		}
		for _, l := range Texts(before, text) {
			if l.Op == Same || l.Op == Moved {
				next[l.New-1] = of[l.Old-1]
			}
		}
		of, before = next, text
	}
	return of
}
