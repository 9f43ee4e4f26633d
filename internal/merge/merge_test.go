package merge_test

import (
	"context"
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/test/fixture"
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

// TestInDoubtAConflict: where a block exists twice and one side's change could be said of either, nobody can tell.
func TestInDoubtAConflict(t *testing.T) {
	for name, test := range map[string]struct{ base, left, right, want string }{
		"one of two copies goes, the other changes":  {"p a b c a b c q", "p a b c q", "p a b c a B c q", "p a b c (a,b,c||a,B,c) q"},
		"a copy comes, the first one changes":        {"p a b c q", "p a b c a b c q", "p a B c q", "p a (b,c|b,c,a,b|B) c q"},
		"two copies of a line, one goes, a new line": {"a x x b", "a x b", "a x n x b", ""},
		"a copy comes, the line before changes":      {"s } e", "s } f } e", "S } e", "S } f } e"},
		"a copy comes, a line before it":             {"s } e", "s } f } e", "s t } e", "s t } f } e"},
	} {
		chunks := merge.Text([]byte(lines(test.base)), []byte(lines(test.left)), []byte(lines(test.right)))
		if got := strings.Join(strings.Fields(render(chunks)), " "); test.want != "" {
			assert.Equal(t, test.want, got, name)
		} else {
			assert.NotEmpty(t, merge.Regions(chunks), name)
		}
	}
}

func TestTextProperties(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		base, left, right := []byte(drawText(t, "base")), []byte(drawText(t, "left")), []byte(drawText(t, "right"))
		chunks := merge.Text(base, left, right)
		mirror := merge.Text(base, right, left)
		merged, clean := merge.Resolved(chunks)
		mirrored, cleanToo := merge.Resolved(mirror)
		assert.Equal(t, clean, cleanToo)
		assert.Equal(t, string(merged), string(mirrored), "merging is the same from both sides")
		alone, ok := merge.Resolved(merge.Text(base, base, right))
		assert.True(t, ok)
		assert.Equal(t, string(right), string(alone), "a side alone is taken whole")
		for _, r := range merge.Regions(chunks) {
			assert.NotEqual(t, r.Left, r.Right)
			assert.Len(t, r.Left, r.LeftSpan.End-r.LeftSpan.Start)
			assert.Len(t, r.Right, r.RightSpan.End-r.RightSpan.Start)
		}
	})
}

// edited is a text with lines left out, replaced and added at random.
func edited(random *rand.Rand, lines, words []string) []string {
	var out []string
	for _, line := range lines {
		word := words[random.Intn(len(words))]
		switch random.Intn(14) {
		case 0:
		case 1:
			out = append(out, word)
		case 2:
			out = append(out, line, word)
		default:
			out = append(out, line)
		}
	}
	return out
}

