package repo_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// TestAChangeThatKeepsSizeAndTimeIsSeen: as an archive, a copy with its times, or a disk with whole seconds leaves one; also where
// rules have the content be stored otherwise, and where the rules themselves change so.
func TestAChangeThatKeepsSizeAndTimeIsSeen(t *testing.T) {
	for name, rules := range map[string]string{"plain": "", "line ends": "* text=auto\n", "a filter": "* filter=twice\n"} {
		for how, save := range map[string]func(file, text string){
			"in place": func(file, text string) { _ = os.WriteFile(file, []byte(text), 0o666) },
			"another file": func(file, text string) {
				_ = os.WriteFile(file+"~", []byte(text), 0o666)
				_ = os.Rename(file+"~", file)
			},
		} {
			t.Run(name+" "+how, func(t *testing.T) {
				f := fixture.New(t)
				f.Git("config", "filter.twice.clean", "tr x y")
				f.Write(".gitattributes", rules)
				f.Commit("base", "a", "base\r\n")
				when := time.Now().Add(-time.Hour).Truncate(time.Second)
				put := func(name, text string) {
					save(filepath.Join(f.Dir, name), text)
					require.NoError(t, os.Chtimes(filepath.Join(f.Dir, name), when, when))
				}
				r := f.Open(t)
				read := func() string {
					changes, err := r.Status(ctx, "a")
					require.NoError(t, err)
					require.Len(t, changes, 1)
					files, err := r.ReadWorkFiles(ctx, changes)
					require.NoError(t, err)
					return strings.TrimSpace(string(files[0].Data))
				}
				want := func(text string) string {
					save(filepath.Join(f.Dir, "copy"), text)
					return strings.TrimSpace(f.Git("cat-file", "blob", f.Git("hash-object", "-w", "--path=a", "copy")))
				}
				for _, text := range []string{"one\r\nx\r\n", "two\r\nx\r\n", "ten\r\nx\r\n"} {
					put("a", text)
					for range 2 { // what is remembered must be of this very text
						_, err := r.Status(ctx)
						require.NoError(t, err)
						assert.Equal(t, want(text), read())
						<-time.After(60 * time.Millisecond)
					}
				}
				// Rules of the same size, at the same time.
				put(".gitattributes", "*   -text\n")
				assert.Equal(t, want("ten\r\nx\r\n"), read())
				put(".gitattributes", "* text=au\n")
				<-time.After(60 * time.Millisecond)
				assert.Equal(t, want("ten\r\nx\r\n"), read())
				put(".gitattributes", "*   -text\n")
				assert.Equal(t, want("ten\r\nx\r\n"), read())
			})
		}
	}
}
