package wordnet

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

// small is a WordNet of a few words, with the head that the files have. A refund is a
// payment, as a recompense is; an allowance is a recompense; to refund is to pay back.
func small() Words {
	const head = "  1 This is the licence.  \n  2 It is indented.  \n"
	w := Words{Index: map[string]File{}, Data: map[string]File{}}
	synsets := []struct {
		part, words, pointers string // pointers name others of the list: symbol, number
	}{
		{"noun", "payment", "~1 ~2"},
		{"noun", "refund repayment", "@0 +4"},
		{"noun", "recompense", "@0 ~3"},
		{"noun", "allowance", "@2"},
		{"verb", "refund pay_back", "+1"},
		{"adj", "broken(a)", "&6"},
		{"adj", "damaged", "&5"},
	}
	// Offsets depend on lengths, and these on no offset: all are eight digits.
	line := func(i int, offsets []int) string {
		s := synsets[i]
		words := strings.Fields(s.words)
		out := fmt.Sprintf("%08d 04 n %02x", offsets[i], len(words))
		for _, word := range words {
			out += " " + word + " 0"
		}
		pointers := strings.Fields(s.pointers)
		out += fmt.Sprintf(" %03d", len(pointers))
		for _, p := range pointers {
			to := int(p[1] - '0')
			out += fmt.Sprintf(" %s %08d %s 0000", p[:1], offsets[to], map[string]string{"noun": "n", "verb": "v", "adj": "s"}[synsets[to].part])
		}
		return out + " | a gloss | with a bar\n"
	}
	offsets, data := make([]int, len(synsets)), map[string]string{}
	for _, part := range parts {
		data[part] = head
	}
	for i, s := range synsets {
		offsets[i] = len(data[s.part])
		data[s.part] += line(i, offsets)
	}
	index := map[string]map[string][]string{}
	for i, s := range synsets {
		if index[s.part] == nil {
			index[s.part] = map[string][]string{}
		}
		for _, word := range strings.Fields(s.words) {
			word = strings.TrimSuffix(word, "(a)")
			index[s.part][word] = append(index[s.part][word], fmt.Sprintf("%08d", offsets[i]))
		}
	}
	for _, part := range parts {
		text := head
		data[part] = head
		for i, s := range synsets {
			if s.part == part {
				data[part] += line(i, offsets)
			}
		}
		for _, word := range sortedKeys(index[part]) {
			of := index[part][word]
			text += fmt.Sprintf("%s n %d 2 @ ~ %d 0 %s  \n", word, len(of), len(of), strings.Join(of, " "))
		}
		w.Index[part] = file(text)
		w.Data[part] = file(data[part])
	}
	return w
}

func sortedKeys(m map[string][]string) (keys []string) {
	for k := range m {
		keys = append(keys, k)
		for i := len(keys) - 1; i > 0 && keys[i] < keys[i-1]; i-- {
			keys[i], keys[i-1] = keys[i-1], keys[i]
		}
	}
	return keys
}

func file(text string) File { return File{strings.NewReader(text), int64(len(text))} }

func TestNear(t *testing.T) {
	t.Parallel()
	w := small()
	for word, want := range map[string]string{
		"payment":   "refund 1.00, repayment 1.00, recompense 1.00, allowance 2.00",
		"allowance": "recompense 1.00, payment 2.00",
		"refunds":   "refund 0.05, repayment 0.05, pay_back 0.05, payment 1.05, recompense 2.05",
		"repayment": "refund 0.00, pay_back 0.25, payment 1.00, recompense 2.00",
		"damaged":   "broken 0.70",
		"helicop":   "",
		"":          "",
		"1":         "",
	} {
		near, err := w.Near(word)
		got := map[string]string{}
		for _, n := range near {
			got[n.Word] = fmt.Sprintf("%.2f", n.Cost)
		}
		wanted := map[string]string{}
		for part := range strings.SplitSeq(want, ", ") {
			if name, cost, is := strings.Cut(part, " "); is {
				wanted[name] = cost
			}
		}
		if err != nil || fmt.Sprint(got) != fmt.Sprint(wanted) {
			t.Errorf("near %q are %v, %v; want %v", word, got, err, wanted)
		}
	}
}

// Files that are none of WordNet's, or are cut short, are an error, not a wrong answer.
func TestDamagedFiles(t *testing.T) {
	t.Parallel()
	for name, damage := range map[string]func(*Words){
		"an index without numbers": func(w *Words) { w.Index["noun"] = file("refund n many\n") },
		"offsets that are none":    func(w *Words) { w.Index["noun"] = file("refund n 1 1 @ 1 0 12x45678  \n") },
		"data that is cut short":   func(w *Words) { w.Data["noun"] = file(strings.Repeat("x", 50)) },
		"data that is of another":  func(w *Words) { w.Data["noun"] = file(strings.Repeat("00000000 zz n zz\n", 90)) },
		"a disk that fails":        func(w *Words) { w.Data["noun"] = File{failing{}, 1 << 20} },
	} {
		w := small()
		damage(&w)
		if near, err := w.Near("refund"); err == nil {
			t.Errorf("%s: %v and no error", name, near)
		}
	}
}

type failing struct{}

func (failing) ReadAt([]byte, int64) (int, error) { return 0, errors.New("the disk is gone") }

var _ io.ReaderAt = failing{}
