package repo_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestAStatusByOwnWritesIsTheWholeOne: what is worked out from what Bastel wrote into the index is what the repository says of
// everything, whatever other programs did that the watch told of, or did to files that differed already.
func TestAStatusByOwnWritesIsTheWholeOne(t *testing.T) {
	fixture.FewerChecks(t, "10")
	known := 0
	rapid.Check(t, func(r *rapid.T) {
		f := fixture.New(t)
		paths := []string{"a", "b", "dir/c", "dir/d", "e"}
		f.Commit("base", "a", "1\n", "b", "1\n", "dir/c", "1\n")
		text := rapid.SampledFrom([]string{"1\n", "2\n", "3\n"})
		mine, fresh := f.Open(t), f.Open(t)
		ctx, end := context.WithCancel(t.Context()) // a system has room for so many watches
		defer end()
		_, err := mine.Watch(ctx)
		require.NoError(r, err)
		_, err = mine.Status(t.Context())
		require.NoError(r, err)
		for range rapid.IntRange(1, 8).Draw(r, "steps") {
			path := rapid.SampledFrom(paths).Draw(r, "path")
			before := mine.FilesTold()
			tells := func() {
				require.Eventually(r, func() bool { return mine.FilesTold() > before }, 10*time.Second, time.Millisecond)
			}
			switch rapid.IntRange(0, 5).Draw(r, "step") {
			case 0:
				f.Write(path, text.Draw(r, "text"))
				tells()
			case 1:
				if os.Remove(filepath.Join(f.Dir, path)) == nil {
					tells()
				}
			case 2:
				f.Git("add", "--all", "dir")
			default:
				e := repo.IndexEntry{Path: path}
				if rapid.Bool().Draw(r, "there") {
					e.Mode = rapid.SampledFrom([]repo.Mode{repo.ModeFile, repo.ModeExecutable}).Draw(r, "mode")
					ids, err := mine.WriteBlobs(t.Context(), [][]byte{[]byte(text.Draw(r, "staged"))})
					require.NoError(r, err)
					e.ID = ids[0]
				}
				require.NoError(r, mine.UpdateIndex(t.Context(), []repo.IndexEntry{e}))
			}
			if !rapid.Bool().Draw(r, "look") {
				continue
			}
			if mine.KnowsByOwnWrites(t.Context()) {
				known++
			}
			got, err := mine.Status(repo.OwnWritesOnly(t.Context()))
			require.NoError(r, err)
			want, err := fresh.StatusByCommand(t.Context())
			require.NoError(r, err)
			require.Equal(r, want, got)
		}
	})
	assert.Positive(t, known)
}

// TestAFileThatDifferedIsLookedAt, though nothing was told of it yet.
func TestAFileThatDifferedIsLookedAt(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Write("a", "2\n")
	mine := f.Open(t)
	_, err := mine.Watch(t.Context())
	require.NoError(t, err)
	_, err = mine.Status(t.Context())
	require.NoError(t, err)
	f.Write("a", "1\n")
	got, err := mine.Status(repo.OwnWritesOnly(t.Context()))
	require.NoError(t, err)
	assert.Empty(t, got)
}

// TestALongStatusIsReadWhole: one that is read in halves says what its records say one by one, in their order; a record that says
// nothing is an error in either half.
func TestALongStatusIsReadWhole(t *testing.T) {
	id := strings.Repeat("0123456789", 4)
	var records []string
	var want []repo.Change
	for i := range 4000 {
		record := fmt.Sprintf("1 .M N... 100644 100644 100644 %s %s a folder/file %d", id, id, i)
		if i%3 == 0 {
			record = fmt.Sprintf("? new %d\nüber", i)
		}
		one, err := repo.ParseStatus(record + "\x00")
		require.NoError(t, err)
		records, want = append(records, record), append(want, one...)
	}
	got, err := repo.ParseStatus(strings.Join(records, "\x00") + "\x00")
	require.NoError(t, err)
	assert.Equal(t, want, got)
	for _, at := range []int{3, 3990} {
		_, err := repo.ParseStatus(strings.Join(slices.Insert(slices.Clone(records), at, "1 what"), "\x00"))
		require.Error(t, err)
	}
}
