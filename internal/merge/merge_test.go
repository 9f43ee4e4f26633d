package merge_test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

var ctx = context.Background()

// render writes a merged text with its open regions as (base|left|right).
func render(chunks []merge.Chunk) string {
	var b strings.Builder
	join := func(lines [][]byte) string {
		return strings.ReplaceAll(strings.TrimSuffix(string(joined(lines)), "\n"), "\n", ",")
	}
	for _, c := range chunks {
		if c.Region == nil {
			b.Write(joined(c.Settled))
			continue
		}
		fmt.Fprintf(&b, "(%s|%s|%s)\n", join(c.Region.Base), join(c.Region.Left), join(c.Region.Right))
	}
	return b.String()
}

func joined(lines [][]byte) (text []byte) {
	for _, line := range lines {
		text = append(text, line...)
	}
	return text
}

// lines writes "a b c" as three lines.
func lines(text string) string {
	if text == "" {
		return ""
	}
	return strings.Join(strings.Fields(text), "\n") + "\n"
}

func TestText(t *testing.T) {
	for name, test := range map[string]struct{ base, left, right, want string }{
		"nobody changed":          {"a b c", "a b c", "a b c", "a b c"},
		"left alone":              {"a b c", "a x c", "a b c", "a x c"},
		"right alone":             {"a b c", "a b c", "a b y", "a b y"},
		"apart":                   {"a b c d e", "x b c d e", "a b c d y", "x b c d y"},
		"the same on both":        {"a b c", "a x c", "a x c", "a x c"},
		"same lines":              {"a b c", "a x c", "a y c", "a (b|x|y) c"},
		"touching":                {"a b c d", "a x c d", "a b y d", "a (b,c|x,c|b,y) d"},
		"both add at one place":   {"a b", "a x b", "a y b", "a (|x|y) b"},
		"both add, alike ends":    {"a b", "a s x t b", "a s y t b", "a s (|x|y) t b"},
		"delete against change":   {"a b c", "a c", "a x c", "a (b||x) c"},
		"both delete":             {"a b c", "a c", "a c", "a c"},
		"two regions":             {"a b c d e", "x b c d y", "z b c d w", "(a|x|z) b c d (e|y|w)"},
		"one change spans others": {"a b c d e f", "a x y z e f", "a b c D e f", "a (b,c,d|x,y,z|b,c,D) e f"},
		"from nothing":            {"", "x", "y", "(|x|y)"},
	} {
		t.Run(name, func(t *testing.T) {
			got := merge.Text([]byte(lines(test.base)), []byte(lines(test.left)), []byte(lines(test.right)))
			assert.Equal(t, lines(test.want), render(got))
		})
	}
}

func drawText(t *rapid.T, name string) string {
	line := rapid.SampledFrom([]string{"a\n", "b\n", "c\n", "d\n", "e\n", "\n", "f\r\n"})
	return strings.Join(rapid.SliceOfN(line, 0, 14).Draw(t, name), "")
}

func TestTextProperties(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		base, left, right := []byte(drawText(t, "base")), []byte(drawText(t, "left")), []byte(drawText(t, "right"))
		chunks := merge.Text(base, left, right)
		mirror := merge.Text(base, right, left)
		merged, clean := merge.Settled(chunks)
		mirrored, cleanToo := merge.Settled(mirror)
		assert.Equal(t, clean, cleanToo)
		assert.Equal(t, string(merged), string(mirrored), "merging is the same from both sides")
		alone, ok := merge.Settled(merge.Text(base, base, right))
		assert.True(t, ok)
		assert.Equal(t, string(right), string(alone), "a side alone is taken whole")
		for _, r := range merge.Regions(chunks) {
			assert.NotEqual(t, r.Left, r.Right)
			assert.Len(t, r.Left, r.LeftSpan.End-r.LeftSpan.Start)
			assert.Len(t, r.Right, r.RightSpan.End-r.RightSpan.Start)
		}
	})
}

