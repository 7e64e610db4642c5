package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSentencesAreWords finds sentences, which are texts of three words or
// more, in core, outlook and nursery. An error's own text is not one: it is
// for whoever reads the log. Nor are core's codes, which are constants and
// package-level lists without figures or a full stop, such as "at the bench".
func TestSentencesAreWords(t *testing.T) {
	read := 0
	for _, root := range []string{"core", "outlook", "nursery"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			read++
			at := token.NewFileSet()
			file, err := parser.ParseFile(at, path, nil, 0)
			require.NoError(t, err)
			for _, s := range sentencesOf(file, root == "core") {
				assert.Fail(t, "a sentence, which belongs in words", "%s: %s", at.Position(s.Pos()), s.Value)
			}
			return nil
		}))
	}
	assert.Greater(t, read, 200)
}

func sentencesOf(file *ast.File, codes bool) []*ast.BasicLit {
	var out []*ast.BasicLit
	atTop := map[ast.Node]bool{}
	for _, d := range file.Decls {
		if d, ok := d.(*ast.GenDecl); ok {
			ast.Inspect(d, func(n ast.Node) bool { atTop[n] = true; return true })
		}
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec, *ast.Field: // a field's tag is no sentence
			return false
		case *ast.FuncDecl:
			return n.Recv == nil || n.Name.Name != "Error" // what an error says of itself is for the log
		case *ast.CallExpr:
			if f, ok := n.Fun.(*ast.SelectorExpr); ok {
				if pkg,
					ok := f.X.(*ast.Ident); ok && (pkg.Name == "errors" && f.Sel.Name == "New" || pkg.Name == "fmt" &&
					f.Sel.Name == "Errorf") {
					return false
				}
			}
		case *ast.BasicLit:
			if n.Kind != token.STRING {
				break
			}
			if s, err := strconv.Unquote(n.Value); err == nil && len(strings.Fields(s)) > 2 && !(codes && atTop[n] &&
				!strings.ContainsAny(s, "%.")) {
				out = append(out, n)
			}
		}
		return true
	})
	return out
}
