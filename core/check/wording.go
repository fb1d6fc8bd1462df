package check

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/unicode/norm"
)

func wordingRules() []Rule {
	return []Rule{
		{ID: "left-over", Severity: Stop, About: "What was to be filled in or done before anyone saw it: `[topic]`, TODO, xxx, lorem ipsum.",
			Fires: "TODO say what the next step is", Quiet: "Say what the next step is.", find: func(r *reading) {
				r.each(leftOvers, func(start, end int) {
					found := r.body[start:end]
					if strings.HasPrefix(found, "[") {
						if strings.HasPrefix(r.body[end:], "(") || strings.HasPrefix(r.body[end:], "[") || strings.HasPrefix(r.body[end:], ":") {
							return // a link, or the address of one
						}
						r.sayAt(start, end, "%s is a place to fill in that no form asks for. Make it a blank, or take it out.", found)
						return
					}
					r.sayAt(start, end, "“%s” was left over. Finish it, or take it out.", found)
				})
			}},
		{ID: "vague-word", Severity: Warning, About: "Words that leave the choice to the model: it chooses differently every time. Of English, German and French.",
			Fires: "Keep valve numbers as appropriate.", Quiet: "Keep every valve number.", find: func(r *reading) {
				base, _, _ := strings.Cut(strings.ToLower(r.Language), "-")
				words, known := vague[cmp.Or(base, "en")]
				if !known {
					return
				}
				r.each(words, func(start, end int) {
					r.sayAt(start, end, "“%s” leaves the choice to the model. Say which, how many or when.", r.body[start:end])
				})
			}},
		{ID: "word-to-avoid", Severity: Warning, About: "Words that the house has decided against; the policy lists them.",
			Fires: "a word of the policy's list", Quiet: "another word for it", find: func(r *reading) {
				for _, w := range r.policy.Avoid {
					w = strings.ToLower(strings.TrimSpace(w))
					if !strings.Contains(r.lower, w) {
						continue
					}
					expression := regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(w) + `\b`)
					r.each(pattern{expression: expression}, func(start, end int) {
						r.sayAt(start, end, "“%s” is on the house's list of words to avoid. Say it otherwise.", r.body[start:end])
					})
				}
			}},
	}
}

// pattern is an expression with what a text must hold, in lower case, for it to
// match at all: looking for that is much quicker than matching.
type pattern struct {
	expression *regexp.Regexp
	hints      []string // one of these, unless there are none
	digits     int      // and so many digits
}

func (p pattern) may(lower string) bool {
	if p.digits > 0 && countDigits(lower) < p.digits {
		return false
	}
	return len(p.hints) == 0 || slices.ContainsFunc(p.hints, func(h string) bool { return strings.Contains(lower, h) })
}

func countDigits(s string) int {
	n := 0
	for i := range len(s) {
		if '0' <= s[i] && s[i] <= '9' {
			n++
		}
	}
	return n
}

var (
	leftOvers = pattern{hints: []string{"todo", "fixme", "tbd", "xxx", "lorem", "???", "["}, expression: regexp.MustCompile(`(?i)\b(?:todo|fixme|tbd|xxx+|lorem(?: ipsum)?)\b|\?{3,}|\[[a-z][a-z _-]{1,38}\]`)}
	// vague has the words of each language that is known.
	vague = map[string]pattern{"en": {hints: []string{"some", "etc", "and so on", "appropriate", "as needed", "as necessary", "where relevant", "if possible", "various", "a few", "several", "stuff", "reasonable", "properly"}, expression: regexp.MustCompile(`(?i)\b(?:some|etc\.?|and so on|as appropriate|if appropriate|as needed|as necessary|where relevant|if possible|various|a few|several|stuff|reasonable|properly|somehow)(?:\b|$)`)},
		"de": {hints: []string{"einige", "etc", "usw", "angemessen", "bei bedarf", "falls nötig", "wenn möglich", "gegebenenfalls", "ggf", "verschiedene", "mehrere", "irgendwie", "sinnvoll"}, expression: regexp.MustCompile(`(?i)\b(?:einigen?|etc\.?|usw\.?|angemessen|bei Bedarf|falls nötig|wenn möglich|gegebenenfalls|ggf\.?|verschiedenen?|mehreren?|irgendwie|sinnvoll)(?:\b|$)`)},
		"fr": {hints: []string{"quelques", "etc", "si possible", "si besoin", "au besoin", "le cas échéant", "diverses", "divers", "plusieurs", "approprié", "raisonnable", "en quelque sorte"}, expression: regexp.MustCompile(`(?i)\b(?:quelques|etc\.?|si possible|si besoin|au besoin|le cas échéant|diverse?s|plusieurs|raisonnable|en quelque sorte)(?:\b|$)|\bde manière appropriée`)},
	}
)

// each visits where an expression matches the prose of the body: not in marks
// and not between fences.
func (r *reading) each(p pattern, visit func(start, end int)) {
	if !p.may(r.lower) {
		return
	}
	for _, at := range p.expression.FindAllStringIndex(r.prose, -1) {
		visit(at[0], at[1])
	}
}

