package history_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/history"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

// told reads the story of a file.
func told(t require.TestingT, f *fixture.Repo, r *repo.Repo, tip, path string) ([]history.Version, []history.Origin) {
	id, err := repo.ParseID(f.Git("rev-parse", tip))
	require.NoError(t, err)
	ctx, objects := context.Background(), r.NewOverlay()
	versions, err := history.Of(ctx, r, objects, id, path)
	require.NoError(t, err)
	texts, err := history.NewTexts(ctx, r, objects, versions)
	require.NoError(t, err)
	origins, err := history.Origins(ctx, versions, texts)
	require.NoError(t, err)
	return versions, origins
}

// TestTheStoryIsTheRepositorysOwn: of random histories with renames and merges it names the commits, and for each line the
// one that wrote it, as the repository's own commands do.
func TestTheStoryIsTheRepositorysOwn(t *testing.T) {
	fixture.FewerChecks(t, "15")
	rapid.Check(t, func(t2 *rapid.T) {
		f := fixture.New(t)
		lines, path, number, merged := []string{}, "a file", 0, false
		fresh := func() string { number++; return fmt.Sprintf("line %d of its own", number) }
		for range 12 {
			lines = append(lines, fresh())
		}
		write := func(name string, list []string) { f.Write(name, strings.Join(list, "\n")+"\n") }
		write(path, lines)
		f.Commit("base", "other", "1\n")
		for i := range rapid.IntRange(1, 8).Draw(t2, "steps") {
			at := rapid.IntRange(0, len(lines)-1).Draw(t2, "at")
			switch rapid.SampledFrom([]string{"change", "insert", "remove", "rename", "other", "merge"}).Draw(t2, "what") {
			case "change":
				lines[at] = fresh()
			case "insert":
				lines = slices.Insert(lines, at, fresh())
			case "remove":
				if len(lines) > 6 {
					lines = slices.Delete(lines, at, at+1)
				}
			case "rename":
				to := fmt.Sprint("renamed ", i)
				f.Git("mv", path, to)
				path = to
			case "other":
				f.Write("other", fmt.Sprint(i, "\n"))
			case "merge": // both ends of the file are changed, on two branches
				f.Git("switch", "--quiet", "-c", fmt.Sprint("side", i))
				lines[len(lines)-1] = fresh()
				write(path, lines)
				f.Commit("side", "unrelated"+fmt.Sprint(i), "x\n")
				f.Git("switch", "--quiet", "main")
				mine := slices.Clone(strings.Split(strings.TrimSuffix(f.Read(path), "\n"), "\n"))
				mine[0] = fresh()
				write(path, mine)
				f.Commit("mine", "more"+fmt.Sprint(i), "x\n")
				f.Git("merge", "--quiet", "--no-edit", fmt.Sprint("side", i))
				lines, merged = strings.Split(strings.TrimSuffix(f.Read(path), "\n"), "\n"), true
			}
			write(path, lines)
			f.Git("add", "--all")
			f.Run("commit", "--quiet", "--message", fmt.Sprint("step ", i))
		}
		versions, origins := told(t2, f, f.Open(t), "main", path)
		if !merged { // following a rename past a merge is more than the repository's own list does
			var commits []string
			for _, v := range versions {
				commits = append(commits, v.Commit.String())
			}
			require.Equal(t2, strings.Split(f.Git("log", "--follow", "--topo-order", "--format=%H", "--", path), "\n"), commits)
		}
		var theirs, ours []string
		for line := range strings.Lines(f.Git("blame", "--porcelain", "HEAD", "--", path) + "\n") {
			if fields := strings.Fields(line); len(fields) >= 3 && len(fields[0]) == 40 && !strings.HasPrefix(line, "\t") {
				theirs = append(theirs, fields[0]+" "+fields[1])
			}
		}
		for _, o := range origins {
			ours = append(ours, fmt.Sprint(versions[o.Version].Commit, " ", o.Line+1))
		}
		require.Equal(t2, theirs, ours)
	})
}

func TestAFileThatWentAndOneThatNeverWas(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "b", "1\n")
	f.Git("rm", "--quiet", "a")
	f.Commit("gone", "b", "2\n")
	r := f.Open(t)
	versions, origins := told(t, f, r, "main", "a")
	assert.Len(t, versions, 2, "the commit that deleted it is one of its story")
	assert.Empty(t, origins)
	versions, _ = told(t, f, r, "main", "never")
	assert.Empty(t, versions)
}
