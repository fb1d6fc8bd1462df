package fill

import "strings"

// fault records what is wrong with the mark under way, unless something is
// already known to be.
func (p *parser) fault(offset int, code, format string, args ...any) {
	if !p.faulty {
		p.faults.Add(offset, code, format, args...)
	}
	p.faulty = true
}

func (p *parser) fail(offset int, code, format string, args ...any) state {
	p.fault(offset, code, format, args...)
	if code == "mark" {
		p.excused++ // an unknown word may have been meant to open a block
	}
	return p.recover()
}

// failOpen is fail for a mark that would have opened a block: the end that
// belongs to it is not a second fault.
func (p *parser) failOpen(offset int, code, format string, args ...any) state {
	p.excused++
	return p.fail(offset, code, format, args...)
}

func (p *parser) unclosed() state {
	return p.fail(p.open, "unclosed", "found no }} for this {{ on its line; close the mark, or write {{\"{{\"}} for two braces")
}

func (p *parser) unended(b block) {
	what := "if"
	if b.repeat != nil {
		what = "each"
	}
	p.faults.Add(b.pos, what, "found no {{end}} for this %s; add one where it should stop", what)
}

// recover goes on after a faulty mark: past the braces that close it, counting
// marks inside it, or at the end of its line.
func (p *parser) recover() state {
	depth := 1
	i := p.open + 2
	for i < len(p.src) && p.src[i] != '\n' && depth > 0 {
		switch {
		case strings.HasPrefix(p.src[i:], "{{"):
			depth++
			i += 2
		case strings.HasPrefix(p.src[i:], "}}"):
			depth--
			i += 2
		default:
			i++
		}
	}
	p.pos, p.from = i, i
	return scanText
}

// skip passes over a well-formed mark that belongs to a faulty one.
func (p *parser) skip() state {
	p.pos, p.from = p.at+2, p.at+2
	return scanText
}
