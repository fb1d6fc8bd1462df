package message

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestATextIsEnglishUnlessAsked(t *testing.T) {
	text := Say("there is no entry %q", "burst")
	if text.String() != `there is no entry "burst"` || fmt.Sprintf("%s|%v", text, text) != text.String()+"|"+text.String() {
		t.Errorf("it says %s", text)
	}
	if got := text.In(German); got != `es gibt keinen Eintrag "burst"` {
		t.Errorf("in German %s", got)
	}
	if got := Say("nobody has translated this %d", 3).In(French); got != "nobody has translated this 3" {
		t.Errorf("untranslated, %s", got)
	}
	data, err := json.Marshal(map[string]Text{"a": text})
	if err != nil || string(data) != `{"a":"there is no entry \"burst\""}` {
		t.Errorf("in JSON %s, %v", data, err)
	}
	var back Text
	if err := json.Unmarshal([]byte(`"busy"`), &back); err != nil || back != Plain("busy") {
		t.Errorf("back is %v, %v", back, err)
	}
}

func TestWhatIsPutInIsTranslatedToo(t *testing.T) {
	inner := Say("there is no entry %q", "burst")
	for want, got := range map[string]string{
		`Zeile 2: es gibt keinen Eintrag "burst"`: Say("line %d: %s", 2, inner).In(German),
		`Zeile 3: 10 % und Geburtstag`:            Say("line %d: %s", 3, "10 % und Geburtstag").In(German),
		`a, b et c manque`:                        Say("%s is missing", And([]string{"a", "b", "c"})).In(French),
		`der Titel fehlt`:                         Say("%s is missing", Plain("the title")).In(German),
		`3. März 2026 fehlt`:                      Say("%s is missing", Day(time.Date(2026, 3, 3, 12, 0, 0, 0, time.UTC))).In(German),
	} {
		if got != want {
			t.Errorf("it says %q, want %q", got, want)
		}
	}
}

func TestAnErrorSpeaks(t *testing.T) {
	cause := errors.New("away")
	err := Errorf("the schema cannot be read: %w", cause)
	if !errors.Is(err, cause) || err.Error() != "the schema cannot be read: away" {
		t.Errorf("it is %v", err)
	}
	if got := Of(err).In(French); got != "le schéma ne peut pas être lu\u00a0: away" {
		t.Errorf("in French %s", got)
	}
	// What was wrapped in other words says those.
	if got := Of(fmt.Errorf("because: %w", err)).In(German); got != "because: the schema cannot be read: away" {
		t.Errorf("wrapped it says %s", got)
	}
}

func TestPreferred(t *testing.T) {
	for header, want := range map[string]Language{
		"": English, "de": German, "de-AT,en;q=0.5": German, "cy, fr;q=0.8, en;q=0.5": French, "cy": English, "*": English, "x;;": English, "en-US,de;q=0.9": English,
	} {
		if got := Preferred(header); got != want {
			t.Errorf("%q prefers %s, want %s", header, got, want)
		}
	}
}

type holder struct {
	Name   string
	Said   Text
	List   []holder
	Of     map[string]*holder
	Any    any
	at     time.Time
	unseen Text
}

func TestWithin(t *testing.T) {
	text := Say("%s is missing", Plain("the title"))
	from := holder{Name: "n", Said: text, List: []holder{{Said: text}}, Of: map[string]*holder{"x": {Said: text}}, Any: text, at: time.Now(), unseen: text}
	got := Within(from, German).(holder)
	for _, said := range []Text{got.Said, got.List[0].Said, got.Of["x"].Said, got.Any.(Text)} {
		if said.String() != "der Titel fehlt" {
			t.Errorf("it says %s", said)
		}
	}
	if from.Said != text || from.List[0].Said != text || from.Of["x"].Said != text {
		t.Error("what was given has changed")
	}
	if got.Name != "n" || !got.at.Equal(from.at) {
		t.Error("something is lost")
	}
	if Within(nil, German) != nil || Within(3, French) != 3 {
		t.Error("what holds no text is not given as it is")
	}
	if Within(from, English).(holder).Said != text {
		t.Error("English is translated")
	}
}

func TestACatalogueCounts(t *testing.T) {
	few := Translation{Number: 1, Cases: map[string]string{"=1": "ein Ding", "other": "%d Dinge"}}
	if len(few.All()) != 2 {
		t.Error("cases are lost")
	}
}

// Every catalogue can be put together: each text that counts something has the case that all
// numbers fall back to, and what it counts is put in.
func TestATranslationHasAllItsCases(t *testing.T) {
	for _, l := range Languages()[1:] {
		for english, tr := range Catalogue(l) {
			if tr.Number == 0 {
				if tr.Words == "" {
					t.Errorf("%s: %q is translated by nothing", l, english)
				}
				continue
			}
			if tr.Words != "" || tr.Cases["other"] == "" || tr.Cases["one"] == "" && tr.Cases["=1"] == "" {
				t.Errorf("%s: %q lacks a case of %v", l, english, tr.Cases)
			}
		}
	}
}

func TestAWrongCatalogueIsRefused(t *testing.T) {
	for _, data := range []string{`{"x": 3}`, `{"x": {"number": "1"}}`, `{"x": ["a"]}`,
		`{"x": {"number": 1}}`, `{"x": {"number": 1, "cases": {"one": "%d Ding"}}}`, `{"x": {"cases": {"other": "%d Dinge"}}}`,
	} {
		var all map[string]Translation
		if err := json.Unmarshal([]byte(data), &all); err == nil {
			t.Errorf("%s is a catalogue: %v", data, all)
		}
	}
}

func TestACountIsSaidByItsNumber(t *testing.T) {
	for n, want := range map[int][3]string{
		0: {"0 entries", "0 Einträge", "0 entrée"},
		1: {"1 entry", "1 Eintrag", "1 entrée"},
		2: {"2 entries", "2 Einträge", "2 entrées"},
	} {
		text := Counted(n, "entry", "entries")
		if got := [3]string{text.String(), text.In(German), text.In(French)}; got != want {
			t.Errorf("it says %q, want %q", got, want)
		}
	}
}

// What is kept can be said in another language once it is read back; anybody else gets English.
func TestWhatIsKeptCanBeSaidInAnotherLanguage(t *testing.T) {
	texts := []Text{
		Say("%s is missing", Plain("the title")),
		Say("%s: %s", "Mill Lane", Errorf("%s is missing", Plain("the title"))),
		Joined("; ", Counted(3, "word", "words"), Say("grade %.1f", 8.0)),
		Plain("{\"english\": 3}"),
		{},
	}
	type holder struct{ Notes []Text }
	data, err := json.Marshal(Kept(holder{texts}))
	if err != nil {
		t.Fatal(err)
	}
	var back holder
	if err := json.Unmarshal(data, &back); err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{"der Titel fehlt", "Mill Lane: der Titel fehlt", "3 Wörter; Stufe 8,0", "{\"english\": 3}", ""} {
		if got := back.Notes[i]; got.In(German) != want || got.String() != texts[i].String() {
			t.Errorf("it says %q and %q, want %q and %q", got, got.In(German), texts[i], want)
		}
	}
	for _, v := range []holder{{texts}, back} {
		if data, err := json.Marshal(v); err != nil || strings.Contains(string(data), "format") {
			t.Errorf("everyone gets %s, %v", data, err)
		}
	}
	for _, bad := range []string{`{"english": 3}`, `{"args": {}}`, `3`} {
		if err := json.Unmarshal([]byte(bad), new(Text)); err == nil {
			t.Errorf("%s is taken for a text", bad)
		}
	}
}