// TestTheResultHoldsBothSides: with no conflict, merging a side once more brings nothing.
// Lines that are alike could be placed in another way by then, so they are all different.
func TestTheResultHoldsBothSides(t *testing.T) {
	random, cleans := rand.New(rand.NewSource(8)), 0
	for range 2000 {
		base := make([]string, 3+random.Intn(20))
		for i := range base {
			base[i] = fmt.Sprint("line ", i)
		}
		var sides [2][]byte
		for i := range sides {
			words := make([]string, 60)
			for n := range words {
				words[n] = fmt.Sprint("new ", i*random.Intn(2), " ", n, random.Intn(1000))
			}
			sides[i] = []byte(strings.Join(edited(random, base, words), "\n") + "\n")
		}
		text := []byte(strings.Join(base, "\n") + "\n")
		merged, clean := merge.Resolved(merge.Text(text, sides[0], sides[1]))
		if !clean {
			continue
		}
		cleans++
		for _, side := range sides {
			again, ok := merge.Resolved(merge.Text(text, merged, side))
			require.True(t, ok, "%q %q", sides[0], sides[1])
			require.Equal(t, string(merged), string(again))
		}
	}
	assert.Greater(t, cleans, 200)
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
		{"file became folder, file changed", "a:1", "a/x:5", "a:2", "a/x:5", "a file/folder"},
		{"file moved into a folder of its name, file changed", "a:1", "a/x:1", "a:2", "a/x:2", ""},
		{"file became folder, file deleted", "a:1 b:1", "a/x:2 b:1", "b:1", "a/x:2 b:1", ""},
		{"file became folder with it inside, file deleted", "a:1 b:1", "a/x:1 b:1", "b:1", "a/x:1 b:1", "a/x rename/delete from a"},
		{"folder became file, file in it changed", "a/x:1", "a:5", "a/x:2", "a:5", "a file/folder"},
		{"a new file here, a new folder there", "b:1", "a:1 b:1", "a/x:1 b:1", "a:1 b:1", "a file/folder"},
		{"both made a folder of a file", "a:1", "a/x:2", "a/y:3", "a/x:2 a/y:3", ""},
		{"both put a file into a folder of its name", "a:1", "a/x:1", "a/y:1", "a/x:1", "a/x rename/rename from a or a/y"},
		{"rename, and a change there", "a:1,2,3,4,", "b:1,2,3,4,", "a:1,2,3,x,", "b:1,2,3,x,", ""},
		{"rename with a change, and another change", "a:1,2,3,4,5,", "d/b:y,2,3,4,5,", "a:1,2,3,4,x,", "d/b:y,2,3,4,x,", ""},
		{"rename, and a change of the same line", "a:1,2,3,4,", "b:1,2,3,y,", "a:1,2,3,x,", "b:1,2,3,y,", "b content from a"},
		{"rename, and an executable", "a:1,2,3,", "b:1,2,3,", "a*:1,2,3,", "b*:1,2,3,", ""},
		{"both renamed it alike, apart in lines", "a:1,2,3,4,5,", "b:x,2,3,4,5,", "b:1,2,3,4,y,", "b:x,2,3,4,y,", ""},
		{"both renamed it alike, one line", "a:1,2,3,4,", "b:1,2,3,x,", "b:1,2,3,y,", "b:1,2,3,x,", "b content from a"},
		{"one to two", "a:1,2,3,4,", "b:1,2,3,4,", "c:1,2,3,x,", "b:1,2,3,x,", "b rename/rename from a or c"},
		{"one to two, one line", "a:1,2,3,4,", "b:1,2,3,y,", "c:1,2,3,x,", "b:1,2,3,y,", "b content from a, b rename/rename from a or c"},
		{"two to one", "a:1,2,3,4, b:5,6,7,8,", "b:5,6,7,8, c:1,2,3,4,", "a:1,2,3,4, c:5,6,7,8,", "c:1,2,3,4,", "c two to one from a or b"},
		{"two to one, one of them changed", "a:1,2,3,4, b:5,6,7,8,", "b:5,6,7,8, c:1,2,3,4,", "a:x,2,3,4, c:5,6,7,8,", "c:x,2,3,4,",
			"c two to one from a or b"},
		{"rename to a name that is taken there", "a:1,2,3,4,", "b:1,2,3,4,", "a:1,2,3,4, b:new", "b:1,2,3,4,", "b add/add"},
		{"rename, and deleted", "a:1,2,3, k:1", "b:1,2,3, k:1", "k:1", "b:1,2,3, k:1", "b rename/delete from a"},
		{"deleted, and renamed with a change", "a:1,2,3, k:1", "k:1", "b:1,2,x, k:1", "b:1,2,x, k:1", "b rename/delete from a"},
		{"folder renamed, a file in it changed", "d/a:1,2, d/b:3,4,", "e/a:1,2, e/b:3,4,", "d/a:1,x, d/b:3,4,", "e/a:1,x, e/b:3,4,", ""},
		{"folder renamed, a file came into it", "d/a:1,2, d/b:3,4,", "e/a:1,2, e/b:3,4,", "d/a:1,2, d/b:3,4, d/c:5",
			"e/a:1,2, e/b:3,4, e/c:5", ""},
		{"folder renamed, a folder came into it", "d/s/a:1,2, k:1", "e/s/a:1,2, k:1", "d/s/a:1,2, d/t/c:5 k:1", "d/t/c:5 e/s/a:1,2, k:1", ""},
		{"a file came, its folder renamed", "d/a:1,2,", "d/a:1,2, d/c:5", "e/a:1,2,", "e/a:1,2, e/c:5", ""},
		{"folder renamed, the name there is taken", "d/a:1,2,", "e/a:1,2, e/c:6", "d/a:1,2, d/c:5", "d/c:5 e/a:1,2, e/c:6", ""},
		{"a file left its folder, another came", "d/a:1,2, d/b:3", "d/b:3 e/a:1,2,", "d/a:1,2, d/b:3 d/c:5", "d/b:3 d/c:5 e/a:1,2,", ""},
		{"folder split, a file came into it", "d/a:1,2, d/b:3,4,", "e/a:1,2, f/b:3,4,", "d/a:1,2, d/b:3,4, d/c:5", "d/c:5 e/a:1,2, f/b:3,4,", ""},
		{"folder emptied, a file came into it", "d/a:1 k:1", "k:1", "d/a:1 d/c:5 k:1", "d/c:5 k:1", ""},
		{"folder renamed, one name there is taken", "d/a:1,2,", "e/a:1,2, e/l:6", "d/a:1,2, d/l:5 d/m:7", "d/l:5 e/a:1,2, e/l:6 e/m:7", ""},
		{"folder renamed, an empty file came", "d/a:1,2,", "e/a:1,2,", "d/a:1,2, d/e:", "e/a:1,2, e/e:", ""},
		{"two folders made one, a name came to each", "c/a:1,2, s/b:3,4,", "n/a:1,2, n/b:3,4,", "c/a:1,2, s/b:3,4, c/d:x s/d:y",
			"c/d:x n/a:1,2, n/b:3,4, s/d:y", ""},
		{"two folders into each other", "d/a:1,2, e/b:3,4,", "e/d/a:1,2, e/b:3,4,", "d/a:1,2, d/e/b:3,4,", "d/e/b:3,4, e/d/a:1,2,", ""},
		{"renamed to the name of a folder", "p:1,2,", "p:1,2, q/a:x q/b:y", "q:1,2,", "q/a:x q/b:y", "q file/folder"},
		{"renamed to below a file", "p:1,2,", "p:1,2, q:x", "q/p:1,2,", "q:x", "q file/folder"},
		{"names swapped by two", "a/f:1,2, b/f:3,4,", "b:1,2,", "a:3,4,", "a:3,4, b:1,2,", "a rename/delete from b/f, b rename/delete from a/f"},
		{"names swapped by one", "a/f:1,2, b/f:3,4,", "b:1,2, a:3,4,", "a/f:1,2, b/f:3,4,5,", "a:3,4,5, b:1,2,", ""},
		{"link renamed, file stays", "l@:1 k:1", "m@:1 k:1", "l@:1 k:2", "k:2 m@:1", ""},
		{"submodule renamed on one, moved on the other", "s%:1 k:1", "t%:1 k:1", "s%:2 k:1", "k:1 t%:2", ""},
		{"names around a folder's place", "a:1 a.b:1", "a/x:1 a.b:1", "a:1 a.b:2 a0:1", "a.b:2 a/x:1 a0:1", ""},
	} {
		t.Run(test.name, func(t *testing.T) {
			o := fixture.NewObjects()
			tree, conflicts, err := merge.Trees(ctx, o, o.Make(test.base), o.Make(test.left), o.Make(test.right))
			require.NoError(t, err)
			assert.Equal(t, test.conflicts, said(conflicts))
			assert.Equal(t, test.want, o.Spec(tree))
			assert.Equal(t, o.Make(test.want), tree, "entries are in the order of the format")
			mirrored, conflicts, err := merge.Trees(ctx, o, o.Make(test.base), o.Make(test.right), o.Make(test.left))
			require.NoError(t, err)
			if test.conflicts == "" {
				assert.Equal(t, test.want, o.Spec(mirrored), "from both sides the same")
			} else if !strings.Contains(test.conflicts, "rename/rename") && !strings.Contains(test.conflicts, "two to one") {
				assert.Equal(t, test.conflicts, said(conflicts))
			} else {
				assert.Len(t, conflicts, strings.Count(test.conflicts, ", ")+1)
			}
		})
	}
}

