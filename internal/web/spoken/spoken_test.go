package spoken_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/web/spoken"
)

// nothing knows no text.
func nothing(string) (string, bool) { return "", false }

// TestWhereATextBeginsAndEnds: what a tongue is asked for, in the order of the page.
func TestWhereATextBeginsAndEnds(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		source string
		texts  []string
	}{
		"blocks":           {`<p>One text.</p><p>Another.</p>`, []string{"One text.", "Another."}},
		"lines":            {"<p>One text\n  on two lines.</p>", []string{"One text on two lines."}},
		"figures":          {`<td>{{.Tied}} of {{.Planned}} tied</td>`, []string{"{1} of {2} tied"}},
		"figures alone":    {`<td>{{.Tied}} / {{.Planned}}</td>`, nil},
		"bare tags":        {`<p><b>{{.Tied}}</b> tied</p>`, []string{"<b>{1}</b> tied"}},
		"tags":             {`<p>Go to <a href="/x?{{.Q}}">the list</a>.</p>`, []string{"Go to <a1>the list</a1>."}},
		"wrapped":          {`<p> <a class="button" href="/x">The list</a> </p>`, []string{"The list"}},
		"nested":           {`<p>a <a href="/x">b <i id="y">c</i></a> d</p>`, []string{"a <a1>b <i2>c</i2></a1> d"}},
		"now and then":     {`<p>It opens{{if .Soon}} soon{{end}}.</p>`, []string{"soon", "It opens{1}."}},
		"one or the other": {`<p>{{if .A}}Yes{{else if .B}}Perhaps{{else}}No{{end}}</p>`, []string{"Yes", "Perhaps", "No"}},
		"blocks now and then": {`<p>Above</p>{{range .L}}<p>Each {{.}}</p>{{else}}<p>None</p>{{end}}<p>Below</p>`,
			[]string{"Above", "Each {1}", "None", "Below"}},
		"names":      {`{{$x := .X}}<p>{{$y := 3}}It is {{$x}}</p>{{/* not this */}}`, []string{"It is {1}"}},
		"attributes": {`<input placeholder="Find it" value="not this" aria-label="{{.N}} taken">`, []string{"Find it", "{1} taken"}},
		"an attribute within": {`<p>Wipe <a title="Where it lies" href="/x">the knife</a></p>`,
			[]string{"Where it lies", "Wipe <a1>the knife</a1>"}},
		"a tag that is now and then more": {`<option value="{{.ID}}"{{if .On}} selected{{end}}>The same</option>`, []string{"The same"}},
		"a tag that a branch opens":       {`{{if .A}}<p class="a">{{else}}<p>{{end}}Text</p>`, []string{"Text"}},
		"signs in what is done": {`<p>{{if gt (len .A) 3}}More{{end}} {{"<b>}}"}} than "{{.B}}"</p>`,
			[]string{"More", `{1} {2} than "{3}"`}},
	} {
		t.Run(name, func(t *testing.T) {
			var asked []string
			told, unknown, err := spoken.Into(c.source, func(english string) (string, bool) {
				asked = append(asked, english)
				return "", false
			})
			require.NoError(t, err)
			assert.Equal(t, c.source, told, "what nobody knows stays as it is")
			assert.ElementsMatch(t, c.texts, asked)
			assert.Equal(t, len(c.texts), len(unknown[""]))
		})
	}
}

// TestATextIsToldInAnotherOrder: figures, links and parts go where another tongue has them.
func TestATextIsToldInAnotherOrder(t *testing.T) {
	t.Parallel()
	say := map[string]string{
		"{1} of {2} <a3>tied</a3>{4}.": "<a3>atados</a3>: {1}, de {2}{4}.",
		", late":                       ", tarde",
		"Find it":                      "Busque",
	}
	told, unknown, err := spoken.Into(`{{define "x"}}<p>
  {{.A}} of {{.B}} <a href="/{{.C}}" title="Find it">tied</a>{{if .L}}, late{{end}}. </p>{{end}}`,
		func(english string) (string, bool) { s, ok := say[english]; return s, ok })
	require.NoError(t, err)
	assert.Empty(t, unknown)
	assert.Equal(t, `{{define "x"}}<p>
  <a href="/{{.C}}" title="Busque">atados</a>: {{.A}}, de {{.B}}{{if .L}}, tarde{{end}}. </p>{{end}}`, told)
}

// TestWhatIsToldWronglyIsAFault: a figure lost or doubled, a tag that is not there, an action.
func TestWhatIsToldWronglyIsAFault(t *testing.T) {
	t.Parallel()
	for _, told := range []string{"de {2}", "{1} {1} {2}", "{1} de {2} <b>x</b>", "{1} de {2} {{.X}}", "{1} de {3}"} {
		_, _, err := spoken.Into(`<p>{{.A}} of {{.B}}</p>`, func(string) (string, bool) { return told, true })
		assert.Error(t, err, told)
	}
	for _, source := range []string{`{{if .A}}<p>`, `<p>{{end}}</p>`} {
		_, _, err := spoken.Into(source, nothing)
		assert.Error(t, err, source)
	}
}

// TestNoPageIsChangedByWhatNobodyKnows takes every template of the product, and says which of
// them each text stands in.
func TestNoPageIsChangedByWhatNobodyKnows(t *testing.T) {
	t.Parallel()
	texts, files := 0, 0
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".html") {
			return err
		}
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		told, unknown, err := spoken.Into(string(source), nothing)
		require.NoError(t, err, path)
		assert.Equal(t, string(source), told, path)
		assert.Empty(t, unknown[""], "%s: a text outside every template", path)
		for _, u := range unknown {
			texts += len(u)
		}
		files++
		return nil
	}))
	assert.Greater(t, files, 80)
	assert.Greater(t, texts, 2000)
}

func FuzzInto(f *testing.F) {
	f.Add(`<p>{{if .A}}One <a href="{{.B}}">two</a>{{else}}three{{end}}</p>`)
	f.Add("{{define \"x\"}}<td a{{if .B}}<td{{end}}>{{end}}")
	f.Add("{{`}}`}} <b {{")
	f.Fuzz(func(t *testing.T, source string) {
		told, _, err := spoken.Into(source, nothing)
		if err == nil && told != source {
			t.Errorf("%q became %q", source, told)
		}
	})
}
