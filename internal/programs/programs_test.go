package programs_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/programs"
)

func TestACheckCanBeStopped(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	began := time.Now()
	err := programs.Check(ctx, t.TempDir(), "echo begun; sleep 60 & wait", func(p []byte) {
		if strings.Contains(string(p), "begun") {
			cancel()
		}
	})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(began), 30*time.Second, "and what it started ends with it")
	var said strings.Builder
	err = programs.Check(context.Background(), t.TempDir(), "env | grep -c ^GIT_; exit 4", func(p []byte) { said.Write(p) })
	var failed *programs.CheckError
	require.True(t, errors.As(err, &failed))
	assert.Equal(t, 4, failed.Code)
	assert.Equal(t, "0\n", said.String(), "a check does not take the user's repository for its own")
}

func TestTheEditorIsTheUsersOwn(t *testing.T) {
	log := filepath.Join(t.TempDir(), "log")
	for editor, want := range map[string]string{"vi": "+12 a b\n", "other": "a b\n"} {
		script := filepath.Join(t.TempDir(), editor)
		require.NoError(t, os.WriteFile(script, []byte(fmt.Sprintf("#!/bin/sh\necho \"$@\" >%s\n", log)), 0o777))
		run, err := programs.Editor(script, t.TempDir(), "a b", 12)
		require.NoError(t, err)
		require.NoError(t, run.Run())
		data, err := os.ReadFile(log)
		require.NoError(t, err)
		assert.Equal(t, want, string(data), "a name with a space is one name, and a line for who knows it")
	}
	run, err := programs.Editor("false", t.TempDir(), "x", 0)
	require.NoError(t, err)
	assert.ErrorContains(t, run.Run(), "the editor")
}

// TestPagesOpenInTheBrowserThatIsNamed, without waiting for it.
func TestPagesOpenInTheBrowserThatIsNamed(t *testing.T) {
	dir := t.TempDir()
	opened := filepath.Join(dir, "opened")
	browser := filepath.Join(dir, "browser")
	require.NoError(t, os.WriteFile(browser, []byte("#!/bin/sh\necho \"$1\" >"+opened+"\nexec sleep 60\n"), 0o777))
	t.Setenv("BROWSER", "no-such-browser:"+browser)
	require.NoError(t, programs.OpenPage("https://quay.example/1"))
	require.Eventually(t, func() bool {
		data, err := os.ReadFile(opened)
		return err == nil && string(data) == "https://quay.example/1\n"
	}, 10*time.Second, 5*time.Millisecond)
	t.Setenv("BROWSER", "")
	t.Setenv("PATH", dir)
	assert.ErrorIs(t, programs.OpenPage("https://quay.example/1"), programs.ErrNoBrowser)
}