func secretRules() []Rule {
	return []Rule{
		{ID: "secret", Severity: Stop, About: "Keys, tokens and passwords do not belong in a text that everyone may read.",
			Fires: "password: hunter2hunter2", Quiet: "Ask for the password.", find: func(r *reading) {
				r.anywhere(secrets, func(field, match string, start, end int) {
					r.sayIn(field, start, end, "This looks like a key, token or password. Take it out, and have it changed: others may have read it.")
				})
			}},
		{ID: "card-number", Severity: Stop, About: "A number of 13 to 19 digits with the check digit of a payment card (Luhn's formula, ISO/IEC 7812-1).",
			Fires: "4539 1488 0343 6467", Quiet: "4539 1488 0343 6468", find: func(r *reading) {
				r.anywhere(longNumbers, func(field, match string, start, end int) {
					if isCard(match) {
						r.sayIn(field, start, end, "This looks like the number of a payment card. Take it out, or use one that cannot be real.")
					}
				})
			}},
		{ID: "mail-address", Severity: Warning, About: "An address of a person is personal data; a blank asks for it where it is needed.",
			Fires: "write to wren@larkfen.example", Quiet: "write to {{address}}", find: func(r *reading) {
				r.anywhere(mails, func(field, match string, start, end int) {
					r.sayIn(field, start, end, "%s is a mail address. Make it a blank, unless everyone may have it.", match)
				})
			}},
		{ID: "phone-number", Severity: Warning, About: "A phone number is personal data, or goes out of date; a snippet keeps the company's own.",
			Fires: "call 0555 010 4477", Quiet: "call {{phone}}", find: func(r *reading) {
				r.anywhere(phones, func(field, match string, start, end int) {
					if isPhone(match) {
						r.sayIn(field, start, end, "%s looks like a phone number. Make it a blank, or include the snippet that keeps it.", strings.TrimSpace(match))
					}
				})
			}},
	}
}

var (
	secrets     = pattern{hints: []string{"private key", "pass", "secret", "key", "token", "sk-", "pk-", "ghp_", "gho_", "xox", "akia", "eyj"}, expression: regexp.MustCompile(`-----BEGIN [A-Z ]*PRIVATE KEY-----|(?i:\b(?:password|passwd|secret|api[_ -]?key|access[_ -]?token|token)\b)\s*[:=]\s*["']?[A-Za-z0-9+/_\-.]{8,}|\b(?:sk-|pk-|ghp_|gho_|xox[bap]-|AKIA)[-_A-Za-z0-9]{16,}\b|\beyJ[A-Za-z0-9_-]{10,}\.[A-Za-z0-9_-]{10,}\.[A-Za-z0-9_-]{5,}`)}
	longNumbers = pattern{digits: 13, expression: regexp.MustCompile(`\b\d(?:[ -]?\d){12,18}\b`)}
	mails       = pattern{hints: []string{"@"}, expression: regexp.MustCompile(`\b[A-Za-z0-9._%+-]+@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+\b`)}
	phones      = pattern{digits: 9, expression: regexp.MustCompile(`(?:\+|\b0)\d(?:[ ()/-]{0,2}\d){7,12}\b`)}
)

// Private returns a stretch of a text that is a secret or personal data: what the rules about
// secrets, payment cards, mail addresses and phone numbers look for, mail addresses with a
// written "at", bank account numbers (IBAN, ISO 13616, with their check digits) and British
// national insurance numbers. The text is compared in its compatibility form (Unicode NFKC)
// and without characters of no width. It returns nothing where there is none.
func Private(text string) string {
	text = plainForm(text)
	lower := strings.ToLower(text)
	for _, look := range []struct {
		pattern
		is func(string) bool
	}{
		{secrets, anyMatch}, {mails, anyMatch}, {writtenMails, anyMatch}, {ibans, isIBAN}, {insuranceNumbers, anyMatch},
		{longNumbers, isCard}, {phones, isPhone},
	} {
		if !look.may(lower) {
			continue
		}
		for _, found := range look.expression.FindAllString(text, -1) {
			if look.is(found) {
				return found
			}
		}
	}
	return ""
}

func anyMatch(string) bool { return true }

var (
	writtenMails = pattern{hints: []string{"at]", "at)", "at}", "at>", "at "}, expression: regexp.MustCompile(
		`(?i)\b[a-z0-9._%+-]+\s*(?:\[\s*at\s*\]|\(\s*at\s*\)|\{\s*at\s*\}|<\s*at\s*>)\s*[a-z0-9-]+(?:\s*(?:\.|\[\s*dot\s*\]|\(\s*dot\s*\)|\{\s*dot\s*\}|\bdot\b)\s*[a-z0-9-]+)+`)}
	ibans            = pattern{digits: 6, expression: regexp.MustCompile(`(?i)\b[a-z]{2}\d{2}(?:[ -]?[a-z0-9]){11,34}`)}
	insuranceNumbers = pattern{digits: 6, expression: regexp.MustCompile(`(?i)\b[a-ceghj-prtw-z][a-ceghj-nprtw-z][ -]?\d{2}[ -]?\d{2}[ -]?\d{2}[ -]?[a-d]\b`)}
)