func said(conflicts []merge.Conflict) string {
	var list []string
	for _, c := range conflicts {
		text := c.Path + " " + string(c.Kind)
		if c.From != "" {
			text += " from " + c.From
		}
		if c.Other != "" {
			text += " or " + c.Other
		}
		list = append(list, text)
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

func TestRules(t *testing.T) {
	rules := func(_ context.Context, path string) (merge.Rule, error) {
		return merge.Rule{Driver: map[string]string{"u": merge.UnionDriver, "b": merge.BinaryDriver}[path]}, nil
	}
	o := fixture.NewObjects()
	merged, err := merge.TreesWith(ctx, o, merge.Options{Rule: rules}, o.Make("u:1,2 b:1,2,3,4, t:1,2,3,4,"),
		o.Make("u:x,2y b:x,2,3,4, t:x,2,3,4,"), o.Make("u:1,2z b:1,2,3,y, t:1,2,3,y,"))
	require.NoError(t, err)
	assert.Equal(t, "b binary", said(merged.Conflicts))
	assert.Equal(t, "b:x,2,3,4, t:x,2,3,y, u:x,2y,1,2z", o.Spec(merged.Tree))
}

func TestCompareListsWhatDiffers(t *testing.T) {
	o := fixture.NewObjects()
	list, err := merge.Compare(ctx, o, o.Make("a:1 b/x:1 c:1 d/e/f:1 g:1"), o.Make("a:1 b:1 c*:1 d/e/f:2 h:1"))
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
		if merged, ok := merge.Resolved(chunks); ok && base == left {
			assert.Equal(t, right, string(merged))
		}
	})
}

