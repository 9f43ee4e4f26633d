package test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rooms lists the packages from the top down: each may import those below it only.
// Packages on one line may not import each other.
var rooms = []string{
	"cmd/bastel cmd/manual",
	"internal/cli",
	"internal/ui",
	"internal/ui/sort internal/ui/shape internal/ui/mend internal/ui/send internal/ui/chart",
	"internal/ui/taking",
	"internal/app/sorting internal/app/planning internal/app/resolving internal/app/publishing internal/app/charting",
	"internal/ui/stream",
	"internal/ui/kit",
	"internal/ui/action",
	"internal/app",
	"internal/demo internal/draw",
	coreBegins,
	"internal/send internal/journal internal/suggest internal/review",
	"internal/series",
	"internal/history",
	"internal/replay",
	"internal/shape internal/tray",
	"internal/mend",
	"internal/merge",
	"internal/diff internal/lanes internal/safe internal/sweep",
	"internal/repo internal/programs",
	"internal/ask internal/lifeline internal/wording",
}

// coreBegins: no interface code below this line.
const coreBegins = "----"

// interfaceCode is what the core may not know.
var interfaceCode = []string{"charm.land/", "github.com/charmbracelet/", "github.com/spf13/cobra"}

type source struct {
	room string
	name string
	file *ast.File
	set  *token.FileSet
}

func sources(t *testing.T) []source {
	var list []source
	require.NoError(t, filepath.WalkDir("..", func(path string, entry os.DirEntry, err error) error {
		require.NoError(t, err)
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "../test/") {
			return nil
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, nil, parser.ParseComments)
		require.NoError(t, err)
		list = append(list, source{strings.TrimPrefix(filepath.Dir(path), "../"), path, file, set})
		return nil
	}))
	require.NotEmpty(t, list)
	return list
}

func level(room string) int {
	return slices.IndexFunc(rooms, func(line string) bool { return slices.Contains(strings.Fields(line), room) })
}

func imports(s source) (paths []string) {
	for _, spec := range s.file.Imports {
		path, _ := strconv.Unquote(spec.Path.Value)
		paths = append(paths, path)
	}
	return paths
}

func TestImportsRunDownwards(t *testing.T) {
	core := slices.Index(rooms, coreBegins)
	for _, s := range sources(t) {
		at := level(s.room)
		if !assert.GreaterOrEqual(t, at, 0, "%s is in no room that the list knows", s.name) {
			continue
		}
		for _, path := range imports(s) {
			if room, ours := strings.CutPrefix(path, "bastel/"); ours {
				assert.Greater(t, level(room), at, "%s imports %s", s.name, path)
			}
			for _, prefix := range interfaceCode {
				assert.False(t, at > core && strings.HasPrefix(path, prefix), "%s is in the core and imports %s", s.name, path)
			}
		}
	}
}

func TestCommandsRunFromOnePackage(t *testing.T) {
	for _, s := range sources(t) {
		starts := []string{"internal/repo", "internal/programs", "internal/lifeline"} // the last one only Bastel itself
		assert.False(t, slices.Contains(imports(s), "os/exec") && !slices.Contains(starts, s.room), "%s starts processes", s.name)
	}
}

// listed is what may be run, in the words of the architecture. The list in the code
// is held against it, so that a change of either shows.
const listed = `cat-file check-attr check-ignore check-ref-format checkout-index commit-tree config
diff-files diff-index diff-tree fetch for-each-ref hash-object hook index-pack init ls-files ls-remote ls-tree
merge-base mktree pack-refs push read-tree rev-list rev-parse status symbolic-ref update-index update-ref var
verify-commit verify-pack version worktree write-tree`

func TestOnlyTheListedCommandsAreAllowed(t *testing.T) {
	var found []string
	for _, s := range sources(t) {
		if s.name != "../internal/repo/command.go" {
			continue
		}
		ast.Inspect(s.file, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if ok && isNamed(call.Fun, "newSet") {
				for _, arg := range call.Args {
					text, _ := strconv.Unquote(arg.(*ast.BasicLit).Value)
					found = append(found, text)
				}
			}
			return true
		})
	}
	assert.Equal(t, strings.Fields(listed), found)
}

