package series_test

import (
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

	"bastel/internal/diff"
	"bastel/internal/series"
	"bastel/test/fixture"
)

// TestPatchesAreTakenIn: what is written as a mailbox comes out the same where it is taken in
// by the repository's own command: content, names, modes, and messages.
func TestPatchesAreTakenIn(t *testing.T) {
	long := strings.Repeat("a line that is long enough to count\n", 3)
	numbers := func(more string) string { return "1\n2\n3\n4\n5\n6\n7\n8\n9\n" + more }
	for name, test := range map[string]struct {
		message string
		change  func(f *fixture.Repo)
		want    []string // in the patch
	}{
		"line ends of another system": {"Change", func(f *fixture.Repo) { f.Write("crlf", "one\r\ntwo\r\nthree\r\n") }, []string{"base64"}},
		"renamed, and changed": {"Move", func(f *fixture.Repo) {
			f.Git("mv", "numbers", "dir/figures")
			f.Write("dir/figures",
				numbers("10\n"))
		}, []string{"rename from numbers\nrename to dir/figures", "similarity index"}},
		"renamed alone": {"Move", func(f *fixture.Repo) { f.Git("mv", "numbers", "fig ures") },
			[]string{"similarity index 100%\nrename from numbers\nrename to fig ures"}},
		"copied": {"Copy", func(f *fixture.Repo) { f.Write("more", numbers("")); f.Write("numbers", numbers("x\n")) },
			[]string{"copy from numbers\ncopy to more"}},
		"odd names": {"Names", func(f *fixture.Repo) {
			f.Write("a b\n\"c\" ü", "1\n")
			f.Write("-x", "1\n")
			f.Git("mv", "numbers", "zä\thl")
		}, []string{"rename from numbers"}},
		"a binary file": {"Binary", func(f *fixture.Repo) { f.Write("bin", "\x00\x01\x02changed") }, []string{"GIT binary patch"}},
		"modes and links": {"Modes", func(f *fixture.Repo) {
			_ = os.Chmod(filepath.Join(f.Dir, "numbers"), 0o777)
			_ = os.Remove(filepath.Join(f.Dir, "link"))
			_ = os.Symlink("numbers", filepath.Join(f.Dir, "link"))
		}, []string{"new mode 100755", "new file mode 120000"}},
		"a link that becomes a file": {"Kinds", func(f *fixture.Repo) {
			_ = os.Remove(filepath.Join(f.Dir, "pointer"))
			f.Write("pointer",
				"text\n")
		}, nil},
		"no final newline":      {"End", func(f *fixture.Repo) { f.Write("numbers", numbers("10")) }, []string{"No newline"}},
		"a subject in brackets": {"[tides] Add a table\n\nIt [really] matters.", func(f *fixture.Repo) { f.Write("n", "1\n") }, nil},
		"a message that looks like one": {"Add\n\n- a\n\nSigned-off-by: Ines Falk <ines@quay.example>",
			func(f *fixture.Repo) { f.Write("n", "1\n") }, nil},
		"a long subject with umlauts": {strings.Repeat("Über große Schiffe ", 8) + "x", func(f *fixture.Repo) { f.Write("n", "1\n") }, nil},
		"an empty file comes and goes": {"Empty", func(f *fixture.Repo) {
			f.Write("none",
				"")
			_ = os.Remove(filepath.Join(f.Dir, "empty"))
		}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			f.Git("config", "core.autocrlf", "false")
			f.Write("bin", "\x00\x01\x02")
			require.NoError(t, os.Symlink("long", filepath.Join(f.Dir, "pointer")))
			base := f.Commit("base", "crlf", "one\r\ntwo\r\n", "numbers", numbers(""), "long", long, "dir/x", "x\n", "empty", "")
			test.change(f)
			f.Git("add", "--all")
			f.Git("commit", "--quiet", "-m", test.message)
			r := f.Open(t)
			c, err := r.Commit(ctx, fixture.ID(t, f.Git("rev-parse", "HEAD")))
			require.NoError(t, err)
			before, err := r.Commit(ctx, fixture.ID(t, base))
			require.NoError(t, err)
			text, err := series.Mailbox(ctx, r.NewOverlay(), []series.Patched{{ID: fixture.ID(t, f.Git("rev-parse", "HEAD")), Name: "Ines Fälk",
				Email: "ines@quay.example", When: time.Unix(1e9, 0), Message: c.Message, Before: before.Tree, Tree: c.Tree}})
			require.NoError(t, err)
			for _, want := range test.want {
				assert.Contains(t, string(text), want)
			}
			message := f.Git("log", "-1", "--format=%B")
			box := filepath.Join(t.TempDir(), "box")
			require.NoError(t, os.WriteFile(box, text, 0o666))
			f.Git("reset", "--quiet", "--hard", base)
			_, err = f.Run("am", "--quiet", "--keep-non-patch", box)
			require.NoError(t, err, "%s", text)
			assert.Equal(t, c.Tree.String(), f.Git("rev-parse", "HEAD^{tree}"))
			assert.Equal(t, message, f.Git("log", "-1", "--format=%B"))
			assert.Equal(t, "Ines Fälk", f.Git("log", "-1", "--format=%an"))
		})
	}
}

// TestAHunkAsAPatch: all hunks of a change, each a patch of its own, make the change where the repository's own command applies
// them; also of files that come or go, without a newline at the end, with odd names.
func TestAHunkAsAPatch(t *testing.T) {
	fixture.FewerChecks(t, "10")
	dirs, n := t.TempDir(), 0
	rapid.Check(t, func(t *rapid.T) {
		n++
		f := fixture.At(t, filepath.Join(dirs, fmt.Sprint(n), "work"))
		path := rapid.SampledFrom([]string{"a", "with blank", "ü \"x\"", "dir/-x"}).Draw(t, "path")
		text := func(name string) string {
			lines := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "b", "c", ""}), 0, 40).Draw(t, name)
			return strings.Join(lines, "\n") + rapid.SampledFrom([]string{"", "\n"}).Draw(t, "end of "+name)
		}
		old, new := text("old"), text("new")
		f.Commit("base", "other", "x\n")
		from, to := path, path
		if old == "" {
			from = ""
		} else {
			f.Write(path, old)
			f.Git("add", "-A")
		}
		if new == "" {
			to = ""
		}
		oldLines, newLines := diff.Split([]byte(old)), diff.Split([]byte(new))
		hunks := diff.Hunks(oldLines, newLines, diff.Lines(oldLines, newLines), 3)
		for _, h := range slices.Backward(hunks) { // the last one first: places before it stay
			if err := os.WriteFile(filepath.Join(f.Dir, "..", "p.patch"), []byte(series.HunkPatch(from, to, h)), 0o666); err != nil {
				t.Fatal(err)
			}
			f.Git("apply", "--whitespace=nowarn", "../p.patch")
		}
		got, _ := os.ReadFile(filepath.Join(f.Dir, path)) // gone is empty
		require.Equal(t, new, string(got))
	})
}