// TestTextAgainstTheRepository compares with the repository's own merge where its
// line differences are the same as ours: texts whose lines are all different.
func TestTextAgainstTheRepository(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 12).Draw(t, "lines")
		sides := [3]string{}
		for i := range n {
			sides[0] += fmt.Sprintf("line %d\n", i)
			for side := 1; side <= 2; side++ {
				switch rapid.IntRange(0, 5).Draw(t, "change") {
				case 0:
					sides[side] += fmt.Sprintf("side %d changed %d\n", rapid.IntRange(1, 2).Draw(t, "like"), i)
				case 1:
				case 2:
					sides[side] += fmt.Sprintf("line %d\nside %d added %d\n", i, side, i)
				default:
					sides[side] += fmt.Sprintf("line %d\n", i)
				}
			}
		}
		names := [3]string{}
		for i, text := range sides {
			names[i] = filepath.Join(dir, fmt.Sprint(i))
			require.NoError(t, os.WriteFile(names[i], []byte(text), 0o666))
		}
		out, err := exec.Command("git", "merge-file", "-p", names[1], names[0], names[2]).Output()
		merged, clean := merge.Settled(merge.Text([]byte(sides[0]), []byte(sides[1]), []byte(sides[2])))
		assert.Equal(t, err == nil, clean, "%q", sides)
		if clean {
			assert.Equal(t, string(out), string(merged))
		}
	})
}

// objects keeps trees and blobs in maps.
type objects struct {
	ids   map[string]repo.ID
	trees map[repo.ID]repo.Tree
	blobs map[repo.ID][]byte
}

func (o *objects) Tree(_ context.Context, id repo.ID) (repo.Tree, error) { return o.trees[id], nil }
func (o *objects) Blob(_ context.Context, id repo.ID) ([]byte, error)    { return o.blobs[id], nil }

func (o *objects) PutTree(tree repo.Tree) repo.ID { return o.Put(repo.KindTree, tree.Encode()) }

func (o *objects) Put(kind repo.Kind, data []byte) repo.ID {
	name := string(kind) + string(data)
	if id, ok := o.ids[name]; ok {
		return id
	}
	id, _ := repo.ParseID(fmt.Sprintf("%040x", len(o.ids)+1))
	o.ids[name], o.blobs[id] = id, data
	if kind == repo.KindTree {
		o.trees[id], _ = repo.ParseTree(data, 20)
	}
	return id
}

func newObjects() *objects {
	return &objects{map[string]repo.ID{}, map[repo.ID]repo.Tree{}, map[repo.ID][]byte{}}
}

// put makes the tree of a specification such as "a:text d/b:text x*:text l@:to s%:1":
// paths with their content; a star is an executable, an at a link, a percent a
// submodule.
func (o *objects) put(spec string) repo.ID {
	if spec == "" {
		return o.PutTree(nil)
	}
	below := map[string][]string{}
	var tree repo.Tree
	for _, part := range strings.Fields(spec) {
		path, text, _ := strings.Cut(part, ":")
		if folder, rest, nested := strings.Cut(path, "/"); nested {
			below[folder] = append(below[folder], rest+":"+text)
			continue
		}
		mode := repo.ModeFile
		for suffix, m := range map[string]repo.Mode{"*": repo.ModeExecutable, "@": repo.ModeSymlink, "%": repo.ModeSubmodule} {
			if strings.HasSuffix(path, suffix) {
				path, mode = strings.TrimSuffix(path, suffix), m
			}
		}
		text = strings.NewReplacer(",", "\n", "0", "\x00").Replace(text)
		tree = append(tree, repo.Entry{Mode: mode, Name: path, ID: o.Put(repo.KindBlob, []byte(text))})
	}
	for folder, parts := range below {
		tree = append(tree, repo.Entry{Mode: repo.ModeTree, Name: folder, ID: o.put(strings.Join(parts, " "))})
	}
	tree.Sort()
	return o.PutTree(tree)
}

// spec writes a tree as put reads it, in the order of paths.
func (o *objects) spec(id repo.ID) string {
	var parts []string
	for _, e := range o.trees[id] {
		if e.Mode == repo.ModeTree {
			for _, inside := range strings.Fields(o.spec(e.ID)) {
				parts = append(parts, e.Name+"/"+inside)
			}
			continue
		}
		suffix := map[repo.Mode]string{repo.ModeExecutable: "*", repo.ModeSymlink: "@", repo.ModeSubmodule: "%"}[e.Mode]
		parts = append(parts, e.Name+suffix+":"+strings.NewReplacer("\n", ",", "\x00", "0").Replace(string(o.blobs[e.ID])))
	}
	sort.Strings(parts)
	return strings.Join(parts, " ")
}