// TestWhatRacesRunsWithTheRaceDetector: each package of the core that starts a goroutine, or shares something between several.
func TestWhatRacesRunsWithTheRaceDetector(t *testing.T) {
	found := map[string]bool{}
	core := slices.Index(rooms, coreBegins)
	for _, s := range sources(t) {
		if level(s.room) <= core {
			continue
		}
		shares := slices.ContainsFunc(imports(s), func(path string) bool {
			return slices.Contains([]string{"sync", "sync/atomic", "golang.org/x/sync/errgroup"}, path)
		})
		ast.Inspect(s.file, func(n ast.Node) bool {
			_, starts := n.(*ast.GoStmt)
			shares = shares || starts
			return true
		})
		found["./"+s.room] = found["./"+s.room] || shares
	}
	maps.DeleteFunc(found, func(_ string, shares bool) bool { return !shares })
	makefile, err := os.ReadFile("../Makefile")
	require.NoError(t, err)
	_, list, _ := strings.Cut(string(makefile), "\nRACES = ")
	list, _, _ = strings.Cut(list, "\n\n")
	assert.ElementsMatch(t, slices.Collect(maps.Keys(found)), strings.Fields(strings.ReplaceAll(list, "\\\n", "")))
}

// TestSequencesAreOfTheKit: keys wait for each command of a sequence, which the library's own would hide from them.
func TestSequencesAreOfTheKit(t *testing.T) {
	for _, s := range sources(t) {
		if s.room == "internal/ui" {
			continue
		}
		ast.Inspect(s.file, func(n ast.Node) bool {
			selector, ok := n.(*ast.SelectorExpr)
			assert.False(t, ok && isNamed(selector.X, "tea") && selector.Sel.Name == "Sequence", "%s uses tea.Sequence", s.name)
			return true
		})
	}
}

func isNamed(e ast.Expr, name string) bool {
	ident, ok := e.(*ast.Ident)
	return ok && ident.Name == name
}

func TestEveryPackageSaysWhatItIsFor(t *testing.T) {
	said := map[string]string{}
	for _, s := range sources(t) {
		said[s.room] += s.file.Doc.Text()
	}
	for room, text := range said {
		assert.NotEmpty(t, text, "%s has no doc comment", room)
		if strings.HasPrefix(room, "internal/") {
			assert.Contains(t, text, "Its tests promise: ", room)
			tests, _ := filepath.Glob("../" + room + "/*_test.go")
			assert.NotEmpty(t, tests, "%s has no tests", room)
		}
	}
}

// formerWords are those that the screens and commands do not say any more: each meant more
// than one thing, or is another program's.
var formerWords = regexp.MustCompile(`(?i)\b(fold|folds|folded|folding|settle|settled|unsettled|unfold|youngest)\b|full mark|` +
	`[Tt]ook back the|more has met|behind entry|in place of moving|\bmessages go\b`)

// TestNoFormerWordIsSaid: in no sentence of screens, commands and use cases.
func TestNoFormerWordIsSaid(t *testing.T) {
	said := 0
	for _, s := range sources(t) {
		if !strings.HasPrefix(s.room, "internal/ui") && s.room != "internal/cli" && !strings.HasPrefix(s.room, "internal/app") {
			continue
		}
		ast.Inspect(s.file, func(n ast.Node) bool {
			if field, ok := n.(*ast.Field); ok && field.Tag != nil {
				return false
			}
			literal, ok := n.(*ast.BasicLit)
			if !ok || literal.Kind != token.STRING {
				return true
			}
			text, err := strconv.Unquote(literal.Value)
			require.NoError(t, err)
			if strings.Contains(text, " ") && !strings.Contains(literal.Value, "collapse fold") {
				said++
				assert.NotRegexp(t, formerWords, text, "%s", s.set.Position(literal.Pos()))
			}
			return true
		})
	}
	assert.Greater(t, said, 500)
}