// noWidth takes out what is not seen: characters that join or part others without a width of
// their own, and soft hyphens.
var noWidth = runes.Remove(runes.Predicate(func(r rune) bool { return unicode.Is(unicode.Cf, r) || r == '\u034f' }))

// plainForm is a text as it reads, whichever characters it is written with.
func plainForm(text string) string {
	return norm.NFKC.String(noWidth.String(norm.NFKC.String(text)))
}

// ibanLengths are how many characters a bank account number has, by country (ISO 13616-1).
var ibanLengths = map[string]int{
	"AD": 24, "AE": 23, "AL": 28, "AT": 20, "AZ": 28, "BA": 20, "BE": 16, "BG": 22, "BH": 22, "BR": 29, "BY": 28, "CH": 21, "CR": 22, "CY": 28,
	"CZ": 24, "DE": 22, "DK": 18, "DO": 28, "EE": 20, "EG": 29, "ES": 24, "FI": 18, "FO": 18, "FR": 27, "GB": 22, "GE": 22, "GI": 23, "GL": 18,
	"GR": 27, "GT": 28, "HR": 21, "HU": 28, "IE": 22, "IL": 23, "IQ": 23, "IS": 26, "IT": 27, "JO": 30, "KW": 30, "KZ": 20, "LB": 28, "LC": 32,
	"LI": 21, "LT": 20, "LU": 20, "LV": 21, "MC": 27, "MD": 24, "ME": 22, "MK": 19, "MR": 27, "MT": 31, "MU": 30, "NL": 18, "NO": 15, "PK": 24,
	"PL": 28, "PS": 29, "PT": 25, "QA": 29, "RO": 24, "RS": 22, "SA": 24, "SC": 31, "SE": 24, "SI": 19, "SK": 24, "SM": 27, "ST": 25, "SV": 28,
	"TL": 23, "TN": 24, "TR": 26, "UA": 29, "VA": 22, "VG": 24, "XK": 20,
}

// isIBAN reports whether a match begins with a bank account number: it has the length of its
// country, and its check digits (ISO 13616-1, ISO 7064 MOD 97-10) are right: with its first four
// characters moved to its end and letters as 10 to 35, the remainder by 97 is 1.
func isIBAN(match string) bool {
	match = strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(match))
	length := ibanLengths[match[:2]]
	if length == 0 || len(match) < length {
		return false
	}
	rest := 0
	for _, c := range match[4:length] + match[:4] {
		if c >= '0' && c <= '9' {
			rest = (rest*10 + int(c-'0')) % 97
		} else {
			rest = (rest*100 + int(c-'A') + 10) % 97
		}
	}
	return rest == 1
}

// isPhone says whether digits can be a phone number.
func isPhone(match string) bool {
	digits := onlyDigits(match)
	return len(digits) >= 9 && len(digits) <= 13 && !isCard(match)
}

// anywhere visits where an expression matches in any text of the entry, fenced
// or not: samples and options are read by everyone too.
func (r *reading) anywhere(p pattern, visit func(field, match string, start, end int)) {
	look := func(field, text string) {
		if !p.may(strings.ToLower(text)) {
			return
		}
		for _, at := range p.expression.FindAllStringIndex(text, -1) {
			visit(field, text[at[0]:at[1]], at[0], at[1])
		}
	}
	look("/title", r.Title)
	look("/summary", r.Summary)
	look("/body", r.body)
	for i, b := range r.Blanks {
		at := "/blanks/" + itoa(i)
		look(at+"/ask", b.Ask)
		look(at+"/hint", b.Hint)
		look(at+"/default", b.Default.String())
		look(at+"/sample", b.Sample.String())
	}
}

// sayIn is sayAt for any field.
func (r *reading) sayIn(field string, start, end int, format string, args ...any) {
	if field == "/body" {
		r.sayAt(start, end, format, args...)
		return
	}
	r.say(field, format, args...)
}

func onlyDigits(s string) string {
	return strings.Map(func(c rune) rune {
		if c < '0' || c > '9' {
			return -1
		}
		return c
	}, s)
}

// isCard works out Luhn's check digit (ISO/IEC 7812-1, annex B): from the right,
// every second digit counts double, less 9 where that has two digits, and the
// sum is a multiple of ten.
func isCard(s string) bool {
	digits := onlyDigits(s)
	if len(digits) < 13 || len(digits) > 19 || strings.Count(digits, digits[:1]) == len(digits) {
		return false
	}
	sum := 0
	for i, c := range slices.Backward([]byte(digits)) {
		d := int(c - '0')
		if (len(digits)-1-i)%2 == 1 {
			if d *= 2; d > 9 {
				d -= 9
			}
		}
		sum += d
	}
	return sum%10 == 0
}