func TestTrees(t *testing.T) {
	for _, test := range []struct{ name, base, left, right, want, conflicts string }{
		{"different files", "a:1 b:1", "a:2 b:1", "a:1 b:2", "a:2 b:2", ""},
		{"different folders", "d/a:1 e/b:1", "d/a:2 e/b:1", "d/a:1 e/b:2", "d/a:2 e/b:2", ""},
		{"both add a file", "a:1", "a:1 b:1", "a:1 c:1", "a:1 b:1 c:1", ""},
		{"both add the same", "", "a:1", "a:1", "a:1", ""},
		{"both delete", "a:1 b:1", "b:1", "b:1", "b:1", ""},
		{"delete a folder's last file", "d/a:1 b:1", "b:1", "d/a:1 b:2", "b:2", ""},
		{"one text, apart", "a:1,2,3,4,5,", "a:x,2,3,4,5,", "a:1,2,3,4,y,", "a:x,2,3,4,y,", ""},
		{"one text, together", "a:1,", "a:x,", "a:y,", "a:x,", "a content"},
		{"new text on both", "", "a:x,", "a:y,", "a:x,", "a add/add"},
		{"changed and deleted", "a:1", "a:2", "", "a:2", "a modify/delete"},
		{"deleted and changed", "a:1", "", "a:2", "", "a modify/delete"},
		{"folder deleted, a file in it changed", "d/a:1 d/b:1", "", "d/a:2 d/b:1", "", "d/a modify/delete"},
		{"mode and content", "a:1", "a*:1", "a:2", "a*:2", ""},
		{"new with two modes", "", "a*:1", "a:1", "a*:1", "a mode"},
		{"binary on both", "a:0", "a:01", "a:02", "a:01", "a binary"},
		{"link moved on both", "l@:1", "l@:2", "l@:3", "l@:2", "l symlink"},
		{"submodule moved on both", "s%:1", "s%:2", "s%:3", "s%:2", "s submodule"},
		{"submodule moved on one", "s%:1", "s%:2", "s%:1", "s%:2", ""},
		{"file became link, file changed", "a:1", "a@:1", "a:2", "a@:1", "a type"},
		{"file became folder", "a:1 b:1", "a/x:1 b:1", "a:1 b:2", "a/x:1 b:2", ""},
		{"file became folder, file changed", "a:1", "a/x:1", "a:2", "a/x:1", "a file/folder"},
		{"file became folder, file deleted", "a:1 b:1", "a/x:1 b:1", "b:1", "a/x:1 b:1", ""},
		{"folder became file, file in it changed", "a/x:1", "a:1", "a/x:2", "a:1", "a file/folder"},
		{"a new file here, a new folder there", "b:1", "a:1 b:1", "a/x:1 b:1", "a:1 b:1", "a file/folder"},
		{"both made a folder of a file", "a:1", "a/x:1", "a/y:1", "a/x:1 a/y:1", ""},
		{"names around a folder's place", "a:1 a.b:1", "a/x:1 a.b:1", "a:1 a.b:2 a0:1", "a.b:2 a/x:1 a0:1", ""},
	} {
		t.Run(test.name, func(t *testing.T) {
			o := newObjects()
			tree, conflicts, err := merge.Trees(ctx, o, o.put(test.base), o.put(test.left), o.put(test.right))
			require.NoError(t, err)
			var found []string
			for _, c := range conflicts {
				found = append(found, c.Path+" "+string(c.Kind))
			}
			assert.Equal(t, test.conflicts, strings.Join(found, ", "))
			assert.Equal(t, test.want, o.spec(tree))
			assert.Equal(t, o.put(test.want), tree, "entries are in the order of the format")
		})
	}
}

func TestCompareListsWhatDiffers(t *testing.T) {
	o := newObjects()
	list, err := merge.Compare(ctx, o, o.put("a:1 b/x:1 c:1 d/e/f:1 g:1"), o.put("a:1 b:1 c*:1 d/e/f:2 h:1"))
	require.NoError(t, err)
	var paths []string
	for _, d := range list {
		paths = append(paths, d.Path)
	}
	assert.Equal(t, []string{"b", "b/x", "c", "d/e/f", "g", "h"}, paths)
}

func FuzzText(f *testing.F) {
	f.Add("a\nb\n", "a\nc\n", "a\r\nb")
	f.Add("", "x", "\n\n")
	f.Fuzz(func(t *testing.T, base, left, right string) {
		chunks := merge.Text([]byte(base), []byte(left), []byte(right))
		if merged, ok := merge.Settled(chunks); ok && base == left {
			assert.Equal(t, right, string(merged))
		}
	})
}
