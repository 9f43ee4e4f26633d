package repo_test

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// folder draws a folder: of a name there is a file, or a folder.
func folder(draw *rapid.T, label string) repo.Tree {
	var ids []repo.ID
	for _, byte := range []string{"ab", "20", "0a"} {
		ids = append(ids, fixture.ID(draw, strings.Repeat("00", 10)+strings.Repeat(byte, 10)))
	}
	modes := []repo.Mode{repo.ModeFile, repo.ModeExecutable, repo.ModeSymlink, repo.ModeSubmodule, repo.ModeTree}
	entries := map[string]repo.Entry{}
	for _, name := range rapid.SliceOfN(rapid.SampledFrom([]string{"a", "a.b", "a0", "ab", "b", "ü", "c c", "zz"}), 0, 8).Draw(draw, label) {
		mode := rapid.SampledFrom(modes).Draw(draw, "mode")
		entries[name] = repo.Entry{Mode: mode, Name: name, ID: rapid.SampledFrom(ids).Draw(draw, "id")}
	}
	return slices.SortedFunc(maps.Values(entries), repo.Compare)
}

// form is what a folder has one entry of.
type form struct {
	name   string
	folder bool
}

func byForm(tree repo.Tree) map[form]repo.Entry {
	forms := map[form]repo.Entry{}
	for _, e := range tree {
		forms[form{e.Name, e.Mode == repo.ModeTree}] = e
	}
	return forms
}

// TestTreeDifferencesAreAll: what two folders do not have alike, all of it and nothing else, in order; and with what the
// second one has of it, the first one becomes the second.
func TestTreeDifferencesAreAll(t *testing.T) {
	rapid.Check(t, func(draw *rapid.T) {
		old, new := folder(draw, "old"), folder(draw, "new")
		pairs, err := repo.TreeDifferences(old.Encode(), new.Encode(), 20)
		require.NoError(draw, err)
		before, after := byForm(old), byForm(new)
		changed, found := map[string]repo.Entry{}, map[form]bool{}
		last := repo.Entry{}
		for _, p := range pairs {
			e := p.Old
			if e.IsZero() {
				e = p.New
			}
			key := form{e.Name, e.Mode == repo.ModeTree}
			assert.Equal(draw, repo.EntryPair{Old: before[key], New: after[key]}, p)
			assert.NotEqual(draw, p.Old, p.New)
			assert.True(draw, last.IsZero() || repo.Compare(last, e) < 0, "they are in order")
			if found[key], last = true, e; !p.New.IsZero() || changed[e.Name].IsZero() {
				changed[e.Name] = p.New
			}
		}
		for key := range maps.Keys(before) {
			assert.Equal(draw, before[key] != after[key], found[key], "%v", key)
		}
		for key := range maps.Keys(after) {
			assert.Equal(draw, before[key] != after[key], found[key], "%v", key)
		}
		assert.Equal(draw, string(new.Encode()), string(old.With(changed).Encode()))
		data := new.Encode()
		cut := rapid.IntRange(0, len(data)).Draw(draw, "cut")
		assert.NotPanics(draw, func() {
			_, _ = repo.TreeDifferences(data[:cut], data, 20)
			_, _ = repo.TreeDifferences(data, data[:cut], 20)
		})
	})
}

// TestEntriesByName: a name is found in a folder however often it was looked into before, and a broken folder is said to be one.
func TestEntriesByName(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(draw *rapid.T) {
		tree, overlay := folder(draw, "folder"), r.NewOverlay()
		data := tree.Encode()
		id := overlay.Put(repo.KindTree, data)
		for _, name := range rapid.SliceOfN(rapid.SampledFrom([]string{"a", "a.b", "ab", "b", "ü", "zz", "nothing"}), 1, 40).Draw(draw, "names") {
			e, err := overlay.Entry(t.Context(), id, name)
			require.NoError(draw, err)
			assert.Equal(draw, tree.Named(name), e, name)
		}
		if len(data) == 0 {
			return
		}
		cut := overlay.Put(repo.KindTree, data[:len(data)-1])
		for range 20 {
			_, err := overlay.Entry(t.Context(), cut, "nothing")
			assert.ErrorIs(draw, err, repo.ErrBadObject)
		}
	})
}
