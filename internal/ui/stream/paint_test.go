package stream

import (
	"testing"

	"github.com/alecthomas/chroma/v2/lexers"
	"github.com/stretchr/testify/assert"
)

// TestLanguagesAreTheLibrarys: the short way to a file's language gives what the library's own look gives.
func TestLanguagesAreTheLibrarys(t *testing.T) {
	p := &painter{}
	var paths []string
	for ending := range endings() {
		paths = append(paths, "any"+ending)
	}
	for _, path := range append(paths, []string{"a.go", "deep/b.go", "Makefile", "in/CMakeLists.txt", "notes.txt", "a.c", "b.h", "x.py",
		"style.css", "page.html", "data.json", "conf.toml", "go.mod", "go.sum",
		"Dockerfile", "Dockerfile.build", ".bashrc", ".gitignore", "no-ending", "a.unknown-ending", "package.json", "x.tar.gz", "a.go.orig",
		"README.md", "a.yaml", "ends.with.dot.", "x.ts", "x.tsx", "PKGBUILD", "meson.build"}...) {
		want, got := lexers.Match(path), p.lexer(path)
		if want == nil {
			assert.Nil(t, got, path)
			continue
		}
		if assert.NotNil(t, got, path) {
			assert.Equal(t, want.Config().Name, got.Config().Name, path)
		}
	}
}
