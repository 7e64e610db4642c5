// Package spoken puts templates into other tongues before they are parsed. What is translated
// is the English text as it stands in a template, so that templates are read as plain pages,
// with no call around each text and no key beside it. A text reaches from one block of the page
// to the next. What is worked out within it stands as {1}, {2}, a part of it that is only there
// sometimes too, and a tag with attributes as <a3>, so that another tongue can have an order of
// its own: <b>{{.Tied}}</b> of {{.Planned}} tied is the text "<b>{1}</b> of {2} tied".
package spoken

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// Teller gives an English text in another tongue; false: there is none.
type Teller func(english string) (string, bool)

// Into gives a template's source with its texts as tell says them, and those that it did not
// know, by the template of the source in which they stand, in its order. What it does not know
// stays English. An error is a source that cannot be read, or a text that is told with other
// figures or tags than it has.
func Into(source string, tell Teller) (told string, unknown map[string][]string, err error) {
	items, rest, err := read(scan(source))
	if err != nil {
		return "", nil, err
	}
	if len(rest) > 0 {
		return "", nil, fmt.Errorf("%s closes nothing", rest[0])
	}
	t := teller{tell: tell, unknown: map[string][]string{}}
	told = t.all(items)
	return told, t.unknown, t.err
}

// inline are the tags that a text goes on through.
var inline = map[string]bool{"a": true, "b": true, "i": true, "em": true, "strong": true, "span": true, "small": true, "s": true,
	"sup": true, "sub": true, "kbd": true, "abbr": true, "code": true, "br": true}

// parts are the templates that stand within a text.
var parts = regexp.MustCompile(`^\{\{-? *template "(fig|says)"`)

// item is a piece of a template: characters, a tag, an action, or a branch with its ways.
type item struct {
	raw   string   // of all but a branch
	tag   string   // a tag's name, with / before it where it closes
	ways  [][]item // a branch's
	marks []string // the actions before each way, and the one that ends the branch
}

// scan cuts a template's source into characters, tags and actions. A tag that a branch of the
// page opens and another closes is cut where the branch is.
func scan(s string) (raw []string) {
	for s != "" {
		n := 0
		switch {
		case strings.HasPrefix(s, "{{"):
			n = action(s)
		case tagName(s) != "":
			n = tag(s)
		default:
			for n = 1; n < len(s) && !strings.HasPrefix(s[n:], "{{") && tagName(s[n:]) == ""; n++ {
			}
		}
		raw, s = append(raw, s[:n]), s[n:]
	}
	return raw
}

// action gives the length of the action that s begins with.
func action(s string) int {
	var quote byte
	for i := 2; i < len(s); i++ {
		switch c := s[i]; {
		case quote != 0:
			if c == '\\' && quote == '"' {
				i++
			} else if c == quote {
				quote = 0
			}
		case c == '"' || c == '`':
			quote = c
		case strings.HasPrefix(s[i:], "}}"):
			return i + 2
		}
	}
	return len(s)
}

// tag gives the length of the tag that s begins with, whole branches in it included.
func tag(s string) int {
	var quote byte
	depth := 0
	for i := 1; i < len(s); i++ {
		switch c := s[i]; {
		case strings.HasPrefix(s[i:], "{{"):
			n := action(s[i:])
			switch word := keyword(s[i : i+n]); {
			case opens[word]:
				depth++
			case word == "end":
				depth--
			}
			if depth < 0 || depth == 0 && keyword(s[i:i+n]) == "else" {
				return i
			}
			i += n - 1
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>':
			return i + 1
		}
	}
	return len(s)
}

var (
	named   = regexp.MustCompile(`^<(/?[a-zA-Z][a-zA-Z0-9]*|!)`)
	worded  = regexp.MustCompile(`^\{\{-?\s*([a-z]+)`)
	declare = regexp.MustCompile(`^\{\{-?\s*(\$\w+\s*(,\s*\$\w+\s*)?:?=|/\*)`)
	defined = regexp.MustCompile(`^\{\{-?\s*(?:define|block)\s+"([^"]*)"`)
	opens   = map[string]bool{"if": true, "range": true, "with": true, "define": true, "block": true}
)

