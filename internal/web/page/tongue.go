package page

import (
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"path"
	"slices"
	"sync"
	"text/template/parse"
	"time"

	"unionknot/internal/nursery/season"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/spoken"
	"unionknot/internal/words"
)

// View is a parsed page. It is English, and in the tongues that have all of its texts: a page
// is not half in one.
type View struct {
	t       *template.Template
	sources []source
	told    *sync.Map // by tongue: the page in it, nil where texts of it are missing
}

// source is a file that a page is made of.
type source struct{ name, text string }

// sourcesOf reads files that pages are made of.
func sourcesOf(files fs.FS, names ...string) (out []source) {
	for _, n := range names {
		text, err := fs.ReadFile(files, n)
		if err != nil {
			panic(fmt.Sprint("a page's file: ", err)) // they are built in
		}
		out = append(out, source{path.Base(n), string(text)})
	}
	return out
}

// in gives the page in a tongue, and in which it is: "" where the tongue has not all its texts.
func (v View) in(tongue string) (*template.Template, string) {
	if tongue == "" {
		return v.t, ""
	}
	made, ok := v.told.Load(tongue)
	if !ok {
		t, lacks := v.tell(tongue)
		if len(lacks) > 0 {
			t = nil
		}
		made, _ = v.told.LoadOrStore(tongue, t)
	}
	if t := made.(*template.Template); t != nil {
		return t, tongue
	}
	return v.t, ""
}

// tell makes the page in a tongue, and gives the texts that it has no words for.
func (v View) tell(tongue string) (t *template.Template, lacks []string) {
	t = template.New("").Funcs(funcs).Funcs(toldFuncs(tongue))
	missing := map[string][]string{}
	for _, s := range v.sources {
		told, unknown, err := spoken.Into(s.text, func(english string) (string, bool) { return words.Told(tongue, english) })
		if err == nil {
			_, err = t.New(s.name).Parse(told)
		}
		if err != nil {
			panic(fmt.Sprintf("%s in %s: %v", s.name, tongue, err)) // tried for every page by a test
		}
		maps.Copy(missing, unknown)
	}
	for name := range reached(t, "layout") {
		lacks = append(lacks, missing[name]...)
	}
	slices.Sort(lacks)
	return t, slices.Compact(lacks)
}

// reached gives the templates that one is made of, itself among them.
func reached(t *template.Template, name string) map[string]bool {
	found := map[string]bool{}
	var look func(n parse.Node)
	names := []string{name}
	look = func(n parse.Node) {
		switch n := n.(type) {
		case *parse.ListNode:
			if n == nil {
				return
			}
			for _, k := range n.Nodes {
				look(k)
			}
		case *parse.IfNode:
			look(n.List)
			look(n.ElseList)
		case *parse.RangeNode:
			look(n.List)
			look(n.ElseList)
		case *parse.WithNode:
			look(n.List)
			look(n.ElseList)
		case *parse.TemplateNode:
			names = append(names, n.Name)
		}
	}
	for len(names) > 0 {
		name, names = names[0], names[1:]
		if at := t.Lookup(name); !found[name] && at != nil {
			found[name] = true
			look(at.Tree.Root)
		}
	}
	return found
}

// toldFuncs are the page's words that are others in another tongue.
func toldFuncs(tongue string) template.FuncMap {
	on := func(layout string) func(time.Time) string {
		return func(t time.Time) string { return words.On(tongue, t, layout) }
	}
	return template.FuncMap{
		"date": on("2 Jan 2006"), "day": on("2 January"), "shortday": on("2 Jan"), "long": on("Mon 2 January"),
		"when":   func(t time.Time) string { return words.On(tongue, t.Local(), "2 Jan 15:04") },
		"band":   func(b season.Band) template.HTML { return draw.Band(b, tongue) },
		"told":   func(english string) string { return words.Tell(tongue, english) },
		"plural": func(n int, one, many string) string { return words.Counted(tongue, n, one, many) },
	}
}