// TestTheGlossaryNamesWhatIsThere: each word's type, function or package in the code is there.
func TestTheGlossaryNamesWhatIsThere(t *testing.T) {
	page, err := os.ReadFile("../docs/glossary.md")
	require.NoError(t, err)
	words := 0
	for line := range strings.Lines(string(page)) {
		cells := strings.Split(line, "|")
		if len(cells) < 5 {
			continue
		}
		for _, found := range regexp.MustCompile("`([a-z]+)(?:\\.([A-Za-z]+))?`").FindAllStringSubmatch(cells[3], -1) {
			words++
			dirs, _ := filepath.Glob("../internal/" + found[1])
			deeper, _ := filepath.Glob("../internal/*/" + found[1])
			dirs = append(dirs, deeper...)
			require.NotEmpty(t, dirs, "%s has no package", found[0])
			source := ""
			files, _ := filepath.Glob(dirs[0] + "/*.go")
			for _, file := range files {
				data, err := os.ReadFile(file)
				require.NoError(t, err)
				source += string(data)
			}
			if found[2] != "" {
				assert.Regexp(t, `(?m)^(type|func|func \([^)]*\)|\t)\s*`+found[2]+`\b`, source, found[0])
			}
		}
	}
	assert.Greater(t, words, 20)
}

// TestTheWalksAreThere: the functions that CONTRIBUTING leads along exist, at most eight in a walk.
func TestTheWalksAreThere(t *testing.T) {
	there := map[string]bool{}
	for _, s := range sources(t) {
		for _, d := range s.file.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			name := s.file.Name.Name + "."
			if f.Recv != nil {
				receiver := f.Recv.List[0].Type
				if star, ok := receiver.(*ast.StarExpr); ok {
					receiver = star.X
				}
				if ident, ok := receiver.(*ast.Ident); ok {
					name += ident.Name + "."
				}
			}
			there[name+f.Name.Name] = true
		}
	}
	page, err := os.ReadFile("../CONTRIBUTING.md")
	require.NoError(t, err)
	walks := 0
	for line := range strings.Lines(string(page)) {
		if !strings.HasPrefix(line, "- ") || !strings.Contains(line, "` → `") {
			continue
		}
		steps := regexp.MustCompile("`([a-z]+\\.[A-Za-z.]+)`").FindAllStringSubmatch(line, -1)
		if len(steps) < 4 {
			continue
		}
		walks++
		assert.LessOrEqual(t, len(steps), 8, line)
		for _, step := range steps {
			assert.True(t, there[step[1]], "%s is nowhere", step[1])
		}
	}
	assert.Equal(t, 4, walks)
}

// TestTheFilesOfNeedsAreThere: the table that says where what is names no file that is not there.
func TestTheFilesOfNeedsAreThere(t *testing.T) {
	page, err := os.ReadFile("../CONTRIBUTING.md")
	require.NoError(t, err)
	_, table, found := strings.Cut(string(page), "| need | file |")
	require.True(t, found)
	table, _, _ = strings.Cut(table, "\n\n")
	files := regexp.MustCompile("`(internal/[^`]+)`").FindAllStringSubmatch(table, -1)
	assert.GreaterOrEqual(t, len(files), 12)
	for _, file := range files {
		assert.FileExists(t, "../"+file[1])
	}
}

// TestNoTwoThingsShareAFile: each name of a file that something is kept in is of one thing.
func TestNoTwoThingsShareAFile(t *testing.T) {
	of := map[string]string{}
	for _, s := range sources(t) {
		for _, decl := range s.file.Decls {
			list, ok := decl.(*ast.GenDecl)
			if !ok || list.Tok != token.CONST {
				continue
			}
			for _, spec := range list.Specs {
				value := spec.(*ast.ValueSpec)
				if len(value.Values) != 1 || !strings.HasSuffix(value.Names[0].Name, "File") {
					continue
				}
				if literal, ok := value.Values[0].(*ast.BasicLit); ok && literal.Kind == token.STRING {
					name := s.room + "." + value.Names[0].Name
					assert.Empty(t, of[literal.Value], "%s is kept in %s too", name, literal.Value)
					of[literal.Value] = name
				}
			}
		}
	}
	assert.Greater(t, len(of), 8)
}