func tagName(s string) string {
	if m := named.FindStringSubmatch(s); m != nil {
		return m[1]
	}
	return ""
}

func keyword(action string) string {
	if m := worded.FindStringSubmatch(action); m != nil {
		return m[1]
	}
	return ""
}

// read makes items of what was scanned, as far as the branch goes that it stands in; rest
// begins with what ends the way.
func read(raw []string) (items []item, rest []string, err error) {
	for len(raw) > 0 {
		s := raw[0]
		if !strings.HasPrefix(s, "{{") {
			items, raw = append(items, item{raw: s, tag: tagName(s)}), raw[1:]
			continue
		}
		word := keyword(s)
		if word == "else" || word == "end" {
			return items, raw, nil
		}
		raw = raw[1:]
		if !opens[word] {
			items = append(items, item{raw: s})
			continue
		}
		b := item{marks: []string{s}}
		for end := false; !end; {
			var way []item
			if way, raw, err = read(raw); err != nil {
				return nil, nil, err
			}
			if len(raw) == 0 {
				return nil, nil, fmt.Errorf("%s has no end", s)
			}
			b.ways, b.marks = append(b.ways, way), append(b.marks, raw[0])
			end, raw = keyword(raw[0]) == "end", raw[1:]
		}
		items = append(items, b)
	}
	return items, nil, nil
}

// flows says whether an item stands within a text: no block of the page, nothing that only names
// a value, and of a branch only what flows itself.
func (it item) flows() bool {
	switch {
	case it.marks != nil:
		if word := keyword(it.marks[0]); word == "define" || word == "block" {
			return false
		}
		return !slices.ContainsFunc(it.ways, func(way []item) bool {
			return slices.ContainsFunc(way, func(k item) bool { return !k.flows() && !declare.MatchString(k.raw) })
		})
	case it.tag != "":
		return inline[strings.TrimPrefix(it.tag, "/")]
	case it.written():
		return true
	case keyword(it.raw) == "template":
		return parts.MatchString(it.raw)
	}
	return !declare.MatchString(it.raw) && keyword(it.raw) != "break" && keyword(it.raw) != "continue"
}

type teller struct {
	tell    Teller
	within  string // the template that is told
	unknown map[string][]string
	err     error
}

// all tells items, one text after the other.
func (t *teller) all(items []item) string {
	var b strings.Builder
	for len(items) > 0 {
		n := slices.IndexFunc(items, func(k item) bool { return !k.flows() })
		if n < 0 {
			n = len(items)
		}
		b.WriteString(t.text(items[:n]))
		if items = items[n:]; len(items) > 0 {
			b.WriteString(t.one(items[0]))
			items = items[1:]
		}
	}
	return b.String()
}

// each tells items one by one, and what is written as it is.
func (t *teller) each(items []item) string {
	var b strings.Builder
	for _, it := range items {
		b.WriteString(t.one(it))
	}
	return b.String()
}

// one tells a single item.
func (t *teller) one(it item) string {
	if it.marks == nil {
		if it.tag != "" {
			return t.attributes(it.raw)
		}
		return it.raw
	}
	if m := defined.FindStringSubmatch(it.marks[0]); m != nil {
		outer := t.within
		t.within = m[1]
		defer func() { t.within = outer }()
	}
	var b strings.Builder
	for i, way := range it.ways {
		b.WriteString(it.marks[i])
		b.WriteString(t.all(way))
	}
	b.WriteString(it.marks[len(it.marks)-1])
	return b.String()
}

// heard finds the attributes that people read or hear.
var heard = regexp.MustCompile(`(\s(?:aria-label|placeholder|title|alt|data-text-[a-z]+)=")((?:[^"{]|\{\{(?:[^}"]|"[^"]*")*\}\}|\{)*)(")`)