// TestEveryPairOfKinds goes through everything that a path can be on three sides, and
// compares with the repository's own merging: on what conflicts, and on clean results.
func TestEveryPairOfKinds(t *testing.T) {
	kinds := []string{"", "p:1,2,3,", "p:1,2,4,", "p*:1,2,3,", "p@:1", "p@:2", "p%:1", "p/x:5,6,", "p/y:7,8,"}
	f := fixture.New(t)
	r := f.Open(t)
	o := r.NewOverlay()
	commit := func(tree repo.ID, parents ...repo.ID) repo.ID {
		c := &repo.Commit{Tree: tree, Parents: parents, Author: "I <i@x.example> 1 +0000", Committer: "I <i@x.example> 1 +0000", Message: "m\n"}
		return o.Put(repo.KindCommit, c.Encode())
	}
	module := commit(o.PutTree(nil))
	trees := make([]repo.ID, len(kinds))
	for i, kind := range kinds {
		trees[i] = fixture.MakeTree(o, kind+" k:kept", module)
	}
	type pair struct{ base, left, right int }
	var pairs []pair
	var commits []repo.Mapping
	roots := []repo.ID{}
	for base := range kinds {
		root := commit(trees[base])
		for left := range kinds {
			for right := range kinds {
				l, r := commit(trees[left], root), commit(trees[right], root)
				pairs, commits, roots = append(pairs, pair{base, left, right}), append(commits, repo.Mapping{l, r}), append(roots, l, r)
			}
		}
	}
	require.NoError(t, o.Flush(ctx, append(roots, module)...))
	for i, p := range pairs {
		tree, conflicts, err := merge.Trees(ctx, o, trees[p.base], trees[p.left], trees[p.right])
		require.NoError(t, err)
		out, err := f.Run("merge-tree", "--write-tree", commits[i][0].String(), commits[i][1].String())
		name := fmt.Sprintf("%q: %q and %q", kinds[p.base], kinds[p.left], kinds[p.right])
		assert.Equal(t, err == nil, len(conflicts) == 0, name)
		if err == nil {
			assert.Equal(t, out, tree.String(), name)
		}
	}
}
