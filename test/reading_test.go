package test

import (
	"go/ast"
	"go/token"
	"go/types"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// What keeps code readable, as far as that can be counted.
const (
	longestLine     = 140
	longestFunction = 60
)

func TestNoLineIsTooLong(t *testing.T) {
	checked := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, entry os.DirEntry, err error) error {
		require.NoError(t, err)
		if !strings.HasSuffix(path, ".go") {
			return nil
		}
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		number := 0
		for line := range strings.Lines(string(text)) {
			number++
			assert.LessOrEqual(t, utf8.RuneCountInString(strings.TrimRight(line, "\n")), longestLine, "%s:%d", path, number)
		}
		checked++
		return nil
	}))
	assert.Greater(t, checked, 200)
}

func TestNoFunctionIsTooLong(t *testing.T) {
	for _, s := range sources(t) {
		for _, d := range s.file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok {
				lines := s.set.Position(f.End()).Line - s.set.Position(f.Pos()).Line - 1
				assert.LessOrEqual(t, lines, longestFunction, "%s: %s", s.set.Position(f.Pos()), f.Name.Name)
			}
		}
	}
}

// carriesOut are methods that an interface of another package asks for, by name.
var carriesOut = regexp.MustCompile(`^(Error|Unwrap|String|Read|Write|Close|Run|Set(Stdin|Stdout|Stderr)|(Un)?[mM]arshal(Text|JSON)|` +
	`Init|View|Update|For)$`)

// TestNoExportedNameIsUnused: each is used in the product itself, not only by tests.
func TestNoExportedNameIsUnused(t *testing.T) {
	found, err := packages.Load(&packages.Config{Mode: packages.LoadSyntax, Dir: ".."}, "./cmd/...", "./internal/...")
	require.NoError(t, err)
	require.Zero(t, packages.PrintErrors(found))
	used, defined := map[string]bool{}, map[string]token.Position{}
	asked := map[string]bool{} // methods that our own interfaces ask for
	for _, p := range found {
		for _, object := range p.TypesInfo.Uses {
			used[nameOf(object)] = true
		}
		for _, name := range p.Types.Scope().Names() {
			if i, ok := p.Types.Scope().Lookup(name).Type().Underlying().(*types.Interface); ok {
				for method := range i.Methods() {
					asked[method.Name()] = true
				}
			}
		}
		for ident, object := range p.TypesInfo.Defs {
			if object == nil || !ident.IsExported() || carriesOut.MatchString(ident.Name) {
				continue
			}
			if _, isFunc := object.(*types.Func); isFunc || object.Parent() == p.Types.Scope() {
				defined[nameOf(object)] = p.Fset.Position(ident.Pos())
			}
		}
	}
	assert.Greater(t, len(defined), 1000)
	for name, at := range defined {
		method := strings.Contains(name, ").")
		assert.True(t, used[name] || method && asked[name[strings.LastIndex(name, ".")+1:]], "%s: %s", at, name)
	}
}

// nameOf tells what is seen in its own source from others of its name, and what others see of it in the same way.
func nameOf(object types.Object) string {
	if f, ok := object.(*types.Func); ok {
		return f.Origin().FullName()
	}
	if object.Pkg() == nil {
		return object.Name()
	}
	return object.Pkg().Path() + "." + object.Name()
}

// TestPagesLinkToWhatIsThere: no page and no picture that a page names is missing, and each screen has its page.
func TestPagesLinkToWhatIsThere(t *testing.T) {
	link := regexp.MustCompile(`\]\(([^)#:]+)\)`)
	checked := 0
	for _, pattern := range []string{"../*.md", "../docs/*.md", "../docs/*/*.md"} {
		pages, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, page := range pages {
			text, err := os.ReadFile(page)
			require.NoError(t, err)
			for _, found := range link.FindAllSubmatch(text, -1) {
				_, err := os.Stat(filepath.Join(filepath.Dir(page), string(found[1])))
				assert.NoErrorf(t, err, "in %s", page)
				checked++
			}
		}
	}
	assert.Greater(t, checked, 50)
	for _, screen := range []string{"map", "sort", "shape", "mend", "send"} {
		assert.FileExists(t, "../docs/screens/"+screen+".md")
	}
}