// attributes tells those of a tag's attributes that people read or hear.
func (t *teller) attributes(raw string) string {
	return heard.ReplaceAllStringFunc(raw, func(s string) string {
		m := heard.FindStringSubmatch(s)
		items, rest, err := read(scan(m[2]))
		if err != nil || len(rest) > 0 {
			return s // a part of a branch: it is left as it is
		}
		return m[1] + t.all(items) + m[3]
	})
}

var (
	spaces = regexp.MustCompile(`\s+`)
	marked = regexp.MustCompile(`\{\d+\}|</?[a-zA-Z][a-zA-Z0-9]*>`)
)

// written says whether an item is characters of the page.
func (it item) written() bool {
	return it.marks == nil && it.tag == "" && !strings.HasPrefix(it.raw, "{{")
}

// blank says whether an item is white space.
func (it item) blank() bool {
	return it.marks == nil && it.tag == "" && strings.TrimSpace(it.raw) == ""
}

// wrapped gives the items within a pair of tags that holds all of them; 0, 0 where none does.
func wrapped(items []item) (from, to int) {
	first := slices.IndexFunc(items, func(it item) bool { return !it.blank() })
	if first < 0 || items[first].tag == "" || items[first].tag[0] == '/' || items[first].tag == "br" {
		return 0, 0
	}
	depth := 0
	for i := first; i < len(items); i++ {
		switch tag := items[i].tag; {
		case tag == "" || tag == "br":
		case tag[0] == '/':
			depth--
		default:
			depth++
		}
		if depth == 0 {
			if slices.ContainsFunc(items[i+1:], func(it item) bool { return !it.blank() }) {
				return 0, 0
			}
			return first + 1, i
		}
	}
	return 0, 0
}

// text tells one text: what stands between two blocks of the page, and within tags that hold
// all of it.
func (t *teller) text(items []item) string {
	if slices.ContainsFunc(items, func(it item) bool { return it.written() && marked.MatchString(it.raw) }) {
		return t.each(items) // what has the look of a mark is left as it is
	}
	if from, to := wrapped(items); to > 0 {
		return t.each(items[:from]) + t.text(items[from:to]) + t.each(items[to:])
	}
	var key strings.Builder
	stands := map[string]string{} // what a mark of the text stands for
	letters := false
	n := 0
	var open []string
	for _, it := range items {
		mark := ""
		switch {
		case it.written():
			letters = letters || strings.ContainsFunc(it.raw, unicode.IsLetter)
			key.WriteString(it.raw)
			continue
		case it.tag == "":
			n++
			mark = fmt.Sprintf("{%d}", n)
		case it.tag[0] == '/':
			mark = "<" + it.tag + ">"
			if k := len(open) - 1; k >= 0 {
				mark, open = "</"+open[k]+">", open[:k]
			}
		case it.raw == "<"+it.tag+">":
			if mark = it.raw; it.tag != "br" {
				open = append(open, it.tag)
			}
		default:
			n++
			name := fmt.Sprint(it.tag, n)
			mark, open = "<"+name+">", append(open, name)
		}
		stands[mark] = t.one(it)
		key.WriteString(mark)
	}
	said := key.String()
	english := strings.TrimSpace(spaces.ReplaceAllString(said, " "))
	if letters {
		if told, ok := t.tell(english); !ok {
			t.unknown[t.within] = append(t.unknown[t.within], english)
		} else if err := same(english, told); err != nil {
			t.err = err
		} else {
			before := said[:len(said)-len(strings.TrimLeftFunc(said, unicode.IsSpace))]
			after := said[len(strings.TrimRightFunc(said, unicode.IsSpace)):]
			said = before + told + after
		}
	}
	return marked.ReplaceAllStringFunc(said, func(m string) string {
		if is, ok := stands[m]; ok {
			return is
		}
		return m
	})
}

// same says whether a text is told with what stands in it, each once.
func same(english, told string) error {
	a, b := marked.FindAllString(english, -1), marked.FindAllString(told, -1)
	slices.Sort(a)
	slices.Sort(b)
	if !slices.Equal(a, b) || strings.Contains(told, "{{") {
		return fmt.Errorf("%q is told as %q, with other figures or tags", english, told)
	}
	return nil
}
